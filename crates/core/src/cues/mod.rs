//! Cues: when this happens, do that. What fires is decided from the record and the definitions alone, and firing is itself a line of
//! the record; so reading the record again fires nothing, and trying a cue on the past says what it would have done.

mod edit;
mod firings;
mod sentence;
pub mod starts;

pub use firings::{Chain, Due, Firings, Logged};
pub use sentence::Offer;

use crate::money::conversion::Conversion;
use crate::record::cue::{Do, Step};
use crate::record::happening::Kind;
use crate::record::ids::WidgetId;
use crate::sentence::EditError;
use crate::time::Instant;
use crate::time::calendar::Calendar;
use crate::widgets::Watched;
use chrono::{Datelike, TimeDelta, Weekday};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Most cues of a channel.
pub const MOST_CUES: usize = 500;
/// Most steps of a cue.
pub const MOST_STEPS: usize = 20;
/// A cue that was set off by cues, one after the other, so many times, is set off no more.
pub const MOST_DEPTH: u8 = 8;

/// When a cue fires.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum When {
    /// Something of a kind happens.
    Entry {
        /// Of which kind.
        kind: Kind,
        /// The least size, in the smallest step of the channel's currency for money; 0 for any.
        #[serde(default)]
        least: i64,
    },
    /// Somebody says a word in chat.
    Command {
        /// The word.
        word: String,
    },
    /// Somebody takes a reward of the channel.
    Reward {
        /// What it is called; any where it is empty.
        name: String,
    },
    /// A signal comes.
    Signal {
        /// Its name.
        name: String,
    },
    /// A goal, or its next rung or raise, is reached.
    Reached {
        /// Of which widget.
        widget: WidgetId,
    },
    /// A counter comes to a value from below.
    Passed {
        /// Of which widget.
        widget: WidgetId,
        /// The value.
        value: i64,
    },
    /// A poll is closed.
    Closed {
        /// Of which widget.
        widget: WidgetId,
    },
    /// The time of a clock comes to so many seconds from above; 0 is its end.
    Left {
        /// Of which widget.
        widget: WidgetId,
        /// How many.
        seconds: i64,
    },
    /// A wheel comes to rest.
    Rested {
        /// Of which widget.
        widget: WidgetId,
        /// On what; anything where it is empty.
        on: String,
    },
    /// A time of the channel's day.
    At {
        /// In minutes after midnight.
        minute: u16,
        /// On which days.
        #[serde(default)]
        days: Days,
    },
    /// A show begins.
    Begins,
    /// A show ends.
    Ends,
    /// Nothing but a press in its room.
    ByHand,
}

/// Days of the week.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Days {
    /// All of them.
    #[default]
    Every,
    /// Monday to Friday.
    Working,
    /// Saturday and Sunday.
    Weekend,
    /// One of them, counted from Monday, which is 0.
    One(u8),
}

impl Days {
    /// All that can be chosen: the key, and the words.
    pub const ALL: [(Self, &'static str, &'static str); 10] = [
        (Self::Every, "every", "every day"),
        (Self::Working, "working", "Monday to Friday"),
        (Self::Weekend, "weekend", "Saturday and Sunday"),
        (Self::One(0), "mon", "Mondays"),
        (Self::One(1), "tue", "Tuesdays"),
        (Self::One(2), "wed", "Wednesdays"),
        (Self::One(3), "thu", "Thursdays"),
        (Self::One(4), "fri", "Fridays"),
        (Self::One(5), "sat", "Saturdays"),
        (Self::One(6), "sun", "Sundays"),
    ];

    /// Whether a day is one of them.
    #[must_use]
    pub fn has(self, day: Weekday) -> bool {
        let number = day.num_days_from_monday();
        match self {
            Self::Every => true,
            Self::Working => number < 5,
            Self::Weekend => number >= 5,
            Self::One(one) => number == u32::from(one),
        }
    }
}

impl When {
    /// The widget that is watched for it, and what in it.
    #[must_use]
    pub fn watches(&self) -> Option<(Watched, WidgetId)> {
        match self {
            Self::Reached { widget } => Some((Watched::Reached, *widget)),
            Self::Passed { widget, .. } => Some((Watched::Passed, *widget)),
            Self::Closed { widget } => Some((Watched::Closed, *widget)),
            Self::Left { widget, .. } => Some((Watched::Left, *widget)),
            Self::Rested { widget, .. } => Some((Watched::Rested, *widget)),
            _ => None,
        }
    }

    /// Whether it comes by itself, with no line of the record at its instant.
    #[must_use]
    pub fn comes_by_itself(&self) -> bool {
        matches!(self, Self::Left { .. } | Self::Rested { .. } | Self::At { .. })
    }
}

