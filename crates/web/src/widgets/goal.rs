//! A goal on air: a rail over sleepers, with a pennant that travels along it.

use crate::draw::html;
use askama::Template;
use tally_core::widgets::goal::{GoalView, Outcome};

#[derive(Template)]
#[template(path = "widgets/goal.html")]
struct Drawing<'a> {
    view: &'a GoalView,
    outcome: Option<&'static str>,
}

pub(super) fn draw(view: &GoalView) -> String {
    let outcome = view.outcome.map(|outcome| match outcome {
        Outcome::Met => "Reached in time",
        Outcome::Missed => "Closed",
    });
    html(&Drawing { view, outcome })
}
