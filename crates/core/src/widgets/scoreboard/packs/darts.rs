//! Counting down to nothing: 301, 501 or 701 with three darts a visit, legs in sets (WDF Playing and Tournament Rules).

use super::{Two, ahead, number, other, place, unknown};
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Turn};
use crate::widgets::scoreboard::standing::{Mark, MarkKind, Phase, Standing, What};
use serde::{Deserialize, Serialize};

/// The most of three darts.
pub const MOST_VISIT: u16 = 180;
/// Darts of a visit.
const VISIT: u8 = 3;
/// How many visits the average of the first nine darts looks at.
const FIRST_VISITS: u32 = 3;

/// How a leg ends: what the last dart must be.
const STRAIGHT: i64 = 0;
const DOUBLE: i64 = 1;

/// Whether one dart can make it: with any, a double, or a double or triple.
fn one_dart(points: i64, out: i64) -> bool {
    let single = (1..=20).contains(&points) || points == 25;
    let double = (points % 2 == 0 && (2..=40).contains(&points)) || points == 50;
    let triple = points % 3 == 0 && (3..=60).contains(&points);
    match out {
        STRAIGHT => single || double || triple,
        DOUBLE => double,
        _ => double || triple,
    }
}

/// Whether so many darts can make it with the last one as `out` asks; darts may miss.
fn can_make(points: i64, darts: u8, out: i64) -> bool {
    match darts {
        0 => false,
        1 => one_dart(points, out),
        _ => {
            // All but the last may be anything, or nothing.
            let rest = darts.saturating_sub(1);
            can_make(points, rest, out)
                || (1..=60)
                    .filter(|first| one_dart(*first, STRAIGHT))
                    .any(|first| can_make(points.saturating_sub(first), rest, out))
        }
    }
}

/// Whether three darts can make it: all up to 180 but nine numbers.
#[must_use]
pub fn is_visit(points: u16) -> bool {
    points == 0 || (points <= MOST_VISIT && can_make(points.into(), VISIT, STRAIGHT))
}

/// Whether it can be finished with so many darts.
fn can_finish(left: i64, darts: u8, rules: &Rules) -> bool {
    can_make(left, darts, rules.get(Rule::Out))
}

/// Whether a visit that makes it can begin with a double: of what comes first, the order plays no part in its sum.
fn can_open(points: u16) -> bool {
    can_make(points.into(), VISIT, DOUBLE)
}

/// What one player threw.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
struct Thrown {
    points: i64,
    darts: i64,
    first_points: i64,
    first_darts: i64,
    /// Visits of this leg.
    visits: u32,
    highest: i64,
    one_eighties: u32,
}

/// A match.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Darts {
    left: Two<i64>,
    /// Whether each has come in.
    is_in: Two<bool>,
    legs: Two<u32>,
    sets: Two<u32>,
    throws: usize,
    /// Who began this leg, and this set.
    began_leg: usize,
    began_set: usize,
    thrown: Two<Thrown>,
    /// What the last visit was, and whose: a bust gives it back. None where that is not told.
    last: Option<(usize, Option<u16>, bool)>,
}

/// Hundredths of an average of three darts.
fn average(points: i64, darts: i64) -> String {
    let hundredths = points.saturating_mul(300).saturating_add(darts / 2).checked_div(darts).unwrap_or(0);
    format!("{}.{:02}", hundredths / 100, hundredths % 100)
}

impl Darts {
    pub(in super::super) fn new(rules: &Rules) -> Self {
        let mut new = Self {
            left: [0, 0],
            is_in: [false, false],
            legs: [0, 0],
            sets: [0, 0],
            throws: 0,
            began_leg: 0,
            began_set: 0,
            thrown: [Thrown::default(); 2],
            last: None,
        };
        new.begin_leg(rules, 0);
        new
    }

    fn begin_leg(&mut self, rules: &Rules, side: usize) {
        self.left = [rules.get(Rule::From); 2];
        self.is_in = [!rules.is(Rule::In); 2];
        (self.began_leg, self.throws) = (side, side);
        for thrown in &mut self.thrown {
            thrown.visits = 0;
        }
    }

    fn is_untouched(&self) -> bool {
        self.thrown.iter().all(|thrown| thrown.darts == 0)
    }

