//! What facts add up to.

use super::{Count, Keep, Reason, Verdict, What, special};
use crate::book::names::Person;
use crate::book::{Book, Fact, What as Happened};
use crate::record::measure::Adding;
use crate::record::settings::Settings;
use crate::time::calendar::Span;
use std::cmp::Reverse;
use std::collections::BTreeMap;

/// How much a supporter made of a sum.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Stand {
    /// Their part of it.
    pub sum: i128,
    /// How many facts made that.
    pub lines: u32,
    /// With which fact they got where they are: when it happened, microseconds of Unix time, and its line.
    pub since: (i64, u64),
}

/// A supporter with their rank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ranked {
    /// Who.
    pub who: Person,
    /// From 1; who made the same shares it.
    pub rank: usize,
    /// How they stand.
    pub stand: Stand,
}

/// What facts add up to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Tally {
    /// The sum, in the smallest steps of the unit. 128 bits: millions of the largest entries fit.
    pub sum: i128,
    /// How many facts made it.
    pub lines: u64,
    /// How many have no price yet.
    pub unpriced: u64,
    /// When the newest of them happened, microseconds of Unix time.
    pub latest: Option<i64>,
    /// Who made it, where that is remembered or people are counted.
    pub(super) people: BTreeMap<Person, Stand>,
    /// The largest fact, where that is remembered: what it comes to, when it happened and its line.
    /// Of equals the first.
    pub(super) largest: Option<(i64, i64, u64)>,
}

impl Tally {
    /// The sum as far as 64 bits go.
    #[must_use]
    pub fn value(&self) -> i64 {
        i64::try_from(self.sum).unwrap_or(if self.sum < 0 { i64::MIN } else { i64::MAX })
    }

    /// Takes one line in.
    pub(super) fn add(&mut self, worth: i128) {
        self.sum = self.sum.saturating_add(worth);
        self.lines = self.lines.saturating_add(1);
    }

    /// The figures without the people behind them.
    pub(super) fn figures(&self) -> Self {
        Self { people: BTreeMap::new(), ..*self }
    }

    /// When the largest fact happened, and its line.
    #[must_use]
    pub fn largest(&self) -> Option<(i64, u64)> {
        self.largest.map(|(_, at, seq)| (at, seq))
    }

    /// The first so many by when they last added something, the newest first.
    pub(super) fn newest_people(&self, most: usize) -> Vec<Person> {
        let mut all: Vec<(Reverse<(i64, u64)>, Person)> =
            self.people.iter().map(|(who, stand)| (Reverse(stand.since), *who)).collect();
        if most < all.len() && most > 0 {
            all.select_nth_unstable(most.saturating_sub(1));
        }
        all.truncate(most);
        all.sort_unstable();
        all.into_iter().map(|(_, who)| who).collect()
    }

    /// The first so many by what they made of the sum. Equals share a rank, the one who got there
    /// first stands first; whoever made nothing is not ranked.
    #[must_use]
    pub fn ranking(&self, most: usize) -> Vec<Ranked> {
        let mut all: Vec<(Person, Stand)> =
            self.people.iter().filter(|(_, stand)| stand.sum > 0).map(|(who, stand)| (*who, *stand)).collect();
        let order = |(who, stand): &(Person, Stand)| (Reverse(stand.sum), stand.since, *who);
        // Of thousands only a few are shown, and only those need to be in order.
        if most < all.len() && most > 0 {
            all.select_nth_unstable_by_key(most.saturating_sub(1), order);
        }
        all.truncate(most);
        all.sort_unstable_by_key(order);
        let mut ranked: Vec<Ranked> = Vec::with_capacity(all.len());
        for (place, (who, stand)) in (1..).zip(all) {
            let rank = ranked.last().filter(|last| last.stand.sum == stand.sum).map_or(place, |last| last.rank);
            ranked.push(Ranked { who, rank, stand });
        }
        ranked
    }
}

impl Count {
    /// Counts from the book.
    #[must_use]
    pub fn recount(&self, span: Span, book: &Book, settings: &Settings) -> Tally {
        match &self.what {
            What::Sum(_) => self.sum(span, book, settings),
            What::Level(name) => special::level(name, span, book),
            What::Running { level, measure } => special::running(self, level, *measure, span, book, settings),
            What::Statistic(name) => special::statistic(name, span, book),
        }
    }

    fn sum(&self, span: Span, book: &Book, settings: &Settings) -> Tally {
        let mut tally = Tally::default();
        for fact in book.facts(span, self.kinds()) {
            self.add(&mut tally, fact, span, book, settings);
        }
        tally
    }

    /// How what happenings come to makes its figure.
    #[must_use]
    pub fn adding(&self) -> Adding {
        match self.what {
            What::Sum(measure) => measure.adding(),
            What::Level(_) | What::Running { .. } | What::Statistic(_) => Adding::Each,
        }
    }

    /// Adds one fact more. True if that changed anything.
    pub(super) fn add(&self, tally: &mut Tally, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> bool {
        match self.judge(fact, span, book, settings) {
            Verdict::Counts(worth) => {
                let by_hand = matches!(fact.what, Happened::Adjust { .. });
                let mut adds = i128::from(worth);
                let supporters = self.adding() == Adding::Supporters;
                let person = fact.person().filter(|_| supporters || self.keep == Keep::People);
                if let Some(person) = person {
                    let stand = tally.people.entry(book.names().person(person)).or_default();
                    stand.lines = stand.lines.saturating_add(1);
                    if supporters && stand.lines > 1 {
                        adds = 0;
                    }
                    stand.sum = stand.sum.saturating_add(adds);
                    stand.since = match stand.lines {
                        1 => fact.place(),
                        // Being one of them begins with the first, whichever came first to us.
                        _ if supporters => fact.place().min(stand.since),
                        // What adds nothing takes nobody's place away.
                        _ if adds == 0 => stand.since,
                        _ => fact.place().max(stand.since),
                    };
                }
                tally.add(adds);
                if self.keep == Keep::Largest && !by_hand {
                    let first = |(worth, at, seq): (i64, i64, u64)| (Reverse(worth), at, seq);
                    let this = (worth, fact.at, fact.seq);
                    tally.largest = Some(tally.largest.filter(|held| first(*held) <= first(this)).unwrap_or(this));
                }
                tally.latest = tally.latest.max(Some(fact.at));
                true
            }
            Verdict::LeftOut(Reason::Unpriced) => {
                tally.unpriced = tally.unpriced.saturating_add(1);
                true
            }
            Verdict::LeftOut(_) => false,
        }
    }
}
