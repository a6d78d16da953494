//! Overlays during a show: pieces are changed and copied from one to another, shown and hidden from the desk, and the
//! pages say how they are seen.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::json;

const CTRL: u32 = 2;

async fn press(browser: &Browser, key: &str, modifiers: u32) {
    browser.devtools("Input.dispatchKeyEvent", json!({"type": "keyDown", "key": key, "modifiers": modifiers})).await;
}

/// The address of an overlay's page, as the list has it.
async fn address(owner: &Owner, place: usize) -> String {
    let page = owner.page("/overlays").await;
    let token = page.split("/o/").nth(place + 1).unwrap().split('"').next().unwrap().to_owned();
    format!("/o/{token}")
}

#[tokio::test(flavor = "multi_thread")]
async fn pieces_are_written_coloured_copied_to_another_overlay_and_put_on_air_at_once() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, owner, browser) = (program.base.clone(), Owner::of(&program).await, Browser::open().await);
    browser.size(1280, 900).await;
    browser.sign_in(&base, &program.demo()).await;
    browser.go(&format!("{base}/overlays/1")).await;
    browser.live().await;
    browser.shows_one(".layout-window .piece").await;

    // A text is added, and says the overlay's name until something else is written.
    browser.run("document.getElementById('layout-what').value = 'text'").await;
    browser.click("[data-add]").await;
    browser.shows(".piece-text", "Main picture").await;
    browser.fill(".layout-piece [name=text]", "Doors open at seven").await;
    browser.keys("\t").await;
    browser.shows(".piece-text", "Doors open at seven").await;
    let choose = async |name: &str, value: &str| {
        let script = format!(
            "const field = document.querySelector('.layout-piece [name={name}]'); field.value = '{value}'; \
             field.dispatchEvent(new Event('change', {{bubbles: true}}))"
        );
        browser.run(&script).await;
    };
    choose("side", "middle").await;
    browser.shows_one(".piece-text.side-middle").await;
    choose("colour", "#e2a62b").await;
    browser.shows_one(".piece-text[data-colour='#e2a62b']").await;
    choose("entrance", "slide").await;
    browser.shows_one(".piece.enters-slide .piece-text").await;
    // An icon is added, chosen and grouped with it.
    browser.run("document.getElementById('layout-what').value = 'icon'").await;
    browser.click("[data-add]").await;
    browser.shows_one(".icon-lamp").await;
    choose("icon", "whistle").await;
    browser.shows_one(".icon-whistle .sign-whistle").await;
    browser
        .run("document.querySelectorAll('.layout-pick')[1].dispatchEvent(new MouseEvent('click', {bubbles: true, shiftKey: true}))")
        .await;
    browser.click("[data-do=group]").await;
    until("they are a group", || async {
        (browser.run("return document.querySelectorAll('[data-group]').length").await == 2).then_some(())
    })
    .await;

    // Nearer, and back: the board is as large as it was, and the rulers say so.
    let scale = async || browser.text(".layout-zoom output").await;
    let whole = scale().await;
    browser.click("[data-zoom=in]").await;
    assert_ne!(scale().await, whole);
    browser.run("document.querySelector('.layout-desk').focus()").await;
    press(&browser, "0", 0).await;
    until("all of the board is seen", || async { (scale().await == whole).then_some(()) }).await;

    // Both are copied into the tall overlay, where they have other numbers and are a group again.
    press(&browser, "c", CTRL).await;
    browser.shows("#word", "Copied 2 pieces.").await;
    browser.go(&format!("{base}/overlays/2")).await;
    browser.live().await;
    browser.run("document.querySelector('.layout-desk').focus()").await;
    press(&browser, "v", CTRL).await;
    browser.shows(".piece-text", "Doors open at seven").await;
    until("they came as a group", || async {
        (browser.run("return document.querySelectorAll('[data-group]').length").await == 2).then_some(())
    })
    .await;

    // Tried first, unless the streamer wants every step on air.
    let air = Browser::open().await;
    air.go(&format!("{base}{}", address(&owner, 1).await)).await;
    air.live().await;
    assert_eq!(air.run("return document.querySelectorAll('.piece-text').length").await, 0);
    owner.done("/overlays/2/at-once", &[("at_once", "true")]).await;
    browser.go(&format!("{base}/overlays/2")).await;
    browser.shows(".layout-at-once", "Every step is on air at once").await;
    browser.click(".layout-rows li:first-child .layout-pick").await;
    browser.run("document.querySelector('.layout-desk').focus()").await;
    press(&browser, "ArrowUp", 0).await;
    air.shows(".piece-text", "Doors open at seven").await;
    press(&browser, "z", CTRL).await;
    press(&browser, "z", CTRL).await;
    until("undoing is on air too", || async {
        (air.run("return document.querySelectorAll('.piece-text').length").await == 0).then_some(())
    })
    .await;
    for browser in [browser, air] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn pieces_come_and_go_from_the_desk_and_pages_say_how_they_are_seen() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let (base, owner) = (program.base.clone(), Owner::of(&program).await);
    let (desk, air) = (Browser::open().await, Browser::open().await);
    desk.sign_in(&base, &program.demo()).await;
    desk.live().await;
    air.size(1_920, 1_080).await;
    air.go(&format!("{base}{}", address(&owner, 0).await)).await;
    let seen = async |shown: bool| {
        let script = "const one = [...document.querySelectorAll('.piece')].find((one) => \
            one.textContent.includes('Turntable motor')); return one && getComputedStyle(one).visibility";
        let wanted = if shown { "visible" } else { "hidden" };
        until(&format!("the goal is {wanted}"), || async { (air.run(script).await == wanted).then_some(()) }).await;
    };
    seen(true).await;

    // Hidden by one press, shown by the next; the ledger says who did it, and it stays so over a restart.
    let key = "#on-picture [data-appear='/overlays/1/appear'][title^='Turntable motor']";
    desk.click(key).await;
    seen(false).await;
    desk.shows("[data-live=roll]", "hid Turntable motor on Main picture").await;
    desk.shows_one(&format!("{key}[aria-pressed=false]")).await;
    program.stop();
    program.again();
    air.run("document.body.dataset.same = 'yes'").await;
    seen(false).await;
    let again = owner.send(
        "/overlays/1/appear",
        "application/json",
        json!({"pieces": [1], "shown": false, "id": "twice"}).to_string(),
    );
    let again = again.await;
    assert_eq!(again.status(), 422);
    assert!(again.text().await.unwrap().contains("hidden already"));
    let unknown = json!({"pieces": [777], "shown": true, "id": "x"}).to_string();
    let refused = owner.send("/overlays/1/appear", "application/json", unknown).await.text().await.unwrap();
    assert!(refused.contains("not on the picture any more"), "{refused}");
    desk.go(&format!("{base}/desk")).await;
    desk.live().await;
    desk.click(key).await;
    seen(true).await;
    assert_eq!(air.run("return document.body.dataset.same").await, "yes", "the page was not loaded anew");

    // What a new layout hides is hidden, though the desk showed it; what it leaves alone stays as the desk has it.
    let edit = json!({"step": 1, "edit": {"hide": {"ids": [1], "hidden": true}}}).to_string();
    let step =
        owner.send("/overlays/1/edit", "application/json", edit).await.json::<serde_json::Value>().await.unwrap();
    owner.send("/overlays/1/air", "application/json", json!({"step": step["step"]}).to_string()).await;
    seen(false).await;
    desk.shows_one(&format!("{key}[aria-pressed=false]")).await;
    desk.click(key).await;
    seen(true).await;

    // A window of the wrong size is told of on every page of the application, until it is right.
    air.size(800, 600).await;
    desk.shows(".strip", "Main picture open at 800×600, laid out for 1920×1080: set the source to 1920×1080").await;
    air.size(1_920, 1_080).await;
    until("nothing is wrong any more", || async { (!desk.text(".strip").await.contains("800×600")).then_some(()) })
        .await;
    // How often it is drawn is counted by the page itself.
    until("it says how often it is drawn", || async {
        owner.page("/overlays/1/windows").await.contains("times a second").then_some(())
    })
    .await;

    // One press reloads every open page.
    owner.done("/overlays/reload", &[]).await;
    until("the page was loaded anew", || async {
        (air.run("return document.body?.dataset.same ?? 'no'").await == "no").then_some(())
    })
    .await;
    seen(true).await;
    for browser in [desk, air] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn one_key_covers_everything_on_air_and_brings_it_back() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let (base, owner) = (program.base.clone(), Owner::of(&program).await);
    let (desk, air, single) = (Browser::open().await, Browser::open().await, Browser::open().await);
    desk.sign_in(&base, &program.demo()).await;
    desk.live().await;
    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    air.go(&format!("{base}/o/{token}")).await;
    single.go(program.widget("Derailments")["page_url"].as_str().unwrap()).await;
    let seen = async |wanted: &str| {
        for page in [&air, &single] {
            until(&format!("what is on air is {wanted}"), || async {
                (page.run("return getComputedStyle(document.body).visibility").await == wanted).then_some(())
            })
            .await;
        }
    };
    seen("visible").await;
    let key = "document.body.dispatchEvent(new KeyboardEvent('keydown', {code: 'Backquote', bubbles: true, cancelable: true}))";
    desk.run(key).await;
    seen("hidden").await;
    desk.shows("[data-live=roll]", "odile covered the picture").await;
    desk.shows(".strip", "nothing is seen on air").await;
    // It stays so over a restart, and for a page that is opened meanwhile; counting goes on beneath it.
    program.stop();
    program.again();
    single.go(program.widget("Derailments")["page_url"].as_str().unwrap()).await;
    seen("hidden").await;
    program.act(&program.widget("Derailments"), "add", json!({"value": 2})).await;
    let twice = json!({"covered": true, "id": "once more"}).to_string();
    let refused = owner.send("/desk/cover", "application/json", twice).await;
    assert_eq!(refused.status(), 422);
    desk.go(&format!("{base}/desk")).await;
    desk.live().await;
    desk.shows(".cover", "Nothing is seen on air").await;
    desk.click("[data-cover]").await;
    seen("visible").await;
    single.shows(".counter-value", "2").await;
    desk.shows("[data-live=roll]", "brought the picture back").await;
    for browser in [desk, air, single] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_wrong_before_going_on_air_is_listed_and_mended_by_one_press() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, owner) = (program.base.clone(), Owner::of(&program).await);
    let (desk, air) = (Browser::open().await, Browser::open().await);
    owner.done("/widgets/1/edit", &[("key", "title"), ("text", "Turntable fund")]).await;
    desk.sign_in(&base, &program.demo()).await;
    desk.live().await;
    // Whoever goes on air sees at once what is wrong.
    desk.click(".air-lever").await;
    desk.shows_one(".before-air[open] .lamp-barred").await;
    owner.done("/shows/end", &[]).await;
    desk.shows("#before-air", "“Main picture” is open nowhere").await;
    desk.shows("#before-air", "“Turntable motor” has changes that are not on air").await;
    desk.click("#before-air [hx-post='/widgets/1/put-on-air']").await;
    until("that is mended", || async {
        (!desk.text("#before-air").await.contains("changes that are not on air")).then_some(())
    })
    .await;
    let list = owner.page("/overlays").await;
    let token = list.split("/o/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    air.size(1_920, 1_080).await;
    air.go(&format!("{base}/o/{token}")).await;
    until("the page tells of itself", || async {
        let page = owner.page("/desk/ready").await;
        page.contains("“Main picture” is open, at the size it was laid out for").then_some(())
    })
    .await;
    for browser in [desk, air] {
        browser.close().await;
    }
}
