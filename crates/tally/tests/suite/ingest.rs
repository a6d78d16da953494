//! The webhook's contract, from outside.

use crate::kit::db::Database;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip, tip_as};
use reqwest::{Response, StatusCode};
use serde_json::{Value, json};

const STRUCTURED: &str = "application/cloudevents+json";

fn start() -> (Database, Program, Sender) {
    let database = Database::new();
    let program = Program::start(&database.url);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    (database, program, sender)
}

/// A refusal is problem+json with a sentence, and gives nothing away.
async fn refusal(answer: Response, status: u16) -> Value {
    assert_eq!(answer.headers()["content-type"], "application/problem+json");
    assert_eq!(answer.status().as_u16(), status);
    let problem: Value = answer.json().await.unwrap();
    assert_eq!(problem["status"], status);
    assert!(problem["detail"].as_str().unwrap().ends_with('.'), "{problem}");
    assert!(!problem.to_string().contains("whsec_"), "{problem}");
    problem
}

#[tokio::test(flavor = "multi_thread")]
async fn events_are_recorded_once_in_every_mode() {
    let (_database, program, sender) = start();
    let goal = program.widget("Turntable motor");
    assert_eq!(program.text(&goal).await, "£212.50 of £350 (60%)");
    let first = sender.deliver(&tip_as("t-1", "10.00")).await;
    assert_eq!((&first["accepted"], &first["duplicates"]), (&json!(1), &json!(0)));
    let again = sender.deliver(&tip_as("t-1", "10.00")).await;
    assert_eq!(again, json!({"accepted": 0, "duplicates": 1, "last_seq": first["last_seq"]}));

    let batch = sender.batch(&[tip_as("t-1", "10"), tip_as("t-2", "1.50"), tip_as("t-2", "1.50")]).await;
    let batch: Value = batch.json().await.unwrap();
    assert_eq!((&batch["accepted"], &batch["duplicates"]), (&json!(1), &json!(2)));

    let data = json!({"actor": {"name": "駅長ミケ"}, "amount": "5", "currency": "GBP"}).to_string();
    let binary = sender
        .signed("application/json", data, 0)
        .header("ce-specversion", "1.0")
        .header("ce-id", "t-3")
        .header("ce-source", "/test")
        .header("ce-type", "tally.tip");
    assert_eq!(binary.send().await.unwrap().status(), 200);
    assert_eq!(program.text(&goal).await, "£229 of £350 (65%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_breaks_a_rule_is_refused_whole_and_says_where() {
    let (_database, program, sender) = start();
    let before = sender.deliver(&tip("1")).await["last_seq"].clone();
    let mut cases = vec![
        (json!("-5"), "GBP", "/data/amount"),
        (json!("1000000000000000000000000000000"), "GBP", "/data/amount"),
        (json!("3.141"), "GBP", "/data/amount"),
        (json!("5"), "QQQ", "/data/currency"),
    ];
    for (amount, currency, pointer) in cases.drain(..) {
        let mut event = tip("1");
        event["data"]["amount"] = amount;
        event["data"]["currency"] = json!(currency);
        let problem = refusal(sender.send(&event).await.unwrap(), 400).await;
        assert_eq!(problem["pointer"], pointer);
    }
    for name in ["a\u{0}b", "a\u{202e}b", "", &"x".repeat(501)] {
        let mut event = tip("1");
        event["data"]["actor"]["name"] = json!(name);
        let problem = refusal(sender.send(&event).await.unwrap(), 400).await;
        assert_eq!(problem["pointer"], "/data/actor/name");
    }
    let mut raid = tip("1");
    raid["type"] = json!("tally.raids");
    assert_eq!(refusal(sender.send(&raid).await.unwrap(), 400).await["pointer"], "/type");

    let problem = refusal(sender.batch(&[tip("1"), tip("1"), raid]).await, 400).await;
    assert_eq!((&problem["index"], &problem["pointer"]), (&json!(2), &json!("/type")));
    for body in ["", "{", "[]", "\"text\""] {
        refusal(sender.signed(STRUCTURED, body, 0).send().await.unwrap(), 400).await;
    }

    let mut long = tip("1");
    long["data"]["actor"]["name"] = json!("x".repeat(2 * 1024 * 1024));
    refusal(sender.send(&long).await.unwrap(), 413).await;
    refusal(sender.signed("text/xml", "<tip/>", 0).send().await.unwrap(), 415).await;

    let after = sender.deliver(&tip("1")).await["last_seq"].clone();
    assert_eq!(after.as_u64(), before.as_u64().map(|seq| seq + 1), "nothing was kept of what was refused");
    assert_eq!(program.text(&program.widget("Turntable motor")).await, "£214.50 of £350 (61%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_chunked_body_over_the_limit_is_cut_off() {
    let (_database, _program, sender) = start();
    // No Content-Length to go by: the body itself must be counted.
    let chunks = (0..40).map(|_| Ok::<_, std::io::Error>(vec![b' '; 64 * 1024]));
    let body = reqwest::Body::wrap_stream(futures_util::stream::iter(chunks));
    let answer = sender.signed(STRUCTURED, "", 0).body(body).send().await;
    // The answer may come before the body has been sent, which some clients take for a broken line.
    if let Ok(answer) = answer {
        refusal(answer, 413).await;
    }
    assert_eq!(sender.send(&tip("1")).await.unwrap().status(), 200);
}

#[tokio::test(flavor = "multi_thread")]
async fn only_the_right_signature_at_the_right_address_is_taken() {
    let (_database, program, sender) = start();
    let body = tip("1").to_string();
    for offset in [-301, 301] {
        refusal(sender.signed(STRUCTURED, body.clone(), offset).send().await.unwrap(), 401).await;
    }
    let other = Sender::of(&program.demo()["feeds"][1]);
    let crossed = Sender { secret: other.secret.clone(), ..sender.clone() };
    refusal(crossed.send(&tip("1")).await.unwrap(), 401).await;
    let unsigned = sender.client.post(&sender.url).header("content-type", STRUCTURED).body(body);
    refusal(unsigned.send().await.unwrap(), 401).await;
    let lost = Sender { url: format!("{}/in/AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA", program.base), ..sender.clone() };
    refusal(lost.send(&tip("1")).await.unwrap(), 403).await;
    let read = sender.client.get(&sender.url).send().await.unwrap();
    assert_eq!((read.status(), read.headers()["allow"].as_bytes()), (StatusCode::METHOD_NOT_ALLOWED, &b"POST"[..]));
}

#[tokio::test(flavor = "multi_thread")]
async fn too_many_are_told_to_wait() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--feed-rate", "3"]);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let mut told = None;
    for _ in 0..200 {
        let answer = sender.send(&tip("1")).await.unwrap();
        if answer.status() == StatusCode::TOO_MANY_REQUESTS {
            told = Some(answer);
            break;
        }
    }
    let told = told.expect("three a second are soon too many");
    assert!(told.headers()["retry-after"].to_str().unwrap().parse::<u64>().unwrap() >= 1);
    refusal(told, 429).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_stand_in_delivers_twice_and_it_counts_once() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let jar = program.tip_jar.clone().unwrap();
    let tip = [
        ("name", "oatcake_jo"),
        ("amount", "7.50"),
        ("currency", "GBP"),
        ("message", "choo"),
        ("late", "0"),
        ("twice", "yes"),
    ];
    let form = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(tip).finish();
    let client = reqwest::Client::new();
    let sent = client.post(&jar).header("content-type", "application/x-www-form-urlencoded").body(form).send().await;
    assert_eq!(sent.unwrap().status(), 200);
    program.shows(&program.widget("Turntable motor"), "£220 of £350 (62%)").await;
    crate::kit::until("the second delivery is known", || async {
        let page = reqwest::get(format!("{jar}/deliveries")).await.ok()?.text().await.ok()?;
        page.contains("known already (2 of 2)").then_some(())
    })
    .await;
    assert_eq!(program.text(&program.widget("Turntable motor")).await, "£220 of £350 (62%)");
}

#[tokio::test(flavor = "multi_thread")]
async fn every_type_is_recorded_as_its_published_schema_tells() {
    let (_database, program, sender) = start();
    let mut batch = Vec::new();
    for kind in tally_core::record::happening::Kind::SENT {
        let event = format!("tally.{}", kind.key());
        let answer = reqwest::get(format!("{}/schemas/{event}.json", program.base)).await.unwrap();
        assert_eq!(answer.headers()["content-type"], "application/schema+json");
        let schema: Value = answer.json().await.unwrap();
        let data = schema["examples"][0].clone();
        batch.push(json!({"specversion": "1.0", "id": event, "source": "/all", "type": event, "data": data}));
    }
    let recorded: Value = sender.batch(&batch).await.json().await.unwrap();
    assert_eq!(recorded["accepted"], batch.len());
    let unknown = reqwest::get(format!("{}/schemas/tally.tips.json", program.base)).await.unwrap();
    assert_eq!(unknown.status(), 404);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_example_in_shell_works_as_its_readme_says() {
    let (_database, program, _) = start();
    // The README's own lines, run beside the demo's note as they would be beside var/.
    let readme = include_str!("../../../../examples/README.md");
    let (_, rest) = readme.split_once("```sh\n").unwrap();
    let (lines, _) = rest.split_once("```").unwrap();
    let examples = concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples");
    let note = program.folder.path().join("demo.json").display().to_string();
    let script = lines.replace("var/demo.json", &note).replace("examples/send-tip", &format!("{examples}/send-tip"));
    let sent = std::process::Command::new("bash").args(["-euc", &script]).output().unwrap();
    let said = String::from_utf8_lossy(&sent.stdout).into_owned() + &String::from_utf8_lossy(&sent.stderr);
    assert!(sent.status.success() && said.contains("\"accepted\":1"), "{said}");
    assert_eq!(program.text(&program.widget("Turntable motor")).await, "£225 of £350 (64%)");

    let refused = script.replace("12.50", "12.505");
    let sent = std::process::Command::new("bash").args(["-euc", &refused]).output().unwrap();
    let said = String::from_utf8_lossy(&sent.stdout);
    assert!(!sent.status.success() && said.contains("more decimals than GBP has"), "{said}");
}
