//! Football by the IFAB Laws of the Game 2024/25; the laws stand beside what they decide.

use super::game_clock::GameClock;
use super::shoot_out::ShootOut;
use super::{Two, ahead, number, place, unknown};
use crate::record::acts::board::{Card, Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::time::face::Direction;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Then, Turn};
use crate::widgets::scoreboard::standing::{Mark, MarkKind, Phase, Standing, What};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// The most minutes that are added to a half.
const MOST_ADDED: u16 = 60;
/// How far a half may run over its length before its clock is put right.
const MOST_OVER: i64 = 3_600_000;

/// What is played.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Stage {
    #[default]
    Before,
    FirstHalf,
    SecondHalf,
    FirstExtra,
    SecondExtra,
    ShootOut,
}

/// A match.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Football {
    stage: Stage,
    /// What has been played of this half.
    clock: GameClock,
    score: Two<i64>,
    added: Option<u16>,
    yellow: Two<u32>,
    red: Two<u32>,
    /// Who has been cautioned, and who was sent off, by number.
    cautioned: Two<BTreeSet<u16>>,
    sent_off: Two<BTreeSet<u16>>,
    substitutions: Two<u32>,
    shoot_out: ShootOut,
}

impl Football {
    fn length(&self, rules: &Rules) -> i64 {
        rules.ms(if self.stage >= Stage::FirstExtra { Rule::OvertimeLength } else { Rule::PeriodLength })
    }

    /// What the clock shows at the beginning of this half.
    fn base(&self, rules: &Rules) -> i64 {
        let (half, extra) = (rules.ms(Rule::PeriodLength), rules.ms(Rule::OvertimeLength));
        match self.stage {
            Stage::Before | Stage::FirstHalf => 0,
            Stage::SecondHalf => half,
            Stage::FirstExtra => half.saturating_mul(2),
            Stage::SecondExtra | Stage::ShootOut => half.saturating_mul(2).saturating_add(extra),
        }
    }

    /// What a half that ends without a decision leads to.
    fn undecided(&self, rules: &Rules) -> Turn {
        let more = match self.stage {
            Stage::SecondHalf => rules.is(Rule::OvertimeLength) || rules.is(Rule::ShootOut),
            _ => rules.is(Rule::ShootOut),
        };
        if more { Turn::BREAK } else { Turn { then: Then::Drawn, big: None } }
    }

    fn part(&self, phase: Phase) -> &'static str {
        match (phase, self.stage) {
            (Phase::Before, _) | (_, Stage::Before) => "",
            (Phase::Break, Stage::FirstHalf) => "Half-time",
            (Phase::Break, Stage::FirstExtra) => "Half-time of extra time",
            (Phase::Break, Stage::SecondHalf) => "End of normal time",
            (Phase::Break, _) => "Before the shoot-out",
            (_, Stage::FirstHalf) => "1st half",
            (_, Stage::SecondHalf) => "2nd half",
            (_, Stage::FirstExtra) => "Extra time, 1st half",
            (_, Stage::SecondExtra) => "Extra time, 2nd half",
            (_, Stage::ShootOut) => "Shoot-out",
        }
    }

    /// Law 12.3: who is cautioned a second time is sent off.
    fn card(&mut self, side: usize, card: Card, player: Option<u16>) -> Result<Turn, Refusal> {
        if player.is_some_and(|player| self.sent_off[side].contains(&player)) {
            return Err(Refusal::NotNow("that player was sent off already"));
        }
        let second = card == Card::Yellow && player.is_some_and(|player| !self.cautioned[side].insert(player));
        if card == Card::Yellow {
            self.yellow[side] = self.yellow[side].saturating_add(1);
        }
        if card == Card::Red || second {
            self.red[side] = self.red[side].saturating_add(1);
            self.sent_off[side].extend(player);
        }
        Ok(Turn::ON)
    }
}

impl Pack for Football {
    fn pass(&mut self, _: &Rules, ms: i64) {
        self.clock.up(ms);
    }

    fn start(&mut self, rules: &Rules) -> Result<(), Refusal> {
        self.stage = match self.stage {
            Stage::Before => Stage::FirstHalf,
            Stage::FirstHalf => Stage::SecondHalf,
            Stage::SecondHalf if rules.is(Rule::OvertimeLength) => Stage::FirstExtra,
            Stage::FirstExtra => Stage::SecondExtra,
            _ => Stage::ShootOut,
        };
        self.added = None;
        if self.stage == Stage::ShootOut {
            // Law 10.3: cautions of the match are not carried forward into the penalties.
            self.cautioned = Two::default();
        }
        self.clock = GameClock { ms: 0, running: self.stage != Stage::ShootOut };
        Ok(())
    }

