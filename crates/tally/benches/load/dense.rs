//! A dense day: fifty thousand entries of the same forty people, thirty widgets of every family with pages open, and what one more
//! tip, and one more room, costs the program.

use crate::clocks::processor;
use crate::ingest::{request, send};
use crate::kit::db::{Database, Server};
use crate::kit::owner::Owner;
use crate::kit::page::Page;
use crate::kit::program::Program;
use crate::kit::sender::Sender;
use crate::report::{Report, median, percentile, resident};
use crate::show::build;
use serde_json::{Value, json};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// Entries of the day before anything is measured, all within a show; `TALLY_DENSE_ENTRIES` makes it another day.
const ENTRIES: usize = 50_000;
const PEOPLE: usize = 40;
const WIDGETS: usize = 30;
const BATCH: usize = 100;
const SINGLES: usize = 5_000;
const BATCHES: usize = 200;
const ROUNDS: usize = 3;
/// How often a room is loaded, and for how long presses are timed.
const LOADS: usize = 10;
const TIPS: usize = 200;
/// People who load rooms over and over.
const READERS: usize = 10;
/// Events a second of a flood, and how long it lasts.
const FLOOD: usize = 5_000;
const FLOOD_SECONDS: usize = 10;

/// Something that somebody does, with a number of its own.
fn event(number: usize) -> Value {
    let who = number.wrapping_mul(7) % PEOPLE;
    let actor = json!({"id": format!("d-{who}"), "name": format!("dense_{who}")});
    let (kind, data) = match number % 12 {
        0..=5 => ("tip", json!({"actor": actor, "amount": "3.50", "currency": "GBP", "message": "mind the points"})),
        6 => ("follow", json!({"actor": actor})),
        7 => ("sub", json!({"actor": actor, "tier": number % 3 + 1, "months": number % 30})),
        8 | 9 => ("cheer", json!({"actor": actor, "points": number % 900 + 1})),
        10 => ("gift", json!({"actor": actor, "tier": 1, "count": number % 20 + 1})),
        _ => ("raid", json!({"actor": actor, "viewers": number % 90 + 1})),
    };
    let time = chrono::Utc::now().to_rfc3339();
    json!({"specversion": "1.0", "id": format!("dense-{number}"), "source": "/dense", "type": format!("tally.{kind}"),
        "time": time, "data": data})
}

fn batches(sender: &Sender, from: usize, many: usize) -> Vec<Vec<u8>> {
    let batch = |index: usize| {
        let first = from + index * BATCH;
        let events: Vec<Value> = (first..first + BATCH).map(event).collect();
        request(sender, "application/cloudevents-batch+json", &Value::from(events).to_string())
    };
    (0..many).map(batch).collect()
}

fn singles(sender: &Sender, from: usize, many: usize) -> Vec<Vec<u8>> {
    let single = |number| request(sender, "application/cloudevents+json", &event(number * 12).to_string());
    (from..from + many).map(single).collect()
}

/// The channel on a dense day, with a page open for each of its widgets.
pub struct Dense {
    pub program: Program,
    pub owner: Arc<Owner>,
    pub sender: Sender,
    next: usize,
    _server: Server,
}

impl Dense {
    pub async fn begin() -> Self {
        let entries = std::env::var("TALLY_DENSE_ENTRIES").ok().and_then(|one| one.parse().ok()).unwrap_or(ENTRIES);
        let server = Server::start();
        let database = Database::on(&server.url());
        let program = Program::with(&database.url, &["--demo", "--demo-days", "0", "--feed-rate", "1000000"]);
        let owner = Arc::new(Owner::of(&program).await);
        build(&owner, WIDGETS).await;
        let sender = Sender::of(&program.demo()["feeds"][0]);
        send(&sender, batches(&sender, 0, entries / BATCH), 8).await;
        for widget in program.demo()["widgets"].as_array().unwrap() {
            let mut page = Page::open(widget["page_url"].as_str().unwrap()).await;
            tokio::spawn(async move { while page.next_raw().await.is_some() {} });
        }
        Self { program, owner, sender, next: entries, _server: server }
    }

