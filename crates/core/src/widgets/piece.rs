//! A widget of whatever family: the list of families, and what can be done with any of them.

use super::carousel::Carousel;
use super::chat_lines::ChatLines;
use super::clock::Clock;
use super::counter::Counter;
use super::crowd_wall::CrowdWall;
use super::event_list::EventList;
use super::goal::Goal;
use super::label::Label;
use super::leaderboard::Leaderboard;
use super::poll::Poll;
use super::scoreboard::Scoreboard;
use super::subathon::Subathon;
use super::ticker::Ticker;
use super::total::Total;
use super::tracker::Tracker;
use super::wheel::Wheel;
use super::{Action, Cued, Family, Hint, Lever, News, Notable, Said};
use crate::book::chat::ChatLine;
use crate::count::explain::Slip;
use crate::count::published::Published;
use crate::count::recent::Recent;
use crate::count::{Count, Scope};
use crate::lines::LineFormat;
use crate::look::{Look, Looks, Shape};
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
use serde::{Deserialize, Serialize};
use std::ops::{Deref, DerefMut};
use std::sync::Arc;

/// A definition and its look, together with its state.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(bound = "")]
pub struct Folded<F: Family> {
    /// What the streamer decided.
    pub definition: F,
    /// How it looks.
    pub look: Look,
    /// What the ledger made of it; shared by copies until one of them goes on.
    pub state: Arc<F::State>,
}

