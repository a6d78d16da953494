//! Which channels are down at the moment.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};
use tally_core::record::ids::ChannelId;

/// So long after it went down a channel is watched, though it is up again.
const WATCHED: Duration = Duration::from_secs(10);

/// So long after a line could not be written it is doubted whether another can.
const DOUBTED: Duration = Duration::from_secs(30);

/// See the module.
#[derive(Debug, Default)]
pub(crate) struct Health {
    /// When each went down or came up last, and whether it is up.
    fallen: Mutex<HashMap<ChannelId, (Instant, bool)>>,
    /// When a line could not be written last, if none was written since.
    unwritten: Mutex<Option<Instant>>,
}

impl Health {
    /// A line was written.
    pub(crate) fn wrote(&self) {
        *self.unwritten.lock().unwrap_or_else(PoisonError::into_inner) = None;
    }

    /// A line could not be written.
    pub(crate) fn could_not_write(&self) {
        *self.unwritten.lock().unwrap_or_else(PoisonError::into_inner) = Some(Instant::now());
    }

    /// Whether lines can be written: none failed within the last half a minute without another that was written since.
    pub(crate) fn writes(&self) -> bool {
        let unwritten = self.unwritten.lock().unwrap_or_else(PoisonError::into_inner);
        unwritten.is_none_or(|at| at.elapsed() > DOUBTED)
    }

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
