//! When a goal is celebrated: once when it is reached, and again only if it had been open again for
//! a minute, or somebody armed it again.

use super::GoalView;
use crate::time::Instant;
use chrono::TimeDelta;
use std::collections::BTreeMap;

/// Not celebrated again before so much time has passed.
const AGAIN: TimeDelta = TimeDelta::minutes(1);

/// What was seen of a goal so far. It watches what is shown, and is no part of the record: after a
/// restart nothing is celebrated that was reached before.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Watch {
    /// The level of each of its goals, and how often it was armed, when last seen.
    seen: Vec<(u32, usize)>,
    /// When each level of each goal was celebrated, and how often it had been armed then.
    celebrated: BTreeMap<(usize, u32), (Instant, usize)>,
}

impl Watch {
    /// Takes note of what is shown without celebrating: after a definition was changed.
    pub fn note(&mut self, view: &GoalView) {
        self.seen = view.aims().map(|aim| (aim.level, aim.armed)).collect();
    }

    /// Looks at what is shown now. Gives the name of a goal that is to be celebrated.
    pub fn look(&mut self, view: &GoalView, now: Instant) -> Option<String> {
        let mut celebration = None;
        if self.seen.len() == view.aims().count() {
            for (index, (aim, (before, _))) in view.aims().zip(self.seen.clone()).enumerate() {
                if aim.level <= before {
                    continue;
                }
                let last = self.celebrated.get(&(index, aim.level));
                let again =
                    last.is_none_or(|(at, armed)| now.signed_duration_since(*at) >= AGAIN || aim.armed > *armed);
                if again {
                    self.celebrated.insert((index, aim.level), (now, aim.armed));
                    celebration = Some(aim.title.clone());
                }
            }
        }
        self.note(view);
        celebration
    }
}
