//! What the ledger has made of a board: all acts, and the match that follows from those since the last one was put away.

use super::Scoreboard;
use super::game::Game;
use crate::record::acts::Act;
use crate::record::acts::board::{BoardAct, Play, Rules, Side};
use crate::record::entry::Entry;
use crate::record::ids::Seq;
use crate::time::Instant;
use crate::widgets::act_log::{ActLog, Change, Line};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// All acts, and the match that is played.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    pub(super) log: ActLog<BoardAct>,
    /// The match; none before its first act.
    pub(super) game: Option<Game>,
    /// Acts in force that do not fit any more, since an earlier one was taken back.
    pub(super) misfits: BTreeSet<Seq>,
}

/// A match of the past, or the one that is played.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Played {
    /// The line with which it began.
    pub seq: Seq,
    /// When that was.
    pub began: Instant,
    /// By which rules.
    pub rules: Rules,
    /// Who played.
    pub sides: Vec<Side>,
    /// Its acts in force.
    pub acts: Vec<Pressed>,
    /// How it stood in the end.
    pub game: Game,
}

/// A press of a match.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pressed {
    /// Its line, with who pressed and when.
    pub line: Line<BoardAct>,
    /// What was pressed.
    pub play: Play,
    /// Whether it still fits, since an earlier one may have been taken back.
    pub fits: bool,
    /// What each side had after it.
    pub scores: Vec<String>,
}

impl State {
    /// The match as it stands; one that has not begun before its first act.
    pub(super) fn game(&self, board: &Scoreboard) -> Game {
        self.game.clone().unwrap_or_else(|| board.begin())
    }

    /// Folds an act, or the taking back of one. Whether it was one.
    pub(super) fn note(&mut self, board: &Scoreboard, entry: &Entry) -> bool {
        let of_board = |act: &Act| if let Act::Board(act) = act { Some(act.clone()) } else { None };
        match self.log.note(entry, of_board) {
            None => return false,
            Some(Change::Did(act)) => self.did(board, entry.seq, entry.happened_at, &act),
            Some(Change::TookBack(_)) => self.refold(board),
        }
        true
    }

    fn did(&mut self, board: &Scoreboard, seq: Seq, at: Instant, act: &BoardAct) {
        match act {
            BoardAct::Play(play) => {
                let game = self.game.get_or_insert_with(|| board.begin());
                if game.play(&board.rules, *play, at).is_err() {
                    self.misfits.insert(seq);
                }
            }
            BoardAct::NewMatch { .. } => {
                self.game = None;
                self.misfits.clear();
            }
        }
    }

    fn refold(&mut self, board: &Scoreboard) {
        let log = std::mem::take(&mut self.log);
        *self = Self::default();
        let last =
            log.in_force().filter(|(_, act)| matches!(act, BoardAct::NewMatch { .. })).map(|(line, _)| line.seq).last();
        for (line, act) in log.in_force().filter(|(line, _)| last.is_none_or(|last| line.seq > last)) {
            self.did(board, line.seq, line.at, act);
        }
        self.log = log;
    }

    /// The line that Redo puts into force again: the newest taking back that nothing has been done since.
    pub(super) fn redoable(&self) -> Option<Seq> {
        self.log.redoable()
    }

    /// All matches, the oldest first. The last one is the one that is played, if it has begun.
    #[must_use]
    pub fn matches(&self, board: &Scoreboard) -> Vec<Played> {
        let mut all = Vec::new();
        let mut acts: Vec<(Line<BoardAct>, Play)> = Vec::new();
        for (line, act) in self.log.in_force() {
            match act {
                BoardAct::Play(play) => acts.push((line.clone(), *play)),
                BoardAct::NewMatch { rules, sides } => {
                    all.extend(Played::of(std::mem::take(&mut acts), rules.clone(), sides.clone()));
                }
            }
        }
        all.extend(Played::of(acts, board.rules.clone(), board.sides.clone()));
        all
    }
}

impl Played {
    fn of(acts: Vec<(Line<BoardAct>, Play)>, rules: Rules, sides: Vec<Side>) -> Option<Self> {
        let (seq, began) = acts.first().map(|(line, _)| (line.seq, line.at))?;
        let mut game = Game::new(&rules, sides.len());
        let judged = acts.into_iter().map(|(line, play)| {
            let fits = game.play(&rules, play, line.at).is_ok();
            let scores = game.standing(&rules).scores;
            Pressed { line, play, fits, scores }
        });
        let acts = judged.collect();
        Some(Self { seq, began, rules, sides, acts, game })
    }
}
