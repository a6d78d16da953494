//! The widget families. A family is one module here: its definition, sentence, state, view and tests.
//!
//! To add one: write its module with a type that implements [`Family`], a line in the list of
//! families in `piece.rs`, a variant of [`View`], and the compiler names the rest.

pub mod act_log;
pub mod carousel;
pub mod chat_lines;
pub mod clock;
pub mod counter;
pub mod crowd_wall;
mod cued;
pub mod event_list;
pub mod goal;
pub mod label;
pub mod leaderboard;
mod piece;
pub mod poll;
pub mod scoreboard;
pub mod subathon;
pub mod ticker;
pub mod total;
pub mod tracker;
pub mod view;
pub mod wheel;

pub use cued::{Cued, Known, Watched};
pub use piece::{Definition, Folded, Piece, Setup, Widget};

use crate::book::chat::ChatLine;
use crate::count::explain::Slip;
use crate::count::published::Published;
use crate::count::recent::Recent;
use crate::count::{Count, Scope};
use crate::lines::LineFormat;
use crate::look::Shape;
use crate::money::conversion::Conversion;
use crate::record::acts::Act;
use crate::record::acts::wheel::Bytes32;
use crate::record::entry::Entry;
use crate::record::ids::{Seq, WidgetId};
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::table::Table;
use crate::sentence::{EditError, Part};
use crate::time::Instant;
use crate::widgets::view::View;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

/// A button's wish, before the rules have looked at it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Action<'a> {
    /// Its name: one of the widget's [`Lever`]s, or another that its family knows.
    pub name: &'a str,
    /// A number where the action takes one: the value to set, the seconds to add.
    pub value: Option<i64>,
    /// A text where the action takes one: the question of a poll.
    pub text: Option<&'a str>,
    /// The side that it is about, from 1, where the action takes one.
    pub side: Option<u8>,
}

/// One thing that can be done to a widget from the desk.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Lever {
    /// The action it sends.
    pub action: &'static str,
    /// The number it sends along.
    pub value: Option<i64>,
    /// The word on it.
    pub label: String,
    /// Whether it would do something now.
    pub ready: bool,
    /// Whether it is the one that is pressed most: it stands out.
    pub main: bool,
    /// Whether it asks once, in place, since no other press undoes what it does on air.
    pub asks: bool,
    /// Of one that sends a text along: what could be written there.
    pub text: Option<&'static str>,
    /// Whether that text may be left out.
    #[serde(skip_serializing_if = "is_not")]
    pub text_optional: bool,
    /// The side that it sends along, from 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub side: Option<u8>,
    /// Whether it is pressed so seldom that it stands behind another press.
    #[serde(skip_serializing_if = "is_not")]
    pub rare: bool,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_not(flag: &bool) -> bool {
    !flag
}

impl Lever {
    fn new(action: &'static str, label: impl Into<String>, ready: bool) -> Self {
        let label = label.into();
        Self {
            action,
            value: None,
            label,
            ready,
            main: false,
            asks: false,
            text: None,
            text_optional: false,
            side: None,
            rare: false,
        }
    }

    fn main(self) -> Self {
        Self { main: true, ..self }
    }

    fn asking(self, asks: bool) -> Self {
        Self { asks, ..self }
    }

    fn valued(self, value: i64) -> Self {
        Self { value: Some(value), ..self }
    }

    fn typed(self, example: &'static str) -> Self {
        Self { text: Some(example), ..self }
    }

    fn maybe_typed(self, example: &'static str) -> Self {
        Self { text: Some(example), text_optional: true, ..self }
    }

    /// Of a side, counted from 0.
    fn of(self, side: u8) -> Self {
        Self { side: Some(side.saturating_add(1)), ..self }
    }

    fn rare(self) -> Self {
        Self { rare: true, ..self }
    }
}

/// An edit that can be tried with one press.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hint {
    /// What it would be, and why.
    pub words: String,
    /// Of which part.
    pub key: String,
    /// The value.
    pub text: String,
}

