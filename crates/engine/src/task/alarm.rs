//! When the task has to look up though nobody calls: for what changes by itself, and to draw.

use super::{PULSE_IDLE, Task};
use std::time::Duration;
use tally_core::time::Instant;

/// Looking for the next alarm takes at most one part in so many and one of the task's time.
const ALARM_REST: u32 = 9;
/// Least time between two drawings of the signal strip.
const PULSE_GAP: Duration = Duration::from_millis(200);

impl Task {
    /// Looks anew for what changes by itself next. That asks every widget, which can cost more than the event
    /// that made it needed; so in a flood it waits its turn, and then looks from the first such event on.
    pub(super) fn set_alarm(&mut self) {
        self.alarm_wanted.get_or_insert_with(|| self.context.clock.now());
        let begun = tokio::time::Instant::now();
        if begun < self.alarm_from {
            return;
        }
        if let Some(since) = self.alarm_wanted.take() {
            self.alarm = self.channel.next_alarm(since);
            let ended = tokio::time::Instant::now();
            self.alarm_from = ended + (ended - begun) * ALARM_REST;
        }
    }

    pub(super) fn fire_alarm(&mut self) {
        if self.alarm_wanted.is_some() {
            self.set_alarm();
        }
        let now = self.context.clock.now();
        if let Some((at, _)) = &self.alarm
            && *at <= now
            && let Some((_, ids)) = self.alarm.take()
        {
            self.pace.touch(ids);
            self.set_alarm();
        }
    }

    pub(super) fn pulse_soon(&mut self) {
        if self.pulse_due.is_none() {
            self.pulse_due = Some(self.pulse_drawn + PULSE_GAP);
        }
    }

    /// When the task must look up even if nobody calls.
    pub(super) fn wake_at(&self) -> tokio::time::Instant {
        let idle = self.pulse_drawn + PULSE_IDLE;
        let alarm = self.alarm.as_ref().map(|(at, _)| self.until(*at));
        let looks = self.alarm_wanted.map(|_| self.alarm_from);
        [Some(idle), self.pace.next(), self.pulse_due, alarm, looks].into_iter().flatten().min().unwrap_or(idle)
    }

    /// When to wake for an instant. A far one is looked at again from time to time, should the machine's clock
    /// be set.
    pub(super) fn until(&self, at: Instant) -> tokio::time::Instant {
        tokio::time::Instant::now() + self.context.clock.wait(at).min(PULSE_IDLE)
    }
}
