//! How a match stands, in the terms that all sports share: what a board shows, without how it is drawn.

use crate::time::face::Direction;
use serde::{Deserialize, Serialize};
use std::fmt::Display;

/// Where a match is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Phase {
    /// It has not begun.
    #[default]
    Before,
    /// It is played.
    Running,
    /// It stands still between two parts.
    Break,
    /// It is over.
    Finished,
}

/// How a match came to its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum How {
    /// The rules say so by what was scored.
    ByScore,
    /// Somebody said so.
    ByHand,
    /// A side gave up.
    Retired,
}

/// A match that is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ended {
    /// Who won; none for a draw, and for several at the top.
    pub winner: Option<u8>,
    /// How.
    pub how: How,
}

/// Something that deserves a flourish.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Big {
    /// Whose.
    pub side: u8,
    /// What, by its word.
    pub what: What,
}

/// What deserves a flourish.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// A goal.
    Goal,
    /// Three points at once.
    Three,
    /// A set, a frame, a leg, a game of a series.
    Set,
    /// 180 with three darts.
    OneEighty,
    /// The match.
    Match,
    /// Whatever a hand or a cue means by it.
    Bravo,
}

impl What {
    /// What stands on the picture.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Goal => "Goal",
            Self::Three => "Three points",
            Self::Set => "Won it",
            Self::OneEighty => "180",
            Self::Match => "Wins the match",
            Self::Bravo => "Bravo",
        }
    }
}

/// What stands beside a side's score. Each kind can be left out on a board.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum MarkKind {
    /// Who serves, breaks or throws.
    Serve,
    /// Who has the arrow.
    Possession,
    /// Who has the bonus.
    Bonus,
    /// More players on the field than the other side.
    PowerPlay,
    /// Sets, legs or frames won.
    Sets,
    /// Legs won in this set.
    Legs,
    /// Fouls of this period.
    Fouls,
    /// Time-outs left.
    Timeouts,
    /// Yellow cards.
    Yellow,
    /// Red cards.
    Red,
    /// Shots on goal.
    Shots,
    /// Substitutions made.
    Substitutions,
    /// The kicks of a shoot-out: `x` in, `o` missed.
    Kicks,
    /// Points in the frame that is played.
    FramePoints,
    /// The highest break, or the highest finish.
    Highest,
    /// The average of three darts.
    Average,
    /// The average of the first nine darts.
    FirstNine,
    /// How often 180 was thrown.
    OneEighties,
    /// The place in the table.
    Place,
}

impl MarkKind {
    /// All, in their order on a board.
    pub const ALL: [Self; 19] = [
        Self::Serve,
        Self::Possession,
        Self::Bonus,
        Self::PowerPlay,
        Self::Sets,
        Self::Legs,
        Self::Fouls,
        Self::Timeouts,
        Self::Yellow,
        Self::Red,
        Self::Shots,
        Self::Substitutions,
        Self::Kicks,
        Self::FramePoints,
        Self::Highest,
        Self::Average,
        Self::FirstNine,
        Self::OneEighties,
        Self::Place,
    ];

    /// Its word in definitions and style sheets, and what it is called.
    #[must_use]
    pub fn about(self) -> (&'static str, &'static str) {
        match self {
            Self::Serve => ("serve", "serve"),
            Self::Possession => ("possession", "possession"),
            Self::Bonus => ("bonus", "bonus"),
            Self::PowerPlay => ("power_play", "power play"),
            Self::Sets => ("sets", "sets"),
            Self::Legs => ("legs", "legs"),
            Self::Fouls => ("fouls", "fouls"),
            Self::Timeouts => ("timeouts", "time-outs left"),
            Self::Yellow => ("yellow", "yellow cards"),
            Self::Red => ("red", "red cards"),
            Self::Shots => ("shots", "shots"),
            Self::Substitutions => ("substitutions", "changes"),
            Self::Kicks => ("kicks", "kicks"),
            Self::FramePoints => ("frame_points", "in the frame"),
            Self::Highest => ("highest", "highest"),
            Self::Average => ("average", "average"),
            Self::FirstNine => ("first_nine", "first nine"),
            Self::OneEighties => ("one_eighties", "180s"),
            Self::Place => ("place", "place"),
        }
    }
}

/// One mark beside a score.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Mark {
    /// What kind.
    pub kind: MarkKind,
    /// What it says; empty for one that is there or not.
    pub text: String,
}

impl Mark {
    /// One that is there or not.
    #[must_use]
    pub fn bare(kind: MarkKind) -> Self {
        Self { kind, text: String::new() }
    }

    /// One that says something.
    #[must_use]
    pub fn of(kind: MarkKind, text: impl Display) -> Self {
        Self { kind, text: format!("{text}") }
    }
}

/// A part of the match that has its own score: a set, a period.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Column {
    /// What stands above it.
    pub head: String,
    /// What each side has in it.
    pub cells: Vec<String>,
    /// Who won it.
    pub won: Option<u8>,
}

/// Something to be said of the match as it stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Note {
    /// Whose it is.
    pub side: Option<u8>,
    /// What: `Set point`, `Change ends`.
    pub text: String,
}

/// A clock of the match at an instant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Dial {
    /// What it shows, in milliseconds.
    pub ms: i64,
    /// Which way it goes.
    pub direction: Direction,
    /// Whether it runs.
    pub running: bool,
    /// Below how many milliseconds it shows tenths.
    pub tenths_under: i64,
}

/// A penalty that is served.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Serving {
    /// The player's number.
    pub number: Option<u16>,
    /// What is left of it, in milliseconds.
    pub left_ms: i64,
    /// Whether it runs with the clock; otherwise it waits until another one is over.
    pub counts_down: bool,
}

/// How a match stands.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Standing {
    /// What is played: `2nd quarter`, `Set 3`, `Half-time`.
    pub part: String,
    /// What each side has.
    pub scores: Vec<String>,
    /// The same as numbers, for programs and for who is ahead.
    pub points: Vec<i64>,
    /// The parts of the match, oldest first.
    pub columns: Vec<Column>,
    /// The marks of each side.
    pub marks: Vec<Vec<Mark>>,
    /// What else is to be said.
    pub notes: Vec<Note>,
    /// The clock of the match.
    pub clock: Option<Dial>,
    /// Minutes that are added to it.
    pub added: Option<u16>,
    /// The shot clock.
    pub shot: Option<Dial>,
    /// The penalties of each side.
    pub penalties: Vec<Vec<Serving>>,
}

impl Standing {
    /// With the scores of a number of sides.
    #[must_use]
    pub fn of(part: impl Into<String>, points: &[i64]) -> Self {
        Self {
            part: part.into(),
            scores: points.iter().map(ToString::to_string).collect(),
            points: points.to_vec(),
            marks: vec![Vec::new(); points.len()],
            penalties: vec![Vec::new(); points.len()],
            ..Self::default()
        }
    }

    /// Puts a mark beside a side.
    pub fn mark(&mut self, side: usize, mark: Mark) {
        if let Some(marks) = self.marks.get_mut(side) {
            marks.push(mark);
        }
    }

    /// Says something of a side, or of the match.
    pub fn note(&mut self, side: Option<usize>, text: impl Into<String>) {
        let side = side.and_then(|side| u8::try_from(side).ok());
        self.notes.push(Note { side, text: text.into() });
    }
}
