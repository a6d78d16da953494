//! Going on air and off by itself: by a calendar, by the owner's first words in chat; and the question before a show ends.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::inside;
use crate::kit::owner::{Owner, settings};
use crate::kit::program::Program;
use crate::kit::sender::Sender;
use crate::kit::until;
use chrono::{DateTime, TimeDelta, Utc};
use serde_json::json;
use std::sync::Arc;
use tally_core::channel::{Planned, Schedule};
use tally_core::record::ids::ChannelId;
use tally_engine::{Scheduling, SystemClock};
use tally_store::schedules::KeptSchedule;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpListener;

/// An entry of a calendar that is no show.
const HOLIDAY: &str = "BEGIN:VEVENT\r\nUID:away\r\nDTSTAMP:20261101T000000Z\r\nSUMMARY:Away\r\n\
    DTSTART;VALUE=DATE:20261224\r\nDTEND;VALUE=DATE:20261227\r\nEND:VEVENT\r\n";

/// Waits until the newest lines of the ledger say something.
async fn told(owner: &Owner, words: &str) {
    until(&format!("the ledger says “{words}”"), || async {
        owner.page("/ledger").await.contains(words).then_some(())
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn whatever_ends_a_show_by_itself_asks_first_in_every_room() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][1]));
    owner.done("/channel", &settings(&[("on_air", "picture live"), ("off_air", "picture off")])).await;
    let mut signals = 0;
    let mut signal = async |name: &str| {
        signals += 1;
        let event = json!({"specversion": "1.0", "id": signals.to_string(), "source": "/encoder", "type": "tally.signal", "data": {"name": name}});
        sender.deliver(&event).await;
    };
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/channel", program.base)).await;
    signal("picture live").await;
    browser.shows(".air-switch", "On air").await;
    signal("picture off").await;
    browser.shows(".air-switch", "Your show ends in").await;
    browser.shows(".strip", "the signal “picture off” ends the show in a moment").await;
    browser.click(".air-switch [hx-post=\"/shows/stay\"]").await;
    browser.shows(".air-switch", "On air").await;
    told(&owner, "odile stayed on air").await;
    // The picture comes back by itself: that is staying, too. And somebody may have had enough.
    signal("picture off").await;
    browser.shows(".air-switch", "Your show ends in").await;
    signal("picture live").await;
    browser.shows(".air-switch", "On air").await;
    assert_eq!(owner.page("/shows").await.matches("on air for").count(), 1);
    signal("picture off").await;
    browser.shows(".air-switch", "End now").await;
    browser.click(".air-switch [hx-post=\"/shows/end\"]").await;
    browser.shows(".air-switch", "Go on air").await;
    browser.close().await;

    // Nobody answers: it ends, though the server was away at that moment.
    let mut program = program;
    owner.done("/channel/air", &[("ask_s", "3")]).await;
    signal("picture live").await;
    signal("picture off").await;
    program.kill();
    program.again();
    let owner = Owner::of(&program).await;
    told(&owner, "the signal “picture off” went off air").await;
    assert!(owner.refused("/shows/stay", &[]).await.contains("Nothing is about to end the show"), "it is too late");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_calendar_puts_the_channel_on_air_and_takes_it_off() {
    let database = Database::new();
    let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--allow-private-addresses"]);
    let owner = Owner::of(&program).await;
    owner.done("/channel/air", &[("ask_s", "1")]).await;
    let file = async |text: &str| {
        let sent = owner.send("/channel/schedule/file?name=shows.ics", "text/calendar", text.to_owned()).await;
        (sent.status().as_u16(), sent.text().await.unwrap())
    };
    let (status, page) = file("<html>").await;
    assert!(status == 422 && page.contains("This is no calendar in the format iCalendar"), "{page}");
    let refused = owner.refused("/channel/schedule", &[("url", "http://127.0.0.1:9/shows.ics")]).await;
    assert!(refused.contains("refusal"), "{refused}");
    let entry = |title: &str, from: DateTime<Utc>, to: DateTime<Utc>| {
        let at = |at: DateTime<Utc>| at.format("%Y%m%dT%H%M%SZ");
        format!(
            "BEGIN:VEVENT\r\nUID:{title}\r\nDTSTAMP:20261101T000000Z\r\nSUMMARY:{title}\r\nDTSTART:{}\r\nDTEND:{}\r\nEND:VEVENT\r\n",
            at(from),
            at(to)
        )
    };
    let now = Utc::now();
    let seconds = |after: i64| now + TimeDelta::seconds(after);
    let calendar = format!(
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Saltmarsh//EN\r\n{}{}{HOLIDAY}END:VCALENDAR\r\n",
        entry("A test of the points", seconds(4), seconds(7)),
        entry("Build night", now + TimeDelta::days(3), now + TimeDelta::days(3) + TimeDelta::hours(2)),
    );
    // By its address, as a program that hands out calendars answers.
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = format!("http://{}/shows.ics", listener.local_addr().unwrap());
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            let head = format!("HTTP/1.1 200 OK\r\nContent-Length: {}\r\nConnection: close\r\n\r\n", calendar.len());
            let _ = stream.read(&mut [0; 4_096]).await;
            let _ = stream.write_all(format!("{head}{calendar}").as_bytes()).await;
        }
    });
    owner.done("/channel/schedule", &[("url", &url)]).await;
    let page = owner.page("/channel").await;
    assert!(page.contains("<b>A test of the points</b>") && page.contains("<b>Build night</b>"), "{page}");
    assert!(page.contains("“Away” lasts whole days"), "{page}");
    told(&owner, "the schedule went on air").await;
    told(&owner, "the schedule asked whether to go off air").await;
    told(&owner, "the schedule went off air").await;
    let began = owner.page("/shows").await;
    assert!(began.contains("lasted"), "{began}");
    // Taken away, nothing of it remains.
    owner.done("/channel/schedule", &[("url", "")]).await;
    assert!(!owner.page("/channel").await.contains("Build night"));
}