    /// Microseconds of processor time of the program for each of so many events.
    async fn cost(&mut self, requests: Vec<Vec<u8>>, connections: usize, events: usize) -> f64 {
        let before = processor(self.program.id());
        send(&self.sender, requests, connections).await;
        // What is drawn a moment later is a part of it.
        tokio::time::sleep(Duration::from_millis(200)).await;
        (processor(self.program.id()) - before) * 1e6 / events as f64
    }

    /// Delays from just before a tip is sent until a page on air has it, in milliseconds.
    async fn tips_to_page(&mut self) -> [f64; 2] {
        let widget = self.program.widget("Turntable motor");
        let mut page = Page::open(widget["page_url"].as_str().unwrap()).await;
        let (told, mut came) = tokio::sync::mpsc::unbounded_channel();
        tokio::spawn(async move {
            while let Some(message) = page.next_raw().await {
                if message.contains("goal-value") && told.send(Instant::now()).is_err() {
                    break;
                }
            }
            drop(told);
        });
        tokio::time::sleep(Duration::from_millis(300)).await;
        while came.try_recv().is_ok() {}
        let mut delays = Vec::new();
        let mut pace = tokio::time::interval(Duration::from_millis(50));
        for request in singles(&self.sender, self.next, TIPS) {
            pace.tick().await;
            let began = Instant::now();
            send(&self.sender, vec![request], 1).await;
            let came = tokio::time::timeout(Duration::from_secs(20), came.recv()).await;
            assert!(matches!(came, Ok(Some(_))), "a page on air lost its connection");
            delays.push(began.elapsed());
        }
        self.next += TIPS;
        [percentile(&mut delays, 50), percentile(&mut delays, 99)]
    }
}

/// Edits of a widget on air while events come, and how long each takes until it is answered.
pub async fn edits(report: &mut Report) {
    let dense = Dense::begin().await;
    let path = format!("/widgets/{}/edit", dense.program.widget("Turntable motor")["id"]);
    let edit = async |period: &str| {
        let began = Instant::now();
        dense.owner.done(&path, &[("key", "period"), ("text", period)]).await;
        began.elapsed()
    };
    let flood = batches(&dense.sender, dense.next * 12, FLOOD_SECONDS * FLOOD / BATCH);
    let sender = dense.sender.clone();
    let flooding = tokio::spawn(async move {
        let (began, many) = (Instant::now(), flood.len());
        let mut pace = tokio::time::interval(Duration::from_secs(1) / u32::try_from(FLOOD / BATCH).unwrap());
        for request in flood {
            pace.tick().await;
            send(&sender, vec![request], 1).await;
        }
        (many * BATCH) as f64 / began.elapsed().as_secs_f64()
    });
    let mut took = Vec::new();
    let mut pace = tokio::time::interval(Duration::from_millis(250));
    while !flooding.is_finished() {
        pace.tick().await;
        took.push(edit(["all_time", "this_year"][took.len() % 2]).await);
    }
    let came = flooding.await.unwrap();
    report.add(
        "an edit of a goal on a dense day while events come in batches",
        format!("{:.0} ms", percentile(&mut took, 50)),
        format!("worst {:.0} ms of {}; {came:.0} events/s came, of {FLOOD}", percentile(&mut took, 100), took.len()),
        "< 1,000 ms",
    );
}

/// An hour of a dense day, or `TALLY_SOAK_MINUTES` of it, with twenty tips a second: what is kept and how long a tip takes, sixth by
/// sixth.
pub async fn soak(report: &mut Report) {
    let minutes: u64 = std::env::var("TALLY_SOAK_MINUTES").ok().and_then(|one| one.parse().ok()).unwrap_or(60);
    let mut dense = Dense::begin().await;
    for sixth in 1..=6 {
        let (began, mut p50, mut p99) = (Instant::now(), Vec::new(), Vec::new());
        while began.elapsed() < Duration::from_secs(minutes * 10) {
            let [middle, worst] = dense.tips_to_page().await;
            p50.push(middle);
            p99.push(worst);
        }
        report.add(
            &format!("tip to page in sixth {sixth} of {minutes} minutes of a dense day, p50"),
            format!("{:.1} ms", median(p50)),
            format!("p99 {:.1} ms, the median of rounds of {TIPS} tips", median(p99)),
            "flat",
        );
        let held = resident(dense.program.id()) / 1_000_000;
        report.add(&format!("memory after sixth {sixth}"), format!("{held} MB"), String::new(), "flat");
    }
}

