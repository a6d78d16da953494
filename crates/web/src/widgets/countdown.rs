//! A count-down clock on air: a plate with digits. While it runs, the page ticks by itself.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::widgets::Family;
use tally_core::widgets::countdown::{Countdown, CountdownView, PhaseWord};

#[derive(Template)]
#[template(path = "widgets/countdown.html")]
struct Inner<'a> {
    view: &'a CountdownView,
    ends_ms: Option<i64>,
    /// Digits get the large face, a text the smaller one.
    digits: bool,
}

pub(super) fn draw(view: &CountdownView) -> Drawing {
    let phase = match view.phase {
        PhaseWord::Ready => "is-ready",
        PhaseWord::Running => "is-running",
        PhaseWord::Paused => "is-paused",
        PhaseWord::Done => "is-done",
    };
    let digits = view.shown.chars().all(|c| c.is_ascii_digit() || c == ':');
    let inner = Inner { view, ends_ms: view.ends_at.map(|at| at.timestamp_millis()), digits };
    Drawing::of(Countdown::KEY, Countdown::SHAPES, html(&inner)).class(phase, true)
}
