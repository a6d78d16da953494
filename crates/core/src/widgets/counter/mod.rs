//! Counters: whole numbers that people operate, one or several in a widget.
//!
//! The value is a fold over the acts in force, so taking back a press from five presses ago takes
//! exactly that press away. Pressing past the floor or the ceiling stays there.

mod one;
mod sentence;
#[cfg(test)]
mod tests;

pub use one::{One, OneView};

use super::{Action, Cued, Family, Known, Lever, Watched};
use crate::count::Scope;
use crate::count::explain::Slip;
use crate::count::published::Published;
use crate::language::unit::Unit;
use crate::look::tokens::{PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
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
use one::Counted;
use serde::{Deserialize, Serialize};

/// Most counters in one widget.
pub const MOST: usize = 4;

/// What a counter is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Counter {
    /// The first one; its name is that of the widget.
    #[serde(flatten)]
    pub first: One,
    /// When they begin again by themselves.
    pub resets: Resets,
    /// What stands beside the value.
    #[serde(default)]
    pub beside: Beside,
    /// More of them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub more: Vec<One>,
}

/// When a counter begins again by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Resets {
    /// Never: nobody can reset it.
    Never,
    /// Only when somebody resets it.
    ByHand,
    /// At the channel's day start.
    EachDay,
    /// When a show begins.
    EachShow,
}

/// What stands beside the value.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Beside {
    /// Nothing.
    #[default]
    Nothing,
    /// How many there were this show, and how many ever.
    ShowAndAllTime,
}

/// The acts done.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<CounterAct>,
}

/// What a counter shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CounterView {
    /// The first one; its name is that of the widget.
    #[serde(flatten)]
    pub first: OneView,
    /// The others.
    pub more: Vec<OneView>,
    /// When they begin again by themselves, where that is known.
    pub resets_at: Option<Instant>,
}

impl CounterView {
    /// All of them.
    pub fn all(&self) -> impl Iterator<Item = &OneView> {
        std::iter::once(&self.first).chain(&self.more)
    }

    /// `7`, or `7 of 10` with a target; of several, each with its name.
    #[must_use]
    pub fn text(&self) -> String {
        if self.more.is_empty() {
            return self.first.text();
        }
        self.all().map(|one| format!("{} {}", one.title, one.text())).collect::<Vec<_>>().join(", ")
    }
}

impl Counter {
    /// All of them.
    fn all(&self) -> impl Iterator<Item = &One> {
        std::iter::once(&self.first).chain(&self.more)
    }

    /// The one of a place, from 0.
    fn one(&self, place: u8) -> Option<&One> {
        self.all().nth(usize::from(place))
    }

    /// Since when presses count at an instant: since it last reset by itself.
    fn begins(&self, scope: &Scope<'_>, at: Instant) -> Option<Instant> {
        match self.resets {
            Resets::Never | Resets::ByHand => None,
            Resets::EachDay => scope.settings.calendar.span(Period::Today, at).from,
            Resets::EachShow => scope.book.shows().this(at).map(|show| show.from),
        }
    }

    /// When it next begins again by itself, where the calendar tells.
    fn resets_at(&self, now: Instant, settings: &Settings) -> Option<Instant> {
        (self.resets == Resets::EachDay).then(|| settings.calendar.span(Period::Today, now).to).flatten()
    }

    fn counted(&self, place: u8, state: &State, scope: &Scope<'_>) -> Counted {
        let Some(one) = self.one(place) else { return Counted::default() };
        let own = state.log.in_force().filter(|(_, act)| act.place() == place);
        let show = scope.book.shows().this(scope.now).map(|show| show.from);
        let mut counted = Counted { value: one.within(one.start), show: one.start, all_time: one.start };
        let mut begun = None;
        for (line, act) in own {
            // Should the machine's clock have stepped back, nothing begins anew.
            let period = self.begins(scope, line.at).max(begun);
            if period != begun {
                (counted.value, begun) = (one.within(one.start), period);
            }
            let before = counted.value;
            counted.value = one.after(before, *act);
            if !matches!(act, CounterAct::Reset { .. }) {
                let more = counted.value.saturating_sub(before);
                counted.all_time = counted.all_time.saturating_add(more);
                if show.is_some_and(|show| line.at >= show) {
                    counted.show = counted.show.saturating_add(more);
                }
            }
        }
        if self.begins(scope, scope.now).max(begun) != begun {
            counted.value = one.within(one.start);
        }
        counted
    }

