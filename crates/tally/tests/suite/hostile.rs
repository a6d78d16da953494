//! The hostile corner: what people do who mean no good, and what machines do when they fail. The program
//! keeps within its memory, pages on air keep their picture, and everybody is answered.

mod bounds;
mod held;
mod locks;

use crate::kit::db::{Database, Server};
use crate::kit::hostile::{Line, Mortal, Raw, hold_many, post};
use crate::kit::inside::{self, Stepping};
use crate::kit::owner::Owner;
use crate::kit::page::Page;
use crate::kit::program::{Program, ready};
use crate::kit::sender::{Sender, tip, tip_as};
use crate::kit::{PATIENCE, until};
use std::sync::Arc;
use std::time::Duration;
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_engine::{Clock, Pressed, SystemClock};

/// No attack here may take the program beyond this, in MiB.
const MOST_MEMORY: u64 = 400;

fn behind_a_proxy(database: &Database) -> Program {
    Program::with(&database.url, &["--demo", "--demo-days", "0", "--trust-proxy", "127.0.0.1"])
}

#[tokio::test(flavor = "multi_thread")]
async fn leaving_in_the_middle_of_a_sign_in_frees_no_permit() {
    let database = Database::new();
    let program = behind_a_proxy(&database);
    let mut page = Page::open(program.widget("Turntable motor")["page_url"].as_str().unwrap()).await;
    page.drawn("£212.50").await;
    let door = Owner::at_the_door(&program.base).await;
    for number in 0..60 {
        let body = format!("name=somebody_{number}&password=guessed-{number}");
        let mut raw = Raw::to(&program.base).unwrap();
        let head = post("/sign-in", &program.base, door.session(), body.len(), &format!("203.0.113.{number}"));
        raw.write(&(head + &body));
    }
    // A page on air goes on.
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("12.50")).await;
    page.drawn("£225").await;
    // Whoever stays is answered all the same: that there is a queue, or that they are in.
    let demo = program.demo();
    let own = ["name", "password"].map(|field| (field, demo["owner"][field].as_str().unwrap()));
    until("the owner gets in", || async {
        let answer = door.post("/sign-in", &own).await;
        answer.headers().contains_key("hx-redirect").then_some(())
    })
    .await;
    assert!(program.most_memory() < MOST_MEMORY, "{} MiB", program.most_memory());
    // Names and passwords that nobody has cost nothing.
    let long = "x".repeat(60_000);
    assert!(door.refused("/sign-in", &[("name", &long), ("password", "y")]).await.contains("do not fit"));
}

