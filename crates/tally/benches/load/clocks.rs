//! Clocks: a press at the desk to the page, pages in step, clocks at rest, and additions to a subathon.

use crate::bare::Bare;
use crate::dom::{Round, bare_round, round};
use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::report::{Report, median};
use chrono::TimeDelta;
use serde_json::json;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tally_core::channel::Channel;
use tally_core::money::{Currency, Money};
use tally_core::record::acts::{Act, SubathonAct};
use tally_core::record::entry::{Body, Entry, Origin};
use tally_core::record::happening::{Actor, Happening};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::widgets::Definition;

const ROUNDS: i64 = 3;
const PRESSES: i64 = 240;
const PAGES: usize = 10;
const CLOCKS: usize = 200;
const RUNNING: usize = 50;
/// For so long clocks at rest are watched.
const REST: Duration = Duration::from_secs(20);
const ADDITIONS: u64 = 10_000;
const SHORT: u64 = 1_000;
const LONG: u64 = 100_000;

pub async fn measure(report: &mut Report) {
    additions(report);
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::start(&database.url);
    let owner = Arc::new(Owner::of(&program).await);
    press(report, &program, &owner).await;
    in_step(report, &program, &owner).await;
    at_rest(report, &program, &owner).await;
}

/// Starts so many of the clocks that can be started.
pub async fn start_clocks(program: &Program, most: usize) {
    let (token, client) = (program.demo()["api_token"].as_str().unwrap().to_owned(), reqwest::Client::new());
    let api = format!("{}/api/v1/widgets", program.base);
    let list: serde_json::Value = client.get(&api).bearer_auth(&token).send().await.unwrap().json().await.unwrap();
    let startable = list["widgets"].as_array().unwrap().iter().filter(|one| {
        one["actions"].as_array().unwrap().iter().any(|lever| lever["action"] == "start" && lever["ready"] == true)
    });
    for one in startable.take(most) {
        let url = format!("{api}/{}/actions/start", one["id"]);
        client.post(url).bearer_auth(&token).send().await.unwrap().error_for_status().unwrap();
    }
}

async fn press(report: &mut Report, program: &Program, owner: &Arc<Owner>) {
    let (bare, browser) = (Bare::start(), Browser::open().await);
    let counter = program.widget("Derailments");
    let path = format!("/widgets/{}/press", counter["id"]);
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    for number in 0..ROUNDS {
        let from = 1 + number * PRESSES;
        browser.go(counter["page_url"].as_str().unwrap()).await;
        browser.shows_one(".counter-value").await;
        let send = |number: i64| {
            let (owner, path) = (Arc::clone(owner), path.clone());
            let body = json!({"action": "add", "value": null, "id": format!("press {number}")}).to_string();
            async move { drop(owner.send(&path, "application/json", body).await) }
        };
        let shown = |number: i64| tally_core::money::group(u64::try_from(number).unwrap());
        ours.push(round(&browser, from, shown, send).await);
        theirs.push(bare_round(&browser, &bare, from).await);
    }
    browser.close().await;
    let of = |rounds: &[Round], figure: fn(&Round) -> f64| median(rounds.iter().map(figure).collect());
    for (name, figure, aim) in [("p50", (|r| r.p50) as fn(&Round) -> f64, ""), ("p99", |r| r.p99, "< 60 ms")] {
        let (mine, bare) = (of(&ours, figure), of(&theirs, figure));
        report.add(
            &format!("press at the desk to DOM at 20 a second, {name}"),
            format!("{mine:.1} ms"),
            format!("bare broadcast to a bare page {bare:.1} ms: ratio {:.1}", mine / bare),
            aim,
        );
    }
}

/// Notes when each text first stood in the page, by a clock that no script can set.
const WATCH: &str = "window.seen = {};
    new MutationObserver(() => {
        const text = document.querySelector('.clock-face').textContent;
        window.seen[text] ??= performance.timeOrigin + performance.now();
    }).observe(document.body, {subtree: true, childList: true, characterData: true});";

