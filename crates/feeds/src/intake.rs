//! What becomes of messages of a feed with rules: they are kept while the feed listens; once it counts, the
//! rules make events of them, and what no rule fits is kept for a day.

use crate::mapping::document::MOST_KEPT;
use crate::mapping::trial::Kept;
use crate::mapping::{RuleError, Rules};
use chrono::TimeDelta;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use serde_json::Value;
use sha2::{Digest, Sha256};
use tally_core::record::entry::Incoming;
use tally_core::record::ids::FeedId;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_engine::{ChannelHandle, Engine, EngineError};
use tally_store::deliveries::Arrived;
use tally_store::mapping::Mapping;

/// For how long messages are kept.
pub const KEPT: TimeDelta = TimeDelta::hours(24);
/// How many messages a feed keeps while it listens.
pub const KEPT_LISTENING: usize = 20;
/// How many that no rule fits it keeps once it counts.
pub const KEPT_COUNTING: usize = 200;

/// From so many minutes ahead on, a sender's clock is thought to be wrong.
const STRANGE_MINUTES: i64 = 5;

/// A message, read.
#[derive(Debug, Clone, PartialEq)]
pub struct Message {
    /// When it came in.
    pub arrived: Instant,
    /// What it says.
    pub document: Value,
}

/// What became of messages.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Taken {
    /// Messages that were kept, since no rule fits them, or the feed listens.
    pub kept: usize,
    /// The first reason for which something was refused though a rule fits.
    pub refused: Option<String>,
    /// A message that is too long to be kept.
    pub too_long: bool,
    /// How far ahead of now the events lie that say so of themselves, in minutes, if that is strange.
    pub minutes_ahead: i64,
}

/// The rules of a feed, made ready, and whether they count.
#[derive(Debug)]
pub struct Intake {
    feed: FeedId,
    counts: bool,
    /// Whether the same message, coming again, is the same: items of a list that is asked for again and again.
    again: bool,
    rules: Rules,
}

impl Intake {
    /// Makes the rules of a feed ready.
    ///
    /// # Errors
    /// A rule cannot be followed.
    pub fn new(feed: FeedId, mapping: &Mapping, again: bool) -> Result<Self, RuleError> {
        Ok(Self { feed, counts: mapping.counts, again, rules: Rules::ready(&mapping.rules)? })
    }

    /// Takes messages in. Answers when what counts is durable.
    ///
    /// # Errors
    /// The database is away; the same messages can be handed in again.
    pub fn take<'a>(
        &'a self,
        engine: &'a Engine,
        channel: &'a ChannelHandle,
        messages: Vec<Message>,
    ) -> BoxFuture<'a, Result<Taken, EngineError>> {
        async move {
            let mut taken = Taken::default();
            let mut events: Vec<Incoming> = Vec::new();
            let mut to_keep = Vec::new();
            let calendar = channel.calendar().await?;
            for message in messages {
                if self.counts {
                    let outcome = self.rules.follow(&message.document, message.arrived, &calendar);
                    for (_, event) in outcome.events {
                        let ahead =
                            event.happened_at.map_or(0, |at| at.signed_duration_since(message.arrived).num_minutes());
                        taken.minutes_ahead = taken.minutes_ahead.max(ahead);
                        events.push(event);
                    }
                    if outcome.unmatched == 0 && outcome.refused.is_empty() {
                        continue;
                    }
                    let refused = outcome.refused.into_iter().next();
                    taken.refused = taken.refused.or(refused.map(|one| one.why));
                }
                match self.arrived(&message) {
                    Some(one) => to_keep.push(one),
                    None => taken.too_long = true,
                }
            }
            if !events.is_empty() {
                channel.ingest(self.feed, events).await?;
            }
            taken.kept = to_keep.len();
            if !to_keep.is_empty() {
                let most = if self.counts { KEPT_COUNTING } else { KEPT_LISTENING };
                // Of more than are kept only the newest need to be written.
                let to_keep = to_keep.split_off(to_keep.len().saturating_sub(most));
                engine.store().keep_deliveries(self.feed.0, to_keep, most).await?;
            }
            Ok(taken)
        }
        .boxed()
    }

    /// Those of kept messages that the rules fit whole.
    #[must_use]
    pub fn fitting(&self, kept: &[Kept], calendar: &Calendar) -> Vec<u64> {
        let fits = |one: &&Kept| {
            let outcome = self.rules.follow(&one.document, one.arrived, calendar);
            outcome.unmatched == 0 && outcome.refused.is_empty()
        };
        kept.iter().filter(fits).map(|one| one.id).collect()
    }

    fn arrived(&self, message: &Message) -> Option<Arrived> {
        let document = message.document.to_string();
        if document.len() > MOST_KEPT {
            return None;
        }
        let mut digest = Sha256::new();
        digest.update(&document);
        if !self.again {
            digest.update(message.arrived.timestamp_micros().to_be_bytes());
        }
        Some(Arrived { at: message.arrived, digest: digest.finalize().into(), document })
    }
}

impl Taken {
    /// What the owner is to know; nothing where all is well.
    #[must_use]
    pub fn trouble(&self) -> Option<String> {
        let why = self.refused.as_ref().map(|why| format!("a rule fits a message and it is refused: {why}"));
        let ahead = || {
            let minutes = Some(self.minutes_ahead).filter(|minutes| *minutes >= STRANGE_MINUTES)?;
            Some(format!(
                "its times lie {minutes} minutes ahead; is the sender's clock right, and the time read as it is meant?"
            ))
        };
        why.or_else(ahead).or_else(|| {
            self.too_long.then(|| {
                format!("a message that no rule fits was longer than {} KiB and is not kept", MOST_KEPT / 1024)
            })
        })
    }
}
