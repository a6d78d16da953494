//! A race: frames, games or legs to a number, from a start that may be a handicap, with who breaks.

use super::{Two, ahead, number, other, place, unknown};
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Turn};
use crate::widgets::scoreboard::standing::{Column, Mark, MarkKind, Phase, Standing, What};
use serde::{Deserialize, Serialize};

/// The most points of one press: a ball, or a whole visit.
const MOST_PRESS: i32 = 1_000;
/// The break goes to the winner of the frame before.
const TO_WINNER: i64 = 1;
/// The break goes to its loser.
const TO_LOSER: i64 = 2;
/// How many frames are told.
const COLUMNS: usize = 12;

/// A match.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Race {
    frames: Two<u32>,
    /// Who won each, and the points in it.
    past: Vec<(usize, Two<i64>)>,
    points: Two<i64>,
    highest: Two<i64>,
    /// Whose visit it is, and what it has made so far: each ball is a press.
    #[serde(default)]
    visit: Option<(usize, i64)>,
    breaks: Option<usize>,
}

impl Race {
    pub(in super::super) fn new(rules: &Rules) -> Self {
        // Whoever began with the whole number would have won before the match.
        let most = rules.count(Rule::RaceTo).saturating_sub(1);
        let begin = |rule| rules.count(rule).min(most);
        Self {
            frames: [begin(Rule::FirstBegins), begin(Rule::SecondBegins)],
            past: Vec::new(),
            points: [0, 0],
            highest: [0, 0],
            visit: None,
            breaks: None,
        }
    }
}

impl Pack for Race {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Frame { .. } | Play::Score { .. } | Play::First { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Score { .. } | Play::EndVisit if !rules.is(Rule::FramePoints) => {
                Err(Refusal::NotNow("points within a frame are not kept; note who won the frame"))
            }
            Play::Score { points, .. } if !(1..=MOST_PRESS).contains(&points) => {
                Err(Refusal::WrongValue(format!("a press gives 1 to {MOST_PRESS} points")))
            }
            Play::Score { side, points } => {
                let side = place(side);
                self.points[side] = self.points[side].saturating_add(points.into());
                let so_far = self.visit.filter(|(whose, _)| *whose == side).map_or(0, |(_, so_far)| so_far);
                let visit = so_far.saturating_add(points.into());
                self.visit = Some((side, visit));
                self.highest[side] = self.highest[side].max(visit);
                Ok(Turn::ON)
            }
            Play::EndVisit if self.visit.is_none() => Err(Refusal::NotNow("no visit has points yet")),
            Play::EndVisit => {
                self.visit = None;
                Ok(Turn::ON)
            }
            Play::Frame { side } => {
                let side = place(side);
                self.frames[side] = self.frames[side].saturating_add(1);
                self.past.push((side, std::mem::take(&mut self.points)));
                self.visit = None;
                self.breaks = match rules.get(Rule::BreakOrder) {
                    TO_WINNER => Some(side),
                    TO_LOSER => Some(other(side)),
                    _ => self.breaks.map(other),
                };
                let won = self.frames[side] >= rules.count(Rule::RaceTo);
                Ok(if won { Turn::won(side) } else { Turn::ON.with(side, What::Set) })
            }
            Play::First { side } => {
                self.breaks = Some(place(side));
                Ok(Turn::ON)
            }
            _ => unknown(),
        }
    }

    fn finish(&self, _: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        Ok(ahead(&self.frames).map(number))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let part = match phase {
            Phase::Finished => "Final".to_owned(),
            _ => format!("First to {}", rules.get(Rule::RaceTo)),
        };
        let mut standing = Standing::of(part, &self.frames.map(i64::from));
        let keeps = rules.is(Rule::FramePoints);
        if keeps {
            let from = self.past.len().saturating_sub(COLUMNS);
            for (index, (winner, points)) in self.past.iter().enumerate().skip(from) {
                let head = index.saturating_add(1).to_string();
                let cells = points.iter().map(ToString::to_string).collect();
                standing.columns.push(Column { head, cells, won: Some(number(*winner)) });
            }
        }
        for side in [0, 1] {
            if self.breaks == Some(side) && phase != Phase::Finished {
                standing.mark(side, Mark::bare(MarkKind::Serve));
            }
            if keeps {
                standing.mark(side, Mark::of(MarkKind::FramePoints, self.points[side]));
                if self.highest[side] > 0 {
                    standing.mark(side, Mark::of(MarkKind::Highest, self.highest[side]));
                }
            }
            if phase != Phase::Finished && self.frames[side].saturating_add(1) >= rules.count(Rule::RaceTo) {
                standing.note(Some(side), "One away");
            }
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let each = |make: &dyn Fn(&str) -> Lever| -> Vec<Lever> {
            (0..).zip(names).take(2).map(|(side, name)| make(name).of(side)).collect()
        };
        let mut levers = Vec::new();
        if phase != Phase::Before {
            levers.extend(each(&|name| Lever::new("frame", format!("Frame to {name}"), true).main()));
            if rules.is(Rule::FramePoints) {
                levers.push(Lever::new("end_visit", "Visit over", true));
                for points in [1, 2, 3, 4, 5, 6, 7] {
                    levers.extend(each(&|name| Lever::new("score", format!("+{points} {name}"), true).valued(points)));
                }
            }
        }
        levers.extend(each(&|name| Lever::new("first", format!("{name} breaks"), true).rare()));
        levers
    }
}
