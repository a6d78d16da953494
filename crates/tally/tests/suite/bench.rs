//! The bench and the shelf from outside: what is tried goes on air, is discarded or taken back; widgets
//! are duplicated, archived and brought back; goals celebrate with clips of the streamer's own.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::until;
use serde_json::{Value, json};

/// What programs read of a widget that is on air.
async fn read(program: &Program, widget: &Value) -> Value {
    let url = widget["read_url"].as_str().unwrap();
    assert!(url.starts_with(&program.base));
    reqwest::get(url).await.unwrap().error_for_status().unwrap().json().await.unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_tried_goes_on_air_by_a_press_or_not_at_all() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let goal = program.widget("Turntable motor");
    let bench = format!("/widgets/{}", goal["id"]);
    let editing = format!("{bench}/edit");
    let edit = async |target: &str| owner.post(&editing, &[("key", "target"), ("text", target)]).await;
    let press = |operation: &str| format!("{bench}/{operation}");
    let target = || async { read(&program, &goal).await["target"].clone() };

    assert!(owner.refused(&press("put-on-air"), &[]).await.contains("on air already"));
    assert!(owner.refused(&press("discard"), &[]).await.contains("Nothing else is tried"));
    assert!(owner.refused(&press("take-back"), &[]).await.contains("nothing to take back"));

    assert!(edit("400").await.text().await.unwrap().contains("not on air yet"));
    assert_eq!(target().await, "£350", "what is tried is on the stage only");
    owner.done(&press("discard"), &[]).await;
    assert!(!owner.page(&bench).await.contains("not on air yet"));
    owner.done(&press("take-back"), &[]).await;
    assert!(owner.page(&bench).await.contains("not on air yet"), "discarding can be taken back");
    owner.done(&press("put-on-air"), &[]).await;
    assert_eq!(target().await, "£400");
    let refused = edit("0").await;
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("target must"), "it says what to change");

    // Each change by itself, back to the beginning.
    let mut seen = Vec::new();
    for _ in 0..4 {
        owner.done(&press("take-back"), &[]).await;
        seen.push(target().await);
        if owner.page(&bench).await.contains("Undo") {
            continue;
        }
        break;
    }
    assert_eq!(seen.last(), Some(&json!("£350")), "{seen:?}");
    assert!(owner.refused(&press("take-back"), &[]).await.contains("nothing to take back"));
}

#[tokio::test(flavor = "multi_thread")]
async fn by_setting_changes_are_on_air_at_once() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let goal = program.widget("Turntable motor");
    let channel = [
        ("channel", "Saltmarsh Halt"),
        ("zone", "Europe/London"),
        ("currency", "GBP"),
        ("day_start", "06:00"),
        ("week_start", "Mon"),
        ("weight_1", "1"),
        ("weight_2", "2"),
        ("weight_3", "6"),
        ("weights_from", "now"),
        ("on_air", ""),
        ("off_air", ""),
        ("edits", "at_once"),
        ("level_gap_s", "60"),
    ];
    owner.done("/channel", &channel).await;
    let bench = format!("/widgets/{}", goal["id"]);
    let answer = owner.done(&format!("{bench}/edit"), &[("key", "target"), ("text", "425")]).await;
    assert!(!answer.contains("not on air yet"));
    assert_eq!(read(&program, &goal).await["target"], "£425");
    owner.done(&format!("{bench}/take-back"), &[]).await;
    assert_eq!(read(&program, &goal).await["target"], "£350");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_widget_is_duplicated_archived_and_brought_back_with_its_count() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let counter = program.widget("Cups of tea");
    let bench = format!("/widgets/{}", counter["id"]);
    let added = json!({"action": "add", "id": "one"}).to_string();
    assert!(owner.send(&format!("{bench}/press"), "application/json", added).await.status().is_success());
    assert_eq!(read(&program, &counter).await["text"], "1");

    let copy = owner.post(&format!("{bench}/duplicate"), &[]).await;
    let copy = copy.headers()["hx-redirect"].to_str().unwrap().to_owned();
    let page = owner.page(&copy).await;
    assert!(page.contains("Cups of tea") && copy != bench, "{copy}");
    let url = page.split("id=\"page-url\" readonly value=\"").nth(1).unwrap().split('"').next().unwrap();
    assert_ne!(url, counter["page_url"].as_str().unwrap(), "it has an address of its own");

    owner.done(&format!("{bench}/archive"), &[]).await;
    let gone = reqwest::get(counter["page_url"].as_str().unwrap()).await.unwrap();
    assert_eq!(gone.status(), 404);
    assert_eq!(owner.get(&bench).await.status(), 404);
    assert!(owner.page("/widgets").await.contains("Archive"));
    owner.done(&format!("{bench}/restore"), &[]).await;
    assert_eq!(read(&program, &counter).await["text"], "1", "at its old address, with its count");
}

