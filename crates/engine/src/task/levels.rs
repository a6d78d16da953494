//! Readings of levels: all are shown, a few are recorded.

use super::Task;
use chrono::TimeDelta;
use tally_core::record::entry::Draft;
use tally_core::record::levels::Levels;
use tally_core::time::{Instant, after};
use tally_store::rows::EntryRow;

/// How long a database that is away is left alone with readings.
const REST: TimeDelta = TimeDelta::seconds(5);

/// How levels are kept, see `ChannelRecord::level_gap_s`.
pub(super) fn of(gap_s: u16) -> Levels {
    Levels::new(TimeDelta::seconds(i64::from(gap_s)))
}

impl Task {
    /// Takes those readings out of what came that need not be recorded now, and shows them.
    pub(super) fn hear_levels(&mut self, drafts: Vec<Draft>, rows: Vec<EntryRow>) -> (Vec<Draft>, Vec<EntryRow>) {
        let mut to_record = (Vec::with_capacity(drafts.len()), Vec::with_capacity(rows.len()));
        for (draft, row) in drafts.into_iter().zip(rows) {
            if self.levels.hold(&draft) {
                let touched = self.channel.hear_level(&draft);
                self.pace.touch(touched);
            } else {
                to_record.0.push(draft);
                to_record.1.push(row);
            }
        }
        to_record
    }

    /// Records the readings that are due at an instant.
    pub(super) async fn record_levels(&mut self, now: Instant) {
        if self.levels.next().is_none_or(|at| at > now) {
            return;
        }
        let due = self.levels.due(now);
        let rows: Result<Vec<_>, _> = due.iter().map(|draft| EntryRow::of(self.id, draft)).collect();
        let written = match rows {
            Ok(rows) if !rows.is_empty() => self.append(due, rows).await.map(drop),
            Ok(_) => Ok(()),
            Err(error) => Err(error.into()),
        };
        match written {
            Ok(()) => self.levels.written(now),
            Err(error) => {
                tracing::warn!(%error, channel = %self.id, "readings of levels could not be recorded yet");
                self.levels.postpone(after(self.context.clock.now(), REST));
            }
        }
    }
}
