//! Cues: built from a start by keys, tried on the past, fired by real events and by hand, failing in words, and done once
//! whatever happens in between.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::until;
use diesel::connection::SimpleConnection;
use serde_json::json;
use std::collections::BTreeSet;
use tally_core::cues::{Cue, Cues, When};
use tally_core::record::cue::{Do, Step};
use tally_core::record::happening::Kind;
use tally_core::record::ids::WidgetId;

/// Says one part of a cue otherwise.
async fn say(owner: &Owner, cue: u32, key: &str, text: &str) -> String {
    owner.done(&format!("/cues/{cue}/edit"), &[("key", key), ("text", text)]).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cue_is_built_by_keys_tried_on_the_past_and_fired_by_a_tip() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let base = program.base.clone();
    let sender = Sender::of(&program.demo()["feeds"][0]);
    sender.deliver(&tip("25")).await;
    let browser = Browser::open().await;
    browser.sign_in(&base, &program.demo()).await;
    browser.go(&format!("{base}/cues")).await;
    browser.shows(".cue-starts", "Count every tip on a counter").await;
    let before = browser.run("return document.querySelectorAll('.cue').length").await;
    browser.click(".cue-starts summary").await;
    browser.click(".cue-starts button").await;
    until("the new cue is there", || async {
        (browser.run("return document.querySelectorAll('.cue').length").await != before).then_some(())
    })
    .await;
    let last = "document.querySelector('.cue:last-of-type')";
    let cue = browser.run(&format!("return {last}.id")).await.as_str().unwrap().to_owned();

    // Its parts are opened and said otherwise by keys alone.
    let open = async |part: &str| {
        browser.run(&format!("document.querySelector('#{cue} [data-part=\"{part}\"] .part-shown').focus()")).await;
        browser.keys("\u{e007}").await;
    };
    open("least").await;
    browser.keys("ten\u{e007}").await;
    browser.shows(&format!("#{cue} .refusal"), "The least size is not a plain").await;
    browser.fill(&format!("#{cue} [data-part=least] .field"), "10").await;
    browser.keys("\u{e007}").await;
    browser.shows(&format!("#{cue} [data-part=least]"), "at least £10").await;
    browser
        .run(&format!(
            "const air = document.querySelector('#{cue} [data-part=on_air] select'); air.value = 'any'; \
             air.dispatchEvent(new Event('change', {{bubbles: true}}))"
        ))
        .await;
    browser.shows(&format!("#{cue} [data-part=on_air] .part-shown"), "at any time").await;
    browser.shows(&format!("#{cue} .sentence"), "Derailments”: add").await;

    // Before it is switched on: what it would have done.
    browser.click(&format!("#{cue} [hx-get$=past]")).await;
    browser.shows(&format!("#{cue} .cue-past"), "it would have fired").await;
    browser.shows(&format!("#{cue} .cue-past"), "tipped £25").await;
    browser.click(&format!("#{cue} .kind-switch")).await;
    browser.shows(&format!("#{cue} .kind-switch"), "On").await;

    // A tip that is too small leaves the page on air alone, a larger one moves it.
    let counter = program.widget("Derailments");
    let air = Browser::open().await;
    air.go(counter["page_url"].as_str().unwrap()).await;
    air.shows(".counter-value", "0").await;
    sender.deliver(&tip("9.99")).await;
    sender.deliver(&tip("10")).await;
    air.shows(".counter-value", "1").await;
    browser.go(&format!("{base}/cues")).await;
    browser.shows(&format!("#{cue} .cue-log"), "tipped £10").await;
    let ledger = Owner::of(&program).await.page("/ledger").await;
    assert!(ledger.contains("the cue “Count tips” added 1"), "it stands in the ledger who did it");
    air.close().await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_cue_does_is_done_once_and_what_fails_is_told() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let mut owner = Owner::of(&program).await;
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let counter = program.widget("Derailments");
    owner.done("/cues", &[]).await;
    let id = 4;
    say(&owner, id, "when", "tip").await;
    say(&owner, id, "name", "Twice").await;
    // At once, then after a while; in between the server is killed.
    let add = format!("press {} add 1 ", counter["id"]);
    say(&owner, id, "do:add", &add).await;
    say(&owner, id, "do:add", &add).await;
    say(&owner, id, "do:1:wait", "4").await;
    say(&owner, id, "do:1:value", "10").await;
    say(&owner, id, "on", "on").await;
    let refused = owner.post("/cues/4/edit", &[("key", "do:add"), ("text", "press 1 fly  ")]).await;
    assert_eq!(refused.status(), 422);
    sender.deliver(&tip("5")).await;
    program.shows(&counter, "1").await;
    program.kill();
    program.again();
    program.shows(&counter, "11").await;
    program.stop();
    program.again();
    owner = Owner::of(&program).await;
    let page = owner.page("/cues").await;
    assert!(page.contains("tipped £5"), "what it did is known again");
    assert_eq!(program.text(&counter).await, "11", "nothing is done twice");

    // A poll that is not open cannot be closed: that is told, and the step after it is done.
    let poll = program.widget("The platform decides");
    say(&owner, id, "do:0:what", &format!("press {} close  ", poll["id"])).await;
    say(&owner, id, "do:1:wait", "").await;
    let fired = owner.done(&format!("/cues/{id}/fire"), &[]).await;
    assert!(fired.contains("odile pressed it"), "{fired}");
    program.shows(&counter, "21").await;
    until("the failure is told", || async {
        owner.page("/cues").await.contains("could not do step 1: no poll is open").then_some(())
    })
    .await;
    assert!(owner.page("/ledger").await.contains("the cue “Twice” could not do step 1"));

    // So is what a widget should do that lies in the archive meanwhile.
    let tea = program.widget("Cups of tea");
    say(&owner, id, "do:0:what", &format!("press {} add 1 ", tea["id"])).await;
    owner.done(&format!("/widgets/{}/archive", tea["id"]), &[]).await;
    owner.done(&format!("/cues/{id}/fire"), &[]).await;
    program.shows(&counter, "31").await;
    until("that failure is told, too", || async {
        owner.page("/cues").await.contains("could not do step 1: there is no such widget").then_some(())
    })
    .await;

    // On air only: off air it stays quiet, and says why.
    say(&owner, id, "on_air", "on").await;
    let before = program.read(&counter).await["seq"].as_u64().unwrap();
    sender.deliver(&tip("6")).await;
    until("it says why", || async {
        owner.page("/cues").await.contains("quiet, since the channel was off air").then_some(())
    })
    .await;
    assert_eq!(program.read(&counter).await["value"], json!(31));
    assert!(program.read(&counter).await["seq"].as_u64().unwrap() > before);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cue_shows_a_piece_and_hides_it_and_a_circle_ends() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    owner.done("/cues", &[]).await;
    let room = owner.page("/overlays/1").await;
    let piece = room.split("data-piece=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    say(&owner, 4, "do:add", &format!("appear 1 {piece} false")).await;
    say(&owner, 4, "do:add", &format!("appear 1 {piece} true")).await;
    say(&owner, 4, "do:1:wait", "2").await;
    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let air = Browser::open().await;
    air.go(&format!("{}/o/{token}", program.base)).await;
    air.shows_one(&format!("[data-piece=\"{piece}\"]:not(.is-away)")).await;
    owner.done("/cues/4/fire", &[]).await;
    air.shows_one(&format!("[data-piece=\"{piece}\"].is-away")).await;
    air.shows_one(&format!("[data-piece=\"{piece}\"]:not(.is-away)")).await;
    air.close().await;

    // A cue that sets itself off stops after eight times.
    let counter = program.widget("Derailments");
    owner.done("/cues", &[]).await;
    say(&owner, 5, "when", "passed").await;
    say(&owner, 5, "widget", &counter["id"].to_string()).await;
    say(&owner, 5, "value", "1").await;
    say(&owner, 5, "do:add", &format!("press {} set 0 ", counter["id"])).await;
    say(&owner, 5, "do:add", &format!("press {} add 1 ", counter["id"])).await;
    say(&owner, 5, "on", "on").await;
    program.act(&counter, "add", json!({"value": 1})).await;
    until("it stops and says so", || async {
        owner.page("/cues").await.contains("cues had set each other off 8 times").then_some(())
    })
    .await;
    let page = owner.page("/cues").await;
    let own = page.split("id=\"cue-5\"").nth(1).unwrap();
    assert_eq!(own.matches("lamp-full").count() - 1, 8, "and the lamp of its switch");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cue_goes_on_air_and_finds_no_fault_with_being_there() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    owner.done("/cues", &[]).await;
    say(&owner, 4, "when", "at").await;
    say(&owner, 4, "days", "fri").await;
    say(&owner, 4, "time", "19:00").await;
    let page = say(&owner, 4, "do:add", "air true").await;
    assert!(page.contains("the clock strikes") && page.contains("19:00") && page.contains("Fridays"), "{page}");
    let refused = owner.post("/cues/4/edit", &[("key", "time"), ("text", "seven")]).await;
    assert!(refused.text().await.unwrap().contains("is not a time of day such as 18:30"));
    for _ in 0..2 {
        owner.done("/cues/4/fire", &[]).await;
    }
    // One that is on and has a step that says nothing yet is named before the show.
    say(&owner, 4, "do:add", "say").await;
    say(&owner, 4, "on", "on").await;
    let ready = owner.page("/desk/ready").await;
    assert!(ready.contains("The cue “New cue” is on, and a step of it says nothing"), "{ready}");
    assert!(ready.contains("No chat is joined: commands and notices are not said."), "{ready}");
    until("it is on air", || async { owner.page("/shows").await.contains("on air").then_some(()) }).await;
    let log = until("both firings are told", || async {
        let page = owner.page("/cues").await;
        (page.matches("odile pressed it").count() == 2).then_some(page)
    })
    .await;
    assert!(!log.contains("could not do"), "{log}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_reward_shows_a_clock_runs_it_and_hides_it_when_it_is_done() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][1]));
    let clock = program.widget("First train leaves in");
    let edit =
        async |path: String, key: &str, text: &str| drop(owner.done(&path, &[("key", key), ("text", text)]).await);
    edit(format!("/widgets/{}/edit", clock["id"]), "length", "0:12").await;
    owner.done(&format!("/widgets/{}/put-on-air", clock["id"]), &[]).await;

    // The clock is laid on the picture, and hidden there until somebody takes the reward.
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/overlays/1", program.base)).await;
    let pieces = "return document.querySelectorAll('.layout-window [data-piece]').length";
    let before = browser.run(pieces).await.as_u64().unwrap();
    browser.run(&format!("document.getElementById('layout-what').value = '{}'", clock["id"])).await;
    browser.click("[data-add]").await;
    until("it is laid out", || async { (browser.run(pieces).await == before + 1).then_some(()) }).await;
    browser.click("[data-air]").await;
    let newest = "return Math.max(...[...document.querySelectorAll('.layout-window [data-piece]')].map((one) => one.dataset.piece))";
    let piece = browser.run(newest).await.as_u64().unwrap();
    let appear = |shown: bool| json!({"pieces": [piece], "shown": shown, "id": format!("appear {shown}")}).to_string();
    until("it is hidden on the picture on air", || async {
        let hidden = owner.send("/overlays/1/appear", "application/json", appear(false)).await;
        hidden.status().is_success().then_some(())
    })
    .await;

    // One press makes both cues; which reward it is has to be said.
    browser.go(&format!("{}/cues", program.base)).await;
    browser.click(".cue-starts summary").await;
    let start = "[...document.querySelectorAll('.cue-starts button')].find((one) => \
        one.textContent.includes('A reward shows a clock and starts it'))";
    browser.run(&format!("{start}.click()")).await;
    browser.shows(".cue:last-of-type", "Its time is over").await;
    let cues =
        browser.run("return [...document.querySelectorAll('.cue[id^=cue-]')].slice(-2).map((one) => one.id)").await;
    let ids: Vec<String> = serde_json::from_value(cues).unwrap();
    let ids: Vec<&str> = ids.iter().map(|id| id.trim_start_matches("cue-")).collect();
    edit(format!("/cues/{}/edit", ids[0]), "word", "Tea break").await;
    for id in &ids {
        edit(format!("/cues/{id}/edit"), "on_air", "any").await;
        edit(format!("/cues/{id}/edit"), "on", "on").await;
    }

    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let air = Browser::open().await;
    air.go(&format!("{}/o/{token}", program.base)).await;
    air.shows_one(&format!("[data-piece=\"{piece}\"].is-away")).await;
    let reward = |name: &str| {
        json!({"specversion": "1.0", "id": name, "source": "/x", "type": "tally.reward",
            "data": {"actor": {"name": "quietferry"}, "reward": name, "cost": 300}})
    };
    // The page itself notes that the clock ran where it is seen: on a busy machine twelve seconds pass between two looks.
    air.run(&format!(
        "setInterval(() => {{ \
           const face = document.querySelector('[data-piece=\"{piece}\"]:not(.is-away) .clock-face'); \
           const left = Number(face?.textContent); \
           if (left > 0 && left < 12) document.body.dataset.ran = 'seen'; \
         }}, 50)"
    ))
    .await;
    sender.deliver(&reward("Whistle the timetable")).await;
    sender.deliver(&reward("Tea break")).await;
    air.shows_one("[data-ran]").await;
    air.shows_one(&format!("[data-piece=\"{piece}\"].is-away")).await;
    let log = owner.page("/cues").await;
    assert!(log.contains("Tea break") && !log.contains("could not do"), "{log}");
    assert_eq!(owner.page("/ledger").await.matches("the cue “A reward runs a clock” started").count(), 1);
    air.close().await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_same_is_left_by_desk_program_word_of_chat_and_cue() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let owner = Owner::of(&program).await;
    let counter = program.widget("Derailments");
    const ACTS: [(&str, i64); 4] = [("set", 7), ("add", 3), ("subtract", 2), ("add", 1)];
    // The same four presses are a cue that is fired by hand, and one that waits for a word of chat.
    for (cue, when) in [(4, "hand"), (5, "command")] {
        owner.done("/cues", &[]).await;
        say(&owner, cue, "when", when).await;
        for (place, (action, value)) in ACTS.iter().enumerate() {
            let offered = if *action == "set" { 0 } else { 1 };
            say(&owner, cue, "do:add", &format!("press {} {action} {offered} ", counter["id"])).await;
            say(&owner, cue, &format!("do:{place}:value"), &value.to_string()).await;
        }
        say(&owner, cue, "on_air", "any").await;
        say(&owner, cue, "on", "on").await;
    }
    say(&owner, 5, "word", "!derail").await;
    // What a widget says and offers, but for when and after which line.
    let left = async || {
        let mut left = program.read(&counter).await;
        for moment in ["seq", "at"] {
            left.as_object_mut().unwrap().remove(moment);
        }
        left
    };
    let clear = async || {
        program.act(&counter, "set", json!({"value": 0})).await;
        program.shows(&counter, "0").await;
    };
    let path = format!("/widgets/{}/press", counter["id"]);
    for (number, (action, value)) in ACTS.iter().enumerate() {
        let press = json!({"action": action, "value": value, "id": format!("desk {number}")}).to_string();
        assert_eq!(owner.send(&path, "application/json", press).await.status(), 200);
    }
    program.shows(&counter, "9").await;
    let by_desk = left().await;
    clear().await;
    for (action, value) in ACTS {
        program.act(&counter, action, json!({"value": value})).await;
    }
    assert_eq!(left().await, by_desk, "by a program");
    clear().await;
    owner.done("/cues/4/fire", &[]).await;
    program.shows(&counter, "9").await;
    assert_eq!(left().await, by_desk, "by a cue");
    clear().await;
    until("the word was heard", || async {
        program.say("nell", "helper", "!derail").await;
        (program.text(&counter).await == "9").then_some(())
    })
    .await;
    assert_eq!(left().await, by_desk, "by a word of chat");
}

/// Clocks that are done while tips come and other cues are at work: each sets its cue off, once.
#[tokio::test(flavor = "multi_thread")]
async fn what_comes_by_itself_is_missed_by_no_cue_whatever_else_is_written() {
    const CLOCKS: usize = 5;
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let widgets = async |owner: &Owner| {
        let shelf = owner.page("/widgets").await;
        let ids = shelf.split("href=\"/widgets/").skip(1).filter_map(|rest| rest.split('"').next()?.parse().ok());
        ids.collect::<BTreeSet<u32>>()
    };
    let before = widgets(&owner).await;
    for _ in 0..CLOCKS {
        owner.done("/widgets", &[("start", "starting-soon")]).await;
    }
    let clocks: Vec<u32> = widgets(&owner).await.difference(&before).copied().collect();
    assert_eq!(clocks.len(), CLOCKS);
    for id in &clocks {
        owner.done(&format!("/widgets/{id}/edit"), &[("key", "length"), ("text", "0:03")]).await;
        owner.done(&format!("/widgets/{id}/put-on-air"), &[]).await;
    }
    let (done, tipped) = (program.widget("Derailments"), program.widget("Cups of tea"));
    let cue = |when: When, counter: &serde_json::Value| {
        let widget = WidgetId(u32::try_from(counter["id"].as_u64().unwrap()).unwrap());
        let add = Do::Press { widget, action: "add".into(), value: Some(1), text: None, side: None };
        Cue {
            name: "Count".into(),
            on: true,
            when,
            on_air: false,
            every_s: 0,
            once_each: false,
            while_shown: None,
            steps: vec![Step { wait_s: 0, what: add }],
            since: None,
        }
    };
    let ended = clocks.iter().map(|id| cue(When::Left { widget: WidgetId(*id), seconds: 0 }, &done));
    let all = ended.chain([cue(When::Entry { kind: Kind::Tip, least: 0 }, &tipped)]);
    let cues = Cues { all: (1..).zip(all).collect(), ..Cues::default() };
    program.stop();
    let cues = serde_json::to_string(&cues).unwrap();
    database.connect().batch_execute(&format!("UPDATE channels SET cues = '{cues}'")).unwrap();
    program.again();
    for id in &clocks {
        program.act(&json!({"id": id}), "start", json!({})).await;
    }
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let mut pace = tokio::time::interval(std::time::Duration::from_millis(50));
    for _ in 0..120 {
        pace.tick().await;
        sender.deliver(&tip("1")).await;
    }
    program.shows(&tipped, "120").await;
    program.shows(&done, &CLOCKS.to_string()).await;
    // Read again, nothing comes twice.
    program.stop();
    program.again();
    assert_eq!((program.text(&done).await, program.text(&tipped).await), (CLOCKS.to_string(), "120".to_owned()));
}
