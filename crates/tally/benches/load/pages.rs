//! A thousand open pages of a widget, and five thousand of an overlay, beside a bare broadcast over the same kind of connection.

use crate::bare::Bare;
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::page::Page;
use crate::kit::program::Program;
use crate::report::{Report, median, percentile, resident};
use std::net::Ipv4Addr;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use tokio::sync::mpsc;

const ROUNDS: usize = 3;
/// Pages of one widget, and of an overlay with ten.
const PAGES: usize = 1_000;
const OVERLAYS: usize = 5_000;
const OF_ONE_ADDRESS: usize = 2_000;
const UPDATES: usize = 100;
const EVERY: Duration = Duration::from_millis(100);

/// Opened pages that tell when the message with a mark came.
struct Crowd {
    arrivals: mpsc::UnboundedReceiver<(usize, Instant)>,
    open: Arc<AtomicUsize>,
    pages: usize,
}

/// The number behind a mark in a message.
fn number(message: &str, mark: &str) -> Option<usize> {
    let (_, rest) = message.split_once(mark)?;
    let digits: String = rest.chars().filter(|c| *c != ',').take_while(char::is_ascii_digit).collect();
    digits.parse().ok()
}

impl Crowd {
    async fn open(url: &str, mark: &'static str, pages: usize) -> Self {
        let (sender, arrivals) = mpsc::unbounded_channel();
        let open = Arc::new(AtomicUsize::new(0));
        for page in 0..pages {
            // One address may have so many pages open, and no more.
            let from = Ipv4Addr::new(127, 0, 0, 2 + u8::try_from(page / OF_ONE_ADDRESS).unwrap());
            // As pages do: loaded first, and connected then.
            let overlay = url.contains("/o/");
            let mut page = if overlay { Page::load_from(from, url).await } else { Page::open_from(from, url).await };
            let (sender, open) = (sender.clone(), open.clone());
            tokio::spawn(async move {
                open.fetch_add(1, Ordering::Relaxed);
                while let Some(message) = page.next_raw().await {
                    if let Some(number) = number(&message, mark) {
                        let _ = sender.send((number, Instant::now()));
                    }
                }
                open.fetch_sub(1, Ordering::Relaxed);
            });
        }
        Self { arrivals, open, pages }
    }

    /// Delays of all arrivals, given when each number was sent.
    async fn delays(&mut self, sent: &[Instant]) -> Vec<Duration> {
        let mut delays = Vec::with_capacity(self.pages * UPDATES);
        while delays.len() < self.pages * sent.len() {
            match tokio::time::timeout(Duration::from_secs(5), self.arrivals.recv()).await {
                Ok(Some((number, at))) => {
                    if let Some(sent) = number.checked_sub(1).and_then(|index| sent.get(index)) {
                        delays.push(at - *sent);
                    }
                }
                _ => break,
            }
        }
        delays
    }
}

struct Figures {
    delays: Vec<Duration>,
    memory: u64,
}

impl Figures {
    /// p50 and p99 in milliseconds, memory in kilobytes.
    fn summary(mut self) -> [f64; 3] {
        [percentile(&mut self.delays, 50), percentile(&mut self.delays, 99), self.memory as f64 / 1_000.0]
    }
}

