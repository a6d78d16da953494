//! Each of the made-up services wired from nothing in a real browser, by mouse and by keys, until an open page
//! shows that it counts.

use crate::kit::browser::Browser;
use crate::kit::db::Database;
use crate::kit::program::Program;
use crate::kit::until;
use fantoccini::wd::WindowHandle;
use serde_json::json;

struct Seen {
    browser: Browser,
    program: Program,
    world: String,
    goal: WindowHandle,
    room: WindowHandle,
    _database: Database,
}

impl Seen {
    /// Signed in, with a goal on an open page.
    async fn new(goal: &str) -> Self {
        let database = Database::new();
        let program = Program::in_its_world(&database.url);
        let world = program.tip_jar.clone().unwrap();
        let browser = Browser::open().await;
        let goal = browser.tab(program.widget(goal)["page_url"].as_str().unwrap()).await;
        let room = browser.tab("about:blank").await;
        browser.sign_in(&program.base, &program.demo()).await;
        browser.go(&format!("{}/feeds", program.base)).await;
        Self { browser, program, world, goal, room, _database: database }
    }

    async fn service(&self, path: &str, form: &str) {
        let url = format!("{}/services/{path}", self.world);
        let request = reqwest::Client::new().post(url).header("content-type", "application/x-www-form-urlencoded");
        request.body(form.to_owned()).send().await.unwrap().error_for_status().unwrap();
    }

    async fn shows_on_air(&self, css: &str, text: &str) {
        self.browser.to(&self.goal).await;
        self.browser.shows(css, text).await;
        self.browser.to(&self.room).await;
    }

    /// Opens a blank and presses a value of the message that lies open.
    async fn fills(&self, blank: &str, leaf: &str) {
        self.browser.click(&format!(".blank[data-key={blank}] > summary")).await;
        self.browser.click(&format!("[data-leaf='{leaf}']")).await;
        let filled = format!(".blank[data-key={blank}]:not(.is-left-out):not([open])");
        self.browser.shows_one(&filled).await;
    }
}

const ENTER: &str = "\u{e007}";

