//! The one place where the time is asked.

use chrono::{SubsecRound, Utc};
use tally_core::time::Instant;

/// Tells the time.
pub trait Clock: Send + Sync + 'static {
    /// Now, in whole microseconds, as the ledger keeps it.
    fn now(&self) -> Instant;
}

/// The machine's own clock.
#[derive(Debug, Clone, Copy, Default)]
pub struct SystemClock;

impl Clock for SystemClock {
    fn now(&self) -> Instant {
        Utc::now().trunc_subsecs(6)
    }
}
