//! A total on air: figures on plates, one above the other, or alone.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::widgets::Family;
use tally_core::widgets::total::{Total, TotalView};

#[derive(Template)]
#[template(path = "widgets/total.html")]
struct Inner<'a> {
    view: &'a TotalView,
}

pub(super) fn draw(view: &TotalView) -> Drawing {
    let longest = view.columns.iter().map(|column| column.value.chars().count()).max().unwrap_or(1);
    Drawing::of(Total::KEY, Total::SHAPES, html(&Inner { view }))
        .figure("columns", view.columns.len())
        .figure("longest", longest.clamp(3, 24))
}
