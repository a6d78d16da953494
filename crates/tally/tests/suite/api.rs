//! The control API.

use crate::kit::PATIENCE;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use reqwest::{Client, RequestBuilder};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

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

    async fn post(&self, path: &str, body: Value, key: Option<&str>) -> (u16, Value) {
        let request = self.with(self.client.post(format!("{}/api/v1{path}", self.base))).json(&body);
        let request = key.into_iter().fold(request, |request, key| request.header("idempotency-key", key));
        let answer = request.send().await.unwrap();
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
    assert_eq!(api.act(&counter, "undo", &back).await.0, 409, "it is not in force any more");
    let clock = program.widget("First train leaves in");
    assert_eq!(api.act(&clock, "start", "").await.1["phase"], "running");
    let (status, refused) = api.act(&clock, "start", "").await;
    assert_eq!((status, &refused["detail"]), (409, &json!("The clock is running already.")));
    for body in ["{", "[]", r#"{"value": 1.5}"#, r#"{"valeu": 1}"#] {
        assert_eq!(api.act(&counter, "add", body).await.0, 422, "{body}");
    }
    assert_eq!(api.act(&program.widget("Turntable motor"), "add", "").await.0, 404);
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

#[tokio::test(flavor = "multi_thread")]
async fn everything_that_the_desk_can_do_a_program_can_do() {
    let (_database, program, mut api) = start();
    let owner = Owner::of(&program).await;
    let refused = api.post("/entries", json!({"kind": "follow", "name": "ann"}), None).await;
    assert_eq!((refused.0, &refused.1["detail"]), (403, &json!("This token lacks the scope “record”.")));
    let made = owner.done("/account/tokens", &[("name", "Key box"), ("operate", "yes"), ("record", "yes")]).await;
    api.token = made.split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();

    // On air, once, however often it is asked with one key.
    let first = api.post("/show", json!({"on_air": true}), Some("begin")).await;
    assert_eq!(first.0, 200, "{}", first.1);
    assert_eq!(api.post("/show", json!({"on_air": true}), Some("begin")).await, first);
    assert_eq!(api.post("/show", json!({"on_air": true}), None).await.0, 409);
    assert_eq!(api.post("/show", json!({"on_air": false}), Some("begin")).await.0, 409, "a key for something else");
    let stands = api.get("/api/v1/channel").await.1;
    assert_eq!((&stands["on_air"], &stands["covered"]), (&json!(true), &json!(false)));

    // A line by hand counts, and counts no more; the ledger is read on from it.
    let motor = program.widget("Turntable motor");
    let tip = json!({"kind": "tip", "name": "ann", "amount": "7.50", "currency": "GBP", "message": "cash"});
    let written = api.post("/entries", tip.clone(), Some("cash")).await;
    assert_eq!(api.post("/entries", tip, Some("cash")).await, written, "it is written once");
    program.shows(&motor, "£220 of £350 (62%)").await;
    let seq = written.1["entry"].as_u64().unwrap();
    let lines = api.get(&format!("/api/v1/entries?after={}&limit=2", seq - 1)).await.1;
    assert_eq!((&lines["entries"][0]["entry"], &lines["entries"][0]["kind"]), (&json!(seq), &json!("tip")));
    let correct = format!("/entries/{seq}/correct");
    assert_eq!(api.post(&correct, json!({"counts": false, "reason": "a test"}), None).await.0, 200);
    program.shows(&motor, "£212.50 of £350 (60%)").await;
    assert_eq!(api.post(&correct, json!({"counts": false}), None).await.0, 409);
    for (body, status) in [
        (json!({"kind": "tip", "name": "ann"}), 422),
        (json!({"kind": "eclipse"}), 422),
        (json!({"kind": "tip", "name": "x".repeat(201)}), 422),
        (json!({"kind": "follow", "happened_at": "2999-01-01T00:00:00Z"}), 422),
    ] {
        assert_eq!(api.post("/entries", body.clone(), None).await.0, status, "{body}");
    }

    // The picture: all of it, and a piece.
    assert_eq!(api.post("/cover", json!({"covered": true}), None).await.0, 200);
    assert_eq!(api.get("/api/v1/channel").await.1["covered"], true);
    let overlays = api.get("/api/v1/overlays").await.1;
    let (overlay, piece) = (&overlays["overlays"][0], &overlays["overlays"][0]["pieces"][0]);
    let body = json!({"pieces": [piece["id"]], "shown": piece["shown"] == false});
    assert_eq!(api.post(&format!("/overlays/{}/appear", overlay["id"]), body, None).await.0, 200);
    let after = api.get("/api/v1/overlays").await.1;
    assert_ne!(after["overlays"][0]["pieces"][0]["shown"], piece["shown"]);

    // A cue by hand.
    let cues = api.get("/api/v1/cues").await.1;
    assert_eq!((&cues["cues"][0]["name"], &cues["cues"][0]["fired_at"]), (&json!("The kettle goes on"), &Value::Null));
    assert_eq!(api.post("/cues/1/fire", json!({}), None).await.0, 200);
    program.shows(&program.widget("Cups of tea"), "1").await;
    assert_eq!(api.post("/cues/99/fire", json!({}), None).await.0, 404);

    // When a token was used is told, and a revoked one is good for nothing.
    let account = owner.page("/account").await;
    assert!(account.contains("read, operate, record") && account.contains("· used "), "{account}");
    let id = account.rsplit("/account/tokens/").next().unwrap().split('/').next().unwrap();
    owner.done(&format!("/account/tokens/{id}/revoke"), &[]).await;
    assert_eq!(api.get("/api/v1/channel").await.0, 401);
}

#[tokio::test(flavor = "multi_thread")]
async fn what_changes_is_followed_and_the_command_line_does_it() {
    let (_database, program, api) = start();
    let tally = |words: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_tally"));
        command.args(words).env("TALLY_URL", &api.base).env("TALLY_TOKEN", &api.token);
        command.stdout(Stdio::piped()).stderr(Stdio::piped());
        command
    };
    let said = async |words: &[&str]| {
        let mut command = tally(words);
        let done = tokio::task::spawn_blocking(move || command.output().unwrap()).await.unwrap();
        let text = [done.stdout, done.stderr].concat();
        (done.status.success(), String::from_utf8(text).unwrap().trim().to_owned())
    };
    let mut watching = tally(&["watch", "derailments"]).spawn().unwrap();
    let lines = BufReader::new(watching.stdout.take().unwrap()).lines();
    let (heard, mut told) = tokio::sync::mpsc::channel(10);
    std::thread::spawn(move || lines.map_while(Result::ok).try_for_each(|line| heard.blocking_send(line)));
    let mut next = async || tokio::time::timeout(PATIENCE, told.recv()).await.unwrap().unwrap();
    assert_eq!(next().await, "Derailments: 0");
    assert_eq!(said(&["press", "Derailments", "+2"]).await, (true, "Derailments: 2".into()));
    assert_eq!(next().await, "Derailments: 2");
    assert_eq!(said(&["press", "derailments", "-1"]).await, (true, "Derailments: 1".into()));
    assert_eq!(next().await, "Derailments: 1");
    assert!(said(&["list"]).await.1.contains("Turntable motor: £212.50 of £350 (60%)"));
    assert!(said(&["air", "on"]).await.0);
    assert_eq!(api.get("/api/v1/channel").await.1["on_air"], true);
    assert_eq!(said(&["air", "on"]).await, (false, "tally: The channel is on air already.".into()));
    assert!(said(&["cues"]).await.1.contains("The kettle goes on: off"));
    assert!(said(&["fire", "the kettle goes on"]).await.0);
    program.shows(&program.widget("Cups of tea"), "1").await;
    assert!(said(&["press", "Coffee", "+1"]).await.1.contains("there is no widget called “Coffee”"));
    assert!(said(&["cover", "on", "--token", "wrong"]).await.1.contains("set TALLY_TOKEN"));
    watching.kill().unwrap();
    watching.wait().unwrap();
}

#[test]
fn the_description_names_what_is_served() {
    let described: Value = serde_json::from_str(include_str!("../../../web/schemas/openapi.json")).unwrap();
    let paths = described["paths"].as_object().unwrap();
    let served = include_str!("../../../../docs/permissions.md").lines().filter(|line| line.contains("`/api/v1/"));
    let mut many = 0;
    for line in served.filter(|line| !line.contains("openapi.json")) {
        let path = line.split('`').nth(1).unwrap().trim_start_matches("/api/v1");
        let method = if line.starts_with("| GET") { "get" } else { "post" };
        assert!(paths[path][method]["responses"]["200"].is_object(), "{method} {path}");
        many += 1;
    }
    assert_eq!(many, paths.values().map(|methods| methods.as_object().unwrap().len()).sum::<usize>());
}
