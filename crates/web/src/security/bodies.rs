//! The bodies under way, and how many there may be.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

/// So many bodies may be under way, and so many of one peer. Whatever comes with its request at once is
/// not counted.
const MOST: usize = 256;
const MOST_A_PEER: usize = 48;

/// The bodies under way.
#[derive(Default)]
pub struct Bodies {
    by_peer: Mutex<HashMap<String, usize>>,
}

impl Bodies {
    /// A place for one more; none where there are too many.
    pub fn place(self: &Arc<Self>, peer: &str) -> Option<Place> {
        let mut by_peer = self.by_peer.lock().unwrap_or_else(PoisonError::into_inner);
        let all: usize = by_peer.values().sum();
        let own = by_peer.get(peer).copied().unwrap_or(0);
        if all >= MOST || own >= MOST_A_PEER {
            return None;
        }
        by_peer.insert(peer.to_owned(), own + 1);
        Some(Place { bodies: Arc::clone(self), peer: peer.to_owned() })
    }
}

/// One body's place; it is free again when this is dropped.
pub struct Place {
    bodies: Arc<Bodies>,
    peer: String,
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut by_peer = self.bodies.by_peer.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(count) = by_peer.get_mut(&self.peer) {
            *count -= 1;
            if *count == 0 {
                by_peer.remove(&self.peer);
            }
        }
    }
}
