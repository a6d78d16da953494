//! The lines of the ledger.

use crate::Instant;
use crate::happening::{Happening, Kind};
use crate::ids::{FeedId, Seq, WidgetId};
use crate::widgets::countdown::CountdownAct;
use crate::widgets::counter::CounterAct;
use serde::{Deserialize, Serialize};

/// Where an entry came from. Two entries with the same origin are one.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Origin {
    /// The `source` of a CloudEvent, or `desk` and the like.
    pub source: String,
    /// The `id` of a CloudEvent, unique within its source.
    pub id: String,
}

/// What an operator did to one widget. Acts say what was meant, and folding them decides what it
/// comes to, so that taking one back is the same as never having done it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum Act {
    /// On a counter.
    Counter(CounterAct),
    /// On a count-down clock.
    Countdown(CountdownAct),
}

/// What an entry says.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "entry", rename_all = "snake_case")]
pub enum Body {
    /// Something happened on the channel.
    Happening(Happening),
    /// Somebody operated a widget.
    Act {
        /// Which widget.
        widget: WidgetId,
        /// Who, as shown: an account's name, or the name of an API token.
        by: String,
        /// What they did.
        act: Act,
    },
    /// An earlier act is taken back; taking back such a line puts the act into force again.
    Void {
        /// The widget on which the act was done.
        widget: WidgetId,
        /// Who took it back.
        by: String,
        /// Which entry is taken back.
        target: Seq,
    },
    /// A happening no longer counts, or counts again. It carries the happening along, so that
    /// folding needs no look back.
    Correct {
        /// The happening's place.
        target: Seq,
        /// Who corrected it.
        by: String,
        /// Why.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        reason: Option<String>,
        /// When it happened.
        happened_at: Instant,
        /// What happened.
        happening: Happening,
        /// Whether it counts from now on.
        counts: bool,
    },
}

/// Under this word the ledger files what operators do.
pub const ACT: &str = "act";
/// Under this word the ledger files acts taken back.
pub const VOID: &str = "void";
/// Under this word the ledger files corrections of what happened.
pub const CORRECT: &str = "correct";

impl Body {
    /// The word under which the ledger files this line.
    #[must_use]
    pub fn file_under(&self) -> &'static str {
        match self {
            Self::Happening(happening) => happening.kind().key(),
            Self::Act { .. } => ACT,
            Self::Void { .. } => VOID,
            Self::Correct { .. } => CORRECT,
        }
    }

    /// Of a happening or its correction, its kind.
    #[must_use]
    pub fn kind(&self) -> Option<Kind> {
        match self {
            Self::Happening(happening) | Self::Correct { happening, .. } => Some(happening.kind()),
            Self::Act { .. } | Self::Void { .. } => None,
        }
    }

    /// Of an operator's line, the widget.
    #[must_use]
    pub fn widget(&self) -> Option<WidgetId> {
        match self {
            Self::Happening(_) | Self::Correct { .. } => None,
            Self::Act { widget, .. } | Self::Void { widget, .. } => Some(*widget),
        }
    }

    /// One line of words.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Happening(happening) => happening.words(),
            Self::Act { by, act: Act::Counter(act), .. } => format!("{by} {}", act.words()),
            Self::Act { by, act: Act::Countdown(act), .. } => format!("{by} {}", act.words()),
            Self::Void { by, target, .. } => format!("{by} took back line {target}"),
            Self::Correct { by, target, counts, reason, happening, .. } => {
                let does = if *counts { "lets line" } else { "voided line" };
                let again = if *counts { " count again" } else { "" };
                let why = reason.as_ref().map(|reason| format!(": {reason}")).unwrap_or_default();
                format!("{by} {does} {target}{again} ({}){why}", happening.words())
            }
        }
    }
}

/// A happening from a feed, checked and ready for the ledger.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Incoming {
    /// Where it came from.
    pub origin: Origin,
    /// When it happened; absent means on arrival.
    pub happened_at: Option<Instant>,
    /// What happened.
    pub happening: Happening,
}

impl Incoming {
    /// The line for the ledger, arriving now.
    #[must_use]
    pub fn draft(self, feed: FeedId, now: Instant) -> Draft {
        Draft {
            origin: self.origin,
            feed: Some(feed),
            happened_at: self.happened_at.unwrap_or(now),
            arrived_at: now,
            body: Body::Happening(self.happening),
        }
    }
}

/// An entry before it has its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Draft {
    /// Where it came from.
    pub origin: Origin,
    /// Through which feed; none for what operators do.
    pub feed: Option<FeedId>,
    /// When it happened.
    pub happened_at: Instant,
    /// When it reached us.
    pub arrived_at: Instant,
    /// What it says.
    pub body: Body,
}

/// One line of the ledger.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    /// Its place.
    pub seq: Seq,
    /// Where it came from.
    pub origin: Origin,
    /// Through which feed; none for what operators do.
    pub feed: Option<FeedId>,
    /// When it happened: by this it belongs to a period.
    pub happened_at: Instant,
    /// When it reached us.
    pub arrived_at: Instant,
    /// What it says.
    pub body: Body,
}

impl Draft {
    /// Gives the draft its place.
    #[must_use]
    pub fn at(self, seq: Seq) -> Entry {
        Entry {
            seq,
            origin: self.origin,
            feed: self.feed,
            happened_at: self.happened_at,
            arrived_at: self.arrived_at,
            body: self.body,
        }
    }
}
