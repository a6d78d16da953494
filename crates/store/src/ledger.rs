//! The one writer of the ledger.
//!
//! Appends that wait at the same time are written in one transaction, whichever channels they are
//! for (group commit): a commit costs the same for one line as for a thousand. A sender is
//! answered only after the commit that holds its lines.

use crate::rows::{EntryRow, ORIGIN};
use crate::schema::entries;
use crate::{PATIENCE, Store, StoreError, Work, connect};
use diesel::mysql::Mysql;
use diesel::prelude::*;
use diesel::query_builder::{AstPass, QueryFragment, QueryId};
use diesel::result::{DatabaseErrorKind, Error};
use diesel::sql_query;
use diesel::sql_types::{BigInt, Binary, Integer, Nullable, Text, Unsigned};
use std::collections::{HashMap, HashSet};
use std::time::{Duration, Instant};
use tally_core::record::entry::Entry;
use tally_core::record::ids::{ChannelId, Seq};
use tokio::sync::{mpsc, oneshot};

/// No transaction grows beyond this many lines.
const MOST_ROWS: usize = 4_000;
/// Nor beyond so many bytes, so that it stays far below what a packet may hold.
const MOST_BYTES: usize = 4 * 1024 * 1024;
/// Keys that are asked for in one statement.
const KEYS_A_STATEMENT: usize = 1_000;
/// A connection that has rested for so long is asked first whether it is still there.
pub const RESTED: Duration = Duration::from_secs(1);
/// How many appends may wait before senders have to.
const QUEUE: usize = 1_024;

/// Where appends are handed in.
#[derive(Clone)]
pub struct Ledger {
    queue: mpsc::Sender<Append>,
}

/// Lines of one channel that belong together: all are written or none.
struct Append {
    channel: ChannelId,
    after: Seq,
    rows: Vec<EntryRow>,
    reply: oneshot::Sender<Result<Vec<Option<Seq>>, AppendError>>,
}

impl Append {
    fn bytes(&self) -> usize {
        self.rows.iter().map(EntryRow::bytes).sum()
    }
}

/// Why lines were not written, or perhaps not.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AppendError {
    /// The database is away. The lines may have been written if it went during the commit, so
    /// whoever holds state must read on from its last entry before it appends again.
    #[error("the database is away: {0}")]
    Away(String),
    /// Somebody else has written after `after`; read on and try again with these lines, which come back.
    #[error("the ledger has gone on meanwhile")]
    Behind(Vec<EntryRow>),
}

impl Ledger {
    pub(crate) fn start(url: String) -> Self {
        let (queue, waiting) = mpsc::channel(QUEUE);
        std::thread::spawn(move || Writer { url, conn: None, used: Instant::now(), waiting }.run());
        Self { queue }
    }

    /// Appends lines after the entry `after`, in order, and says which place each was given; none
    /// for a line whose origin stands in the ledger already (or earlier among `rows`).
    ///
    /// # Errors
    /// See [`AppendError`].
    pub async fn append(
        &self,
        channel: ChannelId,
        after: Seq,
        rows: Vec<EntryRow>,
    ) -> Result<Vec<Option<Seq>>, AppendError> {
        let gone = || AppendError::Away("the writer has stopped".into());
        let (reply, answer) = oneshot::channel();
        let done = async {
            self.queue.send(Append { channel, after, rows, reply }).await.map_err(|_| gone())?;
            answer.await.map_err(|_| gone())?
        };
        // Whether they will be written after all is found out by reading on.
        let patient = tokio::time::timeout(PATIENCE, done).await;
        patient.unwrap_or_else(|_| Err(AppendError::Away("it does not answer".into())))
    }
}

struct Writer {
    url: String,
    conn: Option<MysqlConnection>,
    /// When it was used last.
    used: Instant,
    waiting: mpsc::Receiver<Append>,
}

/// The places given to the lines of each append.
type Places = Vec<Vec<Option<Seq>>>;

