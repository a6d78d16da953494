//! Beginning: the first visit, and arranging the desk.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn the_first_visit_ends_on_a_bench_with_a_widget_that_works() {
    let database = Database::new();
    let program = Program::with(&database.url, &[]);
    let browser = Browser::open().await;
    browser.go(&program.base).await;
    browser.shows("main", "open the address of the first visit").await;
    browser.go(program.first_visit.as_deref().unwrap()).await;
    browser.shows("h1", "Welcome").await;
    // By keys alone: each step is left with Enter.
    browser.keys("\u{e007}").await;
    browser.fill("#title", "New kettle").await;
    browser.keys("\u{e007}").await;
    browser.fill("#channel", "Saltmarsh Halt").await;
    browser.fill("#name", "bram").await;
    browser.fill("#password", "too short").await;
    browser.run("document.getElementById('password').removeAttribute('minlength')").await;
    browser.keys("\u{e007}").await;
    browser.shows("#refusal", "at least 10 characters").await;
    browser.fill("#password", "nine sleepers").await;
    browser.keys("\u{e007}").await;
    browser.shows("[data-part=title] .part-shown", "New kettle").await;
    browser.shows(".next-step", "wire a feed").await;
    browser.shows("#slip .readiness", "A feed is wired, but nothing has come through it yet").await;
    browser.shows(".stage-real .goal-value", "£0").await;

    // What the feeds room tells a sender is all that it needs.
    browser.live().await;
    browser.keys("g").await;
    browser.keys("f").await;
    browser.shows("h1", "Feeds").await;
    let field = async |id: &str| browser.run(&format!("return document.getElementById('{id}').value")).await;
    let feed = json!({"url": field("url-1").await, "secret": field("secret-1").await});
    browser.go(&format!("{}/widgets/1", program.base)).await;
    browser.live().await;
    Sender::of(&feed).deliver(&tip("25")).await;
    browser.shows(".stage-real .goal-value", "£25").await;
    browser.shows("#slip .readiness", "Ready.").await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_desk_is_arranged_and_its_keys_follow() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.live().await;
    browser.shows(".plates > article:first-of-type .plate-title", "Derailments").await;
    browser.click("[data-open=arrange]").await;
    let row = |title: &str| format!(".arrange li:has([data-move='1'][aria-label^='{title}'])");
    // Cups of tea goes to the top, the goal goes off the desk.
    for _ in 0..3 {
        browser.click(&format!("{} [data-move='-1']", row("Cups of tea"))).await;
    }
    browser.click(&format!("{} input[type=checkbox]", row("Turntable motor"))).await;
    browser.click("#arrange .press-main").await;
    browser.shows(".plates > article:first-of-type .plate-title", "Cups of tea").await;
    browser.live().await;
    assert_eq!(browser.run("return document.body.textContent.includes('Turntable motor of')").await, json!(false));
    let titles = "return [...document.querySelectorAll('.figure .plate-title')].map((one) => one.textContent)";
    assert!(!browser.run(titles).await.to_string().contains("Turntable motor"));
    // The first row of keys works what stands first, and a restart remembers it.
    browser.keys("2").await;
    browser.shows(".plates > article:first-of-type .plate-value", "1").await;
    browser.close().await;
}
