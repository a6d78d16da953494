//! What the ledger has made of a wheel.

use super::fair::{commitment, draw, stop};
use super::{Pot, Wheel};
use crate::record::acts::WheelAct;
use crate::record::acts::poll::Which;
use crate::record::acts::wheel::{AfterWin, Bytes32, Slice, total};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::time::{Instant, after};
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How many spins are remembered; all of them stand in the ledger.
const MOST_SPINS: usize = 500;

/// A spin.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Spun {
    /// Its line.
    pub seq: Seq,
    /// Who spun.
    pub by: String,
    /// When it began to turn.
    pub at: Instant,
    /// For how many milliseconds it turns.
    pub turn_ms: u32,
    /// The digest of its seed.
    pub commitment: Bytes32,
    /// What was drawn.
    pub text: String,
    /// How heavy that was, of how much.
    pub weight: (u32, u64),
    /// Where the disc stood before, and where it stops, in millionths of a turn.
    pub from: u64,
    /// See `from`.
    pub to: u64,
    /// The poll whose tie it settles.
    pub tie: Option<Which>,
    /// The list; only the newest spin keeps it here.
    pub(super) slices: Vec<Slice>,
}

impl Spun {
    /// When it comes to rest.
    #[must_use]
    pub fn ends(&self) -> Instant {
        rests_at(self.at, self.turn_ms)
    }
}

/// When a spin that began at an instant comes to rest.
#[must_use]
pub fn rests_at(began: Instant, turn_ms: u32) -> Instant {
    after(began, TimeDelta::milliseconds(turn_ms.into()))
}

/// What the ledger has made of it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// The promise of the next spin.
    pub(super) commitment: Option<Bytes32>,
    /// The newest spins, oldest first.
    pub(super) spins: Vec<Spun>,
    /// How many spins there were.
    pub(super) many: usize,
    /// Spins that wait: the lines that asked for them, and whose those are.
    pub(super) queue: Vec<(Seq, String)>,
    /// How much of the weight of what was drawn is gone.
    pub(super) taken: BTreeMap<String, u32>,
    pub(super) pot: Pot,
}

impl State {
    /// The newest spin.
    #[must_use]
    pub fn last(&self) -> Option<&Spun> {
        self.spins.last()
    }

    /// The promise of the next spin.
    #[must_use]
    pub fn commitment(&self) -> Option<Bytes32> {
        self.commitment
    }

    /// The line of the spin that kept a promise.
    #[must_use]
    pub fn spun(&self, commitment: Bytes32) -> Option<Seq> {
        self.spins.iter().rev().find(|spun| spun.commitment == commitment).map(|spun| spun.seq)
    }

    fn spin(&mut self, entry: &Entry, by: &str, act: &WheelAct) {
        let WheelAct::Spin { seed, slices, turn_ms, after, tie, asked } = act else { return };
        let Some(drawn) = draw(*seed, slices) else { return };
        let Some(won) = slices.get(drawn.index).cloned() else { return };
        // It is theirs who asked, though it had to wait.
        let asker = asked.and_then(|asked| self.queue.iter().find(|(seq, _)| *seq == asked));
        let by = asker.map_or(by, |(_, by)| by).to_owned();
        let from = self.spins.last().filter(|last| last.slices == *slices).map_or(0, |last| last.to);
        if let Some(last) = self.spins.last_mut() {
            last.slices = Vec::new();
        }
        if self.spins.len() >= MOST_SPINS {
            self.spins.remove(0);
        }
        self.spins.push(Spun {
            seq: entry.seq,
            by,
            at: entry.happened_at,
            turn_ms: *turn_ms,
            commitment: commitment(*seed),
            text: won.text.clone(),
            weight: (won.weight, total(slices)),
            from,
            to: stop(drawn, slices),
            tie: tie.clone(),
            slices: slices.clone(),
        });
        self.many = self.many.saturating_add(1);
        self.commitment = None;
        if let Some(asked) = asked {
            self.queue.retain(|(one, _)| one != asked);
        }
        // A tie is no part of what the wheel draws otherwise.
        if tie.is_none() {
            let gone = self.taken.entry(won.text).or_insert(0);
            match after {
                AfterWin::Keep => {}
                AfterWin::Remove => *gone = u32::MAX,
                AfterWin::TakeOne => *gone = gone.saturating_add(1),
            }
            self.taken.retain(|_, gone| *gone > 0);
        }
    }

    pub(super) fn did(&mut self, entry: &Entry, by: &str, act: &WheelAct) {
        match act {
            WheelAct::Commit { commitment } => self.commitment = Some(*commitment),
            WheelAct::Spin { .. } => self.spin(entry, by, act),
            WheelAct::Queue => self.queue.push((entry.seq, by.to_owned())),
            WheelAct::Unqueue => self.queue.clear(),
            WheelAct::OpenPot => self.pot.open_since = Some(entry.happened_at),
            WheelAct::ClosePot => self.pot.open_since = None,
            WheelAct::EmptyPot => {
                self.pot.empty();
                self.taken.clear();
            }
            WheelAct::PutBack { text } => drop(self.taken.remove(text)),
            WheelAct::PutAllBack => self.taken.clear(),
        }
    }

    /// From when on it may spin again.
    pub(super) fn rests_until(&self, wheel: &Wheel) -> Option<Instant> {
        self.last().map(|last| after(last.ends(), TimeDelta::seconds(wheel.rest_s)))
    }
}
