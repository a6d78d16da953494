//! A poll on air: ticket stubs, signal arms, a slate; as a duel a coupling, two halves, a beam.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::poll::{OptionView, PhaseWord, Poll, PollView};

/// How far the beam of the scales turns at most, in degrees.
const BEAM: f64 = 16.0;
/// By how many hundredths one side must be ahead for that.
const LEANS_AT: f64 = 25.0;

#[derive(Template)]
#[template(path = "widgets/poll.html")]
struct Inner<'a> {
    view: &'a PollView,
    shape: &'a str,
    /// Whether shares are told.
    told: bool,
    /// Which poll it is and when it was opened, so that a page knows a new one.
    opened: Option<i64>,
}

impl Inner<'_> {
    /// How long the bar of an option is, in hundredths of the longest.
    fn length(&self, one: &OptionView) -> u64 {
        let most = self.view.options.iter().map(|one| one.weighted).max().unwrap_or(0).max(1);
        if self.told { one.weighted.saturating_mul(100) / most } else { 0 }
    }

    /// The two sides of a duel.
    fn sides(&self) -> Option<(&OptionView, &OptionView)> {
        match &self.view.options[..] {
            [left, right] => Some((left, right)),
            _ => None,
        }
    }

    /// How much of a duel the left side has, in hundredths; half of it while nobody knows.
    fn left_share(&self) -> u8 {
        match self.sides() {
            Some((left, _)) if self.told && self.view.weighted > 0 => left.percent,
            _ => 50,
        }
    }

    /// How far the beam leans, in tenths of a degree: down on the side that has more.
    fn lean(&self) -> i64 {
        let share = f64::from(self.left_share());
        #[allow(clippy::cast_possible_truncation, reason = "at most 160 either way")]
        let tenths = (((50.0 - share) / LEANS_AT).clamp(-1.0, 1.0) * BEAM * 10.0).round() as i64;
        tenths
    }

    fn percent(&self, one: &OptionView) -> String {
        if self.told { format!("{} %", one.percent) } else { "?".to_owned() }
    }
}

/// Whether a shape is drawn for two sides.
fn is_duel(shape: &str) -> bool {
    matches!(shape, "coupling" | "halves" | "beam")
}

pub(super) fn draw(view: &PollView, look: &Look) -> Drawing {
    let wanted = look.shape(Poll::SHAPES).map_or("stubs", |shape| shape.key);
    // A duel has two sides; of more, a ballot is drawn in the duel's room.
    let duel = is_duel(wanted) && (view.options.len() == 2 || view.phase == PhaseWord::Idle);
    let instead = (is_duel(wanted) && !duel).then_some("stubs");
    let shape = instead.unwrap_or(wanted);
    let told = !(view.secret && view.phase == PhaseWord::Open);
    let opened = view.closes_at.zip(view.length_ms).map(|(end, length)| end.timestamp_millis() - length);
    let inner = Inner { view, shape, told, opened: opened.filter(|_| view.phase == PhaseWord::Open) };
    Drawing::of(Poll::KEY, Poll::SHAPES, html(&inner))
        .in_shape(instead)
        .figure("rows", view.options.len().max(2))
        .figure("asked", view.question.chars().count())
        .class("is-idle", view.phase == PhaseWord::Idle)
        .class("is-leaving", view.leaving)
        .class("is-open", view.phase == PhaseWord::Open)
        .class("is-over", view.phase == PhaseWord::Closed)
        .class("is-tie", view.tie)
        .class("is-secret", !told)
        .class("is-duel", duel)
        .class("is-ballot", !duel)
        .class("has-question", !view.question.is_empty())
}
