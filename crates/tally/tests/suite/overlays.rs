//! Overlays: arranged by mouse and by keys, put on air, and compared with the layout to the pixel.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::page::Page;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::{Value, json};
use tally_core::overlay::{Fit, Overlay, fitted};

/// The boxes of a page's pieces, in pixels of its window: number, left, upper edge, width, height.
async fn boxes(browser: &Browser) -> Vec<[f64; 5]> {
    let script = "return [...document.querySelectorAll('[data-piece]:not(.is-away)')].map((one) => { \
        const at = one.getBoundingClientRect(); \
        return [Number(one.dataset.piece), at.left, at.top, at.width, at.height]; })";
    serde_json::from_value(browser.run(script).await).unwrap()
}

/// Where the layout room's data says that pieces stand.
async fn frames(browser: &Browser) -> Vec<Value> {
    let script = "return [...document.querySelectorAll('.layout-window [data-piece]')].map((one) => \
        ({...JSON.parse(one.dataset.frame), id: Number(one.dataset.piece)}))";
    serde_json::from_value(browser.run(script).await).unwrap()
}

async fn steps(browser: &Browser, expected: usize) {
    until(&format!("there are {expected} pieces"), || async {
        (frames(browser).await.len() == expected).then_some(())
    })
    .await;
}

