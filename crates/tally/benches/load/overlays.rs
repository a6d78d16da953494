//! A page with thirty widgets: how soon it is seen, how much comes with it, how soon it goes on after a restart; and how
//! smoothly ten of them are dragged where they are arranged. Beside each, the same of a page with nothing on it.

use crate::kit::browser::Browser;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::report::{Report, median};
use serde_json::{Value, json};
use std::time::{Duration, Instant};

const ROUNDS: usize = 5;
const WIDGETS: u64 = 30;

/// When the first picture stood, in milliseconds after the page was asked for, and the kilobytes that came with it, as they
/// came over the line; fonts and pictures apart.
const OPENED: &str = "const of = (kind) => performance.getEntriesByType(kind);
    const load = [...of('navigation'), ...of('resource').filter((one) => !/\\.woff2|\\/clips\\/|\\/faces\\//.test(one.name))];
    return [of('paint').find((one) => one.name === 'first-contentful-paint')?.startTime ?? -1,
        load.reduce((sum, one) => sum + one.transferSize, 0) / 1024]";

/// How often styles were computed and boxes laid out in ten seconds in which nothing happens but that clocks tick.
async fn at_rest(url: &str) -> (f64, f64) {
    let browser = Browser::open().await;
    browser.devtools("Performance.enable", json!({})).await;
    browser.size(1_920, 1_080).await;
    browser.go(url).await;
    browser.shows_one("[data-piece]").await;
    tokio::time::sleep(Duration::from_secs(4)).await;
    let counts = async || {
        let told = browser.devtools("Performance.getMetrics", json!({})).await;
        let of = |name: &str| {
            let mut all = told["metrics"].as_array().unwrap().iter();
            all.find(|one| one["name"] == name).and_then(|one| one["value"].as_f64()).unwrap()
        };
        (of("RecalcStyleCount"), of("LayoutCount"))
    };
    let before = counts().await;
    tokio::time::sleep(Duration::from_secs(10)).await;
    let after = counts().await;
    browser.close().await;
    ((after.0 - before.0) / 10.0, (after.1 - before.1) / 10.0)
}

/// Frames drawn in a second.
const FRAMES: &str = "const done = arguments[arguments.length - 1]; let count = 0; const began = performance.now();
    const next = () => { const gone = performance.now() - began; count++;
        if (gone < 1000) requestAnimationFrame(next); else done(count * 1000 / gone); }; requestAnimationFrame(next);";

/// Lays an overlay out with so many widgets, those of the demo again and again; its number and the address of its page.
pub async fn lay_out(program: &Program, owner: &Owner, name: &str, widgets: u64) -> (String, String) {
    let made = owner.post("/overlays", &[("name", name), ("size", "1920x1080")]).await;
    let id = made.headers()["hx-redirect"].to_str().unwrap().rsplit('/').next().unwrap().to_owned();
    let send = async |path: &str, body: Value| {
        let sent = owner.send(&format!("/overlays/{id}/{path}"), "application/json", body.to_string()).await;
        assert!(sent.status().is_success());
    };
    for number in 0..widgets {
        let (column, row) = (number % 6, number / 6);
        let frame = json!({"x": column * 318 + 8, "y": row * 212 + 8, "width": 300, "height": 190});
        let what = json!({"widget": number % 20 + 1});
        send("edit", json!({"step": number + 1, "edit": {"add": {"what": what, "frame": frame}}})).await;
    }
    send("air", json!({"step": widgets + 1})).await;
    let room = owner.page(&format!("/overlays/{id}")).await;
    let token = room.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    (id, format!("{}/o/{token}", program.base))
}

/// Milliseconds to the first picture, and kilobytes.
async fn opened(url: &str) -> (f64, f64) {
    let (mut times, mut sizes) = (Vec::new(), Vec::new());
    for _ in 0..ROUNDS {
        // A browser of its own each time, so that nothing is kept from before.
        let browser = Browser::open().await;
        browser.size(1_920, 1_080).await;
        browser.go(url).await;
        browser.shows_one(".overlay").await;
        tokio::time::sleep(Duration::from_millis(1_500)).await;
        let told: [f64; 2] = serde_json::from_value(browser.run(OPENED).await).unwrap();
        times.push(told[0]);
        sizes.push(told[1]);
        browser.close().await;
    }
    (median(times), median(sizes))
}

/// Frames a second while everything that is selected is dragged to and fro, and while nothing is done.
async fn dragged(browser: &Browser) -> (f64, f64) {
    let frames = async || browser.client.execute_async(FRAMES, Vec::new()).await.unwrap().as_f64().unwrap();
    let at = browser
        .run("const at = document.querySelector('.is-selected').getBoundingClientRect(); return [at.left + 9, at.top + 9]")
        .await;
    let (x, y) = (at[0].as_f64().unwrap(), at[1].as_f64().unwrap());
    let still = frames().await;
    // The page moves the mouse itself, once a frame, so that the way of the events from here counts for nothing.
    let drag = format!(
        "const at = {{ x: {x}, y: {y} }}; const on = document.elementFromPoint(at.x, at.y); let step = 0; \
         const send = (kind, x, y) => on.dispatchEvent(new PointerEvent(kind, {{ bubbles: true, cancelable: true, \
            pointerId: 1, pointerType: 'mouse', isPrimary: true, button: 0, buttons: 1, clientX: x, clientY: y }})); \
         send('pointerdown', at.x, at.y); \
         const move = () => {{ step++; send('pointermove', at.x + Math.sin(step / 9) * 60, at.y + (step % 50)); \
            if (step < 400) requestAnimationFrame(move); else send('pointerup', at.x, at.y); }}; move();"
    );
    browser.run(&drag).await;
    (frames().await, still)
}

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let mut program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let (id, full) = lay_out(&program, &owner, "Thirty", WIDGETS).await;
    let (_, empty) = lay_out(&program, &owner, "Nothing", 1).await;
    let ((time, size), (bare_time, bare_size)) = (opened(&full).await, opened(&empty).await);
    report.add(
        "an overlay of 30 widgets, to the first picture",
        format!("{time:.0} ms"),
        format!("with one widget {bare_time:.0} ms: ratio {:.1}", time / bare_time),
        "≤ 300 ms",
    );
    report.add(
        "what comes with it, without fonts and pictures",
        format!("{size:.0} KB"),
        format!("with one widget {bare_size:.0} KB"),
        "≤ 45 KB",
    );

    let ((styles, layouts), (bare_styles, bare_layouts)) = (at_rest(&full).await, at_rest(&empty).await);
    report.add(
        "an overlay of 30 at rest, styles and layouts a second",
        format!("{styles:.1} and {layouts:.1}"),
        format!("with one widget {bare_styles:.1} and {bare_layouts:.1}; clocks tick once a second"),
        "ticking digits alone",
    );

    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.size(1280, 900).await;
    browser.go(&format!("{}/overlays/{id}", program.base)).await;
    browser.live().await;
    browser
        .run(
            "[...document.querySelectorAll('.layout-pick')].slice(0, 10).forEach((one, place) => \
             one.dispatchEvent(new MouseEvent('click', {bubbles: true, shiftKey: place > 0})))",
        )
        .await;
    let (dragging, still) = dragged(&browser).await;
    report.add(
        "frames a second, dragging ten of thirty",
        format!("{dragging:.0}"),
        format!("with nothing dragged {still:.0}: ratio {:.2}", dragging / still),
        "≥ 50",
    );

    // An outage of six seconds, as a restart takes; then how long until a press shows on the page again.
    browser.go(&full).await;
    browser.shows_one("[data-piece]").await;
    let mut waits = Vec::new();
    let counter = program.widget("Derailments");
    for number in 1..=ROUNDS {
        program.stop();
        tokio::time::sleep(Duration::from_secs(6)).await;
        program.again();
        let began = Instant::now();
        program.act(&counter, "add", json!({})).await;
        browser.shows(".counter-value", &number.to_string()).await;
        waits.push(began.elapsed().as_secs_f64() * 1_000.0);
    }
    let longest = waits.iter().copied().fold(0.0, f64::max);
    report.add(
        "an open page after six seconds without a server",
        format!("{:.0} ms", median(waits)),
        format!("from ready until a press is seen on it; the longest of {ROUNDS}: {longest:.0} ms"),
        "< 2000 ms",
    );
    browser.close().await;
}
