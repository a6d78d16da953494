//! What a board shows.

use super::standing::{Big, Column, Dial, Mark, Phase, Serving, Standing};
use super::{Scoreboard, State};
use crate::count::Scope;
use crate::look::contrast;
use crate::record::acts::board::{Picture, Play, Rule, Side};
use crate::record::ids::Seq;
use crate::time::face::{Direction, Face, Units};
use crate::time::{Instant, after, before};
use crate::widgets::act_log::Line;
use crate::widgets::clock::Anchor;
use chrono::TimeDelta;
use serde::Serialize;

/// How many acts are told.
const LAST: usize = 3;
/// Lettering on a side's colour.
const DARK: &str = "#14171a";
const LIGHT: &str = "#ffffff";
/// Colours nearer than this are taken for one.
const ALIKE: f64 = 1.15;

/// What a board shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct BoardView {
    /// Its name.
    pub title: String,
    /// The sport's word.
    pub sport: &'static str,
    /// Where the match is.
    pub phase: Phase,
    /// What is played: `2nd quarter`.
    pub part: String,
    /// Who plays, in the order of the board.
    pub sides: Vec<SideView>,
    /// What stands above the parts that have their own score.
    pub heads: Vec<String>,
    /// What is to be said of the match.
    pub notes: Vec<String>,
    /// The clock.
    pub clock: Option<Clock>,
    /// Minutes that are added.
    pub added: Option<u16>,
    /// The shot clock.
    pub shot: Option<Clock>,
    /// Who won, counted from 1; none for a draw and before the end.
    pub winner: Option<usize>,
    /// When it is to begin.
    pub starts_at: Option<Instant>,
    /// What is celebrated now.
    pub flourish: Option<Flourish>,
    /// The newest acts in force, newest first.
    pub last: Vec<PastAct>,
    /// What Undo would take back, in words.
    pub undo: Option<String>,
    /// What Redo would put into force again.
    pub redo: Option<String>,
}

/// A side.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct SideView {
    /// Its name.
    pub name: String,
    /// Up to five letters.
    pub short: String,
    /// `#rrggbb`.
    pub colour: String,
    /// What can be read on it.
    pub ink: &'static str,
    /// Whether an earlier side has the same colour.
    pub alike: bool,
    /// What stands beside its name.
    pub picture: Picture,
    /// Its place in a table, or a seed.
    pub rank: String,
    /// What it has won and lost so far.
    pub record: String,
    /// What it has.
    pub score: String,
    /// The same as a number.
    pub points: i64,
    /// What it has in each part.
    pub cells: Vec<Cell>,
    /// What stands beside its score.
    pub marks: Vec<Mark>,
    /// Its penalties.
    pub penalties: Vec<PenaltyView>,
    /// What is to be said of it: `Set point`.
    pub notes: Vec<String>,
    /// Whether it has won.
    pub won: bool,
}

/// A score of one part.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Cell {
    /// What it says.
    pub text: String,
    /// Whether the side won it.
    pub won: bool,
}

/// A clock at an instant, and from what its page ticks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Clock {
    /// As written.
    pub shown: String,
    /// Milliseconds.
    pub ms: i64,
    /// From what its page ticks.
    pub anchor: Anchor,
    /// How it is written.
    pub face: Face,
}

/// A penalty.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PenaltyView {
    /// The player's number.
    pub number: Option<u16>,
    /// What is left of it.
    pub clock: Clock,
    /// Whether it waits until another one is over.
    pub waits: bool,
}

/// What is celebrated.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Flourish {
    /// Whose it is, counted from 1.
    pub side: usize,
    /// What: `Goal`.
    pub text: &'static str,
    /// Since when.
    pub at: Instant,
    /// Until when.
    pub until: Instant,
}

/// An act, in words.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PastAct {
    /// Its line.
    pub seq: Seq,
    /// Who pressed.
    pub by: String,
    /// What.
    pub words: String,
    /// When.
    pub at: Instant,
}

