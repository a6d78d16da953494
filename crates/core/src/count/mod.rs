//! What a number is made of: a measure over a period, filtered; and how facts add up to it.
//!
//! One function, [`Count::judge`], decides about each fact. The live figure, the recount from the
//! start and the explanation all ask it, so they cannot disagree.

mod example;
mod filter;
pub mod sentence;
mod special;
mod tallies;
#[cfg(test)]
mod tests;

pub use filter::{Filter, Miss};
pub use tallies::Tallies;

use crate::Instant;
use crate::book::names::NOBODY;
use crate::book::{Book, Fact, instant};
use crate::calendar::{Period, Span};
use crate::happening::Kind;
use crate::measure::{Measure, Unit, Worth};
use crate::widgets::Settings;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What is counted.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// A measure that sums.
    Sum(Measure),
    /// A level by its name, such as viewers now: the newest value in the period.
    Level(String),
    /// The newest value of a level, and what has been counted since it was read.
    Running {
        /// The level that is the baseline.
        level: String,
        /// What is counted on from there.
        measure: Measure,
    },
    /// A game's statistic: how much it has grown over the period, over all characters.
    Statistic(String),
}

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Count {
    /// What is counted.
    pub what: What,
    /// So much more, in the smallest steps of the sum's unit, for each one of other measures.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub plus: BTreeMap<Measure, i64>,
    /// Over which period.
    pub period: Period,
    /// Which happenings count.
    #[serde(default)]
    pub only: Filter,
    /// When it was last reset, for [`Period::SinceReset`].
    #[serde(skip)]
    pub since: Option<Instant>,
    /// From when on nothing counts any more.
    #[serde(skip)]
    pub until: Option<Instant>,
    /// What is remembered besides the sum.
    #[serde(skip)]
    pub keep: Keep,
}

/// What a tally remembers besides its sum, since that costs room.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash)]
pub enum Keep {
    /// Nothing.
    #[default]
    Sum,
    /// How much each supporter made of it.
    People,
    /// The largest one.
    Largest,
}

/// How much a supporter made of a sum.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Stand {
    /// Their part of it.
    pub sum: i128,
    /// How many facts made that.
    pub lines: u32,
    /// When the newest of them happened, microseconds of Unix time: then they got where they are.
    pub at: i64,
}

/// A supporter with their rank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ranked {
    /// A place in [`crate::book::names::Names`].
    pub who: u32,
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
    people: BTreeMap<u32, Stand>,
    /// The largest fact, where that is remembered: what it comes to, when it happened and its line.
    /// Of equals the first.
    largest: Option<(i64, i64, u64)>,
}

impl Tally {
    /// The sum as far as 64 bits go.
    #[must_use]
    pub fn value(&self) -> i64 {
        i64::try_from(self.sum).unwrap_or(if self.sum < 0 { i64::MIN } else { i64::MAX })
    }
}

impl Tally {
    /// The figures without the people behind them.
    fn figures(&self) -> Self {
        Self { people: BTreeMap::new(), ..*self }
    }

    /// When the largest fact happened, and its line.
    #[must_use]
    pub fn largest(&self) -> Option<(i64, u64)> {
        self.largest.map(|(_, at, seq)| (at, seq))
    }

    /// The first so many by what they made of the sum. Equals share a rank, the one who got there
    /// first stands first; whoever made nothing is not ranked.
    #[must_use]
    pub fn ranking(&self, most: usize) -> Vec<Ranked> {
        let mut all: Vec<(u32, Stand)> =
            self.people.iter().filter(|(_, stand)| stand.sum > 0).map(|(who, stand)| (*who, *stand)).collect();
        let order = |(who, stand): &(u32, Stand)| (std::cmp::Reverse(stand.sum), stand.at, *who);
        // Of thousands only a few are shown, and only those need to be in order.
        if most < all.len() && most > 0 {
            all.select_nth_unstable_by_key(most - 1, order);
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

/// What a fact comes to in a count.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// It adds this much.
    Counts(i64),
    /// It is left out.
    LeftOut(Reason),
}

/// Why a fact is left out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reason {
    /// It is of another kind, or has nothing of what is counted.
    OtherKind,
    /// Somebody voided it.
    Voided,
    /// Its import was undone.
    Withdrawn,
    /// It happened before the period.
    Before,
    /// It happened after the period.
    After,
    /// There is no rate for its currency and date yet.
    Unpriced,
    /// The filter keeps it out.
    Filtered(Miss),
}

impl Reason {
    /// In words, for the slip.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::OtherKind => "of another kind",
            Self::Voided => "voided",
            Self::Withdrawn => "its import was undone",
            Self::Before => "before the period",
            Self::After => "after the period",
            Self::Unpriced => "not priced yet",
            Self::Filtered(Miss::TooSmall) => "below the least",
            Self::Filtered(Miss::OtherTier) => "another tier",
            Self::Filtered(Miss::OtherGiving) => "given or not, the other way",
            Self::Filtered(Miss::OtherFeed) => "through another feed",
            Self::Filtered(Miss::OtherPeople) => "not one of these people",
            Self::Filtered(Miss::OtherWords) => "does not say it",
            Self::Filtered(Miss::Adjustment) => "an adjustment counts where nothing is narrowed down",
        }
    }
}

