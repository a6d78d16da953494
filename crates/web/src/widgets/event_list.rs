//! An event list on air: ticket stubs, strips, or a sheet of lines.

use super::icon::{Icon, icon};
use super::{Drawing, kind_case, kind_properties};
use crate::markup::html;
use askama::Template;
use tally_core::lines::Line;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::event_list::{EventList, EventListView};

#[derive(Template)]
#[template(path = "widgets/event_list.html")]
struct Inner<'a> {
    view: &'a EventListView,
    look: &'a Look,
}

impl Inner<'_> {
    fn icon(&self, line: &Line) -> Option<Icon> {
        icon(self.look, Some(line.kind))
    }

    fn own(&self, line: &Line) -> String {
        kind_properties(self.look, Some(line.kind))
    }

    fn case(&self, line: &Line) -> String {
        kind_case(self.look, Some(line.kind))
    }

    /// How pale the line in a place is, in steps of a tenth; 0 for not at all.
    fn pale(&self, place: &usize) -> usize {
        let from_newest = if self.view.newest_last { self.view.lines.len() - place } else { place + 1 };
        let from = self.view.fade_from as usize;
        if from == 0 || from_newest < from { 0 } else { ((from_newest - from + 1) * 2).min(8) }
    }
}

pub(super) fn draw(view: &EventListView, look: &Look) -> Drawing {
    Drawing::of(EventList::KEY, EventList::SHAPES, html(&Inner { view, look }))
        .figure("most", view.most)
        .class("is-empty", view.lines.is_empty() && view.placeholder.is_empty())
        .class("newest-last", view.newest_last)
        .class("is-sideways", view.sideways)
}
