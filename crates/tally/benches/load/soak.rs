//! An overlay that stays open: two days of a channel in twenty minutes, with a server that goes and comes back every thirty seconds.
//! What the page keeps must not grow.

use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::overlays::lay_out;
use crate::report::Report;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// As many presses as a busy channel has events in two days.
const EVENTS: u32 = 5_760;
const MINUTES: u64 = 20;
const RECONNECT: Duration = Duration::from_secs(30);

/// Megabytes that the page's scripts keep, and nodes in its documents, after all that can go has gone.
async fn kept(browser: &Browser) -> (f64, f64) {
    browser.devtools("HeapProfiler.collectGarbage", json!({})).await;
    let told = browser.devtools("Performance.getMetrics", json!({})).await;
    let of = |name: &str| {
        let all = told["metrics"].as_array().unwrap().iter();
        all.clone().find(|one| one["name"] == name).and_then(|one| one["value"].as_f64()).unwrap()
    };
    (of("JSHeapUsedSize") / 1_048_576.0, of("Nodes"))
}

pub async fn measure(report: &mut Report) {
    let minutes = std::env::var("TALLY_SOAK_MINUTES").ok().and_then(|one| one.parse().ok()).unwrap_or(MINUTES);
    let server = Server::start();
    let database = Database::on(&server.url());
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let (_, url) = lay_out(&program, &owner, "Thirty", 30).await;
    let browser = Browser::open().await;
    browser.devtools("Performance.enable", json!({})).await;
    browser.size(1_920, 1_080).await;
    browser.go(&url).await;
    browser.shows_one("[data-piece]").await;
    let began = Instant::now();
    let whole = Duration::from_secs(60 * minutes);
    let every = whole / EVENTS;
    let names = ["Derailments", "Cups of tea"];
    let (mut first, mut sent, mut cut) = (None, 0_u32, Instant::now());
    while began.elapsed() < whole {
        if cut.elapsed() > RECONNECT {
            program.stop();
            program.again();
            cut = Instant::now();
        }
        let widget = program.widget(names[sent as usize % names.len()]);
        program.act(&widget, "add", json!({"value": 1})).await;
        sent += 1;
        if first.is_none() && began.elapsed() > whole / 10 {
            first = Some(kept(&browser).await);
        }
        tokio::time::sleep((every * sent).saturating_sub(began.elapsed())).await;
    }
    let (heap, nodes): (f64, f64) = kept(&browser).await;
    let (heap_before, nodes_before) = first.unwrap_or((heap, nodes));
    let same = browser.run("return performance.getEntriesByType('navigation').length").await;
    assert_eq!(same, Value::from(1), "the page was never loaded anew");
    report.add(
        "what an overlay of 30 keeps after two days in little",
        format!("{heap:.1} MB, {nodes:.0} nodes"),
        format!(
            "after a tenth of them {heap_before:.1} MB, {nodes_before:.0} nodes; {sent} presses in {minutes} minutes"
        ),
        "flat",
    );
    browser.close().await;
}
