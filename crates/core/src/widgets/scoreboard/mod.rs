//! Scoreboards: a match of two sides or more, by the rules of a sport, kept press by press.
//!
//! All state follows from the log of acts and the settings: `packs/` holds one file for each sport, `game.rs` what they
//! share, `standing.rs` the terms in which all of them say how a match stands.

pub mod game;
mod levers;
pub mod packs;
mod sentence;
pub mod standing;
mod state;
pub mod teams;
mod view;

pub use state::{Played, Pressed, State};
pub use view::{BoardView, Cell, Clock, Flourish, PastAct, PenaltyView, SideView};

use super::{Action, Cued, Family, Lever};
use crate::count::Scope;
use crate::count::explain::Slip;
use crate::look::tokens::{BOARD_SOUNDS, PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::record::acts::Act;
use crate::record::acts::board::{BoardAct, Picture, Play, Rules, Side, Sport};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::time::{Instant, before};
use crate::widgets::view::View;
use chrono::{NaiveDateTime, TimeDelta};
use game::Game;
use serde::{Deserialize, Serialize};
use standing::MarkKind;
use std::collections::BTreeSet;

/// Colours for sides that nobody has given one, in their order.
pub const COLOURS: [&str; 8] = ["#a83e26", "#1f5c78", "#e2a62b", "#55702b", "#6b4a7d", "#8a8f98", "#c9662e", "#2b7d6f"];

/// What a board is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Scoreboard {
    /// Its name.
    pub title: String,
    /// The sport and its settings.
    pub rules: Rules,
    /// Who plays.
    pub sides: Vec<Side>,
    /// What does not stand beside the scores.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub hidden: BTreeSet<MarkKind>,
    /// When the match is to begin, in the channel's local time.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub starts: Option<NaiveDateTime>,
}

/// A side of a place with nothing but a name.
#[must_use]
pub fn side(name: impl Into<String>, place: usize) -> Side {
    let colour = COLOURS.iter().cycle().nth(place).copied().unwrap_or("#1f2329");
    Side {
        name: name.into(),
        short: String::new(),
        colour: colour.into(),
        picture: Picture::None,
        rank: String::new(),
        record: String::new(),
    }
}

impl Scoreboard {
    /// The match before its first act.
    fn begin(&self) -> Game {
        Game::new(&self.rules, self.sides.len())
    }

    /// A match that could be: some presses that its sport may take, or refuse.
    fn example(&self, now: Instant) -> State {
        let mut game = self.begin();
        let two = |side: u8| {
            [
                Play::Score { side, points: 2 },
                Play::Score { side, points: 1 },
                Play::Rally { side },
                Play::Frame { side },
            ]
        };
        let mut plays = vec![Play::First { side: 0 }, Play::Start];
        for side in [0, 1, 0, 1, 1, 0, 0] {
            plays.extend(two(side));
            plays.push(Play::Visit { points: 60, darts: None });
        }
        plays.push(Play::Game { side: Some(0), result: Some((13, 7)) });
        plays.push(Play::Foul { side: 1 });
        let began = before(now, TimeDelta::minutes(4));
        for play in plays {
            // What the sport does not know is no part of the example.
            let _ = game.play(&self.rules, play, began);
        }
        State { game: Some(game), ..State::default() }
    }
}

/// What an act was, with the names of the sides.
fn act_words(board: &Scoreboard, act: &BoardAct) -> String {
    match act {
        BoardAct::Play(play) => view::words(board, *play),
        BoardAct::NewMatch { .. } => "match put away".into(),
    }
}

/// The tokens of every shape.
const BOARD: &[&[crate::look::Token]] = &[TITLED, TEXT, PLATE, BOARD_SOUNDS];

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Words, look::Part::Line];

impl Family for Scoreboard {
    type State = State;
    const KEY: &'static str = "scoreboard";
    const CUED: Cued = Cued { levers: true, ..Cued::NOTHING };
    const SHAPES: &'static [Shape] = &[
        Shape { key: "plates", words: "Plates in a row", tokens: BOARD, parts: PARTS, size: (1100, 190) },
        Shape { key: "slip", words: "Slip in a corner", tokens: BOARD, parts: PARTS, size: (520, 230) },
        Shape { key: "footer", words: "Footer across the picture", tokens: BOARD, parts: PARTS, size: (1920, 150) },
        Shape { key: "tall", words: "Tall, for an upright picture", tokens: BOARD, parts: PARTS, size: (460, 760) },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "New match".into(),
            rules: Rules::of(Sport::Points),
            sides: vec![side("First side", 0), side("Second side", 1)],
            hidden: BTreeSet::new(),
            starts: None,
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn folds_alike(&self, other: &Self) -> bool {
        self.rules == other.rules && self.sides.len() == other.sides.len()
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        state.note(self, entry)
    }

    fn decide(&self, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal> {
        levers::decide(self, state, action, scope.now).map(Act::Board)
    }

    fn undoable(&self, state: &State, target: Option<Seq>) -> Option<Seq> {
        state.log.undoable(target)
    }

    fn redoable(&self, state: &State) -> Option<Seq> {
        state.redoable()
    }

    fn levers(&self, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
        levers::levers(self, state, scope.now)
    }

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self)
    }

    fn edit(&mut self, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Scoreboard(Box::new(view::view(self, state, scope)))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Scoreboard(Box::new(view::view(self, &self.example(scope.now), scope)))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        view::wakes_at(self, state, scope)
    }

    fn attention(&self, state: &State, scope: &Scope<'_>) -> Option<String> {
        view::attention(self, state, scope)
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let shown = view::view(self, state, scope);
        let calendar = &scope.settings.calendar;
        Slip {
            terms: shown.sides.iter().map(|side| (side.name.clone(), side.score.clone())).collect(),
            shown: shown.text(),
            span: match state.misfits.len() {
                0 => self.rules.sport.words().0.to_owned(),
                many => format!("{}; {many} presses do not fit any more", self.rules.sport.words().0),
            },
            lines: state.log.slip_lines(calendar, |act| act_words(self, act)),
        }
    }
}
