//! Count-down clocks: ready → running ⇄ paused → done; reset leads to ready from anywhere.
//!
//! A clock is anchored to instants: its end follows from the acts in force and the length, so a
//! restart changes nothing, and changing the length of a running clock shifts its end by the
//! difference. The time left is shown rounded up, so a running clock never shows 0.

mod run;
mod sentence;
#[cfg(test)]
mod tests;

pub use run::{Phase, Run};

use super::{Action, Family, Lever};
use crate::count::Scope;
use crate::count::explain::Slip;
use crate::look::Shape;
use crate::look::tokens::{PLATE, TEXT, TITLED};
use crate::record::acts::{Act, CountdownAct};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, MOST_SECONDS, Part};
use crate::time::words::{digits, instant_words};
use crate::time::{Instant, after, together};
use crate::widgets::act_log::{ActLog, Change};
use crate::widgets::view::View;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// What a count-down clock is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Countdown {
    /// Its name, also on the picture.
    pub title: String,
    /// From how many seconds it runs down.
    pub seconds: i64,
    /// Shown before it starts; empty shows the length.
    pub ready_text: String,
    /// Shown when it is done.
    pub done_text: String,
}

/// The acts done, and where they leave the clock.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<CountdownAct>,
    run: Run,
}

/// What a count-down clock shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct CountdownView {
    /// Its name.
    pub title: String,
    /// Whether it stands, runs or is over.
    pub phase: PhaseWord,
    /// What stands in its face at this instant: digits or a text.
    pub shown: String,
    /// While running: when it ends. Pages tick towards it by themselves.
    pub ends_at: Option<Instant>,
    /// Milliseconds left at this instant.
    pub left_ms: i64,
    /// The full length in milliseconds.
    pub length_ms: i64,
    /// The text for when it is done.
    pub done_text: String,
}

/// The phase as a word for other programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum PhaseWord {
    /// Not started.
    Ready,
    /// Running down.
    Running,
    /// Standing still.
    Paused,
    /// Over.
    Done,
}

impl CountdownView {
    /// What stands in its face.
    #[must_use]
    pub fn text(&self) -> String {
        self.shown.clone()
    }
}

/// Time left as shown: rounded up to the second, so 10 seconds show 10 first and 0 is never shown while running.
#[must_use]
pub fn rounded_up(left: TimeDelta) -> TimeDelta {
    let whole = TimeDelta::seconds(left.num_seconds());
    if whole < left { together(whole, TimeDelta::seconds(1)) } else { whole }
}

impl Countdown {
    fn length(&self) -> TimeDelta {
        TimeDelta::seconds(self.seconds)
    }

    fn at_phase(&self, phase: Phase, now: Instant) -> View {
        let left = phase.left(now).max(TimeDelta::zero());
        let face = digits(rounded_up(left));
        let (word, shown, ends_at) = match phase {
            Phase::Ready { .. } if !self.ready_text.is_empty() => (PhaseWord::Ready, self.ready_text.clone(), None),
            Phase::Ready { .. } => (PhaseWord::Ready, face, None),
            Phase::Running { ends_at } => (PhaseWord::Running, face, Some(ends_at)),
            Phase::Paused { .. } => (PhaseWord::Paused, face, None),
            Phase::Done { .. } => (PhaseWord::Done, self.done_text.clone(), None),
        };
        View::Countdown(CountdownView {
            title: self.title.clone(),
            phase: word,
            shown,
            ends_at,
            left_ms: left.num_milliseconds(),
            length_ms: self.length().num_milliseconds(),
            done_text: self.done_text.clone(),
        })
    }
}

