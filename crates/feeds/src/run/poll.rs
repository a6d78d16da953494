//! Polled numbers: asks an address for JSON, and records a level whenever it has changed.

use super::Line;
use crate::outside::Asked;
use crate::poll::levels;
use std::collections::BTreeMap;
use std::time::Duration;
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::Happening;
use tally_engine::Report;
use tally_store::feeds::Poll;

/// Most bytes of an answer.
const MOST_BYTES: usize = 256 * 1024;
/// Nobody is asked more often than this.
const LEAST_EVERY: Duration = Duration::from_secs(2);

/// Asks until that fails; gives the reason.
pub(super) async fn run(line: &Line, poll: &Poll) -> String {
    let mut asked = match Asked::new(&poll.url, line.outside) {
        Ok(asked) => asked,
        Err(error) => return error.to_string(),
    };
    let every = Duration::from_secs(u64::from(poll.every)).max(LEAST_EVERY);
    let mut last: BTreeMap<String, i64> = BTreeMap::new();
    loop {
        match asked.ask(MOST_BYTES).await {
            Err(error) => return error.to_string(),
            Ok(None) => line.report(Report::Heard).await,
            Ok(Some(body)) => {
                let read = line.reading().and_then(|_reading| levels(&body, &poll.levels));
                let found = match read {
                    Ok(found) => found,
                    Err(why) => return why,
                };
                if let Err(why) = record(line, &found, &last).await {
                    asked.forget();
                    return why;
                }
                last = found;
                line.report(Report::Heard).await;
            }
        }
        tokio::time::sleep(every).await;
    }
}

async fn record(line: &Line, found: &BTreeMap<String, i64>, last: &BTreeMap<String, i64>) -> Result<(), String> {
    let now = line.engine.now();
    let changed = found.iter().filter(|(name, value)| last.get(*name) != Some(value));
    let events: Vec<Incoming> = changed
        .map(|(name, value)| Incoming {
            origin: Origin {
                source: format!("poll/{}", line.feed),
                id: format!("{} {}", now.timestamp_micros(), name.chars().take(200).collect::<String>()),
            },
            happened_at: None,
            happening: Happening::Gauge { name: name.clone(), value: *value },
        })
        .collect();
    if events.is_empty() {
        return Ok(());
    }
    line.channel.ingest(line.feed, events).await.map(drop).map_err(|error| error.to_string())
}
