//! When what has changed is published: at once, but no more than twenty-five times a second for each widget on air, less often
//! where fewer would notice, and not at all where nobody sees it; the newest wins. Whatever takes long to look at is looked at less
//! often, so that a flood of events is still taken.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;
use tally_core::record::ids::WidgetId;
use tokio::time::Instant;

/// By whom a widget is seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SeenBy {
    /// Open pages on air.
    Pages,
    /// Rooms and helpers alone.
    Rooms,
    /// Nobody, but when a goal is reached must be noticed: pages that open soon celebrate it.
    Us,
}

impl SeenBy {
    /// Time between two times of publishing one widget, on average. One may come early, so that what is
    /// steady but not quite even is never held back (a leaky bucket of two).
    fn gap(self) -> Duration {
        Duration::from_millis(match self {
            Self::Pages => 40,
            Self::Rooms => 125,
            Self::Us => 500,
        })
    }
}

/// What takes longer than this is slow. All slow ones together get one part in five of the task's time, and no more.
const SLOW: Duration = Duration::from_millis(4);
const REST: u32 = 4;

/// What a widget has had.
#[derive(Clone, Copy)]
struct Had {
    last: Instant,
    /// Until when that is paid for, at one a gap.
    paid_until: Instant,
}

impl Had {
    /// When the next is due, at this gap.
    fn due(self, gap: Duration) -> Instant {
        self.paid_until.min(self.last + gap * 2) - gap
    }
}

/// Which widgets are to be published, and when.
#[derive(Default)]
pub(crate) struct Pace {
    had: BTreeMap<WidgetId, Had>,
    waiting: BTreeSet<WidgetId>,
    /// Those that have changed while nobody saw them, and wait until somebody does.
    unseen: BTreeSet<WidgetId>,
    /// Those that were looked at by us alone.
    for_us: BTreeSet<WidgetId>,
    /// Whether one of those has changed again.
    unseen_changed: bool,
    /// Those that were slow last.
    slow: BTreeSet<WidgetId>,
    /// When the next slow one may be published.
    slow_from: Option<Instant>,
}

/// What is to be done now.
#[derive(Debug, Default, PartialEq, Eq)]
pub(crate) struct Turn {
    /// These are to be published, in this order.
    pub ready: Vec<WidgetId>,
    /// These have changed, and nobody sees them.
    pub unseen: Vec<WidgetId>,
    /// Some of which that was known already have changed again.
    pub unseen_again: bool,
}

impl Pace {
    pub(crate) fn touch(&mut self, ids: impl IntoIterator<Item = WidgetId>) {
        for id in ids {
            if self.unseen.contains(&id) {
                self.unseen_changed = true;
            } else {
                self.waiting.insert(id);
            }
        }
    }

    /// Somebody came or went: what nobody saw may be seen now.
    pub(crate) fn viewers_changed(&mut self) {
        self.waiting.append(&mut self.unseen);
        self.waiting.append(&mut self.for_us);
    }

    fn due(&self, id: WidgetId, seen_by: SeenBy) -> Option<Instant> {
        let own = self.had.get(&id).map(|had| had.due(seen_by.gap()));
        own.max(self.slow_from.filter(|_| self.slow.contains(&id)))
    }

    /// Takes note of how long a widget took that has just been published.
    pub(crate) fn took(&mut self, id: WidgetId, length: Duration, now: Instant) {
        if length < SLOW {
            self.slow.remove(&id);
        } else {
            self.slow.insert(id);
            self.slow_from = self.slow_from.max(Some(now + length * REST));
        }
    }