impl Writer {
    fn run(mut self) {
        while let Some(first) = self.waiting.blocking_recv() {
            let (mut rows, mut bytes) = (first.rows.len(), first.bytes());
            let mut group = vec![first];
            while rows < MOST_ROWS
                && bytes < MOST_BYTES
                && let Ok(more) = self.waiting.try_recv()
            {
                rows += more.rows.len();
                bytes += more.bytes();
                group.push(more);
            }
            self.write(group);
        }
    }

    fn write(&mut self, mut group: Vec<Append>) {
        match self.commit(&mut group) {
            Ok(places) => {
                for (append, places) in group.into_iter().zip(places) {
                    // A sender that has gone away meanwhile will send again and find its lines there.
                    let _ = append.reply.send(Ok(places));
                }
            }
            Err(StoreError::Taken) if group.len() > 1 => {
                // One append does not fit. Alone, each finds out for itself.
                for append in group {
                    self.write(vec![append]);
                }
            }
            Err(StoreError::Taken) => {
                for append in group {
                    let _ = append.reply.send(Err(AppendError::Behind(append.rows)));
                }
            }
            Err(error) => {
                tracing::warn!(%error, "the ledger could not be written");
                self.conn = None;
                for append in group {
                    let _ = append.reply.send(Err(AppendError::Away(error.to_string())));
                }
            }
        }
    }

    fn commit(&mut self, group: &mut [Append]) -> Result<Places, StoreError> {
        // The server, or what lies between, may have closed a connection that rested.
        let rested = self.used.elapsed() > RESTED;
        let answers = |conn: &mut MysqlConnection| !rested || sql_query("SELECT 1").execute(conn).is_ok();
        let kept = self.conn.take().and_then(|mut conn| answers(&mut conn).then_some(conn));
        let mut conn = kept.map_or_else(|| connect(&self.url), Ok)?;
        self.used = Instant::now();
        // Most of the time nothing is there twice, so write first and look only when refused.
        let none = HashSet::new();
        let result = match insert(&mut conn, group, &none) {
            Err(Error::DatabaseError(DatabaseErrorKind::UniqueViolation, _)) => {
                known(&mut conn, group).and_then(|known| insert(&mut conn, group, &known))
            }
            other => other,
        };
        self.conn = Some(conn);
        Ok(result?)
    }
}

/// A line's channel and origin.
type OriginOf = (u32, [u8; ORIGIN]);

fn origin_of(channel: u32, origin: &[u8]) -> Option<OriginOf> {
    Some((channel, origin.try_into().ok()?))
}

/// Which of the lines' origins stand in the ledger already.
fn known(conn: &mut MysqlConnection, group: &[Append]) -> QueryResult<HashSet<OriginOf>> {
    let mut wanted: HashMap<u32, Vec<&[u8]>> = HashMap::new();
    for row in group.iter().flat_map(|append| &append.rows) {
        wanted.entry(row.channel_id).or_default().push(&row.origin);
    }
    let mut found = HashSet::new();
    for (channel, origins) in wanted {
        for origins in origins.chunks(KEYS_A_STATEMENT) {
            let there: Vec<Vec<u8>> = entries::table
                .select(entries::origin)
                .filter(entries::channel_id.eq(channel).and(entries::origin.eq_any(origins)))
                .load(conn)?;
            found.extend(there.iter().filter_map(|origin| origin_of(channel, origin)));
        }
    }
    Ok(found)
}

