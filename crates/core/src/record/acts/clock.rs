//! What operators do to clocks.

use crate::time::words::digits;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// What an operator did to a clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum ClockAct {
    /// Sets it running, or running again.
    Start,
    /// Stands it still.
    Pause,
    /// Back to ready with the full length.
    Reset,
    /// Gives it more time, or less.
    Add {
        /// Seconds; below zero takes away.
        seconds: i64,
    },
    /// Of one that counts up: notes how far it has come.
    Lap,
}

impl ClockAct {
    /// `started it`, `added 1:00`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Start => "started it".into(),
            Self::Pause => "paused it".into(),
            Self::Reset => "reset it".into(),
            Self::Lap => "took a lap".into(),
            Self::Add { seconds } if *seconds < 0 => {
                format!("took {} off it", digits(TimeDelta::seconds(seconds.saturating_neg())))
            }
            Self::Add { seconds } => format!("added {} to it", digits(TimeDelta::seconds(*seconds))),
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(self, action: &str, value: Option<i64>) -> bool {
        let same = |number: i64| value.is_none_or(|value| value == number);
        match self {
            Self::Start => action == "start",
            Self::Pause => action == "pause",
            Self::Reset => action == "reset",
            Self::Lap => action == "lap",
            Self::Add { seconds } if action == "subtract" => same(seconds.saturating_neg()),
            Self::Add { seconds } => action == "add" && same(seconds),
        }
    }
}
