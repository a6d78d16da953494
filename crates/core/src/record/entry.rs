//! The lines of the ledger.

use crate::money::rates::Table;
use crate::record::acts::{Act, PollAct, ShowAct, WheelAct};
use crate::record::cue::{Outcome, Step};
use crate::record::happening::Happening;
use crate::record::ids::{FeedId, Seq, WidgetId};
use crate::time::Instant;
use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// Where an entry came from. Two entries with the same origin are one.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct Origin {
    /// The `source` of a CloudEvent, or `desk` and the like.
    pub source: String,
    /// The `id` of a CloudEvent, unique within its source.
    pub id: String,
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
    /// Somebody corrects what a line says, or whether it counts. The newest word on a line decides.
    Correct {
        /// The line's place.
        target: Seq,
        /// When it happened: with this, the line is found at once.
        happened_at: Instant,
        /// What it said before, in words.
        about: String,
        /// Who corrected it.
        by: String,
        /// Why.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        reason: Option<String>,
        /// What becomes of it.
        change: Change,
    },
    /// Everything that came through a feed is taken out of all counts, or put back: an import undone.
    Withdraw {
        /// Which feed.
        feed: FeedId,
        /// What it is called.
        name: String,
        /// Who did it.
        by: String,
        /// Out, or back in.
        withdrawn: bool,
    },
    /// Two names are one supporter, or are two again.
    Merge {
        /// Who did it.
        by: String,
        /// The key of the name that counts as another from now on, see [`crate::book::names::key`].
        from: String,
        /// The key of the other; none to let the name count as itself again.
        into: Option<String>,
    },
    /// Going on air, off air, and corrections of that.
    Show {
        /// Who, or what signal.
        by: String,
        /// What.
        act: ShowAct,
    },
    /// Pieces of an overlay are shown on the picture, or hidden.
    Appear {
        /// Who did it.
        by: String,
        /// Which overlay.
        overlay: u32,
        /// What it was called.
        name: String,
        /// Which of its pieces.
        pieces: BTreeSet<u32>,
        /// What they are, in words.
        about: String,
        /// Whether they are seen from now on.
        shown: bool,
    },
    /// Everything on air is hidden at once, or brought back.
    Cover {
        /// Who did it.
        by: String,
        /// Whether nothing is seen from now on.
        covered: bool,
    },
    /// A cue fires.
    Fired {
        /// Which.
        cue: u32,
        /// What it was called.
        name: String,
        /// What set it off, in words.
        about: String,
        /// The line that did; none for a press.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        cause: Option<Seq>,
        /// The key of the supporter who did.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        person: Option<String>,
        /// How many cues had set each other off before it.
        #[serde(default)]
        depth: u8,
        /// When the first of those fired; none where it is the first.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        since: Option<Instant>,
        /// What it does, as it was then.
        steps: Vec<Step>,
    },
    /// Something became of a step of a cue.
    Stepped {
        /// The line with which the cue fired.
        fired: Seq,
        /// Which step, counted from 0.
        step: u8,
        /// What the cue was called.
        name: String,
        /// What became of it.
        outcome: Outcome,
    },
    /// Reference rates.
    Rates {
        /// By day, how much of each currency one euro buys.
        days: BTreeMap<NaiveDate, Table>,
    },
}

/// What becomes of a line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Change {
    /// It no longer counts.
    Void,
    /// It counts again.
    Restore,
    /// It says something else. Whether it counts stays as it was.
    Amend(Box<Happening>),
}

/// The source of lines that say what comes by itself.
pub const BY_ITSELF: &str = "clock";

/// Under this source stand the lines that cues write.
pub const CUE_SOURCE: &str = "cue";
/// Under this word the ledger files what operators do.
pub const ACT: &str = "act";
/// Under this word the ledger files acts taken back.
pub const VOID: &str = "void";
/// Under this word the ledger files corrections of what happened.
pub const CORRECT: &str = "correct";
/// Under this word the ledger files going on and off air.
pub const SHOW: &str = "show";
/// Under this word the ledger files reference rates.
pub const RATES: &str = "rates";

