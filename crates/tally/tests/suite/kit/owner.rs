//! The owner at the rooms' forms, without a browser.

use super::program::Program;
use reqwest::{Client, Response};

/// Somebody who is signed in.
pub struct Owner {
    client: Client,
    base: String,
    cookie: String,
    csrf: String,
}

fn cookie(answer: &Response) -> Option<String> {
    let set = answer.headers().get("set-cookie")?.to_str().unwrap();
    set.split(';').next().map(str::to_owned)
}

fn csrf(page: &str) -> String {
    page.split("\"x-csrf-token\":\"").nth(1).unwrap().split('"').next().unwrap().to_owned()
}

fn form(fields: &[(&str, &str)]) -> String {
    url::form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish()
}

impl Owner {
    /// Signs in to the demo.
    pub async fn of(program: &Program) -> Self {
        let (client, demo) = (Client::new(), program.demo());
        let door = client.get(format!("{}/sign-in", program.base)).send().await.unwrap();
        let (cookie_before, page) = (cookie(&door).unwrap(), door.text().await.unwrap());
        let mut owner = Self { client, base: program.base.clone(), cookie: cookie_before, csrf: csrf(&page) };
        let (name, password) = (demo["owner"]["name"].as_str().unwrap(), demo["owner"]["password"].as_str().unwrap());
        let entered = owner.post("/sign-in", &[("name", name), ("password", password)]).await;
        owner.cookie = cookie(&entered).unwrap();
        owner.csrf = csrf(&owner.page("/desk").await);
        owner
    }

    pub async fn get(&self, path: &str) -> Response {
        self.client.get(format!("{}{path}", self.base)).header("cookie", &self.cookie).send().await.unwrap()
    }

    /// A room's page.
    pub async fn page(&self, path: &str) -> String {
        let answer = self.get(path).await;
        assert_eq!(answer.status(), 200, "{path}");
        answer.text().await.unwrap()
    }

    /// Sends something that changes something.
    pub async fn send(&self, path: &str, content_type: &str, body: impl Into<reqwest::Body>) -> Response {
        let request = self.client.post(format!("{}{path}", self.base)).header("cookie", &self.cookie);
        let request = request.header("x-csrf-token", &self.csrf).header("content-type", content_type);
        request.body(body).send().await.unwrap()
    }

    pub async fn post(&self, path: &str, fields: &[(&str, &str)]) -> Response {
        self.send(path, "application/x-www-form-urlencoded", form(fields)).await
    }

    /// Sends a form that must be taken.
    pub async fn done(&self, path: &str, fields: &[(&str, &str)]) -> String {
        let answer = self.post(path, fields).await;
        let status = answer.status();
        let body = answer.text().await.unwrap();
        assert!(status.is_success(), "{path}: {status} {body}");
        body
    }

    /// Sends a form that must be refused, and gives the words.
    pub async fn refused(&self, path: &str, fields: &[(&str, &str)]) -> String {
        let answer = self.post(path, fields).await;
        assert_eq!(answer.status(), 422, "{path}");
        answer.text().await.unwrap()
    }
}
