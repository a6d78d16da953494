//! Basketball by the FIBA Official Basketball Rules 2024; the articles stand beside what they decide.

use super::game_clock::{GameClock, LAST_MINUTE};
use super::{Two, ahead, number, ordinal, other, place, unknown};
use crate::record::acts::board::{Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::time::face::Direction;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Then, Turn};
use crate::widgets::scoreboard::standing::{Column, Dial, Mark, MarkKind, Phase, Standing, What};
use serde::{Deserialize, Serialize};

/// The last two minutes, in which fewer time-outs may be taken (art. 18.2.5).
const LATE: i64 = 120_000;

/// A match.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Basketball {
    /// Which period is played or was played last, from 1; overtimes go on counting.
    period: u32,
    clock: GameClock,
    /// Points by period.
    by_period: Vec<Two<i64>>,
    /// Team fouls of this period.
    fouls: Two<u32>,
    /// Time-outs of this half or overtime, and those of the last two minutes.
    timeouts: Two<u32>,
    late: Two<u32>,
    /// Who has the arrow.
    arrow: Option<usize>,
    /// What is left on the shot clock; none where it is off.
    shot: Option<i64>,
}

impl Basketball {
    fn score(&self) -> Two<i64> {
        [0, 1].map(|side| self.by_period.iter().fold(0_i64, |sum, period| sum.saturating_add(period[side])))
    }

    fn is_overtime(&self, rules: &Rules) -> bool {
        self.period > rules.count(Rule::Periods)
    }

    fn length(&self, rules: &Rules) -> i64 {
        rules.ms(if self.is_overtime(rules) { Rule::OvertimeLength } else { Rule::PeriodLength })
    }

    /// How many periods the first half has.
    fn first_half(rules: &Rules) -> u32 {
        rules.count(Rule::Periods).div_ceil(2)
    }

    fn timeouts_allowed(&self, rules: &Rules) -> u32 {
        rules.count(if self.is_overtime(rules) {
            Rule::TimeoutsOvertime
        } else if self.period > Self::first_half(rules) {
            Rule::TimeoutsSecondHalf
        } else {
            Rule::TimeoutsFirstHalf
        })
    }

    fn is_late(&self, rules: &Rules) -> bool {
        self.period == rules.count(Rule::Periods) && self.clock.ms <= LATE
    }

    fn timeouts_left(&self, rules: &Rules, side: usize) -> u32 {
        let left = self.timeouts_allowed(rules).saturating_sub(self.timeouts[side]);
        if self.is_late(rules) {
            left.min(rules.count(Rule::TimeoutsLate).saturating_sub(self.late[side]))
        } else {
            left
        }
    }

    /// The shot clock is off where less than it is left to play (art. 29.1).
    fn put_shot(&mut self, seconds: i64) {
        let ms = seconds.saturating_mul(1_000);
        self.shot = (ms > 0 && ms <= self.clock.ms).then_some(ms);
    }

    fn part(&self, rules: &Rules, phase: Phase) -> String {
        let periods = rules.count(Rule::Periods);
        let name = |period: u32| match period.checked_sub(periods) {
            Some(over @ 2..) => format!("Overtime {over}"),
            Some(1) => "Overtime".to_owned(),
            _ if periods == 4 => format!("{} quarter", ordinal(period)),
            _ if periods == 2 => format!("{} half", ordinal(period)),
            _ => format!("{} period", ordinal(period)),
        };
        match phase {
            Phase::Break if self.period == Self::first_half(rules) && periods > 1 => "Half-time".to_owned(),
            Phase::Break if self.period >= periods => "Before overtime".to_owned(),
            Phase::Break => format!("End of {}", name(self.period)),
            Phase::Before => String::new(),
            Phase::Running | Phase::Finished => name(self.period),
        }
    }
}

impl Pack for Basketball {
    fn pass(&mut self, _: &Rules, ms: i64) {
        let ran = self.clock.down(ms);
        self.shot = self.shot.map(|shot| shot.saturating_sub(ran).max(0));
    }

