//! What operators do, family by family.

pub mod countdown;
pub mod counter;
pub mod goal;
pub mod show;

pub use countdown::CountdownAct;
pub use counter::CounterAct;
pub use goal::GoalAct;
pub use show::ShowAct;

use serde::{Deserialize, Serialize};

/// What an operator did to one widget. Acts say what was meant, and folding them decides what it
/// comes to, so that taking one back is the same as never having done it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum Act {
    /// On a counter.
    Counter(CounterAct),
    /// On a count-down clock.
    Countdown(CountdownAct),
    /// On a goal.
    Goal(GoalAct),
}

impl Act {
    /// What was done: `added 1`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Counter(act) => act.words(),
            Self::Countdown(act) => act.words(),
            Self::Goal(act) => act.words(),
        }
    }

    /// Whether it is what an action would be written as.
    #[must_use]
    pub fn answers(&self, action: &str, value: Option<i64>) -> bool {
        match self {
            Self::Counter(act) => act.answers(action, value),
            Self::Countdown(act) => act.answers(action, value),
            Self::Goal(act) => act.answers(action),
        }
    }
}
