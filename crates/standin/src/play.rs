//! Playing a script: chat lines to the chat server, events signed and delivered, at any speed.

use crate::chat::Said;
use crate::delivery::{self, Wiring};
use crate::world::World;
use chrono::{DateTime, TimeDelta, Utc};
use serde_json::{Value, json};
use std::sync::Arc;
use std::time::Duration;
use tally_feeds::script::{Script, What};
use tokio::time::Instant;

/// Fastest.
pub const MOST_SPEED: u32 = 600;
/// What is due within this is sent together.
const TOGETHER: Duration = Duration::from_millis(50);
/// Most events in one delivery.
const MOST_TOGETHER: usize = 200;

/// Plays a script from its beginning; stops when the world has been told to play another, or none.
pub async fn play(world: Arc<World>, wiring: Wiring, script: Script, speed: u32, turn: u64) {
    let speed = speed.clamp(1, MOST_SPEED);
    let (began, began_at) = (Instant::now(), Utc::now());
    let moments = script.moments();
    let total = moments.len();
    let mut waiting: Vec<Value> = Vec::new();
    let mut held = false;
    for (index, moment) in moments.into_iter().enumerate() {
        let due = began + Duration::from_millis(moment.at) / speed;
        if due > Instant::now() {
            if !held {
                send(&wiring, &mut waiting).await;
            }
            tokio::time::sleep_until(due.max(Instant::now() + TOGETHER)).await;
        }
        if world.turn() != turn {
            return;
        }
        let offset = TimeDelta::milliseconds(i64::try_from(moment.at).unwrap_or(i64::MAX));
        let at = script.begins.map_or_else(|| Utc::now().max(began_at), |begins| begins + offset);
        match moment.what {
            What::Chat { name, text } => world.say(Said::now(name, text)),
            What::Outage(outage) => held = outage,
            What::Event(kind, data) => {
                world.noticed(kind);
                waiting.push(event(&script, turn, index, kind, &data, at));
                if waiting.len() >= MOST_TOGETHER && !held {
                    send(&wiring, &mut waiting).await;
                }
            }
        }
        world.progress(index + 1, total);
    }
    while !waiting.is_empty() {
        send(&wiring, &mut waiting).await;
    }
    world.finished(turn);
}

fn event(script: &Script, turn: u64, index: usize, kind: &str, data: &Value, at: DateTime<Utc>) -> Value {
    // An evening of the past is always the same one; one that is played now is new each time.
    let which = if script.begins.is_some() { script.seed } else { turn };
    json!({
        "specversion": "1.0",
        "id": format!("{which}-{index}"),
        "source": "/stand-in/script",
        "type": format!("tally.{kind}"),
        "time": at.to_rfc3339(),
        "data": data,
    })
}

async fn send(wiring: &Wiring, waiting: &mut Vec<Value>) {
    let most = waiting.len().min(MOST_TOGETHER);
    let batch: Vec<Value> = waiting.drain(..most).collect();
    if !batch.is_empty() {
        delivery::batch(wiring, &batch).await;
    }
}
