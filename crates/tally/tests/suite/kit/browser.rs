//! A real browser: headless Chromium through ChromeDriver.

use super::{PATIENCE, until};
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

/// Chromium with its driver. Sessions end with [`Browser::close`]; the driver ends with its guard.
pub struct Browser {
    pub client: Client,
    driver: Driver,
}

struct Driver {
    child: Child,
    port: u16,
    session: String,
}

impl Drop for Driver {
    /// A test that failed did not close its browser, which would go on at the cost of all others.
    fn drop(&mut self) {
        if let Ok(mut line) = TcpStream::connect(("127.0.0.1", self.port)) {
            let _ = line.set_read_timeout(Some(Duration::from_secs(5)));
            let head = "HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n";
            let _ = write!(line, "DELETE /session/{} {head}", self.session);
            let _ = line.read(&mut [0; 64]);
        }
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A command of the Chrome DevTools Protocol.
#[derive(Debug)]
struct DevTools(&'static str, Value);

impl WebDriverCompatibleCommand for DevTools {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({"cmd": self.0, "params": self.1}).to_string()))
    }
}

const ARGUMENTS: [&str; 13] = [
    "--headless=new",
    // Needed as root, where tests often run; nothing but our own pages is opened.
    "--no-sandbox",
    "--disable-gpu",
    "--disable-dev-shm-usage",
    "--hide-scrollbars",
    "--disable-background-networking",
    "--no-first-run",
    "--disable-extensions",
    "--disable-component-update",
    "--disable-sync",
    "--mute-audio",
    // A page that was left keeps its connection otherwise.
    "--disable-features=BackForwardCache",
    "--window-size=1280,800",
];

/// A driver that has just been started, and its port; none if it could not stay.
fn started() -> Option<(Child, u16)> {
    let mut child = Command::new("chromedriver")
        .arg("--port=0")
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("chromedriver is installed by ./check");
    let lines = BufReader::new(child.stdout.take().unwrap()).lines();
    let said = |line: String| {
        let port = line.split("started successfully on port ").nth(1)?.trim_end_matches('.').parse();
        port.ok()
    };
    match lines.map_while(Result::ok).find_map(said) {
        Some(port) => Some((child, port)),
        None => {
            child.wait().unwrap();
            None
        }
    }
}