/// The first time after an instant at which the channel's clock shows so many minutes after midnight, on one of those days.
#[must_use]
pub fn next_minute(calendar: &Calendar, (minute, days): (u16, Days), from: Instant) -> Option<Instant> {
    let today = calendar.local(from).date();
    let on = |ahead: i64| {
        let day = today.checked_add_signed(TimeDelta::days(ahead)).filter(|day| days.has(day.weekday()))?;
        let midnight = day.and_hms_opt(0, 0, 0)?;
        Some(calendar.instant(midnight.checked_add_signed(TimeDelta::minutes(minute.into()))?))
    };
    // Where clocks change, an instant of today may be over by less than a day.
    (0..=8).filter_map(on).find(|at| *at > from)
}

/// One cue.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cue {
    /// What it is called.
    pub name: String,
    /// Whether it fires at all.
    #[serde(default)]
    pub on: bool,
    /// When.
    pub when: When,
    /// Only while on air.
    #[serde(default)]
    pub on_air: bool,
    /// At most once in so many seconds; 0 for no such limit.
    #[serde(default)]
    pub every_s: u32,
    /// Only the first time of each supporter in a show.
    #[serde(default)]
    pub once_each: bool,
    /// Only while that widget is seen on some overlay.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub while_shown: Option<WidgetId>,
    /// What it does, in order.
    #[serde(default)]
    pub steps: Vec<Step>,
    /// When it was last edited: what came by itself before that sets it off no more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Instant>,
}

impl Cue {
    /// One that says nothing yet: it fires by hand, and does nothing.
    #[must_use]
    pub fn empty() -> Self {
        Self {
            name: "New cue".into(),
            on: false,
            when: When::ByHand,
            on_air: false,
            every_s: 0,
            once_each: false,
            while_shown: None,
            steps: Vec::new(),
            since: None,
        }
    }

    /// Tells what was set in money in another currency.
    pub fn convert(&mut self, by: &Conversion) {
        if let When::Entry { kind: Kind::Tip | Kind::Purchase, least } = &mut self.when {
            *least = by.amount(*least);
        }
    }
}

/// All cues of a channel, by their numbers.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Cues {
    /// The cues.
    pub all: BTreeMap<u32, Cue>,
    /// The highest number that any has had: those of removed ones are never used again, or a new one would have their memory
    /// and log.
    pub spent: u32,
}

/// What can be done to cues.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum CueEdit {
    /// A new one.
    Add(Box<Cue>),
    /// Says one part of one otherwise.
    Set {
        /// Of which.
        cue: u32,
        /// Which part of its sentence.
        key: String,
        /// As it was typed.
        text: String,
    },
    /// Throws one away.
    Remove(u32),
}

/// Why cues stay as they are; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CueError {
    /// No such cue.
    #[error("there is no such cue any more; it may have been removed meanwhile")]
    NoSuchCue,
    /// Too many.
    #[error("there are {MOST_CUES} cues; remove one first")]
    TooMany,
    /// A part of its sentence.
    #[error("{0}")]
    Value(#[from] EditError),
}

/// Why a cue did not fire although what it waits for has happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum NotFired {
    /// It was removed or switched off meanwhile.
    #[error("it is off")]
    Off,
    /// It fires only on air.
    #[error("the channel was off air")]
    OffAir,
    /// It fires only while a widget is seen.
    #[error("the widget that must be seen for it was not on the picture")]
    NotShown,
    /// It has just fired.
    #[error("it had fired {0} s before")]
    Resting(i64),
    /// The supporter has set it off before in this show.
    #[error("this supporter had set it off before in this show")]
    Met,
    /// Cues have set each other off.
    #[error("cues had set each other off {MOST_DEPTH} times; that is where it stops")]
    Circle,
}

impl Cues {
    /// Whether any of them calls an address.
    #[must_use]
    pub fn make_calls(&self) -> bool {
        self.all.values().flat_map(|cue| &cue.steps).any(|step| matches!(step.what, Do::Call { .. }))
    }

    /// What they are after something was done to them, and the cue with which it was done.
    ///
    /// # Errors
    /// It cannot be done; nothing is half changed.
    pub fn edited(&self, edit: CueEdit, offer: &Offer, now: Instant) -> Result<(Self, Option<u32>), CueError> {
        let mut after = self.clone();
        let id = match edit {
            CueEdit::Add(cue) => {
                if after.all.len() >= MOST_CUES {
                    return Err(CueError::TooMany);
                }
                let id = after.all.last_key_value().map_or(0, |(id, _)| *id).max(after.spent).saturating_add(1);
                after.spent = id;
                after.all.insert(id, Cue { since: Some(now), ..*cue });
                Some(id)
            }
            CueEdit::Set { cue: id, key, text } => {
                let cue = after.all.get_mut(&id).ok_or(CueError::NoSuchCue)?;
                cue.edit(&key, &text, offer)?;
                cue.since = Some(now);
                Some(id)
            }
            CueEdit::Remove(id) => {
                after.all.remove(&id).ok_or(CueError::NoSuchCue)?;
                after.spent = after.spent.max(id);
                None
            }
        };
        Ok((after, id))
    }
}
