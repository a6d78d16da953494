//! When drawings go out: at once, but no more than twenty-five a second for each widget; the newest wins.
//! Whatever takes long to draw is drawn less often, so that a flood of events is still taken.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;
use tally_core::record::ids::WidgetId;
use tokio::time::Instant;

/// Time between two drawings of one widget, on average. One drawing may come early, so that what is
/// steady but not quite even is never held back (a leaky bucket of two).
pub(crate) const GAP: Duration = Duration::from_millis(40);

/// A drawing that takes longer than this is a slow one. All slow ones together get one part in five of the
/// task's time, and no more.
const SLOW: Duration = Duration::from_millis(4);
const REST: u32 = 4;

/// Which widgets are to be drawn, and when.
#[derive(Default)]
pub(crate) struct Pace {
    /// Until when each widget's drawings so far are paid for, at one a [`GAP`].
    paid_until: BTreeMap<WidgetId, Instant>,
    waiting: BTreeSet<WidgetId>,
    /// Those whose last drawing was slow.
    slow: BTreeSet<WidgetId>,
    /// When the next slow one may be drawn.
    slow_from: Option<Instant>,
}

impl Pace {
    pub(crate) fn touch(&mut self, ids: impl IntoIterator<Item = WidgetId>) {
        self.waiting.extend(ids);
    }

    fn due(&self, id: WidgetId) -> Option<Instant> {
        let own = self.paid_until.get(&id).map(|paid| *paid - GAP);
        own.max(self.slow_from.filter(|_| self.slow.contains(&id)))
    }

    /// Takes note of how long a drawing took that has just been made.
    pub(crate) fn took(&mut self, id: WidgetId, length: Duration, now: Instant) {
        if length < SLOW {
            self.slow.remove(&id);
        } else {
            self.slow.insert(id);
            self.slow_from = self.slow_from.max(Some(now + length * REST));
        }
    }

    /// Takes out those whose turn it is: of the slow ones one at a time, by turns.
    pub(crate) fn take(&mut self, now: Instant) -> Vec<WidgetId> {
        let mut ready: Vec<WidgetId> =
            self.waiting.iter().copied().filter(|id| self.due(*id).is_none_or(|due| due <= now)).collect();
        let slow = ready.iter().copied().filter(|id| self.slow.contains(id));
        let turn = slow.min_by_key(|id| self.paid_until.get(id).copied());
        ready.retain(|id| Some(*id) == turn || !self.slow.contains(id));
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
    fn slow_ones_share_a_part_of_the_time_by_turns_and_hold_nothing_else_up() {
        let start = Instant::now();
        let (heavy, other, light) = (WidgetId(1), WidgetId(2), WidgetId(3));
        let length = Duration::from_millis(50);
        let mut pace = Pace::default();
        let mut drawn = BTreeMap::new();
        let mut now = start;
        while now < start + Duration::from_secs(20) {
            pace.touch([heavy, other, light]);
            for id in pace.take(now) {
                *drawn.entry(id).or_insert(0_u32) += 1;
                let took = if id == light { Duration::ZERO } else { length };
                now += took;
                pace.took(id, took, now);
            }
            now += Duration::from_millis(1);
        }
        let share = f64::from(drawn[&heavy] + drawn[&other]) * length.as_secs_f64() / 20.0;
        assert!((0.15..=0.21).contains(&share), "{share}");
        assert!(drawn[&heavy].abs_diff(drawn[&other]) <= 1, "{drawn:?}");
        assert!(drawn[&light] > 300, "{drawn:?}");
        // One that is quick again is free again.
        pace.touch([heavy]);
        pace.took(heavy, Duration::ZERO, now);
        assert!(pace.take(now + GAP).contains(&heavy));
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
