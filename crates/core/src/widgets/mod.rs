//! The widget families. A family is one module here: its definition, sentence, state, view and tests.
//!
//! To add one: write its module with a type that implements [`Family`], add a line to
//! [`Piece`] and to the list behind it, a variant to [`View`], and the compiler names the rest.

pub mod countdown;
pub mod counter;
pub mod goal;

use crate::Instant;
use crate::calendar::Calendar;
use crate::entry::{ACT, Act, CORRECT, Entry, VOID};
use crate::explain::{Evidence, Slip};
use crate::happening::Kind;
use crate::ids::Seq;
use crate::measure::Weights;
use crate::money::Currency;
use crate::sentence::{EditError, Input, Part};
use crate::view::View;
use countdown::Countdown;
use counter::Counter;
use goal::Goal;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

/// What all widgets of a channel share.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Settings {
    /// Base currency: everything in money is told in it.
    pub currency: Currency,
    /// Local time.
    pub calendar: Calendar,
    /// How much a subscription of each tier weighs.
    pub weights: Weights,
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

/// What a family has to say about itself. The implementing type is the definition: what the
/// streamer decides. The state is what the ledger makes of it.
pub trait Family: std::fmt::Debug + Clone + PartialEq + Serialize + DeserializeOwned {
    /// What folding entries leaves behind. Everything in it can be rebuilt from the ledger.
    type State: Default + Clone + PartialEq + std::fmt::Debug + Serialize + DeserializeOwned;

    /// The word for definitions, addresses and files.
    const KEY: &'static str;

    /// The streamer's name for the widget; it stands on the picture too.
    fn title(&self) -> &str;
    /// The kind of happening that it counts, if it counts any.
    fn counts(&self) -> Option<Kind>;
    /// Whether `other` would make the same state of the same entries.
    fn counts_alike(&self, other: &Self) -> bool;
    /// Folds one entry of that kind, or one act on this widget. True when the view may differ.
    fn apply(&self, state: &mut Self::State, entry: &Entry, settings: &Settings) -> bool;
    /// What an action comes to, as an act for the ledger.
    ///
    /// # Errors
    /// When it is unknown, lacks its number, or makes no sense now.
    fn decide(&self, state: &Self::State, action: &Action<'_>, now: Instant) -> Result<Act, Refusal>;
    /// The act that Undo takes back: the newest in force, or the one asked for if it is in force.
    fn undoable(&self, state: &Self::State, target: Option<Seq>) -> Option<Seq>;
    /// What the desk offers.
    fn levers(&self, state: &Self::State, now: Instant) -> Vec<Lever>;
    /// The sentence.
    fn sentence(&self, settings: &Settings) -> Vec<Part>;
    /// Changes one part of the sentence.
    ///
    /// # Errors
    /// An unknown part, or a value that it does not take.
    fn edit(&mut self, key: &str, text: &str, settings: &Settings) -> Result<(), EditError>;
    /// What is shown at an instant.
    fn view(&self, state: &Self::State, settings: &Settings, now: Instant) -> View;
    /// What could be shown, with made-up figures.
    fn sample(&self, settings: &Settings, now: Instant) -> View;
    /// When the view next changes without any entry.
    fn wakes_at(&self, state: &Self::State, settings: &Settings, now: Instant) -> Option<Instant>;
    /// Why it shows what it shows.
    fn explain(&self, state: &Self::State, evidence: Evidence<'_>, settings: &Settings, now: Instant) -> Slip;
}

/// A definition together with its state.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Folded<F: Family> {
    /// What the streamer decided.
    pub definition: F,
    /// What the ledger made of it.
    pub state: F::State,
}

/// A widget of any family. Written with the family as the key around it, not as a tag inside: a
/// tag inside would turn the numeric keys of its maps into text on the way back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Piece {
    /// See [`goal`].
    Goal(Folded<Goal>),
    /// See [`counter`].
    Counter(Folded<Counter>),
    /// See [`countdown`].
    Countdown(Folded<Countdown>),
}

/// A definition of any family, as it is kept.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "family", rename_all = "snake_case")]
pub enum Definition {
    /// See [`goal`].
    Goal(Goal),
    /// See [`counter`].
    Counter(Counter),
    /// See [`countdown`].
    Countdown(Countdown),
}

/// Does the same with whichever family a [`Piece`] is of.
macro_rules! each {
    ($piece:expr, $folded:ident => $do:expr) => {
        match $piece {
            Piece::Goal($folded) => $do,
            Piece::Counter($folded) => $do,
            Piece::Countdown($folded) => $do,
        }
    };
}

fn key_of<F: Family>(_: &Folded<F>) -> &'static str {
    F::KEY
}

fn fresh<F: Family>(definition: F) -> Folded<F> {
    Folded { definition, state: F::State::default() }
}