    fn seen(&self, counted: impl Fn(u8, &One) -> Counted, scope: &Scope<'_>) -> View {
        let mut all = (0..).zip(self.all()).map(|(place, one)| one.view(counted(place, one), self.beside, scope));
        let first = all.next().unwrap_or_default();
        let resets_at = self.resets_at(scope.now, scope.settings);
        View::Counter(CounterView { first, more: all.collect(), resets_at })
    }

    fn number(action: &Action<'_>, otherwise: Option<i64>) -> Result<i64, Refusal> {
        action
            .value
            .or(otherwise)
            .filter(|value| (-MOST_NUMBER..=MOST_NUMBER).contains(value))
            .ok_or_else(|| Refusal::WrongValue(format!("“{}” needs a whole number, such as 3", action.name)))
    }
}

/// The actions of the counter of each place.
const ACTIONS: [[&str; 4]; MOST] = [
    ["add", "subtract", "set", "reset"],
    ["add_2", "subtract_2", "set_2", "reset_2"],
    ["add_3", "subtract_3", "set_3", "reset_3"],
    ["add_4", "subtract_4", "set_4", "reset_4"],
];

/// An action taken apart: what, and of which counter.
fn named(action: &str) -> Option<(&'static str, u8)> {
    let all =
        (0..).zip(ACTIONS).flat_map(|(place, row)| row.into_iter().zip(ACTIONS[0]).map(move |pair| (pair, place)));
    let mut all = all;
    all.find(|((name, _), _)| *name == action).map(|((_, plain), place)| (plain, place))
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Value, look::Part::Target, look::Part::Words, look::Part::Frame];

