//! What entries make of a goal: one bucket a period, so that a late entry lands where it belongs.

use super::Goal;
use crate::Instant;
use crate::calendar::Span;
use crate::entry::{Body, Entry};
use crate::ids::Seq;
use crate::measure::Worth;
use crate::widgets::Settings;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The buckets by the first microsecond of their period (Unix time); an open beginning is the least number.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    buckets: BTreeMap<i64, Bucket>,
}

/// What one period came to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bucket {
    /// Sum of the measure, without the starting amount.
    pub sum: i64,
    /// How many entries made it.
    pub entries: u64,
    /// How many could not be priced.
    pub unpriced: u64,
    /// The entry that first brought the value to the target.
    pub reached: Option<Reached>,
    /// When the newest of the counted entries happened.
    pub latest: Option<Instant>,
}

/// The entry that reached a target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Reached {
    /// Its place.
    pub seq: Seq,
    /// When it happened.
    pub at: Instant,
}

fn key(span: Span) -> i64 {
    span.from.map_or(i64::MIN, |from| from.timestamp_micros())
}

impl State {
    /// The bucket of a stretch of time, if anything fell into it.
    #[must_use]
    pub fn bucket(&self, span: Span) -> Option<&Bucket> {
        self.buckets.get(&key(span))
    }
}

pub(super) fn apply(goal: &Goal, state: &mut State, entry: &Entry, settings: &Settings) -> bool {
    let (happening, happened_at, counts) = match &entry.body {
        Body::Happening(happening) => (happening, entry.happened_at, true),
        Body::Correct { happening, happened_at, counts, .. } => (happening, *happened_at, *counts),
        Body::Act { .. } | Body::Void { .. } => return false,
    };
    if goal.closes(settings).is_some_and(|end| happened_at >= end) {
        return false;
    }
    let worth = match goal.measure.worth(happening, settings.currency, settings.weights) {
        Worth::OtherKind => return false,
        Worth::Unpriced(_) => None,
        Worth::Adds(amount) => Some(amount),
    };
    let span = settings.calendar.span(goal.period, happened_at);
    let bucket = state.buckets.entry(key(span)).or_default();
    if counts {
        bucket.add(worth, happened_at);
    } else {
        bucket.remove(worth);
    }
    let there = goal.start.saturating_add(bucket.sum) >= goal.target;
    bucket.reached = match bucket.reached {
        // A correction that takes it back below opens it again.
        Some(_) if !there => None,
        None if there => Some(Reached { seq: entry.seq, at: entry.happened_at }),
        reached => reached,
    };
    true
}

impl Bucket {
    fn add(&mut self, worth: Option<i64>, happened_at: Instant) {
        // A sum beyond 64 bits is refused rather than wrapped; the entry then counts as unpriced.
        match worth.and_then(|amount| self.sum.checked_add(amount)) {
            Some(sum) => {
                self.sum = sum;
                self.entries += 1;
                self.latest = self.latest.max(Some(happened_at));
            }
            None => self.unpriced += 1,
        }
    }

    fn remove(&mut self, worth: Option<i64>) {
        match worth.and_then(|amount| self.sum.checked_sub(amount)) {
            Some(sum) => {
                self.sum = sum;
                self.entries = self.entries.saturating_sub(1);
            }
            None => self.unpriced = self.unpriced.saturating_sub(1),
        }
    }
}
