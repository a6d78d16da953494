//! Who gets in, and what every answer tells browsers.

use crate::kit::db::Database;
use crate::kit::program::Program;
use reqwest::{Client, Response, redirect};
use std::collections::BTreeMap;

/// A browser without a screen: keeps its cookie, follows nothing.
struct Visitor {
    client: Client,
    base: String,
    cookie: Option<String>,
}

impl Visitor {
    fn new(base: &str) -> Self {
        let client = Client::builder().redirect(redirect::Policy::none()).build().unwrap();
        Self { client, base: base.to_owned(), cookie: None }
    }

    fn keep(&mut self, answer: &Response) {
        if let Some(cookie) = answer.headers().get("set-cookie") {
            self.cookie = cookie.to_str().unwrap().split(';').next().map(str::to_owned);
        }
    }

    async fn get(&mut self, path: &str) -> Response {
        let mut request = self.client.get(format!("{}{path}", self.base));
        if let Some(cookie) = &self.cookie {
            request = request.header("cookie", cookie);
        }
        let answer = request.send().await.unwrap();
        self.keep(&answer);
        answer
    }

    async fn post(&mut self, path: &str, csrf: &str, form: &[(&str, &str)]) -> Response {
        let form = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(form).finish();
        let mut request = self
            .client
            .post(format!("{}{path}", self.base))
            .header("content-type", "application/x-www-form-urlencoded")
            .header("x-csrf-token", csrf)
            .body(form);
        if let Some(cookie) = &self.cookie {
            request = request.header("cookie", cookie);
        }
        let answer = request.send().await.unwrap();
        self.keep(&answer);
        answer
    }

    /// Signs in as the demo's owner.
    async fn enter(&mut self, program: &Program) {
        let (demo, csrf) = (program.demo(), self.csrf("/sign-in").await);
        let of_owner = |what: &str| demo["owner"][what].as_str().unwrap().to_owned();
        let form = [("name", of_owner("name")), ("password", of_owner("password"))];
        let form = form.each_ref().map(|(key, value)| (*key, value.as_str()));
        assert_eq!(self.post("/sign-in", &csrf, &form).await.headers()["hx-redirect"], "/desk");
    }

    /// The token that stands in a page.
    async fn csrf(&mut self, path: &str) -> String {
        let page = self.get(path).await.text().await.unwrap();
        let (_, rest) = page.split_once("\"x-csrf-token\":\"").expect("the page carries a token");
        rest.split('"').next().unwrap().to_owned()
    }
}

fn start() -> (Database, Program) {
    let database = Database::new();
    let program = Program::start(&database.url);
    (database, program)
}