/// Drags what a selector finds by so many pixels of the window, in a few moves as a hand does.
async fn drag(browser: &Browser, css: &str, dx: f64, dy: f64) {
    let at = browser
        .run(&format!(
            "const at = document.querySelector('{css}').getBoundingClientRect(); \
             return [at.left + at.width / 2, at.top + at.height / 2]"
        ))
        .await;
    let (x, y) = (at[0].as_f64().unwrap(), at[1].as_f64().unwrap());
    let mouse = async |kind: &str, x: f64, y: f64| {
        let event = json!({"type": kind, "x": x, "y": y, "button": "left", "buttons": 1, "clickCount": 1});
        browser.devtools("Input.dispatchMouseEvent", event).await;
    };
    mouse("mouseMoved", x, y).await;
    mouse("mousePressed", x, y).await;
    for part in 1..=5 {
        let share = f64::from(part) / 5.0;
        mouse("mouseMoved", x + dx * share, y + dy * share).await;
    }
    mouse("mouseReleased", x + dx, y + dy).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_overlay_is_arranged_put_on_air_and_stands_to_the_pixel_in_every_window() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.size(1280, 900).await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/overlays", program.base)).await;
    browser.fill("#overlay-name", "Side picture").await;
    browser.click(".overlay-new .press-main").await;
    browser.shows(".layout-bar h1", "Side picture").await;
    let room = browser.client.current_url().await.unwrap().to_string();

    // Ten pieces: three that are added, copies of them, and copies of those.
    for (count, what) in ["1", "text", "panel"].into_iter().enumerate() {
        browser.run(&format!("document.getElementById('layout-what').value = '{what}'")).await;
        browser.click("[data-add]").await;
        steps(&browser, count + 1).await;
    }
    browser.run("document.querySelector('.layout-desk').focus()").await;
    let press = async |key: &str, modifiers: u32| {
        let code = json!({"type": "keyDown", "key": key, "modifiers": modifiers});
        browser.devtools("Input.dispatchKeyEvent", code).await;
    };
    const CTRL: u32 = 2;
    const SHIFT: u32 = 8;
    press("a", CTRL).await;
    press("d", CTRL).await;
    steps(&browser, 6).await;
    press("d", CTRL).await;
    steps(&browser, 9).await;
    browser.click(".layout-rows li:first-child .layout-pick").await;
    press("d", CTRL).await;
    steps(&browser, 10).await;

    // By mouse, and by keys.
    let of = async |id: i64| frames(&browser).await.into_iter().find(|one| one["id"] == id).unwrap();
    let before = of(10).await;
    drag(&browser, "[data-piece=\"10\"]", 90.0, 60.0).await;
    until("it was dragged", || async { (of(10).await["x"] != before["x"]).then_some(()) }).await;
    let dragged = of(10).await;
    press("ArrowRight", 0).await;
    press("ArrowDown", SHIFT).await;
    until("it was nudged", || async {
        let at = of(10).await;
        (at["x"] == dragged["x"].as_i64().unwrap() + 1 && at["y"] == dragged["y"].as_i64().unwrap() + 10).then_some(())
    })
    .await;
    // A group is selected, aligned and moved as one.
    browser.click("[data-row=\"1\"] .layout-pick").await;
    browser.run("document.querySelector('[data-row=\"2\"] .layout-pick').dispatchEvent(new MouseEvent('click', {bubbles: true, shiftKey: true}))").await;
    browser.click("[data-align=left]").await;
    until("they are aligned", || async { (of(1).await["x"] == of(2).await["x"]).then_some(()) }).await;
    press("g", CTRL).await;
    until("they are a group", || async {
        (browser.run("return document.querySelectorAll('[data-group]').length").await == 2).then_some(())
    })
    .await;
    browser.click("[data-row=\"1\"] .layout-pick").await;
    let (first, second) = (of(1).await, of(2).await);
    press("ArrowUp", SHIFT).await;
    until("both have moved", || async {
        let by = |now: &Value, then: &Value| then["y"].as_i64().unwrap() - now["y"].as_i64().unwrap();
        (by(&of(1).await, &first) == 10 && by(&of(2).await, &second) == 10).then_some(())
    })
    .await;
    let arranged = frames(&browser).await;

    // Everything undone, and done again.
    for _ in 0..40 {
        press("z", CTRL).await;
    }
    steps(&browser, 0).await;
    for _ in 0..40 {
        press("Z", CTRL | SHIFT).await;
    }
    until("all is done again", || async { (frames(&browser).await == arranged).then_some(()) }).await;
    browser.click("[data-air]").await;
    until("it is on air", || async {
        (browser.run("return document.querySelector('[data-air]').disabled").await == true).then_some(())
    })
    .await;
    let url = browser.run("return document.getElementById('overlay-url').value").await.as_str().unwrap().to_owned();

    // On air, in three windows: every box where the core says.
    let page = browser.tab(&url).await;
    for (wide, high) in [(1_920, 1_080), (800, 600), (640, 1_000)] {
        browser.size(wide, high).await;
        let at = fitted(&Overlay::new("Side picture", 1_920, 1_080).unwrap(), (wide, high)).unwrap();
        let expected: Vec<[f64; 5]> = arranged
            .iter()
            .map(|frame| {
                let of = |part: &str| frame[part].as_f64().unwrap();
                let (x, y) = (at.x + of("x") * at.scale, at.y + of("y") * at.scale);
                [of("id"), x, y, of("width") * at.scale, of("height") * at.scale]
            })
            .collect();
        until(&format!("all boxes stand in {wide}×{high}"), || async {
            let seen = boxes(&browser).await;
            let near = |(one, other): (&f64, &f64)| (one - other).abs() < 0.1;
            let fits = |(seen, wanted): (&[f64; 5], &[f64; 5])| seen.iter().zip(wanted).all(near);
            (seen.len() == expected.len() && seen.iter().zip(&expected).all(fits)).then_some(())
        })
        .await;
    }

    // The layout room says in which window it is open, and what to do.
    let owner = Owner::of(&program).await;
    let id = room.rsplit('/').next().unwrap();
    let seen = async || owner.page(&format!("/overlays/{id}/windows")).await;
    until("it says so", || async {
        seen().await.contains("Open at 640×1000, laid out for 1920×1080: set the source to 1920×1080.").then_some(())
    })
    .await;
    browser.size(1_920, 1_080).await;
    until("the window is right", || async { seen().await.contains("at\n  the size").then_some(()) }).await;

    // What happens moves it; a restart of the server does not; another layout comes without a reload.
    browser.run("document.body.dataset.same = 'yes'").await;
    program.stop();
    program.again();
    let sender = crate::kit::sender::Sender::of(&program.demo()["feeds"][0]);
    sender.deliver(&crate::kit::sender::tip("12.50")).await;
    browser.shows("[data-piece=\"1\"]", "£225").await;
    let step = async || {
        let page = owner.page(&format!("/overlays/{id}")).await;
        page.split("data-step=\"").nth(1).unwrap().split('"').next().unwrap().parse::<u32>().unwrap()
    };
    let send = async |path: &str, body: Value| {
        let sent = owner.send(&format!("/overlays/{id}/{path}"), "application/json", body.to_string()).await;
        (sent.status().as_u16(), sent.json::<Value>().await.unwrap())
    };
    let now = step().await;
    let hide = json!({"hide": {"ids": [10], "hidden": true}});
    assert_eq!(send("edit", json!({"step": now, "edit": hide})).await.0, 200);
    assert_eq!(boxes(&browser).await.len(), 10, "it is tried first");
    assert_eq!(send("air", json!({"step": now + 1})).await.0, 200);
    until("the hidden piece is gone", || async { (boxes(&browser).await.len() == 9).then_some(()) }).await;
    assert_eq!(browser.run("return document.body.dataset.same").await, "yes", "without a reload");

    // Two people at once: the second is told, and nothing is lost.
    let (status, late) = send("edit", json!({"step": now, "edit": {"remove": {"ids": [1]}}})).await;
    assert_eq!((status, &late["meanwhile"], &late["step"]), (200, &json!(true), &json!(now + 1)));
    // What makes no layout is refused in words.
    let (status, refused) =
        send("edit", json!({"step": now + 1, "edit": {"nudge": {"ids": [1], "dx": 90_000, "dy": 0}}})).await;
    assert_eq!(status, 422);
    assert!(refused["detail"].as_str().unwrap().contains("must be seen on the board"), "{refused}");
    let unknown = json!({"step": now + 1, "edit": {"explode": {}}}).to_string();
    assert_eq!(owner.send(&format!("/overlays/{id}/edit"), "application/json", unknown).await.status(), 400);

    // Another address: the old page goes blank at once.
    owner.done(&format!("/overlays/{id}/readdress"), &[]).await;
    until("the page is blank", || async { boxes(&browser).await.is_empty().then_some(()) }).await;
    assert_eq!(reqwest::get(&url).await.unwrap().status(), 404);
    browser.to(&page).await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_board_says_how_other_windows_show_it() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    for (name, size, why) in [
        ("", "1920x1080", "name"),
        ("Main", "wide", "written as width and height"),
        ("Main", "4x4", "pixels wide and high"),
        ("Main", "99999x100", "pixels wide and high"),
    ] {
        let told = owner.refused("/overlays", &[("name", name), ("size", size)]).await;
        assert!(told.contains(why), "{name} {size}: {told}");
    }
    let page = owner.page("/overlays").await;
    assert!(page.contains("Main picture") && page.contains("1080 × 1920"), "the demo's two");
    let url = page.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let browser = Browser::open().await;
    browser.go(&format!("{}/o/{url}", program.base)).await;
    let overlay = |fit| Overlay { fit, ..Overlay::new("Main picture", 1_920, 1_080).unwrap() };
    for fit in Fit::ALL {
        let key = fit.about().0;
        let body =
            json!({"step": 1, "edit": {"board": {"name": "Main picture", "width": 1920, "height": 1080, "fit": key}}});
        let step = owner.send("/overlays/1/edit", "application/json", body.to_string()).await.json::<Value>().await;
        let air = json!({"step": step.unwrap()["step"]}).to_string();
        owner.send("/overlays/1/air", "application/json", air).await;
        owner.send("/overlays/1/turn", "application/json", json!({"step": 2, "back": true}).to_string()).await;
        for window in [(1_000, 1_000), (1_600, 500)] {
            browser.size(window.0, window.1).await;
            let at = fitted(&overlay(fit), window).unwrap();
            until(&format!("the board stands {key} in {window:?}"), || async {
                let script = "const at = document.querySelector('.overlay').getBoundingClientRect(); \
                    return [at.left, at.top, at.width / 1920]";
                let seen: [f64; 3] = serde_json::from_value(browser.run(script).await).unwrap();
                let wanted = [at.x, at.y, at.scale];
                seen.iter().zip(&wanted).all(|(one, other)| (one - other).abs() < 0.1).then_some(())
            })
            .await;
        }
    }
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_that_was_just_loaded_is_not_sent_again_what_it_has() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let list = Owner::of(&program).await.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let url = format!("{}/o/{token}", program.base);
    // Somebody may draw something between loading and connecting; then all of it is sent, and another page is tried.
    until("a page has all of it", || async {
        let mut loaded = Page::load(&url).await;
        assert!(loaded.next().await.unwrap()["hello"].is_string());
        assert_eq!(loaded.next().await.unwrap()["cover"], false);
        program.act(&program.widget("Cups of tea"), "add", json!({"value": 1})).await;
        program.act(&program.widget("Turntable motor"), "rearm", json!({})).await;
        loaded.next().await.unwrap()["parts"]["overlay"].is_null().then_some(())
    })
    .await;
    // Whoever comes later, or back, gets all of it.
    let mut again = Page::open(&url).await;
    again.drawn("data-piece").await;
}

