//! Chat lines on air: paper slips, one sheet, or words.

use super::Drawing;
use crate::markup::html;
use askama::Template;
use tally_core::widgets::Family;
use tally_core::widgets::chat_lines::{ChatLines, ChatLinesView};

#[derive(Template)]
#[template(path = "widgets/chat_lines.html")]
struct Inner<'a> {
    view: &'a ChatLinesView,
}

pub(super) fn draw(view: &ChatLinesView) -> Drawing {
    Drawing::of(ChatLines::KEY, ChatLines::SHAPES, html(&Inner { view }))
        .figure("most", view.most)
        .class("is-empty", view.lines.is_empty())
        .class("newest-last", true)
}
