//! Cool-downs: until when something is not done again.

use crate::time::{Instant, after};
use chrono::TimeDelta;
use std::collections::HashMap;

/// Rests that are over are forgotten once there are so many, and then each time that those left have doubled.
const FORGET_AT: usize = 10_000;

/// Until when a word is not heard again from a viewer. Like chat, it is no part of the record.
#[derive(Debug, Clone, Default)]
pub struct Rests {
    until: HashMap<(String, String), Instant>,
    /// How many there were when those that were over were last forgotten.
    left: usize,
}

impl Rests {
    /// Whether a word rests for a viewer.
    #[must_use]
    pub fn rests(&self, word: &str, viewer: &str, now: Instant) -> bool {
        self.until.get(&(word.to_owned(), viewer.to_owned())).is_some_and(|until| *until > now)
    }

    /// Whether a viewer may say a word now; if so, it rests for them from now on.
    pub fn may(&mut self, word: &str, viewer: &str, rest_s: i64, now: Instant) -> bool {
        if rest_s <= 0 {
            return true;
        }
        if self.until.len() >= FORGET_AT.max(self.left.saturating_mul(2)) {
            self.until.retain(|_, until| *until > now);
            self.left = self.until.len();
        }
        let until = self.until.entry((word.to_owned(), viewer.to_owned())).or_insert(Instant::MIN_UTC);
        let may = *until <= now;
        if may {
            *until = after(now, TimeDelta::seconds(rest_s));
        }
        may
    }
}
