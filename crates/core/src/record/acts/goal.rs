//! What operators do to goals.

use serde::{Deserialize, Serialize};

/// What an operator did to a goal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum GoalAct {
    /// Counts from now on, where it counts since its last reset.
    Reset,
    /// Reaching it is celebrated again, even if it was a moment ago.
    Rearm,
}

impl GoalAct {
    /// `reset it`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Reset => "reset it".into(),
            Self::Rearm => "armed its celebration again".into(),
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(self, action: &str) -> bool {
        match self {
            Self::Reset => action == "reset",
            Self::Rearm => action == "rearm",
        }
    }
}
