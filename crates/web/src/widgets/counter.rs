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
    Drawing::of(Counter::KEY, Counter::SHAPES, html(&Inner { view }))
        .figure("length", view.shown.chars().count())
        .class("is-reached", view.reached)
}