#[tokio::test(flavor = "multi_thread")]
async fn half_sent_forms_hold_neither_files_nor_memory() {
    hold_many();
    let database = Database::new();
    let program = behind_a_proxy(&database);
    let goal = program.widget("Turntable motor");
    let mut page = Page::open(goal["page_url"].as_str().unwrap()).await;
    page.drawn("£212.50").await;
    let door = Owner::at_the_door(&program.base).await;
    // From one address: a feed at another one keeps its places, even where its body comes after its head.
    let head = post("/sign-in", &program.base, door.session(), 1_000, "203.0.113.9");
    let mut held = Vec::new();
    for _ in 0..1_100 {
        let mut raw = Raw::to(&program.base).unwrap();
        raw.write(&(head.clone() + "name=ha"));
        held.push(raw);
    }
    // A page on air goes on, a new one opens, and what comes is counted.
    assert_eq!(reqwest::get(goal["page_url"].as_str().unwrap()).await.unwrap().status(), 200);
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("12.50")).await;
    page.drawn("£225").await;
    // Each is told, and its connection ends: those that have a place after their time, the many others at once.
    let mut slow = 0;
    for raw in &mut held {
        let told = raw.read();
        let is_slow = told.starts_with("HTTP/1.1 408") && told.contains("too slowly");
        assert!(is_slow || (told.starts_with("HTTP/1.1 503") && told.contains("under way")), "{told}");
        slow += usize::from(is_slow);
    }
    assert!(slow > 0 && slow < held.len() / 2, "{slow} had a place");
    assert!(program.most_memory() < MOST_MEMORY, "{} MiB", program.most_memory());
    // A body that lies about its length is none.
    let mut liar = Raw::to(&program.base).unwrap();
    liar.write(&post("/in/guessed", &program.base, ("", ""), 1 << 40, ""));
    assert!(liar.read().starts_with("HTTP/1.1 4"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_that_hangs_hangs_nothing_that_needs_none() {
    let server = Server::start();
    let database = Database::on(&server.url());
    let mut program = Program::start(&database.url);
    let goal = program.widget("Turntable motor");
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let mut page = Page::open(goal["page_url"].as_str().unwrap()).await;
    page.drawn("£212.50").await;
    sender.deliver(&tip("12.50")).await;
    page.drawn("£225").await;

    server.halt();
    let waiting = tokio::spawn({
        let sender = sender.clone();
        async move { sender.send(&tip_as("held", "1")).await.unwrap().status() }
    });
    let patient = Duration::from_secs(20);
    let quick = reqwest::Client::builder().timeout(Duration::from_secs(3)).build().unwrap();
    // As pages do, it goes on asking: a connection that says nothing for a minute is closed, and on a busy machine
    // each of these steps may take a good part of that.
    let ask = r#"{"ask": 1.5}"#;
    for _ in 0..5 {
        page.say(ask).await;
        assert_eq!(quick.get(goal["page_url"].as_str().unwrap()).send().await.unwrap().status(), 200);
        let text = quick.get(goal["read_url"].as_str().unwrap().replace(".json", ".txt")).send().await.unwrap();
        assert_eq!(text.text().await.unwrap(), "£225 of £350 (64%)");
    }
    assert_eq!(tokio::time::timeout(patient, waiting).await.unwrap().unwrap(), 503, "nothing is kept, or found again");
    let ready_now = reqwest::get(format!("{}/readyz", program.base)).await.unwrap();
    assert_eq!(ready_now.status(), 503);
    page.say(ask).await;

    server.go_on();
    let began = std::time::Instant::now();
    while sender.send(&tip_as("held", "1")).await.map_or(0, |answer| answer.status().as_u16()) != 200 {
        assert!(began.elapsed() < 2 * PATIENCE, "it counts again");
        page.say(ask).await;
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    page.drawn("£226").await;
    assert!(program.most_memory() < MOST_MEMORY, "{} MiB", program.most_memory());

    server.halt();
    assert!(program.stopped_within() < Duration::from_secs(30), "a stop is obeyed all the same");
    server.go_on();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_to_the_database_that_is_slow_or_cut_loses_and_doubles_nothing() {
    let database = Database::new();
    let (before, rest) = database.url.split_once('@').unwrap();
    let (address, name) = rest.split_once('/').unwrap();
    let line = Line::to(address);
    let program = Program::start(&format!("{before}@{}/{name}", line.at));
    let goal = program.widget("Turntable motor");
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let mut page = Page::open(goal["page_url"].as_str().unwrap()).await;
    page.drawn("£212.50").await;

    line.slow(60);
    sender.deliver(&tip_as("slow", "12.50")).await;
    page.drawn("£225").await;
    // Cut while a line is under way: whoever sends it again has it counted once.
    for round in 0..4_u64 {
        let event = tip_as(&format!("cut {round}"), "1");
        let sent = tokio::spawn({
            let (sender, event) = (sender.clone(), event.clone());
            async move { sender.send(&event).await.unwrap().status() }
        });
        // From before the first word of it to after its last.
        tokio::time::sleep(Duration::from_millis(round * 110)).await;
        line.cut();
        let status = sent.await.unwrap();
        assert!(status == 200 || status == 503, "{status}");
        until("it is taken", || async { (sender.send(&event).await.ok()?.status() == 200).then_some(()) }).await;
        page.drawn(&format!("£{}", 226 + round)).await;
    }
    line.slow(0);
    program.shows(&goal, "£229 of £350 (65%)").await;
    assert!(program.most_memory() < MOST_MEMORY, "{} MiB", program.most_memory());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_channel_whose_task_dies_is_loaded_anew_and_readiness_tells() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    program.stop();
    let mortal = Mortal::start(&database.url, &program.base);
    ready(&program.base).await;
    let goal = program.widget("Turntable motor");
    let page_url = goal["page_url"].as_str().unwrap();
    let mut page = Page::open(page_url).await;
    page.drawn("£212.50").await;
    let sender = Sender::of(&program.demo()["feeds"][0]);
    for round in 0..3 {
        mortal.strike();
        let event = tip_as(&format!("round {round}"), "1");
        let status = sender.send(&event).await.unwrap().status();
        assert!(mortal.is_struck(), "the task has ended");
        assert!(status == 200 || status == 503, "whoever asked is told: {status}");
        // Nothing durable is gone, a second try counts once, and the same connection goes on.
        until("it is taken", || async { (sender.send(&event).await.ok()?.status() == 200).then_some(()) }).await;
        page.drawn(&format!("£{}.50", 213 + round)).await;
        assert_eq!(reqwest::get(page_url).await.unwrap().status(), 200);
        let told = reqwest::get(format!("{}/readyz", program.base)).await.unwrap();
        assert_eq!(told.status(), 503, "readiness tells for a while");
        assert_eq!(reqwest::get(format!("{}/healthz", program.base)).await.unwrap().status(), 200);
    }
    // Whoever reads the log can tell what it died of.
    let log = mortal.log();
    assert_eq!(log.matches("a channel's task has ended").count(), 3, "{log}");
    assert!(log.contains("doing=\"recording 1 lines of a feed\" why=\"a fault that nobody has found yet\""), "{log}");
    assert!(mortal.most_memory() < MOST_MEMORY, "{} MiB", mortal.most_memory());
}

fn press(widget: u32, action: &str, id: &str) -> Pressed {
    let (action, id) = (action.to_owned(), id.to_owned());
    Pressed {
        widget: WidgetId(widget),
        action,
        value: None,
        text: None,
        side: None,
        pressed_at: None,
        by: "odile".into(),
        source: "desk".into(),
        id,
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_machine_whose_clock_steps_an_hour_back_and_forth_loses_nothing() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    program.stop();
    let clock = Arc::new(Stepping::default());
    let engine = inside::engine(&database.url, Arc::clone(&clock) as Arc<dyn Clock>);
    let id = |name: &str| u32::try_from(program.widget(name)["id"].as_u64().unwrap()).unwrap();
    let (counter, train) = (id("Derailments"), id("First train leaves in"));
    let channel = engine.channel(ChannelId(1)).await.unwrap();
    channel.press(press(train, "start", "start")).await.unwrap();
    for (number, hours) in [0, -1, 1, -1, 0].into_iter().enumerate() {
        clock.set(hours * 3_600);
        channel.press(press(counter, "add", &format!("press {number}"))).await.unwrap();
    }
    let texts = move |channel: &tally_core::channel::Channel, now| {
        [counter, train].map(|widget| channel.view(WidgetId(widget), now).unwrap().text())
    };
    let lived = channel.ask(texts).await.unwrap();
    assert_eq!(lived[0], "5", "each press counts once, whenever the clock says it was");
    let seq = channel.ask(|channel, _| channel.last_seq()).await.unwrap();
    engine.stop().await;
    // Folded anew it is the same: places, not clocks, tell the order.
    let again = inside::engine(&database.url, Arc::new(SystemClock));
    let channel = again.channel(ChannelId(1)).await.unwrap();
    assert_eq!(channel.ask(|channel, _| channel.last_seq()).await.unwrap(), seq);
    assert_eq!(channel.ask(texts).await.unwrap()[0], "5");
    again.stop().await;
}
