//! A ranking: two to fifty entrants in one table, in rounds if wished. Ties share a place.

use super::unknown;
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Turn};
use crate::widgets::scoreboard::packs::points::MOST_STEP;
use crate::widgets::scoreboard::standing::{Column, Mark, MarkKind, Phase, Standing};
use serde::{Deserialize, Serialize};

/// Most rounds.
const MOST_ROUNDS: usize = 100;
/// How many rounds are told.
const COLUMNS: usize = 6;

/// A ranking.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ranking {
    /// The rounds that are over, and what each entrant made in them.
    rounds: Vec<Vec<i64>>,
    round: Vec<i64>,
}

impl Ranking {
    pub(in super::super) fn new(entrants: usize) -> Self {
        Self { rounds: Vec::new(), round: vec![0; entrants] }
    }

    fn totals(&self) -> Vec<i64> {
        let sum = |(side, now): (usize, &i64)| {
            let past = self.rounds.iter().filter_map(|round| round.get(side));
            past.fold(*now, |sum, points| sum.saturating_add(*points))
        };
        self.round.iter().enumerate().map(sum).collect()
    }

    /// The place of each: one more than how many are better.
    fn places(&self, rules: &Rules) -> Vec<usize> {
        let totals = self.totals();
        let lowest = rules.is(Rule::Winner);
        let better = |one: i64, than: i64| if lowest { one < than } else { one > than };
        let place = |own: &i64| totals.iter().filter(|one| better(**one, *own)).count().saturating_add(1);
        totals.iter().map(place).collect()
    }
}

impl Pack for Ranking {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Score { .. })
    }

    fn play(&mut self, _: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Score { points, .. } if points == 0 || points.saturating_abs() > MOST_STEP => {
                Err(Refusal::WrongValue(format!("a press adds or takes away 1 to {MOST_STEP}")))
            }
            Play::Score { side, points } => {
                if let Some(own) = self.round.get_mut(usize::from(side)) {
                    *own = own.saturating_add(points.into());
                }
                Ok(Turn::ON)
            }
            Play::Round => {
                if self.rounds.len() >= MOST_ROUNDS {
                    return Err(Refusal::NotNow("a ranking has at most 100 rounds"));
                }
                let next = vec![0; self.round.len()];
                self.rounds.push(std::mem::replace(&mut self.round, next));
                Ok(Turn::BREAK)
            }
            _ => unknown(),
        }
    }

    fn finish(&self, rules: &Rules, gone: &[u8]) -> Result<Option<u8>, Refusal> {
        let places = self.places(rules);
        let playing = || (0..).zip(&places).filter(|(side, _)| !gone.contains(side));
        let best = playing().map(|(_, place)| place).min();
        let mut first = playing().filter(|(_, place)| Some(*place) == best);
        match (first.next(), first.next()) {
            (Some((side, _)), None) => Ok(Some(side)),
            _ => Ok(None),
        }
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let round = self.rounds.len().saturating_add(1);
        let part = match phase {
            Phase::Before => String::new(),
            Phase::Finished => "Final".into(),
            Phase::Break if !self.rounds.is_empty() => format!("After round {}", self.rounds.len()),
            _ if self.rounds.is_empty() => String::new(),
            _ => format!("Round {round}"),
        };
        let mut standing = Standing::of(part, &self.totals());
        for (side, place) in self.places(rules).into_iter().enumerate() {
            standing.mark(side, Mark::of(MarkKind::Place, place));
        }
        let from = self.rounds.len().saturating_sub(COLUMNS);
        for (index, round) in self.rounds.iter().enumerate().skip(from) {
            let cells = round.iter().map(ToString::to_string).collect();
            standing.columns.push(Column { head: format!("R{}", index.saturating_add(1)), cells, won: None });
        }
        standing
    }

    fn levers(&self, _: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        if phase == Phase::Before {
            return Vec::new();
        }
        let mut levers: Vec<Lever> = Vec::new();
        for (side, name) in (0..).zip(names) {
            levers.push(Lever::new("score", format!("+1 {name}"), true).of(side).valued(1).main());
        }
        for (side, name) in (0..).zip(names) {
            levers.push(Lever::new("score", format!("Points {name}"), true).of(side).typed("25").rare());
        }
        levers.push(Lever::new("round", "Round over", true));
        levers
    }
}