/// Half a second of silence, as a file of plain samples.
fn silence() -> Vec<u8> {
    let (rate, length) = (8_000_u32, 8_000_u32);
    let mut file = b"RIFF".to_vec();
    file.extend((36 + length).to_le_bytes());
    file.extend(b"WAVEfmt ");
    file.extend(16_u32.to_le_bytes());
    file.extend([1, 0, 1, 0]);
    file.extend(rate.to_le_bytes());
    file.extend((rate * 2).to_le_bytes());
    file.extend([2, 0, 16, 0]);
    file.extend(b"data");
    file.extend(length.to_le_bytes());
    file.resize(44 + length as usize, 0);
    file
}

#[tokio::test(flavor = "multi_thread")]
async fn a_goal_celebrates_with_a_clip_of_ones_own() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let goal = program.widget("Turntable motor");
    let bench = format!("/widgets/{}", goal["id"]);
    let film = include_bytes!("files/pennant.webm");
    let take = |name: &str, bytes: Vec<u8>| {
        let path = format!("{bench}/clips?name={name}");
        let owner = &owner;
        async move { owner.send(&path, "application/octet-stream", bytes).await }
    };

    for (name, bytes, why) in [
        ("holiday.mp4", b"\0\0\0\x20ftypisom\0\0\0\0".to_vec(), "no sound that can be read"),
        ("pennant.webm", b"<svg/onload=alert(1)>".to_vec(), "no WebM video"),
        ("pennant.webm", film[..film.len() / 2].to_vec(), "broken off"),
        ("huge.wav", vec![0; 9 << 20], "larger than 8 MB"),
    ] {
        let refused = take(name, bytes).await;
        assert_eq!(refused.status(), 422, "{name}");
        assert!(refused.text().await.unwrap().contains(why), "{name}: {why}");
    }
    let taken = take("pennant.webm", film.to_vec()).await;
    assert_eq!(taken.headers()["hx-redirect"], format!("{bench}?drawer=motion"));
    assert!(take("quiet%20bell.wav", silence()).await.status().is_success());
    let page = owner.page(&bench).await;
    assert!(page.contains("pennant.webm</option>") && page.contains("quiet bell.wav</option>"));
    owner.done(&format!("{bench}/put-on-air"), &[]).await;
    let mut tokens: Vec<String> = owner
        .page("/files")
        .await
        .split("href=\"/clips/")
        .skip(1)
        .map(|rest| rest.split('"').next().unwrap().to_owned())
        .collect();
    // The newest stands first.
    tokens.reverse();
    let served = reqwest::get(format!("{}/clips/{}", program.base, tokens[0])).await.unwrap();
    assert_eq!(served.headers()["content-type"], "video/webm");
    assert!(!served.bytes().await.unwrap().windows(6).any(|window| window == b"Camera"), "what made it stays behind");

    // Reached, it runs over the widget on the open page, and leaves nothing behind.
    let browser = Browser::open().await;
    browser.tab(goal["page_url"].as_str().unwrap()).await;
    browser.shows(".goal-value", "£212.50").await;
    let watch =
        "window.films = []; new MutationObserver((all) => all.forEach((one) => one.addedNodes.forEach((node) => {
        if (node.className === 'celebration') node.addEventListener('ended', () => films.push(node.videoWidth));
    }))).observe(document.body, {childList: true});";
    browser.run(watch).await;
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("200")).await;
    until("the clip has run", || async { (browser.run("return films").await == json!([96])).then_some(()) }).await;
    assert_eq!(browser.run("return document.querySelectorAll('.celebration').length").await, json!(0));
    browser.close().await;

    // It cannot be thrown away while it is used.
    let remove = format!("/clips/{}/remove", tokens[0]);
    assert!(owner.refused(&remove, &[]).await.contains("“Turntable motor” shows it"));
    owner.done(&format!("{bench}/edit"), &[("key", "celebration"), ("text", "steam")]).await;
    owner.done(&format!("{bench}/put-on-air"), &[]).await;
    owner.done(&remove, &[]).await;
    let gone = reqwest::get(format!("{}/clips/{}", program.base, tokens[0])).await.unwrap();
    assert_eq!(gone.status(), 404);
}
