//! The widget families. A family is one module here: its definition, sentence, state, view and tests.
//!
//! To add one: write its module with a type that implements [`Family`], add a line to
//! [`Piece`] and to the list behind it, a variant to [`View`], and the compiler names the rest.

pub mod countdown;
pub mod counter;
pub mod goal;

use crate::Instant;
use crate::book::Book;
use crate::calendar::{Calendar, Span};
use crate::count::{Count, Tallies, Tally};
use crate::entry::{Act, Entry};
use crate::explain::Slip;
use crate::ids::{FeedId, Seq};
use crate::measure::Weights;
use crate::money::Currency;
use crate::sentence::{EditError, Input, Part};
use crate::view::View;
use countdown::Countdown;
use counter::Counter;
use goal::Goal;
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
    /// The instant.
    pub now: Instant,
}

impl Scope<'_> {
    /// The stretch of time of a count.
    #[must_use]
    pub fn span(&self, count: &Count) -> Span {
        count.span(self.settings, self.book, self.now)
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

/// What a family has to say about itself. The implementing type is the definition: what the
/// streamer decides. The state is what the ledger makes of it.
pub trait Family: std::fmt::Debug + Clone + PartialEq + Serialize + DeserializeOwned {
    /// What folding entries leaves behind. Everything in it can be rebuilt from the ledger.
    type State: Default + Clone + PartialEq + std::fmt::Debug + Serialize + DeserializeOwned;

    /// The word for definitions, addresses and files.
    const KEY: &'static str;

    /// The streamer's name for the widget; it stands on the picture too.
    fn title(&self) -> &str;
    /// What it counts, if it counts anything.
    fn counts(&self, state: &Self::State, settings: &Settings) -> Vec<Count>;
    /// Whether it changes when a show begins or ends, besides what it counts.
    fn follows_shows(&self) -> bool {
        false
    }
    /// Whether `other` would make the same state of the same acts.
    fn folds_alike(&self, other: &Self) -> bool;
    /// Folds one act on this widget, or the taking back of one. True when the view may differ.
    fn apply(&self, state: &mut Self::State, entry: &Entry) -> bool;
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
    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part>;
    /// Changes one part of the sentence.
    ///
    /// # Errors
    /// An unknown part, or a value that it does not take.
    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError>;
    /// What is shown at an instant.
    fn view(&self, state: &Self::State, scope: &Scope<'_>) -> View;
    /// What could be shown, with made-up figures.
    fn sample(&self, scope: &Scope<'_>) -> View;
    /// When the view next changes without any entry.
    fn wakes_at(&self, state: &Self::State, scope: &Scope<'_>) -> Option<Instant>;
    /// Why it shows what it shows.
    fn explain(&self, state: &Self::State, scope: &Scope<'_>) -> Slip;
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

    /// The widget with one part of its sentence changed, and whether its acts must be folded anew.
    ///
    /// # Errors
    /// See [`Family::edit`].
    pub fn edited(&self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(Self, bool), EditError> {
        fn edit<F: Family>(one: &mut Folded<F>, key: &str, text: &str, scope: &Scope<'_>) -> Result<bool, EditError> {
            let before = one.definition.clone();
            one.definition.edit(key, text, scope)?;
            Ok(!one.definition.folds_alike(&before))
        }
        let mut new = self.clone();
        let refold = each!(&mut new, one => edit(one, key, text, scope))?;
        Ok((new, refold))
    }

    /// Takes note that the channel tells its money in another currency.
    pub fn tell_in(&mut self, before: &Settings, after: &Settings) {
        if let Self::Goal(goal) = self {
            let (old, new) = (goal.definition.count.unit(before), goal.definition.count.unit(after));
            goal.definition.tell_in(old, new);
        }
    }

    /// See [`Family::counts`].
    #[must_use]
    pub fn counts(&self, settings: &Settings) -> Vec<Count> {
        each!(self, one => one.definition.counts(&one.state, settings))
    }

    /// See [`Family::follows_shows`].
    #[must_use]
    pub fn follows_shows(&self) -> bool {
        each!(self, one => one.definition.follows_shows())
    }

    /// See [`Family::apply`].
    pub fn apply(&mut self, entry: &Entry) -> bool {
        each!(self, one => one.definition.apply(&mut one.state, entry))
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
    pub fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        each!(self, one => one.definition.sentence(scope))
    }

    /// See [`Family::view`].
    #[must_use]
    pub fn view(&self, scope: &Scope<'_>) -> View {
        each!(self, one => one.definition.view(&one.state, scope))
    }

    /// See [`Family::sample`].
    #[must_use]
    pub fn sample(&self, scope: &Scope<'_>) -> View {
        each!(self, one => one.definition.sample(scope))
    }

    /// See [`Family::wakes_at`].
    #[must_use]
    pub fn wakes_at(&self, scope: &Scope<'_>) -> Option<Instant> {
        each!(self, one => one.definition.wakes_at(&one.state, scope))
    }

    /// See [`Family::explain`].
    #[must_use]
    pub fn explain(&self, scope: &Scope<'_>) -> Slip {
        each!(self, one => one.definition.explain(&one.state, scope))
    }
}

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
