//! When drawings go out: at once, but no more than twenty-five a second for each widget; the newest wins.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;
use tally_core::record::ids::WidgetId;
use tokio::time::Instant;

/// Time between two drawings of one widget, on average. One drawing may come early, so that what is
/// steady but not quite even is never held back (a leaky bucket of two).
pub(crate) const GAP: Duration = Duration::from_millis(40);

/// Which widgets are to be drawn, and when.
#[derive(Default)]
pub(crate) struct Pace {
    /// Until when each widget's drawings so far are paid for, at one a [`GAP`].
    paid_until: BTreeMap<WidgetId, Instant>,
    waiting: BTreeSet<WidgetId>,
}

impl Pace {
    pub(crate) fn touch(&mut self, ids: impl IntoIterator<Item = WidgetId>) {
        self.waiting.extend(ids);
    }

    fn due(&self, id: WidgetId) -> Option<Instant> {
        self.paid_until.get(&id).map(|paid| *paid - GAP)
    }

    /// Takes out those whose turn it is.
    pub(crate) fn take(&mut self, now: Instant) -> Vec<WidgetId> {
        let ready: Vec<WidgetId> =
            self.waiting.iter().copied().filter(|id| self.due(*id).is_none_or(|due| due <= now)).collect();
        for id in &ready {
            self.waiting.remove(id);
            let paid = self.paid_until.entry(*id).or_insert(now);
            *paid = now.max(*paid) + GAP;
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
    fn the_first_go_at_once_and_a_burst_waits_its_turn() {
        let start = Instant::now();
        let (a, b) = (WidgetId(1), WidgetId(2));
        let mut pace = Pace::default();
        pace.touch([a]);
        assert_eq!(pace.take(start), [a]);
        pace.touch([a, a, b]);
        assert_eq!(pace.take(start + Duration::from_millis(10)), [a, b]);
        pace.touch([a]);
        assert_eq!(pace.next(), Some(start + GAP));
        assert!(pace.take(start + GAP - Duration::from_millis(1)).is_empty());
        assert_eq!(pace.take(start + GAP), [a]);
        assert_eq!(pace.next(), None);
    }

    #[test]
    fn no_more_than_twenty_five_a_second_get_through() {
        let start = Instant::now();
        let mut pace = Pace::default();
        let drawn: usize = (0..10_000)
            .map(|millisecond| {
                pace.touch([WidgetId(1)]);
                pace.take(start + Duration::from_millis(millisecond)).len()
            })
            .sum();
        assert_eq!(drawn, 251, "ten seconds' worth and the one that may come early");
    }
    #[test]
    fn a_steady_twenty_a_second_is_on_time_again_soon_after_a_halt() {
        let start = Instant::now();
        let mut pace = Pace::default();
        let mut late = Vec::new();
        for number in 0..40_u32 {
            // The tenth comes a quarter of a second late, and those after it with it.
            let due = start + Duration::from_millis(50) * number;
            let halt = start + Duration::from_millis(750);
            let came = if (10..15).contains(&number) { due.max(halt) } else { due };
            pace.touch([WidgetId(1)]);
            let drawn = pace.next().map_or(came, |next| next.max(came));
            pace.take(drawn);
            late.push(drawn - came);
        }
        assert!(late.iter().any(|late| !late.is_zero()), "the halt makes some late");
        assert_eq!(late.last(), Some(&Duration::ZERO));
    }
}