impl Family for Countdown {
    type State = State;
    const KEY: &'static str = "countdown";
    const SHAPES: &'static [Shape] = &[
        Shape { key: "plate", words: "Clock plate", tokens: &[TITLED, TEXT, PLATE], size: (520, 220) },
        Shape { key: "words", words: "All in one", tokens: &[TITLED, TEXT, PLATE], size: (520, 160) },
    ];

    fn standard(_: &Settings) -> Self {
        Self { title: "New count-down".into(), seconds: 600, ready_text: String::new(), done_text: "Here we go".into() }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn folds_alike(&self, other: &Self) -> bool {
        self.seconds == other.seconds
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let of_family = |act: &Act| match act {
            Act::Countdown(act) => Some(*act),
            _ => None,
        };
        let Some(change) = state.log.note(entry, of_family) else { return false };
        state.run = match change {
            Change::Did(act) => state.run.after(act, entry.happened_at, self.length()),
            Change::TookBack(_) => {
                state.log.in_force().fold(Run::default(), |run, (line, act)| run.after(*act, line.at, self.length()))
            }
        };
        true
    }

    fn decide(&self, state: &State, action: &Action<'_>, now: Instant) -> Result<Act, Refusal> {
        let phase = state.run.phase(self.length(), now);
        let act = match (action.name, phase) {
            ("start", Phase::Ready { .. } | Phase::Paused { .. }) => CountdownAct::Start,
            ("start", Phase::Running { .. }) => return Err(Refusal::NotNow("the clock is running already")),
            ("start", Phase::Done { .. }) => return Err(Refusal::NotNow("the clock is done; reset it first")),
            ("pause", Phase::Running { .. }) => CountdownAct::Pause,
            ("pause", _) => return Err(Refusal::NotNow("the clock is not running, so it cannot be paused")),
            ("reset", _) => CountdownAct::Reset,
            ("add", Phase::Done { .. }) => return Err(Refusal::NotNow("the clock is done; reset it first")),
            ("add", _) => {
                let seconds = action.value.filter(|s| *s != 0 && s.abs() <= MOST_SECONDS);
                CountdownAct::Add {
                    seconds: seconds
                        .ok_or_else(|| Refusal::WrongValue("“add” needs seconds, such as 60 or -60".into()))?,
                }
            }
            (other, _) => return Err(Refusal::NoSuchAction(other.into(), "start, pause, reset, add, undo".into())),
        };
        Ok(Act::Countdown(act))
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn levers(&self, state: &State, now: Instant) -> Vec<Lever> {
        let phase = state.run.phase(self.length(), now);
        let done = matches!(phase, Phase::Done { .. });
        let first = if matches!(phase, Phase::Running { .. }) {
            Lever::new("pause", "Pause", true).main()
        } else {
            Lever::new("start", "Start", !done).main()
        };
        vec![
            first,
            Lever { value: Some(60), ..Lever::new("add", "+1 min", !done) },
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
        self.at_phase(state.run.phase(self.length(), scope.now), scope.now)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let left = TimeDelta::seconds(self.seconds.saturating_mul(3) / 4);
        self.at_phase(Phase::Running { ends_at: after(scope.now, left) }, scope.now)
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        match state.run.phase(self.length(), scope.now) {
            Phase::Running { ends_at } => Some(ends_at),
            _ => None,
        }
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let (settings, now) = (scope.settings, scope.now);
        let phase = state.run.phase(self.length(), now);
        let extra = state.run.extra();
        let sign = if extra < TimeDelta::zero() { "−" } else { "" };
        Slip {
            terms: vec![
                ("Length".into(), digits(self.length())),
                ("Added by hand".into(), format!("{sign}{}", digits(extra.abs()))),
                ("Run down so far".into(), format!("−{}", digits(state.run.spent(self.length(), now)))),
            ],
            shown: digits(rounded_up(phase.left(now).max(TimeDelta::zero()))),
            span: match phase {
                Phase::Ready { .. } => "Ready to start".into(),
                Phase::Running { ends_at } => format!("Running, ends {}", instant_words(&settings.calendar, ends_at)),
                Phase::Paused { .. } => "Paused".into(),
                Phase::Done { at } => format!("Done since {}", instant_words(&settings.calendar, at)),
            },
            lines: state.log.slip_lines(&settings.calendar, CountdownAct::words),
        }
    }
}
