//! Which channels do not stand at the moment.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tally_core::record::ids::ChannelId;

/// So long after it fell a channel is watched, though it stands again.
const WATCHED: Duration = Duration::from_secs(10);

/// See the module.
#[derive(Debug, Default)]
pub(crate) struct Health {
    /// When each fell last, and whether it stands again.
    fallen: Mutex<HashMap<ChannelId, (Instant, bool)>>,
}

impl Health {
    /// A channel's task has ended.
    pub(crate) fn fell(&self, id: ChannelId) {
        self.note(id, false);
    }

    /// It goes on.
    pub(crate) fn stands(&self, id: ChannelId) {
        self.note(id, true);
    }

    fn note(&self, id: ChannelId, stands: bool) {
        let mut fallen = self.fallen.lock().unwrap_or_else(PoisonError::into_inner);
        fallen.insert(id, (Instant::now(), stands));
    }

    /// The channels that have fallen and do not stand, or stand only just again.
    pub(crate) fn failing(&self) -> Vec<ChannelId> {
        let mut fallen = self.fallen.lock().unwrap_or_else(PoisonError::into_inner);
        fallen.retain(|_, (at, stands)| !*stands || at.elapsed() < WATCHED);
        fallen.keys().copied().collect()
    }
}
