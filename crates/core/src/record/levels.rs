//! Which readings of levels are recorded. A number that is read every few seconds would drown the ledger,
//! and no chart needs more than a few points a minute: so the first reading after a quiet time is recorded at
//! once, and after that the highest, the lowest and the last of each minute. What is shown follows every one.

use crate::record::entry::{Body, Draft};
use crate::record::happening::Happening;
use crate::record::ids::FeedId;
use crate::time::{Instant, after};
use chrono::TimeDelta;
use std::collections::BTreeMap;

/// See the module.
#[derive(Debug, Clone, Default)]
pub struct Levels {
    gap: TimeDelta,
    open: BTreeMap<(Option<FeedId>, String), Window>,
}

/// The readings of one level that wait to be recorded, if they are.
#[derive(Debug, Clone)]
struct Window {
    ends: Instant,
    held: Option<Held>,
}

#[derive(Debug, Clone)]
struct Held {
    low: Draft,
    high: Draft,
    last: Draft,
}

fn value(draft: &Draft) -> i64 {
    match &draft.body {
        Body::Happening(Happening::Gauge { value, .. }) => *value,
        _ => 0,
    }
}

impl Levels {
    /// Records at most the extremes and the last of each stretch this long; all, if it is nothing.
    #[must_use]
    pub fn new(gap: TimeDelta) -> Self {
        Self { gap, open: BTreeMap::new() }
    }

    /// Takes a draft in. Whether it is held: then it need not be recorded now, and perhaps never.
    /// What does not tell of about now is history, and no reading of a level that is watched.
    pub fn hold(&mut self, draft: &Draft) -> bool {
        let Body::Happening(Happening::Gauge { name, .. }) = &draft.body else { return false };
        let far = draft.happened_at.signed_duration_since(draft.arrived_at).abs() > self.gap;
        if far || self.gap <= TimeDelta::zero() {
            return false;
        }
        let Some(window) = self.open.get_mut(&(draft.feed, name.clone())) else {
            let ends = after(draft.arrived_at, self.gap);
            self.open.insert((draft.feed, name.clone()), Window { ends, held: None });
            return false;
        };
        match &mut window.held {
            None => {
                window.held = Some(Held { low: draft.clone(), high: draft.clone(), last: draft.clone() });
            }
            Some(held) => {
                if value(draft) < value(&held.low) {
                    held.low = draft.clone();
                }
                if value(draft) > value(&held.high) {
                    held.high = draft.clone();
                }
                if draft.happened_at >= held.last.happened_at {
                    held.last = draft.clone();
                }
            }
        }
        true
    }

    /// What is to be recorded at an instant, in order of time: of each stretch that is over its lowest, its
    /// highest and its last reading.
    #[must_use]
    pub fn due(&self, now: Instant) -> Vec<Draft> {
        let over = self.open.values().filter(|window| window.ends <= now).filter_map(|window| window.held.as_ref());
        let mut due: Vec<Draft> = Vec::new();
        for Held { low, high, last } in over {
            // The last tells its own value; so an extreme equal to it says nothing more.
            due.extend([low, high].into_iter().filter(|one| value(one) != value(last)).cloned());
            due.push(last.clone());
        }
        due.sort_by_key(|draft| draft.happened_at);
        due
    }

    /// What was due at an instant is recorded: the next stretch begins, or the level has gone quiet.
    pub fn written(&mut self, now: Instant) {
        let gap = self.gap;
        self.open.retain(|_, window| {
            let over = window.ends <= now;
            let quiet = over && window.held.is_none();
            if over {
                *window = Window { ends: after(now, gap), held: None };
            }
            !quiet
        });
    }

    /// What is due could not be recorded: not before another instant then.
    pub fn postpone(&mut self, until: Instant) {
        for window in self.open.values_mut() {
            window.ends = window.ends.max(until);
        }
    }

