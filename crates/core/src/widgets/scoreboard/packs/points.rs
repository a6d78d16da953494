//! Plain points, in any steps, for two to eight sides: to a number, ahead by so many, with a cap.

use super::{number, unknown};
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Then, Turn};
use crate::widgets::scoreboard::standing::{Phase, Standing};
use serde::{Deserialize, Serialize};

/// The most that one press adds, or takes away.
pub const MOST_STEP: i32 = 100_000;

/// What each side has.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Points {
    score: Vec<i64>,
}

impl Points {
    pub(in super::super) fn new(sides: usize) -> Self {
        Self { score: vec![0; sides] }
    }

    /// The one at the top of those that play on, and how far ahead of the next; none where several are.
    fn leader(&self, gone: &[u8]) -> Option<(usize, i64)> {
        let playing = || self.score.iter().enumerate().filter(|(side, _)| !gone.contains(&number(*side)));
        let (best, most) = playing().max_by_key(|(_, score)| **score)?;
        let next = playing().filter(|(side, _)| *side != best).map(|(_, score)| *score).max()?;
        (next < *most).then(|| (best, most.saturating_sub(next)))
    }

    fn winner(&self, rules: &Rules) -> Option<usize> {
        let (best, lead) = self.leader(&[])?;
        let (most, target, cap) = (*self.score.get(best)?, rules.get(Rule::Target), rules.get(Rule::Cap));
        let by_lead = target > 0 && most >= target && lead >= rules.get(Rule::Lead);
        let by_cap = cap > 0 && most >= cap;
        (by_lead || by_cap).then_some(best)
    }
}

impl Pack for Points {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Score { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        let Play::Score { side, points } = play else { return unknown() };
        if points == 0 || points.saturating_abs() > MOST_STEP {
            return Err(Refusal::WrongValue(format!("a press adds or takes away 1 to {MOST_STEP}")));
        }
        if let Some(score) = self.score.get_mut(usize::from(side)) {
            *score = score.saturating_add(points.into());
        }
        Ok(self.winner(rules).map_or(Turn::ON, Turn::won))
    }

    fn finish(&self, _: &Rules, gone: &[u8]) -> Result<Option<u8>, Refusal> {
        Ok(self.leader(gone).map(|(side, _)| number(side)))
    }

    fn standing(&self, rules: &Rules, _: Phase) -> Standing {
        let target = rules.get(Rule::Target);
        let part = if target > 0 { format!("To {target}") } else { String::new() };
        let mut standing = Standing::of(part, &self.score);
        for side in 0..self.score.len() {
            // Whoever would win with one more.
            let mut next = self.clone();
            let one = Play::Score { side: number(side), points: 1 };
            if next.play(rules, one).is_ok_and(|turn| turn.then == Then::Won(number(side)))
                && self.winner(rules).is_none()
            {
                standing.note(Some(side), "Match point");
            }
        }
        standing
    }

    fn levers(&self, _: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        if phase == Phase::Before {
            return Vec::new();
        }
        let step = |side: usize, step: i64| {
            let name = names.get(side).map_or("", String::as_str);
            Lever::new("score", format!("{step:+} {name}"), true).of(number(side)).valued(step)
        };
        let all = 0..self.score.len();
        let ones = all.clone().map(|side| step(side, 1).main());
        let others = all.flat_map(|side| [-1, 2, 3, 5, 10].map(|points| step(side, points).rare()));
        ones.chain(others).collect()
    }
}
