//! A scripted show through an overlay's worth of widgets in a real browser: how smoothly it runs, and
//! what it leaves behind.

use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::Sender;
use crate::report::{Report, median};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// Widgets on the overlay, and events a second.
const WIDGETS: usize = 30;
const RATE: u64 = 200;
/// How long the show lasts; `TALLY_SHOW_SECONDS` makes it shorter for trying.
const SECONDS: u64 = 600;

/// Counts frames, and the longest gap between two; `frames` tells both and begins anew.
pub const FRAMES: &str = "window.seen_frames = 0; window.gap = 0; window.began = performance.now(); let last = began;
    const step = (now) => { seen_frames += 1; gap = Math.max(gap, now - last); last = now; requestAnimationFrame(step); };
    requestAnimationFrame(step);
    window.frames = () => {
        const now = performance.now();
        const told = [seen_frames * 1000 / (now - began), gap];
        seen_frames = 0; gap = 0; began = now;
        return told;
    };";
/// How long a page that does nothing is watched between two stretches of the show.
const TURN: Duration = Duration::from_secs(5);
/// The show is measured in stretches, in seconds: one that the machine was taken away in can be told.
const STRETCH: u64 = 60;

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
pub async fn build(owner: &Owner, many: usize) {
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

/// A number that a script gives.
pub async fn number(browser: &Browser, script: &str) -> f64 {
    browser.run(script).await.as_f64().unwrap_or(f64::NAN)
}

/// Frames a second and the longest gap in milliseconds since it was asked last.
async fn frames(browser: &Browser) -> (f64, f64) {
    let told = browser.run("return frames()").await;
    (told[0].as_f64().unwrap_or(f64::NAN), told[1].as_f64().unwrap_or(f64::NAN))
}

/// What the processors did up to a moment, in ticks: the first line of `/proc/stat` (proc_stat(5)).
struct Processors {
    all: f64,
    stolen: f64,
}

impl Processors {
    fn now() -> Self {
        let text = std::fs::read_to_string("/proc/stat").unwrap_or_default();
        let ticks = text.lines().next().unwrap_or_default().split_whitespace().skip(1).take(8);
        let ticks: Vec<f64> = ticks.filter_map(|tick| tick.parse().ok()).collect();
        Self { all: ticks.iter().sum(), stolen: ticks.get(7).copied().unwrap_or(0.0) }
    }

    /// Which share was given to other guests of the machine since then, in percent.
    fn stolen_since(&self, earlier: &Self) -> f64 {
        100.0 * (self.stolen - earlier.stolen) / (self.all - earlier.all).max(1.0)
    }
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
    let database = Database::on(&server.url());
    let program = Program::start(&database.url);
    let (owner, sender) = (Owner::of(&program).await, Sender::of(&program.demo()["feeds"][1]));
    build(&owner, WIDGETS).await;
    let browser = Browser::open().await;

    browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;

    // Beside it, by turns, a page that does nothing: how many frames the machine gives just then.
    let bare = Browser::open().await;
    bare.go(&format!("{}/healthz", program.base)).await;
    let nothing = async || {
        bare.run(FRAMES).await;
        tokio::time::sleep(TURN).await;
        let told = frames(&bare).await.0;
        bare.go(&format!("{}/healthz", program.base)).await;
        told
    };

    browser.go(&format!("{}/widgets", program.base)).await;
    browser.live().await;
    assert_eq!(number(&browser, OVERLAY).await as usize, WIDGETS);
    let mut next = play(&sender, 0, 10).await;
    let before = held(&browser).await;
    browser.run(FRAMES).await;
    let (mut shown, mut idle, mut gaps, mut stolen) = (Vec::new(), vec![nothing().await], Vec::new(), Vec::new());
    for begun in (0..seconds).step_by(STRETCH as usize) {
        let taken = Processors::now();
        frames(&browser).await;
        next = play(&sender, next, STRETCH.min(seconds - begun)).await;
        let (rate, gap) = frames(&browser).await;
        stolen.push(Processors::now().stolen_since(&taken));
        shown.push(rate);
        gaps.push(gap);
        idle.push(nothing().await);
    }
    bare.close().await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    let after = held(&browser).await;
    let list = |of: &[f64]| of.iter().map(|one| format!("{one:.0}")).collect::<Vec<_>>().join(" ");
    let (usual, usual_idle) = (median(shown.clone()), median(idle.clone()));
    report.add(
        &format!("{WIDGETS} widgets in Chromium, {RATE} events/s for {seconds} s"),
        format!("{usual:.1} frames/s"),
        format!(
            "a page that does nothing, by turns: {usual_idle:.1}: ratio {:.2}; stretch by stretch {}, longest gaps {} ms, \
             the other page {}, percent of the processors taken by the machine's other guests {}",
            usual / usual_idle,
            list(&shown),
            list(&gaps),
            list(&idle),
            list(&stolen)
        ),
        "≥ 55 frames/s",
    );
    report.add(
        "what that show leaves behind in the page",
        format!("{:+.1} MB of heap, {:+.0} nodes", after.1 - before.1, after.0 - before.0),
        format!("of {:.1} MB and {:.0} nodes; {} events", before.1, before.0, next),
        "no growth",
    );
    browser.close().await;
}