impl Family for Counter {
    type State = State;
    const KEY: &'static str = "counter";
    const CUED: Cued = Cued::of(
        Watched::Passed,
        &[
            Known::numbered("add", "add", 1),
            Known::numbered("subtract", "subtract", 1),
            Known::numbered("set", "set it to", 0),
            Known::new("reset", "reset"),
        ],
    );
    const SHAPES: &'static [Shape] = &[
        Shape { key: "plate", words: "Number plate", tokens: &[TITLED, TEXT, PLATE], parts: PARTS, size: (520, 160) },
        Shape { key: "words", words: "All in one", tokens: &[TITLED, TEXT, PLATE], parts: PARTS, size: (520, 120) },
    ];

    fn standard(_: &Settings) -> Self {
        Self { first: One::called("New counter"), resets: Resets::ByHand, beside: Beside::Nothing, more: Vec::new() }
    }

    fn title(&self) -> &str {
        &self.first.title
    }

    /// It always tells how many there were this show, to programs at least.
    fn follows_shows(&self) -> bool {
        true
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let of_family = |act: &Act| match act {
            Act::Counter(act) => Some(*act),
            _ => None,
        };
        state.log.note(entry, of_family).is_some()
    }

    fn decide(&self, _: &State, action: &Action<'_>, _: &Scope<'_>) -> Result<Act, Refusal> {
        let unknown = || {
            let known = if self.more.is_empty() {
                "add, subtract, set, reset, undo"
            } else {
                "add, subtract, set, reset, undo; of the second counter add_2 and so on"
            };
            Refusal::NoSuchAction(action.name.into(), known.into())
        };
        let (name, place) = named(action.name).ok_or_else(unknown)?;
        let one = self.one(place).ok_or_else(unknown)?;
        let act = match name {
            "add" => CounterAct::Add { by: Self::number(action, Some(one.step))?, place },
            "subtract" => CounterAct::Add { by: Self::number(action, Some(one.step))?.saturating_neg(), place },
            "set" => {
                let to = Self::number(action, None)?;
                if to != one.within(to) {
                    let bound = |bound: Option<i64>| bound.map_or("any".into(), |b| Unit::Things.show(b));
                    return Err(Refusal::WrongValue(format!(
                        "{to} lies outside this counter's bounds (floor {}, ceiling {})",
                        bound(one.floor),
                        bound(one.ceiling)
                    )));
                }
                CounterAct::Set { to, place }
            }
            _ if self.resets == Resets::Never => {
                return Err(Refusal::NotNow("this counter is never reset; change that in its sentence first"));
            }
            _ => CounterAct::Reset { place },
        };
        Ok(Act::Counter(act))
    }

    fn publishes(&self, _: &State, _: &Scope<'_>) -> Option<Published> {
        Some(Published::Counter { title: self.title().to_owned() })
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn levers(&self, state: &State, _: &Scope<'_>) -> Vec<Lever> {
        let undo = Lever::new("undo", "Undo", state.log.newest().is_some());
        if self.more.is_empty() {
            let step = Unit::Things.show(self.first.step);
            return vec![
                Lever::new("subtract", format!("−{step}"), true),
                Lever::new("add", format!("+{step}"), true).main(),
                Lever::new("reset", "Reset", self.resets != Resets::Never),
                undo,
            ];
        }
        // Of several, each one's plus has a key.
        let words = |one: &One, sign: char| format!("{sign}{} {}", Unit::Things.show(one.step), one.title);
        let each = |take: usize, sign: char| {
            self.all().zip(ACTIONS).map(move |(one, row)| Lever::new(row[take], words(one, sign), true))
        };
        let mut levers: Vec<Lever> = each(0, '+').map(Lever::main).collect();
        levers.extend(each(1, '−'));
        levers.push(undo);
        levers
    }

    fn figure(&self, state: &State, scope: &Scope<'_>) -> Option<i64> {
        Some(self.counted(0, state, scope).value)
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        self.seen(|place, _| self.counted(place, state, scope), scope)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let counted = |_, one: &One| {
            let some = one.start.saturating_add(one.step.saturating_mul(7));
            let value = one.within(one.target.map_or(some, |target| some.min(target)));
            Counted { value, show: value, all_time: value.saturating_mul(18) }
        };
        self.seen(counted, scope)
    }

    fn wakes_at(&self, _: &State, scope: &Scope<'_>) -> Option<Instant> {
        self.resets_at(scope.now, scope.settings)
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let since = self.begins(scope, scope.now);
        let calendar = &scope.settings.calendar;
        let mut terms = Vec::new();
        for (place, one) in (0..).zip(self.all()) {
            let own = state.log.in_force().filter(|(_, act)| act.place() == place);
            let counting = own.filter(|(line, _)| since.is_none_or(|since| line.at >= since)).count();
            let counted = self.counted(place, state, scope);
            let start = one.within(one.start);
            let of = if self.more.is_empty() { String::new() } else { format!("{}: ", one.title) };
            terms.extend([
                (format!("{of}Start value"), Unit::Things.show(start)),
                (
                    format!("{of}Presses in force ({counting}) come to"),
                    Unit::Things.show(counted.value.saturating_sub(start)),
                ),
                (
                    format!("{of}This show and ever (not in the sum)"),
                    format!("{} and {}", counted.show, counted.all_time),
                ),
            ]);
        }
        let View::Counter(view) = self.view(state, scope) else {
            return Slip { terms, shown: String::new(), span: String::new(), lines: Vec::new() };
        };
        Slip {
            terms,
            shown: if self.more.is_empty() { view.first.shown } else { view.text() },
            span: match (self.resets, view.resets_at) {
                (Resets::Never, _) => "Never reset".into(),
                (Resets::ByHand, _) => "Until somebody resets it".into(),
                (Resets::EachDay, at) => {
                    let next = at.map(|at| format!(", resets {}", instant_words(calendar, at))).unwrap_or_default();
                    format!("Today, beginning at {}{next}", calendar.day_start.format("%H:%M"))
                }
                (Resets::EachShow, _) => since.map_or("This show: there has been none yet".into(), |since| {
                    format!("This show: since {}", instant_words(calendar, since))
                }),
            },
            lines: state.log.slip_lines(calendar, CounterAct::words),
        }
    }
}