/// The rooms that show most, with the address of each.
pub async fn rooms(program: &Program, owner: &Owner) -> Vec<(&'static str, String)> {
    let desk = owner.page("/desk").await;
    let overlay = desk.split("data-appear=\"/overlays/").nth(1).unwrap().split('/').next().unwrap().to_owned();
    let event_list = program.widget("Just now")["id"].to_string();
    vec![
        ("the desk", "/desk".into()),
        ("the widgets", "/widgets".into()),
        ("an overlay's layout", format!("/overlays/{overlay}")),
        ("an event list's bench", format!("/widgets/{event_list}")),
        ("the cues", "/cues".into()),
        ("the looks", "/looks".into()),
        ("the ledger, searched", "/ledger?name=dense_7&text=points".into()),
    ]
}

pub async fn measure(report: &mut Report) {
    let mut dense = Dense::begin().await;
    let (mut one, mut many) = (Vec::new(), Vec::new());
    for _ in 0..ROUNDS {
        let requests = singles(&dense.sender, dense.next, SINGLES);
        dense.next += SINGLES;
        one.push(dense.cost(requests, 64, SINGLES).await);
        let requests = batches(&dense.sender, dense.next * 12, BATCHES);
        dense.next += BATCHES * BATCH;
        many.push(dense.cost(requests, 16, BATCHES * BATCH).await);
    }
    let of = |entries: usize| format!("on a day of {entries} entries by {PEOPLE} people, all demo pages open");
    report.add(
        "a tip on a dense day, one a request",
        format!("{:.0} µs", median(one)),
        of(ENTRIES),
        "≤ 60 µs of a core",
    );
    report.add(
        "an event on a dense day, in batches",
        format!("{:.1} µs", median(many)),
        of(ENTRIES),
        "≤ 12 µs of a core",
    );
    let rooms = rooms(&dense.program, &dense.owner).await;
    for (name, address) in &rooms {
        dense.owner.page(address).await;
        let (before, mut took) = (processor(dense.program.id()), Vec::new());
        for _ in 0..LOADS {
            let began = Instant::now();
            dense.owner.page(address).await;
            took.push(began.elapsed());
        }
        let cost = (processor(dense.program.id()) - before) * 1e3 / LOADS as f64;
        let beside = format!("answered after {:.0} ms", percentile(&mut took, 50));
        report.add(&format!("{name} on a dense day"), format!("{cost:.0} ms"), beside, "≤ 10 ms of a core");
    }
    let alone = dense.tips_to_page().await;
    let reading = Arc::new(AtomicBool::new(true));
    let readers: Vec<_> = (0..READERS)
        .map(|reader| {
            let (owner, reading, rooms) = (dense.owner.clone(), reading.clone(), rooms.clone());
            tokio::spawn(async move {
                let mut loads = 0_usize;
                for (_, address) in rooms.iter().cycle().skip(reader).take_while(|_| reading.load(Ordering::Relaxed)) {
                    owner.page(address).await;
                    loads += 1;
                }
                loads
            })
        })
        .collect();
    let beside = dense.tips_to_page().await;
    reading.store(false, Ordering::Relaxed);
    let mut loads = 0;
    for reader in readers {
        loads += reader.await.unwrap();
    }
    for (index, name) in ["p50", "p99"].into_iter().enumerate() {
        report.add(
            &format!("tip to page on a dense day while ten read rooms, {name}"),
            format!("{:.1} ms", beside[index]),
            format!(
                "alone {:.1} ms: ratio {:.1}; {loads} rooms read meanwhile",
                alone[index],
                beside[index] / alone[index]
            ),
            "ratio ≤ 2",
        );
    }
    report.add("memory on a dense day", format!("{} MB", resident(dense.program.id()) / 1_000_000), of(ENTRIES), "");
}