/// Writes all lines but those already known, in one transaction, giving each its place.
fn insert(conn: &mut MysqlConnection, group: &mut [Append], known: &HashSet<OriginOf>) -> QueryResult<Places> {
    let mut seen = HashSet::new();
    let mut heads: HashMap<ChannelId, Seq> = HashMap::new();
    let mut places = Vec::with_capacity(group.len());
    let mut fresh: Vec<&EntryRow> = Vec::new();
    for append in group {
        let head = heads.entry(append.channel).or_insert(append.after);
        let mut given = Vec::with_capacity(append.rows.len());
        for row in &mut append.rows {
            let origin = origin_of(row.channel_id, &row.origin);
            if origin.is_some_and(|origin| known.contains(&origin) || !seen.insert(origin)) {
                given.push(None);
                continue;
            }
            *head = head.next();
            row.seq = head.0;
            given.push(Some(*head));
            fresh.push(row);
        }
        places.push(given);
    }
    conn.transaction(|conn| {
        let mut rest = fresh.as_slice();
        while !rest.is_empty() {
            // Statements of a few lengths, each prepared once. The longest takes 2,560 values of the 65,535 that there may be.
            write_all::<256>(conn, &mut rest)?;
            write_all::<32>(conn, &mut rest)?;
            write_all::<4>(conn, &mut rest)?;
            write_all::<1>(conn, &mut rest)?;
        }
        Ok(places)
    })
}

/// Writes lines by statements of so many, as long as there are so many and they fit into a packet.
fn write_all<const N: usize>(conn: &mut MysqlConnection, rest: &mut &[&EntryRow]) -> QueryResult<()> {
    while let Some((now, later)) = rest.split_first_chunk::<N>()
        && (N == 1 || now.iter().map(|row| row.bytes()).sum::<usize>() <= MOST_BYTES)
    {
        Insert(now).execute(conn)?;
        *rest = later;
    }
    Ok(())
}

/// Several lines in one statement. Diesel prepares a batch of its own making anew each time, which costs more than writing it.
struct Insert<'a>(&'a [&'a EntryRow]);

impl QueryFragment<Mysql> for Insert<'_> {
    fn walk_ast<'b>(&'b self, mut out: AstPass<'_, 'b, Mysql>) -> QueryResult<()> {
        out.push_sql("INSERT INTO entries (channel_id, seq, origin, source, source_id, feed_id, kind, happened_us, ");
        out.push_sql("arrived_us, body) VALUES ");
        for (place, row) in self.0.iter().enumerate() {
            out.push_sql(if place == 0 { "(" } else { ", (" });
            out.push_bind_param::<Unsigned<Integer>, _>(&row.channel_id)?;
            out.push_sql(", ");
            out.push_bind_param::<Unsigned<BigInt>, _>(&row.seq)?;
            out.push_sql(", ");
            out.push_bind_param::<Binary, _>(&row.origin)?;
            out.push_sql(", ");
            out.push_bind_param::<Text, _>(&row.source)?;
            out.push_sql(", ");
            out.push_bind_param::<Text, _>(&row.source_id)?;
            out.push_sql(", ");
            out.push_bind_param::<Nullable<Unsigned<Integer>>, _>(&row.feed_id)?;
            out.push_sql(", ");
            out.push_bind_param::<Text, _>(&row.kind)?;
            out.push_sql(", ");
            out.push_bind_param::<BigInt, _>(&row.happened_us)?;
            out.push_sql(", ");
            out.push_bind_param::<BigInt, _>(&row.arrived_us)?;
            out.push_sql(", ");
            out.push_bind_param::<Text, _>(&row.body)?;
            out.push_sql(")");
        }
        Ok(())
    }
}

impl QueryId for Insert<'_> {
    type QueryId = ();
    const HAS_STATIC_QUERY_ID: bool = false;
}

impl RunQueryDsl<MysqlConnection> for Insert<'_> {}

impl Store {
    /// Up to `most` entries after a place, in order: all, or those filed under one of `kinds`.
    ///
    /// # Errors
    /// The database is away, or an entry cannot be read.
    pub fn entries_after(
        &self,
        channel: ChannelId,
        kinds: Option<Vec<&'static str>>,
        after: Seq,
        most: i64,
    ) -> Work<Vec<Entry>> {
        self.run(move |conn| {
            let mut query = entries::table
                .filter(entries::channel_id.eq(channel.0).and(entries::seq.gt(after.0)))
                .order(entries::seq)
                .limit(most)
                .select(EntryRow::as_select())
                .into_boxed();
            if let Some(kinds) = kinds {
                query = query.filter(entries::kind.eq_any(kinds));
            }
            query.load(conn)?.into_iter().map(EntryRow::entry).collect()
        })
    }

