//! When drawings go out: at once, but no more than twenty a second for each widget; the newest wins.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;
use tally_core::ids::WidgetId;
use tokio::time::Instant;

/// Least time between two drawings of one widget.
pub(crate) const GAP: Duration = Duration::from_millis(50);

/// Which widgets are to be drawn, and when.
#[derive(Default)]
pub(crate) struct Pace {
    drawn: BTreeMap<WidgetId, Instant>,
    waiting: BTreeSet<WidgetId>,
}

impl Pace {
    pub(crate) fn touch(&mut self, ids: impl IntoIterator<Item = WidgetId>) {
        self.waiting.extend(ids);
    }

    fn due(&self, id: WidgetId) -> Option<Instant> {
        self.drawn.get(&id).map(|drawn| *drawn + GAP)
    }

    /// Takes out those whose turn it is.
    pub(crate) fn take(&mut self, now: Instant) -> Vec<WidgetId> {
        let ready: Vec<WidgetId> =
            self.waiting.iter().copied().filter(|id| self.due(*id).is_none_or(|due| due <= now)).collect();
        for id in &ready {
            self.waiting.remove(id);
            self.drawn.insert(*id, now);
        }
        ready
    }

    /// When the next of those that wait is due.
    pub(crate) fn next(&self) -> Option<Instant> {
        self.waiting.iter().filter_map(|id| self.due(*id)).min()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_goes_at_once_and_a_burst_waits_its_turn() {
        let start = Instant::now();
        let (a, b) = (WidgetId(1), WidgetId(2));
        let mut pace = Pace::default();
        pace.touch([a]);
        assert_eq!(pace.take(start), [a]);
        pace.touch([a, a, b]);
        assert_eq!(pace.take(start + Duration::from_millis(10)), [b]);
        assert_eq!(pace.next(), Some(start + GAP));
        assert!(pace.take(start + Duration::from_millis(49)).is_empty());
        assert_eq!(pace.take(start + GAP), [a]);
        assert_eq!(pace.next(), None);
    }
}