impl Clock {
    fn of(dial: Dial, units: Units, now: Instant) -> Self {
        let face = Face { units, direction: dial.direction, tenths_under: dial.tenths_under };
        let length = TimeDelta::milliseconds(dial.ms);
        let anchor = match (dial.running, dial.direction) {
            (false, _) => Anchor::Stands,
            (true, Direction::Down) => Anchor::Ends { at: after(now, length) },
            (true, Direction::Up) => Anchor::Began { at: before(now, length) },
        };
        Self { shown: face.write(dial.ms), ms: dial.ms, anchor, face }
    }

    fn penalty(serving: Serving, running: bool, now: Instant) -> Self {
        let running = running && serving.counts_down;
        Self::of(Dial { ms: serving.left_ms, direction: Direction::Down, running, tenths_under: 0 }, Units::Match, now)
    }
}

impl BoardView {
    /// `Heron Yard 2 : 1 Copper Yard, 2nd half`.
    #[must_use]
    pub fn text(&self) -> String {
        let part = if self.part.is_empty() { String::new() } else { format!(", {}", self.part) };
        match &self.sides[..] {
            [left, right] => format!("{} {} : {} {}{part}", left.name, left.score, right.score, right.name),
            all => {
                let told: Vec<String> = all.iter().map(|side| format!("{} {}", side.name, side.score)).collect();
                format!("{}{part}", told.join(", "))
            }
        }
    }
}

fn ink(colour: &str) -> &'static str {
    if contrast(colour, DARK) >= contrast(colour, LIGHT) { DARK } else { LIGHT }
}

fn short(side: &Side) -> String {
    if !side.short.is_empty() {
        return side.short.clone();
    }
    side.name.chars().filter(|letter| !letter.is_whitespace()).take(3).collect::<String>().to_uppercase()
}

fn cells(columns: &[Column], side: usize) -> Vec<Cell> {
    let cell = |column: &Column| Cell {
        text: column.cells.get(side).cloned().unwrap_or_default(),
        won: column.won.map(usize::from) == Some(side),
    };
    columns.iter().map(cell).collect()
}

fn sides(board: &Scoreboard, standing: &Standing, winner: Option<usize>, now: Instant) -> Vec<SideView> {
    let running = standing.clock.is_some_and(|clock| clock.running);
    let side = |(place, side): (usize, &Side)| SideView {
        name: side.name.clone(),
        short: short(side),
        colour: side.colour.clone(),
        ink: ink(&side.colour),
        alike: board
            .sides
            .iter()
            .take(place)
            .any(|other| contrast(&other.colour, &side.colour) < ALIKE && near(&other.colour, &side.colour)),
        picture: side.picture.clone(),
        rank: side.rank.clone(),
        record: side.record.clone(),
        score: standing.scores.get(place).cloned().unwrap_or_default(),
        points: standing.points.get(place).copied().unwrap_or(0),
        cells: cells(&standing.columns, place),
        marks: standing
            .marks
            .get(place)
            .into_iter()
            .flatten()
            .filter(|mark| !board.hidden.contains(&mark.kind))
            .cloned()
            .collect(),
        penalties: standing
            .penalties
            .get(place)
            .into_iter()
            .flatten()
            .map(|serving| PenaltyView {
                number: serving.number,
                clock: Clock::penalty(*serving, running, now),
                waits: !serving.counts_down,
            })
            .collect(),
        notes: standing
            .notes
            .iter()
            .filter(|note| note.side.map(usize::from) == Some(place))
            .map(|note| note.text.clone())
            .collect(),
        won: winner == Some(place),
    };
    board.sides.iter().enumerate().map(side).collect()
}

