//! A clock on air. While it runs, the page ticks by itself.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::look::Look;
use tally_core::time::Instant;
use tally_core::time::face::Face;
use tally_core::widgets::Family;
use tally_core::widgets::clock::{Anchor, Clock, ClockView, PhaseWord};
use tally_core::widgets::scoreboard::Clock as MatchClock;
use tally_core::widgets::subathon::SubathonView;

/// What a page needs to tick by itself: see `assets/clock.js`, which writes faces by the same rules as the core.
#[derive(Template)]
#[template(path = "widgets/ticks.html")]
pub struct Ticks<'a> {
    mode: &'static str,
    /// The instant at which it shows nothing, in milliseconds; of a time of day, how far local time is ahead of UTC.
    at: i64,
    units: &'static str,
    tenths: i64,
    /// A text of its own around the digits; empty for none.
    format: &'a str,
    /// What it says when it is done.
    done: &'a str,
    /// What fills its ring or strip, in milliseconds.
    full: i64,
}

impl<'a> Ticks<'a> {
    fn of(mode: &'static str, at: Instant, face: Face, done: &'a str, full: i64) -> Self {
        let (units, tenths) = (face.units.key(), face.tenths_under);
        Self { mode, at: at.timestamp_millis(), units, tenths, format: "", done, full }
    }

    /// Of a clock that runs; none of one that stands.
    pub fn of_clock(view: &'a ClockView) -> Option<Self> {
        let done = if view.done_text.is_empty() { "0" } else { &view.done_text };
        let of = |mode, at| Self { format: &view.format, ..Self::of(mode, at, view.face, done, view.full_ms) };
        match view.anchor {
            Anchor::Stands => None,
            Anchor::Ends { at } => Some(of("down", at)),
            Anchor::Began { at } => Some(of("up", at)),
            Anchor::Zone { offset_ms } => Some(Self { at: offset_ms, ..of("zone", Instant::UNIX_EPOCH) }),
        }
    }

    /// Of a clock of a match that runs.
    pub fn of_match(clock: &'a MatchClock) -> Option<Self> {
        match clock.anchor {
            Anchor::Ends { at } => Some(Self::of("down", at, clock.face, "0:00", 0)),
            Anchor::Began { at } => Some(Self::of("up", at, clock.face, "", 0)),
            Anchor::Stands | Anchor::Zone { .. } => None,
        }
    }

    /// Of a subathon that runs. Its text for the end comes from the server: it may yet be revived.
    pub fn of_subathon(view: &'a SubathonView) -> Option<Self> {
        view.ends_at.map(|at| Self::of("down", at, view.face, "0", 0))
    }
}

#[derive(Template)]
#[template(path = "widgets/clock.html")]
struct Inner<'a> {
    view: &'a ClockView,
    ticks: Option<Ticks<'a>>,
    shape: &'a str,
    /// Digits get the large face, a text the smaller one.
    digits: bool,
    /// How full a ring or a strip is, in thousandths.
    share: i64,
}

/// Whether a face shows digits and no text of the streamer's.
pub(super) fn is_digits(shown: &str) -> bool {
    shown.chars().next().is_some_and(|first| first.is_ascii_digit()) && shown.chars().count() <= 16
}

pub(super) fn draw(view: &ClockView, look: &Look) -> Drawing {
    let shape = look.shape(Clock::SHAPES).map_or("plate", |shape| shape.key);
    let phase = match view.phase {
        PhaseWord::Ready => "is-ready",
        PhaseWord::Running => "is-running",
        PhaseWord::Paused => "is-paused",
        PhaseWord::Done => "is-done",
    };
    let digits = is_digits(&view.shown) && view.format.is_empty();
    let inner = Inner { view, ticks: Ticks::of_clock(view), shape, digits, share: view.share() };
    Drawing::of(Clock::KEY, Clock::SHAPES, html(&inner))
        .figure("length", view.shown.chars().count())
        .class(phase, true)
        .class("is-away", view.hidden)
        .class("has-laps", !view.laps.is_empty())
}
