//! What a goal shows, and why.

use super::Goal;
use crate::Instant;
use crate::book::instant;
use crate::count::{Count, Tally};
use crate::explain::{Slip, span_words, terms_and_lines};
use crate::widgets::Scope;
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

fn of_value(goal: &Goal, value: i64, scope: &Scope<'_>) -> GoalView {
    let unit = goal.count.unit(scope.settings);
    let reached = value >= goal.target;
    let closes_at = goal.closes(scope.settings);
    let closed = closes_at.filter(|end| *end <= scope.now);
    GoalView {
        title: goal.title.clone(),
        value: unit.show(value),
        target: unit.show(goal.target),
        value_units: value,
        target_units: goal.target,
        percent: floored_percent(value, goal.target),
        share: share(value, goal.target),
        reached,
        outcome: closed.map(|_| if reached { Outcome::Met } else { Outcome::Missed }),
        closes_at,
        last_counted_at: None,
    }
}

fn value(goal: &Goal, tally: &Tally) -> i64 {
    goal.start.saturating_add(tally.value())
}

pub(super) fn view(goal: &Goal, count: &Count, scope: &Scope<'_>) -> GoalView {
    let tally = scope.tally(count);
    GoalView { last_counted_at: tally.latest.map(instant), ..of_value(goal, value(goal, &tally), scope) }
}

/// Sixty-two hundredths of the way: far enough to judge both the full and the empty part.
pub(super) fn sample(goal: &Goal, scope: &Scope<'_>) -> GoalView {
    let share = i128::from(goal.target) * 62 / 100;
    let whole = i128::from(goal.count.unit(scope.settings).whole());
    let value = i64::try_from(share / whole * whole).unwrap_or(goal.target);
    GoalView { outcome: None, ..of_value(goal, value, scope) }
}

pub(super) fn explain(goal: &Goal, count: &Count, scope: &Scope<'_>) -> Slip {
    let unit = count.unit(scope.settings);
    let (mut terms, lines) = terms_and_lines(count, scope);
    terms.insert(0, ("Starting amount".to_owned(), unit.show(goal.start)));
    Slip { terms, shown: unit.show(value(goal, &scope.tally(count))), span: span_words(count, scope), lines }
}
