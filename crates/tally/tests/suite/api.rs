//! The control API.

use crate::kit::db::Database;
use crate::kit::program::Program;
use reqwest::{Client, RequestBuilder};
use serde_json::{Value, json};

struct Api {
    client: Client,
    base: String,
    token: String,
}

impl Api {
    fn with(&self, request: RequestBuilder) -> RequestBuilder {
        request.bearer_auth(&self.token)
    }

    async fn get(&self, path: &str) -> (u16, Value) {
        let answer = self.with(self.client.get(format!("{}{path}", self.base))).send().await.unwrap();
        (answer.status().as_u16(), answer.json().await.unwrap())
    }

    async fn act(&self, widget: &Value, action: &str, body: &str) -> (u16, Value) {
        let url = format!("{}/api/v1/widgets/{}/actions/{action}", self.base, widget["id"]);
        let answer = self.with(self.client.post(url)).body(body.to_owned()).send().await.unwrap();
        (answer.status().as_u16(), answer.json().await.unwrap())
    }
}

fn start() -> (Database, Program, Api) {
    let database = Database::new();
    let program = Program::start(&database.url);
    let token = program.demo()["api_token"].as_str().unwrap().to_owned();
    let api = Api { client: Client::new(), base: program.base.clone(), token };
    (database, program, api)
}

#[tokio::test(flavor = "multi_thread")]
async fn widgets_are_listed_with_values_and_levers() {
    let (_database, program, api) = start();
    let (status, list) = api.get("/api/v1/widgets").await;
    assert_eq!(status, 200);
    let widgets = list["widgets"].as_array().unwrap();
    assert_eq!(widgets.len(), 35);
    assert_eq!(widgets[0]["text"], "£212.50 of £350 (60%)");
    assert_eq!(
        widgets[2]["actions"][1],
        json!({"action": "add", "value": null, "label": "+1", "ready": true, "main": true, "asks": false, "text": null})
    );
    let (status, one) = api.get(&format!("/api/v1/widgets/{}", program.widget("Derailments")["id"])).await;
    assert_eq!((status, &one["value"]), (200, &json!(0)));
    let names: Vec<_> = one["actions"].as_array().unwrap().iter().map(|one| one["action"].as_str().unwrap()).collect();
    assert_eq!(names, ["subtract", "add", "reset", "undo"]);
    assert_eq!(api.get("/api/v1/widgets/999").await.0, 404);
}

#[tokio::test(flavor = "multi_thread")]
async fn levers_can_be_pressed_and_presses_taken_back() {
    let (_database, program, api) = start();
    let counter = program.widget("Derailments");
    assert_eq!(api.act(&counter, "add", "").await.1["value"], 1);
    let (_, five) = api.act(&counter, "add", r#"{"value": 5}"#).await;
    assert_eq!(five["value"], 6);
    assert_eq!(api.act(&counter, "subtract", "").await.1["value"], 5);
    let back = json!({"value": five["entry"]}).to_string();
    assert_eq!(api.act(&counter, "undo", &back).await.1["value"], 0, "1, and 1 away again");
    assert_eq!(api.act(&counter, "undo", &back).await.0, 422, "it is not in force any more");
    let clock = program.widget("First train leaves in");
    assert_eq!(api.act(&clock, "start", "").await.1["phase"], "running");
    let (status, refused) = api.act(&clock, "start", "").await;
    assert_eq!((status, &refused["detail"]), (422, &json!("The clock is running already.")));
    for body in ["{", "[]", r#"{"value": 1.5}"#, r#"{"valeu": 1}"#] {
        assert_eq!(api.act(&counter, "add", body).await.0, 422, "{body}");
    }
    assert_eq!(api.act(&program.widget("Turntable motor"), "add", "").await.0, 422);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_press_sent_twice_counts_once() {
    let (_database, program, api) = start();
    let url = format!("{}/api/v1/widgets/{}/actions/add", api.base, program.widget("Derailments")["id"]);
    for _ in 0..3 {
        let answer = api.with(api.client.post(&url)).header("idempotency-key", "one").send().await.unwrap();
        assert_eq!(answer.json::<Value>().await.unwrap()["value"], 1);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn without_the_right_token_nothing_is_told() {
    let (_database, _program, api) = start();
    for token in ["", "wrong", "Bearer"] {
        let api = Api { token: token.into(), client: Client::new(), base: api.base.clone() };
        let (status, problem) = api.get("/api/v1/widgets").await;
        assert_eq!((status, &problem["status"]), (401, &json!(401)));
    }
}
