//! The interface in a real browser.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::page::Page;
use crate::kit::program::{Program, ready};
use crate::kit::sender::{Sender, tip};
use crate::kit::until;
use serde_json::{Value, json};

fn start() -> (Database, Program) {
    let database = Database::new();
    let program = Program::start(&database.url);
    (database, program)
}

fn page_url(program: &Program, name: &str) -> String {
    program.widget(name)["page_url"].as_str().unwrap().to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_show_from_signing_in_to_a_restart() {
    let database = Database::new();
    let mut program = Program::in_its_world(&database.url);
    let browser = Browser::open().await;
    let counter = browser.tab(&page_url(&program, "Derailments")).await;
    let clock = browser.tab(&page_url(&program, "First train leaves in")).await;
    let goal = browser.tab(&page_url(&program, "Turntable motor")).await;
    browser.shows(".goal-value", "£212.50").await;
    let desk = browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.live().await;
    let second_desk = browser.tab(&format!("{}/desk", program.base)).await;
    browser.live().await;

    // The desk by keys; pages on air and the other desk follow.
    browser.to(&desk).await;
    browser.keys("2").await;
    browser.keys("2").await;
    browser.keys("a").await;
    browser.shows(".plate:nth-of-type(1) .plate-value", "2").await;
    browser.to(&counter).await;
    browser.shows(".counter-value", "2").await;
    browser.to(&clock).await;
    browser.shows(".clock.is-running .clock-face", "9:").await;
    browser.to(&second_desk).await;
    browser.shows(".plate:nth-of-type(1) .plate-value", "2").await;
    browser.shows(".plate:nth-of-type(3) [data-press=pause]", "Pause").await;
    // Undo from there takes one press away, everywhere.
    browser.click(".plate:nth-of-type(1) [data-press=undo]").await;
    browser.shows(".plate:nth-of-type(1) .plate-value", "1").await;
    browser.to(&desk).await;
    browser.shows(".plate:nth-of-type(1) .plate-value", "1").await;
    browser.shows(".roll [data-live=roll]", "odile took back line").await;

    // The sentence, in place; stage and page on air follow without loading anew.
    browser.go(&format!("{}/widgets/1", program.base)).await;
    browser.live().await;
    browser.run("window.untouched = true").await;
    browser.click("[data-part=target] .part-shown").await;
    browser.fill("[data-part=target] [name=text]", "0").await;
    browser.keys("\u{e007}").await;
    browser.shows("#sentence .refusal", "The target must be at least £0.01.").await;
    browser.fill("[data-part=target] [name=text]", "425").await;
    browser.keys("\u{e007}").await;
    browser.shows("[data-part=target] .part-shown", "£425").await;
    // Tried on the stage; what is on air stays until it is put there.
    browser.shows(".stage-tried .goal-of", "of £425").await;
    browser.shows(".stage-tried .goal-percent", "50%").await;
    browser.shows("#bar", "not on air yet").await;
    browser.to(&goal).await;
    browser.run("window.untouched = true").await;
    assert_eq!(browser.text(".goal-of").await, "of £350");
    browser.to(&desk).await;
    browser.keys("p").await;
    browser.shows("#bar", "Undo: put it on air").await;
    browser.shows(".stage-real .goal-of", "of £425").await;
    browser.to(&goal).await;
    browser.shows(".goal-of", "of £425").await;

    // A tip at the stand-in's page moves both.
    browser.tab(program.tip_jar.as_ref().unwrap()).await;
    browser.fill("#name", "kestrel_oak").await;
    browser.fill("#amount", "87.50").await;
    browser.click("button").await;
    browser.shows("#deliveries", "kestrel_oak: 87.50 GBP").await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£300").await;
    browser.to(&desk).await;
    browser.shows(".stage-real .goal-value", "£300").await;
    browser.shows("#slip summary", "£300").await;
    assert_eq!(browser.run("return window.untouched").await, json!(true), "the bench was not loaded anew");

    // A restart; the page on air heals by itself and goes on.
    program.stop();
    program.again();
    ready(&program.base).await;
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("12.50")).await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£312.50").await;
    assert_eq!(browser.run("return window.untouched").await, json!(true), "the page on air was not loaded anew");
    browser.to(&counter).await;
    browser.shows(".counter-value", "1").await;
    browser.close().await;
}

/// Holds the first answer that the page asks for until it is let go.
const HELD: &str = "const real = window.fetch; let first = true; window.holding = null;
    const held = new Promise((done) => { window.letGo = done; });
    window.fetch = async (...what) => {
        const mine = first;
        first = false;
        const answer = await real(...what);
        if (!mine) return answer;
        const text = await answer.text();
        window.holding = true;
        await held;
        setTimeout(() => { window.holding = false; });
        return {ok: true, text: async () => text};
    };";