impl Browser {
    pub async fn open() -> Self {
        // The port that it finds free may be taken by another test before it has it; then it ends at once.
        let (child, port) = (0..5).find_map(|_| started()).expect("chromedriver says its port");
        let mut driver = Driver { child, port, session: String::new() };
        // axe-core on a long page beside two other browsers may take longer than the usual 30 s.
        let timeouts = json!({"script": 5 * PATIENCE.as_millis() as u64});
        let capabilities = json!({"goog:chromeOptions": {"args": ARGUMENTS}, "timeouts": timeouts});
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities.as_object().unwrap().clone())
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .unwrap();
        driver.session = client.session_id().await.unwrap().unwrap_or_default();
        let browser = Self { client, driver };
        browser.size(1280, 800).await;
        browser
    }

    pub async fn size(&self, width: u32, height: u32) {
        let metrics = json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.devtools("Emulation.setDeviceMetricsOverride", metrics).await;
    }

    pub async fn devtools(&self, command: &'static str, parameters: Value) -> Value {
        self.client.issue_cmd(DevTools(command, parameters)).await.unwrap()
    }

    pub async fn go(&self, url: &str) {
        self.client.goto(url).await.unwrap();
    }

    /// Opens a page in a tab of its own and gives its handle.
    pub async fn tab(&self, url: &str) -> fantoccini::wd::WindowHandle {
        let tab = self.client.new_window(true).await.unwrap().handle;
        self.client.switch_to_window(tab.clone()).await.unwrap();
        self.size(1280, 800).await;
        self.go(url).await;
        tab
    }

    pub async fn to(&self, tab: &fantoccini::wd::WindowHandle) {
        self.client.switch_to_window(tab.clone()).await.unwrap();
    }

    /// Runs a script in the page.
    pub async fn run(&self, script: &str) -> Value {
        self.client.execute(script, vec![]).await.unwrap()
    }

    /// The text of the first element that fits; empty where there is none.
    pub async fn text(&self, css: &str) -> String {
        let script = format!("return document.querySelector({css:?})?.textContent ?? ''");
        let text = self.run(&script).await.as_str().unwrap_or_default().to_owned();
        text.split_whitespace().collect::<Vec<_>>().join(" ")
    }

    /// Waits until an element holds a text.
    pub async fn shows(&self, css: &str, expected: &str) {
        let began = std::time::Instant::now();
        loop {
            let text = self.text(css).await;
            if text.contains(expected) {
                return;
            }
            assert!(began.elapsed() < PATIENCE, "{css} shows “{text}”, not “{expected}”");
            tokio::time::sleep(std::time::Duration::from_millis(20)).await;
        }
    }

    /// Waits until there is an element that fits.
    pub async fn shows_one(&self, css: &str) {
        self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await.unwrap();
    }

    pub async fn click(&self, css: &str) {
        let began = std::time::Instant::now();
        loop {
            let element = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await.unwrap();
            match element.click().await {
                Ok(()) => return,
                // A live page may have drawn the element anew since it was found.
                Err(error) if error.is_stale_element_reference() => {
                    assert!(began.elapsed() < PATIENCE, "{css} never stands still");
                }
                Err(error) => panic!("{css}: {error}"),
            }
        }
    }

    /// Types into a field, after clearing it.
    pub async fn fill(&self, css: &str, text: &str) {
        let field = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await.unwrap();
        field.clear().await.unwrap();
        field.send_keys(text).await.unwrap();
    }

    /// Chooses a file in the Feeds room and waits until it has been looked at.
    pub async fn import(&self, base: &str, file: &std::path::Path) {
        self.go(&format!("{base}/feeds")).await;
        self.click("#wire-import summary").await;
        let field = self.client.find(Locator::Css("#import-file")).await.unwrap();
        field.send_keys(&file.display().to_string()).await.unwrap();
        self.click("#wire-import .press-main").await;
        self.shows("h1", &file.file_name().unwrap().to_string_lossy()).await;
        self.run("document.getElementById('all-kind').value = 'tip'").await;
    }

    /// Presses keys wherever the focus is.
    pub async fn keys(&self, keys: &str) {
        let began = std::time::Instant::now();
        loop {
            match self.client.active_element().await.unwrap().send_keys(keys).await {
                Ok(()) => return,
                // A live page may have drawn the element anew since it was found; then no key was pressed.
                Err(error) if error.is_stale_element_reference() => {
                    assert!(began.elapsed() < PATIENCE, "the focus never stands still");
                }
                Err(error) => panic!("{keys:?}: {error}"),
            }
        }
    }

    /// Presses keys on an element, which has the focus then.
    pub async fn press(&self, css: &str, keys: &str) {
        let began = std::time::Instant::now();
        loop {
            let element = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await.unwrap();
            match element.send_keys(keys).await {
                Ok(()) => return,
                Err(error) if error.is_stale_element_reference() => {
                    assert!(began.elapsed() < PATIENCE, "{css} never stands still");
                }
                Err(error) => panic!("{css}: {error}"),
            }
        }
    }

    /// Waits until the page's live connection stands: until the signal strip is drawn, where a page has one.
    pub async fn live(&self) {
        let drawn = "const strip = document.querySelector('.strip'); return !strip || strip.childElementCount > 0";
        until("the signal strip is drawn", || async { (self.run(drawn).await == true).then_some(()) }).await;
    }

    pub async fn sign_in(&self, base: &str, demo: &Value) {
        self.go(&format!("{base}/sign-in")).await;
        self.fill("#name", demo["owner"]["name"].as_str().unwrap()).await;
        self.fill("#password", demo["owner"]["password"].as_str().unwrap()).await;
        self.click(".press-main").await;
        until("the desk is open", || async {
            self.client.current_url().await.unwrap().path().ends_with("/desk").then_some(())
        })
        .await;
    }

    /// Waits until two frames have been drawn since: what was asked for stands where it will.
    pub async fn rests(&self) {
        let frames = "const done = arguments[arguments.length - 1]; requestAnimationFrame(() => requestAnimationFrame(() => done(true)))";
        self.client.execute_async(frames, vec![]).await.unwrap();
    }

    /// Ends the session; a browser left open would linger after the test.
    pub async fn close(self) {
        self.client.close().await.unwrap();
        drop(self.driver);
    }
}
