//! What a goal shows, and why.

use super::{Goal, State};
use crate::Instant;
use crate::calendar::Period;
use crate::entry::Body;
use crate::explain::{Effect, Evidence, MOST_LINES, Slip, SlipLine};
use crate::measure::Worth;
use crate::sentence::instant_words;
use crate::widgets::Settings;
use serde::Serialize;

/// What a goal shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct GoalView {
    /// Its name.
    pub title: String,
    /// The value in words: `£212.50`.
    pub value: String,
    /// The target in words.
    pub target: String,
    /// The value in the smallest steps of its unit.
    pub value_units: i64,
    /// The target in the same steps.
    pub target_units: i64,
    /// Floored; 100 and more only when the target is reached.
    pub percent: i64,
    /// How full it is drawn, 0 to 1.
    pub share: f64,
    /// Whether the value is at the target or beyond.
    pub reached: bool,
    /// When the entry happened that first brought it there.
    pub reached_at: Option<Instant>,
    /// Whether it is closed, and how it ended.
    pub outcome: Option<Outcome>,
    /// When it closes.
    pub closes_at: Option<Instant>,
    /// When the newest counted entry happened.
    pub last_counted_at: Option<Instant>,
}

/// How a closed goal ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// The target was reached.
    Met,
    /// It was not.
    Missed,
}

impl GoalView {
    /// `£212.50 of £350 (60 %)`.
    #[must_use]
    pub fn text(&self) -> String {
        format!("{} of {} ({} %)", self.value, self.target, self.percent)
    }
}

/// Per cent of the way, floored, never below 0. It is 100 or more exactly when `value >= target`.
///
/// ```
/// use tally_core::widgets::goal::floored_percent;
/// assert_eq!(floored_percent(34_999, 35_000), 99);
/// assert_eq!(floored_percent(35_000, 35_000), 100);
/// ```
#[must_use]
pub fn floored_percent(value: i64, target: i64) -> i64 {
    if value <= 0 {
        return 0;
    }
    let percent = i128::from(value) * 100 / i128::from(target.max(1));
    i64::try_from(percent).unwrap_or(i64::MAX)
}

#[allow(clippy::cast_precision_loss, reason = "a bar's length needs no more than a float's digits")]
fn share(value: i64, target: i64) -> f64 {
    let exact = value.max(0) as f64 / target.max(1) as f64;
    // A bar that looks full says "reached"; just below the target it must not.
    if value < target { exact.min(0.995) } else { 1.0 }
}

fn of_value(goal: &Goal, value: i64, settings: &Settings, now: Instant) -> GoalView {
    let unit = goal.unit(settings);
    let reached = value >= goal.target;
    let closes_at = goal.closes(settings);
    GoalView {
        title: goal.title.clone(),
        value: unit.show(value),
        target: unit.show(goal.target),
        value_units: value,
        target_units: goal.target,
        percent: floored_percent(value, goal.target),
        share: share(value, goal.target),
        reached,
        reached_at: None,
        outcome: closes_at.filter(|end| *end <= now).map(|_| if reached { Outcome::Met } else { Outcome::Missed }),
        closes_at,
        last_counted_at: None,
    }
}

pub(super) fn view(goal: &Goal, state: &State, settings: &Settings, now: Instant) -> GoalView {
    let bucket = state.bucket(goal.span(settings, now));
    let sum = bucket.map_or(0, |bucket| bucket.sum);
    let view = of_value(goal, goal.start.saturating_add(sum), settings, now);
    GoalView {
        reached_at: bucket.and_then(|bucket| bucket.reached).map(|reached| reached.at),
        last_counted_at: bucket.and_then(|bucket| bucket.latest),
        ..view
    }
}

/// Sixty-two hundredths of the way: far enough to judge both the full and the empty part.
pub(super) fn sample(goal: &Goal, settings: &Settings, now: Instant) -> GoalView {
    let share = i128::from(goal.target) * 62 / 100;
    let whole = i128::from(goal.unit(settings).whole());
    let value = i64::try_from(share / whole * whole).unwrap_or(goal.target);
    GoalView { outcome: None, ..of_value(goal, value, settings, now) }
}

fn span_words(goal: &Goal, settings: &Settings, now: Instant) -> String {
    let span = goal.span(settings, now);
    let bound = |at| instant_words(&settings.calendar, at);
    let zone = settings.calendar.zone;
    let words = match goal.period {
        Period::AllTime => "All time",
        Period::Today => "Today",
        Period::ThisWeek => "This week",
        Period::ThisMonth => "This month",
        Period::ThisYear => "This year",
    };
    match (span.from, span.to) {
        (Some(from), Some(to)) => format!("{words}: from {} until {}, {zone}", bound(from), bound(to)),
        (None, Some(to)) => format!("{words}, until {}, {zone}", bound(to)),
        _ => words.to_owned(),
    }
}

pub(super) fn explain(goal: &Goal, state: &State, evidence: Evidence<'_>, settings: &Settings, now: Instant) -> Slip {
    let unit = goal.unit(settings);
    let span = goal.span(settings, now);
    let bucket = state.bucket(span).cloned().unwrap_or_default();
    let mut terms = vec![
        ("Starting amount".to_owned(), unit.show(goal.start)),
        (format!("Counted, from {}", lines_words(bucket.entries)), unit.show(bucket.sum)),
    ];
    if bucket.unpriced > 0 {
        terms.push((format!("Not priced yet, {}", lines_words(bucket.unpriced)), unit.show(0)));
    }
    let lines = evidence
        .entries
        .iter()
        .filter_map(|entry| {
            let Body::Happening(happening) = &entry.body else { return None };
            let effect = match goal.measure.worth(happening, settings.currency, settings.weights) {
                Worth::OtherKind => return None,
                _ if evidence.voided.contains(&entry.seq) => Effect::LeftOut("voided".into()),
                _ if !span.contains(entry.happened_at) => Effect::LeftOut("outside the period".into()),
                Worth::Unpriced(currency) => Effect::LeftOut(format!("not priced: no rate for {currency}")),
                Worth::Adds(amount) => Effect::Counts(format!("+{}", unit.show(amount))),
            };
            Some(SlipLine::of(entry, &settings.calendar, effect))
        })
        .take(MOST_LINES)
        .collect();
    Slip {
        terms,
        shown: unit.show(goal.start.saturating_add(bucket.sum)),
        span: span_words(goal, settings, now),
        lines,
    }
}

fn lines_words(count: u64) -> String {
    if count == 1 { "1 line".into() } else { format!("{} lines", crate::money::group(count)) }
}
