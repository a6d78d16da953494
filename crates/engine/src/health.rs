//! Which channels are down at the moment.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tally_core::record::ids::ChannelId;

/// So long after it went down a channel is watched, though it is up again.
const WATCHED: Duration = Duration::from_secs(10);

/// See the module.
#[derive(Debug, Default)]
pub(crate) struct Health {
    /// When each went down or came up last, and whether it is up.
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

    fn note(&self, id: ChannelId, up: bool) {
        let mut fallen = self.fallen.lock().unwrap_or_else(PoisonError::into_inner);
        fallen.insert(id, (Instant::now(), up));
    }

    /// The channels that are down, or came up only just now.
    pub(crate) fn failing(&self) -> Vec<ChannelId> {
        let mut fallen = self.fallen.lock().unwrap_or_else(PoisonError::into_inner);
        fallen.retain(|_, (at, up)| !*up || at.elapsed() < WATCHED);
        fallen.keys().copied().collect()
    }
}