#[tokio::test(flavor = "multi_thread")]
async fn the_owners_first_words_in_chat_put_the_channel_on_air() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let owner = Owner::of(&program).await;
    owner.done("/channel/air", &[("ask_s", "60"), ("by_chat", "true")]).await;
    // Until the program has joined the chat, nobody hears it.
    program.say("nell", "helper", "shall we?").await;
    until("chat is heard", || async {
        program.say("nell", "helper", "shall we?").await;
        owner.page("/feeds").await.contains("flowing").then_some(())
    })
    .await;
    assert!(!owner.page("/ledger").await.contains("in chat went on air"));
    until("the channel is on air", || async {
        program.say("odile", "owner", "good evening, everybody").await;
        owner.page("/ledger").await.contains("odile in chat went on air").then_some(())
    })
    .await;
    owner.done("/shows/end", &[]).await;
    program.say("odile", "owner", "good night!").await;
    program.say("odile", "owner", "sleep well!").await;
    until("the goodbye was heard", || async { owner.page("/ledger").await.contains("went off air").then_some(()) })
        .await;
    let ledger = owner.page("/ledger").await;
    assert_eq!(ledger.matches("odile in chat went on air").count(), 1, "a goodbye begins no show");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_calendar_that_was_read_anew_is_laid_out_unless_another_was_chosen_meanwhile() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    program.stop();
    let engine = inside::engine(&database.url, Arc::new(SystemClock));
    let channel = engine.channel(ChannelId(1)).await.unwrap();
    let now = channel.now();
    let kept = |calendar: &str| KeptSchedule { calendar: calendar.into(), ..KeptSchedule::default() };
    let says = |title: &str| {
        let show = Planned { from: now, to: now + TimeDelta::hours(1), title: title.into() };
        Schedule { plan: vec![show], ..Schedule::default() }
    };
    let schedule = async |instead_of: Option<&str>, calendar: &str| {
        let (kept, instead_of) = (kept(calendar), instead_of.map(kept));
        channel.schedule(Scheduling { instead_of, kept, schedule: says(calendar) }).await.unwrap();
        let rules = channel.ask(|channel, _| channel.air_rules().clone()).await.unwrap();
        let stored =
            (engine.store().air_rules(channel.id).await.unwrap(), engine.store().schedule(channel.id).await.unwrap());
        assert_eq!(stored.0, rules, "what holds is what is kept");
        assert_eq!(stored.1.calendar, rules.schedule.plan[0].title, "the calendar and what was made of it are one");
        rules
    };
    let first = schedule(None, "Fridays").await;
    let other = schedule(Some("Mondays"), "Mondays, read anew").await;
    assert_eq!(other, first, "it was read before Fridays were chosen");
    let anew = schedule(Some("Fridays"), "Fridays, read anew").await;
    assert_eq!((anew.schedule.plan[0].title.as_str(), anew.since), ("Fridays, read anew", first.since));
    engine.stop().await;
}
