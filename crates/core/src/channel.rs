//! One channel: its widgets, and what its ledger has made of them so far.

use crate::Instant;
use crate::entry::{Body, Entry};
use crate::happening::Kind;
use crate::ids::{FeedId, Seq, WidgetId};
use crate::view::View;
use crate::widgets::{Action, Piece, Refusal, Settings};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet, VecDeque};

/// How many of the newest entries are kept at hand for the paper roll and the signal strip.
pub const ROLL: usize = 30;

/// A channel's state. Folding entries one by one, in any batching, from any snapshot, gives the same.
#[derive(Debug, Clone, PartialEq)]
pub struct Channel {
    settings: Settings,
    widgets: BTreeMap<WidgetId, Piece>,
    listeners: BTreeMap<Kind, Vec<WidgetId>>,
    last_seq: Seq,
    roll: VecDeque<RollLine>,
    pulses: BTreeMap<FeedId, Instant>,
    voided: BTreeSet<Seq>,
}

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
}

/// A channel's state as kept between runs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Snapshot {
    /// The last entry folded in.
    pub last_seq: Seq,
    settings: Settings,
    widgets: Vec<(WidgetId, Piece)>,
    roll: VecDeque<RollLine>,
    pulses: BTreeMap<FeedId, Instant>,
    voided: BTreeSet<Seq>,
}

/// What somebody asks of a widget.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Press<'a> {
    /// Of which one.
    pub widget: WidgetId,
    /// What: an action of its family, or `undo` with an optional entry in `value`.
    pub action: Action<'a>,
    /// Who asks.
    pub by: &'a str,
}

impl Channel {
    /// A channel before any entry.
    #[must_use]
    pub fn new(settings: Settings, widgets: impl IntoIterator<Item = (WidgetId, Piece)>) -> Self {
        let mut channel = Self {
            settings,
            widgets: widgets.into_iter().collect(),
            listeners: BTreeMap::new(),
            last_seq: Seq(0),
            roll: VecDeque::new(),
            pulses: BTreeMap::new(),
            voided: BTreeSet::new(),
        };
        channel.listen();
        channel
    }

    /// The state to keep.
    #[must_use]
    pub fn snapshot(&self) -> Snapshot {
        Snapshot {
            last_seq: self.last_seq,
            settings: self.settings,
            widgets: self.widgets.iter().map(|(id, piece)| (*id, piece.clone())).collect(),
            roll: self.roll.clone(),
            pulses: self.pulses.clone(),
            voided: self.voided.clone(),
        }
    }

    /// Takes a snapshot up again, if it was made with the same settings and definitions.
    #[must_use]
    pub fn resume(&self, snapshot: Snapshot) -> Option<Self> {
        let same = snapshot.settings == self.settings
            && snapshot.widgets.len() == self.widgets.len()
            && snapshot
                .widgets
                .iter()
                .all(|(id, kept)| self.widgets.get(id).is_some_and(|piece| piece.definition() == kept.definition()));
        same.then(|| Self {
            last_seq: snapshot.last_seq,
            roll: snapshot.roll,
            pulses: snapshot.pulses,
            voided: snapshot.voided,
            ..Self::new(snapshot.settings, snapshot.widgets)
        })
    }

    fn listen(&mut self) {
        self.listeners.clear();
        for (id, piece) in &self.widgets {
            if let Some(kind) = piece.counts() {
                self.listeners.entry(kind).or_default().push(*id);
            }
        }
    }

    /// What all widgets share.
    #[must_use]
    pub fn settings(&self) -> &Settings {
        &self.settings
    }

    /// The last entry folded in.
    #[must_use]
    pub fn last_seq(&self) -> Seq {
        self.last_seq
    }

    /// The newest entries, oldest first.
    pub fn roll(&self) -> impl Iterator<Item = &RollLine> {
        self.roll.iter()
    }

    /// When the newest entry of a feed arrived.
    #[must_use]
    pub fn pulse(&self, feed: FeedId) -> Option<Instant> {
        self.pulses.get(&feed).copied()
    }

    /// All widgets.
    pub fn widgets(&self) -> impl Iterator<Item = (WidgetId, &Piece)> {
        self.widgets.iter().map(|(id, piece)| (*id, piece))
    }

    /// One widget.
    #[must_use]
    pub fn widget(&self, id: WidgetId) -> Option<&Piece> {
        self.widgets.get(&id)
    }

    /// Adds a widget or puts another definition in its place. Its state comes as given.
    pub fn put(&mut self, id: WidgetId, piece: Piece) {
        self.widgets.insert(id, piece);
        self.listen();
    }

