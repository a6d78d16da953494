//! One line of a subathon's log: what was added or taken, and what was refused.

use super::sheet::Row;
use crate::book::names::Person;
use crate::record::ids::Seq;
use crate::time::Instant;
use serde::Serialize;

/// Why a line adds less than it would.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Why {
    /// It happened before the clock was started.
    BeforeStart,
    /// The clock was over when it came.
    TooLate,
    /// The clock was paused, and additions are ignored then.
    Ignored,
    /// The clock is paused, and additions wait until it goes on.
    Waits,
    /// The longest that the clock may run in all.
    LimitTotal,
    /// The most that may be on the clock.
    LimitMost,
    /// The latest moment at which it may end.
    LimitLatest,
    /// There was no more to be taken.
    NothingLeft,
}

impl Why {
    /// In words, after “not added: ”.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::BeforeStart => "before the start",
            Self::TooLate => "too late, the clock was over",
            Self::Ignored => "ignored while paused",
            Self::Waits => "waits until it goes on",
            Self::LimitTotal => "over the longest it may run",
            Self::LimitMost => "over the most on the clock",
            Self::LimitLatest => "past the latest moment",
            Self::NothingLeft => "no more was left to take",
        }
    }
}

/// One addition or taking.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// The line of the ledger.
    pub seq: Seq,
    /// When it happened, for finding it again.
    pub happened_at: Instant,
    /// When it bore on the clock, milliseconds of Unix time.
    pub at: i64,
    /// The row of the sheet; none by hand.
    pub row: Option<Row>,
    /// Who did it, where that is known.
    pub who: Option<Person>,
    /// What it comes to by its row alone, in milliseconds; takings are below zero.
    pub base: i64,
    /// The boosts that it counts by, in thousandths.
    pub factor: i64,
    /// What it would come to.
    pub wanted: i64,
    /// What it came to.
    pub given: i64,
    /// Why that is less.
    pub why: Option<Why>,
}