/// How far apart ten pages turn to the same second, on a PC whose clock is eleven minutes off.
async fn in_step(report: &mut Report, program: &Program, owner: &Arc<Owner>) {
    let clock = program.widget("First train leaves in");
    let press = |action: &str| json!({"action": action, "value": null, "id": format!("step {action}")}).to_string();
    let browser = Browser::open().await;
    let mut tabs = Vec::new();
    for _ in 0..PAGES {
        let tab = browser.tab(&format!("{}/healthz", program.base)).await;
        let skew = "const real = Date.now; Date.now = () => real() - 660000;";
        browser.devtools("Page.addScriptToEvaluateOnNewDocument", json!({"source": skew})).await;
        browser.devtools("Emulation.setFocusEmulationEnabled", json!({"enabled": true})).await;
        browser.go(clock["page_url"].as_str().unwrap()).await;
        browser.shows_one(".clock-face").await;
        browser.run(WATCH).await;
        tabs.push(tab);
    }
    owner.send(&format!("/widgets/{}/press", clock["id"]), "application/json", press("start")).await;
    tokio::time::sleep(Duration::from_secs(15)).await;
    let mut seen = Vec::new();
    for tab in &tabs {
        browser.to(tab).await;
        seen.push(browser.run("return window.seen").await);
    }
    browser.close().await;
    let first = seen[0].as_object().unwrap();
    let spreads: Vec<f64> = first
        .keys()
        .filter_map(|text| {
            let all: Option<Vec<f64>> = seen.iter().map(|one| one[text].as_f64()).collect();
            let all = all?;
            Some(all.iter().copied().fold(f64::MIN, f64::max) - all.iter().copied().fold(f64::MAX, f64::min))
        })
        .collect();
    let worst = spreads.iter().copied().fold(0.0, f64::max);
    report.add(
        "one clock on ten pages, a PC's clock eleven minutes off: apart at most",
        format!("{worst:.0} ms"),
        format!("in the middle {:.0} ms, over {} seconds seen by all", median(spreads.clone()), spreads.len()),
        "< 100 ms",
    );
}

/// Seconds of a processor that a process has had so far: proc_pid_stat(5), in hundredths.
pub fn processor(process: u32) -> f64 {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).unwrap();
    let fields: Vec<f64> =
        stat.rsplit_once(')').unwrap().1.split_whitespace().filter_map(|field| field.parse().ok()).collect();
    // After the name: the state is no number, so user and system time are the eleventh and the twelfth number.
    (fields[10] + fields[11]) / 100.0
}

async fn at_rest(report: &mut Report, program: &Program, owner: &Arc<Owner>) {
    let share = async || {
        let before = processor(program.id());
        tokio::time::sleep(REST).await;
        (processor(program.id()) - before) / REST.as_secs_f64() * 100.0
    };
    let without = share().await;
    for number in 0..CLOCKS {
        let start = ["starting-soon", "laps", "every-friday", "on-air-for"][number % 4];
        owner.done("/widgets", &[("start", start)]).await;
    }
    start_clocks(program, RUNNING).await;
    tokio::time::sleep(Duration::from_secs(3)).await;
    let with = share().await;
    report.add(
        "200 clocks of which 50 run, with no page open",
        format!("{with:.2} % of a core"),
        format!("without them {without:.2} %"),
        "< 1 %",
    );
}

/// A subathon that has been added to so often, and what the next additions cost, in nanoseconds each.
fn cost(before: u64) -> f64 {
    let settings = crate::fold::settings();
    let begun: tally_core::time::Instant = "2026-11-24T19:00:00Z".parse().unwrap();
    let piece = Definition::standard("subathon", &settings).unwrap().unfolded();
    let mut channel = Channel::new(settings, [(WidgetId(1), piece)]);
    let entry = |seq: u64, body: Body| {
        let at = begun + TimeDelta::milliseconds(i64::try_from(seq).unwrap());
        let origin = Origin { source: "/bench".into(), id: seq.to_string() };
        Entry { seq: Seq(seq), origin, feed: Some(FeedId(1)), happened_at: at, arrived_at: at, body }
    };
    let currency = Currency::parse("GBP").unwrap();
    let tip = |seq: u64| {
        let name = format!("viewer_{}", seq * 7 % 20_011);
        let actor = Actor { id: Some(format!("v-{name}")), name, avatar: None, anonymous: false };
        entry(seq, Body::Happening(Happening::Tip { actor, amount: Money { minor: 150, currency }, message: None }))
    };
    let start = Body::Act { widget: WidgetId(1), by: "odile".into(), act: Act::Subathon(SubathonAct::Start) };
    channel.apply(&entry(1, start));
    for seq in 2..2 + before {
        channel.apply(&tip(seq));
    }
    let more: Vec<Entry> = (2 + before..2 + before + ADDITIONS).map(tip).collect();
    let began = Instant::now();
    for entry in &more {
        channel.apply(entry);
    }
    #[allow(clippy::cast_precision_loss)]
    let nanoseconds = began.elapsed().as_nanos() as f64 / ADDITIONS as f64;
    nanoseconds
}

fn additions(report: &mut Report) {
    let (mut short, mut long) = (Vec::new(), Vec::new());
    for _ in 0..5 {
        short.push(cost(SHORT));
        long.push(cost(LONG));
    }
    let (short, long) = (median(short), median(long));
    report.add(
        "additions to a subathon whose log has 100,000 lines",
        format!("{:.0}/s", 1e9 / long),
        format!("{:.2} µs each; with 1,000 lines {:.2} µs: ratio {:.2}", long / 1e3, short / 1e3, long / short),
        "≥ 10,000/s, ratio ≤ 1.3",
    );
}