/// Of pages of the counter, or of the overlay on which it stands; and how long a message is.
async fn ours(pages: usize, on_overlay: bool) -> (Figures, usize) {
    let server = Server::start();
    let database = Database::on(&server.url());
    let program = Program::with(&database.url, &["--demo"]);
    let (demo, counter) = (program.demo(), program.widget("Derailments"));
    let press = format!("{}/api/v1/widgets/{}/actions/add", program.base, counter["id"]);
    let token = demo["api_token"].as_str().unwrap().to_owned();
    // A line that has lain idle while the pages were opened may be closed just as it is used.
    let client = reqwest::Client::builder().pool_max_idle_per_host(0).build().unwrap();
    let own = counter["page_url"].as_str().unwrap();
    let example = Page::open(own).await.drawn("counter-value").await.to_string().len();
    let url = if on_overlay {
        let list = Owner::of(&program).await.page("/overlays").await;
        format!("{}/o/{}", program.base, list.split("/o/").nth(1).unwrap().split('"').next().unwrap())
    } else {
        own.to_owned()
    };

    let before = resident(program.id());
    let mut crowd = Crowd::open(&url, "data-t=\\\"", pages).await;
    tokio::time::sleep(Duration::from_secs(1)).await;
    let mut sent = Vec::new();
    let mut pace = tokio::time::interval(EVERY);
    for _ in 0..UPDATES {
        pace.tick().await;
        sent.push(Instant::now());
        let request = client.post(&press).bearer_auth(&token);
        tokio::spawn(async move { request.send().await.unwrap().error_for_status().unwrap() });
    }
    let delays = crowd.delays(&sent).await;
    let memory = resident(program.id()).saturating_sub(before) / pages as u64;
    assert_eq!(crowd.open.load(Ordering::Relaxed), pages, "pages were lost");
    (Figures { delays, memory }, example)
}

async fn theirs(length: usize, pages: usize) -> Figures {
    let bare = Bare::start();
    let client = reqwest::Client::new();
    let before = resident(bare.id());
    let mut crowd = Crowd::open(&format!("{}/page", bare.base), "mark ", pages).await;
    tokio::time::sleep(Duration::from_secs(1)).await;
    let mut sent = Vec::new();
    let mut pace = tokio::time::interval(EVERY);
    for number in 1..=UPDATES {
        pace.tick().await;
        sent.push(Instant::now());
        let body = format!("{:length$}", format!("mark {number} "));
        let request = client.post(format!("{}/push", bare.base)).body(body);
        tokio::spawn(async move { request.send().await.unwrap() });
    }
    let delays = crowd.delays(&sent).await;
    Figures { delays, memory: resident(bare.id()).saturating_sub(before) / pages as u64 }
}

pub async fn measure(report: &mut Report) {
    let of_widgets = [
        ("1,000 pages at 10 updates a second, p50", "ms", ""),
        ("1,000 pages at 10 updates a second, p99", "ms", "< 100 ms"),
        ("memory for each open page", "KB", "< 40 KB"),
    ];
    compare(report, PAGES, false, of_widgets).await;
    let of_overlays = [
        ("5,000 overlay pages at 10 updates a second, p50", "ms", ""),
        ("5,000 overlay pages at 10 updates a second, p99", "ms", "ratio ≤ 1.2"),
        ("memory for each open overlay page", "KB", "≤ 22 KB"),
    ];
    compare(report, OVERLAYS, true, of_overlays).await;
}

async fn compare(report: &mut Report, pages: usize, on_overlay: bool, lines: [(&str, &str, &str); 3]) {
    let (mut mine, mut bare) = (Vec::new(), Vec::new());
    let (mut delivered, mut delivered_bare) = (0, 0);
    for _ in 0..ROUNDS {
        let (ours, length) = ours(pages, on_overlay).await;
        let theirs = theirs(length, pages).await;
        (delivered, delivered_bare) = (delivered + ours.delays.len(), delivered_bare + theirs.delays.len());
        mine.push(ours.summary());
        bare.push(theirs.summary());
    }
    let of = |rounds: &[[f64; 3]], index: usize| median(rounds.iter().map(|round| round[index]).collect());
    let all = (ROUNDS * pages * UPDATES) as f64;
    let share = |delivered: usize| 100.0 * delivered as f64 / all;
    let told = format!("{:.1} % delivered, bare {:.1} %", share(delivered), share(delivered_bare));
    for (index, (what, unit, aim)) in lines.into_iter().enumerate() {
        let (mine, bare) = (of(&mine, index), of(&bare, index));
        let beside = format!("bare broadcast {bare:.1} {unit}: ratio {:.1}; {told}", mine / bare);
        report.add(what, format!("{mine:.1} {unit}"), beside, aim);
    }
}