impl Body {
    /// The word under which the ledger files this line.
    #[must_use]
    pub fn file_under(&self) -> &'static str {
        match self {
            Self::Happening(happening) => happening.kind().key(),
            Self::Act { .. } | Self::Appear { .. } | Self::Cover { .. } | Self::Fired { .. } | Self::Stepped { .. } => {
                ACT
            }
            Self::Void { .. } => VOID,
            Self::Correct { .. } | Self::Withdraw { .. } | Self::Merge { .. } => CORRECT,
            Self::Show { .. } => SHOW,
            Self::Rates { .. } => RATES,
        }
    }

    /// Whether it is told among what happens just now. Levels, votes and rates come too often, and nobody
    /// waits for them.
    #[must_use]
    pub fn is_news(&self) -> bool {
        let comes_by_itself = matches!(
            self,
            Self::Act { act: Act::Poll(PollAct::Votes { .. }) | Act::Wheel(WheelAct::Commit { .. }), .. }
        );
        !comes_by_itself
            && !matches!(
                self,
                Self::Happening(Happening::Gauge { .. } | Happening::Poll(_))
                    | Self::Rates { .. }
                    | Self::Stepped { outcome: Outcome::Done, .. }
            )
    }

    /// Whether it is what an action on a widget would be written as: the same press, sent once more.
    #[must_use]
    pub fn answers(&self, widget: WidgetId, action: &str, value: Option<i64>) -> bool {
        match self {
            Self::Void { widget: own, target, .. } => {
                *own == widget && action == "undo" && value.is_none_or(|value| u64::try_from(value) == Ok(target.0))
            }
            Self::Act { widget: own, act, .. } => *own == widget && act.answers(action, value),
            _ => false,
        }
    }

    /// Of an operator's line, the widget.
    #[must_use]
    pub fn widget(&self) -> Option<WidgetId> {
        match self {
            Self::Act { widget, .. } | Self::Void { widget, .. } => Some(*widget),
            _ => None,
        }
    }

    /// One line of words.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Happening(happening) => happening.words(),
            Self::Act { by, act, .. } => format!("{by} {}", act.words()),
            Self::Void { by, target, .. } => format!("{by} took back line {target}"),
            Self::Correct { by, target, reason, about, change, .. } => {
                let why = reason.as_ref().map(|reason| format!(": {reason}")).unwrap_or_default();
                match change {
                    Change::Void => format!("{by} voided line {target} ({about}){why}"),
                    Change::Restore => format!("{by} lets line {target} count again ({about}){why}"),
                    Change::Amend(happening) => {
                        format!("{by} amended line {target} ({about}) to “{}”{why}", happening.words())
                    }
                }
            }
            Self::Withdraw { name, by, withdrawn: true, .. } => format!("{by} undid the import “{name}”"),
            Self::Withdraw { name, by, withdrawn: false, .. } => format!("{by} put the import “{name}” back"),
            Self::Merge { by, from, into: Some(into) } => {
                format!("{by} counts {} as {} from now on", bare(from), bare(into))
            }
            Self::Merge { by, from, into: None } => format!("{by} counts {} as themselves again", bare(from)),
            Self::Show { by, act } => format!("{by} {}", act.words()),
            Self::Appear { by, name, about, shown, .. } => {
                format!("{by} {} {about} on {name}", if *shown { "showed" } else { "hid" })
            }
            Self::Cover { by, covered: true } => format!("{by} covered the picture"),
            Self::Cover { by, covered: false } => format!("{by} brought the picture back"),
            Self::Fired { name, about, .. } => format!("the cue “{name}” fired: {about}"),
            Self::Stepped { name, step, outcome, .. } => {
                let number = u16::from(*step) + 1;
                match outcome {
                    Outcome::Done => format!("the cue “{name}” did step {number}"),
                    Outcome::Failed(why) => format!("the cue “{name}” could not do step {number}: {why}"),
                    Outcome::Missed => {
                        format!("the cue “{name}” left out step {number}: the server was away when it was due")
                    }
                }
            }
            Self::Rates { days } => {
                let last =
                    days.last_key_value().map(|(day, _)| day.format("%-d %b %Y").to_string()).unwrap_or_default();
                match days.len() {
                    1 => format!("reference rates of {last}"),
                    more => format!("reference rates of {more} days up to {last}"),
                }
            }
        }
    }
}

/// The key of a supporter without its mark.
fn bare(key: &str) -> &str {
    key.strip_prefix('#').unwrap_or(key)
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
