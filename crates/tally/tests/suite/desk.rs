//! The desk: desks for a purpose, keys of one's own, chat beside the paper roll, lines voided where they stand.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::sender::{Sender, tip};
use crate::kit::until;
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn a_desk_for_a_purpose_has_keys_of_its_rows_and_levers_keys_of_ones_own() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, browser) = (program.base.clone(), Browser::open().await);
    let (counter, tea) = (program.widget("Derailments"), program.widget("Cups of tea"));
    browser.sign_in(&base, &program.demo()).await;
    browser.go(&format!("{base}/desk")).await;
    browser.live().await;
    browser.click("[data-open=new-desk]").await;
    browser.fill("#new-desk-name", "Tea break").await;
    browser.keys("\u{e007}").await;
    browser.shows(".desks [aria-current]", "Tea break").await;

    // Only the tea stands on it: the first row of keys is its own there.
    browser.click("[data-open=arrange]").await;
    browser.shows("#arrange-title", "Arrange Tea break").await;
    browser
        .run(&format!(
            "document.querySelectorAll('#arrange [name=shown]').forEach((box) => {{ box.checked = box.value === '{}'; }})",
            tea["id"]
        ))
        .await;
    browser.click("#arrange .press-main").await;
    until("the tea stands there alone", || async {
        let plates = "return document.querySelectorAll('.plates > .plate').length";
        (browser.run(plates).await == 1).then_some(())
    })
    .await;
    browser.live().await;
    browser.run("document.activeElement.blur()").await;
    browser.keys("2").await;
    program.shows(&tea, "1").await;

    // Another key for that lever; the key of the row is no key any more, and another lever cannot have it.
    let lever = ".lever[data-press=add]";
    browser.click("[data-keying]").await;
    browser.click(lever).await;
    browser.shows(".keying-says", "Now press the key for “+1”").await;
    browser.keys("t").await;
    browser.shows(&format!("{lever} kbd"), "T").await;
    browser.click(".lever[data-press=subtract]").await;
    browser.keys("t").await;
    browser.shows(".keying-says", "T is the key of “Cups of tea” already (add)").await;
    browser.click(".lever[data-press=subtract]").await;
    browser.keys("g").await;
    browser.shows(".keying-says", "KeyG cannot be the key of a lever").await;
    browser.keys("\u{e00c}").await;
    browser.keys("2").await;
    browser.keys("t").await;
    program.shows(&tea, "2").await;

    // It holds on every desk, and after the server was started again.
    browser.go(&format!("{base}/desk")).await;
    browser.live().await;
    browser.keys("t").await;
    program.shows(&tea, "3").await;
    browser.keys("2").await;
    program.shows(&counter, "1").await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn chat_stands_beside_the_roll_and_a_line_is_voided_where_it_stands() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let (base, browser) = (program.base.clone(), Browser::open().await);
    let owner = Owner::of(&program).await;
    browser.sign_in(&base, &program.demo()).await;
    browser.go(&format!("{base}/desk")).await;
    browser.live().await;
    program.say("quietferry", "follower", "mind the <points>").await;
    browser.shows(".chat-roll", "quietferry follower mind the <points>").await;
    browser.click("[data-chat-size=\"1\"]").await;
    let size = "return getComputedStyle(document.querySelector('.chat-roll')).fontSize";
    assert_eq!(browser.run(size).await, "17px");
    browser.go(&format!("{base}/desk")).await;
    assert_eq!(browser.run(size).await, "17px", "this browser keeps it");
    // Day or night by hand, in every room of this browser.
    browser.click("[data-lights]").await;
    browser.shows("[data-lights]", "Day").await;
    browser.click("[data-lights]").await;
    browser.shows("[data-lights]", "Night").await;
    browser.go(&format!("{base}/ledger")).await;
    let ground = browser.run("return getComputedStyle(document.body).backgroundColor").await;
    assert_eq!(ground, "rgb(22, 24, 27)", "the ground of the night");
    browser.go(&format!("{base}/desk")).await;
    browser.live().await;

    let seq = Sender::of(&program.demo()["feeds"][0]).deliver(&tip("12.50")).await["last_seq"].clone();
    let key = format!("[data-void=\"{seq}\"]");
    browser.shows(&key, "Void").await;
    browser.click(&key).await;
    browser.shows(&key, "sure?").await;
    browser.click(&key).await;
    browser.shows("[data-live=roll]", "voided").await;
    assert!(owner.page(&format!("/ledger/{seq}")).await.contains("value=\"restore\""), "it can be put back there");
    // What a cue could not do is told where the eye is.
    owner.done("/cues", &[]).await;
    let poll = program.widget("The platform decides");
    for (key, text) in [("do:add", format!("press {} close  ", poll["id"])), ("name", "Closing".into())] {
        owner.done("/cues/4/edit", &[("key", key), ("text", &text)]).await;
    }
    owner.done("/cues/4/fire", &[]).await;
    browser.shows(".strip-attention", "The cue “Closing” could not do step 1").await;
    assert_eq!(json!(owner.post("/desk/more", &[("name", " ")]).await.status().as_u16()), 422);
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn presses_are_undone_from_the_roll_in_any_order() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (base, browser) = (program.base.clone(), Browser::open().await);
    let (counter, tea) = (program.widget("Derailments"), program.widget("Cups of tea"));
    browser.sign_in(&base, &program.demo()).await;
    browser.go(&format!("{base}/desk")).await;
    browser.live().await;
    program.act(&counter, "set", json!({"value": 40})).await;
    program.act(&counter, "add", json!({"value": 2})).await;
    program.act(&tea, "add", json!({"value": 1})).await;
    // What can be undone of the newest lines, newest first.
    let newest = async || {
        let lines = "return [...document.querySelectorAll('[data-live=roll] .roll-line')].slice(0, 4)\
            .map((line) => line.querySelector('.roll-undo') ? line.querySelector('.roll-words').textContent : '')";
        let lines: Vec<String> = serde_json::from_value(browser.run(lines).await).unwrap();
        lines
    };
    let (set, added, cups) = (
        "Derailments: demo scripts set it to 40",
        "Derailments: demo scripts added 2",
        "Cups of tea: demo scripts added 1",
    );
    until("all three stand on the roll", || async { (newest().await[..3] == [cups, added, set]).then_some(()) }).await;
    // The oldest of the three goes, the others stay, and it cannot be undone twice.
    browser.run("document.querySelectorAll('[data-live=roll] .roll-undo')[2].click()").await;
    program.shows(&counter, "2").await;
    program.shows(&tea, "1").await;
    until("it is undone", || async { (newest().await == ["", cups, added, ""]).then_some(()) }).await;
    browser.close().await;
}