impl Definition {
    /// The families with what they are for, in the order in which they are offered.
    pub const FAMILIES: [(&'static str, &'static str, &'static str); 3] = [
        (Goal::KEY, "Goal", "How far tips, follows or subscribers have come towards a target"),
        (Counter::KEY, "Counter", "A number that you bump by hand, such as derailments"),
        (Countdown::KEY, "Count-down", "A clock that runs down to nothing, such as the time until you start"),
    ];

    /// A definition that could go on air with nothing changed.
    #[must_use]
    pub fn standard(family: &str, settings: &Settings) -> Option<Self> {
        Some(match family {
            Goal::KEY => Self::Goal(Goal::standard(settings)),
            Counter::KEY => Self::Counter(Counter::standard()),
            Countdown::KEY => Self::Countdown(Countdown::standard()),
            _ => return None,
        })
    }

    /// With an empty state.
    #[must_use]
    pub fn unfolded(self) -> Piece {
        match self {
            Self::Goal(definition) => Piece::Goal(fresh(definition)),
            Self::Counter(definition) => Piece::Counter(fresh(definition)),
            Self::Countdown(definition) => Piece::Countdown(fresh(definition)),
        }
    }
}

impl Piece {
    /// The family's word.
    #[must_use]
    pub fn key(&self) -> &'static str {
        each!(self, one => key_of(one))
    }

    /// See [`Family::title`].
    #[must_use]
    pub fn title(&self) -> &str {
        each!(self, one => one.definition.title())
    }

    /// The definition alone.
    #[must_use]
    pub fn definition(&self) -> Definition {
        match self {
            Self::Goal(one) => Definition::Goal(one.definition.clone()),
            Self::Counter(one) => Definition::Counter(one.definition.clone()),
            Self::Countdown(one) => Definition::Countdown(one.definition.clone()),
        }
    }

    /// The same widget before any entry.
    #[must_use]
    pub fn emptied(&self) -> Self {
        self.definition().unfolded()
    }

    /// The widget with one part of its sentence changed, and whether its state must be folded anew.
    ///
    /// # Errors
    /// See [`Family::edit`].
    pub fn edited(&self, key: &str, text: &str, settings: &Settings) -> Result<(Self, bool), EditError> {
        fn edit<F: Family>(one: &mut Folded<F>, key: &str, text: &str, settings: &Settings) -> Result<bool, EditError> {
            let before = one.definition.clone();
            one.definition.edit(key, text, settings)?;
            Ok(!one.definition.counts_alike(&before))
        }
        let mut new = self.clone();
        let refold = each!(&mut new, one => edit(one, key, text, settings))?;
        Ok((new, refold))
    }

    /// See [`Family::counts`].
    #[must_use]
    pub fn counts(&self) -> Option<Kind> {
        each!(self, one => one.definition.counts())
    }

    /// Under which words the ledger files the lines that bear on this widget: what it counts and
    /// corrections of that, or what operators did.
    #[must_use]
    pub fn files(&self) -> Vec<&'static str> {
        match self.counts() {
            Some(kind) => vec![kind.key(), CORRECT],
            None => vec![ACT, VOID],
        }
    }

    /// See [`Family::apply`].
    pub fn apply(&mut self, entry: &Entry, settings: &Settings) -> bool {
        each!(self, one => one.definition.apply(&mut one.state, entry, settings))
    }

    /// See [`Family::decide`].
    ///
    /// # Errors
    /// See [`Family::decide`].
    pub fn decide(&self, action: &Action<'_>, now: Instant) -> Result<Act, Refusal> {
        each!(self, one => one.definition.decide(&one.state, action, now))
    }

    /// See [`Family::undoable`].
    #[must_use]
    pub fn undoable(&self, target: Option<Seq>) -> Option<Seq> {
        each!(self, one => one.definition.undoable(&one.state, target))
    }

    /// See [`Family::levers`].
    #[must_use]
    pub fn levers(&self, now: Instant) -> Vec<Lever> {
        each!(self, one => one.definition.levers(&one.state, now))
    }

    /// See [`Family::sentence`].
    #[must_use]
    pub fn sentence(&self, settings: &Settings) -> Vec<Part> {
        each!(self, one => one.definition.sentence(settings))
    }

    /// See [`Family::view`].
    #[must_use]
    pub fn view(&self, settings: &Settings, now: Instant) -> View {
        each!(self, one => one.definition.view(&one.state, settings, now))
    }

    /// See [`Family::sample`].
    #[must_use]
    pub fn sample(&self, settings: &Settings, now: Instant) -> View {
        each!(self, one => one.definition.sample(settings, now))
    }

    /// See [`Family::wakes_at`].
    #[must_use]
    pub fn wakes_at(&self, settings: &Settings, now: Instant) -> Option<Instant> {
        each!(self, one => one.definition.wakes_at(&one.state, settings, now))
    }

    /// See [`Family::explain`].
    #[must_use]
    pub fn explain(&self, evidence: Evidence<'_>, settings: &Settings, now: Instant) -> Slip {
        each!(self, one => one.definition.explain(&one.state, evidence, settings, now))
    }
}

/// The refusal of an edit to a part that the family does not have.
fn no_such_part(key: &str) -> EditError {
    EditError {
        label: "This widget",
        why: format!("has no part called “{}”", key.chars().take(40).collect::<String>()),
    }
}

fn input<'a>(label: &'static str, text: &'a str) -> Input<'a> {
    Input { label, text }
}
