//! What the record says of cues: when each fired last, whom it has met in this show, and which steps are still to be done.

use crate::record::acts::ShowAct;
use crate::record::cue::{Outcome, Step};
use crate::record::entry::{BY_ITSELF, Body, CUE_SOURCE, Entry};
use crate::record::ids::{Seq, WidgetId};
use crate::time::{Instant, after};
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, VecDeque};

/// So many firings of each cue are told in its log.
const MOST_LOGGED: usize = 10;

/// A firing whose steps are under way.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Running {
    cue: u32,
    name: String,
    at: Instant,
    /// What set it off, and the key of the supporter who did.
    #[serde(default)]
    about: String,
    #[serde(default)]
    person: Option<String>,
    depth: u8,
    /// When the first of those fired that had set each other off; its own instant where it is the first.
    #[serde(default)]
    since: Option<Instant>,
    steps: Vec<Step>,
    /// How many of them something became of.
    past: usize,
}

/// See the module. Folding the same lines gives the same, in any batching.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Firings {
    last: BTreeMap<u32, Instant>,
    met: BTreeMap<u32, BTreeSet<String>>,
    /// When the newest show began: whom a cue met before that, it has not met in this show.
    began: Option<Instant>,
    running: BTreeMap<Seq, Running>,
    /// The widgets that a cue operated last, and which chain of cues did.
    #[serde(default)]
    chains: BTreeMap<WidgetId, Chain>,
    /// Up to when was looked for what comes by itself, and at which cue there.
    #[serde(default, rename = "heeded")]
    looked: Option<(Instant, u32)>,
    /// The newest firings of each, the newest first.
    log: BTreeMap<u32, VecDeque<Logged>>,
}

/// Cues that have set each other off.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Chain {
    /// How many.
    pub depth: u8,
    /// When the first of them fired.
    pub since: Instant,
}

/// A firing as the log of its cue tells it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Logged {
    /// The line with which it fired.
    pub seq: Seq,
    /// When.
    pub at: Instant,
    /// What set it off.
    pub about: String,
    /// What could not be done, in words.
    pub failed: Vec<String>,
}

/// A step that is to be done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Due {
    /// The line with which the cue fired.
    pub fired: Seq,
    /// Which step, counted from 0.
    pub step: u8,
    /// What the cue is called.
    pub name: String,
    /// When.
    pub at: Instant,
    /// What set it off, in words.
    pub about: String,
    /// The key of the supporter who did.
    pub person: Option<String>,
    /// What.
    pub what: Step,
}

impl Firings {
    /// At which instant a line was decided: what widgets and cues do by themselves, at its own; and of cues at one instant, which.
    pub(crate) fn instant(entry: &Entry) -> (Instant, u32) {
        let by_itself = entry.feed.is_none() && entry.origin.source == BY_ITSELF;
        match &entry.body {
            Body::Fired { cue, .. } if by_itself => (entry.happened_at, *cue),
            _ if by_itself => (entry.happened_at, u32::MAX),
            _ => (entry.arrived_at, u32::MAX),
        }
    }

    /// Up to when was looked for what comes by itself, by the record, and at which cue there.
    pub(crate) fn looked_until(&self) -> (Instant, u32) {
        self.looked.unwrap_or((Instant::MIN_UTC, 0))
    }

