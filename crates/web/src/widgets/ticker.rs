//! A ticker on air: a paper tape, a board with a head, or words. The page lets it run.

use super::icon::{Icon, icon};
use super::{Drawing, kind_properties};
use crate::markup::html;
use askama::Template;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::ticker::{Item, Ticker, TickerView};

#[derive(Template)]
#[template(path = "widgets/ticker.html")]
struct Inner<'a> {
    view: &'a TickerView,
    look: &'a Look,
}

impl Inner<'_> {
    fn icon(&self, item: &Item) -> Option<Icon> {
        item.kind.and_then(|kind| icon(self.look, Some(kind)))
    }

    fn own(&self, item: &Item) -> String {
        kind_properties(self.look, item.kind)
    }
}

pub(super) fn draw(view: &TickerView, look: &Look) -> Drawing {
    Drawing::of(Ticker::KEY, Ticker::SHAPES, html(&Inner { view, look })).class("is-empty", view.items.is_empty())
}
