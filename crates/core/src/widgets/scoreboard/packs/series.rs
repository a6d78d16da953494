//! A series: best of several games, each with a name and a result. It ends when it is decided.

use super::{Two, ahead, number, place, unknown};
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Then, Turn};
use crate::widgets::scoreboard::standing::{Column, Phase, Standing, What};
use serde::{Deserialize, Serialize};

/// A game that is over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
struct One {
    winner: Option<u8>,
    result: Option<(u16, u16)>,
    picked: Option<u8>,
}

/// A series.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Series {
    games: Vec<One>,
    /// Who picks the next game.
    picks: Option<u8>,
}

impl Series {
    fn won(&self) -> Two<usize> {
        [0_u8, 1].map(|side| self.games.iter().filter(|game| game.winner == Some(side)).count())
    }

    fn left(&self, rules: &Rules) -> usize {
        usize::try_from(rules.get(Rule::BestOf)).unwrap_or(1).saturating_sub(self.games.len())
    }

    fn name(rules: &Rules, place: usize) -> String {
        rules.games.get(place).cloned().unwrap_or_else(|| format!("Game {}", place.saturating_add(1)))
    }
}

impl Pack for Series {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Game { .. } | Play::Pick { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Game { side, result } => {
                let by_result = result.map(|(left, right)| ahead(&[left, right]).map(number));
                if by_result.is_some_and(|winner| winner != side) {
                    return Err(Refusal::NotNow("that result says that another side won; put one of them right"));
                }
                self.games.push(One { winner: side, result, picked: self.picks.take() });
                let (won, left) = (self.won(), self.left(rules));
                let lead = won[0].abs_diff(won[1]);
                Ok(match ahead(&won) {
                    Some(side) if lead > left => Turn::won(side),
                    None if left == 0 => Turn { then: Then::Drawn, big: None },
                    _ => side.map_or(Turn::ON, |side| Turn::ON.with(place(side), What::Set)),
                })
            }
            Play::Pick { side } => {
                self.picks = Some(side);
                Ok(Turn::ON)
            }
            _ => unknown(),
        }
    }

    fn finish(&self, _: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        Ok(ahead(&self.won()).map(number))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let next = self.games.len();
        let part = match phase {
            Phase::Before => format!("Best of {}", rules.get(Rule::BestOf)),
            Phase::Finished => "Final".into(),
            _ => Self::name(rules, next),
        };
        let won = self.won().map(|won| i64::try_from(won).unwrap_or(0));
        let mut standing = Standing::of(part, &won);
        for (index, game) in self.games.iter().enumerate() {
            let cells = match game.result {
                Some((left, right)) => vec![left.to_string(), right.to_string()],
                None => [0, 1].map(|side| if game.winner == Some(side) { "1".into() } else { "0".into() }).into(),
            };
            standing.columns.push(Column { head: Self::name(rules, index), cells, won: game.winner });
        }
        if let Some(side) = self.picks {
            standing.note(Some(usize::from(side)), "Picks the next");
        }
        if phase == Phase::Running {
            for side in [0, 1] {
                let mut trial = self.clone();
                let win = Play::Game { side: Some(side), result: None };
                if trial.play(rules, win).is_ok_and(|turn| turn.then == Then::Won(side)) {
                    standing.note(Some(usize::from(side)), "One away");
                }
            }
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        if phase == Phase::Before {
            return Vec::new();
        }
        let game = Self::name(rules, self.games.len());
        let won = |(side, name): (u8, &String)| Lever::new("game", format!("{game} to {name}"), true).of(side);
        let mut levers: Vec<Lever> = (0..).zip(names).take(2).map(won).map(Lever::main).collect();
        let result = |(side, name): (u8, &String)| {
            Lever::new("game", format!("{game} to {name} by"), true).of(side).typed("13:7").rare()
        };
        levers.extend((0..).zip(names).take(2).map(result));
        levers.push(Lever::new("game", format!("{game} drawn"), true).rare());
        let pick = |(side, name): (u8, &String)| Lever::new("pick", format!("{name} picks next"), true).of(side).rare();
        levers.extend((0..).zip(names).take(2).map(pick));
        levers
    }
}