/// Whether two colours are near in every channel, and not only as bright.
fn near(one: &str, other: &str) -> bool {
    let channel = |colour: &str, at: usize| {
        colour.get(at..at.saturating_add(2)).and_then(|hex| i32::from_str_radix(hex, 16).ok()).unwrap_or(0)
    };
    [1, 3, 5].into_iter().all(|at| channel(one, at).abs_diff(channel(other, at)) < 40)
}

fn flourish(board: &Scoreboard, big: Option<(Big, Instant)>) -> Option<Flourish> {
    let (big, at) = big?;
    let length = board.rules.ms(Rule::Flourish);
    let until = after(at, TimeDelta::milliseconds(length));
    let side = usize::from(big.side).saturating_add(1);
    (length > 0).then(|| Flourish { side, text: big.what.words(), at, until })
}

pub(super) fn words(board: &Scoreboard, play: Play) -> String {
    let name = |side: u8| board.sides.get(usize::from(side)).map_or_else(|| "?".to_owned(), |side| side.name.clone());
    play.words(name)
}

pub(super) fn view(board: &Scoreboard, state: &State, scope: &Scope<'_>) -> BoardView {
    let now = scope.now;
    let mut game = state.game(board);
    game.advance(&board.rules, now);
    let standing = game.standing(&board.rules);
    let winner = game.ended().and_then(|ended| ended.winner).map(usize::from);
    let told = |(line, words): (&Line<_>, String)| PastAct { seq: line.seq, by: line.by.clone(), words, at: line.at };
    let last: Vec<PastAct> =
        state.log.newest_lines(LAST).map(|(line, act)| told((line, super::act_words(board, act)))).collect();
    let of_line = |seq: Seq| state.log.by_and_act(seq).map(|(_, act)| super::act_words(board, act));
    BoardView {
        title: board.title.clone(),
        sport: board.rules.sport.key(),
        phase: game.phase(),
        part: standing.part.clone(),
        sides: sides(board, &standing, winner, now),
        heads: standing.columns.iter().map(|column| column.head.clone()).collect(),
        notes: standing.notes.iter().filter(|note| note.side.is_none()).map(|note| note.text.clone()).collect(),
        clock: standing.clock.map(|dial| Clock::of(dial, Units::Match, now)),
        added: standing.added,
        shot: standing.shot.map(|dial| Clock::of(dial, Units::Auto, now)),
        winner: winner.map(|side| side.saturating_add(1)),
        starts_at: starts_at(board, scope),
        flourish: flourish(board, game.big()).filter(|one| one.until > now),
        undo: last.first().map(|act| act.words.clone()),
        redo: state.redoable().and_then(|line| state.log.taken_back_by(line)).and_then(of_line),
        last,
    }
}

fn starts_at(board: &Scoreboard, scope: &Scope<'_>) -> Option<Instant> {
    board.starts.map(|local| scope.settings.calendar.instant(local))
}

/// When something changes by itself: a clock runs down, a penalty ends, a flourish is over.
pub(super) fn wakes_at(board: &Scoreboard, state: &State, scope: &Scope<'_>) -> Option<Instant> {
    let mut game = state.game(board);
    game.advance(&board.rules, scope.now);
    let next = game.next_change(&board.rules).map(|ms| after(scope.now, TimeDelta::milliseconds(ms)));
    let flourish = flourish(board, game.big()).map(|one| one.until);
    let starts = starts_at(board, scope).filter(|_| game.phase() == Phase::Before);
    [next, flourish, starts].into_iter().flatten().filter(|at| *at > scope.now).min()
}

/// What the desk has to be told of.
pub(super) fn attention(board: &Scoreboard, state: &State, scope: &Scope<'_>) -> Option<String> {
    let mut game = state.game(board);
    game.advance(&board.rules, scope.now);
    let clock = game.standing(&board.rules).clock?;
    let ran_down = game.phase() == Phase::Running && clock.direction == Direction::Down && clock.ms == 0;
    ran_down.then(|| "The period has run down: end it".to_owned())
}
