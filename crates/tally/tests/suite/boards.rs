//! Keeping a score on a phone: through a lost connection and a restart, beside another hand, seen on two pages in two
//! designs.

use crate::kit::PICTURE;
use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::json;

const DERBY: &str = "Shunting derby";

/// The key of a side for so many points.
fn key(side: u8, points: i64) -> String {
    format!("[data-key=score][data-side=\"{side}\"][data-value=\"{points}\"]")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_derby_is_scored_on_a_phone_through_a_lost_connection_and_a_restart() {
    let database = Database::new();
    let mut program = Program::start(&database.url);
    let board = program.widget(DERBY);
    let (page, score) =
        (board["page_url"].as_str().unwrap(), format!("{}/widgets/{}/score", program.base, board["id"]));
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    let plates = browser.tab(page).await;
    browser.shows(".shape-plates .side-1 .board-score", "10").await;
    let tall = browser.tab(&format!("{page}?design=tall")).await;
    browser.shows(".shape-tall .side-1 .board-score", "10").await;
    let phone = browser.tab(&score).await;
    browser.size(390, 844).await;
    browser.devtools("Network.enable", json!({})).await;
    let on_both = async |left: &str, right: &str| {
        for (tab, shape) in [(&plates, "plates"), (&tall, "tall")] {
            browser.to(tab).await;
            browser.shows(&format!(".shape-{shape} .side-1 .board-score"), left).await;
            browser.shows(&format!(".shape-{shape} .side-2 .board-score"), right).await;
        }
        browser.to(&phone).await;
    };
    browser.click(&key(1, 2)).await;
    on_both("12", "10").await;
    browser.shows(".is-undo", "Undo +2 for Heron Yard").await;

    // Without a connection presses wait, also over a reload; meanwhile another hand scores, and both see it.
    browser.devtools("Network.setBlockedURLs", json!({"urls": ["*/press"]})).await;
    browser.click(&key(2, 3)).await;
    browser.click(&key(2, 3)).await;
    browser.shows("#word", "2 presses wait").await;
    browser.go(&score).await;
    browser.shows("#word", "2 presses wait").await;
    program.act(&board, "score", json!({"side": 1, "value": 1})).await;
    browser.shows(".score-last li:first-child", "+1 for Heron Yard demo scripts").await;
    on_both("13", "10").await;
    browser.devtools("Network.setBlockedURLs", json!({"urls": []})).await;
    on_both("13", "16").await;
    until("nothing waits", || async { browser.text("#word").await.is_empty().then_some(()) }).await;

    // A server that is killed and comes back takes what was pressed meanwhile, once.
    program.kill();
    browser.click(&key(1, 1)).await;
    browser.shows("#word", "1 press waits").await;
    program.again();
    on_both("14", "16").await;
    assert_eq!(program.read(&board).await["sides"][0]["points"], 14);

    // Undo says what it undoes, at any depth, and redo brings it back.
    browser.shows(".is-undo", "Undo +1 for Heron Yard").await;
    browser.click(".is-undo").await;
    on_both("13", "16").await;
    browser.shows(".is-undo", "Undo +3 for Copper Yard").await;
    browser.click(".is-redo:not(:disabled)").await;
    on_both("14", "16").await;
    browser.shows(".score-last li:first-child", "+1 for Heron Yard").await;
    browser.click(".score-last li:first-child button").await;
    on_both("13", "16").await;

    // What the rules forbid is refused in words.
    browser.run("document.getElementById('score-rare').open = true").await;
    browser.fill("[data-key-text=clock_set] input", "99:00").await;
    browser.click("[data-key-text=clock_set] button").await;
    browser.shows("#word", "A period is not that long").await;

    // A phone that was away for an hour, and comes back when the match is over: all that was pressed is listed.
    program.act(&board, "finish", json!({})).await;
    browser.shows(".score-stands", "Over").await;
    let forty = format!(
        "localStorage.setItem('tally-score-{}', JSON.stringify(Array.from({{length: 40}}, (_, n) => ({{
            id: 'late' + n, action: 'score', side: 1, value: 2, words: '+2 Heron Yard', at: Date.now() - 3600000 + n}}))))",
        board["id"]
    );
    browser.run(&forty).await;
    browser.go(&score).await;
    until("all are listed", || async {
        (browser.run("return document.querySelectorAll('.score-kept li').length").await == json!(40)).then_some(())
    })
    .await;
    browser.shows(".score-kept li:last-child", "The match is over").await;
    browser.click("[data-dismiss]").await;
    until("they are put aside", || async {
        (browser.run("return document.querySelector('.score-kept').hidden").await == json!(true)).then_some(())
    })
    .await;
    on_both("13", "16").await;
    let winner = program.read(&board).await;
    assert_eq!((&winner["phase"], &winner["winner"]), (&json!("finished"), &json!(2)));
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_has_the_designs_that_boards_have() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let board = program.widget("Ballast court");
    let page = board["page_url"].as_str().unwrap();
    for design in ["plates", "slip", "footer", "tall"] {
        let drawn = reqwest::get(format!("{page}?design={design}")).await.unwrap().text().await.unwrap();
        assert!(drawn.contains(&format!(" shape-{design}")), "{design}");
    }
    let wrong = reqwest::get(format!("{page}?design=abacus")).await.unwrap();
    assert!(wrong.status().is_client_error());
    assert!(wrong.text().await.unwrap().contains("plates, slip, footer, tall"));
    let other = program.widget("Derailments")["page_url"].as_str().unwrap().to_owned();
    assert!(reqwest::get(format!("{other}?design=tall")).await.unwrap().status().is_client_error());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_match_takes_a_minute_to_begin_and_teams_are_remembered() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let browser = Browser::open().await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/matches", program.base)).await;
    browser.run("document.querySelector('.match-new').open = true").await;
    browser.click(".match-sports input[value=badminton]").await;
    browser.fill("#match-first", "Slate Yard").await;
    browser.fill("#match-second", "heron yard").await;
    browser.click(".match-new .press-main").await;
    browser.shows(".sentence", "Slate Yard against heron yard").await;
    let bench = browser.client.current_url().await.unwrap().to_string();
    let id: u64 = bench.rsplit('/').next().unwrap().parse().unwrap();
    let told = async || {
        let url = format!("{}/api/v1/widgets/{id}", program.base);
        let token = program.demo()["api_token"].as_str().unwrap().to_owned();
        let answer = reqwest::Client::new().get(url).bearer_auth(token).send().await.unwrap();
        answer.json::<serde_json::Value>().await.unwrap()
    };
    let begun = told().await;
    assert_eq!(begun["sport"], "badminton");
    assert_eq!(begun["sides"][0]["colour"], "#a83e26", "the standard's");
    assert_eq!(begun["sides"][1]["colour"], "#a83e26", "Heron Yard has played before, in its own");

    // A picture of a side's own: made new, on air, and there again in the next match.
    let owner = Owner::of(&program).await;
    let upload = async |name: &str, side: u32, bytes: &'static [u8]| {
        let path = format!("/widgets/{id}/clips?name={name}&side={side}");
        owner.send(&path, "application/octet-stream", bytes).await
    };
    let no_picture = upload("heron.png", 1, b"<svg onload=alert(1)>").await;
    assert_eq!(no_picture.status(), 422);
    assert!(no_picture.text().await.unwrap().contains("no picture that can be read"));
    assert_eq!(upload("heron.png", 3, PICTURE).await.status(), 422, "there is no such side");
    browser.go(&bench).await;
    let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/suite/files/face.png");
    let field = browser.client.find(fantoccini::Locator::Css("#picture-file")).await.unwrap();
    field.send_keys(file.to_str().unwrap()).await.unwrap();
    browser.click(".side-picture button").await;
    browser.shows_one(".stage-tried .side-1 .board-picture").await;
    owner.done(&format!("/widgets/{id}/put-on-air"), &[]).await;
    let token = told().await["sides"][0]["picture"]["own"].as_str().unwrap().to_owned();
    let served = reqwest::get(format!("{}/clips/{token}", program.base)).await.unwrap();
    assert_eq!(served.headers()["content-type"], "image/png");
    assert_ne!(served.bytes().await.unwrap(), PICTURE, "it is coded anew");
    let removed = owner.refused(&format!("/clips/{token}/remove"), &[]).await;
    assert!(removed.contains("Slate Yard against heron yard") && removed.contains("shows it"), "{removed}");

    // In the archive it is remembered still.
    owner.done(&format!("/widgets/{id}/archive"), &[]).await;
    let fields = [("sport", "darts"), ("first", "Copper Yard"), ("second", "SLATE YARD")];
    let colours = [("first_colour", "#123456"), ("second_colour", "#1f5c78")];
    let next = owner.post("/matches", &[&fields[..], &colours[..]].concat()).await;
    let next = next.headers()["hx-redirect"].to_str().unwrap().rsplit('/').next().unwrap().to_owned();
    let url = format!("{}/api/v1/widgets/{next}", program.base);
    let api = program.demo()["api_token"].as_str().unwrap().to_owned();
    let again = reqwest::Client::new().get(url).bearer_auth(api).send().await.unwrap();
    let again = again.json::<serde_json::Value>().await.unwrap();
    assert_eq!(again["sides"][1]["picture"]["own"], token.as_str());
    assert_eq!(again["sides"][0]["colour"], "#123456", "a colour that was chosen stays");
    browser.close().await;
}
