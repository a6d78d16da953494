//! What operators, and the audience, do to polls.

use crate::record::ids::Seq;
use crate::time::Instant;
use crate::time::words::digits;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// What was done to a poll widget. [`PollAct::Votes`] is written for the audience, [`PollAct::Close`] by the clock too.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum PollAct {
    /// Opens a poll. All that decides how it counts stands here, so that later edits do not rewrite it.
    Open(Ballot),
    /// Votes of the audience, as they came together.
    Votes {
        /// In the poll that was opened by this line.
        poll: Seq,
        /// The votes.
        votes: Vec<Vote>,
    },
    /// Lets it stay open for longer.
    Extend {
        /// For so many seconds.
        seconds: i64,
    },
    /// Closes it.
    Close,
    /// Calls it off: it has no result.
    Cancel,
    /// Shows a result again for a while.
    Recall {
        /// Of this poll.
        poll: Which,
    },
    /// Takes a result off the picture.
    Hide,
    /// Decides a tie.
    Decide {
        /// Of this poll.
        poll: Which,
        /// For this option, counted from 0.
        option: u8,
        /// Whether a wheel did.
        by_wheel: bool,
    },
}

/// Which poll it is.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// Held here, opened by this line.
    Here(Seq),
    /// Held elsewhere, known by this there.
    Elsewhere(String),
}

/// What is asked, and how votes count.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ballot {
    /// The question; of two options alone it may be empty.
    pub question: String,
    /// What can be chosen, 2 to 8.
    pub options: Vec<String>,
    /// For how many seconds it is open; none until somebody closes it.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub seconds: Option<i64>,
    /// Whether a viewer's last vote counts; otherwise their first.
    pub last_counts: bool,
    /// How much the vote of a subscriber weighs.
    pub subscriber_weight: u32,
    /// How many votes a tip casts for each unit of the channel's currency; 0 for none.
    pub votes_per_unit: u32,
}

/// One vote. Written as a list, since there may be thousands a second: voter, option, when, and 1 of a subscriber.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "(Voter, u8, i64, u8)", into = "(Voter, u8, i64, u8)")]
pub struct Vote {
    /// Whose.
    pub voter: Voter,
    /// For what, counted from 0.
    pub option: u8,
    /// When it was sent, milliseconds of Unix time.
    pub at: i64,
    /// Whether they subscribed.
    pub subscriber: bool,
}

impl From<(Voter, u8, i64, u8)> for Vote {
    fn from((voter, option, at, subscriber): (Voter, u8, i64, u8)) -> Self {
        Self { voter, option, at, subscriber: subscriber != 0 }
    }
}

impl From<Vote> for (Voter, u8, i64, u8) {
    fn from(vote: Vote) -> Self {
        (vote.voter, vote.option, vote.at, vote.subscriber.into())
    }
}

/// A voter under a keyed hash: 96 bits of it, written as hexadecimal digits. The key is thrown away when the poll is
/// over, and with it any way back to a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Voter(u128);

impl Voter {
    /// Of the first bytes of a hash.
    #[must_use]
    pub fn of(bytes: [u8; 12]) -> Self {
        Self(bytes.into_iter().fold(0, |all, byte| all << 8 | u128::from(byte)))
    }
}

impl From<Voter> for String {
    fn from(voter: Voter) -> Self {
        format!("{:024x}", voter.0)
    }
}

impl TryFrom<String> for Voter {
    type Error = &'static str;
    fn try_from(text: String) -> Result<Self, Self::Error> {
        let is_hex = text.len() == 24 && text.bytes().all(|byte| byte.is_ascii_hexdigit());
        let voter = is_hex.then(|| u128::from_str_radix(&text, 16).ok()).flatten();
        voter.map(Self).ok_or("is no voter")
    }
}

impl Vote {
    /// When it was sent.
    #[must_use]
    pub fn sent(at: Instant) -> i64 {
        at.timestamp_millis()
    }
}

/// What a poll is called: its question, or its options where nothing is asked.
#[must_use]
pub fn name<'a>(question: &'a str, options: impl IntoIterator<Item = &'a str>) -> String {
    match question {
        "" => options.into_iter().collect::<Vec<_>>().join(" or "),
        question => question.to_owned(),
    }
}

impl PollAct {
    /// `opened “Which livery?”`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Open(Ballot { question, options, .. }) => {
                format!("opened “{}”", name(question, options.iter().map(String::as_str)))
            }
            Self::Votes { votes, .. } if votes.len() == 1 => "cast 1 vote".into(),
            Self::Votes { votes, .. } => format!("cast {} votes", votes.len()),
            Self::Extend { seconds } => {
                format!("let it stay open for {} more", digits(TimeDelta::seconds(*seconds)))
            }
            Self::Close => "closed it".into(),
            Self::Cancel => "called it off".into(),
            Self::Recall { poll: Which::Here(poll) } => format!("showed the result of line {poll} again"),
            Self::Recall { .. } => "showed the result of a poll held elsewhere again".into(),
            Self::Hide => "took its result off the picture".into(),
            Self::Decide { option, by_wheel: true, .. } => {
                format!("decided the tie by the wheel, for option {}", u16::from(*option).saturating_add(1))
            }
            Self::Decide { option, .. } => {
                format!("decided the tie for option {}", u16::from(*option).saturating_add(1))
            }
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(&self, action: &str, value: Option<i64>) -> bool {
        let same = |number: i64| value.is_none_or(|value| value == number);
        match self {
            Self::Open(_) => matches!(action, "open" | "ask" | "again"),
            Self::Votes { .. } => false,
            Self::Extend { seconds } => action == "extend" && same(*seconds),
            Self::Close => action == "close",
            Self::Cancel => action == "cancel",
            Self::Recall { .. } => action == "recall",
            Self::Hide => action == "hide",
            Self::Decide { option, by_wheel, .. } => {
                action == "decide" && !by_wheel && same(i64::from(*option).saturating_add(1))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn votes_are_read_as_they_were_written(bytes in any::<[u8; 12]>(), option in 0_u8..8, at in any::<i64>(), subscriber in any::<bool>()) {
            let vote = Vote { voter: Voter::of(bytes), option, at, subscriber };
            let written = serde_json::to_string(&vote).unwrap();
            prop_assert!(written.len() <= 60, "{}", written);
            prop_assert_eq!(serde_json::from_str::<Vote>(&written).unwrap(), vote);
        }

        #[test]
        fn nothing_else_is_a_voter(text in ".{0,30}") {
            if let Ok(voter) = Voter::try_from(text.clone()) {
                prop_assert_eq!(String::from(voter), text.to_lowercase());
            }
        }
    }
}
