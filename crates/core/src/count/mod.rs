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
    /// Who made it, where people are counted, with how many facts each.
    people: BTreeMap<u32, u32>,
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
                let people = self.what == What::Sum(Measure::DifferentSupporters) && fact.kind != Kind::Adjust;
                if people {
                    let known = tally.people.entry(book.names().person(fact.who)).or_insert(0);
                    *known += 1;
                    tally.sum += i128::from(*known == 1);
                } else {
                    tally.sum += i128::from(worth);
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
        matches!(self.what, What::Sum(measure) if measure != Measure::DifferentSupporters)
    }

    /// Takes the facts out that were counted in `span` and stand in `gone`.
    fn leave(&self, tally: &mut Tally, gone: Span, span: Span, book: &Book, settings: &Settings) {
        for fact in book.facts(gone, self.kinds()) {
            match self.judge(fact, span, book, settings) {
                Verdict::Counts(worth) => {
                    tally.sum -= i128::from(worth);
                    tally.lines -= 1;
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
