//! Which notice comes next, when, and what it still waits for.

use super::{Notices, Order};
use crate::time::{Instant, after};
use chrono::TimeDelta;
use std::collections::BTreeSet;

/// The notices of this round that are still to come, and those of the next.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Deck {
    round: Vec<u32>,
    following: Vec<u32>,
    said: BTreeSet<u32>,
    last: Option<u32>,
    order: Order,
}

/// A notice that is to come.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Next {
    /// Which.
    pub notice: u32,
    /// When it is due at the earliest, if chat is as lively as is wished.
    pub at: Instant,
    /// What it still waits for besides the time, in words.
    pub waits: Vec<String>,
}

impl Deck {
    /// Brings it in line with the notices that there are. `lot` gives a number below the one that it is asked with.
    pub fn follow(&mut self, notices: &Notices, mut lot: impl FnMut(usize) -> usize) {
        let on: BTreeSet<u32> = notices.all.iter().filter(|(_, one)| one.on).map(|(id, _)| *id).collect();
        if self.order != notices.order {
            (self.round, self.following, self.order) = (Vec::new(), Vec::new(), notices.order);
        }
        self.said.retain(|id| on.contains(id));
        self.round.retain(|id| on.contains(id));
        self.following.retain(|id| on.contains(id));
        let missing = |deck: &[u32], said: &BTreeSet<u32>| -> Vec<u32> {
            on.iter().copied().filter(|id| !deck.contains(id) && !said.contains(id)).collect()
        };
        for id in missing(&self.round, &self.said) {
            put(&mut self.round, id, self.order, &mut lot);
        }
        if self.round.is_empty() {
            // All were said: the next round begins with none that was said just now.
            self.said.clear();
            self.round = std::mem::take(&mut self.following);
            for id in missing(&self.round, &self.said) {
                put(&mut self.round, id, self.order, &mut lot);
            }
        }
        for id in missing(&self.following, &BTreeSet::new()) {
            put(&mut self.following, id, self.order, &mut lot);
        }
        apart(&mut self.round, self.last);
        apart(&mut self.following, self.round.last().copied());
    }

    /// The notices in the order in which they come, as far as that is decided: this round and the next.
    pub fn coming(&self) -> impl Iterator<Item = u32> {
        self.round.iter().chain(&self.following).copied()
    }

    /// Takes the first, which is said now.
    pub fn take(&mut self, notices: &Notices, lot: impl FnMut(usize) -> usize) -> Option<u32> {
        if self.round.is_empty() {
            return None;
        }
        let one = self.round.remove(0);
        self.said.insert(one);
        self.last = Some(one);
        self.follow(notices, lot);
        Some(one)
    }
}

fn put(deck: &mut Vec<u32>, id: u32, order: Order, lot: &mut impl FnMut(usize) -> usize) {
    let place = match order {
        Order::InTurn => deck.partition_point(|one| *one < id),
        Order::Shuffled => lot(deck.len().saturating_add(1)).min(deck.len()),
    };
    deck.insert(place, id);
}

/// Lets a round begin with another notice than the one before ended with, where there is another.
fn apart(deck: &mut [u32], last: Option<u32>) {
    if deck.len() > 1 && deck.first().copied() == last {
        deck.swap(0, 1);
    }
}

impl Notices {
    /// When the next is due, with what it waits for: by when the last was said, and how many lines came since.
    #[must_use]
    pub fn due(&self, last: Instant, lines: u32) -> (Instant, u32) {
        (after(last, TimeDelta::seconds(self.every_s.into())), self.least_lines.saturating_sub(lines))
    }
}