/// A stage that comes between two drawings of one widget, in one frame, hides neither the one nor brings back the other.
#[tokio::test(flavor = "multi_thread")]
async fn what_comes_after_a_stage_stands_in_it_however_fast_it_comes() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let owner = Owner::of(&program).await;
    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap();
    let air = Browser::open().await;
    air.go(&format!("{}/o/{token}", program.base)).await;
    air.shows_one("[data-live=overlay] [data-live^=w]").await;
    air.run(
        "window.WebSocket = class { constructor() { window.line = this; } send() {} close() {} }; \
         dispatchEvent(new Event('online')); \
         const [one, other] = [...document.querySelectorAll('[data-live^=w]')].map((place) => place.dataset.live); \
         const say = (parts) => line.onmessage({ data: JSON.stringify({ parts }) }); \
         const stage = document.querySelector('[data-live=overlay]').cloneNode(true); \
         stage.querySelector(`[data-live=${one}]`).textContent = 'staged'; \
         for (const text of ['first', 'second']) say({ [one]: text }); \
         say({ overlay: stage.innerHTML }); \
         say({ [one]: 'third', [other]: 'last' }); \
         Object.assign(document.body.dataset, { one, other });",
    )
    .await;
    for (place, expected) in [("other", "last"), ("one", "third")] {
        let id = air.run(&format!("return document.body.dataset.{place}")).await;
        air.shows(&format!("[data-live={}]", id.as_str().unwrap()), expected).await;
    }
}
