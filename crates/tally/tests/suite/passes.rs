//! Helpers' passes in a browser: a code read back from its picture, three words, what each shows, and the end of it.

use crate::kit::PATIENCE;
use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::owner::Owner;
use crate::kit::program::Program;
use crate::kit::until;
use serde_json::{Value, json};

const DERBY: &str = "Shunting derby";

/// What a QR code in a PNG says.
fn decoded(png: &[u8]) -> String {
    let mut reader = png::Decoder::new(std::io::Cursor::new(png)).read_info().unwrap();
    let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
    let frame = reader.next_frame(&mut pixels).unwrap();
    let (width, height) = (frame.width as usize, frame.height as usize);
    let samples = frame.color_type.samples();
    let grey = |x: usize, y: usize| pixels[(y * width + x) * samples];
    let mut image = rqrr::PreparedImage::prepare_from_greyscale(width, height, grey);
    let grids = image.detect_grids();
    assert_eq!(grids.len(), 1, "one code is found");
    grids[0].decode().unwrap().1
}

/// What a shown text field holds.
async fn value(browser: &Browser, css: &str) -> String {
    let script = format!("return document.querySelector({css:?}).value");
    browser.run(&script).await.as_str().unwrap().to_owned()
}

/// Makes a pass for a widget on the page of helpers; its link and words.
async fn make(browser: &Browser, base: &str, name: &str, widget: &Value, uses: &str) -> (String, String) {
    browser.go(&format!("{base}/helpers")).await;
    browser.fill("#pass-name", name).await;
    browser.click(&format!("input[name=widget][value=\"{}\"]", widget["id"])).await;
    browser.fill("#pass-uses", uses).await;
    browser.click(".helpers form .press-main").await;
    browser.shows(".pass-ready h2", &format!("The pass of {name}")).await;
    (value(browser, "#pass-link").await, browser.text(".pass-words").await)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pass_is_read_from_its_code_scored_with_and_goes_dark_when_revoked() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let board = program.widget(DERBY);
    let owner = Browser::open().await;
    owner.sign_in(&program.base, &program.demo()).await;
    let (link, _) = make(&owner, &program.base, "Bram", &board, "").await;

    // The code on the screen, as a phone would read it; and the one to print.
    owner.run("document.querySelector('.pass-qr').scrollIntoView({block: 'center'})").await;
    let shot = owner.client.find(fantoccini::Locator::Css(".pass-qr svg")).await.unwrap().screenshot().await.unwrap();
    assert_eq!(decoded(&shot), link);
    let hand = Owner::of(&program).await;
    let printed = hand.post("/helpers/qr.png", &[("link", &link)]).await;
    assert_eq!(printed.headers()["content-type"], "image/png");
    assert_eq!(decoded(&printed.bytes().await.unwrap()), link);
    let drawn = hand.post("/helpers/qr.svg", &[("link", &link)]).await.text().await.unwrap();
    assert!(drawn.starts_with("<svg "));
    assert_eq!(hand.post("/helpers/qr.svg", &[("link", "https://elsewhere.example/")]).await.status(), 422);

    // A phone that has never been here opens it, and has the pad at once.
    let phone = Browser::open().await;
    phone.size(390, 844).await;
    phone.go(&link).await;
    phone.shows(".door-jobs", "Keep the score: Shunting derby").await;
    phone.click(".door-begin").await;
    phone.shows(".score-head h1", DERBY).await;
    phone.click("[data-key=score][data-side=\"1\"][data-value=\"2\"]").await;
    phone.shows(".is-undo", "Undo +2 for Heron Yard").await;
    phone.shows(".score-side:first-child h2", "12").await;
    // Whoever pressed is nobody's business here; in the ledger it is.
    program.act(&board, "score", json!({"side": 2, "value": 1})).await;
    phone.shows(".score-last li:first-child", "+1 for Copper Yard").await;
    assert!(!phone.text(".score-last").await.contains("demo scripts"));
    let told = program.read(&board).await;
    let by: Vec<&str> = told["last"].as_array().unwrap().iter().map(|act| act["by"].as_str().unwrap()).collect();
    assert_eq!(by[..2], ["demo scripts", "Bram"]);

    // Another phone finds no place; a list tells the owner what was done.
    let second = Browser::open().await;
    second.go(&link).await;
    second.click(".door-begin").await;
    second.shows("#refusal", "on as many devices as it allows").await;
    owner.go(&format!("{}/helpers", program.base)).await;
    owner.shows(".passes li:first-child .pass-state", "on 1 of 1 device · 1 press, the last").await;
    owner.shows(".passes li:first-child .pass-lines", "Shunting derby: Bram noted: +2 for side 1").await;

    // Revoked: dark at once, without a touch of the phone, and what is pressed by another way is refused.
    owner.click("[aria-label=\"Revoke the pass of Bram\"]").await;
    phone.shows("body", "This pass was revoked").await;
    owner.shows(".passes li:first-child .pass-state", "Over revoked").await;
    phone.go(&format!("{}/pass/{}/score", program.base, board["id"])).await;
    phone.shows("body", "This pass was revoked").await;
    second.go(&link).await;
    second.shows("body", "This pass was revoked").await;
    for browser in [owner, phone, second] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn three_words_open_plates_and_a_pass_that_is_used_up_refuses_in_words() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let counter = program.widget("Derailments");
    let owner = Browser::open().await;
    owner.sign_in(&program.base, &program.demo()).await;
    let (link, words) = make(&owner, &program.base, "Nell", &counter, "2").await;
    assert_eq!(words.split('-').count(), 3, "{words}");

    let phone = Browser::open().await;
    phone.size(390, 844).await;
    phone.go(&format!("{}/join", program.base)).await;
    phone.fill("#words", "amber otter").await;
    phone.click(".door-begin").await;
    phone.shows("#refusal", "Type three words").await;
    phone.fill("#words", "amber otter kettle").await;
    phone.click(".door-begin").await;
    phone.shows("#refusal", "These words open nothing").await;
    phone.fill("#words", &words.replace('-', "  ").to_uppercase()).await;
    phone.click(".door-begin").await;
    phone.shows(".pass-plates .plate-title", "Derailments").await;
    let before: i64 = phone.text(".plate-value").await.trim().parse().unwrap();
    for press in 1..=2 {
        phone.click(".lever-main").await;
        phone.shows(".plate-value", &(before + press).to_string()).await;
    }
    phone.click(".lever-main").await;
    phone.shows("#word", "This pass is used up").await;
    assert_eq!(program.read(&counter).await["value"], before + 2);

    // New words, and the old ones open nothing any more. Given back, the place is free for another.
    owner.go(&format!("{}/helpers", program.base)).await;
    owner.click(".passes li:first-child .pass-tools form:first-child button").await;
    owner.shows(".pass-ready h2", "The pass of Nell").await;
    let renewed = owner.text(".pass-words").await;
    assert_ne!(renewed, words);
    phone.click(".pass-foot button").await;
    phone.shows("h1", "Help out").await;
    phone.fill("#words", &words).await;
    phone.click(".door-begin").await;
    phone.shows("#refusal", "These words open nothing").await;
    phone.go(&link).await;
    phone.shows("body", "This needs a pass").await;
    phone.go(&format!("{}/join", program.base)).await;
    phone.fill("#words", &renewed).await;
    phone.click(".door-begin").await;
    phone.shows(".pass-plates .plate-title", "Derailments").await;
    for browser in [owner, phone] {
        browser.close().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_press_that_is_sent_twice_is_one_use_and_words_cannot_be_tried_for_long() {
    let database = Database::new();
    let program = Program::start(&database.url);
    let (owner, counter) = (Owner::of(&program).await, program.widget("Cups of tea"));
    let id = counter["id"].to_string();
    let fields = [("name", "Jo"), ("widget", id.as_str()), ("hours", "4"), ("devices", "2"), ("uses", "2")];
    let (link, _) = owner.pass("Jo", &fields[1..]).await;
    let mut helper = Owner::at(&format!("{}/p/{link}", program.base)).await;
    let opened = helper.post(&format!("/p/{link}"), &[]).await;
    helper.keep_cookie(&opened);
    let press = async |action: &str, number: &str| {
        let body = json!({"action": action, "value": 1, "id": number}).to_string();
        let answer = helper.send(&format!("/pass/{id}/press"), "application/json", body).await;
        (answer.status().as_u16(), answer.json::<Value>().await.unwrap())
    };
    let first = press("add", "one").await;
    assert_eq!(first.0, 200);
    for _ in 0..3 {
        assert_eq!(press("add", "one").await, first, "sent again, it is the same press");
    }
    // What the rules refuse is no use of the pass.
    assert_eq!(press("dance", "two").await.0, 422);
    assert_eq!(press("add", "three").await.0, 200);
    let (status, refused) = press("add", "four").await;
    assert_eq!((status, refused["detail"].as_str().unwrap().contains("used up")), (403, true));
    assert_eq!(press("add", "one").await, first);
    // Opening it again on the same device takes no other place.
    helper.post(&format!("/p/{link}"), &[]).await;
    assert!(owner.page("/helpers").await.contains("on 1 of 2 devices"));

    for (field, value, why) in [
        ("name", "", "name"),
        ("hours", "5", "how long"),
        ("devices", "0", "Devices is a number"),
        ("uses", "-3", "Presses is a number"),
        ("widget", "999", "nothing that this pass would open"),
    ] {
        let fields: Vec<_> = fields.iter().map(|(key, old)| (*key, if *key == field { value } else { *old })).collect();
        let told = owner.refused("/helpers", &fields).await;
        assert!(told.contains(why), "{field}: {told}");
    }
    let goal = program.widget("Turntable motor")["id"].to_string();
    let fields: Vec<_> = fields.iter().map(|(key, old)| (*key, if *key == "widget" { &goal } else { *old })).collect();
    assert!(owner.refused("/helpers", &fields).await.contains("nothing that this pass would open"));

    let guesser = Owner::at(&format!("{}/join", program.base)).await;
    let mut told = String::new();
    let began = std::time::Instant::now();
    while !told.contains("tried too often") {
        assert!(began.elapsed() < PATIENCE, "{told}");
        let answer = guesser.post("/join", &[("words", "amber otter kettle")]).await;
        told = answer.text().await.unwrap();
    }
    // Whoever holds a pass already is not stopped by that.
    until("the plates are there", || async { (helper.get("/pass").await.status() == 200).then_some(()) }).await;
}
