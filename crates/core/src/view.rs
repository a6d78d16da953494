//! What a widget shows: numbers and words, no markup.

use crate::widgets::countdown::CountdownView;
use crate::widgets::counter::CounterView;
use crate::widgets::goal::GoalView;
use serde::Serialize;

/// The view of one widget, by family. Its JSON is what `/read/{token}.json` gives to programs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum View {
    /// A goal.
    Goal(GoalView),
    /// A counter.
    Counter(CounterView),
    /// A count-down clock.
    Countdown(CountdownView),
}

impl View {
    /// The text that the widget shows, nothing else.
    #[must_use]
    pub fn text(&self) -> String {
        match self {
            Self::Goal(view) => view.text(),
            Self::Counter(view) => view.text(),
            Self::Countdown(view) => view.text(),
        }
    }
}