    /// Folds a line of the record.
    pub(crate) fn apply(&mut self, entry: &Entry) {
        self.looked = Some(self.looked_until().max(Self::instant(entry)));
        match &entry.body {
            Body::Act { widget, .. } if entry.origin.source == CUE_SOURCE => {
                if let Some(chain) = self.chain_of(entry) {
                    self.chains.insert(*widget, chain);
                }
            }
            // A hand begins anew.
            Body::Act { widget, .. } if entry.origin.source != BY_ITSELF => drop(self.chains.remove(widget)),
            Body::Fired { cue, name, about, person, depth, since, steps, .. } => {
                self.note(*cue, entry.happened_at, person.as_deref());
                let log = self.log.entry(*cue).or_default();
                log.truncate(MOST_LOGGED - 1);
                let (seq, at) = (entry.seq, entry.happened_at);
                log.push_front(Logged { seq, at, about: about.clone(), failed: Vec::new() });
                if !steps.is_empty() {
                    let (name, steps) = (name.clone(), steps.clone());
                    let (about, person) = (about.clone(), person.clone());
                    let (at, depth, since) = (entry.happened_at, *depth, *since);
                    let running = Running { cue: *cue, name, at, about, person, depth, since, steps, past: 0 };
                    self.running.insert(entry.seq, running);
                }
            }
            Body::Stepped { fired, step, outcome, .. } => {
                if *outcome != Outcome::Done
                    && let Some(logged) = self.log.values_mut().flatten().find(|logged| logged.seq == *fired)
                {
                    logged.failed.push(entry.body.words());
                }
                let over = self.running.get_mut(fired).is_some_and(|running| {
                    running.past = running.past.max(usize::from(*step).saturating_add(1));
                    running.past >= running.steps.len()
                });
                if over {
                    self.running.remove(fired);
                }
            }
            Body::Show { act: ShowAct::Begin, .. } => {
                self.met.clear();
                self.began = Some(entry.arrived_at);
            }
            _ => {}
        }
    }

    /// Notes that a cue has fired.
    pub(crate) fn note(&mut self, cue: u32, at: Instant, person: Option<&str>) {
        let last = self.last.entry(cue).or_insert(at);
        *last = at.max(*last);
        if let Some(person) = person.filter(|_| self.began.is_none_or(|began| began <= at)) {
            self.met.entry(cue).or_default().insert(person.to_owned());
        }
    }

    /// When a cue fired last.
    #[must_use]
    pub fn last(&self, cue: u32) -> Option<Instant> {
        self.last.get(&cue).copied()
    }

    /// The newest firings of a cue, the newest first.
    pub fn log(&self, cue: u32) -> impl Iterator<Item = &Logged> {
        self.log.get(&cue).into_iter().flatten()
    }

    /// Whether a supporter has set a cue off in this show.
    #[must_use]
    pub fn has_met(&self, cue: u32, person: &str) -> bool {
        self.met.get(&cue).is_some_and(|met| met.contains(person))
    }

    /// The cues that have set each other off up to a line that a cue wrote.
    pub(crate) fn chain_of(&self, entry: &Entry) -> Option<Chain> {
        let fired = entry.origin.id.split(':').next().and_then(|fired| fired.parse().ok()).map(Seq)?;
        let running = self.running.get(&fired)?;
        Some(Chain { depth: running.depth.saturating_add(1), since: running.since.unwrap_or(running.at) })
    }

    /// Those that have set each other off up to what a widget does by itself.
    pub(crate) fn chain(&self, widget: WidgetId) -> Option<Chain> {
        self.chains.get(&widget).copied()
    }

    /// The first step that is to be done, of all firings but those whose step is under way.
    #[must_use]
    pub fn next(&self, under_way: &BTreeSet<Seq>) -> Option<Due> {
        let due = |(fired, running): (&Seq, &Running)| {
            let what = running.steps.get(running.past)?.clone();
            let waits = running.steps.iter().take(running.past.saturating_add(1)).map(|step| i64::from(step.wait_s));
            let at = after(running.at, TimeDelta::seconds(waits.sum()));
            let step = u8::try_from(running.past).ok()?;
            let (name, about, person) = (running.name.clone(), running.about.clone(), running.person.clone());
            Some(Due { fired: *fired, step, name, at, about, person, what })
        };
        let open = self.running.iter().filter(|(fired, _)| !under_way.contains(fired));
        open.filter_map(due).min_by_key(|due| (due.at, due.fired))
    }
}