/// What can be done with a widget of whatever family: all that [`Family`] says of one definition, with its state. A
/// [`Piece`] can do it too.
pub trait Widget {
    /// The family's word.
    fn key(&self) -> &'static str;
    /// See [`Family::CUED`].
    fn cued(&self) -> Cued;
    /// See [`Family::CELEBRATES`].
    fn celebrates(&self) -> bool;
    /// See [`Family::SHAPES`].
    fn shapes(&self) -> &'static [Shape];
    /// See [`Family::title`]; so for all that have the name of a method there.
    fn title(&self) -> &str;
    /// How it looks.
    fn look(&self) -> &Look;
    /// Applies its look of one's own; see [`Look::apply_looks`].
    fn apply_looks(&mut self, looks: &Looks) -> bool;
    /// How it tells lines.
    fn line_format(&self) -> Option<&LineFormat>;
    /// What it counts.
    fn counts(&self, settings: &Settings) -> Vec<Count>;
    /// Which of the newest entries it shows.
    fn recents(&self) -> Vec<Recent>;
    /// Whether it changes with shows.
    fn follows_shows(&self) -> bool;
    /// Whether it shows chat.
    fn follows_chat(&self) -> bool;
    /// Whether it shows the notice of the moment.
    fn follows_notices(&self) -> bool;
    /// What it makes of a line of chat.
    fn hears(&self, line: &ChatLine, now: Instant) -> Option<Said>;
    /// The words for which it listens.
    fn words(&self) -> Vec<(String, &'static str)>;
    /// Folds an act.
    fn apply(&mut self, entry: &Entry) -> bool;
    /// What it notes.
    fn notes(&self) -> u16;
    /// Beside which widget it counts.
    fn beside(&self) -> Option<WidgetId>;
    /// Follows what it notes.
    fn follow(&mut self, news: News<'_>, scope: &Scope<'_>) -> bool;
    /// What it does next by itself.
    fn due(&self, scope: &Scope<'_>) -> Option<(Instant, Act)>;
    /// What is to be noted of something that bears on it.
    fn noting(&self, what: Notable, scope: &Scope<'_>) -> Option<Act>;
    /// Its rate sheet.
    fn rate_table(&self, scope: &Scope<'_>) -> Option<Table>;
    /// What an action comes to.
    ///
    /// # Errors
    /// See [`Family::decide`].
    fn decide(&self, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal>;
    /// What Undo takes back.
    fn undoable(&self, target: Option<Seq>) -> Option<Seq>;
    /// What Redo takes back.
    fn redoable(&self) -> Option<Seq>;
    /// What the desk offers.
    fn levers(&self, scope: &Scope<'_>) -> Vec<Lever>;
    /// Tells what was set in money in another currency.
    fn convert(&mut self, by: &Conversion, settings: &Settings);
    /// The sentence.
    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part>;
    /// What could be tried.
    fn hints(&self, scope: &Scope<'_>) -> Vec<Hint>;
    /// Changes one part of the sentence or the look. True when the acts must be folded anew.
    ///
    /// # Errors
    /// See [`Family::edit`] and [`Look::edit`].
    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<bool, EditError>;
    /// What it shows.
    fn view(&self, scope: &Scope<'_>) -> View;
    /// What it could show.
    fn sample(&self, scope: &Scope<'_>) -> View;
    /// When the view changes by itself.
    fn wakes_at(&self, scope: &Scope<'_>) -> Option<Instant>;
    /// What it tells others.
    fn publishes(&self, scope: &Scope<'_>) -> Option<Published>;
    /// The figure that cues watch.
    fn figure(&self, scope: &Scope<'_>) -> Option<i64>;
    /// When that comes to an end by itself.
    fn ending(&self, scope: &Scope<'_>) -> Option<(Instant, String)>;
    /// Whether it goes by what others tell.
    fn goes_by_others(&self) -> bool;
    /// What it has promised to draw by.
    fn promise(&self) -> Option<Option<Bytes32>>;
    /// What the desk has to be told of.
    fn attention(&self, scope: &Scope<'_>) -> Option<String>;
    /// Why it shows what it shows.
    fn explain(&self, scope: &Scope<'_>) -> Slip;
}

impl<F: Family> Widget for Folded<F> {
    fn key(&self) -> &'static str {
        F::KEY
    }

    fn cued(&self) -> Cued {
        F::CUED
    }

    fn celebrates(&self) -> bool {
        F::CELEBRATES
    }

    fn shapes(&self) -> &'static [Shape] {
        F::SHAPES
    }

    fn title(&self) -> &str {
        self.definition.title()
    }

    fn look(&self) -> &Look {
        &self.look
    }

    fn apply_looks(&mut self, looks: &Looks) -> bool {
        self.look.apply_looks(looks)
    }

    fn line_format(&self) -> Option<&LineFormat> {
        self.definition.line_format()
    }

    fn counts(&self, settings: &Settings) -> Vec<Count> {
        self.definition.counts(&self.state, settings)
    }

    fn recents(&self) -> Vec<Recent> {
        self.definition.recents()
    }

    fn follows_shows(&self) -> bool {
        self.definition.follows_shows()
    }

    fn follows_chat(&self) -> bool {
        self.definition.follows_chat()
    }

    fn follows_notices(&self) -> bool {
        self.definition.follows_notices()
    }

    fn hears(&self, line: &ChatLine, now: Instant) -> Option<Said> {
        self.definition.hears(&self.state, line, now)
    }

    fn words(&self) -> Vec<(String, &'static str)> {
        self.definition.words()
    }

    fn apply(&mut self, entry: &Entry) -> bool {
        self.definition.apply(Arc::make_mut(&mut self.state), entry)
    }

    fn notes(&self) -> u16 {
        self.definition.notes()
    }

    fn beside(&self) -> Option<WidgetId> {
        self.definition.beside()
    }

    fn follow(&mut self, news: News<'_>, scope: &Scope<'_>) -> bool {
        self.definition.follow(Arc::make_mut(&mut self.state), news, scope)
    }

    fn due(&self, scope: &Scope<'_>) -> Option<(Instant, Act)> {
        self.definition.due(&self.state, scope)
    }

    fn noting(&self, what: Notable, scope: &Scope<'_>) -> Option<Act> {
        self.definition.noting(&self.state, what, scope)
    }

    fn rate_table(&self, scope: &Scope<'_>) -> Option<Table> {
        self.definition.rate_table(scope)
    }

    fn decide(&self, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal> {
        self.definition.decide(&self.state, action, scope)
    }

    fn undoable(&self, target: Option<Seq>) -> Option<Seq> {
        self.definition.undoable(&self.state, target)
    }

    fn redoable(&self) -> Option<Seq> {
        self.definition.redoable(&self.state)
    }

    fn levers(&self, scope: &Scope<'_>) -> Vec<Lever> {
        self.definition.levers(&self.state, scope)
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        self.definition.convert(by, settings);
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        self.definition.sentence(scope)
    }

    fn hints(&self, scope: &Scope<'_>) -> Vec<Hint> {
        self.definition.hints(scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<bool, EditError> {
        if self.look.edit(key, text, F::SHAPES)? {
            return Ok(false);
        }
        let before = self.definition.clone();
        self.definition.edit(key, text, scope)?;
        Ok(!self.definition.folds_alike(&before))
    }

    fn view(&self, scope: &Scope<'_>) -> View {
        self.definition.view(&self.state, &scope.speaking(self.look.language))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        self.definition.sample(&scope.speaking(self.look.language))
    }

    fn wakes_at(&self, scope: &Scope<'_>) -> Option<Instant> {
        self.definition.wakes_at(&self.state, scope)
    }

    fn publishes(&self, scope: &Scope<'_>) -> Option<Published> {
        self.definition.publishes(&self.state, scope)
    }

    fn figure(&self, scope: &Scope<'_>) -> Option<i64> {
        self.definition.figure(&self.state, scope)
    }

    fn ending(&self, scope: &Scope<'_>) -> Option<(Instant, String)> {
        self.definition.ending(&self.state, scope)
    }

    fn goes_by_others(&self) -> bool {
        self.definition.goes_by_others()
    }

    fn promise(&self) -> Option<Option<Bytes32>> {
        self.definition.promise(&self.state)
    }

    fn attention(&self, scope: &Scope<'_>) -> Option<String> {
        self.definition.attention(&self.state, scope)
    }

    fn explain(&self, scope: &Scope<'_>) -> Slip {
        self.definition.explain(&self.state, scope)
    }
}

/// Lists the families: for each its variant, its type, its name and what it is for.
macro_rules! families {
    ($($(#[$attribute:meta])* $variant:ident($family:ty): $name:literal, $purpose:literal;)+) => {
        /// A widget of any family. Written with the family as the key around it, not as a tag
        /// inside: a tag inside would turn the numeric keys of its maps into text on the way back.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
        #[serde(rename_all = "snake_case")]
        #[allow(clippy::large_enum_variant, reason = "a channel has some dozens of widgets, each in a map of its own")]
        pub enum Piece {
            $(#[doc = $purpose] $(#[$attribute])* $variant(Folded<$family>),)+
        }

        /// A definition of any family, as it is kept.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
        #[serde(tag = "family", rename_all = "snake_case")]
        #[allow(clippy::large_enum_variant, reason = "definitions are handed on one at a time")]
        pub enum Definition {
            $(#[doc = $purpose] $(#[$attribute])* $variant($family),)+
        }

        impl Piece {
            fn inner(&self) -> &(dyn Widget + 'static) {
                match self {
                    $(Self::$variant(one) => one,)+
                }
            }

            fn inner_mut(&mut self) -> &mut (dyn Widget + 'static) {
                match self {
                    $(Self::$variant(one) => one,)+
                }
            }

            /// The definition alone.
            #[must_use]
            pub fn definition(&self) -> Definition {
                match self {
                    $(Self::$variant(one) => Definition::$variant(one.definition.clone()),)+
                }
            }

            /// A setup that takes the place of this widget's at an instant, as far as it remembers what held before.
            #[must_use]
            pub fn succeeded_by(&self, mut setup: Setup, now: Instant) -> Setup {
                match (self, &mut setup.definition) {
                    $((Self::$variant(old), Definition::$variant(new)) => new.succeed(&old.definition, now),)+
                    _ => {}
                }
                setup
            }

            /// The same widget with another setup, and whether its acts must be folded anew. A
            /// setup of another family begins with no state.
            #[must_use]
            pub fn with(&self, setup: Setup) -> (Self, bool) {
                match (self, setup.definition) {
                    $((Self::$variant(old), Definition::$variant(definition)) => {
                        let refold = !definition.folds_alike(&old.definition);
                        let state = Arc::clone(&old.state);
                        (Self::$variant(Folded { definition, look: setup.look, state }), refold)
                    })+
                    (_, definition) => (Setup { definition, look: setup.look }.unfolded(), true),
                }
            }
        }

        impl Definition {
            /// The families with what they are for, in the order in which they are offered.
            pub const FAMILIES: &'static [(&'static str, &'static str, &'static str)] =
                &[$((<$family>::KEY, $name, $purpose),)+];

            /// A definition that could go on air with nothing changed.
            #[must_use]
            pub fn standard(family: &str, settings: &Settings) -> Option<Self> {
                match family {
                    $(<$family>::KEY => Some(Self::$variant(<$family>::standard(settings))),)+
                    _ => None,
                }
            }
        }

        impl Setup {
            /// With an empty state.
            #[must_use]
            pub fn unfolded(self) -> Piece {
                let look = self.look;
                match self.definition {
                    $(Definition::$variant(definition) => {
                        Piece::$variant(Folded { definition, look, state: Arc::default() })
                    })+
                }
            }
        }
    };
}

families! {
    Goal(Goal): "Goal", "How far tips, follows or subscribers have come towards a target";
    Total(Total): "Total", "One figure or several, counted live";
    Label(Label): "Label", "One line about the latest, the largest or the top supporter";
    Carousel(Carousel): "Carousel", "Several labels in turn";
    EventList(EventList): "Event list", "What has just happened, line by line";
    Ticker(Ticker): "Ticker", "A tape of happenings and notices that runs without end";
    Leaderboard(Leaderboard): "Leaderboard", "Supporters in the order of what they gave";
    CrowdWall(CrowdWall): "Crowd wall", "The faces of those who are here or have helped";
    ChatLines(ChatLines): "Chat lines", "What is said in chat, on your picture";
    Counter(Counter): "Counter", "A number that you bump by hand, such as derailments";
    #[serde(alias = "countdown")] Clock(Clock): "Clock", "Time until something, time since something, or the time of day";
    Subathon(Subathon): "Subathon clock", "A clock that runs down while your audience adds time to it";
    Poll(Poll): "Poll", "A question to your audience, voted in chat, or held elsewhere";
    Scoreboard(Scoreboard): "Scoreboard", "A match by the rules of its sport, kept from a phone";
    Tracker(Tracker): "Game tracker", "What a game reports: deliveries, wins, whatever it counts";
    Wheel(Wheel): "Wheel", "A draw that anybody can check: from a list, among viewers, or to settle a tie";
}

/// What the streamer decides about a widget: what it counts, and how it looks.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Setup {
    /// The data part.
    pub definition: Definition,
    /// The style part.
    #[serde(default)]
    pub look: Look,
}

impl Definition {
    /// In the standard look, with an empty state.
    #[must_use]
    pub fn unfolded(self) -> Piece {
        Setup::from(self).unfolded()
    }
}

impl From<Definition> for Setup {
    fn from(definition: Definition) -> Self {
        Self { definition, look: Look::default() }
    }
}

impl Deref for Piece {
    type Target = dyn Widget;

    fn deref(&self) -> &Self::Target {
        self.inner()
    }
}

impl DerefMut for Piece {
    fn deref_mut(&mut self) -> &mut Self::Target {
        self.inner_mut()
    }
}

impl Piece {
    /// What the streamer decided.
    #[must_use]
    pub fn setup(&self) -> Setup {
        Setup { definition: self.definition(), look: self.look().clone() }
    }

    /// The same widget before any entry.
    #[must_use]
    pub fn emptied(&self) -> Self {
        self.setup().unfolded()
    }

    /// The widget with one part of its sentence or its look changed, and whether its acts must be
    /// folded anew.
    ///
    /// # Errors
    /// See [`Family::edit`] and [`Look::edit`].
    pub fn edited(&self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(Self, bool), EditError> {
        let mut new = self.clone();
        let refold = new.edit(key, text, scope)?;
        Ok((new, refold))
    }
}
