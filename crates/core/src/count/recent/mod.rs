//! The newest entries that pass, and how a burst of them becomes one.
//!
//! One supporter's entries of a kind become one when each comes within a chosen time of the first
//! of them. Which ones belong together is told by the entries themselves, never by what else is on
//! show, by where the period begins, or by how far somebody looked: so a burst keeps its key, its sum
//! and its place while others come and go.
//!
//! A run of entries without a pause as long as that time is folded from its beginning. One that goes on
//! and on is folded anew from each boundary of [`BLOCK`] lengths, so that nobody needs to look back
//! further than that.
//!
//! [`Recent::look`] is what that means. What is on show is kept and not looked for: see [`Recents`].

mod burst;
mod kept;
mod run;
#[cfg(test)]
mod tests;

pub use burst::{Burst, whose};
pub use kept::Recents;

use super::{Count, Verdict};
use crate::book::{Book, Fact};
use crate::record::happening::Kind;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::time::calendar::Span;
use run::Runs;
use std::collections::{BTreeMap, HashMap};

/// Same giver's gifts within so many microseconds become one.
const GIFTS: i64 = 10_000_000;
/// After so many lengths a run that goes on is folded anew.
const BLOCK: i64 = 4;

/// Where an entry stands among all: when it happened, microseconds of Unix time, and its line.
pub type Place = (i64, u64);

/// Which of the newest entries are asked for. Two that ask for the same share what is kept.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Recent {
    /// Told is what any of these counts; all of one period.
    counts: Vec<Count>,
    /// Bursts within so many seconds become one, gifts always; none where every entry stands by itself.
    fold: Option<u32>,
    /// How many.
    most: usize,
}

impl Recent {
    /// The newest so many entries that any of some counts of one period counts; hand-made adjustments never. With `fold`,
    /// bursts within so many seconds become one.
    #[must_use]
    pub fn new(counts: Vec<Count>, fold: Option<u32>, most: usize) -> Self {
        Self { counts, fold, most }
    }

    /// How many are asked for.
    #[must_use]
    pub fn most(&self) -> usize {
        self.most
    }

    /// The stretch of time at an instant.
    fn span(&self, settings: &Settings, book: &Book, now: Instant) -> Span {
        self.counts.first().map_or(Span::NEVER, |count| count.span(settings, book, now))
    }

    fn kinds(&self) -> u16 {
        self.counts.iter().fold(0, |kinds, count| kinds | count.kinds()) & !Kind::Adjust.bit()
    }

    /// Whether a fact is told, whenever it happened.
    fn is_told(&self, fact: &Fact, book: &Book, settings: &Settings) -> bool {
        let counts = |count: &Count| matches!(count.judge(fact, Span::ALL, book, settings), Verdict::Counts(_));
        fact.kind() != Kind::Adjust && self.counts.iter().any(counts)
    }

    /// How many gifts a burst of them must come to.
    fn least_gifts(&self) -> i64 {
        let gifts = |count: &&Count| count.terms().any(|term| term.measure == Measure::CountOfGifts);
        self.counts.iter().find(gifts).map_or(0, |count| count.only.least)
    }

    /// The newest at an instant, oldest first, looked for in the book: what is kept is equal to this.
    #[must_use]
    pub fn look(&self, book: &Book, settings: &Settings, now: Instant) -> Vec<Burst> {
        let span = self.span(settings, book, now);
        self.newest(self.most, &Runs { recent: self, span, book, settings }).into_values().collect()
    }

    /// The newest so many, by the place of the first that belongs to each.
    fn newest(&self, most: usize, runs: &Runs<'_>) -> BTreeMap<Place, Burst> {
        let mut found: BTreeMap<Place, Burst> = BTreeMap::new();
        // From which place on what has so much in common is folded already.
        let mut done: HashMap<burst::Common, Place> = HashMap::new();
        for fact in runs.book.facts(runs.span, self.kinds()).rev() {
            // All that begin after this are found.
            if most == 0 || found.keys().rev().nth(most.saturating_sub(1)).is_some_and(|first| *first > fact.place()) {
                break;
            }
            let common = runs.common(fact);
            // Most of a burst is folded already, and need not be judged once more.
            if common.is_some_and(|common| done.get(&common).is_some_and(|from| *from <= fact.place())) {
                continue;
            }
            if !self.is_told(fact, runs.book, runs.settings) {
                continue;
            }
            let Some(common) = common else {
                found.insert(fact.place(), Burst::alone(fact, runs.book));
                continue;
            };
            let run = runs.up_to(fact, common);
            done.insert(common, run.facts.first().map_or(fact.place(), |first| first.place()));
            found.extend(runs.fold(&run).into_iter().filter(|(_, burst)| !runs.is_small(burst)));
        }
        let skip = found.len().saturating_sub(most);
        found.into_iter().skip(skip).collect()
    }
}
