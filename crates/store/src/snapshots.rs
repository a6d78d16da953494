//! Snapshots and the parts of the book beside them: a shortcut for starting, never the truth.

use crate::schema::{book_parts, snapshot_parts, snapshots};
use crate::{Store, StoreError, Work};
use diesel::dsl::max;
use diesel::prelude::*;
use std::sync::mpsc::{Receiver, SyncSender};
use std::time::Duration;
use tally_core::book::{Fact, PART};
use tally_core::channel::Snapshot;
use tally_core::record::ids::ChannelId;

/// Raised whenever folding or the form of what is kept changes; older ones are then left aside.
const VERSION: u32 = 10;
/// How many parts are read at a time, and how often before the first of them are decoded.
const PARTS_A_READ: i64 = 64;
const READ_AHEAD: usize = 4;
/// Bytes in a part of a snapshot: far below what a packet may hold.
const BYTES_A_PART: usize = 1024 * 1024;
/// A large channel takes its time.
const PATIENCE: Duration = Duration::from_secs(60);

/// The pages of a book: UTC days since 1970, and the facts of each.
pub type Pages = Vec<(i64, Vec<Fact>)>;

/// A changed stretch of the book, ready to be kept.
#[derive(Debug, Clone)]
pub struct BookPart {
    day: i64,
    part: u32,
    body: Vec<u8>,
}

impl BookPart {
    /// The parts of a day whose facts from one of them on have changed.
    ///
    /// # Errors
    /// A fact cannot be written, which none of ours does.
    pub fn of(day: i64, facts: &[Fact], changed: usize) -> Result<Vec<Self>, StoreError> {
        let first = changed / PART;
        let part = |(index, facts): (usize, &[Fact])| {
            let body = postcard::to_stdvec(facts).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            Ok(Self { day, part: u32::try_from(index).unwrap_or(u32::MAX), body })
        };
        facts.chunks(PART).enumerate().skip(first).map(part).collect()
    }
}

impl Store {
    /// Keeps a snapshot in place of the one before, with what has changed in the book since.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_snapshot(&self, channel: ChannelId, snapshot: Snapshot, parts: Vec<BookPart>) -> Work<()> {
        self.run_within(PATIENCE, move |conn| {
            let body = serde_json::to_vec(&snapshot).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            conn.transaction(|conn| {
                // One that was given up, and is written late, takes no newer one's place.
                let own =
                    snapshots::table.filter(snapshots::channel_id.eq(channel.0).and(snapshots::version.eq(VERSION)));
                let kept: Option<u64> = own.select(snapshots::seq).first(conn).optional()?;
                if kept.is_some_and(|kept| kept > snapshot.last_seq.0) {
                    return Ok(());
                }
                for BookPart { day, part, body } in parts {
                    diesel::replace_into(book_parts::table)
                        .values((
                            book_parts::channel_id.eq(channel.0),
                            book_parts::day.eq(day),
                            book_parts::part.eq(part),
                            book_parts::body.eq(body),
                            book_parts::seq.eq(snapshot.last_seq.0),
                        ))
                        .execute(conn)?;
                }
                diesel::replace_into(snapshots::table)
                    .values((
                        snapshots::channel_id.eq(channel.0),
                        snapshots::seq.eq(snapshot.last_seq.0),
                        snapshots::version.eq(VERSION),
                        // Kept in parts since.
                        snapshots::body.eq(""),
                    ))
                    .execute(conn)?;
                diesel::delete(snapshot_parts::table.filter(snapshot_parts::channel_id.eq(channel.0))).execute(conn)?;
                for (part, body) in (0_u32..).zip(body.chunks(BYTES_A_PART)) {
                    diesel::insert_into(snapshot_parts::table)
                        .values((
                            snapshot_parts::channel_id.eq(channel.0),
                            snapshot_parts::part.eq(part),
                            snapshot_parts::body.eq(body),
                        ))
                        .execute(conn)?;
                }
                Ok(())
            })
        })
    }

    /// The snapshot of a channel with the pages of its book, if there is one that this version
    /// understands.
    ///
    /// # Errors
    /// The database is away.
    pub fn snapshot(&self, channel: ChannelId) -> Work<Option<(Snapshot, Pages)>> {
        self.run_within(PATIENCE, move |conn| {
            conn.transaction(|conn| {
                let kept: Option<u64> = snapshots::table
                    .filter(snapshots::channel_id.eq(channel.0).and(snapshots::version.eq(VERSION)))
                    .select(snapshots::seq)
                    .first(conn)
                    .optional()?;
                let Some(kept) = kept else { return Ok(None) };
                let of_channel = book_parts::table.filter(book_parts::channel_id.eq(channel.0));
                let newest: Option<u64> = of_channel.select(max(book_parts::seq)).first(conn)?;
                if newest.is_some_and(|newest| newest > kept) {
                    // Their facts would be folded twice; the ledger tells the same.
                    tracing::warn!(%channel, "a snapshot is older than the book beside it, and is left aside");
                    return Ok(None);
                }
                let parts: Vec<Vec<u8>> = snapshot_parts::table
                    .filter(snapshot_parts::channel_id.eq(channel.0))
                    .order(snapshot_parts::part)
                    .select(snapshot_parts::body)
                    .load(conn)?;
                let read: Result<Snapshot, _> = serde_json::from_slice(&parts.concat());
                // It was only a shortcut; the ledger tells the same.
                let snapshot = read.inspect_err(|error| tracing::warn!(%error, %channel, "a snapshot cannot be read"));
                let Ok(snapshot) = snapshot else { return Ok(None) };
                Ok(pages(conn, channel)?.map(|pages| (snapshot, pages)))
            })
        })
    }
}

