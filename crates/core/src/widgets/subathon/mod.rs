//! Subathon clocks: a clock that runs down, and to which the audience adds.
//!
//! At any instant: shown = start length + additions − takings − time run, never below 0. What adds how much stands
//! on a rate sheet (`sheet.rs`), within limits and under boosts (`terms.rs`); the log is folded in `reckoning.rs`,
//! and the clockwork itself is in `clockwork.rs`. What happens by itself (it runs out, a break begins or ends) is
//! written into the ledger at the instant at which it was due, so that the record says what was seen on air.

mod clockwork;
mod compute;
mod explain;
mod forecast;
mod levers;
mod line;
mod noted;
mod sentence;
mod sheet;
mod table;
mod terms;
mod view;

pub use clockwork::{Clockwork, Phase, Planned};
pub use compute::{Computed, State};
pub use forecast::{Chart, Forecast, Mark, Step};
pub use line::{Line, Why};
pub use sheet::{MOST_MS, Rate, Rounding, Row, Sheet};
pub use terms::{Boost, Former, History, Limits, Terms, WhilePaused};
pub use view::{AddedView, PhaseWord, SubathonView};

use super::{Action, Cued, Family, Known, Lever, News, Notable, Said, Watched};
use crate::book::chat::ChatLine;
use crate::count::explain::Slip;
use crate::count::{Count, Scope};
use crate::language::unit::Unit;
use crate::look::Token;
use crate::look::tokens::{ADDED_SOUNDS, BAR, CLOCK_SOUNDS, PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::acts::{Act, SubathonAct};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::record::measure::Measure;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::table::Table;
use crate::sentence::{EditError, Part};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::time::face::{Direction, Face, Units};
use crate::widgets::view::View;
use chrono::{DateTime, NaiveDateTime, TimeDelta};
use compute::ms;
use serde::{Deserialize, Serialize};

/// A break planned ahead.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Break {
    /// What it is known by; never used again.
    pub id: u32,
    /// When it begins, local time.
    pub at: NaiveDateTime,
    /// How long it is, in seconds.
    pub seconds: i64,
}

/// What a subscription of each tier, and a hundred points, are worth to the channel, in minor units of its
/// currency; 0 where that is not told.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Worth {
    /// Of each tier.
    pub subs: [i64; 3],
    /// Of a hundred points.
    pub points: i64,
}

/// What a subathon clock is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Subathon {
    /// Its name, also on the picture.
    pub title: String,
    /// From how many seconds it starts.
    pub seconds: i64,
    /// What holds for additions, now and before.
    #[serde(flatten)]
    pub terms: History,
    /// Breaks planned ahead.
    #[serde(default)]
    pub breaks: Vec<Break>,
    /// Whether they only remind, and somebody has to begin them.
    #[serde(default)]
    pub breaks_remind: bool,
    /// Whether it stands still while the server is away; otherwise it runs on.
    #[serde(default)]
    pub stands_while_away: bool,
    /// Shown when it is over; empty shows zero.
    pub over_text: String,
    /// In which units it is written.
    #[serde(default)]
    pub units: Units,
    /// What things are worth, for the fairness check.
    #[serde(default)]
    pub worth: Worth,
    /// What one press adds or takes, in seconds.
    pub step_s: i64,
    /// By what a boost by hand multiplies, in thousandths.
    pub boost: u32,
    /// For how long, in seconds.
    pub boost_s: i64,
}

impl Subathon {
    fn length_ms(&self) -> i64 {
        self.seconds.saturating_mul(1_000)
    }

    /// Its breaks as instants. A moment within the gap of a clock change is the first instant after it, and one
    /// that comes twice is the first of the two.
    fn plan(&self, scope: &Scope<'_>) -> Vec<Planned> {
        let planned = |one: &Break| Planned {
            id: one.id,
            at: ms(scope.settings.calendar.instant(one.at)),
            ms: one.seconds.saturating_mul(1_000),
            by_itself: !self.breaks_remind,
        };
        self.breaks.iter().map(planned).collect()
    }

    /// The clock at an instant, after all that has happened by itself until then.
    fn seen(&self, state: &State, scope: &Scope<'_>) -> Clockwork {
        state.sum.clock.seen_at(ms(scope.now), &self.plan(scope))
    }

    fn face(&self) -> Face {
        Face { units: self.units, direction: Direction::Down, tenths_under: 0 }
    }

