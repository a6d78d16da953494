//! From an event to the page on air, in a real browser, beside a bare broadcast to a bare page.

use crate::bare::Bare;
use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::report::{Report, median, percentile};
use crate::show::build;
use std::future::Future;
use std::time::Duration;

const ROUNDS: i64 = 3;
/// Events of a round.
pub const EVENTS: i64 = 240;
const WARM_UP: i64 = 40;
/// Widgets beside the demo's for the second measurement.
const CROWD: usize = 50;
const EVERY: Duration = Duration::from_millis(50);
/// So often it is looked for the last figure of a round.
const PATIENT: usize = 100;

/// Notes when each figure first stood in the page.
const WATCH: &str = "window.seen = {};
    new MutationObserver(() => {
        const text = document.querySelector('.goal-value, .counter-value, .side-1 .board-score, #figure').textContent;
        window.seen[text] ??= performance.timeOrigin + performance.now();
    }).observe(document.body, {subtree: true, childList: true, characterData: true});";

/// How the round with these first and last numbers went.
pub struct Round {
    pub p50: f64,
    pub p99: f64,
    seen: usize,
}

/// Sends numbers at a steady pace, and reads off the page when each figure stood there.
pub async fn round<F: Future<Output = ()> + Send + 'static>(
    browser: &Browser,
    from: i64,
    shown: impl Fn(i64) -> String,
    send: impl Fn(i64) -> F,
) -> Round {
    browser.run(WATCH).await;
    let mut sent = Vec::new();
    let mut pace = tokio::time::interval(EVERY);
    for number in from..from + EVENTS {
        pace.tick().await;
        sent.push((shown(number), chrono::Utc::now().timestamp_micros() as f64 / 1_000.0));
        tokio::spawn(send(number));
    }
    // One that comes late may be overtaken, and the last may not be what stands there in the end.
    let last = shown(from + EVENTS - 1);
    let mut seen = browser.run("return window.seen").await;
    for _ in 0..PATIENT {
        if seen[&last].is_number() {
            break;
        }
        tokio::time::sleep(EVERY).await;
        seen = browser.run("return window.seen").await;
    }
    if !seen[&last].is_number() {
        eprintln!("the last figure of a round, {last}, was not seen; the round goes by the others");
    }
    let delay = |(shown, at): &(String, f64)| {
        seen[shown].as_f64().map(|seen| Duration::from_secs_f64((seen - at).max(0.0) / 1_000.0))
    };
    let mut delays: Vec<Duration> = sent.iter().skip(WARM_UP as usize).filter_map(delay).collect();
    Round { p50: percentile(&mut delays, 50), p99: percentile(&mut delays, 99), seen: delays.len() }
}

/// The same round over a bare broadcast to a bare page.
pub async fn bare_round(browser: &Browser, bare: &Bare, from: i64) -> Round {
    let client = reqwest::Client::new();
    browser.go(&format!("{}/page", bare.base)).await;
    browser.shows("#figure", "ready").await;
    let push = |number: i64| {
        let request = client.post(format!("{}/push", bare.base)).body(format!("mark {number}"));
        async move { drop(request.send().await.unwrap()) }
    };
    round(browser, from, |number| format!("mark {number}"), push).await
}

pub async fn measure(report: &mut Report) {
    compare(report, 0).await;
    compare(report, CROWD).await;
}

/// Measures with so many widgets beside the demo's, all of them drawn for what they count.
async fn compare(report: &mut Report, more: usize) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::start(&database.url);
    build(&Owner::of(&program).await, more).await;
    let bare = Bare::start();
    let browser = Browser::open().await;
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    for number in 0..ROUNDS {
        let from = 1 + number * EVENTS;
        browser.go(program.widget("Turntable motor")["page_url"].as_str().unwrap()).await;
        let pounds = |number: i64| tally_core::money::group(u64::try_from(212 + number).unwrap());
        browser.shows(".goal-value", &format!("£{}.50", pounds(from - 1))).await;
        let send = |_| {
            let sender = sender.clone();
            async move { drop(sender.deliver(&tip("1")).await) }
        };
        ours.push(round(&browser, from, |number| format!("£{}.50", pounds(number)), send).await);

        theirs.push(bare_round(&browser, &bare, from).await);
    }
    browser.close().await;
    let of = |rounds: &[Round], figure: fn(&Round) -> f64| median(rounds.iter().map(figure).collect());
    let seen: usize = ours.iter().map(|round| round.seen).sum();
    let beside = if more == 0 { String::new() } else { format!(" beside {more} more widgets") };
    for (name, figure, aim) in [("p50", (|r| r.p50) as fn(&Round) -> f64, "< 12 ms"), ("p99", |r| r.p99, "< 50 ms")] {
        let (mine, bare) = (of(&ours, figure), of(&theirs, figure));
        report.add(
            &format!("event to DOM at 20 a second{beside}, {name}"),
            format!("{mine:.1} ms"),
            format!(
                "bare broadcast to a bare page {bare:.1} ms: ratio {:.1}; {seen} of {} seen one by one",
                mine / bare,
                ROUNDS * (EVENTS - WARM_UP)
            ),
            aim,
        );
    }
}