#[tokio::test(flavor = "multi_thread")]
async fn voiding_a_tip_in_the_ledger_moves_the_page_on_air_and_can_be_mended() {
    let (_database, program) = start();
    let sender = Sender::of(&program.demo()["feeds"][0]);
    let line = sender.deliver(&tip("37.50")).await["last_seq"].as_u64().unwrap();
    let browser = Browser::open().await;
    let goal = browser.tab(&page_url(&program, "Turntable motor")).await;
    browser.shows(".goal-value", "£250").await;
    let ledger = browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/ledger", program.base)).await;
    browser.live().await;
    // The ledger follows what comes in; an answer that is late does not bring an older state back.
    browser.run(HELD).await;
    let follow = json!({"specversion": "1.0", "id": "follow-1", "source": "/test", "type": "tally.follow", "data": {"actor": {"name": "oatcake_jo"}}});
    sender.deliver(&follow).await;
    until("an answer is held", || async {
        (browser.run("return holding === true").await == json!(true)).then_some(())
    })
    .await;
    let next = sender.deliver(&tip("50")).await["last_seq"].as_u64().unwrap();
    browser.shows(&format!("#line-{next}"), "pinecone_ade tipped £50").await;
    browser.run("letGo()").await;
    until("it has come", || async { (browser.run("return holding === false").await == json!(true)).then_some(()) })
        .await;
    assert!(!browser.text(&format!("#line-{next}")).await.is_empty());

    browser.click(&format!("#line-{line} button")).await;
    browser.fill(&format!("#reason-{line}"), "refunded").await;
    browser.keys("\u{e007}").await;
    browser.shows(&format!("#line-{line} .ledger-voided"), "Voided").await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£262.50").await;
    browser.to(&ledger).await;
    browser.go(&format!("{}/ledger?kind=correct", program.base)).await;
    browser.shows("#ledger-lines", &format!("odile voided line {line} (pinecone_ade tipped £37.50): refunded")).await;
    browser.go(&format!("{}/widgets/1", program.base)).await;
    browser.click("#slip summary").await;
    browser.shows(".slip-lines .is-left-out", "voided").await;

    browser.go(&format!("{}/ledger", program.base)).await;
    browser.click(&format!("#line-{line} button")).await;
    browser.click(&format!("#line-{line} .ledger-mend .press-main")).await;
    browser.shows(&format!("#line-{line} .ledger-void"), "Void it, because").await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£300").await;
    assert_eq!(program.text(&program.widget("Turntable motor")).await, "£300 of £350 (85%)");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_dozen_pages_in_one_browser_all_stay_live() {
    let (_database, program) = start();
    let browser = Browser::open().await;
    let mut tabs = Vec::new();
    for _ in 0..12 {
        tabs.push(browser.tab(&page_url(&program, "Turntable motor")).await);
        browser.shows(".goal-value", "£212.50").await;
    }
    let sender = Sender::of(&program.demo()["feeds"][0]);
    for (amount, shown) in [("7.50", "£220"), ("30", "£250")] {
        sender.deliver(&tip(amount)).await;
        for tab in &tabs {
            browser.to(tab).await;
            browser.shows(".goal-value", shown).await;
        }
    }
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_on_air_is_transparent_and_goes_blank_when_its_address_is_withdrawn() {
    let (_database, program) = start();
    let browser = Browser::open().await;
    let page = browser.tab(&page_url(&program, "Derailments")).await;
    let clear = "return [document.documentElement, document.body].map((one) => getComputedStyle(one).backgroundColor)";
    assert_eq!(browser.run(clear).await, json!(["rgba(0, 0, 0, 0)", "rgba(0, 0, 0, 0)"]));
    let fits = "const air = document.querySelector('.air').getBoundingClientRect();
        return air.width > 0 && air.left >= 0 && air.top >= 0 && air.right <= innerWidth && air.bottom <= innerHeight";
    for (width, height) in [(300, 100), (1_800, 400), (90, 700), (1_920, 1_080)] {
        browser.size(width, height).await;
        assert_eq!(browser.run(fits).await, json!(true), "{width} x {height}");
    }
    browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;
    browser.go(&format!("{}/widgets/3", program.base)).await;
    browser.live().await;
    let before = browser.run("return document.getElementById('page-url').value").await;
    browser.click(".address .textual").await;
    browser.client.accept_alert().await.unwrap();
    until("there is another address", || async {
        let now =
            browser.client.execute("return document.getElementById('page-url')?.value ?? null", vec![]).await.ok()?;
        (now != before && now != Value::Null).then_some(())
    })
    .await;
    browser.to(&page).await;
    until("the page is blank", || async { browser.text("body").await.is_empty().then_some(()) }).await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_running_clock_ticks_in_step_with_the_server() {
    let (_database, program) = start();
    let demo = program.demo();
    let clock = program.widget("First train leaves in");
    let browser = Browser::open().await;
    // A viewer's PC whose clock is an hour off.
    browser.go(&format!("{}/healthz", program.base)).await;
    let skew = "const real = Date.now; Date.now = () => real() + 3600000;";
    browser.devtools("Page.addScriptToEvaluateOnNewDocument", json!({"source": skew})).await;
    browser.go(clock["page_url"].as_str().unwrap()).await;
    let mut wire = Page::open(clock["page_url"].as_str().unwrap()).await;
    let url = format!("{}/api/v1/widgets/{}/actions/start", program.base, clock["id"]);
    let client = reqwest::Client::new();
    client.post(url).bearer_auth(demo["api_token"].as_str().unwrap()).send().await.unwrap().error_for_status().unwrap();
    wire.drawn("data-clock").await;
    let seconds = |text: &str| text.split(':').try_fold(0, |sum, part| Some(sum * 60 + part.parse::<i64>().ok()?));
    // It ticks down by itself, whatever this machine makes of the pace.
    let mut seen: Vec<i64> = Vec::new();
    while seen.len() < 4 {
        let shown = seconds(&browser.text(".clock-face").await).unwrap();
        if seen.last() != Some(&shown) {
            assert!(seen.last().is_none_or(|last| shown < *last), "{shown} after {seen:?}");
            seen.push(shown);
        }
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
    }
    // What the page shows lies between what the server says before and after.
    let before = seconds(&program.text(&clock).await).unwrap();
    let shown = seconds(&browser.text(".clock-face").await).unwrap();
    let after = seconds(&program.text(&clock).await).unwrap();
    assert!((after - 1..=before + 1).contains(&shown), "{before} {shown} {after}");
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_record_is_fed_mended_and_filled_from_a_file() {
    let database = Database::new();
    let program = Program::in_its_world(&database.url);
    let world = program.tip_jar.clone().unwrap();
    let browser = Browser::open().await;
    let goal = browser.tab(&page_url(&program, "Turntable motor")).await;
    browser.shows(".goal-value", "£212.50").await;
    let room = browser.tab("about:blank").await;
    browser.sign_in(&program.base, &program.demo()).await;

    // A chat, wired by hand to the stand-in's server.
    let state = reqwest::get(format!("{world}/world/state")).await.unwrap().text().await.unwrap();
    let port = state.split("#saltmarsh at 127.0.0.1:").nth(1).unwrap().split('.').next().unwrap().to_owned();
    browser.go(&format!("{}/feeds", program.base)).await;
    browser.click("#wire-chat summary").await;
    browser.fill("#chat-name", "Second chat").await;
    browser.fill("#chat-host", "127.0.0.1").await;
    browser.fill("#chat-port", "port").await;
    browser.click(".wire-check input").await;
    browser.fill("#chat-room", "#saltmarsh").await;
    browser.fill("#chat-nick", "reader").await;
    browser.click("#wire-chat .press-main").await;
    browser.shows("#refusal", "The port must be a number").await;
    browser.fill("#chat-port", &port).await;
    browser.click("#wire-chat .press-main").await;
    browser.shows(".feeds", "Second chat").await;
    browser.live().await;
    browser.shows(".strip", "Second chat").await;
    let say = "name=semaphore_sue&text=is+that+%3Cb%3ENo.+7%3C%2Fb%3E%3F";
    until("what is said stands in the signal strip", || async {
        let client = reqwest::Client::new();
        let form =
            client.post(format!("{world}/world/chat")).header("content-type", "application/x-www-form-urlencoded");
        form.body(say).send().await.unwrap();
        browser.text(".strip-chat").await.contains("semaphore_sue is that <b>No. 7</b>?").then_some(())
    })
    .await;

    // A tip, voided: the open page on air falls.
    Sender::of(&program.demo()["feeds"][0]).deliver(&tip("37.50")).await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£250").await;
    browser.to(&room).await;
    browser.go(&format!("{}/ledger?kind=tip", program.base)).await;
    browser.click(".ledger-line:nth-child(1) button").await;
    browser.shows(".ledger-bearings", "Turntable motor: counts £37.50").await;
    browser.click(".ledger-void .press-main").await;
    browser.shows(".ledger-line:nth-child(1) .ledger-voided", "Voided").await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£212.50").await;

    // A file with a line that is wrong.
    let file = program.folder.path().join("evening.csv");
    let first = chrono::Utc::now().to_rfc3339();
    std::fs::write(&file, format!("time,name,amount\n{first},ninepins,17.50\n{first},ninepins,a lot\n")).unwrap();
    browser.to(&room).await;
    browser.import(&program.base, &file).await;
    browser.click(".import .press-main").await;
    browser.shows("#tried", "Line 3 The amount is not a plain decimal number").await;
    browser.click("#tried .press-main").await;
    browser.shows("#files", "Files").await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£230").await;
    browser.to(&room).await;
    browser.click("#files + .feeds .press").await;
    browser.shows("#files + .feeds", "undone, does not count").await;
    browser.to(&goal).await;
    browser.shows(".goal-value", "£212.50").await;

    // Going on air and off again, at the top edge.
    browser.to(&room).await;
    browser.live().await;
    browser.click(".air-lever").await;
    browser.shows(".air-lever.is-on", "On air").await;
    browser.go(&format!("{}/shows", program.base)).await;
    browser.shows(".show:first-child h2", "on air for").await;
    browser.close().await;
}