    /// Whether a clock that has run out can no longer be revived at an instant in milliseconds.
    fn is_over(&self, clock: &Clockwork, now: i64) -> bool {
        match clock.phase {
            Phase::Zero { at } => now >= at.saturating_add(self.terms.at(at).grace_ms),
            Phase::Over { .. } => true,
            _ => false,
        }
    }
}

/// The tokens of shapes with a plate and a bar.
const FACED: &[&[Token]] = &[TITLED, TEXT, PLATE, BAR, CLOCK_SOUNDS, ADDED_SOUNDS];

/// The instant of milliseconds of Unix time.
fn instant(ms: i64) -> Instant {
    DateTime::from_timestamp_millis(ms).unwrap_or(if ms < 0 { Instant::MIN_UTC } else { Instant::MAX_UTC })
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Value, look::Part::Words, look::Part::Bar, look::Part::Frame];

/// What comes within this time is near.
const SOON: TimeDelta = TimeDelta::minutes(5);

impl Family for Subathon {
    type State = State;
    const KEY: &'static str = "subathon";
    const CUED: Cued = Cued::of(
        Watched::Left,
        &[
            Known::numbered("add", "add seconds", 300),
            Known::numbered("subtract", "take seconds away", 300),
            Known::new("start", "start, or end the break"),
            Known::new("pause", "pause"),
            Known::new("break", "begin a break"),
            Known::new("boost", "boost"),
            Known::new("end_boosts", "end the boost"),
        ],
    );
    const SHAPES: &'static [Shape] = &[
        Shape { key: "plate", words: "Station clock", tokens: FACED, parts: PARTS, size: (760, 300) },
        Shape { key: "ring", words: "Ring", tokens: FACED, parts: PARTS, size: (420, 420) },
        Shape { key: "strip", words: "Strip", tokens: FACED, parts: PARTS, size: (1200, 120) },
        Shape {
            key: "digits",
            words: "Digits only",
            tokens: &[TITLED, TEXT, CLOCK_SOUNDS, ADDED_SOUNDS],
            parts: &[look::Part::Title, look::Part::Value, look::Part::Words],
            size: (640, 200),
        },
    ];

    fn standard(settings: &Settings) -> Self {
        let whole = Unit::Money(settings.currency).whole();
        Self {
            title: "New subathon".into(),
            seconds: 4 * 3_600,
            terms: History { now: Terms::standard(whole), former: Vec::new() },
            breaks: Vec::new(),
            breaks_remind: false,
            stands_while_away: false,
            over_text: "That was it. Thank you!".into(),
            units: Units::Auto,
            worth: Worth::default(),
            step_s: 300,
            boost: 2_000,
            boost_s: 600,
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    /// What its sheet counts, for readiness and rehearsals; what it comes to is reckoned line by line.
    fn counts(&self, _: &State, _: &Settings) -> Vec<Count> {
        let on = self.terms.now.sheet.0.iter().filter(|(_, rate)| rate.on);
        let measures: std::collections::BTreeSet<Measure> = on.map(|(row, _)| row.measure()).collect();
        measures.into_iter().map(|measure| Count::of(measure, Period::AllTime)).collect()
    }

    fn notes(&self) -> u16 {
        Sheet::kinds()
    }

    fn hears(&self, _: &State, line: &ChatLine, _: Instant) -> Option<Said> {
        let rows = self.terms.now.sheet.0.iter().filter(|(_, rate)| rate.on);
        let mut said = rows.filter_map(|(row, rate)| Some((row.command()?, rate.rest_s)));
        said.find_map(|(word, rest_s)| {
            let text = line.after(word)?.to_owned();
            Some(Said::Command { word: word.to_owned(), text, rest_s })
        })
    }

    fn words(&self) -> Vec<(String, &'static str)> {
        let rows = self.terms.now.sheet.0.iter().filter(|(_, rate)| rate.on);
        rows.filter_map(|(row, _)| Some((row.command()?.to_owned(), "adds time to"))).collect()
    }

    fn follow(&self, state: &mut State, news: News<'_>, scope: &Scope<'_>) -> bool {
        match news {
            News::Happened(entry) => state.note_happening(entry, self, scope),
            News::Said(entry) => {
                state.note_said(entry);
                false
            }
            News::Replayed(entry) => {
                state.note_again(entry);
                false
            }
            News::Beside(_) => false,
            News::Operated if !state.is_stale() => false,
            News::Operated | News::Anew => {
                state.compute(self, scope);
                true
            }
        }
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        state.note_act(entry, |act| if let Act::Subathon(act) = act { Some(*act) } else { None })
    }

    fn succeed(&mut self, before: &Self, now: Instant) {
        self.terms.succeed(&before.terms, now);
    }

    fn due(&self, state: &State, scope: &Scope<'_>) -> Option<(Instant, Act)> {
        let (at, due) = state.sum.clock.next(&self.plan(scope))?;
        let act = match due {
            clockwork::Due::Zero => SubathonAct::Zero { length_ms: Some(self.length_ms()) },
            clockwork::Due::Break(one) => SubathonAct::Break { planned: Some(one.id), ms: one.ms, by_itself: true },
            clockwork::Due::GoesOn => SubathonAct::BreakEnds,
        };
        Some((instant(at), Act::Subathon(act)))
    }

    fn noting(&self, state: &State, what: Notable, scope: &Scope<'_>) -> Option<Act> {
        match what {
            Notable::Changed => state.sum.clock.is_going().then_some(Act::Subathon(SubathonAct::Changed)),
            Notable::Away { from, until } => {
                let ran = !self.stands_while_away;
                // What was written since then was written by a server that was there.
                let seen = self.seen(state, &Scope { now: from, ..*scope });
                // A break that ends meanwhile goes on until the server is back, too.
                let runs = match seen.phase {
                    Phase::Running => true,
                    Phase::Paused { until: Some(ends) } => !ran && ends < ms(until),
                    _ => false,
                };
                let act = Act::Subathon(SubathonAct::Away { from, until, ran });
                (runs && state.sum.clock.at < ms(until)).then_some(act)
            }
        }
    }

    fn decide(&self, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal> {
        levers::decide(self, state, action, scope).map(Act::Subathon)
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.acts().undoable_of(target, |act| act.is_by_hand())
    }

    fn levers(&self, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
        levers::levers(self, &state.with_due(self, scope), scope)
    }

    fn convert(&mut self, by: &Conversion, _: &Settings) {
        table::convert(self, by);
    }

    fn figure(&self, state: &State, scope: &Scope<'_>) -> Option<i64> {
        Some(view::view(self, &state.with_due(self, scope), scope).left_ms)
    }

    fn ending(&self, state: &State, scope: &Scope<'_>) -> Option<(Instant, String)> {
        view::view(self, &state.with_due(self, scope), scope).ends_at.map(|at| (at, String::new()))
    }

    fn attention(&self, state: &State, scope: &Scope<'_>) -> Option<String> {
        let seen = view::view(self, &state.with_due(self, scope), scope);
        let comes = seen.break_next.as_ref().filter(|next| !next.under_way && !next.due);
        let soon = comes.is_some_and(|next| next.from <= crate::time::after(scope.now, SOON));
        match seen.phase {
            PhaseWord::Running if seen.break_next.as_ref().is_some_and(|next| next.due) => {
                Some("a break is due: begin it".into())
            }
            PhaseWord::Running if seen.left_ms <= SOON.num_milliseconds() => {
                Some("has less than five minutes left".into())
            }
            PhaseWord::Running if soon => Some("has a break within five minutes".into()),
            PhaseWord::Grace => Some("has run out; an addition revives it".into()),
            _ => None,
        }
    }

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        match key.strip_prefix("rate.") {
            Some(key) => table::edit(self, key, text, scope),
            None => sentence::edit(self, key, text, scope),
        }
    }

    fn rate_table(&self, scope: &Scope<'_>) -> Option<Table> {
        Some(table::table(self, scope))
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Subathon(Box::new(view::view(self, &state.with_due(self, scope), scope)))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Subathon(Box::new(view::sample(self, scope)))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        let seen = view::view(self, &state.with_due(self, scope), scope);
        let ends = [seen.ends_at, seen.break_next.as_ref().map(|next| next.from)].into_iter().flatten();
        let soon = ends.map(|at| crate::time::before(at, SOON)).filter(|at| *at > scope.now);
        view::wakes_at(self, &state.with_due(self, scope), scope).into_iter().chain(soon).min()
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        explain::slip(self, &state.with_due(self, scope), scope)
    }
}
