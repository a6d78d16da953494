//! Feeds that must be kept going: each has a task of its own, so that one that fails blocks no other.

mod chat;
mod dial;
mod list;
mod poll;
mod rates;
mod schedules;
mod speak;
mod stream;

pub use chat::listen;
pub use schedules::{choose, drop_schedule, keep_schedules};
pub use stream::stream_address;

use crate::intake::KEPT;
use crate::outside::Outside;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use std::collections::HashMap;
use std::time::Duration;
use tally_core::record::ids::{ChannelId, FeedId};
use tally_core::time::after;
use tally_engine::{ChannelHandle, Engine, Reading, Report};
use tally_store::feeds::{Feed, Wiring};
use tokio::task::JoinHandle;
use tokio::time::timeout;

/// The first wait after a failure; each further one is twice as long.
const FIRST_WAIT: Duration = Duration::from_secs(1);
/// The longest.
const LONGEST_WAIT: Duration = Duration::from_secs(300);
/// How long to wait for the database before looking again.
const DATABASE_WAIT: Duration = Duration::from_secs(2);

/// How often messages are forgotten that have been kept for long enough.
const FORGETS_EVERY: Duration = Duration::from_secs(600);

fn reading(feed: u32) -> String {
    format!("feed-{feed}")
}

/// What every feed's task has at hand.
struct Line {
    channel: ChannelHandle,
    engine: Engine,
    feed: FeedId,
    outside: Outside,
}

impl Line {
    /// Notes that something of this feed is being read. See [`tally_engine::Quarantine`].
    fn reading(&self) -> Result<Reading, String> {
        let entered = self.engine.quarantine().enter(&reading(self.feed.0), 1);
        entered.map_err(|error| format!("{error}; save the feed again to read it once more"))
    }

    async fn report(&self, report: Report) {
        // A channel that is being let go needs no report.
        let _ = self.channel.report(self.feed, report).await;
    }
}

/// Keeps all feeds of all channels going, and follows what their owners change. Runs until dropped.
pub fn keep(engine: Engine, outside: Outside) -> BoxFuture<'static, ()> {
    async move {
        let mut running: HashMap<u32, (Feed, Running)> = HashMap::new();
        let mut changes = engine.feeds_watch();
        let mut first = true;
        loop {
            changes.mark_unchanged();
            let wanted = match engine.store().feeds_to_run().await {
                Ok(wanted) => wanted,
                Err(error) => {
                    tracing::warn!(%error, "the feeds cannot be read; they go on as they are");
                    tokio::time::sleep(DATABASE_WAIT).await;
                    continue;
                }
            };
            running.retain(|id, (feed, _)| wanted.iter().any(|one| one.id == *id && one == feed));
            for feed in wanted {
                // Whoever has changed a feed, or switched it on, asks for it.
                if !first && !running.contains_key(&feed.id) {
                    engine.quarantine().release(&reading(feed.id));
                }
                running
                    .entry(feed.id)
                    .or_insert_with(|| (feed.clone(), Running(tokio::spawn(keep_one(engine.clone(), outside, feed)))));
            }
            first = false;
            let before = after(engine.now(), -KEPT);
            if let Err(error) = engine.store().forget_deliveries_before(before).await {
                tracing::warn!(%error, "messages that were kept for a day could not be forgotten yet");
            }
            if let Ok(Err(_)) = timeout(FORGETS_EVERY, changes.changed()).await {
                return;
            }
        }
    }
    .boxed()
}

/// A task that ends with its guard.
struct Running(JoinHandle<()>);

impl Drop for Running {
    fn drop(&mut self) {
        self.0.abort();
    }
}

/// Runs one feed for ever; after a failure it waits, and longer each time.
async fn keep_one(engine: Engine, outside: Outside, feed: Feed) {
    let mut wait = FIRST_WAIT;
    let last_id = stream::LastId::default();
    loop {
        let began = tokio::time::Instant::now();
        let why = match engine.channel(ChannelId(feed.channel_id)).await {
            Err(error) => error.to_string(),
            Ok(channel) => {
                let line = Line { channel, engine: engine.clone(), feed: FeedId(feed.id), outside };
                let why = match &feed.wiring {
                    Wiring::Chat(chat) => chat::run(&line, chat).await,
                    Wiring::Poll(poll) => poll::run(&line, poll).await,
                    Wiring::Rates { url } => rates::run(&line, url).await,
                    Wiring::Stream(stream) => stream::run(&line, stream, &last_id).await,
                    Wiring::List(list) => list::run(&line, list).await,
                    Wiring::Webhook { .. } | Wiring::AnyWebhook(_) | Wiring::Import { .. } => return,
                };
                line.report(Report::Failing(why.clone())).await;
                why
            }
        };
        if began.elapsed() > LONGEST_WAIT {
            wait = FIRST_WAIT;
        }
        tracing::info!(feed = feed.id, %why, wait = wait.as_secs(), "a feed failed and will be tried again");
        tokio::time::sleep(wait.mul_f64(0.75 + rand::random::<f64>() / 2.0)).await;
        wait = (wait * 2).min(LONGEST_WAIT);
    }
}