    /// The places on the desk of the widgets that can be operated, counted from 0.
    #[must_use]
    pub fn plates(&self, now: Instant) -> BTreeMap<WidgetId, usize> {
        let operated = self.widgets.iter().filter(|(_, piece)| !piece.levers(now).is_empty());
        operated.enumerate().map(|(place, (id, _))| (*id, place)).collect()
    }

    /// Decides what a press comes to. The body is for the ledger; nothing has changed yet.
    ///
    /// # Errors
    /// Why it cannot be done, in words for whoever pressed.
    pub fn decide(&self, press: &Press<'_>, now: Instant) -> Result<Body, Refusal> {
        let piece = self.widgets.get(&press.widget).ok_or(Refusal::NoSuchWidget)?;
        let (widget, by) = (press.widget, press.by.to_owned());
        if press.action.name == "undo" {
            let asked = match press.action.value.map(u64::try_from) {
                None => None,
                Some(Ok(seq)) => Some(Seq(seq)),
                Some(Err(_)) => return Err(Refusal::WrongValue("“undo” takes the number of a line".into())),
            };
            let target = piece.undoable(asked).ok_or(Refusal::NotNow("there is nothing to take back"))?;
            return Ok(Body::Void { widget, by, target });
        }
        Ok(Body::Act { widget, by, act: piece.decide(&press.action, now)? })
    }

    /// The happenings that do not count because somebody voided them.
    #[must_use]
    pub fn voided(&self) -> &BTreeSet<Seq> {
        &self.voided
    }

    /// Decides what voiding a happening, or letting it count again, comes to.
    ///
    /// # Errors
    /// The line is no happening, or is so already.
    pub fn correct(&self, line: &Entry, counts: bool, by: &str, reason: Option<String>) -> Result<Body, Refusal> {
        let Body::Happening(happening) = &line.body else {
            return Err(Refusal::NotNow("only what happened on the channel can be voided; use Undo on the desk"));
        };
        match (counts, self.voided.contains(&line.seq)) {
            (false, true) => return Err(Refusal::NotNow("this line is voided already")),
            (true, false) => return Err(Refusal::NotNow("this line counts already")),
            _ => {}
        }
        Ok(Body::Correct {
            target: line.seq,
            by: by.to_owned(),
            reason,
            happened_at: line.happened_at,
            happening: happening.clone(),
            counts,
        })
    }

    /// Folds one entry in and names the widgets whose view may have changed. An entry at or before
    /// the last one folded in changes nothing.
    pub fn apply(&mut self, entry: &Entry) -> Vec<WidgetId> {
        if entry.seq <= self.last_seq {
            return Vec::new();
        }
        self.last_seq = entry.seq;
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
        });
        if let Some(feed) = entry.feed {
            let pulse = self.pulses.entry(feed).or_insert(entry.arrived_at);
            *pulse = entry.arrived_at.max(*pulse);
        }
        if let Body::Correct { target, counts, .. } = &entry.body {
            // A second voiding of the same line, were there one, must not count twice.
            let changed = if *counts { self.voided.remove(target) } else { self.voided.insert(*target) };
            if !changed {
                return Vec::new();
            }
        }
        let (settings, widgets) = (&self.settings, &mut self.widgets);
        let mut touched = |id: WidgetId| widgets.get_mut(&id).is_some_and(|piece| piece.apply(entry, settings));
        match (entry.body.kind(), entry.body.widget()) {
            (Some(kind), _) => {
                let listeners = self.listeners.get(&kind).map_or(&[][..], Vec::as_slice);
                listeners.iter().copied().filter(|id| touched(*id)).collect()
            }
            (None, Some(id)) if touched(id) => vec![id],
            _ => Vec::new(),
        }
    }

    /// What a widget shows at an instant.
    #[must_use]
    pub fn view(&self, id: WidgetId, now: Instant) -> Option<View> {
        self.widgets.get(&id).map(|piece| piece.view(&self.settings, now))
    }

    /// When the first of the views changes by itself, and which widgets' do then.
    #[must_use]
    pub fn next_alarm(&self, now: Instant) -> Option<(Instant, Vec<WidgetId>)> {
        let mut first: Option<(Instant, Vec<WidgetId>)> = None;
        for (id, piece) in &self.widgets {
            let Some(at) = piece.wakes_at(&self.settings, now) else { continue };
            match &mut first {
                Some((earliest, ids)) if *earliest == at => ids.push(*id),
                Some((earliest, _)) if *earliest < at => {}
                _ => first = Some((at, vec![*id])),
            }
        }
        first
    }
}
