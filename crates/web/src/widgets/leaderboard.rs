//! A leaderboard on air: destination boards, rails by length, or three steps and the rest.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::widgets::Family;
use tally_core::widgets::leaderboard::{Leaderboard, LeaderboardView};

#[derive(Template)]
#[template(path = "widgets/leaderboard.html")]
struct Inner<'a> {
    view: &'a LeaderboardView,
}

pub(super) fn draw(view: &LeaderboardView) -> Drawing {
    Drawing::of(Leaderboard::KEY, Leaderboard::SHAPES, html(&Inner { view })).figure("most", view.most)
}