/// What a family that notes happenings one by one is told.
#[derive(Debug, Clone, Copy)]
pub enum News<'a> {
    /// A happening of a kind that it notes has come.
    Happened(&'a Entry),
    /// Something was said about the record: lines corrected, people merged, rates told.
    Said(&'a Entry),
    /// A line is read again that was known before: it is noted, and reckoned with the others later.
    Replayed(&'a Entry),
    /// Somebody operated it.
    Operated,
    /// Somebody operated the widget beside which it counts.
    Beside(&'a Entry),
    /// It was set up otherwise or loaded, or earlier lines count otherwise: all has to be reckoned anew.
    Anew,
}

/// What a widget makes of a line of chat.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Said {
    /// A word for which it listens. That is recorded as a happening, at most once in so many seconds of each viewer.
    Command {
        /// The word, as the streamer writes it.
        word: String,
        /// What was said after it.
        text: String,
        /// Seconds for which it is not heard again from the same viewer.
        rest_s: i64,
    },
    /// Somebody operates it.
    Press {
        /// Which action.
        action: &'static str,
        /// The text with it.
        text: String,
    },
    /// A vote for one of what can be chosen, counted from 0.
    Vote {
        /// In the poll that was opened by this line.
        poll: Seq,
        /// Which.
        option: u8,
    },
}

/// Something that bears on what widgets do by themselves, and that the ledger would not tell of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Notable {
    /// The widget's setup, or the channel's calendar, is about to be another one.
    Changed,
    /// The server was away.
    Away {
        /// From when.
        from: Instant,
        /// Until when.
        until: Instant,
    },
}

/// What a family has to say about itself. The implementing type is the definition: what the
/// streamer decides. The state is what the ledger makes of it. What most families have in common
/// (they follow the ledger, and nobody operates them) is given here.
pub trait Family: std::fmt::Debug + Clone + PartialEq + Serialize + DeserializeOwned {
    /// What folding entries leaves behind. Everything in it can be rebuilt from the ledger.
    type State: Default + Clone + PartialEq + std::fmt::Debug + Serialize + DeserializeOwned;

    /// The word for definitions, addresses and files.
    const KEY: &'static str;
    /// What cues can wait for in it, and what they can tell it to do.
    const CUED: Cued;
    /// Whether something is celebrated on it: that must be noticed though nobody sees it.
    const CELEBRATES: bool = false;
    /// What it can be drawn as, the standard one first.
    const SHAPES: &'static [Shape];

    /// A definition that could go on air with nothing changed.
    fn standard(settings: &Settings) -> Self;
    /// The streamer's name for the widget; it stands on the picture too.
    fn title(&self) -> &str;
    /// What it counts, if it counts anything.
    fn counts(&self, _state: &Self::State, _settings: &Settings) -> Vec<Count> {
        Vec::new()
    }

    /// Which of the newest entries it shows.
    fn recents(&self) -> Vec<Recent> {
        Vec::new()
    }
    /// Whether it changes when a show begins or ends, besides what it counts.
    fn follows_shows(&self) -> bool {
        false
    }
    /// Whether it changes when something is said in chat.
    fn follows_chat(&self) -> bool {
        false
    }
    /// Whether it shows the notice of the moment.
    fn follows_notices(&self) -> bool {
        false
    }
    /// What it makes of a line of chat, besides showing it.
    fn hears(&self, _state: &Self::State, _line: &ChatLine, _now: Instant) -> Option<Said> {
        None
    }
    /// The words for which it listens, and what each does, before the widget's title.
    fn words(&self) -> Vec<(String, &'static str)> {
        Vec::new()
    }
    /// Whether `other` would make the same state of the same acts.
    fn folds_alike(&self, _other: &Self) -> bool {
        true
    }
    /// The kinds of happenings that it notes one by one, as bits.
    fn notes(&self) -> u16 {
        0
    }
    /// Another widget whose acts it notes.
    fn beside(&self) -> Option<WidgetId> {
        None
    }
    /// Follows what it notes. True when the view may differ.
    fn follow(&self, _state: &mut Self::State, _news: News<'_>, _scope: &Scope<'_>) -> bool {
        false
    }
    /// Takes the place of another setup of the same widget, which held until now.
    fn succeed(&mut self, _before: &Self, _now: Instant) {}
    /// What it does next by itself, and when. That is written into the ledger at its instant, before anything that
    /// comes later.
    fn due(&self, _state: &Self::State, _scope: &Scope<'_>) -> Option<(Instant, Act)> {
        None
    }
    /// What is to be noted in the ledger of something that bears on it.
    fn noting(&self, _state: &Self::State, _what: Notable, _scope: &Scope<'_>) -> Option<Act> {
        None
    }
    /// Its rate sheet, where it has one.
    fn rate_table(&self, _scope: &Scope<'_>) -> Option<Table> {
        None
    }
    /// Folds one act on this widget, or the taking back of one. True when the view may differ.
    fn apply(&self, _state: &mut Self::State, _entry: &Entry) -> bool {
        false
    }
    /// What an action comes to, as an act for the ledger.
    ///
    /// # Errors
    /// When it is unknown, lacks its number, or makes no sense now.
    fn decide(&self, _state: &Self::State, action: &Action<'_>, _scope: &Scope<'_>) -> Result<Act, Refusal> {
        Err(Refusal::NoSuchAction(action.name.into(), "nothing; it follows the ledger by itself".into()))
    }
    /// The act that Undo takes back: the newest in force, or the one asked for if it is in force.
    fn undoable(&self, _state: &Self::State, _target: Option<Seq>) -> Option<Seq> {
        None
    }
    /// The taking back that Redo takes back.
    fn redoable(&self, _state: &Self::State) -> Option<Seq> {
        None
    }
    /// What the desk offers.
    fn levers(&self, _state: &Self::State, _scope: &Scope<'_>) -> Vec<Lever> {
        Vec::new()
    }
    /// Tells what was set in money in another currency. The settings are those from before.
    fn convert(&mut self, _by: &Conversion, _settings: &Settings) {}
    /// The sentence.
    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part>;
    /// Changes one part of the sentence.
    ///
    /// # Errors
    /// An unknown part, or a value that it does not take.
    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError>;
    /// How it tells of each kind of entry, if it does: the drawer Kinds changes that.
    fn line_format(&self) -> Option<&LineFormat> {
        None
    }
    /// What could be tried, with one press each.
    fn hints(&self, _scope: &Scope<'_>) -> Vec<Hint> {
        Vec::new()
    }
    /// What is shown at an instant.
    fn view(&self, state: &Self::State, scope: &Scope<'_>) -> View;
    /// What could be shown, with made-up figures.
    fn sample(&self, scope: &Scope<'_>) -> View;
    /// When the view next changes without any entry.
    fn wakes_at(&self, state: &Self::State, scope: &Scope<'_>) -> Option<Instant>;
    /// What it tells other widgets.
    fn publishes(&self, _state: &Self::State, _scope: &Scope<'_>) -> Option<Published> {
        None
    }
    /// The figure that cues watch, see [`Watched`].
    fn figure(&self, _state: &Self::State, _scope: &Scope<'_>) -> Option<i64> {
        None
    }
    /// When that comes to an end by itself if nothing else is said, and what it is then, in words.
    fn ending(&self, _state: &Self::State, _scope: &Scope<'_>) -> Option<(Instant, String)> {
        None
    }
    /// Whether it changes with what others tell.
    fn goes_by_others(&self) -> bool {
        false
    }
    /// Of a family that draws by lot: the commitment to its next seed, or none where one is to be made.
    fn promise(&self, _state: &Self::State) -> Option<Option<Bytes32>> {
        None
    }
    /// What the desk has to be told of now, if anything: its plate then stands first.
    fn attention(&self, _state: &Self::State, _scope: &Scope<'_>) -> Option<String> {
        None
    }
    /// Why it shows what it shows.
    fn explain(&self, state: &Self::State, scope: &Scope<'_>) -> Slip;
}

/// The state of families that nobody operates.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct NoActs {}

/// The refusal of an edit to a part that the family does not have.
fn no_such_part(key: &str) -> EditError {
    EditError {
        label: "This widget",
        why: format!("has no part called “{}”", key.chars().take(40).collect::<String>()),
    }
}
