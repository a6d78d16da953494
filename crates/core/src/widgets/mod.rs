//! The widget families. A family is one module here: its definition, sentence, state, view and tests.
//!
//! To add one: write its module with a type that implements [`Family`], a line in the list of
//! families in `piece.rs`, a variant of [`View`], and the compiler names the rest.

pub mod carousel;
pub mod chat_lines;
pub mod countdown;
pub mod counter;
pub mod crowd_wall;
pub mod event_list;
pub mod goal;
pub mod label;
pub mod leaderboard;
mod piece;
pub mod starts;
pub mod ticker;
pub mod total;

pub use piece::{Definition, Folded, Piece, Setup};

use crate::book::Book;
use crate::book::names::Person;
use crate::chat::Chat;
use crate::count::{Count, Ranked, Tallies, Tally};
use crate::entry::{Act, Entry};
use crate::explain::Slip;
use crate::ids::{FeedId, Seq};
use crate::language::Language;
use crate::language::unit::Unit;
use crate::look::Shape;
use crate::measure::Weights;
use crate::money::Currency;
use crate::money::conversion::Conversion;
use crate::portraits::Portraits;
use crate::sentence::{EditError, Input, Part};
use crate::telling::Telling;
use crate::template::Hand;
use crate::time::Instant;
use crate::time::calendar::{Calendar, Span};
use crate::view::View;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What all widgets of a channel share.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Settings {
    /// Base currency: everything in money is told in it.
    pub currency: Currency,
    /// Local time.
    pub calendar: Calendar,
    /// How much a subscription of each tier weighs.
    pub weights: Weights,
}

/// All that a widget may look at, at one instant.
#[derive(Debug, Clone, Copy)]
pub struct Scope<'a> {
    /// How the channel reckons.
    pub settings: &'a Settings,
    /// What has happened.
    pub book: &'a Book,
    /// Figures at hand.
    pub tallies: &'a Tallies,
    /// The channel's feeds by name.
    pub feeds: &'a BTreeMap<FeedId, String>,
    /// What is said in chat.
    pub chat: &'a Chat,
    /// Where pictures of people are.
    pub portraits: &'a Portraits,
    /// In which language figures are written.
    pub language: Language,
    /// The instant.
    pub now: Instant,
}

impl Scope<'_> {
    /// The same, with figures written in a language.
    #[must_use]
    pub fn speaking(self, language: Language) -> Self {
        Self { language, ..self }
    }

    /// A figure as it is written.
    #[must_use]
    pub fn show(&self, unit: Unit, value: i64) -> String {
        self.language.figure(unit, value)
    }

    /// How templates write.
    #[must_use]
    pub fn hand(&self) -> Hand {
        Hand { language: self.language, currency: self.settings.currency }
    }

    /// The first so many supporters by a count that keeps its people.
    #[must_use]
    pub fn ranking(&self, count: &Count, most: usize) -> Vec<Ranked> {
        self.tallies.ranking(count, most, self.book, self.settings, self.now)
    }

    /// The name under which somebody is shown.
    #[must_use]
    pub fn name(&self, who: Person) -> String {
        let known = self.book.names().get(who).map(|one| one.name.clone());
        known.unwrap_or_else(|| self.language.on_air().somebody.to_owned())
    }

    /// The stretch of time of a count.
    #[must_use]
    pub fn span(&self, count: &Count) -> Span {
        count.span(self.settings, self.book, self.now)
    }

    /// When the figure of a count next changes without any entry.
    #[must_use]
    pub fn wakes_at(&self, count: &Count) -> Option<Instant> {
        count.wakes_at(self.settings, self.book, self.now)
    }

    /// The figure of a count.
    #[must_use]
    pub fn tally(&self, count: &Count) -> Tally {
        self.tallies.get(count, self.book, self.settings, self.now)
    }
}

/// A button's wish, before the rules have looked at it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Action<'a> {
    /// Its name: one of the widget's [`Lever`]s, or another that its family knows.
    pub name: &'a str,
    /// A number where the action takes one: the value to set, the seconds to add.
    pub value: Option<i64>,
}

