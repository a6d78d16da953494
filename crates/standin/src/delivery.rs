//! Delivering: signed, tried again until it is taken or plainly refused.

use chrono::Utc;
use serde_json::{Value, json};
use std::collections::VecDeque;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tally_feeds::signature;

/// How many deliveries the page remembers.
const REMEMBERED: usize = 12;
/// Waits between tries double from half a second up to this.
const LONGEST_WAIT: Duration = Duration::from_secs(30);
/// After so many tries a delivery is given up.
const MOST_TRIES: u32 = 40;

/// Where events go.
#[derive(Debug, Clone)]
pub struct Wiring {
    /// The feed's address.
    pub url: String,
    /// The feed's secret, `whsec_…`.
    pub secret: String,
}

/// What became of a delivery so far.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delivery {
    /// The event's id.
    pub id: String,
    /// What it is about.
    pub words: String,
    /// How it stands.
    pub state: String,
    /// Whether that is settled.
    pub settled: bool,
}

/// The deliveries of late, newest first.
#[derive(Default)]
pub struct Book {
    deliveries: Mutex<VecDeque<Delivery>>,
}

impl Book {
    fn lock(&self) -> MutexGuard<'_, VecDeque<Delivery>> {
        // A list is whole at every step, so a panic elsewhere leaves it usable.
        self.deliveries.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes a new delivery.
    pub fn open(&self, id: &str, words: &str, state: &str) {
        let mut book = self.lock();
        book.push_front(Delivery { id: id.into(), words: words.into(), state: state.into(), settled: false });
        book.truncate(REMEMBERED);
    }

    fn note(&self, id: &str, state: String, settled: bool) {
        if let Some(delivery) = self.lock().iter_mut().find(|one| one.id == id) {
            delivery.state = state;
            delivery.settled = settled;
        }
    }

    /// All of them.
    pub fn all(&self) -> Vec<Delivery> {
        self.lock().iter().cloned().collect()
    }
}

/// A tip as typed in.
#[derive(Debug, Clone)]
pub struct Tip {
    /// The visitor's name; empty for nobody.
    pub name: String,
    /// Decimal string.
    pub amount: String,
    /// ISO 4217 code.
    pub currency: String,
    /// What they say with it.
    pub message: String,
}

/// The CloudEvent of a tip.
pub fn event(id: &str, tip: &Tip) -> Value {
    let actor = match tip.name.trim() {
        "" => json!({"name": "Somebody", "anonymous": true}),
        name => json!({"id": name.to_lowercase(), "name": name}),
    };
    let mut data = json!({"actor": actor, "amount": tip.amount.trim(), "currency": tip.currency});
    if !tip.message.trim().is_empty() {
        data["message"] = json!(tip.message.trim());
    }
    json!({
        "specversion": "1.0", "id": id, "source": "/stand-in/tip-jar", "type": "tally.tip",
        "time": Utc::now().to_rfc3339(), "data": data,
    })
}

/// Delivers an event after a wait, as many times as asked.
pub async fn deliver(wiring: &Wiring, book: &Book, id: &str, event: &Value, wait: Duration, times: u32) {
    actix_web::rt::time::sleep(wait).await;
    for time in 1..=times {
        let note = |state: String, settled| {
            let which = if times > 1 { format!(" ({time} of {times})") } else { String::new() };
            book.note(id, format!("{state}{which}"), settled && time == times);
        };
        let mut wait = Duration::from_millis(500);
        for attempt in 1..=MOST_TRIES {
            match send(wiring, "application/cloudevents+json", &event.to_string()).await {
                Ok(answer) => {
                    note(format!("Delivered: {answer}"), true);
                    break;
                }
                Err(Failure::Refused(why)) => {
                    note(format!("Refused: {why}"), true);
                    return;
                }
                Err(Failure::Later(why)) if attempt < MOST_TRIES => {
                    note(format!("Try {attempt} failed ({why}); again in {:.1} s", wait.as_secs_f32()), false);
                    actix_web::rt::time::sleep(wait).await;
                    wait = (wait * 2).min(LONGEST_WAIT);
                }
                Err(Failure::Later(why)) => note(format!("Given up: {why}"), true),
            }
        }
    }
}

enum Failure {
    /// Sending the same again cannot help.
    Refused(String),
    /// It may work later.
    Later(String),
}

/// Delivers events together, trying again until they are taken or plainly refused.
pub async fn batch(wiring: &Wiring, events: &[Value]) {
    let body = Value::from(events.to_vec()).to_string();
    let mut wait = Duration::from_millis(500);
    for _ in 0..MOST_TRIES {
        match send(wiring, "application/cloudevents-batch+json", &body).await {
            Ok(_) => return,
            Err(Failure::Refused(why)) => {
                tracing::warn!(%why, "the stand-in's events were refused");
                return;
            }
            Err(Failure::Later(_)) => {
                actix_web::rt::time::sleep(wait).await;
                wait = (wait * 2).min(LONGEST_WAIT);
            }
        }
    }
}

async fn send(wiring: &Wiring, content_type: &str, body: &str) -> Result<String, Failure> {
    let id = format!("msg_{:032x}", rand::random::<u128>());
    let now = Utc::now().timestamp();
    let signature = signature::sign(&wiring.secret, &id, now, body.as_bytes())
        .ok_or_else(|| Failure::Refused("the secret is not one".into()))?;
    let answer = reqwest::Client::new()
        .post(&wiring.url)
        .timeout(Duration::from_secs(10))
        .header("content-type", content_type)
        .header("webhook-id", id)
        .header("webhook-timestamp", now.to_string())
        .header("webhook-signature", signature)
        .body(body.to_owned())
        .send()
        .await
        .map_err(|error| Failure::Later(error.to_string()))?;
    let status = answer.status();
    let said: Value = answer.json().await.unwrap_or_default();
    if status.is_success() {
        return Ok(match (said["accepted"].as_u64(), said["duplicates"].as_u64()) {
            (Some(0), Some(_)) => "known already".into(),
            _ => "recorded".into(),
        });
    }
    let why = said["detail"].as_str().map_or_else(|| status.to_string(), str::to_owned);
    if status.is_client_error() && status.as_u16() != 408 && status.as_u16() != 429 {
        return Err(Failure::Refused(why));
    }
    Err(Failure::Later(why))
}