    /// When something is due next.
    #[must_use]
    pub fn next(&self) -> Option<Instant> {
        self.open.values().map(|window| window.ends).min()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::entry::Origin;
    use chrono::DateTime;
    use proptest::prelude::*;

    fn at(second: i64) -> Instant {
        DateTime::from_timestamp(second, 0).unwrap()
    }

    fn reading(second: u32, value: i64) -> Draft {
        Draft {
            origin: Origin { source: "/numbers".into(), id: second.to_string() },
            feed: Some(FeedId(1)),
            happened_at: at(i64::from(second)),
            arrived_at: at(i64::from(second)),
            body: Body::Happening(Happening::Gauge { name: "viewers".into(), value }),
        }
    }

    /// What is recorded of readings, each with the second at which it came.
    fn recorded(gap: i64, readings: &[(u32, i64)]) -> Vec<(u32, i64)> {
        let mut levels = Levels::new(TimeDelta::seconds(gap));
        let mut all: Vec<Draft> = Vec::new();
        for (second, value) in readings {
            let now = at(i64::from(*second));
            all.extend(levels.due(now));
            levels.written(now);
            let draft = reading(*second, *value);
            if !levels.hold(&draft) {
                all.push(draft);
            }
        }
        all.extend(levels.due(Instant::MAX_UTC));
        all.iter().map(|draft| (draft.origin.id.parse().unwrap(), value(draft))).collect()
    }

    #[test]
    fn a_minute_is_told_by_its_extremes_and_its_end() {
        let minute = [(0, 10), (10, 14), (20, 3), (30, 8), (40, 8), (50, 9), (70, 11), (500, 20)];
        assert_eq!(recorded(60, &minute), [(0, 10), (10, 14), (20, 3), (50, 9), (70, 11), (500, 20)]);
        assert_eq!(recorded(0, &minute), minute, "by setting each of them");
    }

    #[test]
    fn history_is_recorded_whole() {
        let mut levels = Levels::new(TimeDelta::seconds(60));
        let old = Draft { arrived_at: at(90_000), ..reading(5, 7) };
        assert!(!levels.hold(&reading(89_999, 1)) && levels.hold(&reading(90_000, 1)));
        assert!(!levels.hold(&old) && !levels.hold(&old));
    }

    #[test]
    fn nothing_is_lost_while_the_database_is_away() {
        let mut levels = Levels::new(TimeDelta::seconds(60));
        levels.hold(&reading(0, 1));
        levels.hold(&reading(1, 2));
        assert_eq!(levels.due(at(60)).len(), 1);
        levels.postpone(at(65));
        assert!(levels.due(at(64)).is_empty());
        assert_eq!((levels.next(), levels.due(at(65)).len()), (Some(at(65)), 1));
        levels.written(at(65));
        levels.written(at(200));
        assert_eq!(levels.next(), None, "a level that is read no more is forgotten");
    }

    proptest! {
        #[test]
        fn few_are_recorded_and_the_extremes_and_the_newest_always(
            steps in prop::collection::vec((0_u32..40, -50_i64..50), 1..120),
        ) {
            let mut second = 0;
            let readings: Vec<(u32, i64)> = steps.iter().map(|(step, value)| { second += step + 1; (second, *value) }).collect();
            let kept = recorded(60, &readings);
            let minutes = (readings.last().unwrap().0 - readings[0].0) / 60 + 1;
            prop_assert!(kept.len() <= 4 + 3 * minutes as usize, "{} in {minutes} minutes", kept.len());
            let by = |pick: fn(&(u32, i64)) -> i64, all: &[(u32, i64)]| all.iter().map(pick).max();
            prop_assert_eq!(by(|one| one.1, &kept), by(|one| one.1, &readings));
            prop_assert_eq!(by(|one| -one.1, &kept), by(|one| -one.1, &readings));
            prop_assert!(kept.contains(readings.last().unwrap()));
            prop_assert!(kept.iter().all(|one| readings.contains(one)));
        }
    }
}