#[tokio::test(flavor = "multi_thread")]
async fn rooms_are_closed_to_strangers() {
    let (_database, program) = start();
    let mut visitor = Visitor::new(&program.base);
    let rooms =
        "/desk /widgets /widgets/1 /widgets/1/looks /widgets/starts /feeds /ledger /live /channel /shows /account";
    for room in rooms.split(' ') {
        let answer = visitor.get(room).await;
        assert_eq!(
            (answer.status().as_u16(), &answer.headers()["location"]),
            (303, &"/sign-in".parse().unwrap()),
            "{room}"
        );
    }
    assert_eq!(visitor.get("/first-visit").await.status(), 404, "somebody owns this server already");
    assert_eq!(visitor.get("/nowhere").await.status(), 404);
    // What pages on air load is open to whoever knows the address, and to nobody who guesses.
    for guess in ["/clips/guessed", "/faces/AAAAAAAAAAAAAAAAAAAAAA/aHR0cDovLzEyNy4wLjAuMS8", "/w/guessed"] {
        assert_eq!(visitor.get(guess).await.status(), 404, "{guess}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn signing_in_and_out() {
    let (_database, program) = start();
    let demo = program.demo();
    let (name, password) = (demo["owner"]["name"].as_str().unwrap(), demo["owner"]["password"].as_str().unwrap());
    let mut visitor = Visitor::new(&program.base);
    let csrf = visitor.csrf("/sign-in").await;
    for (name, password) in [(name, "wrong"), ("nobody", password), ("", "")] {
        let refused = visitor.post("/sign-in", &csrf, &[("name", name), ("password", password)]).await;
        assert_eq!(refused.status(), 422);
        assert!(refused.text().await.unwrap().contains("do not fit together"), "the same words for both");
    }
    let entered = visitor.post("/sign-in", &csrf, &[("name", name), ("password", password)]).await;
    assert_eq!(entered.headers()["hx-redirect"], "/desk");
    let cookie = entered.headers()["set-cookie"].to_str().unwrap();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Lax"), "{cookie}");
    assert_eq!(visitor.get("/desk").await.status(), 200);

    let csrf = visitor.csrf("/desk").await;
    visitor.post("/sign-out", &csrf, &[]).await;
    assert_eq!(visitor.get("/desk").await.status(), 303);
}

#[tokio::test(flavor = "multi_thread")]
async fn guessing_passwords_is_slowed_down() {
    let (_database, program) = start();
    let mut visitor = Visitor::new(&program.base);
    let csrf = visitor.csrf("/sign-in").await;
    let mut told = false;
    for _ in 0..15 {
        let answer = visitor.post("/sign-in", &csrf, &[("name", "odile"), ("password", "guess")]).await;
        told |= answer.text().await.unwrap().contains("tried too often");
    }
    assert!(told);
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_changes_something_needs_the_token_of_the_page() {
    let (_database, program) = start();
    let mut visitor = Visitor::new(&program.base);
    visitor.csrf("/sign-in").await;
    assert_eq!(visitor.post("/sign-in", "forged", &[("name", "odile"), ("password", "x")]).await.status(), 403);
    visitor.enter(&program).await;
    let edit = [("key", "target"), ("text", "1")];
    assert_eq!(visitor.post("/widgets/1/edit", "", &edit).await.status(), 403);
    for path in ["/widgets/1/edit", "/widgets/1/put-on-air", "/widgets/1/clips?name=x", "/clips/x/remove"] {
        assert_eq!(visitor.post(path, "forged", &edit).await.status(), 403, "{path}");
    }
    assert_eq!(program.text(&program.widget("Turntable motor")).await, "£212.50 of £350 (60%)");
    // A page of another site may not listen in either.
    let live = visitor.client.get(format!("{}/live", program.base)).header("origin", "http://elsewhere.example");
    let live = live.header("cookie", visitor.cookie.clone().unwrap()).send().await.unwrap();
    assert_eq!(live.status(), 403);
}

#[tokio::test(flavor = "multi_thread")]
async fn every_answer_is_strict_with_browsers() {
    let (_database, program) = start();
    let mut visitor = Visitor::new(&program.base);
    let page = program.widget("Derailments")["page_url"].as_str().unwrap().replace(&program.base, "");
    for path in ["/sign-in", "/desk", "/nowhere", "/healthz", "/api/v1/widgets", page.as_str()] {
        let answer = visitor.get(path).await;
        let header =
            |name: &str| answer.headers().get(name).map(|v| v.to_str().unwrap().to_owned()).unwrap_or_default();
        let headers: BTreeMap<_, _> =
            ["content-security-policy", "x-content-type-options", "referrer-policy", "cache-control"]
                .map(|n| (n, header(n)))
                .into();
        assert!(headers["content-security-policy"].contains("script-src 'self';"), "{path} {headers:?}");
        assert!(!headers["content-security-policy"].contains("unsafe"), "{path}");
        assert_eq!(
            (headers["x-content-type-options"].as_str(), headers["referrer-policy"].as_str()),
            ("nosniff", "no-referrer"),
            "{path}"
        );
        assert_eq!(headers["cache-control"], "no-store", "{path}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn names_from_outside_never_run_as_markup() {
    let (_database, program) = start();
    let mut visitor = Visitor::new(&program.base);
    visitor.enter(&program).await;
    let csrf = visitor.csrf("/widgets/3").await;
    let edit = [("key", "title"), ("text", "<img src=x onerror=alert(1)>")];
    assert_eq!(visitor.post("/widgets/3/edit", &csrf, &edit).await.status(), 200);
    assert_eq!(visitor.post("/widgets/3/put-on-air", &csrf, &[]).await.status(), 200);
    for path in ["/widgets", "/widgets/3", "/desk"] {
        let page = visitor.get(path).await.text().await.unwrap();
        assert!(!page.contains("<img src=x") && page.contains("img src=x onerror"), "{path}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_can_be_read_can_be_asked_for_its_head() {
    let (_database, program) = start();
    let page = program.widget("Derailments")["page_url"].as_str().unwrap().replace(&program.base, "");
    let client = Client::new();
    for path in ["/healthz", "/sign-in", "/schemas/tally.tip.json", page.as_str()] {
        let url = format!("{}{path}", program.base);
        let (whole, head) = (client.get(&url).send().await.unwrap(), client.head(&url).send().await.unwrap());
        assert_eq!((whole.status(), head.status()), (reqwest::StatusCode::OK, reqwest::StatusCode::OK), "{path}");
        assert_eq!(head.bytes().await.unwrap().len(), 0, "{path}");
    }
}