impl Count {
    /// A measure over a period, with nothing filtered.
    #[must_use]
    pub fn of(measure: Measure, period: Period) -> Self {
        Self {
            what: What::Sum(measure),
            plus: BTreeMap::new(),
            period,
            only: Filter::default(),
            since: None,
            until: None,
            keep: Keep::Sum,
        }
    }

    /// In what it is told.
    #[must_use]
    pub fn unit(&self, settings: &Settings) -> Unit {
        match &self.what {
            What::Sum(measure) => measure.unit(settings.currency),
            What::Level(_) | What::Running { .. } | What::Statistic(_) => Unit::Things,
        }
    }

    /// What it counts, in words.
    #[must_use]
    pub fn words(&self) -> String {
        match &self.what {
            What::Sum(measure) => measure.words().to_owned(),
            What::Level(name) => format!("the level of {name}"),
            What::Running { level, measure } => format!("{level}, and {} since", measure.words()),
            What::Statistic(name) => format!("{name} in the game"),
        }
    }

    /// The kinds that bear on it, as bits.
    #[must_use]
    pub fn kinds(&self) -> u16 {
        let bits = |measure: &Measure| measure.kinds().iter().fold(Kind::Adjust.bit(), |bits, kind| bits | kind.bit());
        let own = match &self.what {
            What::Sum(measure) => bits(measure),
            What::Level(_) => Kind::Gauge.bit(),
            What::Running { measure, .. } => Kind::Gauge.bit() | bits(measure),
            What::Statistic(_) => Kind::Stat.bit(),
        };
        self.plus.keys().fold(own, |all, measure| all | bits(measure))
    }

    /// The stretch of time on show at an instant. Once closed, it is the last one.
    #[must_use]
    pub fn span(&self, settings: &Settings, book: &Book, now: Instant) -> Span {
        let last = self.until.map(|until| until - chrono::TimeDelta::microseconds(1));
        let at = last.filter(|last| *last < now).unwrap_or(now);
        let span = match self.period {
            Period::ThisShow => book.shows().this(at).map_or(Span::NEVER, crate::book::shows::Show::span),
            Period::SinceReset => Span { from: self.since, to: None },
            period => settings.calendar.span(period, at),
        };
        span.within(None, self.until)
    }

    /// Whether a span that was on show once surely still is, under the same settings: cheaper to
    /// tell than the span itself.
    fn still_at(&self, span: Span, now: Instant) -> bool {
        match self.period {
            Period::Today | Period::ThisWeek | Period::ThisMonth | Period::ThisYear => span.contains(now),
            Period::AllTime | Period::Between { .. } | Period::SinceReset => true,
            Period::ThisShow | Period::LastHours(_) | Period::LastDays(_) => false,
        }
    }

