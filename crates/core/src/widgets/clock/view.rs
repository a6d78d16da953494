//! What a clock shows.

use super::kind::Kind;
use super::run::Phase;
use super::{Clock, State};
use crate::count::Scope;
use crate::time::face::{Direction, Face, Units};
use crate::time::{Instant, after, before};
use chrono::{Offset, TimeDelta, TimeZone, Timelike};
use serde::Serialize;

/// How many laps are told.
const LAPS: usize = 5;
/// How long one that comes again and again says that it is done, where nothing else is said.
const LINGER_S: i64 = 600;
/// How long one that shows itself only while it runs says that it is done, where nothing else is said.
const PARTING_S: i64 = 10;
/// What fills a ring or a strip of a clock without a length: a minute.
const TURN_MS: i64 = 60_000;
/// Within this long before its moment the ring of a clock to a moment empties.
const LAST_HOUR_MS: i64 = 3_600_000;
/// How often the offset of a zone is looked at: clocks change at quarters of an hour.
const QUARTER_S: i64 = 900;

/// What a clock shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ClockView {
    /// Its name.
    pub title: String,
    /// What it counts.
    pub kind: Kind,
    /// Whether it stands, runs or is over.
    pub phase: PhaseWord,
    /// What stands in its face at this instant: digits or a text.
    pub shown: String,
    /// From what its page ticks by itself.
    pub anchor: Anchor,
    /// Milliseconds left, or gone by, or since midnight, at this instant.
    pub ms: i64,
    /// What fills a ring or a strip, in milliseconds.
    pub full_ms: i64,
    /// How its digits are written.
    pub face: Face,
    /// A text of its own around the digits, with places for them; empty for the digits alone.
    pub format: String,
    /// The text for when it is done.
    pub done_text: String,
    /// Since when it is done.
    pub done_at: Option<Instant>,
    /// Whether it hides itself now.
    pub hidden: bool,
    /// The newest laps, newest first.
    pub laps: Vec<Lap>,
}

/// From what a page ticks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(tag = "from", rename_all = "snake_case")]
pub enum Anchor {
    /// It stands.
    Stands,
    /// It runs down to an instant.
    Ends {
        /// Which.
        at: Instant,
    },
    /// It runs up from an instant.
    Began {
        /// Which.
        at: Instant,
    },
    /// It shows the time of day.
    Zone {
        /// How far local time is ahead of UTC, in milliseconds.
        offset_ms: i64,
    },
}

/// One lap.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Lap {
    /// Its number, the first being 1.
    pub number: usize,
    /// How long it took, as written.
    pub split: String,
    /// How far the clock had come, as written.
    pub total: String,
}

/// The phase as a word for other programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum PhaseWord {
    /// Not started, or what it counts since has never happened.
    Ready,
    /// Running.
    Running,
    /// Standing still.
    Paused,
    /// Over.
    Done,
}

impl ClockView {
    /// How full a ring or a strip is, in thousandths: what is left of the whole; of what counts up, how far the turn
    /// is that it is in.
    #[must_use]
    pub fn share(&self) -> i64 {
        let whole = self.full_ms.max(1);
        let part = if self.face.direction == Direction::Up { self.ms.rem_euclid(whole) } else { self.ms };
        part.saturating_mul(1_000).checked_div(whole).unwrap_or(0).clamp(0, 1_000)
    }

    /// What stands in its face.
    #[must_use]
    pub fn text(&self) -> String {
        self.shown.clone()
    }
}

/// Where a clock is, from what it ticks, and how far it is.
struct Place {
    phase: PhaseWord,
    anchor: Anchor,
    ms: i64,
    done_at: Option<Instant>,
}

impl Place {
    fn standing(phase: PhaseWord, ms: i64) -> Self {
        Self { phase, anchor: Anchor::Stands, ms, done_at: None }
    }

    fn done(at: Instant) -> Self {
        Self { done_at: Some(at), ..Self::standing(PhaseWord::Done, 0) }
    }
}

impl Clock {
    pub(super) fn phase(&self, state: &State, scope: &Scope<'_>) -> PhaseWord {
        self.place(state, scope).phase
    }

    fn hide_after(&self) -> Option<TimeDelta> {
        self.hide_after_s.or(self.only_running.then_some(PARTING_S)).map(TimeDelta::seconds)
    }

    fn linger(&self) -> TimeDelta {
        self.hide_after().unwrap_or(TimeDelta::seconds(LINGER_S))
    }

    /// The instant that one to a moment counts down to.
    pub(super) fn target(&self, scope: &Scope<'_>) -> Option<Instant> {
        self.moment.target(scope.now, self.linger(), &scope.settings.calendar)
    }

    fn offset_ms(&self, scope: &Scope<'_>) -> i64 {
        let zone = self.zone.unwrap_or(scope.settings.calendar.zone);
        let offset = zone.offset_from_utc_datetime(&scope.now.naive_utc()).fix().local_minus_utc();
        i64::from(offset).saturating_mul(1_000)
    }

