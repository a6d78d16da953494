//! What operators do, family by family.

pub mod board;
pub mod clock;
pub mod counter;
pub mod goal;
pub mod poll;
pub mod show;
pub mod subathon;
pub mod wheel;

pub use board::BoardAct;
pub use clock::ClockAct;
pub use counter::CounterAct;
pub use goal::GoalAct;
pub use poll::PollAct;
pub use show::ShowAct;
pub use subathon::SubathonAct;
pub use wheel::WheelAct;

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
    /// On a poll.
    Poll(PollAct),
    /// On a wheel.
    Wheel(WheelAct),
    /// On a scoreboard.
    Board(BoardAct),
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
            Self::Poll(act) => act.words(),
            Self::Wheel(act) => act.words(),
            Self::Board(act) => act.words(),
        }
    }

    /// Whether somebody meant it, and may want to take it back: not what the audience does, nor what a widget notes of itself.
    #[must_use]
    pub fn is_meant(&self) -> bool {
        !matches!(
            self,
            Self::Poll(PollAct::Votes { .. })
                | Self::Wheel(WheelAct::Commit { .. })
                | Self::Subathon(SubathonAct::Over | SubathonAct::Changed | SubathonAct::Away { .. })
        )
    }

    /// Whether it is what an action would be written as.
    #[must_use]
    pub fn answers(&self, action: &str, value: Option<i64>) -> bool {
        match self {
            Self::Counter(act) => act.answers(action, value),
            Self::Clock(act) => act.answers(action, value),
            Self::Goal(act) => act.answers(action),
            Self::Subathon(act) => act.answers(action, value),
            Self::Poll(act) => act.answers(action, value),
            Self::Wheel(act) => act.answers(action),
            Self::Board(act) => act.answers(action),
        }
    }
}
