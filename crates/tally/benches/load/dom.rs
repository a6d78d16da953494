//! From an event to the page on air, in a real browser.

use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::report::{Report, percentile};
use std::collections::BTreeMap;
use std::time::Duration;

const EVENTS: i64 = 400;
const WARM_UP: i64 = 40;
const EVERY: Duration = Duration::from_millis(50);

/// Notes when each figure first stood in the page.
const WATCH: &str = "window.seen = {};
    new MutationObserver(() => {
        const text = document.querySelector('.goal-value').textContent;
        window.seen[text] ??= performance.timeOrigin + performance.now();
    }).observe(document.body, {subtree: true, childList: true, characterData: true});";

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(server.url());
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.go(program.widget("Turntable motor")["page_url"].as_str().unwrap()).await;
    browser.shows(".goal-value", "£212.50").await;
    browser.run(WATCH).await;
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let mut sent = BTreeMap::new();
    let mut pace = tokio::time::interval(EVERY);
    for number in 1..=EVENTS {
        pace.tick().await;
        let shown = tally_core::money::group(u64::try_from(212 + number).unwrap());
        sent.insert(number, (format!("£{shown}.50"), chrono::Utc::now().timestamp_micros() as f64 / 1_000.0));
        let sender = sender.clone();
        tokio::spawn(async move { sender.deliver(&tip("1")).await });
    }
    browser.shows(".goal-value", &sent[&EVENTS].0).await;
    let seen = browser.run("return window.seen").await;
    browser.close().await;
    let mut delays: Vec<Duration> = sent
        .iter()
        .filter(|(number, _)| **number > WARM_UP)
        .filter_map(|(_, (shown, at))| {
            seen[shown].as_f64().map(|seen| Duration::from_secs_f64((seen - at).max(0.0) / 1_000.0))
        })
        .collect();
    let told = format!("{} of {} figures seen one by one", delays.len(), EVENTS - WARM_UP);
    report.add(
        "event to DOM at 20 a second, p50",
        format!("{:.1} ms", percentile(&mut delays, 50)),
        told.clone(),
        "< 12 ms",
    );
    report.add("event to DOM at 20 a second, p99", format!("{:.1} ms", percentile(&mut delays, 99)), told, "< 50 ms");
}
