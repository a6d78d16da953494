//! Counters: whole numbers that people operate.
//!
//! The value is a fold over the acts in force, so taking back a press from five presses ago takes
//! exactly that press away. Pressing past the floor or the ceiling stays there.

mod sentence;
#[cfg(test)]
mod tests;

use super::{Action, Family, Lever, Refusal, Settings};
use crate::Instant;
use crate::act_log::{ActLog, Deed};
use crate::calendar::Period;
use crate::entry::{Act, Entry};
use crate::explain::{Evidence, Slip};
use crate::happening::Kind;
use crate::ids::Seq;
use crate::measure::Unit;
use crate::sentence::{EditError, MOST_NUMBER, Part};
use crate::view::View;
use chrono::NaiveDate;
use serde::{Deserialize, Serialize};

/// What a counter is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Counter {
    /// Its name, also on the picture.
    pub title: String,
    /// What one press adds or takes.
    pub step: i64,
    /// Where it begins, and begins again.
    pub start: i64,
    /// It never shows less.
    pub floor: Option<i64>,
    /// It never shows more.
    pub ceiling: Option<i64>,
    /// When it begins again by itself.
    pub resets: Resets,
    /// What it is on the way to.
    pub target: Option<i64>,
}

/// When a counter begins again by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Resets {
    /// Only when somebody resets it.
    ByHand,
    /// At the channel's day start.
    EachDay,
}

/// What an operator did to a counter. Numbers are what the press meant when it was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum CounterAct {
    /// Adds, or takes away below zero.
    Add {
        /// How many.
        by: i64,
    },
    /// Puts it to a value.
    Set {
        /// Which.
        to: i64,
    },
    /// Puts it to its start value.
    Reset,
}

impl CounterAct {
    /// `added 1`, `set it to 7`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Add { by } if *by < 0 => format!("took {} away", Unit::Things.show(by.saturating_neg())),
            Self::Add { by } => format!("added {}", Unit::Things.show(*by)),
            Self::Set { to } => format!("set it to {}", Unit::Things.show(*to)),
            Self::Reset => "reset it".into(),
        }
    }
}

/// The acts done, and the value that they come to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<CounterAct>,
    tally: Option<Tally>,
}

/// A value with the day on which it holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
struct Tally {
    value: i64,
    day: NaiveDate,
}

/// What a counter shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CounterView {
    /// Its name.
    pub title: String,
    /// The number.
    pub value: i64,
    /// The number as shown.
    pub shown: String,
    /// What it is on the way to.
    pub target: Option<i64>,
    /// The target as shown.
    pub target_shown: Option<String>,
    /// Whether the value is at the target or beyond.
    pub reached: bool,
}

impl CounterView {
    /// `7`, or `7 of 10` with a target.
    #[must_use]
    pub fn text(&self) -> String {
        match &self.target_shown {
            Some(target) => format!("{} of {target}", self.shown),
            None => self.shown.clone(),
        }
    }
}

impl Counter {
    /// A counter from 0 up.
    #[must_use]
    pub fn standard() -> Self {
        Self {
            title: "New counter".into(),
            step: 1,
            start: 0,
            floor: Some(0),
            ceiling: None,
            resets: Resets::ByHand,
            target: None,
        }
    }

    fn within(&self, value: i64) -> i64 {
        let value = value.clamp(-MOST_NUMBER, MOST_NUMBER);
        let value = self.floor.map_or(value, |floor| value.max(floor));
        self.ceiling.map_or(value, |ceiling| value.min(ceiling))
    }

    /// One act further. A new day begins at the start value where the counter resets each day.
    fn fold(&self, tally: Option<Tally>, at: Instant, act: CounterAct, settings: &Settings) -> Tally {
        let today = settings.calendar.day(at);
        let day = tally.map_or(today, |tally| tally.day.max(today));
        let before = self.on_day(tally, day);
        let value = match act {
            CounterAct::Add { by } => before.saturating_add(by),
            CounterAct::Set { to } => to,
            CounterAct::Reset => self.start,
        };
        Tally { value: self.within(value), day }
    }

    fn on_day(&self, tally: Option<Tally>, day: NaiveDate) -> i64 {
        match tally {
            Some(tally) if self.resets == Resets::ByHand || tally.day >= day => tally.value,
            _ => self.within(self.start),
        }
    }

    fn value(&self, state: &State, settings: &Settings, now: Instant) -> i64 {
        self.on_day(state.tally, settings.calendar.day(now))
    }

