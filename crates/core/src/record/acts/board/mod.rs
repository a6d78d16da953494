//! What scorekeepers do to boards: the acts of every sport, its rules, and the sides.

pub mod rules;

pub use rules::{Rule, Rules, Sport};

use crate::record::own::OWN;
use crate::time::words::digits;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// Who plays.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Side {
    /// Its name.
    pub name: String,
    /// Up to five letters for where there is little room; empty for the name's beginning.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub short: String,
    /// `#rrggbb`.
    pub colour: String,
    /// What stands beside its name.
    #[serde(default, skip_serializing_if = "Picture::is_none")]
    pub picture: Picture,
    /// Its place in a table, or a seed: free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub rank: String,
    /// What it has won and lost so far: free words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub record: String,
}

/// What stands beside a side's name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Picture {
    /// Nothing.
    #[default]
    None,
    /// A flag, by its code: `gb`, `gb-sct`.
    Flag(String),
    /// A picture of the streamer's own, by its token.
    Own(String),
}

impl Picture {
    fn is_none(&self) -> bool {
        *self == Self::None
    }

    /// The word for it in a sentence: empty, a flag's code, or [`OWN`] and a token.
    #[must_use]
    pub fn word(&self) -> String {
        match self {
            Self::None => String::new(),
            Self::Flag(code) => code.clone(),
            Self::Own(token) => format!("{OWN}{token}"),
        }
    }
}

/// A card of football.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Card {
    /// A caution.
    Yellow,
    /// Sent off.
    Red,
}

/// A penalty of ice hockey.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Penalty {
    /// 2 minutes.
    Minor,
    /// 2 and 2 minutes.
    DoubleMinor,
    /// 5 minutes.
    Major,
    /// 10 minutes, without making the side short-handed.
    Misconduct,
}

impl Penalty {
    /// Its minutes.
    #[must_use]
    pub fn minutes(self) -> i64 {
        match self {
            Self::Minor => 2,
            Self::DoubleMinor => 4,
            Self::Major => 5,
            Self::Misconduct => 10,
        }
    }

    /// The one of so many minutes.
    #[must_use]
    pub fn of(minutes: i64) -> Option<Self> {
        [Self::Minor, Self::DoubleMinor, Self::Major, Self::Misconduct].into_iter().find(|one| one.minutes() == minutes)
    }
}

/// One press of the scorekeeper. Sides are counted from 0. Which presses a sport knows, and when, its pack says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "play", rename_all = "snake_case")]
pub enum Play {
    /// The match begins, or goes on after a break.
    Start,
    /// The period is over.
    EndPeriod,
    /// The match stands still for a while.
    Pause,
    /// The match is over.
    Finish,
    /// It is not over after all.
    Reopen,
    /// A side gives up.
    Retire {
        /// Which.
        side: u8,
    },
    /// Points, goals, a visit.
    Score {
        /// Whose.
        side: u8,
        /// How many.
        points: i32,
    },
    /// A rally, a point of tennis.
    Rally {
        /// Who won it.
        side: u8,
    },
    /// A frame, game or leg.
    Frame {
        /// Who won it.
        side: u8,
    },
    /// A game of a series.
    Game {
        /// Who won it; none for a draw.
        side: Option<u8>,
        /// How it ended.
        result: Option<(u16, u16)>,
    },
    /// Who picks the next game of a series.
    Pick {
        /// Who.
        side: u8,
    },
    /// Three darts.
    Visit {
        /// What they made.
        points: u16,
        /// How many were thrown, where that is told.
        darts: Option<u8>,
    },
    /// A visit is over: the next points are another one's, or of another visit.
    EndVisit,
    /// Three darts that gave more than was left, so that they count for nothing.
    Bust,
    /// What is left, to nothing.
    Checkout {
        /// With how many darts.
        darts: u8,
    },
    /// Who serves, breaks, throws or kicks first, or has the arrow.
    First {
        /// Who.
        side: u8,
    },
    /// The arrow was used.
    ArrowUsed,
    /// A foul.
    Foul {
        /// Whose.
        side: u8,
    },
    /// A time-out.
    Timeout {
        /// Whose.
        side: u8,
    },
    /// The shot clock is put to so many seconds.
    ShotClock {
        /// How many.
        seconds: u16,
    },
    /// A shot on goal.
    Shot {
        /// Whose.
        side: u8,
    },
    /// A card.
    Card {
        /// Whose.
        side: u8,
        /// Which.
        card: Card,
        /// The player's number.
        number: Option<u16>,
    },
    /// A player for another.
    Substitution {
        /// Whose.
        side: u8,
    },
    /// Time is added to the half.
    AddedTime {
        /// How much.
        minutes: u16,
    },
    /// A penalty.
    Penalty {
        /// Whose.
        side: u8,
        /// Which.
        penalty: Penalty,
        /// The player's number.
        number: Option<u16>,
    },
    /// A kick or shot of a shoot-out.
    Kick {
        /// Whose.
        side: u8,
        /// Whether it went in.
        scored: bool,
    },
    /// The clock runs.
    ClockStart,
    /// The clock stands.
    ClockStop,
    /// The clock is put right.
    ClockSet {
        /// What it shows from now on, in milliseconds.
        ms: i64,
    },
    /// A round of a ranking is over.
    Round,
    /// A flourish is played for a side, whatever the score: by hand, or by a cue.
    Flourish {
        /// Whose.
        side: u8,
    },
}