    fn place(&self, state: &State, scope: &Scope<'_>) -> Place {
        let now = scope.now;
        match self.kind {
            Kind::Down => match state.run.phase(self.length(), now) {
                Phase::Ready { left } => Place::standing(PhaseWord::Ready, left.num_milliseconds()),
                Phase::Paused { left } => Place::standing(PhaseWord::Paused, left.num_milliseconds()),
                Phase::Running { ends_at } => Place::until(ends_at, now),
                Phase::Done { at } => Place::done(at),
            },
            Kind::To => match self.target(scope) {
                Some(target) if target > now => Place::until(target, now),
                Some(target) => Place::done(target),
                None => Place::done(now),
            },
            Kind::Up => {
                let ms = state.run.elapsed(now).num_milliseconds();
                match state.run.since() {
                    Some(_) => Place::since(before(now, state.run.elapsed(now)), ms),
                    None if state.run.has_begun() => Place::standing(PhaseWord::Paused, ms),
                    None => Place::standing(PhaseWord::Ready, ms),
                }
            }
            Kind::Since => match self.cause(state, scope) {
                Some(at) => Place::since(at, now.signed_duration_since(at).num_milliseconds()),
                None => Place::standing(PhaseWord::Ready, 0),
            },
            Kind::Zone => {
                let offset_ms = self.offset_ms(scope);
                let ms = now.timestamp_millis().saturating_add(offset_ms).rem_euclid(86_400_000);
                Place { phase: PhaseWord::Running, anchor: Anchor::Zone { offset_ms }, ms, done_at: None }
            }
        }
    }

    fn digits(&self, ms: i64) -> String {
        match self.kind {
            Kind::Zone => time_of_day(self.units, ms),
            _ if !self.format.is_empty() => self.face().fill(&self.format, ms),
            _ => self.face().write(ms),
        }
    }

    /// How far the clock is from hiding itself, and whether it has.
    fn hides_at(&self, place: &Place) -> Option<Instant> {
        let done = place.done_at?;
        self.hide_after().map(|length| after(done, length))
    }

    pub(super) fn seen(&self, state: &State, scope: &Scope<'_>) -> ClockView {
        let place = self.place(state, scope);
        let shown = match place.phase {
            PhaseWord::Ready if !self.ready_text.is_empty() => self.ready_text.clone(),
            PhaseWord::Done if !self.done_text.is_empty() => self.done_text.clone(),
            _ => self.digits(place.ms),
        };
        let rests = matches!(place.phase, PhaseWord::Ready | PhaseWord::Paused);
        let hidden = (self.only_running && rests) || self.hides_at(&place).is_some_and(|at| at <= scope.now);
        let mut before = 0_i64;
        let laps = state.laps.iter().enumerate().map(|(index, us)| {
            let split = us.saturating_sub(before);
            before = *us;
            let write = |us: i64| Face { tenths_under: i64::MAX, ..self.face() }.write(us / 1_000);
            Lap { number: index.saturating_add(1), split: write(split), total: write(*us) }
        });
        let mut laps: Vec<Lap> = laps.collect();
        laps.reverse();
        laps.truncate(LAPS);
        ClockView {
            title: self.title.clone(),
            kind: self.kind,
            phase: place.phase,
            shown,
            anchor: place.anchor,
            ms: place.ms,
            full_ms: match self.kind {
                Kind::Down => self.length().num_milliseconds(),
                Kind::To => LAST_HOUR_MS,
                Kind::Up | Kind::Since | Kind::Zone => TURN_MS,
            },
            face: self.face(),
            format: if self.kind == Kind::Zone { String::new() } else { self.format.clone() },
            done_text: self.done_text.clone(),
            done_at: place.done_at,
            hidden,
            laps,
        }
    }

    pub(super) fn sampled(&self, scope: &Scope<'_>) -> ClockView {
        let now = scope.now;
        let place = match self.kind {
            Kind::Down => Place::until(after(now, TimeDelta::seconds(self.seconds.saturating_mul(3) / 4)), now),
            Kind::To => Place::until(after(now, TimeDelta::seconds(2_718)), now),
            Kind::Up | Kind::Since => Place::since(before(now, TimeDelta::seconds(4_521)), 4_521_000),
            Kind::Zone => self.place(&State::default(), scope),
        };
        let seen = self.seen(&State::default(), scope);
        let shown = self.digits(place.ms);
        ClockView {
            phase: place.phase,
            anchor: place.anchor,
            ms: place.ms,
            shown,
            hidden: false,
            done_at: None,
            ..seen
        }
    }

    /// When it next shows something that its page does not tick by itself.
    pub(super) fn changes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        let place = self.place(state, scope);
        let hides = self.hides_at(&place);
        // One that comes again turns to the next when it has been done for long enough.
        let turns = (self.kind == Kind::To).then(|| place.done_at.map(|at| after(at, self.linger()))).flatten();
        let ends = match place.anchor {
            Anchor::Ends { at } => Some(at),
            Anchor::Zone { .. } => {
                let seconds = scope.now.timestamp().div_euclid(QUARTER_S).saturating_add(1).saturating_mul(QUARTER_S);
                chrono::DateTime::from_timestamp(seconds, 0)
            }
            _ => None,
        };
        [hides, turns, ends].into_iter().flatten().filter(|at| *at > scope.now).min()
    }
}

impl Place {
    fn until(at: Instant, now: Instant) -> Self {
        let ms = at.signed_duration_since(now).num_microseconds().unwrap_or(i64::MAX);
        // Rounded up, so that the last millisecond is still one.
        let ms = ms.saturating_add(999).div_euclid(1_000);
        Self { phase: PhaseWord::Running, anchor: Anchor::Ends { at }, ms, done_at: None }
    }

    fn since(at: Instant, ms: i64) -> Self {
        Self { phase: PhaseWord::Running, anchor: Anchor::Began { at }, ms, done_at: None }
    }
}

/// Milliseconds since midnight as a time of day: with seconds where hours, minutes and seconds are wanted.
fn time_of_day(units: Units, ms: i64) -> String {
    let seconds = u32::try_from(ms.div_euclid(1_000).rem_euclid(86_400)).unwrap_or(0);
    let time = chrono::NaiveTime::from_num_seconds_from_midnight_opt(seconds, 0).unwrap_or_default();
    match units {
        Units::Hours => time.format("%H:%M:%S").to_string(),
        _ => format!("{:02}:{:02}", time.hour(), time.minute()),
    }
}
