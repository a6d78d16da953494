//! Every room by axe-core, by day and by night, with what opens in it.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use serde_json::json;

/// Runs axe-core in the page and gives the violations.
async fn violations(browser: &Browser) -> Vec<String> {
    // The page's policy keeps scripts of others out; the driver's own are let in.
    browser.run(include_str!("vendor/axe.min.js")).await;
    let run =
        "const done = arguments[arguments.length - 1]; axe.run(document, {resultTypes: ['violations']}).then((r) =>
        done(r.violations.map((v) => v.id + ': ' + v.nodes.map((n) => n.html + ' ' + n.failureSummary).join(' | '))))";
    let found = browser.client.execute_async(run, vec![]).await.unwrap();
    serde_json::from_value(found).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn axe_finds_nothing_on_any_screen() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let browser = Browser::open().await;
    browser.go(&format!("{}/sign-in", program.base)).await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "sign in");
    browser.go(&format!("{}/join", program.base)).await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "three words");
    browser.sign_in(&program.base, &program.demo()).await;
    let (link, _) = Owner::of(&program).await.pass("Bram", &[("desk", "yes"), ("devices", "1")]).await;
    browser.go(&format!("{}/p/{link}", program.base)).await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "the door of a pass");
    browser.click(".door-begin").await;
    browser.shows(".pass-head", "Saltmarsh Halt").await;
    for scheme in ["light", "dark"] {
        let media = json!({"features": [{"name": "prefers-color-scheme", "value": scheme}]});
        browser.devtools("Emulation.setEmulatedMedia", media).await;
        for room in [
            "/desk",
            "/widgets",
            "/widgets/1",
            "/widgets/3",
            "/widgets/5",
            "/widgets/10/looks",
            "/feeds",
            "/feeds/6/rules",
            "/channel",
            "/account",
            "/ledger",
            "/shows",
            "/polls",
            "/matches",
            "/helpers",
            "/overlays",
            "/overlays/1",
            "/files",
            "/cues",
            "/chat",
            "/rehearsals",
            "/looks",
            "/looks/1",
            "/pass",
            "/widgets/19",
            "/widgets/21",
        ] {
            browser.go(&format!("{}{room}", program.base)).await;
            browser.live().await;
            assert_eq!(violations(&browser).await, Vec::<String>::new(), "{room} {scheme}");
            let bare = "return document.querySelectorAll('input[name=csrf][value=\"\"]').length";
            assert_eq!(browser.run(bare).await, 0, "forms of {room} that would be refused");
        }
    }
    for board in ["Shunting derby", "Lamp room darts", "Forfeit table"] {
        browser.go(&format!("{}/widgets/{}/score", program.base, program.widget(board)["id"])).await;
        browser.run("document.getElementById('score-rare').open = true").await;
        assert_eq!(violations(&browser).await, Vec::<String>::new(), "keeping the score of {board}");
    }
    let wheel = program.read(&program.widget("Forfeits")).await;
    browser.go(&format!("{}/fair/{}", program.base, wheel["check"].as_str().unwrap())).await;
    browser.shows_one("[data-step=draw].is-right").await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "the check of a spin");
    browser.go(&format!("{}/widgets/1", program.base)).await;
    browser.live().await;
    browser.click("[data-part=until] .part-shown").await;
    browser.click("#slip summary").await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "the bench with its parts open");
    browser.go(&format!("{}/widgets/10", program.base)).await;
    browser.live().await;
    for drawer in ["shape", "colour", "text", "spacing", "motion", "kinds"] {
        browser.run(&format!("document.querySelector('[data-drawer={drawer}]').click()")).await;
        browser.run("document.querySelectorAll('.kind-more').forEach((one) => { one.open = true; })").await;
        assert_eq!(violations(&browser).await, Vec::<String>::new(), "the drawer {drawer}");
    }
    browser.click("[name=act][value=gifts]").await;
    browser.shows("#stations", "A rehearsal").await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "the bench after a rehearsal");
    browser.go(&format!("{}/desk", program.base)).await;
    browser.live().await;
    browser.click("[data-open=arrange]").await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "arranging the desk");
    browser.go(&format!("{}/feeds", program.base)).await;
    browser.live().await;
    browser.run("document.querySelectorAll('details').forEach((one) => { one.open = true; })").await;
    browser.fill("#poll-url", &format!("{}/numbers.json", program.tip_jar.as_ref().unwrap())).await;
    browser.run("document.querySelector('#poll-url + .press').click()").await;
    browser.shows(".probe-tree", "viewers").await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "wiring, with an answer fetched");
    browser.run("document.querySelector('[data-pick=\"/stats/viewers\"]').click()").await;
    let levels = browser.run("return document.getElementById('poll-levels').value").await;
    assert_eq!(levels, json!("viewers /stats/viewers"), "a number that is pressed is a level");
    browser.run("document.getElementById('any_webhook-name').value = 'Odd tips'").await;
    browser.run("document.querySelector('#wire-any_webhook form').requestSubmit()").await;
    browser.shows("h1", "Odd tips").await;
    let url = browser.run("return document.getElementById('rules-url').value").await;
    let message = json!({"kind": "payment", "who": {"nick": "bram"}, "pence": 500, "cur": "QQQ", "rows": [{"a": 1}]});
    reqwest::Client::new().post(url.as_str().unwrap()).body(message.to_string()).send().await.unwrap();
    browser.shows("#rules-arrived", "Matches no rule").await;
    browser.click(".rules-message").await;
    browser.click(".rules-tree-head button").await;
    browser.shows(".rule", "a guess: check it").await;
    let open = "document.querySelectorAll('details').forEach((one) => { one.name = ''; one.open = true; })";
    browser.run(open).await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "rules, with all of it open");
    browser.go(&format!("{}/widgets", program.base)).await;
    browser.click("[data-open=new-widget]").await;
    browser.shows(".starts", "Who is here").await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "the starts");
    let pages = program.demo()["widgets"].clone();
    for (name, url) in pages.as_array().unwrap().iter().map(|one| (&one["name"], one["page_url"].as_str().unwrap())) {
        browser.go(url).await;
        let found: Vec<String> =
            violations(&browser).await.into_iter().filter(|one| !one.starts_with("page-has-heading-one")).collect();
        assert_eq!(found, Vec::<String>::new(), "{name}");
    }
    browser.go(program.tip_jar.as_ref().unwrap()).await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "tip jar");
    browser.go(&format!("{}/world", program.tip_jar.as_ref().unwrap())).await;
    assert_eq!(violations(&browser).await, Vec::<String>::new(), "the made-up world");
    let database = Database::new();
    let empty = Program::with(&database.url, &[]);
    browser.go(empty.first_visit.as_deref().unwrap()).await;
    for step in ["first", "second", "third"] {
        assert_eq!(violations(&browser).await, Vec::<String>::new(), "the {step} step of the first visit");
        browser.keys("\u{e007}").await;
    }
    browser.close().await;
}
