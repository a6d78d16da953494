//! A counter on air: a number plate.

use crate::draw::html;
use askama::Template;
use tally_core::widgets::counter::CounterView;

#[derive(Template)]
#[template(path = "widgets/counter.html")]
struct Drawing<'a> {
    view: &'a CounterView,
}

pub(super) fn draw(view: &CounterView) -> String {
    html(&Drawing { view })
}
