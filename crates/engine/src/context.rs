//! What a channel's task works with, be it of the show or of a rehearsal.

use crate::calls::Call;
use crate::clock::Clock;
use crate::drawers::Drawers;
use crate::health::Health;
use crate::keep::Keep;
use std::sync::Arc;
use tally_store::Store;
use tokio::runtime::Handle;
use tokio::sync::mpsc;

/// See the module. Copies share what is in it.
#[derive(Clone)]
pub(crate) struct Context {
    /// What people make: channels, widgets, overlays.
    pub store: Store,
    /// Where the task's own lines are kept.
    pub keep: Keep,
    /// Where what the task publishes is drawn.
    pub drawers: Drawers,
    pub clock: Arc<dyn Clock>,
    /// Where tasks run, whoever asks for one first: not on a thread that answers requests.
    pub runtime: Handle,
    pub health: Arc<Health>,
    /// Where calls go that cues want made.
    pub calls: mpsc::Sender<Call>,
}

impl Context {
    /// The same for a rehearsal, which has a clock of its own, and of which nothing remains or goes out.
    pub(crate) fn rehearsing(&self, clock: Arc<dyn Clock>) -> Self {
        Self { keep: Keep::memory(), clock, calls: mpsc::channel(1).0, ..self.clone() }
    }
}
