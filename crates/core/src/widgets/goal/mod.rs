//! Goals: how far a count has come towards a target.
//!
//! Value = starting amount + count over the period. The percentage shown is floored, so 100 %
//! appears only when the value has reached the target. After its end date a goal is closed: later
//! happenings do not count. When it is reached it stays full, counts past, is raised, or climbs to
//! the next rung of a ladder: all of that follows from the value alone.

mod pace;
mod sentence;
mod suggest;
#[cfg(test)]
mod tests;
mod view;
mod watch;

pub use pace::Pace;
pub use view::{AimView, GoalView, Outcome, RungView, floored_percent};
pub use watch::Watch;

use super::{Action, Cued, Family, Hint, Known, Lever, Watched};
use crate::count::explain::Slip;
use crate::count::{Count, Scope};
use crate::language::unit::Unit;
use crate::look::tokens::{BAR, CELEBRATION, PLATE, SIDES, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::acts::{Act, GoalAct};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::record::measure::Measure;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::time::calendar::Period;
use crate::time::{Instant, after};
use crate::widgets::act_log::ActLog;
use crate::widgets::view::View;
use chrono::NaiveDateTime;
use serde::{Deserialize, Serialize};

/// Most goals in one widget.
const MOST: usize = 4;

/// One goal, or several in one widget.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Goal {
    /// The goal, or the first of several. Its title is the widget's.
    #[serde(flatten)]
    pub first: Aim,
    /// The others.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub more: Vec<Aim>,
    /// How several are arranged.
    #[serde(default)]
    pub arrange: Arrange,
    /// What stands beside the value.
    #[serde(default)]
    pub beside: Beside,
}

/// What is counted, and towards what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Aim {
    /// Its name, also on the picture.
    pub title: String,
    /// What is counted, over which stretch of time.
    pub count: Count,
    /// In the smallest step of the count's unit; at least 1.
    pub target: i64,
    /// Counted on top of the ledger, in the same steps.
    pub start: i64,
    /// Local date and time after which nothing counts any more.
    pub until: Option<NaiveDateTime>,
    /// What becomes of it when it is reached.
    #[serde(default)]
    pub then: Then,
}

/// What becomes of a goal when it is reached.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Then {
    /// It goes on counting past the target.
    #[default]
    CountPast,
    /// It stays full and shows no more than the target.
    StayFull,
    /// The next target lies this much further.
    RaiseBy(i64),
    /// The next target is this many hundredths of the last one, more than 100.
    RaiseTimes(i64),
    /// It climbs a ladder: the targets by name, ascending. Its own target plays no part.
    Rungs(Vec<Rung>),
}

/// One target of a ladder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rung {
    /// What is promised there.
    pub name: String,
    /// In the smallest step of the count's unit.
    pub target: i64,
}

/// How several goals are arranged.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Arrange {
    /// One above the other.
    #[default]
    Stacked,
    /// Side by side.
    Beside,
    /// One at a time, each for some seconds.
    InTurn,
}

/// What stands beside the value.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Beside {
    /// The share, floored.
    #[default]
    Percent,
    /// What is missing.
    Missing,
    /// What an hour needs until the end.
    Pace,
    /// Nothing.
    Nothing,
}

/// The acts done.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<GoalAct>,
}

impl State {
    /// Since when it counts, where it counts since its last reset.
    fn reset_at(&self) -> Option<Instant> {
        let resets = self.log.in_force().filter(|(_, act)| **act == GoalAct::Reset);
        resets.last().map(|(line, _)| line.at)
    }

    /// How often somebody armed it again.
    fn armed(&self) -> usize {
        self.log.in_force().filter(|(_, act)| **act == GoalAct::Rearm).count()
    }
}

impl Aim {
    /// This month's tips.
    #[must_use]
    pub fn standard(settings: &Settings) -> Self {
        let count = Count::of(Measure::AmountOfTips, Period::ThisMonth);
        let target = count.unit(settings).whole().saturating_mul(100);
        Self { title: "New goal".into(), target, count, start: 0, until: None, then: Then::default() }
    }

    fn closes(&self, settings: &Settings) -> Option<Instant> {
        self.until.map(|until| settings.calendar.instant(until))
    }

    /// What is counted, with its last reset and its end filled in.
    fn count(&self, state: &State, settings: &Settings) -> Count {
        let since = (self.count.period == Period::SinceReset).then(|| state.reset_at()).flatten();
        Count { since, until: self.closes(settings), ..self.count.clone() }
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        if let Unit::Money(_) = self.count.unit(settings) {
            (self.target, self.start) = (by.amount(self.target).max(1), by.amount(self.start));
            match &mut self.then {
                Then::RaiseBy(step) => *step = by.amount(*step).max(1),
                Then::Rungs(rungs) => {
                    let mut below = 0;
                    for rung in rungs {
                        // Rungs that lay close together must still rise.
                        rung.target = by.amount(rung.target).max(i64::saturating_add(below, 1));
                        below = rung.target;
                    }
                }
                Then::CountPast | Then::StayFull | Then::RaiseTimes(_) => {}
            }
        }
        self.count.convert(by, settings);
    }

    /// The numerals stay when the unit changes: 350 pounds become 350 follows.
    fn rescale(&mut self, old: Unit, new: Unit) {
        if old.whole() == new.whole() {
            return;
        }
        let rescale = |value: i64| value.checked_div(old.whole()).unwrap_or(0).saturating_mul(new.whole());
        self.target = rescale(self.target).max(1);
        self.start = rescale(self.start);
        match &mut self.then {
            Then::RaiseBy(step) => *step = rescale(*step).max(1),
            Then::Rungs(rungs) => {
                for rung in rungs {
                    rung.target = rescale(rung.target).max(1);
                }
            }
            Then::CountPast | Then::StayFull | Then::RaiseTimes(_) => {}
        }
    }
}

