//! What a number is made of: a measure over a period, filtered; and how facts add up to it.
//!
//! One function, [`Count::judge`], decides about each fact. The live figure, the recount from the
//! start and the explanation all ask it, so they cannot disagree.

mod correct;
mod example;
pub mod explain;
mod filter;
mod judge;
pub mod published;
pub mod recent;
mod scope;
pub mod sentence;
mod special;
mod tallies;
mod tally;
#[cfg(test)]
mod tests;
mod turning;
mod worth;

pub use filter::{Filter, Miss};
pub use judge::{Reason, Term, Verdict};
pub use scope::Scope;
pub use tallies::Tallies;
pub use tally::{Ranked, Stand, Tally};
pub use worth::Worth;

use crate::language::unit::Unit;
use crate::money::conversion::Conversion;
use crate::record::happening::Kind;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::time::calendar::Period;
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

    /// The name of the level, where it counts nothing else.
    #[must_use]
    pub fn level(&self) -> Option<&str> {
        if let What::Level(name) = &self.what { Some(name) } else { None }
    }

    /// The measures that make it, the main one first. Of a level or a game's statistic there are none.
    pub fn terms(&self) -> impl Iterator<Item = Term> {
        let main = match &self.what {
            What::Sum(measure) | What::Running { measure, .. } => Some(*measure),
            What::Level(_) | What::Statistic(_) => None,
        };
        let added = self.plus.iter().map(|(measure, each)| Term { measure: *measure, each: *each, is_main: false });
        main.map(|measure| Term { measure, each: 1, is_main: true }).into_iter().chain(added)
    }

    /// Whether it adds gifts and subscriptions both, so that a given one could count twice.
    #[must_use]
    pub fn adds_gifts_and_subs(&self) -> bool {
        self.terms().any(|term| term.measure == Measure::CountOfGifts)
            && self.terms().any(|term| term.measure.is_of_subs())
    }

    /// Whether its figure depends on who is who.
    #[must_use]
    pub fn asks_who(&self) -> bool {
        self.keep == Keep::People
            || !self.only.people.is_empty()
            || self.terms().any(|term| term.measure.adding() == crate::record::measure::Adding::Supporters)
    }

    /// In what one happening of it is measured, for a least size.
    #[must_use]
    pub fn size_unit(&self, settings: &Settings) -> Unit {
        match self.what {
            What::Sum(Measure::CountOfTips | Measure::AmountOfTips | Measure::AmountOfPurchases) => {
                Unit::Money(settings.currency)
            }
            _ => Unit::Things,
        }
    }

    /// Tells what was set in money in another currency.
    pub fn convert(&mut self, by: &Conversion, settings: &Settings) {
        if matches!(self.unit(settings), Unit::Money(_)) {
            self.plus.values_mut().for_each(|each| *each = by.amount(*each));
        }
        if matches!(self.size_unit(settings), Unit::Money(_)) {
            self.only.least = by.amount(self.only.least);
        }
    }
}
