//! One run of a clock, from reset to reset.

use crate::record::acts::ClockAct;
use crate::time::{Instant, after, less, together};
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// What the acts since the last reset come to, whatever the length.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Run {
    /// Microseconds run down before the present stretch of running.
    spent_us: i64,
    /// Seconds added by hand.
    extra_s: i64,
    /// Since when it has been running.
    since: Option<Instant>,
    /// It has run before, so standing still means paused.
    begun: bool,
    /// Time taken away by hand left nothing, at that instant.
    ended: Option<Instant>,
}

/// Where a clock is at an instant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Phase {
    /// Not started.
    Ready {
        /// What it will run down from.
        left: TimeDelta,
    },
    /// Running down.
    Running {
        /// When it will be done.
        ends_at: Instant,
    },
    /// Standing still.
    Paused {
        /// What is left.
        left: TimeDelta,
    },
    /// Over.
    Done {
        /// Since when.
        at: Instant,
    },
}

impl Phase {
    /// The time left at an instant.
    #[must_use]
    pub fn left(&self, now: Instant) -> TimeDelta {
        match self {
            Self::Ready { left } | Self::Paused { left } => *left,
            Self::Running { ends_at } => ends_at.signed_duration_since(now),
            Self::Done { .. } => TimeDelta::zero(),
        }
    }
}

impl Run {
    /// The length with what was added by hand.
    fn whole(&self, length: TimeDelta) -> TimeDelta {
        together(length, self.extra())
    }

    /// What is left when the present stretch of running begins.
    fn standing(&self, length: TimeDelta) -> TimeDelta {
        less(self.whole(length), TimeDelta::microseconds(self.spent_us))
    }

    /// The phase at an instant, for a clock of this length.
    #[must_use]
    pub fn phase(&self, length: TimeDelta, now: Instant) -> Phase {
        let left = self.standing(length);
        if let Some(at) = self.ended {
            return Phase::Done { at };
        }
        match self.since {
            Some(since) if after(since, left) > now => Phase::Running { ends_at: after(since, left) },
            Some(since) => Phase::Done { at: after(since, left.max(TimeDelta::zero())) },
            None if self.begun => Phase::Paused { left },
            None => Phase::Ready { left },
        }
    }

    /// What an act makes of the run. Acts that make no sense in the present phase change nothing,
    /// so that taking back an earlier act can never leave an impossible clock.
    #[must_use]
    pub fn after(self, act: ClockAct, at: Instant, length: TimeDelta) -> Self {
        match (act, self.phase(length, at)) {
            (ClockAct::Reset, _) => Self::default(),
            (ClockAct::Start, Phase::Ready { .. } | Phase::Paused { .. }) => {
                Self { since: Some(at), begun: true, ..self }
            }
            (ClockAct::Pause, Phase::Running { ends_at }) => {
                let spent_us = less(self.standing(length), ends_at.signed_duration_since(at))
                    .num_microseconds()
                    .unwrap_or(i64::MAX);
                Self { since: None, spent_us: self.spent_us.saturating_add(spent_us.max(0)), ..self }
            }
            (ClockAct::Add { seconds }, phase) if !matches!(phase, Phase::Done { .. }) => {
                // Sums stay far below what a length of time can hold.
                let extra_s = self.extra_s.saturating_add(seconds).clamp(-1_000_000_000, 1_000_000_000);
                let longer = Self { extra_s, ..self };
                let left = together(phase.left(at), TimeDelta::seconds(extra_s.saturating_sub(self.extra_s)));
                if left > TimeDelta::zero() { longer } else { Self { ended: Some(at), ..longer } }
            }
            _ => self,
        }
    }

    /// How far one has come that counts up, never below nothing.
    #[must_use]
    pub fn elapsed(&self, now: Instant) -> TimeDelta {
        let running = self.since.map_or(TimeDelta::zero(), |since| now.signed_duration_since(since));
        let spent = together(TimeDelta::microseconds(self.spent_us), running.max(TimeDelta::zero()));
        together(spent, self.extra()).max(TimeDelta::zero())
    }

    /// What an act makes of one that counts up, which has no end.
    #[must_use]
    pub fn after_up(self, act: ClockAct, at: Instant) -> Self {
        match act {
            ClockAct::Reset => Self::default(),
            ClockAct::Start if self.since.is_none() => Self { since: Some(at), begun: true, ..self },
            ClockAct::Pause => match self.since {
                Some(since) => {
                    let ran = at.signed_duration_since(since).num_microseconds().unwrap_or(i64::MAX).max(0);
                    Self { since: None, spent_us: self.spent_us.saturating_add(ran), ..self }
                }
                None => self,
            },
            ClockAct::Add { seconds } => {
                // Below nothing is nothing: what is taken is at most what is there.
                let least = self.elapsed(at).num_seconds().saturating_neg();
                let extra_s = self.extra_s.saturating_add(seconds.max(least)).clamp(-1_000_000_000, 1_000_000_000);
                Self { extra_s, ..self }
            }
            ClockAct::Start | ClockAct::Lap => self,
        }
    }

    /// Since when it has been running.
    #[must_use]
    pub fn since(&self) -> Option<Instant> {
        self.since
    }

    /// Whether it was ever started since its last reset.
    #[must_use]
    pub fn has_begun(&self) -> bool {
        self.begun
    }

    /// What was added by hand in this run.
    #[must_use]
    pub fn extra(&self) -> TimeDelta {
        TimeDelta::seconds(self.extra_s)
    }

    /// What has run down at an instant.
    #[must_use]
    pub fn spent(&self, length: TimeDelta, now: Instant) -> TimeDelta {
        less(self.whole(length), self.phase(length, now).left(now)).max(TimeDelta::zero())
    }
}
