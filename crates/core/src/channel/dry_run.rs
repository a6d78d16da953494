//! A cue tried on the past: what it would have done.

use super::Channel;
use super::cue::{Occasion, Triggered};
use crate::cues::{Cue, Cues, Firings, NotFired};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::time::Instant;
use std::collections::BTreeMap;

/// What a cue would have done in the past.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WouldFire {
    /// The line that would have set it off.
    pub cause: Option<Seq>,
    /// When.
    pub at: Instant,
    /// What it was, in words.
    pub about: String,
    /// Why it would have stayed quiet all the same.
    pub not: Option<NotFired>,
}

/// A cue tried on the past.
#[derive(Debug)]
pub struct DryRun {
    channel: Channel,
    all: Vec<WouldFire>,
}

/// The number of the cue in a dry run, which no cue of a channel has.
const TRIED: u32 = u32::MAX;

impl DryRun {
    /// Of a cue, with the widget that it watches as it stood before anything had happened.
    #[must_use]
    pub fn of(channel: &Channel, cue: &Cue) -> Self {
        let watched = cue.when.watches().map(|(_, id)| id);
        let widgets = watched.and_then(|id| Some((id, channel.widgets.get(&id)?.emptied())));
        let mut bare = Channel::new(channel.settings.clone(), widgets);
        bare.feeds.clone_from(&channel.feeds);
        bare.layouts.clone_from(&channel.layouts);
        let tried = Cue { on: true, since: None, ..cue.clone() };
        bare.set_cues(Cues { all: BTreeMap::from([(TRIED, tried)]), ..Cues::default() });
        Self { channel: bare, all: Vec::new() }
    }

    /// Takes the next line of the record. Only what happened from `from` on is told.
    pub fn take(&mut self, entry: &Entry, from: Instant) {
        let (until, _) = Firings::instant(entry);
        if self.channel.last_seq() == Seq(0) {
            self.channel.pass(until, u32::MAX);
        }
        self.pass_time(until, from);
        let (_, triggered) = self.channel.apply_with_cues(entry);
        triggered.into_iter().for_each(|triggered| self.note(triggered, from));
    }

    /// Takes what came by itself up to an instant.
    pub fn pass_time(&mut self, until: Instant, from: Instant) {
        while let Some(triggered) = self.channel.comes_by_itself(until) {
            let Occasion { cue, at, .. } = triggered.occasion;
            if triggered.decided.is_ok() {
                self.channel.firings.note(cue, at, None);
            }
            self.channel.pass(at, cue);
            self.note(triggered, from);
        }
    }

    fn note(&mut self, triggered: Triggered, from: Instant) {
        let Triggered { occasion: Occasion { cause, at, about, .. }, decided } = triggered;
        if at >= from {
            self.all.push(WouldFire { cause, at, about, not: decided.err() });
        }
    }

    /// What it would have done, the oldest first.
    #[must_use]
    pub fn done(self) -> Vec<WouldFire> {
        self.all
    }
}
