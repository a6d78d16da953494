//! When something on a widget is celebrated: pages are told once, and do it by themselves.

use tally_core::time::Instant;
use tally_core::widgets::goal::Watch;
use tally_core::widgets::view::View;

/// Watches one widget.
#[derive(Debug, Default)]
pub(super) struct Celebrations {
    watch: Watch,
    last: Option<Instant>,
}

impl Celebrations {
    /// Looks at what is shown now. Gives when something was last celebrated.
    pub(super) fn look(&mut self, view: &View, now: Instant) -> Option<Instant> {
        if let View::Goal(view) = view
            && self.watch.look(view, now).is_some()
        {
            self.last = Some(now);
        }
        self.last
    }
}
