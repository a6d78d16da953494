//! A label on air: a name plate, a pennant, or words.

use super::icon::{Icon, icon};
use super::{Drawing, kind_case, kind_properties};
use crate::markup::html;
use askama::Template;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::label::{Label, LabelView};

/// One label, alone or in a carousel.
#[derive(Template)]
#[template(path = "widgets/label.html")]
pub(super) struct Inner<'a> {
    view: &'a LabelView,
    icon: Option<Icon>,
    look: String,
    case: String,
    seconds: Option<u32>,
}

impl<'a> Inner<'a> {
    /// A label that is shown for so many seconds in turn, or for ever.
    pub(super) fn of(view: &'a LabelView, look: &Look, seconds: Option<u32>) -> Self {
        Self {
            icon: icon(look, view.kind),
            look: kind_properties(look, view.kind),
            case: kind_case(look, view.kind),
            view,
            seconds,
        }
    }
}

pub(super) fn draw(view: &LabelView, look: &Look) -> Drawing {
    Drawing::of(Label::KEY, Label::SHAPES, html(&Inner::of(view, look, None)))
}
