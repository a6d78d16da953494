//! Readings of levels that are shown and not recorded, as chat is heard. The next recorded one of the same
//! level takes their place; none of them survives a restart.

use super::{Book, Change, us};
use crate::record::happening::Kind;
use crate::record::ids::FeedId;
use crate::time::Instant;
use std::collections::BTreeMap;

/// By name of the level, the newest reading that is not recorded: when it was made, microseconds of Unix
/// time, and its value.
pub(super) type Heard = BTreeMap<String, (i64, i64)>;

impl Book {
    /// Takes note of a reading that is not recorded.
    pub fn hear_level(&mut self, feed: Option<FeedId>, name: &str, value: i64, at: Instant) -> Change {
        if feed.is_some_and(|feed| self.is_withdrawn(feed))
            || self.heard.get(name).is_some_and(|(old, _)| *old > us(at))
        {
            return Change::default();
        }
        self.heard.insert(name.to_owned(), (us(at), value));
        Change::of_kinds([Kind::Gauge])
    }

    /// The newest reading of a level that is not recorded: when it was made, microseconds of Unix time, and
    /// its value.
    #[must_use]
    pub fn heard_level(&self, name: &str) -> Option<(i64, i64)> {
        self.heard.get(name).copied()
    }

    /// A reading has been recorded: what was heard before it is history.
    pub(super) fn level_recorded(&mut self, name: &str, at: Instant) {
        if self.heard.get(name).is_some_and(|(heard, _)| *heard <= us(at)) {
            self.heard.remove(name);
        }
    }
}