    fn next_change(&self, _: &Rules) -> Option<i64> {
        let late = self.clock.ms.saturating_sub(LATE);
        let soon = [Some(self.clock.ms), self.shot, Some(late)].into_iter().flatten().filter(|ms| *ms > 0).min();
        soon.filter(|_| self.clock.running)
    }

    /// The clock runs with the first touch; it is set going with the period, since one press is quicker than two.
    fn start(&mut self, rules: &Rules) -> Result<(), Refusal> {
        self.period = self.period.saturating_add(1);
        self.by_period.push([0, 0]);
        self.clock = GameClock { ms: self.length(rules), running: true };
        // Art. 41.1.4: fouls of overtimes belong to the last period.
        if !self.is_overtime(rules) {
            self.fouls = [0, 0];
        }
        // Art. 18.2.6: what was not used is not carried over.
        if self.period == Self::first_half(rules).saturating_add(1) || self.is_overtime(rules) {
            (self.timeouts, self.late) = ([0, 0], [0, 0]);
        }
        self.put_shot(rules.get(Rule::ShotClock));
        Ok(())
    }

    fn stop(&mut self) {
        self.clock.running = false;
    }

    fn in_break(&self, play: Play) -> bool {
        // Art. 41.1.3: fouls in an interval are those of the period that follows; they are noted once it has begun.
        matches!(play, Play::First { .. } | Play::ArrowUsed)
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Score { side, points } => {
                // Art. 16.2.1: a free throw 1, a goal from the two-point area 2, from the three-point area 3.
                if !(1..=3).contains(&points) {
                    return Err(Refusal::NotNow("a basket counts 1, 2 or 3; to correct one, take back its press"));
                }
                let side = place(side);
                if let Some(period) = self.by_period.last_mut() {
                    period[side] = period[side].saturating_add(points.into());
                }
                Ok(if points == 3 { Turn::ON.with(side, What::Three) } else { Turn::ON })
            }
            Play::Foul { side } => {
                let fouls = &mut self.fouls[place(side)];
                *fouls = fouls.saturating_add(1);
                Ok(Turn::ON)
            }
            Play::Timeout { side } => {
                let side = place(side);
                if self.timeouts_left(rules, side) == 0 {
                    return Err(Refusal::NotNow(if self.timeouts[side] < self.timeouts_allowed(rules) {
                        "no more time-outs may be taken in the last two minutes"
                    } else if self.is_overtime(rules) {
                        "that side has taken its time-out of this overtime"
                    } else {
                        "that side has no time-out left in this half"
                    }));
                }
                self.timeouts[side] = self.timeouts[side].saturating_add(1);
                if self.is_late(rules) {
                    self.late[side] = self.late[side].saturating_add(1);
                }
                self.clock.running = false;
                Ok(Turn::ON)
            }
            Play::First { side } => {
                self.arrow = Some(place(side));
                Ok(Turn::ON)
            }
            Play::ArrowUsed => {
                let arrow = self.arrow.ok_or(Refusal::NotNow("nobody has the arrow yet; say who has it first"))?;
                self.arrow = Some(other(arrow));
                Ok(Turn::ON)
            }
            Play::ShotClock { seconds } => {
                if i64::from(seconds) > rules.get(Rule::ShotClock) {
                    return Err(Refusal::NotNow("the shot clock does not go that far"));
                }
                self.put_shot(seconds.into());
                Ok(Turn::ON)
            }
            Play::ClockStart => self.clock.start_down().map(|()| Turn::ON),
            Play::ClockStop => self.clock.stop().map(|()| Turn::ON),
            Play::ClockSet { ms } => {
                let most = self.length(rules);
                self.clock.put(ms, most)?;
                self.shot = self.shot.map(|shot| shot.min(ms)).filter(|_| ms > 0);
                self.clock.running = self.clock.running && ms > 0;
                Ok(Turn::ON)
            }
            Play::EndPeriod => {
                if self.clock.ms > 0 {
                    return Err(Refusal::NotNow("there is time on the clock; let it run down, or put it to 0:00"));
                }
                if self.period < rules.count(Rule::Periods) {
                    return Ok(Turn::BREAK);
                }
                // Art. 8.7: overtimes until somebody is ahead.
                Ok(match ahead(&self.score()) {
                    Some(side) => Turn::won(side),
                    None if rules.is(Rule::OvertimeLength) => Turn::BREAK,
                    None => Turn { then: Then::Drawn, big: None },
                })
            }
            _ => unknown(),
        }
    }

    fn finish(&self, rules: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        match ahead(&self.score()) {
            None if rules.is(Rule::OvertimeLength) => {
                Err(Refusal::NotNow("a draw goes to overtime; end the period and play on"))
            }
            winner => Ok(winner.map(number)),
        }
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let mut standing = Standing::of(self.part(rules, phase), &self.score());
        standing.clock = (phase != Phase::Before).then(|| self.clock.dial(Direction::Down, LAST_MINUTE));
        if phase == Phase::Running {
            standing.shot = self.shot.map(|ms| Dial {
                ms,
                direction: Direction::Down,
                running: self.clock.running && ms > 0,
                // Art. 50.4: tenths in the last five seconds.
                tenths_under: 5_000,
            });
        }
        let periods = rules.count(Rule::Periods);
        for (number, points) in (1_u32..).zip(&self.by_period) {
            let head = match number.checked_sub(periods) {
                Some(over @ 1..) => format!("OT{over}"),
                _ => number.to_string(),
            };
            let over = number < self.period || matches!(phase, Phase::Break | Phase::Finished);
            let won = ahead(points).filter(|_| over).map(super::number);
            standing.columns.push(Column { head, cells: points.iter().map(ToString::to_string).collect(), won });
        }
        for side in [0, 1] {
            if self.arrow == Some(side) {
                standing.mark(side, Mark::bare(MarkKind::Possession));
            }
            let against = self.fouls[other(side)];
            let double = rules.count(Rule::DoubleBonusFrom);
            if double > 0 && against >= double {
                standing.mark(side, Mark::of(MarkKind::Bonus, "+"));
            } else if against >= rules.count(Rule::BonusFrom) {
                standing.mark(side, Mark::bare(MarkKind::Bonus));
            }
            if phase != Phase::Before {
                standing.mark(side, Mark::of(MarkKind::Fouls, self.fouls[side]));
                standing.mark(side, Mark::of(MarkKind::Timeouts, self.timeouts_left(rules, side)));
            }
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let each = |make: &dyn Fn(&str) -> Lever| -> Vec<Lever> {
            (0..).zip(names).take(2).map(|(side, name)| make(name).of(side)).collect()
        };
        let mut levers = Vec::new();
        if phase == Phase::Running {
            levers.extend(self.clock.levers());
            if self.clock.ms == 0 {
                levers.insert(0, Lever::new("end_period", "End the period", true).main());
            }
            for points in [2, 3, 1] {
                levers
                    .extend(each(&|name| Lever::new("score", format!("+{points} {name}"), true).valued(points).main()));
            }
            levers.extend(each(&|name| Lever::new("foul", format!("Foul {name}"), true)));
            levers.extend(each(&|name| Lever::new("timeout", format!("Time-out {name}"), true).rare()));
            if rules.is(Rule::ShotClock) {
                for seconds in [rules.get(Rule::ShotClock), rules.get(Rule::ShotClockAgain)] {
                    levers.push(Lever::new("shot_clock", format!("Shot clock {seconds}"), true).valued(seconds));
                }
            }
        }
        if self.arrow.is_some() && phase != Phase::Before {
            levers.push(Lever::new("arrow_used", "Arrow used", true).rare());
        }
        levers.extend(each(&|name| Lever::new("first", format!("Arrow to {name}"), true).rare()));
        levers
    }
}
