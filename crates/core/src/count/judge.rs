//! What one fact comes to in a count, and why it is left out.

use super::{Count, Miss, What};
use crate::book::{Adjusted, Book, Fact, What as Happened, instant, us};
use crate::count::Worth;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::time::calendar::Span;

/// One of the measures that make a sum.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Term {
    /// Which.
    pub measure: Measure,
    /// So much for each one of it, in the smallest steps of the sum's unit.
    pub each: i64,
    /// Whether it is the one that the count is about, and not added to it.
    pub is_main: bool,
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
    /// It happened after the period, or is dated ahead.
    After,
    /// There is no rate for its currency and date yet.
    Unpriced,
    /// A given subscription counts by the gift that it is part of.
    CountedAsGift,
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
            Self::Unpriced | Self::Filtered(Miss::Unpriced) => "not priced yet",
            Self::CountedAsGift => "counted by its gift",
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
    /// What a fact comes to.
    #[must_use]
    pub fn judge(&self, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> Verdict {
        let adds = self.adds(fact, book, settings);
        let reason = match adds {
            Err(Reason::OtherKind) => Reason::OtherKind,
            _ if fact.voided() => Reason::Voided,
            _ if !book.stands(fact) => Reason::Withdrawn,
            _ if span.from.is_some_and(|from| fact.at < us(from)) => Reason::Before,
            _ if span.to.is_some_and(|to| fact.at >= us(to)) => Reason::After,
            Err(reason) => reason,
            Ok(adds) => return Verdict::Counts(adds),
        };
        Verdict::LeftOut(reason)
    }

    /// What a fact would add if it were neither voided nor withdrawn; nothing if it would not count.
    #[must_use]
    pub fn would_add(&self, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> i64 {
        self.adds(fact, book, settings).ok().filter(|_| span.contains(instant(fact.at))).unwrap_or(0)
    }

    /// What a fact adds, whenever it happened and whether or not it stands: by every term that it fits.
    fn adds(&self, fact: &Fact, book: &Book, settings: &Settings) -> Result<i64, Reason> {
        match (&self.what, &fact.what) {
            (What::Level(name), Happened::Gauge { level, value }) if book.words().get(*level) == name => Ok(*value),
            (What::Statistic(name), Happened::Stat { stat, total, .. }) if book.words().get(*stat) == name => {
                Ok(*total)
            }
            _ => {
                let (mut sum, mut why) = (None, Reason::OtherKind);
                for term in self.terms() {
                    match self.adds_by(term, fact, book, settings) {
                        Ok(adds) => sum = Some(adds.saturating_add(sum.unwrap_or(0))),
                        Err(Reason::OtherKind) => {}
                        Err(reason) => why = reason,
                    }
                }
                sum.ok_or(why)
            }
        }
    }

    fn adds_by(&self, term: Term, fact: &Fact, book: &Book, settings: &Settings) -> Result<i64, Reason> {
        let worth = match fact.what {
            Happened::Adjust { measure, by } if measure == term.measure => match by {
                Adjusted::Things(number) => Some(number),
                Adjusted::Money(coins) => coins.priced(),
            },
            _ => match term.measure.worth(fact, &settings.weights) {
                Worth::Adds(worth) => Some(worth),
                Worth::Unpriced => None,
                Worth::OtherKind => return Err(Reason::OtherKind),
            },
        };
        if term.measure.is_of_subs() && fact.giver().is_some() && self.adds_gifts_and_subs() {
            return Err(Reason::CountedAsGift);
        }
        self.only.check(fact, term, worth, book).map_err(|miss| match miss {
            Miss::Unpriced => Reason::Unpriced,
            miss => Reason::Filtered(miss),
        })?;
        worth.map(|worth| worth.saturating_mul(term.each)).ok_or(Reason::Unpriced)
    }
}
