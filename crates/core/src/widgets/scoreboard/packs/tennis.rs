//! Tennis by the ITF Rules of Tennis 2025; the rules stand beside what they decide.

use super::{Two, ahead, other, place, unknown};
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Turn};
use crate::widgets::scoreboard::standing::{Column, Mark, MarkKind, Phase, Standing, What};
use serde::{Deserialize, Serialize};

/// The last set has a tie-break to ten (appendix VI).
const TO_TEN: i64 = 1;
/// It has no tie-break.
const NO_TIE_BREAK: i64 = 2;
/// It is a tie-break to ten.
const MATCH_TIE_BREAK: i64 = 3;
/// Points of the longer tie-break.
const TEN: u32 = 10;

/// A set that is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
struct Set {
    games: Two<u32>,
    tie_break: Option<Two<u32>>,
}

/// A match.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tennis {
    sets: Vec<Set>,
    games: Two<u32>,
    points: Two<u32>,
    /// Who serves this game, or served first in this tie-break.
    server: Option<usize>,
    /// Of doubles: which player of each side serves its next turn.
    player: Two<usize>,
    /// Whether ends are to be changed now.
    ends: bool,
}

/// What a point won.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Won {
    Point,
    Game,
    Set,
    Match,
}

impl Tennis {
    /// Whether a set but the first is about to begin.
    fn begins_set(&self) -> bool {
        self.points == [0, 0] && self.games == [0, 0] && !self.sets.is_empty()
    }

    fn won(&self) -> Two<usize> {
        [0, 1].map(|side| self.sets.iter().filter(|set| ahead(&set.games) == Some(side)).count())
    }

    fn needed(rules: &Rules) -> usize {
        usize::try_from(rules.get(Rule::BestOf)).unwrap_or(1).div_euclid(2).saturating_add(1)
    }

    fn is_last(&self, rules: &Rules) -> bool {
        self.won().iter().all(|won| won.saturating_add(1) >= Self::needed(rules))
    }

    /// To how many points the tie-break is that is played now; none where a game is.
    fn tie_break(&self, rules: &Rules) -> Option<u32> {
        let last = if self.is_last(rules) { rules.get(Rule::LastSet) } else { 0 };
        if last == MATCH_TIE_BREAK {
            return Some(TEN);
        }
        let even = self.games.iter().all(|games| *games == rules.count(Rule::SetGames));
        match last {
            _ if !even => None,
            NO_TIE_BREAK => None,
            TO_TEN => Some(TEN),
            // Rule 5b.
            _ => Some(rules.count(Rule::TieBreak)),
        }
    }

    /// Who serves the next point, and which player of doubles. In a tie-break one serves once, then each twice (rule 5b).
    fn serves(&self, rules: &Rules) -> Option<(usize, usize)> {
        let server = self.server?;
        let turn = self.turn(rules);
        let side = if turn.is_multiple_of(2) { server } else { other(server) };
        Some((side, self.player[side].saturating_add(turn / 2) % 2))
    }

    /// Which turn of service of a tie-break it is, from 0.
    fn turn(&self, rules: &Rules) -> usize {
        match self.tie_break(rules) {
            Some(_) => {
                let played = self.points[0].saturating_add(self.points[1]);
                usize::try_from(played.saturating_add(1) / 2).unwrap_or(0)
            }
            None => 0,
        }
    }

    fn game_is_won(&self, rules: &Rules, side: usize) -> bool {
        let lead = self.points[side].saturating_sub(self.points[other(side)]);
        match self.tie_break(rules) {
            Some(target) => self.points[side] >= target && lead >= 2,
            // Rule 5a; appendix VI with a deciding point.
            None => self.points[side] >= 4 && lead >= if rules.is(Rule::DecidingPoint) { 1 } else { 2 },
        }
    }

    fn set_is_won(&self, rules: &Rules, side: usize, tie_break: bool) -> bool {
        let lead = self.games[side].saturating_sub(self.games[other(side)]);
        tie_break || (self.games[side] >= rules.count(Rule::SetGames) && lead >= 2)
    }

    fn point(&mut self, rules: &Rules, side: usize) -> Won {
        let tie = self.tie_break(rules).is_some();
        // Which turn of service this point was of.
        let turns = self.turn(rules).saturating_add(1);
        self.points[side] = self.points[side].saturating_add(1);
        if !self.game_is_won(rules, side) {
            // Rule 10: every six points of a tie-break.
            let played = self.points[0].saturating_add(self.points[1]);
            self.ends = tie && played.is_multiple_of(6);
            return Won::Point;
        }
        // Whoever served goes on in the order of the doubles (rule 14).
        if let Some(server) = self.server {
            self.player[server] = self.player[server].saturating_add(turns.div_ceil(2)) % 2;
            self.player[other(server)] = self.player[other(server)].saturating_add(turns / 2) % 2;
        }
        let points = std::mem::take(&mut self.points);
        self.games[side] = self.games[side].saturating_add(1);
        self.server = self.server.map(other);
        // Rule 10: after the first, third and every odd game of a set.
        self.ends = self.games[0].saturating_add(self.games[1]) % 2 == 1;
        if !self.set_is_won(rules, side, tie) {
            return Won::Game;
        }
        let games = std::mem::take(&mut self.games);
        self.sets.push(Set { games, tie_break: tie.then_some(points) });
        if self.won()[side] >= Self::needed(rules) { Won::Match } else { Won::Set }
    }