    fn note(&mut self, side: usize, points: i64, darts: u8) {
        let thrown = &mut self.thrown[side];
        thrown.points = thrown.points.saturating_add(points);
        thrown.darts = thrown.darts.saturating_add(darts.into());
        if thrown.visits < FIRST_VISITS {
            thrown.first_points = thrown.first_points.saturating_add(points);
            thrown.first_darts = thrown.first_darts.saturating_add(darts.into());
        }
        thrown.visits = thrown.visits.saturating_add(1);
        if points == i64::from(MOST_VISIT) {
            thrown.one_eighties = thrown.one_eighties.saturating_add(1);
        }
    }

    fn visit(&mut self, rules: &Rules, points: u16, darts: Option<u8>) -> Result<Turn, Refusal> {
        if !is_visit(points) {
            return Err(Refusal::WrongValue(format!("three darts cannot make {points}")));
        }
        if darts.is_some_and(|darts| !(1..=VISIT).contains(&darts)) {
            return Err(Refusal::NotNow("a visit has one to three darts"));
        }
        let side = self.throws;
        if !self.is_in[side] && points > 0 && !can_open(points) {
            return Err(Refusal::NotNow("a leg begins on a double; that visit has none"));
        }
        let scored = i64::from(points);
        let left = self.left[side].saturating_sub(scored);
        let bust = left < 0 || (left == 1 && rules.get(Rule::Out) != STRAIGHT);
        if left == 0 {
            if !can_finish(self.left[side], VISIT, rules) {
                return Err(Refusal::WrongValue(format!("{} cannot be finished with three darts", self.left[side])));
            }
            let Some(darts) = darts else {
                return Err(Refusal::NotNow("that finishes the leg: say with how many darts, 1, 2 or 3"));
            };
            if !can_finish(self.left[side], darts, rules) {
                return Err(Refusal::WrongValue(format!("{} cannot be finished with {darts}", self.left[side])));
            }
            self.note(side, scored, darts);
            self.thrown[side].highest = self.thrown[side].highest.max(scored);
            self.last = Some((side, Some(points), false));
            return Ok(self.leg_won(rules, side));
        }
        if bust {
            return Ok(self.busted(Some(points), darts.unwrap_or(VISIT)));
        }
        self.last = Some((side, Some(points), false));
        self.note(side, scored, VISIT);
        self.left[side] = left;
        self.is_in[side] = self.is_in[side] || points > 0;
        self.throws = other(side);
        let big = points == MOST_VISIT;
        Ok(if big { Turn::ON.with(side, What::OneEighty) } else { Turn::ON })
    }

    fn busted(&mut self, points: Option<u16>, darts: u8) -> Turn {
        let side = self.throws;
        self.last = Some((side, points, true));
        self.note(side, 0, darts);
        self.throws = other(side);
        Turn::ON
    }

    /// Legs and sets are begun by turns.
    fn leg_won(&mut self, rules: &Rules, side: usize) -> Turn {
        self.legs[side] = self.legs[side].saturating_add(1);
        if self.legs[side] < rules.count(Rule::LegsTo) {
            self.begin_leg(rules, other(self.began_leg));
            return Turn::ON.with(side, What::Set);
        }
        self.sets[side] = self.sets[side].saturating_add(1);
        if self.sets[side] >= rules.count(Rule::SetsTo) {
            self.left[side] = 0;
            return Turn::won(side);
        }
        self.legs = [0, 0];
        self.began_set = other(self.began_set);
        self.begin_leg(rules, self.began_set);
        Turn::ON.with(side, What::Set)
    }
}

