//! Where things stand, in every room, at the sizes at which people work, with the hardest data there is.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip_by};

/// A laptop, a desk, a phone.
const SIZES: [(u32, u32); 3] = [(1280, 800), (1440, 900), (390, 844)];

/// Rooms, each with what is opened in it. `{ledger}` is a line of the ledger.
const ROOMS: [(&str, &str); 49] = [
    ("/desk", ""),
    ("/desk", "document.querySelector('[data-open=arrange]').click()"),
    ("/widgets", ""),
    ("/widgets", "document.querySelector('[data-open=new-widget]').click()"),
    ("/widgets/1", ""),
    ("/widgets/1", "document.querySelector('[data-part=target] .part-shown').click()"),
    ("/widgets/1", "document.querySelector('#slip summary').click()"),
    ("/widgets/1", "document.querySelector('[data-drawer=shape][aria-expanded=false]')?.click()"),
    ("/widgets/1", "document.querySelector('[data-drawer=motion][aria-expanded=false]')?.click()"),
    ("/widgets/2", ""),
    ("/widgets/3", "document.querySelector('[data-drawer=text][aria-expanded=false]')?.click()"),
    ("/widgets/4", ""),
    ("/widgets/5", ""),
    ("/widgets/6", ""),
    ("/widgets/7", ""),
    ("/widgets/8", ""),
    ("/widgets/9", ""),
    (
        "/widgets/10",
        "document.querySelector('[data-drawer=kinds][aria-expanded=false]')?.click(); document.querySelectorAll('.kind-more').forEach((one) => { one.open = true; })",
    ),
    ("/widgets/11", ""),
    ("/widgets/10/looks", ""),
    ("/feeds", ""),
    ("/feeds", "document.querySelectorAll('details').forEach((one) => { one.open = true; })"),
    ("/feeds/3/rules", ""),
    ("/feeds/3/rules", "document.querySelectorAll('details').forEach((one) => { one.name = ''; one.open = true; })"),
    ("/ledger", ""),
    (
        "/ledger",
        "document.querySelectorAll('details').forEach((one) => { one.open = true; }); document.querySelector('.ledger-line [aria-expanded]').click()",
    ),
    ("/shows", "document.querySelectorAll('details').forEach((one) => { one.open = true; })"),
    ("/polls", ""),
    ("/matches", "document.querySelectorAll('details').forEach((one) => { one.open = true; })"),
    ("/widgets/22", ""),
    ("/widgets/19", ""),
    ("/widgets/21", ""),
    ("/channel", ""),
    ("/account", ""),
    ("/overlays", ""),
    ("/overlays/1", ""),
    (
        "/overlays/1",
        "document.querySelector('.layout-board').open = true; document.querySelector('.layout-pick').click()",
    ),
    ("/files", ""),
    ("/files", "document.querySelectorAll('details').forEach((one) => { one.open = true; })"),
    ("/cues", "document.querySelectorAll('details').forEach((one) => { one.open = true; })"),
    ("/chat", ""),
    ("/rehearsals", "document.querySelector('.rehearsal-own').open = true"),
    ("/looks", ""),
    ("/looks/1?on=1", "document.querySelectorAll('details').forEach((one) => { one.open = true; })"),
    ("/helpers", ""),
    ("/helpers", "document.querySelector('.passes form button').click()"),
    ("/pass", ""),
    ("/widgets/23/score", ""),
    ("/widgets/23/score", "document.getElementById('score-rare').open = true"),
];

/// Names of forty wide letters, amounts as large as they may be.
async fn harden(program: &Program, owner: &Owner) {
    let wide = "W".repeat(40);
    let sender = Sender::of(&program.demo()["feeds"][0]);
    for name in [&wide, "駅長🚂駅長🚂駅長🚂駅長🚂駅長🚂駅長🚂駅長🚂駅長🚂駅長🚂駅長🚂"]
    {
        sender.deliver(&tip_by(name, "9999999999.99")).await;
    }
    for widget in program.demo()["widgets"].as_array().unwrap() {
        let (id, family) = (&widget["id"], widget["family"].as_str().unwrap());
        owner.done(&format!("/widgets/{id}/edit"), &[("key", "title"), ("text", &wide)]).await;
        if family == "goal" {
            owner.post(&format!("/widgets/{id}/edit"), &[("key", "target"), ("text", "9999999999.99")]).await;
        }
        owner.done(&format!("/widgets/{id}/put-on-air"), &[]).await;
    }
    let chat = [("kind", "chat"), ("name", &wide), ("host", "localhost"), ("port", "1"), ("nick", "t"), ("room", "r")];
    owner.done("/feeds", &chat).await;
}

