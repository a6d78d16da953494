//! Clocks: down from a length, down to a moment, up, up since something, and the time of day.
//!
//! Those that are operated go ready → running ⇄ paused → done; reset leads to ready from anywhere. A clock is
//! anchored to instants, so a restart changes nothing, and changing the length of a running one shifts its end by
//! the difference. What counts down is rounded up to the second, so it never shows 0 while it runs; what counts up
//! is rounded down. One to a moment turns to the next when it comes again and again, and one since something goes
//! by what still counts: a voided cause falls back to the one before.

mod kind;
mod run;
mod sentence;
#[cfg(test)]
mod tests;
mod view;

pub use kind::{Kind, Moment, Since};
pub use run::{Phase, Run};
pub use view::{Anchor, ClockView, Lap, PhaseWord};

use super::{Action, Cued, Family, Known, Lever, News, Watched};
use crate::count::explain::{Slip, SlipLine, terms_and_lines};
use crate::count::{Count, Scope};
use crate::look::tokens::{BAR, CLOCK_SOUNDS, PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::acts::{Act, ClockAct, CounterAct};
use crate::record::entry::Entry;
use crate::record::ids::{Seq, WidgetId};
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, MOST_SECONDS, Part};
use crate::time::face::{Direction, Face, Units};
use crate::time::words::{digits, instant_words};
use crate::time::{Instant, less};
use crate::widgets::act_log::{ActLog, Change};
use crate::widgets::view::View;
use chrono::TimeDelta;
use chrono_tz::Tz;
use serde::{Deserialize, Serialize};

/// What a clock is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Clock {
    /// Its name, also on the picture.
    pub title: String,
    /// What it counts.
    #[serde(default)]
    pub kind: Kind,
    /// From how many seconds it runs down.
    pub seconds: i64,
    /// Down to when.
    #[serde(default)]
    pub moment: Moment,
    /// Since what it counts up.
    #[serde(default)]
    pub since: Since,
    /// Of a time of day, where; none for the channel's own zone.
    #[serde(default)]
    pub zone: Option<Tz>,
    /// Shown before it starts; empty shows the digits.
    pub ready_text: String,
    /// Shown when it is done.
    pub done_text: String,
    /// In which units it is written.
    #[serde(default)]
    pub units: Units,
    /// A text of its own around the digits, with places for them; empty for the digits alone.
    #[serde(default)]
    pub format: String,
    /// Below how many seconds tenths are shown; 0 for never.
    #[serde(default)]
    pub tenths_under_s: i64,
    /// Whether it shows itself only while it runs, and when it is done.
    #[serde(default)]
    pub only_running: bool,
    /// After how many seconds it hides once it is done; none for never.
    #[serde(default)]
    pub hide_after_s: Option<i64>,
    /// What one press adds or takes, in seconds.
    #[serde(default = "minute")]
    pub step_s: i64,
}

fn minute() -> i64 {
    60
}

/// The acts done, and where they leave the clock.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    log: ActLog<ClockAct>,
    run: Run,
    /// How far it had come at each lap, in microseconds.
    laps: Vec<i64>,
    /// The presses of the counter since which it counts.
    beside: ActLog<CounterAct>,
}

impl Clock {
    fn length(&self) -> TimeDelta {
        TimeDelta::seconds(self.seconds)
    }

    fn face(&self) -> Face {
        let direction = if self.kind.is_down() { Direction::Down } else { Direction::Up };
        Face { units: self.units, direction, tenths_under: self.tenths_under_s.saturating_mul(1_000) }
    }

    fn step(&self, state: &mut State, act: ClockAct, at: Instant) {
        match (self.kind, act) {
            (Kind::Up, ClockAct::Lap) => {
                if state.run.since().is_some() {
                    state.laps.push(state.run.elapsed(at).num_microseconds().unwrap_or(i64::MAX));
                }
            }
            (Kind::Up, act) => {
                if act == ClockAct::Reset {
                    state.laps.clear();
                }
                state.run = state.run.after_up(act, at);
            }
            (_, act) => state.run = state.run.after(act, at, self.length()),
        }
    }

    fn fold(&self, state: &mut State) {
        (state.run, state.laps) = (Run::default(), Vec::new());
        let acts: Vec<(ClockAct, Instant)> = state.log.in_force().map(|(line, act)| (*act, line.at)).collect();
        for (act, at) in acts {
            self.step(state, act, at);
        }
    }

