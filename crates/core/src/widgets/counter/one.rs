//! One of the counters in a widget.

use super::Beside;
use crate::count::Scope;
use crate::record::acts::CounterAct;
use crate::sentence::MOST_NUMBER;
use crate::template::{self, Run, Values};
use serde::{Deserialize, Serialize};

/// What one counter is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct One {
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
    /// What it is on the way to.
    pub target: Option<i64>,
    /// A text around the number, as a template; empty for the number and the name alone.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub text: String,
}

/// What its presses come to.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) struct Counted {
    /// Now.
    pub value: i64,
    /// Since the show began.
    pub show: i64,
    /// Ever. Resets take nothing away from it.
    pub all_time: i64,
}

/// What one counter shows.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct OneView {
    /// Its name.
    pub title: String,
    /// The number.
    pub value: i64,
    /// The number as shown.
    pub shown: String,
    /// Counted since the show began.
    pub show: i64,
    /// Counted ever.
    pub all_time: i64,
    /// What it is on the way to.
    pub target: Option<i64>,
    /// The target as shown.
    pub target_shown: Option<String>,
    /// The word between the two.
    #[serde(skip)]
    pub of: &'static str,
    /// Whether the value is at the target or beyond.
    pub reached: bool,
    /// The text around the number, where there is one.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub runs: Vec<Run>,
    /// What stands beside it, as shown: this show and ever.
    #[serde(skip)]
    pub beside: Option<(String, String)>,
}

impl OneView {
    /// `7`, `7 of 10` with a target, or its own text.
    #[must_use]
    pub fn text(&self) -> String {
        match &self.target_shown {
            _ if !self.runs.is_empty() => template::plain(&self.runs),
            Some(target) => format!("{} {} {target}", self.shown, self.of),
            None => self.shown.clone(),
        }
    }
}

impl One {
    /// One that could go on air, with nothing changed but its name.
    pub(super) fn called(title: &str) -> Self {
        Self {
            title: title.into(),
            step: 1,
            start: 0,
            floor: Some(0),
            ceiling: None,
            target: None,
            text: String::new(),
        }
    }

    /// The nearest value within its bounds.
    pub(super) fn within(&self, value: i64) -> i64 {
        let value = value.clamp(-MOST_NUMBER, MOST_NUMBER);
        let value = self.floor.map_or(value, |floor| value.max(floor));
        self.ceiling.map_or(value, |ceiling| value.min(ceiling))
    }

    /// Its value after an act.
    pub(super) fn after(&self, value: i64, act: CounterAct) -> i64 {
        self.within(match act {
            CounterAct::Add { by, .. } => value.saturating_add(by),
            CounterAct::Set { to, .. } => to,
            CounterAct::Reset { .. } => self.start,
        })
    }

    pub(super) fn view(&self, counted: Counted, beside: Beside, scope: &Scope<'_>) -> OneView {
        let Counted { value, show, all_time } = counted;
        let language = scope.language;
        let number = |number: i64| language.number(number);
        let values = Values { value, show, all_time, target: self.target.unwrap_or(0), ..Values::default() };
        let runs = match self.text.is_empty() {
            true => Vec::new(),
            false => template::write(&self.text, "{{ value }}", &values, scope.locale()),
        };
        OneView {
            title: self.title.clone(),
            value,
            shown: number(value),
            show,
            all_time,
            target: self.target,
            target_shown: self.target.map(number),
            of: language.on_air().of,
            reached: self.target.is_some_and(|target| value >= target),
            runs,
            beside: (beside == Beside::ShowAndAllTime).then(|| (number(show), number(all_time))),
        }
    }
}