impl Pack for Darts {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Visit { .. } | Play::Bust | Play::Checkout { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Visit { points, darts } => self.visit(rules, points, darts),
            // A visit of 180 is the most, and leaves one at least.
            Play::Bust if self.left[self.throws] > i64::from(MOST_VISIT).saturating_add(1) => {
                Err(Refusal::NotNow("three darts cannot make more than what is left"))
            }
            Play::Bust => Ok(self.busted(None, VISIT)),
            Play::Checkout { darts } => {
                let left = u16::try_from(self.left[self.throws]).ok().filter(|left| *left <= MOST_VISIT);
                let left = left.ok_or(Refusal::NotNow("there is more left than three darts can make"))?;
                self.visit(rules, left, Some(darts))
            }
            Play::First { side } => {
                if !self.is_untouched() {
                    return Err(Refusal::NotNow("the match has begun; who throws follows from its legs"));
                }
                self.began_set = place(side);
                self.begin_leg(rules, place(side));
                Ok(Turn::ON)
            }
            _ => unknown(),
        }
    }

    fn finish(&self, _: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        Ok(ahead(&self.sets).or_else(|| ahead(&self.legs)).map(number))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let over = phase == Phase::Finished;
        let in_sets = rules.count(Rule::SetsTo) > 1;
        let won = if in_sets { self.sets } else { self.legs };
        let part = match phase {
            Phase::Finished => "Final".to_owned(),
            _ if in_sets => format!("Sets to {}, legs to {}", rules.get(Rule::SetsTo), rules.get(Rule::LegsTo)),
            _ => format!("Legs to {}", rules.get(Rule::LegsTo)),
        };
        let mut standing = Standing::of(part, &if over { won.map(i64::from) } else { self.left });
        for side in [0, 1] {
            if self.throws == side && !over {
                standing.mark(side, Mark::bare(MarkKind::Serve));
            }
            if in_sets {
                standing.mark(side, Mark::of(MarkKind::Sets, self.sets[side]));
            }
            if !over {
                standing.mark(side, Mark::of(MarkKind::Legs, self.legs[side]));
            }
            let thrown = &self.thrown[side];
            if thrown.darts > 0 {
                standing.mark(side, Mark::of(MarkKind::Average, average(thrown.points, thrown.darts)));
                standing.mark(side, Mark::of(MarkKind::FirstNine, average(thrown.first_points, thrown.first_darts)));
            }
            if thrown.highest > 0 {
                standing.mark(side, Mark::of(MarkKind::Highest, thrown.highest));
            }
            if thrown.one_eighties > 0 {
                standing.mark(side, Mark::of(MarkKind::OneEighties, thrown.one_eighties));
            }
            if !over && phase != Phase::Before && self.throws == side && can_finish(self.left[side], VISIT, rules) {
                standing.note(Some(side), format!("{} to finish", self.left[side]));
            }
        }
        match self.last {
            Some((side, Some(points), true)) if !over => standing.note(Some(side), format!("Bust with {points}")),
            Some((side, None, true)) if !over => standing.note(Some(side), "Bust"),
            _ => {}
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let mut levers = Vec::new();
        if phase != Phase::Before {
            let name = names.get(self.throws).map_or("", String::as_str);
            levers.push(Lever::new("visit", format!("{name}: visit"), true).typed("60").main());
            for darts in (1..=VISIT).filter(|darts| can_finish(self.left[self.throws], *darts, rules)) {
                levers.push(Lever::new("checkout", format!("Out with {darts}"), true).valued(darts.into()).main());
            }
            levers.push(Lever::new("bust", "Bust", true));
            for points in [26, 41, 45, 60, 81, 85, 100, 140, 180] {
                levers.push(Lever::new("visit", points.to_string(), true).valued(points));
            }
        }
        if self.is_untouched() {
            let first =
                |(side, name): (u8, &String)| Lever::new("first", format!("{name} throws first"), true).of(side);
            levers.extend((0..).zip(names).take(2).map(first));
        }
        levers
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::acts::board::Sport;

    #[test]
    fn three_darts_make_all_but_nine_numbers() {
        let never: Vec<u16> = (0..=MOST_VISIT).filter(|points| !is_visit(*points)).collect();
        assert_eq!(never, [163, 166, 169, 172, 173, 175, 176, 178, 179]);
        assert!(!is_visit(181));
    }

    #[test]
    fn what_can_be_finished_on_a_double() {
        let rules = Rules::of(Sport::Darts);
        let never: Vec<i64> = (2..=180).filter(|left| !can_finish(*left, 3, &rules)).collect();
        let expected: Vec<i64> = [159, 162, 163, 165, 166, 168, 169].into_iter().chain(171..=180).collect();
        assert_eq!(never, expected);
        assert!(can_finish(40, 1, &rules) && !can_finish(41, 1, &rules) && can_finish(110, 2, &rules));
        assert!(!can_finish(111, 2, &rules) && can_finish(170, 3, &rules) && !can_finish(1, 3, &rules));
        // On a double or a triple, 180 can be finished.
        let master = rules.with(Rule::Out, 2).unwrap();
        assert!(can_finish(180, 3, &master) && can_finish(3, 1, &master));
    }
}