    /// Up to `most` entries before a place, or the newest of all, newest first: all, or those filed
    /// under one word.
    ///
    /// # Errors
    /// The database is away, or an entry cannot be read.
    pub fn entries_before(
        &self,
        channel: ChannelId,
        kind: Option<&'static str>,
        before: Option<Seq>,
        most: i64,
    ) -> Work<Vec<Entry>> {
        self.run(move |conn| {
            let mut query = entries::table
                .filter(entries::channel_id.eq(channel.0))
                .order(entries::seq.desc())
                .limit(most)
                .select(EntryRow::as_select())
                .into_boxed();
            if let Some(before) = before {
                query = query.filter(entries::seq.lt(before.0));
            }
            if let Some(kind) = kind {
                query = query.filter(entries::kind.eq(kind));
            }
            query.load(conn)?.into_iter().map(EntryRow::entry).collect()
        })
    }

    /// One entry.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none at that place.
    pub fn entry(&self, channel: ChannelId, seq: Seq) -> Work<Entry> {
        self.run(move |conn| {
            let row: EntryRow = entries::table.find((channel.0, seq.0)).select(EntryRow::as_select()).first(conn)?;
            row.entry()
        })
    }

    /// The entry with this key of its origin.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn entry_by_origin(&self, channel: ChannelId, key: Vec<u8>) -> Work<Entry> {
        self.run(move |conn| {
            let own = entries::table.filter(entries::channel_id.eq(channel.0).and(entries::origin.eq(key)));
            let row: EntryRow = own.select(EntryRow::as_select()).first(conn)?;
            row.entry()
        })
    }

    /// Which of these keys of origins stand in the ledger already, see [`crate::rows::origin_key`].
    ///
    /// # Errors
    /// The database is away.
    pub fn known_origins(&self, channel: ChannelId, keys: Vec<Vec<u8>>) -> Work<HashSet<Vec<u8>>> {
        self.run(move |conn| {
            let mut known = HashSet::new();
            for keys in keys.chunks(KEYS_A_STATEMENT) {
                let there: Vec<Vec<u8>> = entries::table
                    .select(entries::origin)
                    .filter(entries::channel_id.eq(channel.0).and(entries::origin.eq_any(keys)))
                    .load(conn)?;
                known.extend(there);
            }
            Ok(known)
        })
    }

    /// Through which feeds, or through none, lines of these sources came; each source with each of its feeds.
    /// Reads all of the channel's lines.
    ///
    /// # Errors
    /// The database is away.
    pub fn feeds_of_sources(&self, channel: ChannelId, sources: Vec<String>) -> Work<Vec<(String, Option<u32>)>> {
        self.run(move |conn| {
            Ok(entries::table
                .select((entries::source, entries::feed_id))
                .filter(entries::channel_id.eq(channel.0).and(entries::source.eq_any(sources)))
                .distinct()
                .load(conn)?)
        })
    }

    /// The entries at these places, in the order of the places.
    ///
    /// # Errors
    /// The database is away, or an entry cannot be read.
    pub fn entries_at(&self, channel: ChannelId, places: Vec<Seq>) -> Work<Vec<Entry>> {
        self.run(move |conn| {
            let numbers: Vec<u64> = places.iter().map(|seq| seq.0).collect();
            let rows: Vec<EntryRow> = entries::table
                .filter(entries::channel_id.eq(channel.0).and(entries::seq.eq_any(numbers)))
                .select(EntryRow::as_select())
                .load(conn)?;
            let mut found: HashMap<u64, EntryRow> = rows.into_iter().map(|row| (row.seq, row)).collect();
            places.iter().filter_map(|seq| found.remove(&seq.0)).map(EntryRow::entry).collect()
        })
    }
}