    fn face(&self, rules: &Rules, side: usize) -> String {
        let (own, others) = (self.points[side], self.points[other(side)]);
        if self.tie_break(rules).is_some() {
            return own.to_string();
        }
        match (own, others) {
            (0, _) => "0",
            (1, _) => "15",
            (2, _) => "30",
            (own, others) if own > 3 && own > others => "Ad",
            _ => "40",
        }
        .into()
    }
}

impl Pack for Tennis {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Rally { .. } | Play::First { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Rally { side } => {
                let side = place(side);
                Ok(match self.point(rules, side) {
                    Won::Point | Won::Game => Turn::ON,
                    Won::Set => Turn::ON.with(side, What::Set),
                    Won::Match => Turn::won(side),
                })
            }
            // Rule 14: in each set a side chooses anew which of its two serves first.
            Play::First { side } if rules.is(Rule::Doubles) && self.begins_set() => {
                let player = &mut self.player[place(side)];
                *player = player.saturating_add(1) % 2;
                Ok(Turn::ON)
            }
            Play::First { side } => {
                if self.points != [0, 0] || self.games != [0, 0] || !self.sets.is_empty() {
                    return Err(Refusal::NotNow("the match has begun; who serves follows from its games"));
                }
                self.server = Some(place(side));
                Ok(Turn::ON)
            }
            _ => unknown(),
        }
    }

    fn finish(&self, _: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        Err(Refusal::NotNow("sets decide this match; if a side gives up, say so"))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let over = phase == Phase::Finished;
        let won = self.won();
        let tie = self.tie_break(rules);
        let part = match (phase, tie) {
            (Phase::Before, _) => String::new(),
            (Phase::Finished, _) => "Final".into(),
            (_, Some(TEN)) if self.games == [0, 0] => "Match tie-break".into(),
            (_, Some(_)) => "Tie-break".into(),
            _ => format!("Set {}", self.sets.len().saturating_add(1)),
        };
        let points = if over { won.map(|won| i64::try_from(won).unwrap_or(0)) } else { self.points.map(i64::from) };
        let mut standing = Standing::of(part, &points);
        if !over {
            standing.scores = [0, 1].map(|side| self.face(rules, side)).into();
        }
        for (number, set) in (1_usize..).zip(&self.sets) {
            let winner = ahead(&set.games);
            let cell = |side: usize| match set.tie_break {
                Some(points) if winner != Some(side) => format!("{}({})", set.games[side], points[side]),
                _ => set.games[side].to_string(),
            };
            let cells = [0, 1].map(cell).into();
            standing.columns.push(Column { head: number.to_string(), cells, won: winner.map(super::number) });
        }
        if over {
            return standing;
        }
        if phase != Phase::Before {
            let head = self.sets.len().saturating_add(1).to_string();
            standing.columns.push(Column {
                head,
                cells: self.games.iter().map(ToString::to_string).collect(),
                won: None,
            });
        }
        let serves = self.serves(rules);
        for side in [0, 1] {
            if let Some((_, player)) = serves.filter(|(serving, _)| *serving == side) {
                let doubles = rules.is(Rule::Doubles);
                let text = if doubles { player.saturating_add(1).to_string() } else { String::new() };
                standing.mark(side, Mark::of(MarkKind::Serve, text));
            }
            standing.mark(side, Mark::of(MarkKind::Sets, won[side]));
            if phase == Phase::Before {
                continue;
            }
            match self.clone().point(rules, side) {
                Won::Match => standing.note(Some(side), "Match point"),
                Won::Set => standing.note(Some(side), "Set point"),
                Won::Game if serves.is_some_and(|(serving, _)| serving != side) => {
                    standing.note(Some(side), "Break point");
                }
                _ => {}
            }
        }
        if tie.is_none() && self.points[0] >= 3 && self.points[0] == self.points[1] {
            standing.note(None, if rules.is(Rule::DecidingPoint) { "Deciding point" } else { "Deuce" });
        }
        if self.ends {
            standing.note(None, "Change ends");
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let each = |make: &dyn Fn(&str) -> Lever| -> Vec<Lever> {
            (0..).zip(names).take(2).map(|(side, name)| make(name).of(side)).collect()
        };
        let open = self.points == [0, 0] && self.games == [0, 0] && self.sets.is_empty();
        let mut levers = Vec::new();
        if phase != Phase::Before {
            levers.extend(each(&|name| Lever::new("rally", format!("Point {name}"), true).main()));
        }
        if open {
            levers.extend(each(&|name| Lever::new("first", format!("{name} serves first"), true)));
        }
        if rules.is(Rule::Doubles) && self.begins_set() && phase != Phase::Finished {
            levers.extend(each(&|name| Lever::new("first", format!("{name}: the other player serves first"), true)));
        }
        levers
    }
}
