//! Durable events a second, beside a bare multi-row insert of the same rows.

use crate::kit::db::{Database, Server};
use crate::kit::program::Program;
use crate::kit::sender::Sender;
use crate::report::{Report, median};
use diesel::prelude::*;
use diesel_migrations::MigrationHarness;
use serde_json::{Value, json};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;
use tally_core::record::ids::{ChannelId, FeedId};
use tally_feeds::cloudevents::{self, Mode};
use tally_feeds::signature;
use tally_store::rows::EntryRow;
use tally_store::schema::entries;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;

const ROUNDS: usize = 3;
const BATCHES: usize = 500;
const EVENTS_A_BATCH: usize = 100;
const SINGLES: usize = 30_000;

pub fn event(number: usize) -> Value {
    json!({
        "specversion": "1.0", "id": format!("bench-{number}"), "source": "/bench", "type": "tally.tip",
        "time": chrono::Utc::now().to_rfc3339(),
        "data": {"actor": {"id": format!("v-{}", number % 997), "name": format!("viewer_{}", number % 997)},
            "amount": "3.50", "currency": "GBP", "message": "for the turntable, and mind the points"},
    })
}

/// A whole request, ready for the wire.
pub fn request(sender: &Sender, content_type: &str, body: &str) -> Vec<u8> {
    let url: url::Url = sender.url.parse().unwrap();
    let now = chrono::Utc::now().timestamp();
    let signature = signature::sign(&sender.secret, "bench", now, body.as_bytes()).unwrap();
    format!(
        "POST {} HTTP/1.1\r\nhost: {}\r\ncontent-type: {content_type}\r\nwebhook-id: bench\r\nwebhook-timestamp: {now}\r\n\
         webhook-signature: {signature}\r\ncontent-length: {}\r\n\r\n{body}",
        url.path(),
        url.authority(),
        body.len(),
    )
    .into_bytes()
}

/// Sends all requests over so many connections; how many seconds until the last answer.
pub async fn send(sender: &Sender, requests: Vec<Vec<u8>>, connections: usize) -> f64 {
    let authority = sender.url.parse::<url::Url>().unwrap().authority().to_owned();
    let (requests, next) = (Arc::new(requests), Arc::new(AtomicUsize::new(0)));
    let began = Instant::now();
    let tasks: Vec<_> = (0..connections)
        .map(|_| {
            let (requests, next, authority) = (requests.clone(), next.clone(), authority.clone());
            tokio::spawn(async move {
                let mut stream = TcpStream::connect(authority).await.unwrap();
                stream.set_nodelay(true).unwrap();
                let mut buffer = vec![0; 16 * 1024];
                while let Some(request) = requests.get(next.fetch_add(1, Ordering::Relaxed)) {
                    stream.write_all(request).await.unwrap();
                    let mut length = 0;
                    // Our answers are short and end with the JSON's brace.
                    while !buffer[..length].ends_with(b"}") {
                        let read = stream.read(&mut buffer[length..]).await.unwrap();
                        assert!(read > 0, "the server hung up");
                        length += read;
                    }
                    assert!(buffer.starts_with(b"HTTP/1.1 200"), "{}", String::from_utf8_lossy(&buffer[..length]));
                }
            })
        })
        .collect();
    for task in tasks {
        task.await.unwrap();
    }
    began.elapsed().as_secs_f64()
}

fn bare(database: &Database, from: usize, count: usize) -> f64 {
    let mut conn = database.connect();
    let rows: Vec<EntryRow> = (from..from + count)
        .map(|number| {
            let body = event(number).to_string();
            let now = chrono::Utc::now();
            let incoming = cloudevents::parse(Mode::Structured, &[], body.as_bytes(), now).unwrap().remove(0);
            let row = EntryRow::of(ChannelId(1), &incoming.draft(FeedId(1), now)).unwrap();
            EntryRow { seq: number as u64 + 1, ..row }
        })
        .collect();
    let began = Instant::now();
    for rows in rows.chunks(1_000) {
        diesel::insert_into(entries::table).values(rows).execute(&mut conn).unwrap();
    }
    count as f64 / began.elapsed().as_secs_f64()
}

pub async fn measure(report: &mut Report) {
    let server = Server::start();
    let (ours, theirs) = (Database::on(&server.url()), Database::on(&server.url()));
    theirs.connect().run_pending_migrations(tally_store::MIGRATIONS).unwrap();
    let program = Program::with(&ours.url, &["--demo", "--feed-rate", "1000000"]);
    let sender = Sender::of(&program.demo()["feeds"][0]);

    let (mut batched, mut single, mut baseline) = (Vec::new(), Vec::new(), Vec::new());
    let mut number = 0;
    for round in 0..ROUNDS {
        let events = BATCHES * EVENTS_A_BATCH;
        baseline.push(bare(&theirs, round * events, events));
        let requests = (0..BATCHES)
            .map(|_| {
                let batch: Vec<Value> = (number..number + EVENTS_A_BATCH).map(event).collect();
                number += EVENTS_A_BATCH;
                request(&sender, "application/cloudevents-batch+json", &Value::from(batch).to_string())
            })
            .collect();
        batched.push(events as f64 / send(&sender, requests, 16).await);
        let requests = (0..SINGLES)
            .map(|_| {
                number += 1;
                request(&sender, "application/cloudevents+json", &event(number + 10_000_000).to_string())
            })
            .collect();
        single.push(SINGLES as f64 / send(&sender, requests, 64).await);
    }
    let (batched, single, baseline) = (median(batched), median(single), median(baseline));
    report.add(
        "batches of 100 through the webhook",
        format!("{batched:.0} events/s"),
        format!("bare insert {baseline:.0} rows/s: ratio {:.2}", batched / baseline),
        "ratio ≥ 0.75",
    );
    report.add(
        "one event a request through the webhook",
        format!("{single:.0} events/s"),
        format!("bare insert {baseline:.0} rows/s: ratio {:.2}", single / baseline),
        "ratio ≥ 0.35",
    );
}
