//! A subathon clock on air: its digits, how far it may still go, and what was added, which the page lets fly in.

use super::Drawing;
use super::clock::{Ticks, is_digits};
use crate::markup::html;
use askama::Template;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::subathon::{PhaseWord, Subathon, SubathonView};

#[derive(Template)]
#[template(path = "widgets/subathon.html")]
struct Inner<'a> {
    view: &'a SubathonView,
    ticks: Option<Ticks<'a>>,
    shape: &'a str,
    digits: bool,
    /// How much of all that it may run it has run, in thousandths; none where nothing limits it.
    ran: Option<i64>,
    /// How much of it is on the clock beyond that, in thousandths.
    left: i64,
    /// The newest additions, for the page to let fly in.
    newest: String,
}

impl Inner<'_> {
    /// When the next break begins or the present one ends, in milliseconds, and what that is.
    fn break_at(&self) -> Option<(i64, &'static str)> {
        let next = self.view.break_next.filter(|next| !next.due)?;
        Some(match next.under_way {
            true => (next.to.timestamp_millis(), "back in"),
            false => (next.from.timestamp_millis(), "break in"),
        })
    }
}

pub(super) fn draw(view: &SubathonView, look: &Look) -> Drawing {
    let shape = look.shape(Subathon::SHAPES).map_or("plate", |shape| shape.key);
    let phase = match view.phase {
        PhaseWord::Ready => "is-ready",
        PhaseWord::Running => "is-running",
        PhaseWord::Paused => "is-paused",
        PhaseWord::Break => "is-paused is-break",
        PhaseWord::Grace | PhaseWord::InDoubt => "is-grace",
        PhaseWord::Over => "is-done",
    };
    let (ran, left) = view.shares().map_or((None, 0), |(ran, left)| (Some(ran), left));
    let newest: Vec<_> = view
        .newest
        .iter()
        .map(|one| serde_json::json!({ "seq": one.seq.0, "name": one.name, "ms": one.ms, "words": one.words, "at": one.at.timestamp_millis() }))
        .collect();
    let inner = Inner {
        view,
        ticks: Ticks::of_subathon(view),
        shape,
        digits: is_digits(&view.shown),
        ran,
        left,
        newest: serde_json::to_string(&newest).unwrap_or_default(),
    };
    Drawing::of(Subathon::KEY, Subathon::SHAPES, html(&inner))
        .figure("length", view.shown.chars().count())
        .class(phase, true)
        .class("has-limit", ran.is_some())
}