/// Why an action was refused; the text says what to do instead.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// No such widget in this channel.
    #[error("there is no such widget")]
    NoSuchWidget,
    /// The family has no such action.
    #[error("this widget cannot be told to “{0}”; it knows: {1}")]
    NoSuchAction(String, String),
    /// The action takes a number and none came, or one beyond its bounds.
    #[error("{0}")]
    WrongValue(String),
    /// Everything is known already.
    #[error("there is nothing new in it")]
    NothingNew,
    /// The action makes no sense in the present state.
    #[error("{0}")]
    NotNow(&'static str),
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
}

impl Lever {
    fn new(action: &'static str, label: impl Into<String>, ready: bool) -> Self {
        Self { action, value: None, label: label.into(), ready, main: false }
    }

    fn main(self) -> Self {
        Self { main: true, ..self }
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

/// What a family has to say about itself. The implementing type is the definition: what the
/// streamer decides. The state is what the ledger makes of it. What most families have in common
/// (they follow the ledger, and nobody operates them) is given here.
pub trait Family: std::fmt::Debug + Clone + PartialEq + Serialize + DeserializeOwned {
    /// What folding entries leaves behind. Everything in it can be rebuilt from the ledger.
    type State: Default + Clone + PartialEq + std::fmt::Debug + Serialize + DeserializeOwned;

    /// The word for definitions, addresses and files.
    const KEY: &'static str;
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
    /// Whether it changes when a show begins or ends, besides what it counts.
    fn follows_shows(&self) -> bool {
        false
    }
    /// Whether it changes when something is said in chat.
    fn follows_chat(&self) -> bool {
        false
    }
    /// Whether `other` would make the same state of the same acts.
    fn folds_alike(&self, _other: &Self) -> bool {
        true
    }
    /// Folds one act on this widget, or the taking back of one. True when the view may differ.
    fn apply(&self, _state: &mut Self::State, _entry: &Entry) -> bool {
        false
    }
    /// What an action comes to, as an act for the ledger.
    ///
    /// # Errors
    /// When it is unknown, lacks its number, or makes no sense now.
    fn decide(&self, _state: &Self::State, action: &Action<'_>, _now: Instant) -> Result<Act, Refusal> {
        Err(Refusal::NoSuchAction(action.name.into(), "nothing; it follows the ledger by itself".into()))
    }
    /// The act that Undo takes back: the newest in force, or the one asked for if it is in force.
    fn undoable(&self, _state: &Self::State, _target: Option<Seq>) -> Option<Seq> {
        None
    }
    /// What the desk offers.
    fn levers(&self, _state: &Self::State, _now: Instant) -> Vec<Lever> {
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
    fn telling(&self) -> Option<&Telling> {
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
    /// Why it shows what it shows.
    fn explain(&self, state: &Self::State, scope: &Scope<'_>) -> Slip;
}

/// The state of families that nobody operates.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct NoActs {}

/// Whom samples name, some in other scripts.
pub(crate) const SAMPLE_NAMES: [&str; 20] = [
    "pinecone_ade",
    "quietferry",
    "moss_and_marl",
    "tinplate_ruth",
    "ninepins",
    "kestrel_oak",
    "oatcake_jo",
    "lamplit_sam",
    "semaphore_sue",
    "dusty_bogie",
    "駅長🚂",
    "Zażółć",
    "Стрелочник",
    "brass_whistle",
    "fog_signal",
    "clinker_kit",
    "Ευγενία",
    "ballast_bea",
    "gauge_one",
    "halt_hana",
];

/// The refusal of an edit to a part that the family does not have.
fn no_such_part(key: &str) -> EditError {
    EditError {
        label: "This widget",
        why: format!("has no part called “{}”", key.chars().take(40).collect::<String>()),
    }
}

pub(crate) fn input<'a>(label: &'static str, text: &'a str) -> Input<'a> {
    Input { label, text }
}
