//! A counter on air: a number plate.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::widgets::Family;
use tally_core::widgets::counter::{Counter, CounterView};

#[derive(Template)]
#[template(path = "widgets/counter.html")]
struct Inner<'a> {
    view: &'a CounterView,
}

pub(super) fn draw(view: &CounterView) -> Drawing {
    let longest = view.all().map(|one| one.shown.chars().count()).max().unwrap_or(1);
    let many = view.more.len() + 1;
    Drawing::of(Counter::KEY, Counter::SHAPES, html(&Inner { view }))
        .figure("length", longest)
        .figure("many", many)
        .class("is-reached", view.more.is_empty() && view.first.reached)
        .class("has-several", many > 1)
        .class("part-frame", true)
}
