//! A carousel on air: labels in the same place, one after the other.

use super::{Drawing, label};
use crate::markup::html;
use tally_core::look::Look;
use tally_core::widgets::Family;
use tally_core::widgets::carousel::{Carousel, CarouselView};

pub(super) fn draw(view: &CarouselView, look: &Look) -> Drawing {
    let slide = |(label, seconds): &(_, u32)| html(&label::Inner::of(label, look, Some(*seconds)));
    let inner: String = view.slides.iter().map(slide).collect();
    Drawing::of(Carousel::KEY, Carousel::SHAPES, inner).class("in-turn", true)
}