    /// Takes out those whose turn it is, those on air first: of the slow ones one at a time, by turns.
    pub(crate) fn take(&mut self, now: Instant, seen_by: impl Fn(WidgetId) -> Option<SeenBy>) -> Turn {
        let (mut ready, mut unseen) = (Vec::new(), Vec::new());
        for id in &self.waiting {
            match seen_by(*id) {
                Some(by) if self.due(*id, by).is_none_or(|due| due <= now) => ready.push((*id, by)),
                Some(_) => {}
                None => unseen.push(*id),
            }
        }
        let slow = ready.iter().map(|(id, _)| *id).filter(|id| self.slow.contains(id));
        let turn = slow.min_by_key(|id| self.had.get(id).map(|had| had.paid_until));
        ready.retain(|(id, _)| Some(*id) == turn || !self.slow.contains(id));
        ready.sort_by_key(|(_, by)| *by != SeenBy::Pages);
        for (id, by) in &ready {
            self.waiting.remove(id);
            if *by == SeenBy::Us {
                self.for_us.insert(*id);
            }
            let gap = by.gap();
            let paid_until = self.had.get(id).map_or(now, |had| now.max(had.due(gap) + gap)) + gap;
            self.had.insert(*id, Had { last: now, paid_until });
        }
        for id in &unseen {
            self.waiting.remove(id);
            self.unseen.insert(*id);
        }
        let unseen_again = std::mem::take(&mut self.unseen_changed);
        Turn { ready: ready.into_iter().map(|(id, _)| id).collect(), unseen, unseen_again }
    }

    /// When the next of those that wait and are seen is due.
    pub(crate) fn next(&self, seen_by: impl Fn(WidgetId) -> Option<SeenBy>) -> Option<Instant> {
        self.waiting.iter().filter_map(|id| self.due(*id, seen_by(*id)?)).min()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const GAP: Duration = Duration::from_millis(40);

    fn on_air(_: WidgetId) -> Option<SeenBy> {
        Some(SeenBy::Pages)
    }

    #[test]
    fn the_first_go_at_once_and_a_burst_waits_its_turn() {
        let start = Instant::now();
        let (a, b) = (WidgetId(1), WidgetId(2));
        let mut pace = Pace::default();
        pace.touch([a]);
        assert_eq!(pace.take(start, on_air).ready, [a]);
        pace.touch([a, a, b]);
        assert_eq!(pace.take(start + Duration::from_millis(10), on_air).ready, [a, b]);
        pace.touch([a]);
        assert_eq!(pace.next(on_air), Some(start + GAP));
        assert!(pace.take(start + GAP - Duration::from_millis(1), on_air).ready.is_empty());
        assert_eq!(pace.take(start + GAP, on_air).ready, [a]);
        assert_eq!(pace.next(on_air), None);
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
            for id in pace.take(now, on_air).ready {
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
        assert!(pace.take(now + GAP, on_air).ready.contains(&heavy));
    }

    #[test]
    fn no_more_than_twenty_five_a_second_get_through() {
        let start = Instant::now();
        let mut pace = Pace::default();
        let drawn: usize = (0..10_000)
            .map(|millisecond| {
                pace.touch([WidgetId(1)]);
                pace.take(start + Duration::from_millis(millisecond), on_air).ready.len()
            })
            .sum();
        assert_eq!(drawn, 251, "ten seconds' worth and the one that may come early");
    }

    #[test]
    fn what_nobody_sees_waits_until_somebody_looks() {
        let start = Instant::now();
        let (one, other) = (WidgetId(1), WidgetId(2));
        let mut pace = Pace::default();
        let nobody = |_| None;
        pace.touch([one, other]);
        assert_eq!(pace.take(start, nobody).unseen, [one, other]);
        assert_eq!(pace.take(start, nobody), Turn::default());
        pace.touch([one]);
        assert_eq!(pace.next(on_air), None);
        assert_eq!(pace.take(start, nobody), Turn { unseen_again: true, ..Turn::default() });
        pace.viewers_changed();
        let turn = pace.take(start, |id| (id == one).then_some(SeenBy::Rooms));
        assert_eq!((turn.ready, turn.unseen), (vec![one], vec![other]));
        // One that is on air from now on is published though we saw it, and no longer held back by the longer gap.
        for _ in 0..2 {
            pace.touch([one]);
            assert_eq!(pace.take(start + GAP * 4, |_| Some(SeenBy::Us)).ready, [one]);
        }
        pace.viewers_changed();
        assert_eq!(pace.take(start + GAP * 5, |_| Some(SeenBy::Us)).ready, [other]);
        assert_eq!(pace.take(start + GAP * 5, on_air).ready, [one]);
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
            let drawn = pace.next(on_air).map_or(came, |next| next.max(came));
            pace.take(drawn, on_air);
            late.push(drawn - came);
        }
        assert!(late.iter().any(|late| !late.is_zero()), "the halt makes some late");
        assert_eq!(late.last(), Some(&Duration::ZERO));
    }
}
