//! Pages on air and values for programs, as far as the wire is concerned.

use crate::kit::db::Database;
use crate::kit::page::Page;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use serde_json::{Value, json};
use std::collections::BTreeMap;

#[tokio::test(flavor = "multi_thread")]
async fn a_page_gets_the_present_state_first_and_then_what_changes() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let goal = program.widget("Turntable motor");
    let mut page = Page::open(goal["page_url"].as_str().unwrap()).await;
    assert!(page.next().await.unwrap()["hello"].is_string());
    page.drawn("£212.50").await;
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("7.50")).await;
    let message = page.drawn("£220").await;
    assert!(message["seq"].as_u64().unwrap() > 0);
    page.say(r#"{"ask": 12.5}"#).await;
    let answer = page.next().await.unwrap();
    assert_eq!(answer["ask"], 12.5);
    let server = answer["now"].as_f64().unwrap() as i64;
    assert!((chrono::Utc::now().timestamp_millis() - server).abs() < 60_000);
}

#[tokio::test(flavor = "multi_thread")]
async fn values_can_be_read_as_text_and_as_json() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let goal = program.widget("Turntable motor");
    let answer = reqwest::get(goal["read_url"].as_str().unwrap()).await.unwrap();
    assert_eq!(answer.headers()["access-control-allow-origin"], "*");
    let value: Value = answer.json().await.unwrap();
    assert_eq!(value["text"], "£212.50 of £350 (60%)");
    assert_eq!(value["family"], "goal");
    assert_eq!(
        (&value["value_units"], &value["target_units"], &value["percent"]),
        (&json!(21_250), &json!(35_000), &json!(60))
    );
    let clock = program.widget("First train leaves in");
    assert_eq!(program.text(&clock).await, "10:00");
    let svg = goal["read_url"].as_str().unwrap().replace(".json", ".exe");
    assert_eq!(reqwest::get(svg).await.unwrap().status(), 404);
    let unknown = format!("{}/read/AAAAAAAAAAAAAAAA.json", program.base);
    let unknown = reqwest::get(unknown).await.unwrap();
    assert_eq!(
        (unknown.status().as_u16(), &unknown.headers()["content-type"]),
        (404, &"application/problem+json".parse().unwrap())
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_weighs_little_and_brings_all_it_needs() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let client = reqwest::Client::new();
    let mut bytes = BTreeMap::new();
    let mut queue = vec![program.widget("Turntable motor")["page_url"].as_str().unwrap().to_owned()];
    while let Some(url) = queue.pop() {
        let answer = client.get(&url).header("accept-encoding", "gzip").send().await.unwrap();
        assert_eq!(answer.status(), 200, "{url}");
        assert_eq!(answer.headers()["x-content-type-options"], "nosniff");
        let body = answer.bytes().await.unwrap();
        if url.contains("/w/") {
            let plain = client.get(&url).send().await.unwrap().text().await.unwrap();
            for part in plain.split('"').filter(|part| part.starts_with("/assets/")) {
                queue.push(format!("{}{part}", program.base));
            }
            assert!(!plain.contains("style="), "the page's policy allows no styles inside");
            assert!(!plain.contains("https://"), "nothing comes from elsewhere");
        }
        bytes.insert(url, body.len());
    }
    // The page, one sheet, one file of scripts, and the font that its look names.
    assert_eq!(bytes.len(), 4, "{bytes:#?}");
    let text = bytes.iter().filter(|(url, _)| !url.ends_with(".woff2")).map(|(_, size)| size);
    assert!(text.sum::<usize>() < 40 * 1024, "{bytes:#?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_void_address_says_so_and_ends() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let mut page = Page::open(&format!("{}/w/AAAAAAAAAAAAAAAAAAAAAAAA", program.base)).await;
    assert_eq!(page.next().await, Some(json!({"gone": true})));
    assert_eq!(page.next().await, None);
    let gone = reqwest::get(format!("{}/w/AAAAAAAAAAAAAAAAAAAAAAAA", program.base)).await.unwrap();
    assert_eq!(gone.status(), 404);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_note_about_the_demo_is_whole_and_private() {
    use std::os::unix::fs::PermissionsExt;
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let demo = program.demo();
    let mode = std::fs::metadata(program.folder.path().join("demo.json")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o600);
    assert_eq!(demo["base_url"], program.base);
    let families: Vec<_> =
        demo["widgets"].as_array().unwrap().iter().map(|one| one["family"].as_str().unwrap()).collect();
    assert_eq!(
        families,
        [
            "goal",
            "goal",
            "counter",
            "counter",
            "clock",
            "goal",
            "total",
            "label",
            "carousel",
            "event_list",
            "ticker",
            "leaderboard",
            "crowd_wall",
            "chat_lines",
            "subathon",
            "clock",
            "clock",
            "clock",
            "poll",
            "poll",
            "wheel",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "scoreboard",
            "tracker"
        ]
    );
    let overlay = &demo["overlays"][0];
    assert_eq!((&overlay["id"], &overlay["name"]), (&json!(1), &json!("Main picture")));
    assert!(overlay["page_url"].as_str().unwrap().starts_with(&format!("{}/o/", program.base)));
    assert!(
        demo["feeds"].as_array().unwrap().iter().all(|feed| feed["secret"].as_str().unwrap().starts_with("whsec_"))
    );
    program.stop();
    program.again();
    assert_eq!(program.demo(), demo, "a second start finds everything again");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_clock_that_runs_out_is_drawn_as_done_without_any_further_entry() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (demo, clock) = (program.demo(), program.widget("First train leaves in"));
    let mut page = Page::open(clock["page_url"].as_str().unwrap()).await;
    let act = async |action: &str, body: &str| {
        let url = format!("{}/api/v1/widgets/{}/actions/{action}", program.base, clock["id"]);
        let request = reqwest::Client::new().post(url).bearer_auth(demo["api_token"].as_str().unwrap());
        let answer = request.body(body.to_owned()).send().await.unwrap().error_for_status().unwrap();
        answer.json::<Value>().await.unwrap()
    };
    act("add", r#"{"value": -598}"#).await;
    let seq = act("start", "").await["entry"].clone();
    let done = page.drawn("is-done").await;
    assert!(done.to_string().contains("All aboard"), "{done}");
    assert_eq!(done["seq"], seq, "no entry has come since the start");
    assert_eq!(program.text(&clock).await, "All aboard");
}
