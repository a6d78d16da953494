//! The answer to "why does it say that?".

use crate::calendar::Calendar;
use crate::entry::Entry;
use crate::ids::Seq;
use crate::sentence::instant_words;
use std::collections::BTreeSet;

/// How many lines a slip carries at most.
pub const MOST_LINES: usize = 50;

/// What a slip is made from besides the state.
#[derive(Debug, Clone, Copy)]
pub struct Evidence<'a> {
    /// The newest of the entries that the widget could have counted, newest first.
    pub entries: &'a [Entry],
    /// The happenings that somebody voided.
    pub voided: &'a BTreeSet<Seq>,
}

/// The sum behind a number, and the lines behind the sum.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Slip {
    /// The addition, term by term: what it is, and its figure.
    pub terms: Vec<(String, String)>,
    /// What the widget shows.
    pub shown: String,
    /// From when to when, and by which rule.
    pub span: String,
    /// The newest lines, newest first.
    pub lines: Vec<SlipLine>,
}

/// One line of the ledger as it bears on a number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlipLine {
    /// Its place.
    pub seq: Seq,
    /// Local time.
    pub when: String,
    /// What happened.
    pub words: String,
    /// What it added, or why it added nothing.
    pub effect: Effect,
}

/// What a line did to a number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// It counts, with this figure.
    Counts(String),
    /// It is left out, for this reason.
    LeftOut(String),
}

impl SlipLine {
    /// A line for an entry.
    #[must_use]
    pub fn of(entry: &Entry, calendar: &Calendar, effect: Effect) -> Self {
        Self { seq: entry.seq, when: instant_words(calendar, entry.happened_at), words: entry.body.words(), effect }
    }
}