impl Play {
    /// Whose it is, if it is a side's.
    #[must_use]
    pub fn side(self) -> Option<u8> {
        match self {
            Self::Retire { side }
            | Self::Score { side, .. }
            | Self::Rally { side }
            | Self::Frame { side }
            | Self::Pick { side }
            | Self::First { side }
            | Self::Foul { side }
            | Self::Timeout { side }
            | Self::Shot { side }
            | Self::Card { side, .. }
            | Self::Substitution { side }
            | Self::Penalty { side, .. }
            | Self::Flourish { side }
            | Self::Kick { side, .. } => Some(side),
            Self::Game { side, .. } => side,
            _ => None,
        }
    }

    /// The action by which it is pressed.
    #[must_use]
    pub fn action(self) -> &'static str {
        match self {
            Self::Start => "start",
            Self::EndPeriod => "end_period",
            Self::Pause => "pause",
            Self::Finish => "finish",
            Self::Reopen => "reopen",
            Self::Retire { .. } => "retire",
            Self::Score { .. } => "score",
            Self::Rally { .. } => "rally",
            Self::Frame { .. } => "frame",
            Self::Game { .. } => "game",
            Self::Pick { .. } => "pick",
            Self::Visit { .. } => "visit",
            Self::EndVisit => "end_visit",
            Self::Bust => "bust",
            Self::Checkout { .. } => "checkout",
            Self::First { .. } => "first",
            Self::ArrowUsed => "arrow_used",
            Self::Foul { .. } => "foul",
            Self::Timeout { .. } => "timeout",
            Self::ShotClock { .. } => "shot_clock",
            Self::Shot { .. } => "shot",
            Self::Card { card: Card::Yellow, .. } => "yellow_card",
            Self::Card { card: Card::Red, .. } => "red_card",
            Self::Substitution { .. } => "substitution",
            Self::AddedTime { .. } => "added_time",
            Self::Penalty { .. } => "penalty",
            Self::Kick { scored: true, .. } => "kick_in",
            Self::Kick { scored: false, .. } => "kick_missed",
            Self::ClockStart => "clock_start",
            Self::ClockStop => "clock_stop",
            Self::ClockSet { .. } => "clock_set",
            Self::Round => "round",
            Self::Flourish { .. } => "flourish",
        }
    }

    /// `+2 for side 1`, with whatever the sides are called.
    #[must_use]
    pub fn words(self, name: impl Fn(u8) -> String) -> String {
        let of_player = |number: Option<u16>| number.map(|number| format!(", no. {number}")).unwrap_or_default();
        match self {
            Self::Start => "start".into(),
            Self::EndPeriod => "end of the period".into(),
            Self::Pause => "break".into(),
            Self::Finish => "end of the match".into(),
            Self::Reopen => "match reopened".into(),
            Self::Retire { side } => format!("{} gives up", name(side)),
            Self::Score { side, points } => format!("{points:+} for {}", name(side)),
            Self::Rally { side } => format!("point for {}", name(side)),
            Self::Frame { side } => format!("frame to {}", name(side)),
            Self::Game { side, result } => {
                let result = result.map(|(left, right)| format!(", {left}:{right}")).unwrap_or_default();
                match side {
                    Some(side) => format!("game to {}{result}", name(side)),
                    None => format!("game drawn{result}"),
                }
            }
            Self::Pick { side } => format!("{} picks the next game", name(side)),
            Self::Visit { points, darts: Some(darts) } => format!("visit of {points} with {darts}"),
            Self::Visit { points, darts: None } => format!("visit of {points}"),
            Self::EndVisit => "visit over".into(),
            Self::Bust => "bust".into(),
            Self::Checkout { darts: 1 } => "finished with one dart".into(),
            Self::Checkout { darts } => format!("finished with {darts} darts"),
            Self::First { side } => format!("{} first", name(side)),
            Self::ArrowUsed => "arrow used".into(),
            Self::Foul { side } => format!("foul by {}", name(side)),
            Self::Timeout { side } => format!("time-out for {}", name(side)),
            Self::ShotClock { seconds } => format!("shot clock at {seconds}"),
            Self::Shot { side } => format!("shot by {}", name(side)),
            Self::Card { side, card: Card::Yellow, number } => {
                format!("yellow card for {}{}", name(side), of_player(number))
            }
            Self::Card { side, card: Card::Red, number } => format!("red card for {}{}", name(side), of_player(number)),
            Self::Substitution { side } => format!("substitution by {}", name(side)),
            Self::AddedTime { minutes } => format!("{minutes} min added"),
            Self::Penalty { side, penalty, number } => {
                format!("{} min for {}{}", penalty.minutes(), name(side), of_player(number))
            }
            Self::Kick { side, scored: true } => format!("{} scored", name(side)),
            Self::Kick { side, scored: false } => format!("{} missed", name(side)),
            Self::ClockStart => "clock started".into(),
            Self::ClockStop => "clock stopped".into(),
            Self::ClockSet { ms } => format!("clock put to {}", digits(TimeDelta::milliseconds(ms))),
            Self::Flourish { side } => format!("flourish for {}", name(side)),
            Self::Round => "round over".into(),
        }
    }
}

/// What was done to a board.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum BoardAct {
    /// A press of the scorekeeper.
    Play(Play),
    /// The match is put away, with the rules and the sides by which it was played, and another may begin.
    NewMatch {
        /// The rules.
        rules: Rules,
        /// The sides.
        sides: Vec<Side>,
    },
}

impl BoardAct {
    /// `noted: +2 for side 1`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Play(play) => {
                let name = |side: u8| format!("side {}", u16::from(side).saturating_add(1));
                format!("noted: {}", play.words(name))
            }
            Self::NewMatch { .. } => "put the match away".into(),
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(&self, action: &str) -> bool {
        match self {
            Self::Play(play) => play.action() == action,
            Self::NewMatch { .. } => action == "new_match",
        }
    }
}
