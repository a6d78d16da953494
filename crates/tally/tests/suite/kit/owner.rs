//! The owner at the rooms' forms, without a browser.

use super::page::Page;
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

/// The fields of the room Channel as the demo has them, but for these.
pub fn settings<'a>(other: &[(&'a str, &'a str)]) -> Vec<(&'a str, &'a str)> {
    let usual = [
        ("channel", "Saltmarsh Halt"),
        ("zone", "Europe/London"),
        ("currency", "GBP"),
        ("day_start", "05:00"),
        ("week_start", "Mon"),
        ("weight_1", "1"),
        ("weight_2", "2"),
        ("weight_3", "5"),
        ("weights_from", "now"),
        ("edits", "tried"),
        ("level_gap_s", "60"),
        ("on_air", ""),
        ("off_air", ""),
    ];
    let said = |name| other.iter().find(|(own, _)| *own == name).map(|(_, value)| *value);
    usual.into_iter().map(|(name, value)| (name, said(name).unwrap_or(value))).collect()
}

impl Owner {
    /// Signs in to the demo.
    pub async fn of(program: &Program) -> Self {
        let demo = program.demo();
        let (name, password) = (demo["owner"]["name"].as_str().unwrap(), demo["owner"]["password"].as_str().unwrap());
        Self::named(&program.base, name, password).await
    }

    /// Signs in with a name and a password.
    pub async fn named(base: &str, name: &str, password: &str) -> Self {
        let mut owner = Self::at_the_door(base).await;
        let entered = owner.post("/sign-in", &[("name", name), ("password", password)]).await;
        assert_eq!(entered.headers()["hx-redirect"], "/desk");
        owner.keep(&entered).await;
        owner
    }

    /// Somebody who has opened the page for signing in.
    pub async fn at_the_door(base: &str) -> Self {
        Self::at(&format!("{base}/sign-in")).await
    }

    /// Somebody who has opened a page that nobody needs to be signed in for.
    pub async fn at(url: &str) -> Self {
        let client = Client::builder().redirect(reqwest::redirect::Policy::none()).build().unwrap();
        let base = url.splitn(4, '/').take(3).collect::<Vec<_>>().join("/");
        let page = client.get(url).send().await.unwrap();
        let (cookie, page) = (cookie(&page).unwrap(), page.text().await.unwrap());
        Self { client, base, cookie, csrf: csrf(&page) }
    }

    /// Keeps the session that an answer has begun.
    pub async fn keep(&mut self, answer: &Response) {
        self.cookie = cookie(answer).unwrap();
        // The answer that a page comes with renews the session, with the page's token in it.
        let page = self.get("/desk").await;
        assert_eq!(page.status(), 200);
        self.cookie = cookie(&page).unwrap_or_else(|| self.cookie.clone());
        self.csrf = csrf(&page.text().await.unwrap());
    }

    /// Keeps the session of an answer; the pages' token stays.
    pub fn keep_cookie(&mut self, answer: &Response) {
        self.cookie = cookie(answer).unwrap();
    }

    /// Its cookie and its token, for requests that are made by hand.
    pub fn session(&self) -> (&str, &str) {
        (&self.cookie, &self.csrf)
    }

    pub async fn get(&self, path: &str) -> Response {
        self.client.get(format!("{}{path}", self.base)).header("cookie", &self.cookie).send().await.unwrap()
    }

    /// The live connection of a room.
    pub async fn live(&self, base: &str) -> Page {
        Page::with_cookie(&format!("{base}/live"), base, &self.cookie).await
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

    /// Makes a pass for a helper, good for twelve hours; the last part of its link, and its words.
    pub async fn pass(&self, name: &str, fields: &[(&str, &str)]) -> (String, String) {
        let made = self.done("/helpers", &[&[("name", name), ("hours", "12")], fields].concat()).await;
        let between = |before: &str, after: char| {
            made.split(before).nth(1).unwrap().split(after).next().unwrap().trim().to_owned()
        };
        (between("/p/", '"'), between("pass-words\">", '<'))
    }

    /// Sends a form that must be refused, and gives the words.
    pub async fn refused(&self, path: &str, fields: &[(&str, &str)]) -> String {
        let answer = self.post(path, fields).await;
        assert_eq!(answer.status(), 422, "{path}");
        answer.text().await.unwrap()
    }
}
