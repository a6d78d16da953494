//! The terms of a subathon: what holds for whatever is added while they are in force. Changing them never rewrites
//! what was added before.

use super::sheet::{Rate, Row, Sheet};
use crate::time::calendar::Calendar;
use crate::time::{Instant, after};
use chrono::{NaiveDateTime, TimeDelta};
use serde::{Deserialize, Serialize};

/// The most former terms that are remembered.
const MOST_FORMER: usize = 200;
/// All boosts together multiply by no more than this, in thousandths.
const MOST_FACTOR: i64 = 1_000_000;

/// How far the clock may go. Each may be absent.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Limits {
    /// The longest that it may run in all, in milliseconds.
    pub total_ms: Option<i64>,
    /// Whether pauses count towards that.
    pub total_counts_pauses: bool,
    /// The most that may be on the clock at a time, in milliseconds.
    pub most_ms: Option<i64>,
    /// The latest moment at which it may end, local time.
    pub latest: Option<NaiveDateTime>,
}

/// What becomes of additions while the clock is paused.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum WhilePaused {
    /// They count.
    #[default]
    Count,
    /// They wait until it goes on.
    Wait,
    /// They are ignored.
    Ignore,
}

impl WhilePaused {
    /// All, in the order in which they are offered.
    pub const ALL: [Self; 3] = [Self::Count, Self::Wait, Self::Ignore];

    /// The word for definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Count => "count",
            Self::Wait => "wait",
            Self::Ignore => "ignore",
        }
    }

    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Count => "still count",
            Self::Wait => "wait until it goes on",
            Self::Ignore => "are ignored",
        }
    }
}

/// A boost of the plan: what happens within it counts by a factor.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Boost {
    /// In thousandths: 100 to 10,000.
    pub factor: u32,
    /// From when, local time.
    pub from: NaiveDateTime,
    /// Until when, local time; this instant no longer.
    pub to: NaiveDateTime,
}

/// See the module.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Terms {
    /// What adds how much.
    pub sheet: Sheet,
    /// How far it may go.
    pub limits: Limits,
    /// What becomes of additions while it is paused.
    pub while_paused: WhilePaused,
    /// For how long after it has run out an addition revives it, in milliseconds.
    pub grace_ms: i64,
    /// Boosts planned ahead.
    pub boosts: Vec<Boost>,
}

impl Terms {
    /// A sheet that a new subathon could run with.
    #[must_use]
    pub fn standard(whole: i64) -> Self {
        let tip = Rate::of(30, whole.max(1));
        let rows = [
            (Row::Tip, tip),
            (Row::Sub(1), Rate::of(120, 1)),
            (Row::Sub(2), Rate::of(240, 1)),
            (Row::Sub(3), Rate::of(600, 1)),
            (Row::Cheer, Rate::of(30, 100)),
        ];
        Self { sheet: Sheet(rows.into()), ..Self::default() }
    }

    /// The factor of planned boosts at an instant in milliseconds, in thousandths.
    pub fn planned_factors(&self, at: i64, calendar: &Calendar) -> impl Iterator<Item = u32> {
        let instant = |moment| calendar.instant(moment).timestamp_millis();
        let within = move |boost: &&Boost| instant(boost.from) <= at && at < instant(boost.to);
        self.boosts.iter().filter(within).map(|boost| boost.factor)
    }
}

/// Several factors at once multiply, up to a thousand. In thousandths, rounded down to one.
#[must_use]
pub fn together(factors: impl Iterator<Item = u32>) -> i64 {
    factors.fold(1_000, |all, factor| {
        let product = all.saturating_mul(i64::from(factor)).checked_div(1_000).unwrap_or(0);
        product.min(MOST_FACTOR)
    })
}

/// Terms that were in force until an instant.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Former {
    /// Until when; from then on the next ones.
    pub until: Instant,
    /// What held.
    pub terms: Terms,
}

/// The terms now and before.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct History {
    /// What holds now.
    #[serde(flatten)]
    pub now: Terms,
    /// What held before, oldest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub former: Vec<Former>,
}

impl History {
    /// The terms in force at an instant, in milliseconds of Unix time.
    #[must_use]
    pub fn at(&self, ms: i64) -> &Terms {
        // Nearly always the newest.
        let after = self.former.partition_point(|one| one.until.timestamp_millis() <= ms);
        self.former.get(after).map_or(&self.now, |one| &one.terms)
    }

    /// Puts these terms in the place of others from an instant on.
    pub fn succeed(&mut self, before: &Self, at: Instant) {
        self.former.clone_from(&before.former);
        if self.now != before.now {
            // What came in the same millisecond came before.
            let at = after(at, TimeDelta::milliseconds(1));
            let at = self.former.last().map_or(at, |last| at.max(last.until));
            self.former.push(Former { until: at, terms: before.now.clone() });
        }
        let surplus = self.former.len().saturating_sub(MOST_FORMER);
        self.former.drain(..surplus);
    }
}
