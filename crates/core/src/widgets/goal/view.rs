//! What a goal shows, and why.

use super::pace::pace;
use super::{Aim, Arrange, Beside, Goal, Rung, State, Then};
use crate::book::instant;
use crate::count::explain::{Slip, span_words, terms_and_lines};
use crate::count::{Count, Scope, Tally};
use crate::language::unit::Unit;
use crate::time::Instant;
use serde::Serialize;

/// No goal is raised more often than this.
const MOST_RAISES: u32 = 10_000;

/// What a goal shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct GoalView {
    /// The goal, or the first of several.
    #[serde(flatten)]
    pub first: AimView,
    /// The others.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub more: Vec<AimView>,
    /// How several are arranged.
    pub arrange: Arrange,
}

/// What one goal shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct AimView {
    /// Its name.
    pub title: String,
    /// The value in words: `£212.50`.
    pub value: String,
    /// The present target in words.
    pub target: String,
    /// The value in the smallest steps of its unit.
    pub value_units: i64,
    /// The present target in the same steps.
    pub target_units: i64,
    /// Floored; 100 and more only when the target is reached.
    pub percent: i64,
    /// The same in words.
    #[serde(skip)]
    pub percent_shown: String,
    /// The word between value and target.
    #[serde(skip)]
    pub of: &'static str,
    /// What stands beside the value, in words.
    pub beside: String,
    /// How full it is drawn, 0 to 1.
    pub share: f64,
    /// Whether the value is at the target or beyond.
    pub reached: bool,
    /// How many targets were reached: 0 or 1, or so many raises or rungs.
    pub level: u32,
    /// How often somebody armed its celebration again.
    #[serde(skip)]
    pub armed: usize,
    /// The rungs of a ladder.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub rungs: Vec<RungView>,
    /// Whether it is closed, and how it ended.
    pub outcome: Option<Outcome>,
    /// When it closes.
    pub closes_at: Option<Instant>,
    /// When the newest counted entry happened.
    pub last_counted_at: Option<Instant>,
}

/// One rung of a ladder.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct RungView {
    /// What is promised there.
    pub name: String,
    /// Its target in words.
    pub target: String,
    /// Whether it is reached.
    pub reached: bool,
    /// How much of the way to it from the rung before is done, 0 to 1.
    pub share: f64,
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

impl AimView {
    /// `£212.50 of £350 (60%)`.
    #[must_use]
    pub fn text(&self) -> String {
        format!("{} {} {} ({})", self.value, self.of, self.target, self.percent_shown)
    }
}

impl GoalView {
    /// All goals shown.
    pub fn aims(&self) -> impl Iterator<Item = &AimView> {
        std::iter::once(&self.first).chain(&self.more)
    }

    /// `£212.50 of £350 (60%)`; of several with their names.
    #[must_use]
    pub fn text(&self) -> String {
        if self.more.is_empty() {
            return self.first.text();
        }
        self.aims().map(|aim| format!("{}: {}", aim.title, aim.text())).collect::<Vec<_>>().join(", ")
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
    let percent = i128::from(value).saturating_mul(100).checked_div(i128::from(target.max(1))).unwrap_or(0);
    i64::try_from(percent).unwrap_or(i64::MAX)
}

#[allow(clippy::cast_precision_loss, reason = "a bar's length needs no more than a float's digits")]
fn share(value: i64, target: i64) -> f64 {
    let exact = value.max(0) as f64 / target.max(1) as f64;
    // A bar that looks full says "reached"; just below the target it must not.
    if value < target { exact.min(0.995) } else { 1.0 }
}

impl Aim {
    /// The present target at a value, and how many were reached before it.
    pub(super) fn target_at(&self, value: i64) -> (i64, u32) {
        let reached = u32::from(value >= self.target);
        match &self.then {
            Then::CountPast | Then::StayFull => (self.target, reached),
            Then::RaiseBy(_) | Then::RaiseTimes(_) if reached == 0 => (self.target, 0),
            Then::RaiseBy(step) => {
                let step = (*step).max(1);
                let raises = value
                    .saturating_sub(self.target)
                    .checked_div(step)
                    .unwrap_or(0)
                    .saturating_add(1)
                    .min(MOST_RAISES.into());
                (self.target.saturating_add(step.saturating_mul(raises)), u32::try_from(raises).unwrap_or(MOST_RAISES))
            }
            Then::RaiseTimes(_) => {
                let (mut target, mut raises) = (self.target, 0_u32);
                while value >= target && raises < MOST_RAISES {
                    target = self.raised(target);
                    raises = raises.saturating_add(1);
                }
                (target, raises)
            }
            Then::Rungs(rungs) => {
                let reached = rungs.iter().take_while(|rung| rung.target <= value).count();
                let next = rungs.get(reached).or(rungs.last()).map_or(self.target, |rung| rung.target);
                (next, u32::try_from(reached).unwrap_or(0))
            }
        }
    }

    /// Of a goal that is raised, the last target that a value reaches. A ladder has a top, and is met there.
    fn last_reached(&self, value: i64) -> Option<i64> {
        match &self.then {
            _ if value < self.target => None,
            Then::RaiseBy(step) => {
                let (next, _) = self.target_at(value);
                Some(next.saturating_sub((*step).max(1)))
            }
            Then::RaiseTimes(_) => {
                let (mut last, mut target) = (self.target, self.target);
                for _ in 0..MOST_RAISES {
                    if target > value {
                        break;
                    }
                    last = target;
                    target = self.raised(target);
                }
                Some(last)
            }
            Then::CountPast | Then::StayFull | Then::Rungs(_) => None,
        }
    }

