//! Goals: how far a count has come towards a target.
//!
//! Value = starting amount + count over the period. The percentage shown is floored, so 100 %
//! appears only when the value has reached the target. After its end date a goal is closed: later
//! happenings do not count.

mod sentence;
#[cfg(test)]
mod tests;
mod view;

pub use view::{GoalView, Outcome, floored_percent};

use super::{Action, Family, Lever, Refusal, Scope, Settings};
use crate::Instant;
use crate::act_log::ActLog;
use crate::calendar::Period;
use crate::count::Count;
use crate::entry::{Act, Entry};
use crate::explain::Slip;
use crate::ids::Seq;
use crate::measure::Measure;
use crate::sentence::{EditError, Part};
use crate::view::View;
use chrono::NaiveDateTime;
use serde::{Deserialize, Serialize};

/// What a goal counts and towards what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Goal {
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
}

/// What an operator did to a goal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum GoalAct {
    /// Counts from now on, where it counts since its last reset.
    Reset,
}

impl GoalAct {
    /// `reset it`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Reset => "reset it".into(),
        }
    }
}

/// The acts done.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<GoalAct>,
}

impl Goal {
    /// A goal for this month's tips.
    #[must_use]
    pub fn standard(settings: &Settings) -> Self {
        let count = Count::of(Measure::AmountOfTips, Period::ThisMonth);
        Self { title: "New goal".into(), target: 100 * count.unit(settings).whole(), count, start: 0, until: None }
    }

    fn closes(&self, settings: &Settings) -> Option<Instant> {
        self.until.map(|until| settings.calendar.instant(until))
    }

    /// What is counted, with its last reset and its end filled in.
    fn count(&self, state: &State, settings: &Settings) -> Count {
        let since = (self.count.period == Period::SinceReset)
            .then(|| state.log.in_force().last().map(|(line, _)| line.at))
            .flatten();
        Count { since, until: self.closes(settings), ..self.count.clone() }
    }
}

impl Family for Goal {
    type State = State;
    const KEY: &'static str = "goal";

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, state: &State, settings: &Settings) -> Vec<Count> {
        vec![self.count(state, settings)]
    }

    fn folds_alike(&self, _: &Self) -> bool {
        true
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let of_family = |act: &Act| match act {
            Act::Goal(act) => Some(*act),
            _ => None,
        };
        state.log.note(entry, of_family).is_some()
    }

    fn decide(&self, _: &State, action: &Action<'_>, _: Instant) -> Result<Act, Refusal> {
        match action.name {
            "reset" if self.count.period == Period::SinceReset => Ok(Act::Goal(GoalAct::Reset)),
            "reset" => {
                Err(Refusal::NotNow("this goal follows its period; only one that counts since its reset can be reset"))
            }
            other => Err(Refusal::NoSuchAction(other.into(), "reset, undo; all else follows the ledger".into())),
        }
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn levers(&self, state: &State, _: Instant) -> Vec<Lever> {
        if self.count.period != Period::SinceReset {
            return Vec::new();
        }
        vec![Lever::new("reset", "Reset", true).main(), Lever::new("undo", "Undo", state.log.newest().is_some())]
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Goal(view::view(self, &self.count(state, scope.settings), scope))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Goal(view::sample(self, scope))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        let count = self.count(state, scope.settings);
        let span = scope.span(&count);
        let leaves = count.next_leave(span, scope.book, scope.settings);
        span.to.into_iter().chain(leaves).filter(|at| *at > scope.now).min()
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        view::explain(self, &self.count(state, scope.settings), scope)
    }
}
