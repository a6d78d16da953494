//! Counters: whole numbers that people operate.
//!
//! The value is a fold over the acts in force, so taking back a press from five presses ago takes
//! exactly that press away. Pressing past the floor or the ceiling stays there.

mod sentence;
#[cfg(test)]
mod tests;

use super::{Action, Family, Lever};
use crate::count::Scope;
use crate::count::explain::Slip;
use crate::language::Language;
use crate::language::unit::Unit;
use crate::look::Shape;
use crate::look::tokens::{PLATE, TEXT, TITLED};
use crate::record::acts::{Act, CounterAct};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, MOST_NUMBER, Part};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::time::words::instant_words;
use crate::widgets::act_log::ActLog;
use crate::widgets::view::View;
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
    /// When a show begins.
    EachShow,
}

/// The acts done.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<CounterAct>,
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
    /// The word between the two.
    #[serde(skip)]
    pub of: &'static str,
    /// Whether the value is at the target or beyond.
    pub reached: bool,
}

impl CounterView {
    /// `7`, or `7 of 10` with a target.
    #[must_use]
    pub fn text(&self) -> String {
        match &self.target_shown {
            Some(target) => format!("{} {} {target}", self.shown, self.of),
            None => self.shown.clone(),
        }
    }
}

impl Counter {
    fn within(&self, value: i64) -> i64 {
        let value = value.clamp(-MOST_NUMBER, MOST_NUMBER);
        let value = self.floor.map_or(value, |floor| value.max(floor));
        self.ceiling.map_or(value, |ceiling| value.min(ceiling))
    }

    /// Since when presses count: since it last reset by itself.
    fn counts_since(&self, scope: &Scope<'_>) -> Option<Instant> {
        match self.resets {
            Resets::ByHand => None,
            Resets::EachDay => scope.settings.calendar.span(Period::Today, scope.now).from,
            Resets::EachShow => scope.book.shows().this(scope.now).map(|show| show.from),
        }
    }

    fn value(&self, state: &State, scope: &Scope<'_>) -> i64 {
        let since = self.counts_since(scope);
        let counting = state.log.in_force().filter(|(line, _)| since.is_none_or(|since| line.at >= since));
        counting.fold(self.within(self.start), |value, (_, act)| {
            self.within(match act {
                CounterAct::Add { by } => value.saturating_add(*by),
                CounterAct::Set { to } => *to,
                CounterAct::Reset => self.start,
            })
        })
    }

    fn of_value(&self, value: i64, language: Language) -> View {
        View::Counter(CounterView {
            title: self.title.clone(),
            value,
            shown: language.number(value),
            target: self.target,
            target_shown: self.target.map(|target| language.number(target)),
            of: language.on_air().of,
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
    const SHAPES: &'static [Shape] = &[
        Shape { key: "plate", words: "Number plate", tokens: &[TITLED, TEXT, PLATE], size: (520, 160) },
        Shape { key: "words", words: "All in one", tokens: &[TITLED, TEXT, PLATE], size: (520, 120) },
    ];

    fn standard(_: &Settings) -> Self {
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

    fn title(&self) -> &str {
        &self.title
    }

    fn follows_shows(&self) -> bool {
        self.resets == Resets::EachShow
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let of_family = |act: &Act| match act {
            Act::Counter(act) => Some(*act),
            _ => None,
        };
        state.log.note(entry, of_family).is_some()
    }

    fn decide(&self, _: &State, action: &Action<'_>, _: Instant) -> Result<Act, Refusal> {
        let act = match action.name {
            "add" => CounterAct::Add { by: self.number(action, Some(self.step))? },
            "subtract" => CounterAct::Add { by: self.number(action, Some(self.step))?.saturating_neg() },
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

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self)
    }

    fn edit(&mut self, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        self.of_value(self.value(state, scope), scope.language)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let some = self.start.saturating_add(self.step.saturating_mul(7));
        self.of_value(self.within(self.target.map_or(some, |target| some.min(target))), scope.language)
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        (self.resets == Resets::EachDay && state.log.newest().is_some())
            .then(|| scope.settings.calendar.span(Period::Today, scope.now).to)
            .flatten()
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let since = self.counts_since(scope);
        let counting = state.log.in_force().filter(|(line, _)| since.is_none_or(|since| line.at >= since)).count();
        let value = self.value(state, scope);
        let start = self.within(self.start);
        let calendar = &scope.settings.calendar;
        Slip {
            terms: vec![
                ("Start value".into(), Unit::Things.show(start)),
                (format!("Presses in force ({counting}) come to"), Unit::Things.show(value.saturating_sub(start))),
            ],
            shown: Unit::Things.show(value),
            span: match self.resets {
                Resets::ByHand => "Until somebody resets it".into(),
                Resets::EachDay => format!("Today, beginning at {}", calendar.day_start.format("%H:%M")),
                Resets::EachShow => since.map_or("This show: there has been none yet".into(), |since| {
                    format!("This show: since {}", instant_words(calendar, since))
                }),
            },
            lines: state.log.slip_lines(calendar, CounterAct::words),
        }
    }
}
