//! When the task has to look up though nobody calls: for what changes by itself, and to draw.

use super::drawing::seen_by;
use super::{PULSE_IDLE, Task};
use std::time::Duration;
use tally_core::time::Instant;

/// Least time between two drawings of the signal strip.
const PULSE_GAP: Duration = Duration::from_millis(200);

impl Task {
    /// What has changed by itself by now is to be drawn.
    pub(super) fn ring_alarms(&mut self) {
        let rung = self.alarms.ring(self.context.clock.now());
        self.pace.touch(rung);
    }

    pub(super) fn pulse_soon(&mut self) {
        if self.pulse_due.is_none() {
            self.pulse_due = Some(self.pulse_drawn + PULSE_GAP);
        }
    }

    /// When the task must look up even if nobody calls.
    pub(super) fn wake_at(&self) -> tokio::time::Instant {
        let idle = self.pulse_drawn + PULSE_IDLE;
        let alarm = self.alarms.first().map(|at| self.until(at));
        [Some(idle), self.pace.next(seen_by(&self.hub, &self.channel)), self.pulse_due, alarm]
            .into_iter()
            .flatten()
            .min()
            .unwrap_or(idle)
    }

    /// When to wake for an instant. A far one is looked at again from time to time, should the machine's clock
    /// be set.
    pub(super) fn until(&self, at: Instant) -> tokio::time::Instant {
        tokio::time::Instant::now() + self.context.clock.wait(at).min(PULSE_IDLE)
    }
}
