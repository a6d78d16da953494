//! Goals: how far a measure has come towards a target, over a period.
//!
//! Value = starting amount + measure over the period. The percentage shown is floored, so 100 %
//! appears only when the value has reached the target. After its end date a goal is closed: later
//! happenings do not count.

mod fold;
mod sentence;
#[cfg(test)]
mod tests;
mod view;

pub use fold::{Bucket, Reached, State};
pub use view::{GoalView, Outcome, floored_percent};

use super::{Action, Family, Lever, Refusal, Settings};
use crate::Instant;
use crate::calendar::{Period, Span};
use crate::entry::{Act, Entry};
use crate::explain::{Evidence, Slip};
use crate::happening::Kind;
use crate::ids::Seq;
use crate::measure::{Measure, Unit};
use crate::sentence::{EditError, Part};
use crate::view::View;
use chrono::NaiveDateTime;
use serde::{Deserialize, Serialize};

/// What a goal counts and towards what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Goal {
    /// Its name, also on the picture.
    pub title: String,
    /// What is counted.
    pub measure: Measure,
    /// Over which stretch of time.
    pub period: Period,
    /// In the smallest step of the measure's unit; at least 1.
    pub target: i64,
    /// Counted on top of the ledger, in the same steps.
    pub start: i64,
    /// Local date and time after which nothing counts any more.
    pub until: Option<NaiveDateTime>,
}

impl Goal {
    /// A goal for this month's tips.
    #[must_use]
    pub fn standard(settings: &Settings) -> Self {
        let measure = Measure::AmountOfTips;
        Self {
            title: "New goal".into(),
            measure,
            period: Period::ThisMonth,
            target: 100 * measure.unit(settings.currency).whole(),
            start: 0,
            until: None,
        }
    }

    fn unit(&self, settings: &Settings) -> Unit {
        self.measure.unit(settings.currency)
    }

    fn closes(&self, settings: &Settings) -> Option<Instant> {
        self.until.map(|until| settings.calendar.instant(until))
    }

    /// The stretch of the period that is on the picture at an instant: once closed, the last one.
    #[must_use]
    pub fn span(&self, settings: &Settings, now: Instant) -> Span {
        let last = self.closes(settings).map(|end| end - chrono::TimeDelta::microseconds(1));
        let at = last.filter(|last| *last < now).unwrap_or(now);
        let span = settings.calendar.span(self.period, at);
        match self.closes(settings) {
            Some(end) => Span { to: Some(span.to.map_or(end, |to| to.min(end))), ..span },
            None => span,
        }
    }
}

impl Family for Goal {
    type State = State;
    const KEY: &'static str = "goal";

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self) -> Option<Kind> {
        Some(self.measure.kind())
    }

    fn counts_alike(&self, other: &Self) -> bool {
        Self { title: String::new(), ..self.clone() } == Self { title: String::new(), ..other.clone() }
    }

    fn apply(&self, state: &mut State, entry: &Entry, settings: &Settings) -> bool {
        fold::apply(self, state, entry, settings)
    }

    fn decide(&self, _: &State, action: &Action<'_>, _: Instant) -> Result<Act, Refusal> {
        Err(Refusal::NoSuchAction(action.name.into(), "nothing; it follows the ledger".into()))
    }

    fn undoable(&self, _: &State, _: Option<Seq>) -> Option<Seq> {
        None
    }

    fn levers(&self, _: &State, _: Instant) -> Vec<Lever> {
        Vec::new()
    }

    fn sentence(&self, settings: &Settings) -> Vec<Part> {
        sentence::parts(self, settings)
    }

    fn edit(&mut self, key: &str, text: &str, settings: &Settings) -> Result<(), EditError> {
        sentence::edit(self, key, text, settings)
    }

    fn view(&self, state: &State, settings: &Settings, now: Instant) -> View {
        View::Goal(view::view(self, state, settings, now))
    }

    fn sample(&self, settings: &Settings, now: Instant) -> View {
        View::Goal(view::sample(self, settings, now))
    }

    fn wakes_at(&self, _: &State, settings: &Settings, now: Instant) -> Option<Instant> {
        self.span(settings, now).to.filter(|to| *to > now)
    }

    fn explain(&self, state: &State, evidence: Evidence<'_>, settings: &Settings, now: Instant) -> Slip {
        view::explain(self, state, evidence, settings, now)
    }
}
