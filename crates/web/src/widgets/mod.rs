//! How each family is drawn on air. One file and one template a family.

mod countdown;
mod counter;
mod goal;

use tally_core::view::View;

/// The drawing of a widget, as HTML that goes inside its box.
pub fn draw(view: &View) -> String {
    match view {
        View::Goal(view) => goal::draw(view),
        View::Counter(view) => counter::draw(view),
        View::Countdown(view) => countdown::draw(view),
    }
}

/// The widget's name.
pub fn title(view: &View) -> &str {
    match view {
        View::Goal(view) => &view.title,
        View::Counter(view) => &view.title,
        View::Countdown(view) => &view.title,
    }
}
