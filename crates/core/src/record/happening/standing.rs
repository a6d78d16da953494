//! How a poll stands that is held elsewhere.

use crate::money::group;
use crate::time::Instant;
use serde::{Deserialize, Serialize};

/// The whole standing of a poll that is held elsewhere.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Standing {
    /// What tells it from other polls.
    pub poll: String,
    /// What is asked.
    pub question: String,
    /// What can be chosen, and how many votes each has, in its order.
    pub options: Vec<Choice>,
    /// When it was opened.
    pub opened_at: Instant,
    /// When it will close, where that is told.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub closes_at: Option<Instant>,
    /// How far it has come.
    pub state: PollState,
}

impl Standing {
    /// `poll “Which livery?”: Green 41, Black 30`, and whether it is over.
    #[must_use]
    pub fn words(&self) -> String {
        let options: Vec<String> =
            self.options.iter().map(|one| format!("{} {}", one.text, group(one.votes.into()))).collect();
        let over = match self.state {
            PollState::Open => "",
            PollState::Closed => ", closed",
            PollState::Cancelled => ", cancelled",
        };
        format!("poll “{}”: {}{over}", self.question, options.join(", "))
    }
}

/// What can be chosen in a poll that is held elsewhere.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Choice {
    /// Its words.
    pub text: String,
    /// How many votes it has.
    pub votes: u32,
}

/// How far a poll has come.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum PollState {
    /// Votes count.
    Open,
    /// It is over, and its result stands.
    Closed,
    /// It was called off, and has no result.
    Cancelled,
}

impl PollState {
    /// All, in their order.
    pub const ALL: [Self; 3] = [Self::Open, Self::Closed, Self::Cancelled];

    /// Its word in events.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Closed => "closed",
            Self::Cancelled => "cancelled",
        }
    }
}
