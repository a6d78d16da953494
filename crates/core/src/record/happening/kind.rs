//! The kinds of happenings.

use serde::{Deserialize, Serialize};

/// The kind of a happening, without what came with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// See [`super::Happening::Follow`].
    Follow,
    /// See [`super::Happening::Sub`].
    Sub,
    /// See [`super::Happening::Gift`].
    Gift,
    /// See [`super::Happening::Tip`].
    Tip,
    /// See [`super::Happening::Cheer`].
    Cheer,
    /// See [`super::Happening::Raid`].
    Raid,
    /// See [`super::Happening::Reward`].
    Reward,
    /// See [`super::Happening::Purchase`].
    Purchase,
    /// See [`super::Happening::Gauge`].
    Gauge,
    /// See [`super::Happening::Stat`].
    Stat,
    /// See [`super::Happening::Signal`].
    Signal,
    /// See [`super::Happening::Adjust`]; made by hand only, never sent.
    Adjust,
    /// See [`super::Happening::Command`].
    Command,
    /// See [`super::Happening::Poll`].
    Poll,
}

impl Kind {
    /// All kinds.
    pub const ALL: [Self; 14] = [
        Self::Follow,
        Self::Sub,
        Self::Gift,
        Self::Tip,
        Self::Cheer,
        Self::Raid,
        Self::Reward,
        Self::Purchase,
        Self::Gauge,
        Self::Stat,
        Self::Signal,
        Self::Adjust,
        Self::Command,
        Self::Poll,
    ];

    /// The kinds that outside programs send.
    pub const SENT: [Self; 13] = [
        Self::Follow,
        Self::Sub,
        Self::Gift,
        Self::Tip,
        Self::Cheer,
        Self::Raid,
        Self::Reward,
        Self::Purchase,
        Self::Gauge,
        Self::Stat,
        Self::Signal,
        Self::Command,
        Self::Poll,
    ];

    /// The word in the ledger. With `tally.` in front it is the type of the CloudEvent.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Follow => "follow",
            Self::Sub => "sub",
            Self::Gift => "gift",
            Self::Tip => "tip",
            Self::Cheer => "cheer",
            Self::Raid => "raid",
            Self::Reward => "reward",
            Self::Purchase => "purchase",
            Self::Gauge => "gauge",
            Self::Stat => "stat",
            Self::Signal => "signal",
            Self::Adjust => "adjust",
            Self::Command => "command",
            Self::Poll => "poll",
        }
    }

    /// A bit of its own, for sets of kinds.
    #[must_use]
    pub const fn bit(self) -> u16 {
        1 << self as u16
    }

    /// The kind of that word.
    #[must_use]
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.key() == key)
    }

    /// Many of them, in words.
    #[must_use]
    pub fn plural(self) -> &'static str {
        match self {
            Self::Follow => "follows",
            Self::Sub => "subscriptions",
            Self::Gift => "gifts",
            Self::Tip => "tips",
            Self::Cheer => "cheers",
            Self::Raid => "raids",
            Self::Reward => "rewards",
            Self::Purchase => "purchases",
            Self::Gauge => "levels",
            Self::Stat => "game totals",
            Self::Signal => "signals",
            Self::Adjust => "adjustments",
            Self::Command => "chat commands",
            Self::Poll => "polls held elsewhere",
        }
    }
}
