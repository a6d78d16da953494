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
    let Body::Happening(happening) = &entry.body else { return false };
    if goal.closes(settings).is_some_and(|end| entry.happened_at >= end) {
        return false;
    }
    let worth = goal.measure.worth(happening, settings.currency, settings.weights);
    if worth == Worth::OtherKind {
        return false;
    }
    let span = settings.calendar.span(goal.period, entry.happened_at);
    let bucket = state.buckets.entry(key(span)).or_default();
    // A sum beyond 64 bits is refused rather than wrapped; the entry then counts as unpriced.
    let Some(sum) = (match worth {
        Worth::Adds(amount) => bucket.sum.checked_add(amount),
        Worth::Unpriced(_) | Worth::OtherKind => None,
    }) else {
        bucket.unpriced += 1;
        return true;
    };
    bucket.sum = sum;
    bucket.entries += 1;
    bucket.latest = bucket.latest.max(Some(entry.happened_at));
    if bucket.reached.is_none() && goal.start.saturating_add(sum) >= goal.target {
        bucket.reached = Some(Reached { seq: entry.seq, at: entry.happened_at });
    }
    true
}
