//! A widget on its bench, driven as its owner would.

use super::browser::Browser;
use super::db::Database;
use super::program::Program;
use super::sender::Sender;
use super::until;
use fantoccini::wd::WindowHandle;
use serde_json::{Value, json};

/// A widget on its bench, and its page on air in another tab.
pub struct Bench {
    pub browser: Browser,
    pub program: Program,
    pub bench: WindowHandle,
    pub page: WindowHandle,
    sent: std::cell::Cell<u32>,
    _database: Database,
}

impl Bench {
    /// Builds a widget from a start on the shelf.
    pub async fn from(start: &str) -> Self {
        let database = Database::new();
        let program = Program::in_its_world(&database.url);
        let browser = Browser::open().await;
        let bench = browser.tab("about:blank").await;
        browser.sign_in(&program.base, &program.demo()).await;
        browser.go(&format!("{}/widgets", program.base)).await;
        browser.live().await;
        browser.click("[data-open=new-widget]").await;
        browser.click(&format!(".start [value={start}]")).await;
        browser.shows("#bar", "On air.").await;
        browser.live().await;
        let url = browser.run("return document.getElementById('page-url').value").await;
        let page = browser.tab(url.as_str().unwrap()).await;
        browser.to(&bench).await;
        Self { browser, program, bench, page, sent: 0.into(), _database: database }
    }

    /// Changes a part of the sentence as its control lets one.
    pub async fn says(&self, part: &str, text: &str) {
        let of_part = format!("[data-part='{part}']");
        self.browser.click(&format!("{of_part} .part-shown")).await;
        let pick = format!(
            "const field = document.querySelector(\"{of_part} [name=text]\");
             field.value = {text:?}; field.form.requestSubmit();"
        );
        self.browser.run(&pick).await;
        self.browser.shows("#bar", "not on air yet").await;
    }

    /// Sets a control in a drawer.
    pub async fn sets(&self, drawer: &str, control: &str, value: &str) {
        let front = format!(
            "const front = document.querySelector('[data-drawer={drawer}]'); if (front.ariaExpanded !== 'true') front.click();"
        );
        self.browser.run(&front).await;
        let pick = format!(
            "const field = document.querySelector(\"[data-control='{control}'] [name=text]\");
             field.value = {value:?}; field.dispatchEvent(new Event('change', {{bubbles: true}}));"
        );
        self.browser.run(&pick).await;
        self.browser.shows("#bar", "not on air yet").await;
    }

    pub async fn shows_after(&self, script: &str) {
        until("the page says so", || async { (self.browser.run(script).await == json!(true)).then_some(()) }).await;
    }

    /// Puts what is tried on air.
    pub async fn put_on_air(&self) {
        self.browser.click("#bar [data-bench-key=p]").await;
        self.browser.shows("#bar", "Undo: put it on air").await;
    }

    /// Something happens on the channel.
    pub async fn happens(&self, kind: &str, data: Value) {
        self.sent.set(self.sent.get() + 1);
        let id = format!("family-{}", self.sent.get());
        let event =
            json!({"specversion": "1.0", "id": id, "source": "/test", "type": format!("tally.{kind}"), "data": data});
        Sender::of(&self.program.demo()["feeds"][1]).deliver(&event).await;
    }

    /// The page on air shows a text.
    pub async fn on_air(&self, css: &str, text: &str) {
        self.browser.to(&self.page).await;
        self.browser.shows(css, text).await;
        self.browser.to(&self.bench).await;
    }

    /// Nothing of the page on air has changed yet.
    pub async fn not_yet_on_air(&self, css: &str, text: &str) {
        self.browser.to(&self.page).await;
        assert!(!self.browser.text(css).await.contains(text), "{text} is on air too soon");
        self.browser.to(&self.bench).await;
    }

    /// A colour that was set has reached the page on air.
    pub async fn coloured(&self, token: &str, value: &str) {
        self.browser.to(&self.page).await;
        let token = token.replace('_', "-");
        let script = format!(
            "return getComputedStyle(document.querySelector('.air')).getPropertyValue('--{token}') === '{value}'"
        );
        self.shows_after(&script).await;
        self.browser.to(&self.bench).await;
    }
}