    fn of_value(&self, value: i64) -> View {
        View::Counter(CounterView {
            title: self.title.clone(),
            value,
            shown: Unit::Things.show(value),
            target: self.target,
            target_shown: self.target.map(|target| Unit::Things.show(target)),
            reached: self.target.is_some_and(|target| value >= target),
        })
    }

    fn number(&self, action: &Action<'_>, otherwise: Option<i64>) -> Result<i64, Refusal> {
        action
            .value
            .or(otherwise)
            .filter(|value| (-MOST_NUMBER..=MOST_NUMBER).contains(value))
            .ok_or_else(|| Refusal::WrongValue(format!("“{}” needs a whole number, such as 3", action.name)))
    }
}

impl Family for Counter {
    type State = State;
    const KEY: &'static str = "counter";

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self) -> Option<Kind> {
        None
    }

    fn counts_alike(&self, other: &Self) -> bool {
        let fold = |one: &Self| (one.start, one.floor, one.ceiling, one.resets);
        fold(self) == fold(other)
    }

    fn apply(&self, state: &mut State, entry: &Entry, settings: &Settings) -> bool {
        let of_family = |act: &Act| match act {
            Act::Counter(act) => Some(*act),
            _ => None,
        };
        let Some(deed) = state.log.note(entry, of_family) else { return false };
        state.tally = match deed {
            Deed::Did(act) => Some(self.fold(state.tally, entry.happened_at, act, settings)),
            Deed::TookBack(_) => {
                state.log.in_force().fold(None, |tally, (line, act)| Some(self.fold(tally, line.at, *act, settings)))
            }
        };
        true
    }

    fn decide(&self, _: &State, action: &Action<'_>, _: Instant) -> Result<Act, Refusal> {
        let act = match action.name {
            "add" => CounterAct::Add { by: self.number(action, Some(self.step))? },
            "subtract" => CounterAct::Add { by: -self.number(action, Some(self.step))? },
            "set" => {
                let to = self.number(action, None)?;
                if to != self.within(to) {
                    let bound = |bound: Option<i64>| bound.map_or("any".into(), |b| Unit::Things.show(b));
                    return Err(Refusal::WrongValue(format!(
                        "{to} lies outside this counter's bounds (floor {}, ceiling {})",
                        bound(self.floor),
                        bound(self.ceiling)
                    )));
                }
                CounterAct::Set { to }
            }
            "reset" => CounterAct::Reset,
            other => return Err(Refusal::NoSuchAction(other.into(), "add, subtract, set, reset, undo".into())),
        };
        Ok(Act::Counter(act))
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn levers(&self, state: &State, _: Instant) -> Vec<Lever> {
        let step = Unit::Things.show(self.step);
        vec![
            Lever::new("subtract", format!("−{step}"), true),
            Lever::new("add", format!("+{step}"), true).main(),
            Lever::new("reset", "Reset", true),
            Lever::new("undo", "Undo", state.log.newest().is_some()),
        ]
    }

    fn sentence(&self, _: &Settings) -> Vec<Part> {
        sentence::parts(self)
    }

    fn edit(&mut self, key: &str, text: &str, _: &Settings) -> Result<(), EditError> {
        sentence::edit(self, key, text)
    }

    fn view(&self, state: &State, settings: &Settings, now: Instant) -> View {
        self.of_value(self.value(state, settings, now))
    }

    fn sample(&self, _: &Settings, _: Instant) -> View {
        let some = self.start.saturating_add(self.step.saturating_mul(7));
        self.of_value(self.within(self.target.map_or(some, |target| some.min(target))))
    }

    fn wakes_at(&self, state: &State, settings: &Settings, now: Instant) -> Option<Instant> {
        (self.resets == Resets::EachDay && state.tally.is_some())
            .then(|| settings.calendar.span(Period::Today, now).to)
            .flatten()
    }

    fn explain(&self, state: &State, _: Evidence<'_>, settings: &Settings, now: Instant) -> Slip {
        let in_force = state.log.in_force().count();
        let value = self.value(state, settings, now);
        let start = self.within(self.start);
        let moved = value.saturating_sub(start);
        Slip {
            terms: vec![
                ("Start value".into(), Unit::Things.show(start)),
                (format!("Presses in force ({in_force}) come to"), Unit::Things.show(moved)),
            ],
            shown: Unit::Things.show(value),
            span: match self.resets {
                Resets::ByHand => "Until somebody resets it".into(),
                Resets::EachDay => format!("Today, beginning at {}", settings.calendar.day_start.format("%H:%M")),
            },
            lines: state.log.slip_lines(&settings.calendar, CounterAct::words),
        }
    }
}