#[tokio::test(flavor = "multi_thread")]
async fn a_tip_service_is_wired_by_mouse_and_a_guess_is_corrected() {
    let seen = Seen::new("Turntable motor").await;
    let browser = &seen.browser;
    browser.click("#wire-any_webhook > summary").await;
    browser.fill("#any_webhook-name", "Box of tips").await;
    browser.click("#wire-any_webhook .press-main").await;
    browser.shows("h1", "Box of tips").await;
    let url = browser.run("return document.getElementById('rules-url').value").await;
    let calls = format!("key=steam&url={}", url.as_str().unwrap());
    seen.service("buffer-box/calls", &calls).await;
    seen.service("buffer-box", "by=quietferry&pennies=1250&card=for+the+whistle").await;
    browser.shows("#rules-arrived", "Matches no rule").await;
    browser.shows("#rules", "What it says").await;

    // The guess goes by names and shapes, and misses what this service calls a message and an id; that is pressed.
    browser.click("#rules-arrived button").await;
    browser.click(".rules-tree-head button").await;
    browser.shows(".rule.is-guess", "a guess: check it").await;
    browser.shows(".blank[data-key=amount]", "filled.pennies in hundredths").await;
    browser.shows(".blank[data-key=time]", "stamped in milliseconds").await;
    browser.shows("#rules-arrived", "quietferry tipped £12.50").await;
    browser.shows(".rule", "Fill known by if the service sends an id").await;
    seen.fills("id", "/body/slip").await;
    seen.fills("message", "/body/filled/card").await;
    browser.shows_one(".rule:not(.is-guess)").await;
    browser.shows("#rules-trial", "1 would be a tip.").await;
    browser.shows(".blank[data-key=message]", "filled.card").await;
    seen.shows_on_air(".goal-value", "£212.50").await;
    browser.click(".rules-presses .press-main").await;
    browser.shows(".rules-presses", "Also count this one").await;
    browser.click(".rules-presses .press-main").await;
    browser.shows("#rules-arrived", "Nothing yet").await;
    seen.shows_on_air(".goal-value", "£225").await;
    seen.service("buffer-box", "by=&pennies=500").await;
    seen.shows_on_air(".goal-value", "£230").await;

    // A wrong seal is told with what was expected.
    browser.go(&format!("{}/feeds", seen.program.base)).await;
    let form = browser.run("return document.querySelector('#feeds-list, .feeds').innerText").await;
    assert!(form.as_str().unwrap().contains("counts by one rule"), "{form}");
    let own =
        "const feed = [...document.querySelectorAll('.feed')].find((one) => one.textContent.includes('Box of tips'));";
    browser.run(&format!("{own} feed.querySelectorAll('.wire-edit').forEach((one) => {{ one.open = true; }}); const form = feed.querySelector('form.sender');
        form.elements.kind.value = 'hmac'; form.elements.kind.dispatchEvent(new Event('change', {{bubbles: true}}));
        form.elements.header.value = 'X-Buffer-Seal'; form.elements.prefix.value = 'seal:'; form.elements.secret.value = 'smoke';
        form.requestSubmit();")).await;
    let hmac = || async {
        let shown = browser.run(&format!("{own} return feed.querySelector('form.sender')?.elements.kind.value")).await;
        (shown == json!("hmac")).then_some(())
    };
    until("the setting is kept", hmac).await;
    seen.service("buffer-box", "by=bram&pennies=100").await;
    until("the feed says what was expected", || async {
        browser.go(&format!("{}/feeds", seen.program.base)).await;
        browser
            .text(".feeds")
            .await
            .contains("The signature does not fit; expected is an HMAC with SHA-256 over the body")
            .then_some(())
    })
    .await;
    seen.shows_on_air(".goal-value", "£230").await;
    seen.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_platform_is_wired_by_its_stream_and_a_later_rule_takes_what_came_before() {
    let seen = Seen::new("New platform hands").await;
    let browser = &seen.browser;
    // What counts a show needs one.
    browser.live().await;
    browser.click(".air-switch button").await;
    browser.shows(".air-switch", "On air").await;
    seen.shows_on_air(".goal-value", "0").await;
    browser.click("#wire-stream > summary").await;
    browser.fill("#stream-name", "The other line").await;
    let address = seen.world.replace("http://", "ws://");
    browser.fill("#stream-url", &format!("{address}/branchline/line")).await;
    browser.click("#wire-stream .wire-more summary").await;
    browser.fill("#stream-first", "{\"ticket\": \"saltmarsh-halt\"}").await;
    browser.click("#wire-stream .press-main").await;
    browser.shows("h1", "The other line").await;
    // The guess sees the list, and what stands first in each item.
    until("something came aboard", || async {
        seen.service("branchline", "rider=odile&what=boarded").await;
        (browser.text("#rules-arrived").await.contains("Matches no rule")).then_some(())
    })
    .await;
    browser.shows_one("[data-leaf-list]").await;
    browser.click(".rules-tree-head button").await;
    browser.shows(".rule-sentence", "For each item of cars").await;
    browser.run("const pick = document.getElementById('rule-0-event'); pick.value = 'follow'; pick.dispatchEvent(new Event('change', {bubbles: true}));").await;
    browser.shows("#rules-trial", "follow").await;
    seen.fills("name", "/body/cars/0/1/rider").await;
    browser.shows(".blank[data-key=name]", "item.1.rider").await;
    seen.fills("id", "/body/cars/0/1/pass").await;
    browser.shows("#rules-arrived", "odile follows").await;
    browser.click(".rules-presses .press-main").await;
    browser.shows("#rules .rules-now", "What its rules fit counts").await;

    // A season ticket fits no rule; one made later takes it.
    seen.service("branchline", "rider=bram&what=season").await;
    browser.shows("#rules-arrived", "Matches no rule").await;
    browser.click(".rules-message").await;
    browser.shows(".rules-tree", "season").await;
    browser.click(".rules-tree-head button").await;
    browser.shows_one("[aria-label='Rule 2']").await;
    browser.run("const pick = document.getElementById('rule-1-event'); pick.value = 'sub'; pick.dispatchEvent(new Event('change', {bubbles: true}));").await;
    browser.shows_one("[aria-label='Rule 2'] .blank[data-key=tier]").await;
    browser.shows("#rules-trial", "would be a subscription").await;
    browser.click(".rules-presses .press-main").await;
    browser.shows(".rules-presses", "Also count").await;
    browser.click(".rules-presses .press-main").await;
    browser.shows("#rules-arrived", "Nothing yet").await;
    // The demo's own feed hears the same line and knows the first class for tier 3, which weighs 5.
    seen.shows_on_air(".goal-value", "6").await;
    seen.browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_shop_is_wired_by_keys_as_a_form_and_as_a_list() {
    let seen = Seen::new("Turntable motor").await;
    let browser = &seen.browser;
    browser.press("#wire-any_webhook > summary", ENTER).await;
    browser.press("#any_webhook-name", "Shop").await;
    browser.keys(ENTER).await;
    browser.shows("h1", "Shop").await;
    let url = browser.run("return document.getElementById('rules-url').value").await;
    seen.service("ticket-office/calls", &format!("url={}", url.as_str().unwrap())).await;
    seen.service("ticket-office", "customer=oatcake_jo&thing=enamel+mug&pieces=2&paid=%C2%A324.00").await;
    browser.shows("#rules-arrived", "Matches no rule").await;
    browser.press(".rules-message", ENTER).await;
    browser.shows_one("[data-leaf='/body/paid']").await;
    browser.press(".rules-tree-head button", ENTER).await;
    browser.shows(".rule.is-guess", "it is").await;
    browser.shows("#rules-trial", "1 would be a purchase.").await;
    browser.shows("#rules-arrived", "oatcake_jo bought 2 × enamel mug for £24").await;
    // A blank is opened, another value pressed, and the old one pressed again, all by keys.
    browser.press(".blank[data-key=name] > summary", ENTER).await;
    browser.shows_one(".blank[data-key=name][open]").await;
    browser.press("[data-leaf='/body/thing']", ENTER).await;
    browser.shows("#rules-arrived", "enamel mug bought").await;
    browser.press(".blank[data-key=name] > summary", ENTER).await;
    browser.shows_one(".blank[data-key=name][open]").await;
    browser.press("[data-leaf='/body/customer']", ENTER).await;
    browser.shows("#rules-arrived", "oatcake_jo bought").await;
    browser.press(".rules-presses .press-main", ENTER).await;
    browser.shows("#rules .rules-now", "What its rules fit counts").await;

    // The same orders as a list.
    browser.go(&format!("{}/feeds", seen.program.base)).await;
    browser.press("#wire-list > summary", ENTER).await;
    browser.press("#list-name", "Orders").await;
    browser.press("#list-url", &format!("{}/ticket-office/orders.json", seen.world)).await;
    browser.press("#wire-list .address-row .press", ENTER).await;
    browser.shows_one("#wire-list [data-pick='/orders']").await;
    browser.press("#wire-list [data-pick='/orders']", ENTER).await;
    let items = browser.run("return document.getElementById('list-items').value").await;
    assert_eq!(items, json!("/orders"));
    browser.press("#wire-list form .press-main:last-child", ENTER).await;
    browser.shows("h1", "Orders").await;
    browser.shows("#rules-arrived", "Matches no rule").await;
    seen.browser.close().await;
}
