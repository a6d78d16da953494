//! Cues, commands and alarms: from a tip through a cue to the page, tips while chat is flooded with commands, and what five hundred
//! cues that wait for a time of day cost while nothing happens.

use crate::audience::Crowd;
use crate::bare::Bare;
use crate::clocks::{processor, start_clocks};
use crate::dom::{bare_round, round};
use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::report::Report;
use diesel::connection::SimpleConnection;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tally_core::cues::{Cue, Cues, Days, MOST_CUES, When};

/// Commands a second, and how many are said together.
const COMMANDS: (u64, u64) = (500, 10);
/// For how long the program is watched while nothing happens.
const REST: Duration = Duration::from_secs(20);

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let mut program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--allow-private-addresses"]);
    at_rest(report, &mut program, &database).await;
    through_a_cue(report, &program).await;
    flooded(report, &program).await;
}

async fn at_rest(report: &mut Report, program: &mut Program, database: &Database) {
    let share = async |program: &Program| {
        let before = processor(program.id());
        tokio::time::sleep(REST).await;
        (processor(program.id()) - before) / REST.as_secs_f64() * 100.0
    };
    tokio::time::sleep(Duration::from_secs(3)).await;
    let without = share(program).await;
    let waits = |number: u16| Cue {
        name: format!("Alarm {number}"),
        on: true,
        when: When::At { minute: number % 1_440, days: Days::Every },
        // So that none of them does anything if its minute comes.
        on_air: true,
        ..Cue::empty()
    };
    let most = u16::try_from(MOST_CUES).unwrap();
    let cues =
        Cues { all: (1..=most).map(|number| (u32::from(number), waits(number * 2))).collect(), ..Cues::default() };
    program.stop();
    let cues = serde_json::to_string(&cues).unwrap();
    database.connect().batch_execute(&format!("UPDATE channels SET cues = '{cues}'")).unwrap();
    program.again();
    // A channel has no more cues; as many clocks that run down are alarms too.
    let owner = Owner::of(program).await;
    for _ in 0..MOST_CUES {
        owner.done("/widgets", &[("start", "starting-soon")]).await;
    }
    start_clocks(program, MOST_CUES).await;
    tokio::time::sleep(Duration::from_secs(5)).await;
    let with = share(program).await;
    report.add(
        "500 cues waiting for a time of day and 500 clocks that run down, at rest",
        format!("{with:.2} % of a core"),
        format!("without them {without:.2} %; the demo’s clocks tick on their pages"),
        "< 1 %",
    );
    program.stop();
    database.connect().batch_execute("UPDATE channels SET cues = '{}'").unwrap();
    program.again();
}

async fn through_a_cue(report: &mut Report, program: &Program) {
    let owner = Owner::of(program).await;
    let counter = program.widget("Derailments");
    owner.done("/cues", &[]).await;
    let add = format!("press {} add 1 ", counter["id"]);
    for (key, text) in [("when", "tip"), ("do:add", add.as_str()), ("on", "on")] {
        owner.done("/cues/1/edit", &[("key", key), ("text", text)]).await;
    }
    let (bare, browser) = (Bare::start(), Browser::open().await);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let send = |_| {
        let sender = sender.clone();
        async move { drop(sender.deliver(&tip("1")).await) }
    };
    browser.go(counter["page_url"].as_str().unwrap()).await;
    browser.shows(".counter-value", "0").await;
    let ours = round(&browser, 1, |number| number.to_string(), send).await;
    let theirs = bare_round(&browser, &bare, 1).await;
    report.add(
        "a tip through a cue to DOM at 20 a second, p99",
        format!("{:.1} ms", ours.p99),
        format!("p50 {:.1} ms; bare broadcast to a bare page, p99 {:.1} ms", ours.p50, theirs.p99),
        "< 80 ms",
    );
    owner.done("/cues/1/edit", &[("key", "on"), ("text", "off")]).await;
    browser.close().await;
}

async fn flooded(report: &mut Report, program: &Program) {
    let owner = Owner::of(program).await;
    let crowd = Crowd::open(COMMANDS, |_| "!tea".into()).await;
    crowd.join(&owner).await;
    // The first command of the demo tells what a counter says; here it rests for nobody.
    for key in ["rest", "rest_each"] {
        owner.done("/chat/commands/1/edit", &[("key", key), ("text", "0")]).await;
    }
    let (bare, browser) = (Bare::start(), Browser::open().await);
    let motor = program.widget("Turntable motor");
    browser.go(motor["page_url"].as_str().unwrap()).await;
    let begun = program.read(&motor).await["value_units"].as_i64().unwrap();
    let shown = move |number: i64| {
        let minor = u64::try_from(begun + number * 100).unwrap();
        let pence = if minor.is_multiple_of(100) { String::new() } else { format!(".{:02}", minor % 100) };
        format!("£{}{pence}", tally_core::money::group(minor / 100))
    };
    browser.shows(".goal-value", &shown(0)).await;
    crowd.goes.store(true, Ordering::SeqCst);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let send = |_| {
        let sender = sender.clone();
        async move { drop(sender.deliver(&tip("1")).await) }
    };
    let ours = round(&browser, 1, shown, send).await;
    let theirs = bare_round(&browser, &bare, 1).await;
    crowd.goes.store(false, Ordering::SeqCst);
    report.add(
        "tip to DOM beside 500 commands of chat a second, p99",
        format!("{:.1} ms", ours.p99),
        format!(
            "p50 {:.1} ms; bare broadcast to a bare page beside the same, p99 {:.1} ms; {} commands were said, each answered",
            ours.p50,
            theirs.p99,
            crowd.said.load(Ordering::SeqCst)
        ),
        "< 60 ms",
    );
    browser.close().await;
}