/// A feed with a rule, and a message that it refuses.
async fn wire(owner: &Owner) {
    owner.done("/feeds", &[("kind", "any_webhook"), ("name", "Odd tips")]).await;
    let url = owner.page("/feeds").await.split("id=\"url-3\"").nth(1).unwrap().to_owned();
    let url = url.split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let hard = serde_json::json!({
        "kind": "payment", "ref": "W".repeat(60), "who": {"nick": "W".repeat(40), "駅長🚂駅長🚂駅長🚂": true},
        "pence": 999_999_999_999_i64, "cur": "QQQ", "rows": [{"a": "b"}, {"a": "c"}],
    });
    for message in [hard, serde_json::json!({"kind": "ping"})] {
        reqwest::Client::new().post(&url).body(message.to_string()).send().await.unwrap().error_for_status().unwrap();
    }
    owner.done("/feeds/3/rules/edit", &[("part", "new")]).await;
    owner.done("/feeds/3/rules/edit", &[("part", "event"), ("key", "tip")]).await;
    for (key, pointer) in [("name", "/body/who/nick"), ("amount", "/body/pence"), ("currency", "/body/cur")] {
        owner.done("/feeds/3/rules/edit", &[("part", "field"), ("key", key), ("pointer", pointer)]).await;
    }
}

async fn faults(browser: &Browser, base: &str, rooms: &[(&str, &str)]) -> Vec<String> {
    let mut all = Vec::new();
    for (width, height) in SIZES {
        browser.size(width, height).await;
        for (room, script) in rooms {
            browser.go(&format!("{base}{room}")).await;
            browser.live().await;
            browser.run(script).await;
            browser.rests().await;
            let found: Vec<String> = serde_json::from_value(browser.run(include_str!("layout.js")).await).unwrap();
            all.extend(found.into_iter().map(|fault| format!("{room} {width}x{height} {script:.40}: {fault}")));
        }
    }
    all
}

#[tokio::test(flavor = "multi_thread")]
async fn everything_can_be_seen_and_pressed_at_every_size() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    let owner = Owner::of(&program).await;
    wire(&owner).await;
    owner
        .send(&format!("/files?name={}.png", "W".repeat(60)), "image/png", &include_bytes!("files/face.png")[..])
        .await;
    // The same browser holds a pass for all that can be handed over.
    let (link, _) = owner.pass(&"W".repeat(40), &[("desk", "yes"), ("devices", "1")]).await;
    browser.go(&format!("{}/p/{link}", program.base)).await;
    browser.click(".door-begin").await;
    browser.shows(".pass-head", "Saltmarsh Halt").await;
    let found = faults(&browser, &program.base, &ROOMS).await;
    harden(&program, &owner).await;
    let hard = faults(&browser, &program.base, &ROOMS).await;
    let all: Vec<String> = found.into_iter().chain(hard.into_iter().map(|fault| format!("hard {fault}"))).collect();
    assert!(all.is_empty(), "{} faults: {all:#?}", all.len());
    browser.close().await;
}

/// Pixels of what is worked on that are seen at once, and whether the running widget is whole beside it.
async fn seen(browser: &Browser, css: &str) -> (i64, bool) {
    let script = format!(
        "const box = document.querySelector({css:?}).getBoundingClientRect();
        const floor = document.querySelector('.strip').getBoundingClientRect().top;
        const room = document.querySelector({css:?}).closest('[data-scrolls]').getBoundingClientRect();
        const widget = document.querySelector('.stage-frame').getBoundingClientRect();
        const whole = widget.top >= 0 && widget.bottom <= floor && widget.height > 60;
        return [Math.round(Math.min(floor, room.bottom) - Math.max(box.top, room.top)), whole]"
    );
    serde_json::from_value(browser.run(&script).await).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn on_the_bench_the_widget_is_seen_beside_whatever_is_worked_on() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    for (width, height) in [(1280, 800), (1440, 900)] {
        browser.size(width, height).await;
        for widget in ["Turntable motor", "Night-train", "Just now"] {
            browser.go(&format!("{}/widgets/{}", program.base, program.widget(widget)["id"])).await;
            browser.live().await;
            for drawer in ["shape", "colour", "text", "spacing", "motion"] {
                let open = format!("document.querySelector('[data-drawer={drawer}][aria-expanded=false]')?.click()");
                browser.run(&open).await;
                browser.rests().await;
                let seen = seen(&browser, ".drawer:not([hidden])").await;
                assert!(seen.0 >= 320 && seen.1, "{widget} {drawer} {width}x{height}: {seen:?}");
            }
            browser.run("document.querySelector('[data-part=title] .part-shown').click()").await;
            let sentence = seen(&browser, ".bench-sentence").await;
            assert!(sentence.0 >= 320 && sentence.1, "{widget} {width}x{height}: {sentence:?}");
            browser.run("document.querySelector('#slip summary').click()").await;
            browser.rests().await;
            let slip = seen(&browser, ".explain").await;
            assert!(slip.0 >= 320 && slip.1, "{widget} {width}x{height}: {slip:?}");
        }
    }
    browser.close().await;
}
