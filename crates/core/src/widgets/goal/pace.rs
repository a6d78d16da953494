//! Whether a goal will be reached in time.

use super::Aim;
use crate::book::instant;
use crate::count::{Count, Scope, Verdict, What};
use crate::language::unit::Unit;
use crate::time::calendar::Span;
use crate::time::words::instant_words;
use crate::time::{Instant, before};
use chrono::TimeDelta;

/// Fewer entries than this say nothing.
const LEAST_LINES: u64 = 3;
/// Nor do fewer minutes.
const LEAST_MINUTES: i64 = 10;
const HOUR: i128 = 3_600_000_000;

/// How fast a goal comes on. Amounts are in the smallest steps of its unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pace {
    /// So much an hour is needed until the end, rounded up; none without an end, or when it is reached.
    pub needed: Option<i64>,
    /// So much came in the last hour.
    pub last_hour: i64,
    /// So much an hour came since the first that counts.
    pub since_start: i64,
    /// Where it stands at the end if that goes on; none without an end.
    pub at_end: Option<i64>,
    /// When it is reached if that goes on; none if it is, or never will be.
    pub reached_at: Option<Instant>,
}

/// The pace of a goal; none while there are fewer than three entries or ten minutes of data.
pub(super) fn pace(aim: &Aim, count: &Count, scope: &Scope<'_>) -> Option<Pace> {
    // A level that was read says nothing of how fast it came about: what was counted over the period does.
    let coming = match &count.what {
        What::Sum(_) | What::Statistic(_) => count.clone(),
        What::Running { measure, .. } => Count { what: What::Sum(*measure), ..count.clone() },
        What::Level(_) => return None,
    };
    let (span, value, tally) = (scope.span(count), aim.value(&scope.tally(count)), scope.tally(&coming));
    if tally.lines < LEAST_LINES {
        return None;
    }
    let counts =
        |fact: &&crate::book::Fact| matches!(coming.judge(fact, span, scope.book, scope.settings), Verdict::Counts(_));
    let first = instant(scope.book.facts(span, coming.kinds()).find(counts)?.at);
    let end = count.ends(span);
    let now = end.map_or(scope.now, |to| to.min(scope.now));
    let gone = now.signed_duration_since(first);
    if gone < TimeDelta::minutes(LEAST_MINUTES) {
        return None;
    }
    let (target, _) = aim.target_at(value);
    let missing = i128::from(target.saturating_sub(value).max(0));
    let left = end
        .filter(|to| *to > now)
        .map(|to| i128::from(to.signed_duration_since(now).num_microseconds().unwrap_or(i64::MAX)));
    let gone = i128::from(gone.num_microseconds().unwrap_or(i64::MAX)).max(1);
    let small = |number: i128| i64::try_from(number).unwrap_or(i64::MAX);
    let hour = Span { from: Some(before(now, TimeDelta::hours(1))), to: span.to }.within(span.from, None);
    let ahead = (missing > 0 && tally.sum > 0).then(|| small(share(missing, gone, tally.sum)));
    Some(Pace {
        needed: left.filter(|_| missing > 0).map(|left| small(up(missing.saturating_mul(HOUR), left))),
        last_hour: coming.recount(hour, scope.book, scope.settings).value(),
        since_start: small(share(tally.sum, HOUR, gone)),
        at_end: left.map(|left| small(i128::from(value).saturating_add(share(tally.sum, left, gone)))),
        reached_at: ahead.and_then(|ahead| now.checked_add_signed(TimeDelta::microseconds(ahead))),
    })
}

/// A part of a sum, as large as one length of time is beside another.
fn share(sum: i128, length: i128, of: i128) -> i128 {
    sum.saturating_mul(length).checked_div(of).unwrap_or(0)
}

/// A division of numbers that are not below zero, rounded up.
fn up(number: i128, by: i128) -> i128 {
    number.saturating_add(by.saturating_sub(1)).checked_div(by).unwrap_or(0)
}

impl Pace {
    /// In words, for the slip.
    #[must_use]
    pub fn words(&self, unit: Unit, scope: &Scope<'_>) -> String {
        let mut words = format!(
            "Pace: {} in the last hour, {} an hour since the first",
            unit.show(self.last_hour),
            unit.show(self.since_start)
        );
        if let Some(needed) = self.needed {
            words += &format!(", {} an hour needed", unit.show(needed));
        }
        if let Some(at_end) = self.at_end {
            words += &format!("; so {} at the end", unit.show(at_end));
        }
        match self.reached_at {
            Some(at) if at.signed_duration_since(scope.now) < TimeDelta::days(366) => {
                words + &format!("; reached on {}", instant_words(&scope.settings.calendar, at))
            }
            _ => words,
        }
    }
}
