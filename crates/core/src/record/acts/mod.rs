//! What operators do, family by family.

pub mod clock;
pub mod counter;
pub mod goal;
pub mod show;
pub mod subathon;

pub use clock::ClockAct;
pub use counter::CounterAct;
pub use goal::GoalAct;
pub use show::ShowAct;
pub use subathon::SubathonAct;

use serde::{Deserialize, Serialize};

/// What an operator did to one widget. Acts say what was meant, and folding them decides what it
/// comes to, so that taking one back is the same as never having done it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum Act {
    /// On a counter.
    Counter(CounterAct),
    /// On a clock; those that count down had a family of their own once.
    #[serde(alias = "countdown")]
    Clock(ClockAct),
    /// On a goal.
    Goal(GoalAct),
    /// On a subathon clock.
    Subathon(SubathonAct),
}

impl Act {
    /// What was done: `added 1`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Counter(act) => act.words(),
            Self::Clock(act) => act.words(),
            Self::Goal(act) => act.words(),
            Self::Subathon(act) => act.words(),
        }
    }

    /// Whether it is what an action would be written as.
    #[must_use]
    pub fn answers(&self, action: &str, value: Option<i64>) -> bool {
        match self {
            Self::Counter(act) => act.answers(action, value),
            Self::Clock(act) => act.answers(action, value),
            Self::Goal(act) => act.answers(action),
            Self::Subathon(act) => act.answers(action, value),
        }
    }
}
