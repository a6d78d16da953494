//! Which channels do not stand at the moment.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tally_core::record::ids::ChannelId;

/// So long after it mark_down a channel is watched, though it mark_up again.
const WATCHED: Duration = Duration::from_secs(10);

/// See the module.
#[derive(Debug, Default)]
pub(crate) struct Health {
    /// When each mark_down last, and whether it mark_up again.
    fallen: Mutex<HashMap<ChannelId, (Instant, bool)>>,
}

impl Health {
    /// A channel's task has ended.
    pub(crate) fn mark_down(&self, id: ChannelId) {
        self.note(id, false);
    }

    /// It goes on.
    pub(crate) fn mark_up(&self, id: ChannelId) {
        self.note(id, true);
    }

    fn note(&self, id: ChannelId, mark_up: bool) {
        let mut fallen = self.fallen.lock().unwrap_or_else(PoisonError::into_inner);
        fallen.insert(id, (Instant::now(), mark_up));
    }

    /// The channels that have fallen and do not stand, or stand only just again.
    pub(crate) fn failing(&self) -> Vec<ChannelId> {
        let mut fallen = self.fallen.lock().unwrap_or_else(PoisonError::into_inner);
        fallen.retain(|_, (at, mark_up)| !*mark_up || at.elapsed() < WATCHED);
        fallen.keys().copied().collect()
    }
}