impl Goal {
    /// One goal alone.
    #[must_use]
    pub fn of(first: Aim) -> Self {
        Self { first, more: Vec::new(), arrange: Arrange::default(), beside: Beside::default() }
    }

    /// All its goals.
    pub fn aims(&self) -> impl Iterator<Item = &Aim> {
        std::iter::once(&self.first).chain(&self.more)
    }

    fn aims_mut(&mut self) -> impl Iterator<Item = &mut Aim> {
        std::iter::once(&mut self.first).chain(&mut self.more)
    }

    fn resets(&self) -> bool {
        self.aims().any(|aim| aim.count.period == Period::SinceReset)
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[
    look::Part::Title,
    look::Part::Value,
    look::Part::Target,
    look::Part::Percentage,
    look::Part::Bar,
    look::Part::Frame,
];

/// From so many hundredths of its target on a goal is near.
const NEAR_PERCENT: i64 = 95;

impl Family for Goal {
    type State = State;
    const KEY: &'static str = "goal";
    const CUED: Cued = Cued::of(
        Watched::Reached,
        &[Known::new("reset", "reset"), Known::new("rearm", "celebrate once more when it is reached")],
    );
    const CELEBRATES: bool = true;

    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "rail",
            words: "Rail",
            tokens: &[TITLED, TEXT, PLATE, BAR, CELEBRATION],
            parts: PARTS,
            size: (840, 260),
        },
        Shape {
            key: "column",
            words: "Water column",
            tokens: &[TITLED, TEXT, PLATE, BAR, CELEBRATION],
            parts: PARTS,
            size: (300, 560),
        },
        Shape {
            key: "ring",
            words: "Ring",
            tokens: &[TITLED, TEXT, PLATE, BAR, CELEBRATION],
            parts: PARTS,
            size: (420, 420),
        },
        Shape {
            key: "ladder",
            words: "Ladder",
            tokens: &[TITLED, TEXT, PLATE, BAR, CELEBRATION],
            parts: &[
                look::Part::Title,
                look::Part::Value,
                look::Part::Target,
                look::Part::Percentage,
                look::Part::Name,
                look::Part::Bar,
                look::Part::Frame,
            ],
            size: (560, 520),
        },
        Shape {
            key: "gates",
            words: "Tally gates",
            tokens: &[TITLED, TEXT, PLATE, BAR, CELEBRATION],
            parts: PARTS,
            size: (760, 260),
        },
        Shape {
            key: "words",
            words: "In one line",
            tokens: &[TITLED, TEXT, PLATE, CELEBRATION, SIDES],
            parts: &[
                look::Part::Title,
                look::Part::Value,
                look::Part::Target,
                look::Part::Percentage,
                look::Part::Frame,
            ],
            size: (760, 100),
        },
    ];

    fn standard(settings: &Settings) -> Self {
        Self::of(Aim::standard(settings))
    }

    fn title(&self) -> &str {
        &self.first.title
    }

    fn counts(&self, state: &State, settings: &Settings) -> Vec<Count> {
        self.aims().map(|aim| aim.count(state, settings)).collect()
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let of_family = |act: &Act| match act {
            Act::Goal(act) => Some(*act),
            _ => None,
        };
        state.log.note(entry, of_family).is_some()
    }

    fn decide(&self, _: &State, action: &Action<'_>, _: &Scope<'_>) -> Result<Act, Refusal> {
        match action.name {
            "reset" if self.resets() => Ok(Act::Goal(GoalAct::Reset)),
            "reset" => {
                Err(Refusal::NotNow("this goal follows its period; only one that counts since its reset can be reset"))
            }
            "rearm" => Ok(Act::Goal(GoalAct::Rearm)),
            other => Err(Refusal::NoSuchAction(other.into(), "reset, rearm, undo; all else follows the ledger".into())),
        }
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn levers(&self, state: &State, _: &Scope<'_>) -> Vec<Lever> {
        let reset = self.resets().then(|| Lever::new("reset", "Reset", true).main());
        let undo = Lever::new("undo", "Undo", state.log.newest().is_some());
        let undo = Some(undo).filter(|undo| self.resets() || undo.ready);
        reset.into_iter().chain([Lever::new("rearm", "Arm again", true)]).chain(undo).collect()
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        for aim in self.aims_mut() {
            aim.convert(by, settings);
        }
    }

    fn figure(&self, state: &State, scope: &Scope<'_>) -> Option<i64> {
        view::view(self, state, scope).aims().next().map(|aim| i64::from(aim.level))
    }

    fn attention(&self, state: &State, scope: &Scope<'_>) -> Option<String> {
        let seen = view::view(self, state, scope);
        let near = seen.aims().find(|aim| !aim.reached && aim.percent >= NEAR_PERCENT)?;
        Some(format!("is near: {} of {}", near.value, near.target))
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn hints(&self, scope: &Scope<'_>) -> Vec<Hint> {
        (1..).zip(self.aims()).flat_map(|(number, aim)| suggest::hints(number, aim, scope)).collect()
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Goal(view::view(self, state, scope))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Goal(view::sample(self, scope))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        // When it closes, its outcome shows.
        let wakes = |aim: &Aim| {
            let closes = aim.closes(scope.settings).filter(|at| *at > scope.now);
            scope.wakes_at(&aim.count(state, scope.settings)).into_iter().chain(closes).min()
        };
        // What an hour needs grows by itself.
        let paced = (self.beside == Beside::Pace).then(|| after(scope.now, chrono::TimeDelta::minutes(1)));
        self.aims().filter_map(wakes).chain(paced).min()
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        view::explain(self, state, scope)
    }
}
