//! The paper roll: the newest entries, at hand.

use super::Channel;
use crate::record::entry::{BY_ITSELF, Body, Entry};
use crate::record::ids::{Seq, WidgetId};
use crate::time::Instant;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// How many of the newest entries are kept at hand for the paper roll and the signal strip.
pub const ROLL: usize = 30;

/// One line of the paper roll.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RollLine {
    /// Its place.
    pub seq: Seq,
    /// When it happened.
    pub happened_at: Instant,
    /// When it arrived.
    pub arrived_at: Instant,
    /// Its words.
    pub words: String,
    /// The word under which the ledger files it.
    pub file_under: String,
    /// Of an operator's line, the widget.
    pub widget: Option<WidgetId>,
    /// Whether somebody meant it, so that it may be taken back.
    #[serde(default)]
    pub meant: bool,
    /// Of one that takes another back, that one.
    #[serde(default)]
    pub takes_back: Option<Seq>,
}

impl Channel {
    /// The newest entries, oldest first.
    pub fn roll(&self) -> impl Iterator<Item = &RollLine> {
        self.roll.iter()
    }

    /// Which of the newest entries are acts of an operator that are in force, so that they can be taken back, in any order.
    /// Whatever takes one of them back is newer, and so is among them.
    #[must_use]
    pub fn roll_in_force(&self) -> BTreeSet<Seq> {
        let (mut gone, mut in_force) = (BTreeSet::new(), BTreeSet::new());
        for line in self.roll.iter().rev().filter(|line| line.widget.is_some()) {
            match line.takes_back {
                _ if gone.contains(&line.seq) => {}
                Some(target) => drop(gone.insert(target)),
                None if line.meant => drop(in_force.insert(line.seq)),
                None => {}
            }
        }
        in_force
    }

    pub(super) fn tell(&mut self, entry: &Entry) {
        if self.roll.len() == ROLL {
            self.roll.pop_front();
        }
        self.roll.push_back(RollLine {
            seq: entry.seq,
            happened_at: entry.happened_at,
            arrived_at: entry.arrived_at,
            words: entry.body.words(),
            file_under: entry.body.file_under().to_owned(),
            widget: entry.body.widget(),
            meant: match &entry.body {
                Body::Act { act, .. } => act.is_meant() && entry.origin.source != BY_ITSELF,
                _ => false,
            },
            takes_back: match &entry.body {
                Body::Void { target, .. } => Some(*target),
                _ => None,
            },
        });
    }
}