    fn stop(&mut self) {
        self.clock.running = false;
    }

    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Card { .. } | Play::Substitution { .. } | Play::First { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        let kicks = self.stage == Stage::ShootOut;
        match play {
            Play::Score { points, .. } if points != 1 => {
                Err(Refusal::NotNow("a goal counts one; to correct it, take back its press"))
            }
            Play::Score { .. } if kicks => {
                Err(Refusal::NotNow("this is the shoot-out: note each kick as in or missed"))
            }
            Play::Score { side, .. } => {
                let side = place(side);
                self.score[side] = self.score[side].saturating_add(1);
                let golden = self.stage >= Stage::FirstExtra && rules.is(Rule::GoldenGoal);
                Ok(if golden { Turn::won(side) } else { Turn::ON }.with(side, What::Goal))
            }
            Play::Card { side, card, number } => self.card(place(side), card, number),
            Play::Substitution { side } => {
                // Law 3.2: five, and one more in extra time.
                let more = u32::from(self.stage >= Stage::FirstExtra);
                let made = &mut self.substitutions[place(side)];
                let most = rules.count(Rule::Substitutions);
                if most > 0 && *made >= most.saturating_add(more) {
                    return Err(Refusal::NotNow("that side has made all of its substitutions (law 3)"));
                }
                *made = made.saturating_add(1);
                Ok(Turn::ON)
            }
            Play::First { side } => {
                if self.shoot_out.taken() > 0 {
                    return Err(Refusal::NotNow("the shoot-out has begun already"));
                }
                self.shoot_out.first = Some(place(side));
                Ok(Turn::ON)
            }
            Play::Kick { .. } if !kicks => Err(Refusal::NotNow("kicks belong to a shoot-out; note a goal instead")),
            Play::Kick { side, scored } => {
                let each = usize::try_from(rules.get(Rule::ShootOutOf)).unwrap_or(5);
                let won = self.shoot_out.kick(place(side), scored, each)?;
                Ok(won.map_or(Turn::ON, Turn::won))
            }
            _ if kicks => Err(Refusal::NotNow("the shoot-out has no clock; note each kick as in or missed")),
            // Law 7.3: the least that is added is announced.
            Play::AddedTime { minutes } if minutes > MOST_ADDED => {
                Err(Refusal::NotNow("at most 60 minutes can be added"))
            }
            Play::AddedTime { minutes } => {
                self.added = Some(minutes).filter(|minutes| *minutes > 0);
                Ok(Turn::ON)
            }
            Play::ClockStart => self.clock.start().map(|()| Turn::ON),
            Play::ClockStop => self.clock.stop().map(|()| Turn::ON),
            Play::ClockSet { ms } => {
                let (base, length) = (self.base(rules), self.length(rules));
                let ms = ms.checked_sub(base).filter(|ms| *ms >= 0);
                let ms = ms.ok_or(Refusal::NotNow("this half began later than that"))?;
                self.clock.put(ms, length.saturating_add(MOST_OVER)).map(|()| Turn::ON)
            }
            Play::EndPeriod => {
                if self.clock.ms < self.length(rules) {
                    return Err(Refusal::NotNow("the half is not over yet; put the clock right if it is wrong"));
                }
                self.clock.running = false;
                Ok(match self.stage {
                    Stage::FirstHalf | Stage::FirstExtra => Turn::BREAK,
                    _ => ahead(&self.score).map_or_else(|| self.undecided(rules), Turn::won),
                })
            }
            _ => unknown(),
        }
    }

    fn finish(&self, rules: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        if self.stage == Stage::ShootOut {
            return Err(Refusal::NotNow("the shoot-out decides; note its kicks"));
        }
        if rules.is(Rule::ShootOut) && ahead(&self.score).is_none() {
            return Err(Refusal::NotNow("the match is level, and a shoot-out decides it; end the half instead"));
        }
        Ok(ahead(&self.score).map(number))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let mut standing = Standing::of(self.part(phase), &self.score);
        if self.stage != Stage::ShootOut && phase != Phase::Before {
            let mut dial = self.clock.dial(Direction::Up, 0);
            dial.ms = dial.ms.saturating_add(self.base(rules));
            standing.clock = Some(dial);
            standing.added = self.added;
        }
        let shoots = self.stage == Stage::ShootOut;
        for side in [0, 1] {
            if shoots && phase == Phase::Running && self.shoot_out.next() == Some(side) {
                standing.mark(side, Mark::bare(MarkKind::Serve));
            }
            if shoots {
                standing.mark(side, Mark::of(MarkKind::Kicks, self.shoot_out.words(side)));
            }
            for (kind, many) in [
                (MarkKind::Yellow, self.yellow[side]),
                (MarkKind::Red, self.red[side]),
                (MarkKind::Substitutions, self.substitutions[side]),
            ] {
                if many > 0 {
                    standing.mark(side, Mark::of(kind, many));
                }
            }
        }
        if shoots {
            let scored = self.shoot_out.scored();
            standing.note(None, format!("{} : {} in the shoot-out", scored[0], scored[1]));
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let each = |make: &dyn Fn(&str) -> Lever| -> Vec<Lever> {
            (0..).zip(names).take(2).map(|(side, name)| make(name).of(side)).collect()
        };
        let mut levers = Vec::new();
        if phase == Phase::Before {
            return levers;
        }
        if self.stage == Stage::ShootOut {
            levers.extend(each(&|name| Lever::new("kick_in", format!("{name} scores"), true).main()));
            levers.extend(each(&|name| Lever::new("kick_missed", format!("{name} misses"), true).main()));
        } else if phase == Phase::Running {
            levers.extend(each(&|name| Lever::new("score", format!("Goal {name}"), true).valued(1).main()));
            let over = self.clock.ms >= self.length(rules);
            let end = Lever::new("end_period", "End the half", over);
            levers.push(if over { end.main() } else { end.rare() });
            levers.extend(self.clock.levers());
            levers.push(Lever::new("added_time", "Added minutes", true).typed("3").rare());
        }
        if self.stage != Stage::ShootOut || phase != Phase::Running {
            levers.extend(each(&|name| Lever::new("yellow_card", format!("Yellow {name}"), true).maybe_typed("7")));
            levers.extend(each(&|name| Lever::new("red_card", format!("Red {name}"), true).maybe_typed("7").rare()));
            levers.extend(each(&|name| Lever::new("substitution", format!("Change {name}"), true).rare()));
        }
        if rules.is(Rule::ShootOut) && self.shoot_out.taken() == 0 {
            levers.extend(each(&|name| Lever::new("first", format!("{name} kicks first"), true).rare()));
        }
        levers
    }
}