    /// The target after another, where it is multiplied.
    fn raised(&self, target: i64) -> i64 {
        let Then::RaiseTimes(hundredths) = &self.then else { return target };
        let next = i128::from(target).saturating_mul(i128::from(*hundredths)) / 100;
        i64::try_from(next).unwrap_or(i64::MAX).max(target.saturating_add(1))
    }

    fn rungs(&self, value: i64, unit: Unit, scope: &Scope<'_>) -> Vec<RungView> {
        let Then::Rungs(rungs) = &self.then else { return Vec::new() };
        let mut before = 0;
        let view = |rung: &Rung| {
            let from = std::mem::replace(&mut before, rung.target);
            RungView {
                name: rung.name.clone(),
                target: scope.show(unit, rung.target),
                reached: value >= rung.target,
                share: share(value.saturating_sub(from), rung.target.saturating_sub(from)),
            }
        };
        rungs.iter().map(view).collect()
    }

    fn of_value(&self, value: i64, state: &State, beside: Beside, scope: &Scope<'_>) -> AimView {
        let unit = self.count.unit(scope.settings);
        let (next, level) = self.target_at(value);
        let closes_at = self.closes(scope.settings);
        let closed = closes_at.filter(|end| *end <= scope.now);
        // Nothing comes after the end: so what was reached last is what it came to.
        let target = if closed.is_some() { self.last_reached(value).unwrap_or(next) } else { next };
        let reached = value >= target;
        let shown = if self.then == Then::StayFull { value.min(target) } else { value };
        let words = scope.language.on_air();
        let missing = || format!("{} {}", scope.show(unit, target.saturating_sub(value)), words.to_go);
        let percent = floored_percent(shown, target);
        let beside = match beside {
            Beside::Nothing => String::new(),
            Beside::Missing | Beside::Pace if reached => words.reached.to_owned(),
            Beside::Missing => missing(),
            Beside::Pace => pace(self, &self.count(state, scope.settings), scope)
                .and_then(|pace| pace.needed)
                .map_or_else(missing, |needed| format!("{} {}", scope.show(unit, needed), words.an_hour)),
            Beside::Percent => scope.language.percent(percent),
        };
        AimView {
            title: self.title.clone(),
            value: scope.show(unit, shown),
            target: scope.show(unit, target),
            value_units: shown,
            target_units: target,
            percent,
            percent_shown: scope.language.percent(percent),
            of: words.of,
            beside,
            share: share(value, target),
            reached,
            level,
            armed: state.armed(),
            rungs: self.rungs(value, unit, scope),
            outcome: closed.map(|_| if reached { Outcome::Met } else { Outcome::Missed }),
            closes_at,
            last_counted_at: None,
        }
    }

    pub(super) fn value(&self, tally: &Tally) -> i64 {
        self.start.saturating_add(tally.value())
    }

    fn seen(&self, state: &State, beside: Beside, scope: &Scope<'_>) -> AimView {
        let tally = scope.tally(&self.count(state, scope.settings));
        AimView {
            last_counted_at: tally.latest.map(instant),
            ..self.of_value(self.value(&tally), state, beside, scope)
        }
    }

    /// Sixty-two hundredths of the way: far enough to judge both the full and the empty part.
    fn made_up(&self, beside: Beside, scope: &Scope<'_>) -> AimView {
        let furthest = match &self.then {
            Then::Rungs(rungs) => rungs.last().map_or(self.target, |rung| rung.target),
            _ => self.target,
        };
        let share = i128::from(furthest).saturating_mul(62) / 100;
        let whole = i128::from(self.count.unit(scope.settings).whole());
        let value = i64::try_from(share.checked_div(whole).unwrap_or(0).saturating_mul(whole)).unwrap_or(furthest);
        AimView { outcome: None, ..self.of_value(value, &State::default(), beside, scope) }
    }
}

fn of(goal: &Goal, view: impl Fn(&Aim) -> AimView) -> GoalView {
    GoalView { first: view(&goal.first), more: goal.more.iter().map(view).collect(), arrange: goal.arrange }
}

pub(super) fn view(goal: &Goal, state: &State, scope: &Scope<'_>) -> GoalView {
    of(goal, |aim| aim.seen(state, goal.beside, scope))
}

pub(super) fn sample(goal: &Goal, scope: &Scope<'_>) -> GoalView {
    of(goal, |aim| aim.made_up(goal.beside, scope))
}

pub(super) fn explain(goal: &Goal, state: &State, scope: &Scope<'_>) -> Slip {
    let (mut all_terms, mut all_lines, mut spans) = (Vec::new(), Vec::new(), Vec::new());
    let mut shown = Vec::new();
    for aim in goal.aims() {
        let count: Count = aim.count(state, scope.settings);
        let unit = count.unit(scope.settings);
        let (mut terms, lines) = terms_and_lines(&count, scope);
        terms.insert(0, ("Starting amount".to_owned(), unit.show(aim.start)));
        if !goal.more.is_empty() {
            terms = terms.into_iter().map(|(what, figure)| (format!("{}: {what}", aim.title), figure)).collect();
        }
        let value = aim.value(&scope.tally(&count));
        let (target, _) = aim.target_at(value);
        if aim.then == Then::StayFull && value > target {
            terms.push(("Beyond the target, where it stays full".to_owned(), unit.show(target.saturating_sub(value))));
            shown.push(unit.show(target));
        } else {
            shown.push(unit.show(value));
        }
        all_terms.extend(terms);
        all_lines.extend(lines);
        spans.push(span_words(&count, scope));
        if let Some(pace) = pace(aim, &count, scope) {
            spans.push(pace.words(unit, scope));
        }
    }
    Slip { terms: all_terms, shown: shown.join(", "), span: spans.join(". "), lines: all_lines }
}
