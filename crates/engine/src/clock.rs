//! The one place where the time is asked.

use chrono::{SubsecRound, TimeDelta, Utc};
use std::time::Duration;
use tally_core::time::{Instant, after};

/// Tells the time.
pub trait Clock: Send + Sync + 'static {
    /// Now, in whole microseconds, as the ledger keeps it.
    fn now(&self) -> Instant;

    /// How many times as fast as the machine's own clock it goes.
    fn speed(&self) -> u32 {
        1
    }

    /// How long to wait until an instant; no time at all if it has passed.
    fn wait(&self, until: Instant) -> Duration {
        (until - self.now()).to_std().unwrap_or_default() / self.speed().max(1)
    }
}

/// The machine's own clock.
#[derive(Debug, Clone, Copy, Default)]
pub struct SystemClock;

impl Clock for SystemClock {
    fn now(&self) -> Instant {
        Utc::now().trunc_subsecs(6)
    }
}

/// The clock of a rehearsal: it begins at an instant and goes so many times as fast. Setting the machine's clock does not
/// touch it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct RehearsalClock {
    from: Instant,
    began: std::time::Instant,
    speed: u32,
}

impl RehearsalClock {
    pub(crate) fn new(from: Instant, speed: u32) -> Self {
        Self { from, began: std::time::Instant::now(), speed: speed.max(1) }
    }
}

impl Clock for RehearsalClock {
    fn now(&self) -> Instant {
        let gone = self.began.elapsed().saturating_mul(self.speed);
        after(self.from, TimeDelta::from_std(gone).unwrap_or(TimeDelta::MAX)).trunc_subsecs(6)
    }

    fn speed(&self) -> u32 {
        self.speed
    }
}
