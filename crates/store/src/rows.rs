//! Rows of the ledger, and entries made from them.

use crate::StoreError;
use crate::schema::entries;
use chrono::DateTime;
use diesel::prelude::*;
use sha2::{Digest, Sha256};
use tally_core::record::entry::{Draft, Entry, Origin};
use tally_core::record::ids::{ChannelId, FeedId, Seq};
use tally_core::time::Instant;

/// A line of the ledger as it is kept.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, Insertable)]
#[diesel(table_name = entries)]
pub struct EntryRow {
    /// Whose.
    pub channel_id: u32,
    /// Place.
    pub seq: u64,
    /// See [`origin_key`].
    pub origin: Vec<u8>,
    /// CloudEvents `source`.
    pub source: String,
    /// CloudEvents `id`.
    pub source_id: String,
    /// Through which feed.
    pub feed_id: Option<u32>,
    /// Under which word it is filed.
    pub kind: String,
    /// When it happened, microseconds of Unix time.
    pub happened_us: i64,
    /// When it arrived, microseconds of Unix time.
    pub arrived_us: i64,
    /// JSON of [`tally_core::record::entry::Body`].
    pub body: String,
}

/// Within what an origin is unique. What senders call themselves cannot reach out of their own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Namespace {
    /// What operators, signals and programs do.
    Own,
    /// What comes through one feed.
    Feed(FeedId),
    /// What was read from files, whichever: a file that is read twice is noticed.
    Files,
}

impl Namespace {
    /// Of a line that came through this feed, or through none.
    #[must_use]
    pub fn of(feed: Option<FeedId>) -> Self {
        feed.map_or(Self::Own, Self::Feed)
    }
}

/// Bytes of the key of an origin.
pub(crate) const ORIGIN: usize = 16;

/// Sixteen bytes that stand for (namespace, source, id): the first half of their SHA-256, with a zero byte
/// between, which none can contain.
#[must_use]
pub fn origin_key(namespace: Namespace, origin: &Origin) -> Vec<u8> {
    let mut hash = Sha256::new();
    match namespace {
        Namespace::Own => hash.update("own"),
        Namespace::Feed(feed) => hash.update(format!("feed {feed}")),
        Namespace::Files => hash.update("file"),
    }
    hash.update([0]);
    hash.update(origin.source.as_bytes());
    hash.update([0]);
    hash.update(origin.id.as_bytes());
    hash.finalize()[..ORIGIN].to_vec()
}

impl EntryRow {
    /// The row of a draft, before it has its place.
    ///
    /// # Errors
    /// Its body cannot be written as JSON, which no body of ours does.
    pub fn of(channel: ChannelId, draft: &Draft) -> Result<Self, StoreError> {
        Self::within(Namespace::of(draft.feed), channel, draft)
    }

    /// The same, known within another namespace than that of its feed.
    ///
    /// # Errors
    /// See [`EntryRow::of`].
    pub fn within(namespace: Namespace, channel: ChannelId, draft: &Draft) -> Result<Self, StoreError> {
        Ok(Self {
            channel_id: channel.0,
            seq: 0,
            origin: origin_key(namespace, &draft.origin),
            source: draft.origin.source.clone(),
            source_id: draft.origin.id.clone(),
            feed_id: draft.feed.map(|feed| feed.0),
            kind: draft.body.file_under().to_owned(),
            happened_us: draft.happened_at.timestamp_micros(),
            arrived_us: draft.arrived_at.timestamp_micros(),
            body: serde_json::to_string(&draft.body).map_err(|error| StoreError::Unreadable(error.to_string()))?,
        })
    }

    /// About how many bytes it takes in a statement.
    #[must_use]
    pub fn bytes(&self) -> usize {
        self.body.len() + self.source.len() + self.source_id.len() + 100
    }

    /// The entry that the row keeps.
    ///
    /// # Errors
    /// The row was written by a version that this one does not understand.
    pub fn entry(self) -> Result<Entry, StoreError> {
        let seq = Seq(self.seq);
        let unreadable = |what: &str| StoreError::Unreadable(format!("entry {seq}: {what}"));
        Ok(Entry {
            seq,
            origin: Origin { source: self.source, id: self.source_id },
            feed: self.feed_id.map(FeedId),
            happened_at: instant(self.happened_us).ok_or_else(|| unreadable("when it happened"))?,
            arrived_at: instant(self.arrived_us).ok_or_else(|| unreadable("when it arrived"))?,
            body: serde_json::from_str(&self.body).map_err(|error| unreadable(&error.to_string()))?,
        })
    }
}

fn instant(micros: i64) -> Option<Instant> {
    DateTime::from_timestamp_micros(micros)
}
