//! What is kept of a channel between runs: a shortcut, never the truth.

use super::{Channel, RollLine};
use crate::book::portraits::Portraits;
use crate::book::{Book, Cover, Fact};
use crate::cues::Firings;
use crate::overlay::Appearances;
use crate::record::ids::{FeedId, Seq, WidgetId};
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::widgets::Piece;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, VecDeque};

/// A channel's state without the pages of its book, which are kept by themselves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Snapshot {
    /// The last entry folded in.
    pub last_seq: Seq,
    settings: Settings,
    widgets: Vec<(WidgetId, Piece)>,
    cover: Cover,
    portraits: Portraits,
    roll: VecDeque<RollLine>,
    pulses: BTreeMap<FeedId, Instant>,
    #[serde(default)]
    appearances: BTreeMap<u32, Appearances>,
    #[serde(default)]
    firings: Firings,
    #[serde(default)]
    covered: bool,
}

impl Channel {
    /// The state to keep. What has changed in the book is kept beside it, see [`Book::dirty`].
    #[must_use]
    pub fn snapshot(&self) -> Snapshot {
        Snapshot {
            last_seq: self.last_seq,
            settings: self.settings.clone(),
            widgets: self.widgets.iter().map(|(id, piece)| (*id, piece.clone())).collect(),
            cover: self.book.cover().clone(),
            portraits: self.portraits.clone(),
            roll: self.roll.clone(),
            pulses: self.pulses.clone(),
            appearances: self.appearances.clone(),
            firings: self.firings.clone(),
            covered: self.covered,
        }
    }

    /// The state and what had changed in the book are kept now.
    pub fn kept(&mut self) {
        self.book.kept();
    }

    /// Takes a snapshot up again with the pages kept beside it, if it was made with the same
    /// definitions. Other settings only mean that prices are derived anew.
    #[must_use]
    pub fn resume(&self, snapshot: Snapshot, pages: Vec<(i64, Vec<Fact>)>) -> Option<Self> {
        let same = snapshot.widgets.len() == self.widgets.len()
            && snapshot
                .widgets
                .iter()
                .all(|(id, kept)| self.widgets.get(id).is_some_and(|piece| piece.setup() == kept.setup()));
        if !same {
            return None;
        }
        let mut channel = Self::new(snapshot.settings.clone(), snapshot.widgets);
        channel.book = Book::of(&snapshot.settings, snapshot.cover, pages);
        channel.portraits = snapshot.portraits;
        channel.last_seq = snapshot.last_seq;
        channel.roll = snapshot.roll;
        channel.pulses = snapshot.pulses;
        channel.appearances = snapshot.appearances;
        channel.firings = snapshot.firings;
        channel.covered = snapshot.covered;
        channel.cues.clone_from(&self.cues);
        channel.feeds.clone_from(&self.feeds);
        channel.drafts.clone_from(&self.drafts);
        if channel.settings == self.settings {
            channel.listen();
            channel.recompute_all();
        } else {
            channel.apply_settings(self.settings.clone());
        }
        Some(channel)
    }
}