/// A part as it is kept: its day, which it is, and its facts.
type Part = (i64, u32, Vec<u8>);

/// The pages of a book, decoded while the next parts are read; none where one cannot be read.
fn pages(conn: &mut MysqlConnection, channel: ChannelId) -> Result<Option<Pages>, StoreError> {
    std::thread::scope(|scope| {
        let (read, waiting) = std::sync::mpsc::sync_channel::<Vec<Part>>(READ_AHEAD);
        let decoding = scope.spawn(move || decoded(&waiting, channel));
        let all = read_parts(conn, channel, &read);
        drop(read);
        let pages = decoding.join().map_err(|_| StoreError::Unreadable("a part of the book".into()))?;
        all.map(|()| pages)
    })
}

/// Reads all parts in order, until nobody wants more.
fn read_parts(conn: &mut MysqlConnection, channel: ChannelId, to: &SyncSender<Vec<Part>>) -> Result<(), StoreError> {
    let mut after: Option<(i64, u32)> = None;
    loop {
        let mut query = book_parts::table
            .filter(book_parts::channel_id.eq(channel.0))
            .order((book_parts::day, book_parts::part))
            .limit(PARTS_A_READ)
            .select((book_parts::day, book_parts::part, book_parts::body))
            .into_boxed();
        if let Some((day, part)) = after {
            let later = book_parts::day.gt(day).or(book_parts::day.eq(day).and(book_parts::part.gt(part)));
            query = query.filter(later);
        }
        let parts: Vec<Part> = query.load(conn)?;
        let Some((day, part, _)) = parts.last() else { return Ok(()) };
        after = Some((*day, *part));
        if to.send(parts).is_err() {
            return Ok(());
        }
    }
}

fn decoded(waiting: &Receiver<Vec<Part>>, channel: ChannelId) -> Option<Pages> {
    let mut pages: Pages = Vec::new();
    for (day, _, body) in waiting.iter().flatten() {
        let read: Result<Vec<Fact>, _> = postcard::from_bytes(&body);
        let facts = read.inspect_err(|error| tracing::warn!(%error, %channel, "a part of the book cannot be read"));
        let facts = facts.ok()?;
        match pages.last_mut() {
            Some((last, page)) if *last == day => page.extend(facts),
            _ => pages.push((day, facts)),
        }
    }
    Some(pages)
}
