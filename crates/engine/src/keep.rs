//! Where what a channel's task writes is kept: in the database, or, of a rehearsal, in memory alone. When a rehearsal is over
//! nothing of it remains.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use tally_core::channel::Snapshot;
use tally_core::record::acts::wheel::Bytes32;
use tally_core::record::entry::Entry;
use tally_core::record::ids::{ChannelId, Seq, WidgetId};
use tally_store::ledger::{AppendError, Ledger};
use tally_store::rows::EntryRow;
use tally_store::secrets::Secret;
use tally_store::snapshots::BookPart;
use tally_store::{Store, StoreError};

/// See the module. What people made (widgets, cues, layouts) is read from the store in either case.
#[derive(Clone)]
pub(crate) enum Keep {
    /// The ledger and its secrets.
    Database { store: Store, ledger: Ledger },
    /// For as long as the rehearsal runs.
    Memory(Arc<Mutex<Lines>>),
}

/// The lines of a rehearsal, and where each origin stands.
#[derive(Default)]
pub(crate) struct Lines {
    rows: Vec<EntryRow>,
    places: HashMap<Vec<u8>, usize>,
}

impl Lines {
    /// Gives each line its place, but those that are known.
    fn append(&mut self, rows: Vec<EntryRow>) -> Vec<Option<Seq>> {
        let mut places = Vec::with_capacity(rows.len());
        for mut row in rows {
            if self.places.contains_key(&row.origin) {
                places.push(None);
                continue;
            }
            row.seq = self.rows.len() as u64 + 1;
            places.push(Some(Seq(row.seq)));
            self.places.insert(row.origin.clone(), self.rows.len());
            self.rows.push(row);
        }
        places
    }

    fn after(&self, seq: Seq, kinds: Option<&[&'static str]>, most: i64) -> Result<Vec<Entry>, StoreError> {
        let wanted = |row: &&EntryRow| row.seq > seq.0 && kinds.is_none_or(|kinds| kinds.contains(&row.kind.as_str()));
        let most = usize::try_from(most).unwrap_or_default();
        self.rows.iter().filter(wanted).take(most).cloned().map(EntryRow::entry).collect()
    }
}

impl Keep {
    pub(crate) fn memory() -> Self {
        Self::Memory(Arc::default())
    }

    /// Whether it is a rehearsal, of which nothing goes out and nothing remains.
    pub(crate) fn is_rehearsal(&self) -> bool {
        matches!(self, Self::Memory(_))
    }

    fn lines(memory: &Mutex<Lines>) -> std::sync::MutexGuard<'_, Lines> {
        // A line is in both or in neither: nothing in between can panic.
        memory.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// See [`Ledger::append`].
    pub(crate) async fn append(
        &self,
        channel: ChannelId,
        after: Seq,
        rows: Vec<EntryRow>,
    ) -> Result<Vec<Option<Seq>>, AppendError> {
        match self {
            Self::Database { ledger, .. } => ledger.append(channel, after, rows).await,
            Self::Memory(memory) => Ok(Self::lines(memory).append(rows)),
        }
    }

    /// See [`Store::entries_after`].
    pub(crate) async fn entries_after(
        &self,
        channel: ChannelId,
        kinds: Option<Vec<&'static str>>,
        after: Seq,
        most: i64,
    ) -> Result<Vec<Entry>, StoreError> {
        match self {
            Self::Database { store, .. } => store.entries_after(channel, kinds, after, most).await,
            Self::Memory(memory) => Self::lines(memory).after(after, kinds.as_deref(), most),
        }
    }

    /// See [`Store::entry_by_origin`].
    pub(crate) async fn entry_by_origin(&self, channel: ChannelId, key: Vec<u8>) -> Result<Entry, StoreError> {
        match self {
            Self::Database { store, .. } => store.entry_by_origin(channel, key).await,
            Self::Memory(memory) => {
                let lines = Self::lines(memory);
                let row = lines.places.get(&key).and_then(|place| lines.rows.get(*place));
                row.cloned().ok_or(StoreError::NotFound)?.entry()
            }
        }
    }

    /// See [`Store::save_snapshot`]. A rehearsal is not begun anew, so it keeps none.
    pub(crate) async fn save_snapshot(
        &self,
        channel: ChannelId,
        snapshot: Snapshot,
        parts: Vec<BookPart>,
    ) -> Result<(), StoreError> {
        match self {
            Self::Database { store, .. } => store.save_snapshot(channel, snapshot, parts).await,
            Self::Memory(_) => Ok(()),
        }
    }

    /// See [`Store::polls_with_keys`].
    pub(crate) async fn polls_with_keys(&self, channel: ChannelId) -> Result<Vec<(WidgetId, Seq)>, StoreError> {
        match self {
            Self::Database { store, .. } => store.polls_with_keys(channel).await,
            Self::Memory(_) => Ok(Vec::new()),
        }
    }

    /// See [`Store::vote_key`]. The task holds a rehearsal's keys itself.
    pub(crate) async fn vote_key(&self, widget: WidgetId, poll: Seq, fresh: Secret) -> Result<Secret, StoreError> {
        match self {
            Self::Database { store, .. } => store.vote_key(widget, poll, fresh).await,
            Self::Memory(_) => Ok(fresh),
        }
    }

    /// See [`Store::drop_vote_key`].
    pub(crate) async fn drop_vote_key(&self, widget: WidgetId, poll: Seq) -> Result<(), StoreError> {
        match self {
            Self::Database { store, .. } => store.drop_vote_key(widget, poll).await,
            Self::Memory(_) => Ok(()),
        }
    }

    /// See [`Store::seeds`].
    pub(crate) async fn seeds(&self, channel: ChannelId) -> Result<Vec<(WidgetId, Bytes32, Bytes32)>, StoreError> {
        match self {
            Self::Database { store, .. } => store.seeds(channel).await,
            Self::Memory(_) => Ok(Vec::new()),
        }
    }

    /// See [`Store::keep_seed`]. The task holds a rehearsal's seeds itself.
    pub(crate) async fn keep_seed(
        &self,
        widget: WidgetId,
        commitment: Bytes32,
        seed: Bytes32,
    ) -> Result<(), StoreError> {
        match self {
            Self::Database { store, .. } => store.keep_seed(widget, commitment, seed).await,
            Self::Memory(_) => Ok(()),
        }
    }

    /// See [`Store::seed_is_out`].
    pub(crate) async fn seed_is_out(&self, commitment: Bytes32, spun: Option<Seq>) -> Result<(), StoreError> {
        match self {
            Self::Database { store, .. } => store.seed_is_out(commitment, spun).await,
            Self::Memory(_) => Ok(()),
        }
    }
}
