//! Rehearsing a whole channel: a scripted show runs on an overlay of its own while a real tip moves the real one, and when
//! it is stopped nothing of it remains.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::inside;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip_by};
use crate::kit::until;
use serde_json::Value;
use std::collections::BTreeSet;
use std::sync::Arc;
use tally_core::record::ids::ChannelId;
use tally_engine::SystemClock;
use tally_feeds::rehearsal;
use tally_feeds::script::Script;

/// Twenty minutes of an evening, a third of a minute at 60×.
const EVENING: &str = "title = 'Dress rehearsal'\nseed = 5\nminutes = 20\n[[stretch]]\nfrom = 0\nmood = 'raid'\n";

/// The addresses of the demo's two overlays.
async fn pages(owner: &Owner) -> Vec<String> {
    let room = owner.page("/overlays").await;
    let pages = room.split("value=\"http").skip(1).map(|rest| format!("http{}", rest.split('"').next().unwrap()));
    pages.filter(|url| url.contains("/o/")).collect()
}

/// How many lines the real ledger holds.
async fn lines(program: &Program) -> u64 {
    program.read(&program.widget("Derailments")).await["seq"].as_u64().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scripted_show_runs_beside_the_real_one_and_nothing_of_it_remains() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][0]));
    let counter = program.widget("Derailments");
    // A cue and a notice that only the rehearsal has reason for.
    owner.done("/cues", &[]).await;
    let cue = async |key: &str, text: &str| drop(owner.done("/cues/4/edit", &[("key", key), ("text", text)]).await);
    cue("when", "follow").await;
    cue("do:add", &format!("press {} add 1 ", counter["id"])).await;
    cue("on_air", "on").await;
    cue("on", "on").await;
    owner.done("/chat/notices", &[("text", "Mind the gap, {{ \"Derailments\"|widget }} so far")]).await;
    for (key, text) in [("every", "1:00"), ("lines", "0"), ("notices", "on")] {
        owner.done("/chat/notices/edit", &[("key", key), ("text", text)]).await;
    }
    let overlays = pages(&owner).await;
    let (rehearsed, real) = (Browser::open().await, Browser::open().await);
    rehearsed.go(&overlays[0]).await;
    real.go(&overlays[1]).await;
    real.shows(".air", "").await;

    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/rehearsals", program.base)).await;
    browser.click(".rehearsal [name=overlay]").await;
    browser.click(".rehearsal [name=speed][value=\"60\"]").await;
    browser.click(".rehearsal-own summary").await;
    browser.fill("#own-script", "minutes = 20").await;
    browser.click(".rehearsal > .press-main").await;
    browser.shows(".rehearsal .refusal", "The script cannot be read").await;
    browser.fill("#own-script", EVENING).await;
    browser.click(".rehearsal > .press-main").await;
    browser.shows(".air-rehearsal", "Rehearsal").await;
    let before = lines(&program).await;

    // Everything runs on it: cues, the picture, and notices, which are heard on its desk alone.
    let counted = async || {
        let text = browser.run("return document.querySelector('.plate .plate-value').textContent").await;
        text.as_str().unwrap().trim().parse::<u64>().unwrap()
    };
    until("cues count follows", || async { (counted().await > 5).then_some(()) }).await;
    browser.shows(".chat-roll", "Mind the gap").await;
    let value = format!("[data-live=\"w{}\"] .counter-value", counter["id"]);
    until("the overlay of the rehearsal follows", || async {
        let shown: Value =
            rehearsed.run(&format!("return Number(document.querySelector('{value}').textContent)")).await;
        (shown.as_u64().unwrap() > 5).then_some(())
    })
    .await;
    // The desk of the rehearsal moves the rehearsal.
    let before_press = counted().await;
    browser.click(".plate .lever[data-press=add]").await;
    until("it was pressed", || async { (counted().await > before_press).then_some(()) }).await;

    // The real show goes on beside it.
    sender.deliver(&tip_by("real_rosa", "7")).await;
    until("a real tip moves the real overlay", || async {
        let text = real.run("return document.body.textContent").await;
        text.as_str().unwrap().contains("real_rosa").then_some(())
    })
    .await;
    let rehearsing = rehearsed.run("return document.body.textContent").await;
    assert!(!rehearsing.as_str().unwrap().contains("real_rosa"), "what is real is not rehearsed");
    let room = owner.page("/rehearsals").await;
    assert!(room.contains("“Dress rehearsal” at 60×"), "{room}");
    assert!(owner.page("/desk/ready").await.contains("shows the rehearsal and not the show"));
    let again = owner.refused("/rehearsals", &[("script", "quiet"), ("speed", "1")]).await;
    assert!(again.contains("A rehearsal runs already; stop it first."), "{again}");

    // It is stopped from the preflight list: its overlay shows the show, its desk leads back, and its record is nowhere.
    owner.post("/rehearsals/stop", &[]).await;
    rehearsed.shows(&value, "0").await;
    browser.shows(".rehearsal", "What happens").await;
    assert_eq!(lines(&program).await, before + 1, "the real tip is the one line more");
    assert_eq!(program.read(&counter).await["value"], 0);
    let ledger = owner.page("/ledger").await;
    assert!(ledger.contains("real_rosa") && !ledger.contains("the script"), "{ledger}");
    for browser in [browser, rehearsed, real] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rehearsal_ends_with_the_server_and_its_desk_is_shut_while_none_runs() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let shut = async |owner: &Owner| owner.get("/rehearsal/desk").await.headers()["location"] == "/rehearsals";
    assert!(shut(&owner).await);
    let press = r#"{"action": "add", "value": 1, "id": "one"}"#;
    let at = format!("/rehearsal/widgets/{}/press", program.widget("Derailments")["id"]);
    owner.post("/rehearsals", &[("script", "steady"), ("speed", "20")]).await;
    assert_eq!(owner.send(&at, "application/json", press).await.status(), 200);
    assert_eq!(program.read(&program.widget("Derailments")).await["value"], 0);
    program.stop();
    program.again();
    let owner = Owner::of(&program).await;
    assert!(shut(&owner).await);
    assert!(owner.page("/rehearsals").await.contains("Begin the rehearsal"));
    assert_eq!(owner.send(&at, "application/json", press).await.status(), 409);
    assert_eq!(program.read(&program.widget("Derailments")).await["value"], 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rehearsal_that_ends_when_it_should_not_is_over() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    program.stop();
    let engine = inside::engine(&database.url, Arc::new(SystemClock));
    let channel = engine.channel(ChannelId(1)).await.unwrap();
    let script = Script::read(EVENING).unwrap();
    rehearsal::begin(&engine, &channel, script.clone(), 1, BTreeSet::new()).await.unwrap();
    let rehearsing = channel.hub.rehearsal().unwrap();
    let died = rehearsing.channel.ask(|_, _| panic!("a fault that nobody has found yet")).await;
    assert!(died.map(|(): ()| ()).is_err());
    until("the rehearsal is over", || async { channel.hub.rehearsal().is_none().then_some(()) }).await;
    assert!(channel.calendar().await.is_ok(), "the show goes on");
    rehearsal::begin(&engine, &channel, script, 1, BTreeSet::new()).await.unwrap();
    engine.stop().await;
}