    /// What a fact comes to.
    #[must_use]
    pub fn judge(&self, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> Verdict {
        use Verdict::{Counts, LeftOut};
        let (worth, measure) = match self.worth(fact, book, settings) {
            Ok(worth) => worth,
            Err(reason) => return LeftOut(reason),
        };
        let at = instant(fact.at);
        if fact.voided() {
            LeftOut(Reason::Voided)
        } else if !book.stands(fact) {
            LeftOut(Reason::Withdrawn)
        } else if span.from.is_some_and(|from| at < from) {
            LeftOut(Reason::Before)
        } else if span.to.is_some_and(|to| at >= to) {
            LeftOut(Reason::After)
        } else {
            match worth {
                None => LeftOut(Reason::Unpriced),
                Some(worth) => match self.only.check(fact, measure, worth, book) {
                    Err(miss) => LeftOut(Reason::Filtered(miss)),
                    Ok(()) => Counts(worth.saturating_mul(self.factor(measure))),
                },
            }
        }
    }

    /// What a fact adds before anything is left out, and by which of the measures. No worth means
    /// that it is not priced.
    fn worth(&self, fact: &Fact, book: &Book, settings: &Settings) -> Result<(Option<i64>, Measure), Reason> {
        let primary = match &self.what {
            What::Sum(measure) | What::Running { measure, .. } => Some(*measure),
            What::Level(name) if fact.kind == Kind::Gauge && book.words().get(fact.what) == Some(name) => {
                return Ok((Some(fact.number), Measure::CountOfSignals));
            }
            What::Statistic(name) if fact.kind == Kind::Stat && book.words().get(fact.what) == Some(name) => {
                return Ok((Some(fact.number), Measure::CountOfSignals));
            }
            What::Level(_) | What::Statistic(_) => None,
        };
        for measure in primary.into_iter().chain(self.plus.keys().copied()) {
            if fact.kind == Kind::Adjust {
                if book.words().get(fact.what) == Some(measure.key()) {
                    return Ok((if fact.has_money() { fact.priced() } else { Some(fact.number) }, measure));
                }
                continue;
            }
            match measure.worth(fact, &settings.weights) {
                Worth::Adds(worth) => return Ok((Some(worth), measure)),
                Worth::Unpriced => return Ok((None, measure)),
                Worth::OtherKind => {}
            }
        }
        Err(Reason::OtherKind)
    }

    fn factor(&self, measure: Measure) -> i64 {
        match &self.what {
            What::Sum(own) | What::Running { measure: own, .. } if *own == measure => 1,
            _ => self.plus.get(&measure).copied().unwrap_or(1),
        }
    }

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

    /// Adds one fact more. True if that changed anything.
    fn add(&self, tally: &mut Tally, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> bool {
        match self.judge(fact, span, book, settings) {
            Verdict::Counts(worth) => {
                let different = self.what == What::Sum(Measure::DifferentSupporters) && fact.kind != Kind::Adjust;
                let mut adds = i128::from(worth);
                if different || (self.keep == Keep::People && fact.who != NOBODY && fact.kind != Kind::Adjust) {
                    let stand = tally.people.entry(book.names().person(fact.who)).or_default();
                    (stand.lines, stand.at) = (stand.lines + 1, fact.at.max(stand.at));
                    if different {
                        adds = i128::from(stand.lines == 1);
                    }
                    stand.sum += adds;
                }
                tally.sum += adds;
                if self.keep == Keep::Largest && fact.kind != Kind::Adjust {
                    let first = |(worth, at, seq): (i64, i64, u64)| (std::cmp::Reverse(worth), at, seq);
                    let this = (worth, fact.at, fact.seq);
                    tally.largest = Some(tally.largest.filter(|held| first(*held) <= first(this)).unwrap_or(this));
                }
                tally.lines += 1;
                tally.latest = tally.latest.max(Some(fact.at));
                true
            }
            Verdict::LeftOut(Reason::Unpriced) => {
                tally.unpriced += 1;
                true
            }
            Verdict::LeftOut(_) => false,
        }
    }

    /// Whether facts can be taken out of its tally again: sums can, but not of different people.
    fn can_leave(&self) -> bool {
        let sums = matches!(self.what, What::Sum(measure) if measure != Measure::DifferentSupporters);
        sums && self.keep != Keep::Largest
    }

    /// Takes the facts out that were counted in `span` and stand in `gone`.
    fn leave(&self, tally: &mut Tally, gone: Span, span: Span, book: &Book, settings: &Settings) {
        for fact in book.facts(gone, self.kinds()) {
            match self.judge(fact, span, book, settings) {
                Verdict::Counts(worth) => {
                    tally.sum -= i128::from(worth);
                    tally.lines -= 1;
                    let who = book.names().person(fact.who);
                    if let Some(stand) = tally.people.get_mut(&who).filter(|_| fact.kind != Kind::Adjust) {
                        (stand.sum, stand.lines) = (stand.sum - i128::from(worth), stand.lines - 1);
                        if stand.lines == 0 {
                            tally.people.remove(&who);
                        }
                    }
                }
                Verdict::LeftOut(Reason::Unpriced) => tally.unpriced -= 1,
                Verdict::LeftOut(_) => {}
            }
        }
        if tally.lines == 0 {
            tally.latest = None;
        }
    }

    /// When the first fact leaves a rolling period that stands at `span` now.
    #[must_use]
    pub fn next_leave(&self, span: Span, book: &Book, settings: &Settings) -> Option<Instant> {
        let length = match self.period {
            Period::LastHours(hours) => chrono::TimeDelta::hours(i64::from(hours)),
            Period::LastDays(days) => chrono::TimeDelta::days(i64::from(days)),
            _ => return None,
        };
        let counts = |fact: &&Fact| matches!(self.judge(fact, span, book, settings), Verdict::Counts(_));
        let first = book.facts(span, self.kinds()).find(counts)?;
        // One microsecond later it lies before the period.
        instant(first.at).checked_add_signed(length + chrono::TimeDelta::microseconds(1))
    }

    /// What a fact would add if it were neither voided nor withdrawn; nothing if it would not count.
    #[must_use]
    pub fn would_add(&self, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> i64 {
        match self.worth(fact, book, settings) {
            Ok((Some(worth), measure))
                if span.contains(instant(fact.at)) && self.only.check(fact, measure, worth, book).is_ok() =>
            {
                worth.saturating_mul(self.factor(measure))
            }
            _ => 0,
        }
    }
}
