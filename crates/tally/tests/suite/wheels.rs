//! Wheels: turned alike on all pages, checked by anybody, standing though the server dies, and settling a tie.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::{Program, ready};
use crate::kit::until;
use serde_json::{Value, json};
use tally_core::record::acts::wheel::{Bytes32, Slice};
use tally_core::widgets::wheel::{commitment, draw};

const WHEEL: &str = "Forfeits";
const POLL: &str = "The platform decides";

/// Sealed, at rest.
async fn sealed(program: &Program, wheel: &Value) -> Value {
    until("the next spin is sealed", || async {
        Some(program.read(wheel).await).filter(|told| told["commitment"].is_string())
    })
    .await
}

/// By how many milliseconds a page's disc is behind the machine's clock or before it, as far as that can be told.
const LATE: &str = "
    const box = document.querySelector('[data-wheel]');
    const now = performance.timeOrigin + performance.now();
    const disc = new DOMMatrix(getComputedStyle(box.querySelector('.wheel-turns')).transform);
    const turned = (((Math.atan2(disc.b, disc.a) / (2 * Math.PI)) % 1) + 1) % 1;
    let best = [9, 0];
    for (let late = -400; late <= 400; late++) {
        const place = tallyWheel.place(box.wheel, now + late);
        const off = Math.abs((((turned + place) % 1) + 1.5) % 1 - 0.5);
        if (off < best[0]) best = [off, late];
    }
    return best[1];";

