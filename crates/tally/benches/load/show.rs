//! A scripted show through an overlay's worth of widgets in a real browser: how smoothly it runs, what
//! it leaves behind, and how soon an event stands in the page while fifty widgets want to be drawn.

use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::Sender;
use crate::report::{Report, percentile};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// Widgets on the overlay, and events a second.
const WIDGETS: usize = 30;
const RATE: u64 = 200;
/// How long the show lasts; `TALLY_SHOW_SECONDS` makes it shorter for trying.
const SECONDS: u64 = 600;
const CROWD: usize = 50;

/// Counts frames, and the longest gap between two.
const FRAMES: &str = "window.frames_seen = 0; window.gap = 0; let last = performance.now();
    const step = (now) => { window.frames_seen += 1; window.gap = Math.max(window.gap, now - last); last = now; requestAnimationFrame(step); };
    requestAnimationFrame(step); window.began = performance.now();";

fn event(number: u64) -> Value {
    let actor = json!({"id": format!("v{}", number % 4_001), "name": format!("viewer_{}", number % 4_001)});
    let (kind, data) = match number % 6 {
        0 | 1 => ("tip", json!({"actor": actor, "amount": format!("{}.50", number % 40 + 1), "currency": "GBP"})),
        2 => ("follow", json!({"actor": actor})),
        3 => ("sub", json!({"actor": actor, "tier": number % 3 + 1, "months": number % 30})),
        4 => ("cheer", json!({"actor": actor, "points": number % 900 + 1})),
        _ => ("gift", json!({"actor": actor, "tier": 1, "count": number % 20 + 1})),
    };
    json!({"specversion": "1.0", "id": format!("show-{number}"), "source": "/bench", "type": format!("tally.{kind}"), "data": data})
}

/// Sends a tenth of a second's events at a time.
async fn play(sender: &Sender, from: u64, seconds: u64) -> u64 {
    let mut pace = tokio::time::interval(Duration::from_millis(100));
    let mut number = from;
    let end = Instant::now() + Duration::from_secs(seconds);
    while Instant::now() < end {
        pace.tick().await;
        let batch: Vec<Value> = (0..RATE / 10).map(|more| event(number + more)).collect();
        number += RATE / 10;
        drop(sender.batch(&batch).await);
    }
    number
}

/// Builds so many widgets from the starts that read the ledger.
async fn build(owner: &Owner, many: usize) {
    let page = owner.page("/widgets/starts").await;
    let starts: Vec<&str> =
        page.split("name=\"start\" value=\"").skip(1).filter_map(|rest| rest.split('"').next()).collect();
    for start in starts.iter().filter(|start| **start != "chat" && **start != "who-is-here").cycle().take(many) {
        owner.done("/widgets", &[("start", start)]).await;
    }
}

/// Leaves nothing of the shelf but its widgets, as large as on a picture: the shelf draws them with the
/// scripts and the connection that an overlay would have.
const OVERLAY: &str = "const all = [...document.querySelectorAll('.shelf-stage .air-box')].slice(-30);
    document.body.replaceChildren(...all);
    document.body.setAttribute('style', 'margin:0;display:grid;grid-template-columns:repeat(6,1fr);grid-auto-rows:155px;gap:4px;background:#567');
    return all.length";

async fn number(browser: &Browser, script: &str) -> f64 {
    browser.run(script).await.as_f64().unwrap_or(f64::NAN)
}

/// Nodes and bytes of script that the page holds, after the rubbish was taken out.
async fn held(browser: &Browser) -> (f64, f64) {
    browser.devtools("HeapProfiler.collectGarbage", json!({})).await;
    let nodes = number(browser, "return document.querySelectorAll('*').length").await;
    (nodes, number(browser, "return performance.memory.usedJSHeapSize / 1e6").await)
}

pub async fn measure(report: &mut Report) {
    let seconds = std::env::var("TALLY_SHOW_SECONDS").ok().and_then(|text| text.parse().ok()).unwrap_or(SECONDS);
    let server = Server::start();
    let database = Database::on(server.url());
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][1]));
    build(&owner, WIDGETS).await;
    let browser = Browser::open().await;

    browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;

    // A bare page beside it: how many frames this machine gives to one that does nothing.
    browser.go(&format!("{}/healthz", program.base)).await;
    browser.run(FRAMES).await;
    tokio::time::sleep(Duration::from_secs(5)).await;
    let bare = number(&browser, "return frames_seen * 1000 / (performance.now() - began)").await;

    browser.go(&format!("{}/widgets", program.base)).await;
    browser.live().await;
    assert_eq!(number(&browser, OVERLAY).await as usize, WIDGETS);
    let mut next = play(&sender, 0, 10).await;
    let before = held(&browser).await;
    browser.run(FRAMES).await;
    next = play(&sender, next, seconds).await;
    let frames = number(&browser, "return frames_seen * 1000 / (performance.now() - began)").await;
    let gap = number(&browser, "return gap").await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    let after = held(&browser).await;
    report.add(
        &format!("{WIDGETS} widgets in Chromium, {RATE} events/s for {seconds} s"),
        format!("{frames:.1} frames/s"),
        format!("a page that does nothing: {bare:.1}: ratio {:.2}; the longest gap {gap:.0} ms", frames / bare),
        "≥ 55 frames/s",
    );
    report.add(
        "what that show leaves behind in the page",
        format!("{:+.1} MB of heap, {:+.0} nodes", after.1 - before.1, after.0 - before.0),
        format!("of {:.1} MB and {:.0} nodes; {} events", before.1, before.0, next),
        "no growth",
    );

    // Event to DOM while fifty widgets want to be drawn.
    build(&owner, CROWD - WIDGETS).await;
    browser.go(program.widget("Turntable motor")["page_url"].as_str().unwrap()).await;
    browser.run("window.seen = []; new MutationObserver(() => window.seen.push([document.querySelector('.goal-value').textContent, performance.timeOrigin + performance.now()])).observe(document.body, {subtree: true, childList: true, characterData: true});").await;
    let mut delays = Vec::new();
    // Every sixth of the script is a tip, which this goal counts.
    let tips = next.next_multiple_of(6);
    for step in 0..200_u64 {
        let sent = chrono::Utc::now().timestamp_micros() as f64 / 1_000.0;
        let before = number(&browser, "return seen.length").await;
        sender.deliver(&event(tips + step * 6)).await;
        let began = Instant::now();
        let mut at = f64::NAN;
        while began.elapsed() < Duration::from_secs(2) && at.is_nan() {
            at = number(&browser, &format!("return seen[{before}]?.[1] ?? null")).await;
        }
        if at.is_finite() {
            delays.push(Duration::from_secs_f64((at - sent).max(0.0) / 1_000.0));
        }
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
    let seen = delays.len();
    let (p50, p99) = (percentile(&mut delays, 50), percentile(&mut delays, 99));
    report.add(
        &format!("event to DOM with {} widgets, p99", CROWD + 14),
        format!("{p99:.1} ms"),
        format!("p50 {p50:.1} ms; {seen} of 200 seen; a bare broadcast is in the lines above"),
        "< 50 ms",
    );
    browser.close().await;
}
