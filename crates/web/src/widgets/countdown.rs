//! A count-down clock on air: a plate with digits. While it runs, the page ticks by itself.

use crate::draw::html;
use askama::Template;
use tally_core::widgets::countdown::{CountdownView, PhaseWord};

#[derive(Template)]
#[template(path = "widgets/countdown.html")]
struct Drawing<'a> {
    view: &'a CountdownView,
    phase: &'static str,
    ends_ms: Option<i64>,
    /// Digits get the large face, a text the smaller one.
    digits: bool,
}

pub(super) fn draw(view: &CountdownView) -> String {
    let phase = match view.phase {
        PhaseWord::Ready => "ready",
        PhaseWord::Running => "running",
        PhaseWord::Paused => "paused",
        PhaseWord::Done => "done",
    };
    let digits = view.shown.chars().all(|c| c.is_ascii_digit() || c == ':');
    html(&Drawing { view, phase, ends_ms: view.ends_at.map(|at| at.timestamp_millis()), digits })
}