#[tokio::test(flavor = "multi_thread")]
async fn two_pages_turn_alike_one_joins_and_anybody_can_check() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let wheel = program.widget(WHEEL);
    let promised = sealed(&program, &wheel).await["commitment"].as_str().unwrap().to_owned();
    let (one, other) = (Browser::open().await, Browser::open().await);
    let url = wheel["page_url"].as_str().unwrap();
    one.go(url).await;
    one.shows(".wheel-seal", &promised[..12]).await;
    // Before the spin the promise stands on its public page, and nothing else.
    let fair = format!("{}/fair/{promised}", program.base);
    let before = reqwest::get(&fair).await.unwrap().text().await.unwrap();
    assert!(before.contains("not come to rest") && !before.contains("Opened after"));
    let spun = program.act(&wheel, "spin", json!({})).await;
    assert_eq!((&spun["phase"], &spun["winner"]), (&json!("turning"), &Value::Null));
    one.shows_one(".wheel.is-turning").await;
    // The other page is opened in the midst of it.
    other.go(url).await;
    other.shows_one(".wheel.is-turning").await;
    for browser in [&one, &other] {
        // Once the page has asked the server's time, and while the disc is quick enough to tell.
        until("the page turns by the same clock", || async {
            let late = browser.run(LATE).await.as_i64().unwrap();
            (late.abs() <= 100).then_some(())
        })
        .await;
    }
    one.shows_one(".wheel-winner").await;
    let won = program.read(&wheel).await["winner"]["text"].as_str().unwrap().to_owned();
    for browser in [&one, &other] {
        browser.shows(".wheel-winner", &won).await;
    }
    other.go(&fair).await;
    other.shows("[data-step=seal].is-right", "SHA-256").await;
    other.shows("[data-step=draw].is-right", &won).await;
    other.shows(".has-won", &won).await;
    // Whoever guesses finds nothing.
    let void = reqwest::get(format!("{}/fair/{}", program.base, "0".repeat(64))).await.unwrap();
    assert_eq!(void.status(), 404);
    one.close().await;
    other.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_check_page_reckons_as_the_core_does() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let told = program.read(&program.widget(WHEEL)).await;
    let browser = Browser::open().await;
    browser.go(&format!("{}/fair/{}", program.base, told["check"].as_str().unwrap())).await;
    browser.shows("[data-step=seal].is-right", "SHA-256").await;
    // Wheels of every size and weight, from a chain of digests.
    let (mut seed, mut wheels, mut expected) = (Bytes32([7; 32]), Vec::new(), Vec::new());
    for number in 0..3_000_usize {
        seed = commitment(seed);
        let weights = (0..number % 37 + 1).map(|at| {
            let byte = u32::from(seed.0[at % 32]);
            if number % 5 == 0 { byte << 24 } else { byte * (at as u32 % 7) }
        });
        let slices: Vec<Slice> = weights.map(|weight| Slice { text: "x".into(), weight }).collect();
        expected.push(draw(seed, &slices).map_or(-1, |drawn| drawn.index as i64));
        wheels.push(json!([seed, slices.iter().map(|slice| slice.weight).collect::<Vec<_>>()]));
    }
    for (wheels, expected) in wheels.chunks(500).zip(expected.chunks(500)) {
        let script =
            format!("return JSON.stringify({}.map(([seed, weights]) => tallyFair.draw(seed, weights)))", json!(wheels));
        let theirs: Vec<i64> = serde_json::from_str(browser.run(&script).await.as_str().unwrap()).unwrap();
        assert_eq!(theirs, expected);
    }
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_spin_stands_though_the_server_is_killed_while_it_turns() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let wheel = program.widget(WHEEL);
    let promised = sealed(&program, &wheel).await["commitment"].clone();
    let spun = program.act(&wheel, "spin", json!({})).await;
    program.kill();
    program.again();
    ready(&program.base).await;
    let told = program.read(&wheel).await;
    assert_eq!((&told["turn"], &told["phase"]), (&spun["turn"], &json!("turning")));
    let told = until("the wheel has come to rest", || async {
        Some(program.read(&wheel).await).filter(|told| told["winner"].is_object())
    })
    .await;
    assert_eq!(told["check"], promised);
    // Another one is sealed, and the public page tells of the one before.
    sealed(&program, &wheel).await;
    let fair = format!("{}/fair/{}", program.base, promised.as_str().unwrap());
    until("the spin can be checked", || async {
        let page = reqwest::get(&fair).await.unwrap().text().await.unwrap();
        page.contains(told["winner"]["text"].as_str().unwrap()).then_some(())
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tie_is_handed_to_the_wheel_at_the_desk() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (owner, wheel, poll) = (Owner::of(&program).await, program.widget(WHEEL), program.widget(POLL));
    let edit = format!("/widgets/{}/edit", wheel["id"]);
    owner.done(&edit, &[("key", "turn"), ("text", "3")]).await;
    owner.done(&format!("/widgets/{}/put-on-air", wheel["id"]), &[]).await;
    let browser = Browser::open().await;
    browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.live().await;
    let plate = |widget: &Value| format!(".plate[data-live='d{}']", widget["id"]);
    program.act(&poll, "open", json!({"value": 1})).await;
    until("two have voted", || async {
        program.say("tallow_wren", "follower", "green").await;
        program.say("quietferry", "follower", "3").await;
        (program.read(&poll).await["votes"] == 2).then_some(())
    })
    .await;
    // A plate that has something to tell moves; it is pressed where it rests.
    browser.shows(&plate(&poll), "2 votes").await;
    browser.rests().await;
    browser.click(&format!("{} .lever-main", plate(&poll))).await;
    browser.shows(&plate(&poll), "A tie").await;
    browser.shows(".strip", "It can settle the tie of Green and Lined maroon").await;
    browser.click(&format!("{} [data-press=settle]", plate(&wheel))).await;
    let told = until("the poll has heard of it", || async {
        Some(program.read(&poll).await).filter(|told| told["decided_by"] == "wheel")
    })
    .await;
    assert_eq!(told["note"], "Decided by the wheel");
    let won = told["options"].as_array().unwrap().iter().find(|one| one["won"] == true).unwrap()["text"].clone();
    assert_eq!(program.read(&wheel).await["winner"]["text"], won);
    browser.shows(&format!("{} .has-won", plate(&poll)), won.as_str().unwrap()).await;
    browser.close().await;
}