    /// When what it counts since last happened; none if it never has.
    fn cause(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        match &self.since {
            Since::Show => scope.book.shows().this(scope.now).map(|show| show.from),
            Since::Counter(_) => state.beside.in_force().map(|(line, _)| line.at).max(),
            Since::Latest(count) => scope.tally(count).latest.map(crate::book::instant),
        }
        .filter(|at| *at <= scope.now)
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[look::Part::Title, look::Part::Value, look::Part::Frame];

impl Family for Clock {
    type State = State;
    const KEY: &'static str = "clock";
    const CUED: Cued = Cued::of(
        Watched::Left,
        &[
            Known::new("start", "start"),
            Known::new("pause", "pause"),
            Known::new("reset", "reset"),
            Known::numbered("add", "add seconds", 60),
            Known::numbered("subtract", "take seconds away", 60),
        ],
    );
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "plate",
            words: "Clock plate",
            tokens: &[TITLED, TEXT, PLATE, CLOCK_SOUNDS],
            parts: PARTS,
            size: (520, 220),
        },
        Shape {
            key: "words",
            words: "All in one",
            tokens: &[TITLED, TEXT, PLATE, CLOCK_SOUNDS],
            parts: PARTS,
            size: (520, 160),
        },
        Shape {
            key: "digits",
            words: "Digits only",
            tokens: &[TITLED, TEXT, CLOCK_SOUNDS],
            parts: &[look::Part::Title, look::Part::Value],
            size: (520, 160),
        },
        Shape {
            key: "ring",
            words: "Ring",
            tokens: &[TITLED, TEXT, PLATE, BAR, CLOCK_SOUNDS],
            parts: &[look::Part::Title, look::Part::Value, look::Part::Bar, look::Part::Frame],
            size: (360, 360),
        },
        Shape {
            key: "strip",
            words: "Strip",
            tokens: &[TITLED, TEXT, PLATE, BAR, CLOCK_SOUNDS],
            parts: &[look::Part::Title, look::Part::Value, look::Part::Bar, look::Part::Frame],
            size: (900, 110),
        },
        Shape {
            key: "flaps",
            words: "Falling flaps",
            tokens: &[TITLED, TEXT, PLATE, CLOCK_SOUNDS],
            parts: PARTS,
            size: (640, 240),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "New clock".into(),
            kind: Kind::Down,
            seconds: 600,
            moment: Moment::default(),
            since: Since::Show,
            zone: None,
            ready_text: String::new(),
            done_text: "Here we go".into(),
            units: Units::Auto,
            format: String::new(),
            tenths_under_s: 0,
            only_running: false,
            hide_after_s: None,
            step_s: minute(),
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &State, _: &Settings) -> Vec<Count> {
        match &self.since {
            Since::Latest(count) if self.kind == Kind::Since => vec![count.clone()],
            _ => Vec::new(),
        }
    }

    fn follows_shows(&self) -> bool {
        self.kind == Kind::Since && self.since == Since::Show
    }

    fn beside(&self) -> Option<WidgetId> {
        match self.since {
            Since::Counter(widget) if self.kind == Kind::Since => Some(widget),
            _ => None,
        }
    }

    fn folds_alike(&self, other: &Self) -> bool {
        self.seconds == other.seconds && self.kind == other.kind && self.beside() == other.beside()
    }

    fn follow(&self, state: &mut State, news: News<'_>, _: &Scope<'_>) -> bool {
        match news {
            News::Beside(entry) => {
                let of_counter = |act: &Act| if let Act::Counter(act) = act { Some(*act) } else { None };
                state.beside.note(entry, of_counter).is_some()
            }
            _ => false,
        }
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let of_family = |act: &Act| if let Act::Clock(act) = act { Some(*act) } else { None };
        let Some(change) = state.log.note(entry, of_family) else { return false };
        match change {
            Change::Did(act) => self.step(state, act, entry.happened_at),
            Change::TookBack(_) => self.fold(state),
        }
        true
    }

    fn decide(&self, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal> {
        if !self.kind.is_operated() {
            let known = "nothing; it follows the time by itself";
            return Err(Refusal::NoSuchAction(action.name.into(), known.into()));
        }
        let phase = self.phase(state, scope);
        let act = match (action.name, phase) {
            ("start", PhaseWord::Ready | PhaseWord::Paused) => ClockAct::Start,
            ("start", PhaseWord::Done) => return Err(Refusal::NotNow("the clock is done; reset it first")),
            ("start", _) => return Err(Refusal::NotNow("the clock is running already")),
            ("pause", PhaseWord::Running) => ClockAct::Pause,
            ("pause", _) => return Err(Refusal::NotNow("the clock is not running, so it cannot be paused")),
            ("reset", _) => ClockAct::Reset,
            ("lap", PhaseWord::Running) if self.kind == Kind::Up => ClockAct::Lap,
            ("lap", _) if self.kind == Kind::Up => {
                return Err(Refusal::NotNow("the clock is not running, so no lap can be taken"));
            }
            ("add" | "subtract", PhaseWord::Done) => return Err(Refusal::NotNow("the clock is done; reset it first")),
            ("add" | "subtract", _) => {
                let seconds = action.value.unwrap_or(self.step_s);
                if seconds == 0 || seconds.saturating_abs() > MOST_SECONDS {
                    return Err(Refusal::WrongValue(format!("“{}” needs seconds, such as 60 or -60", action.name)));
                }
                let takes = action.name == "subtract";
                ClockAct::Add { seconds: if takes { seconds.saturating_neg() } else { seconds } }
            }
            (other, _) => {
                let known = "start, pause, reset, add, subtract, lap (of one that counts up), undo";
                return Err(Refusal::NoSuchAction(other.into(), known.into()));
            }
        };
        Ok(Act::Clock(act))
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn levers(&self, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
        if !self.kind.is_operated() {
            return Vec::new();
        }
        let phase = self.phase(state, scope);
        let done = phase == PhaseWord::Done;
        let first = if phase == PhaseWord::Running {
            Lever::new("pause", "Pause", true).main()
        } else {
            Lever::new("start", "Start", !done).main()
        };
        let step = digits(TimeDelta::seconds(self.step_s));
        let step =
            if self.step_s % 60 == 0 && self.step_s < 3_600 { format!("{} min", self.step_s / 60) } else { step };
        let more = Lever { value: Some(self.step_s), ..Lever::new("add", format!("+{step}"), !done) };
        let less = Lever { value: Some(self.step_s), ..Lever::new("subtract", format!("−{step}"), !done) };
        let reset = Lever::new("reset", "Reset", true).asking(phase == PhaseWord::Running);
        let undo = Lever::new("undo", "Undo", state.log.newest().is_some());
        match self.kind {
            Kind::Up => vec![first, Lever::new("lap", "Lap", phase == PhaseWord::Running), reset, undo, more, less],
            _ => vec![first, more, reset, undo, less],
        }
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        if let Since::Latest(count) = &mut self.since {
            count.convert(by, settings);
        }
    }

    fn figure(&self, state: &State, scope: &Scope<'_>) -> Option<i64> {
        let runs_down = matches!(self.kind, Kind::Down | Kind::To);
        runs_down.then(|| self.seen(state, scope).ms)
    }

    fn ending(&self, state: &State, scope: &Scope<'_>) -> Option<(Instant, String)> {
        match self.seen(state, scope).anchor {
            Anchor::Ends { at } => Some((at, String::new())),
            _ => None,
        }
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Clock(self.seen(state, scope))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Clock(self.sampled(scope))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        self.changes_at(state, scope)
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let calendar = &scope.settings.calendar;
        let view = self.seen(state, scope);
        let sign = |length: TimeDelta| if length < TimeDelta::zero() { "−" } else { "" };
        let lines = || -> Vec<SlipLine> { state.log.slip_lines(calendar, ClockAct::words) };
        let at = |at: Instant| instant_words(calendar, at);
        let (terms, lines) = match self.kind {
            Kind::Down => {
                let extra = state.run.extra();
                let spent = digits(state.run.spent(self.length(), scope.now));
                let terms = vec![
                    ("Length".to_owned(), digits(self.length())),
                    ("Added by hand".into(), format!("{}{}", sign(extra), digits(extra.abs()))),
                    ("Run down so far".into(), format!("−{spent}")),
                ];
                (terms, lines())
            }
            Kind::Up => {
                let extra = state.run.extra();
                let ran = less(state.run.elapsed(scope.now), extra);
                let terms = vec![
                    ("Run so far".to_owned(), digits(ran)),
                    ("Added by hand".into(), format!("{}{}", sign(extra), digits(extra.abs()))),
                ];
                (terms, lines())
            }
            Kind::To => match self.target(scope) {
                Some(target) => (vec![("It counts down to".to_owned(), at(target))], Vec::new()),
                None => (Vec::new(), Vec::new()),
            },
            Kind::Since => {
                let cause = self.cause(state, scope).map_or_else(|| "never yet".to_owned(), at);
                let lines = match &self.since {
                    Since::Latest(count) => terms_and_lines(count, scope).1,
                    Since::Counter(_) => state.beside.slip_lines(calendar, CounterAct::words),
                    Since::Show => Vec::new(),
                };
                (vec![(format!("Last time: {}", self.since.words(scope)), cause)], lines)
            }
            Kind::Zone => {
                let zone = self.zone.unwrap_or(calendar.zone);
                (vec![("The time of day in".to_owned(), zone.name().replace('_', " "))], Vec::new())
            }
        };
        let span = match view.phase {
            PhaseWord::Ready if self.kind == Kind::Since => "It has never happened".into(),
            PhaseWord::Ready => "Ready to start".into(),
            PhaseWord::Running => match (self.kind, &view.anchor) {
                (Kind::Zone, _) => "It runs all the time".into(),
                (_, Anchor::Ends { at: end }) => format!("Running, ends {}", at(*end)),
                (_, Anchor::Began { at: zero }) => format!("Running since {}", at(*zero)),
                _ => "Running".into(),
            },
            PhaseWord::Paused => "Paused".into(),
            PhaseWord::Done => view.done_at.map_or("Done".into(), |done| format!("Done since {}", at(done))),
        };
        let hidden = if view.hidden { "; it hides itself now" } else { "" };
        Slip { terms, shown: view.shown, span: format!("{span}{hidden}"), lines }
    }
}
