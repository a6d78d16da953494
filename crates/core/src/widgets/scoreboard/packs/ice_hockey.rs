//! Ice hockey by the IIHF Official Rule Book 2024/25; the rules stand beside what they decide.

use super::game_clock::{GameClock, LAST_MINUTE};
use super::shoot_out::ShootOut;
use super::{Two, ahead, number, ordinal, other, place, unknown};
use crate::record::acts::board::{Penalty, Play, Rule, Rules};
use crate::record::refusal::Refusal;
use crate::time::face::Direction;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Then, Turn};
use crate::widgets::scoreboard::standing::{Column, Mark, MarkKind, Phase, Serving, Standing, What};
use serde::{Deserialize, Serialize};

/// A minute in milliseconds.
const MINUTE: i64 = 60_000;
/// A minor, and each half of a double minor.
const MINOR: i64 = 2 * MINUTE;
/// How many penalties of a side run at a time (rule 26.1, delayed penalties).
const AT_A_TIME: usize = 2;
/// Most penalties of a side at a time; more is a slip of the hand.
const MOST_PENALTIES: usize = 15;

/// A penalty that is served, or waits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
struct Served {
    penalty: Penalty,
    number: Option<u16>,
    left: i64,
    /// Whether it makes its side short-handed.
    short: bool,
    /// At which stop of the clock it was given, and what the clock showed: equal ones of one stop do not count as short-handed
    /// (rule 19).
    stop: (u64, i64),
    /// Those of one player run one after the other and count once: they are of one group.
    group: u64,
}

impl Served {
    /// What is left of the part that is served now.
    fn part_left(&self) -> i64 {
        if self.penalty == Penalty::DoubleMinor && self.left > MINOR {
            self.left.saturating_sub(MINOR)
        } else {
            self.left
        }
    }

    fn is_minor(&self) -> bool {
        matches!(self.penalty, Penalty::Minor | Penalty::DoubleMinor)
    }
}

/// A match.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct IceHockey {
    /// Which period is played, from 1. After the last comes overtime, and then the shoot-out.
    period: u32,
    shoots: bool,
    clock: GameClock,
    by_period: Vec<Two<i64>>,
    shots: Two<u32>,
    timeouts: Two<u32>,
    penalties: Two<Vec<Served>>,
    /// How often the clock was set going.
    stop: u64,
    /// How many groups of penalties there were.
    groups: u64,
    shoot_out: ShootOut,
    /// Who won the shoot-out: that counts one goal (rule 84.4).
    decided: Option<usize>,
}

/// A double minor of which one half is equal to a minor of the other side: the half that is short-handed, and the other.
fn halves(double: Served) -> [Served; 2] {
    let half = Served { penalty: Penalty::Minor, left: MINOR, ..double };
    [half, Served { short: false, ..half }]
}

impl IceHockey {
    fn score(&self) -> Two<i64> {
        [0, 1].map(|side| {
            let extra = i64::from(self.decided == Some(side));
            self.by_period.iter().fold(extra, |sum, period| sum.saturating_add(period[side]))
        })
    }

    fn is_overtime(&self, rules: &Rules) -> bool {
        self.period > rules.count(Rule::Periods)
    }

    fn length(&self, rules: &Rules) -> i64 {
        rules.ms(if self.is_overtime(rules) { Rule::OvertimeLength } else { Rule::PeriodLength })
    }

    /// The places of a side's penalties that run with the clock: all that do not make it short-handed, and the first two
    /// that do.
    fn running(&self, side: usize) -> Vec<usize> {
        let mut shorts = 0_usize;
        let (mut places, mut groups) = (Vec::new(), Vec::new());
        for (place, served) in self.penalties[side].iter().enumerate() {
            // Whoever serves another one already serves this one after it.
            if groups.contains(&served.group) {
                continue;
            }
            groups.push(served.group);
            if served.short {
                shorts = shorts.saturating_add(1);
            }
            if !served.short || shorts <= AT_A_TIME {
                places.push(place);
            }
        }
        places
    }

    /// How many players a side is short of.
    fn short_of(&self, side: usize) -> usize {
        let mut groups: Vec<u64> = self.penalties[side].iter().filter(|one| one.short).map(|one| one.group).collect();
        groups.sort_unstable();
        groups.dedup();
        groups.len().min(AT_A_TIME)
    }

    /// Lets penalties run, from the end of one to the end of the next.
    fn serve(&mut self, mut ms: i64) {
        while ms > 0 && self.penalties.iter().any(|all| !all.is_empty()) {
            let running = [0, 1].map(|side| self.running(side));
            let lefts = [0, 1].into_iter().flat_map(|side| running[side].iter().map(move |place| (side, *place)));
            let lefts = lefts.filter_map(|(side, place)| self.penalties[side].get(place).map(|served| served.left));
            let step = lefts.min().unwrap_or(ms).clamp(1, ms);
            for side in [0, 1] {
                for place in &running[side] {
                    if let Some(served) = self.penalties[side].get_mut(*place) {
                        served.left = served.left.saturating_sub(step);
                    }
                }
                self.penalties[side].retain(|served| served.left > 0);
            }
            ms = ms.saturating_sub(step);
        }
    }

    fn give(&mut self, side: usize, penalty: Penalty, player: Option<u16>) -> Result<Turn, Refusal> {
        if self.penalties[side].len() >= MOST_PENALTIES {
            return Err(Refusal::NotNow(
                "that side serves many penalties already; take back the last one if it is wrong",
            ));
        }
        let stop = (self.stop, self.clock.ms);
        let of_player = |one: &&Served| player.is_some() && one.number == player;
        let group = self.penalties[side].iter().find(of_player).map(|one| one.group).unwrap_or_else(|| {
            self.groups = self.groups.saturating_add(1);
            self.groups
        });
        let left = penalty.minutes().saturating_mul(MINUTE);
        let mut new = Served { penalty, number: player, left, short: penalty != Penalty::Misconduct, stop, group };
        let theirs = &mut self.penalties[other(side)];
        let met = |one: &Served, by: Penalty| one.stop == stop && one.penalty == by && one.short;
        let mut rest = None;
        if new.short && !self.clock.running {
            if let Some(equal) = theirs.iter_mut().find(|one| met(one, penalty)) {
                (equal.short, new.short) = (false, false);
            } else if penalty == Penalty::Minor
                && let Some(place) = theirs.iter().position(|one| met(one, Penalty::DoubleMinor))
                && let Some(double) = theirs.get_mut(place)
            {
                // A minor against a double minor: one of the two is equal, and the other is served short-handed first.
                new.short = false;
                let [first, second] = halves(*double);
                *double = first;
                theirs.insert(place.saturating_add(1), second);
            } else if penalty == Penalty::DoubleMinor
                && let Some(minor) = theirs.iter_mut().find(|one| met(one, Penalty::Minor))
            {
                minor.short = false;
                let [first, second] = halves(new);
                (new, rest) = (first, Some(second));
            }
        }
        self.penalties[side].push(new);
        self.penalties[side].extend(rest);
        Ok(Turn::ON)
    }

    /// Rule 16.2: a goal against a side that is short-handed by a minor ends the minor with the least time left.
    fn released(&mut self, side: usize) {
        if self.short_of(side) <= self.short_of(other(side)) {
            return;
        }
        let running = self.running(side);
        let minors = running.into_iter().filter_map(|place| Some((place, self.penalties[side].get(place)?)));
        let minors = minors.filter(|(_, served)| served.short && served.is_minor());
        let Some((place, _)) = minors.min_by_key(|(place, served)| (served.part_left(), *place)) else { return };
        if let Some(served) = self.penalties[side].get_mut(place) {
            served.left = served.left.saturating_sub(served.part_left());
        }
        self.penalties[side].retain(|served| served.left > 0);
    }

    fn part(&self, rules: &Rules, phase: Phase) -> String {
        let periods = rules.count(Rule::Periods);
        match phase {
            Phase::Before => String::new(),
            _ if self.shoots => "Shoot-out".into(),
            Phase::Break if self.is_overtime(rules) => "Before the shoot-out".into(),
            Phase::Break if self.period == periods => "End of regular time".into(),
            Phase::Break => format!("{} interval", ordinal(self.period)),
            _ if self.is_overtime(rules) => "Overtime".into(),
            _ => format!("{} period", ordinal(self.period)),
        }
    }
}

impl Pack for IceHockey {
    fn pass(&mut self, _: &Rules, ms: i64) {
        let ran = self.clock.down(ms);
        self.serve(ran);
    }

    fn next_change(&self, _: &Rules) -> Option<i64> {
        let penalties = [0, 1].into_iter().flat_map(|side| {
            let running = self.running(side);
            running.into_iter().filter_map(move |place| self.penalties[side].get(place).map(|served| served.left))
        });
        penalties.chain([self.clock.ms]).filter(|ms| *ms > 0).min().filter(|_| self.clock.running)
    }

    fn start(&mut self, rules: &Rules) -> Result<(), Refusal> {
        let last = if rules.is(Rule::OvertimeLength) {
            rules.count(Rule::Periods).saturating_add(1)
        } else {
            rules.count(Rule::Periods)
        };
        self.stop = self.stop.saturating_add(1);
        if self.period >= last {
            self.shoots = true;
            self.clock = GameClock::default();
            return Ok(());
        }
        self.period = self.period.saturating_add(1);
        self.by_period.push([0, 0]);
        self.clock = GameClock { ms: self.length(rules), running: true };
        Ok(())
    }

    fn stop(&mut self) {
        self.clock.running = false;
    }

    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Penalty { .. } | Play::First { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Score { points, .. } if points != 1 => {
                Err(Refusal::NotNow("a goal counts one; to correct it, take back its press"))
            }
            Play::Score { .. } if self.shoots => {
                Err(Refusal::NotNow("this is the shoot-out: note each shot as in or missed"))
            }
            Play::Score { side, .. } => {
                let side = place(side);
                if let Some(period) = self.by_period.last_mut() {
                    period[side] = period[side].saturating_add(1);
                }
                // A goal was a shot on goal.
                self.shots[side] = self.shots[side].saturating_add(1);
                // Rule 84.1: the next goal decides an overtime.
                if self.is_overtime(rules) {
                    return Ok(Turn::won(side).with(side, What::Goal));
                }
                self.released(other(side));
                Ok(Turn::ON.with(side, What::Goal))
            }
            Play::First { side } => {
                if self.shoot_out.taken() > 0 {
                    return Err(Refusal::NotNow("the shoot-out has begun already"));
                }
                self.shoot_out.first = Some(place(side));
                Ok(Turn::ON)
            }
            Play::Kick { .. } if !self.shoots => {
                Err(Refusal::NotNow("that belongs to a shoot-out; note a goal instead"))
            }
            Play::Kick { side, scored } => {
                let each = usize::try_from(rules.get(Rule::ShootOutOf)).unwrap_or(3);
                self.decided = self.shoot_out.kick(place(side), scored, each)?;
                Ok(self.decided.map_or(Turn::ON, Turn::won))
            }
            _ if self.shoots => Err(Refusal::NotNow("the shoot-out has no clock; note each shot as in or missed")),
            Play::Shot { side } => {
                let shots = &mut self.shots[place(side)];
                *shots = shots.saturating_add(1);
                Ok(Turn::ON)
            }
            Play::Penalty { side, penalty, number } => self.give(place(side), penalty, number),
            Play::Timeout { side } => {
                // Rule 87.1: one a match.
                let taken = &mut self.timeouts[place(side)];
                if *taken >= rules.count(Rule::Timeouts) {
                    return Err(Refusal::NotNow("that side has taken its time-out (rule 87)"));
                }
                *taken = taken.saturating_add(1);
                self.clock.running = false;
                Ok(Turn::ON)
            }
            Play::ClockStart => {
                self.clock.start_down()?;
                self.stop = self.stop.saturating_add(1);
                Ok(Turn::ON)
            }
            Play::ClockStop => self.clock.stop().map(|()| Turn::ON),
            Play::ClockSet { ms } => {
                let most = self.length(rules);
                self.clock.put(ms, most)?;
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
                let more = (rules.is(Rule::OvertimeLength) && !self.is_overtime(rules)) || rules.is(Rule::ShootOut);
                Ok(match ahead(&self.score()) {
                    Some(side) => Turn::won(side),
                    None if more => Turn::BREAK,
                    None => Turn { then: Then::Drawn, big: None },
                })
            }
            _ => unknown(),
        }
    }

    fn finish(&self, rules: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        if self.shoots {
            return Err(Refusal::NotNow("the shoot-out decides; note its shots"));
        }
        if rules.is(Rule::ShootOut) && ahead(&self.score()).is_none() {
            return Err(Refusal::NotNow("the match is level, and a shoot-out decides it; end the period instead"));
        }
        Ok(ahead(&self.score()).map(number))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let mut standing = Standing::of(self.part(rules, phase), &self.score());
        if !self.shoots && phase != Phase::Before {
            standing.clock = Some(self.clock.dial(Direction::Down, LAST_MINUTE));
        }
        for (period, goals) in (1_u32..).zip(&self.by_period) {
            let head = if period > rules.count(Rule::Periods) { "OT".into() } else { period.to_string() };
            let won = ahead(goals).filter(|_| period < self.period || phase != Phase::Running).map(number);
            standing.columns.push(Column { head, cells: goals.iter().map(ToString::to_string).collect(), won });
        }
        let short = [0, 1].map(|side| self.short_of(side));
        for side in [0, 1] {
            if short[side] < short[other(side)] && !self.shoots {
                // Rule 84.2: in overtime three play three, and a side is never short of one, but the other has one more.
                let more = short[other(side)].saturating_sub(short[side]);
                let on_ice = |one: usize| match self.is_overtime(rules) {
                    true if one == side => 3_usize.saturating_add(more),
                    true => 3,
                    false => 5_usize.saturating_sub(short[one]),
                };
                standing.mark(side, Mark::of(MarkKind::PowerPlay, format!("{}–{}", on_ice(side), on_ice(other(side)))));
            }
            if self.shoots {
                if phase == Phase::Running && self.shoot_out.next() == Some(side) {
                    standing.mark(side, Mark::bare(MarkKind::Serve));
                }
                standing.mark(side, Mark::of(MarkKind::Kicks, self.shoot_out.words(side)));
            }
            if phase != Phase::Before {
                standing.mark(side, Mark::of(MarkKind::Shots, self.shots[side]));
                let left = rules.count(Rule::Timeouts).saturating_sub(self.timeouts[side]);
                standing.mark(side, Mark::of(MarkKind::Timeouts, left));
            }
            let running = self.running(side);
            let serving = |(place, served): (usize, &Served)| Serving {
                number: served.number,
                left_ms: served.left,
                counts_down: running.contains(&place),
            };
            if let Some(penalties) = standing.penalties.get_mut(side) {
                *penalties = self.penalties[side].iter().enumerate().map(serving).collect();
            }
        }
        standing
    }

    fn levers(&self, _: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let each = |make: &dyn Fn(&str) -> Lever| -> Vec<Lever> {
            (0..).zip(names).take(2).map(|(side, name)| make(name).of(side)).collect()
        };
        let mut levers = Vec::new();
        if phase == Phase::Before {
            return levers;
        }
        if self.shoots {
            levers.extend(each(&|name| Lever::new("kick_in", format!("{name} scores"), true).main()));
            levers.extend(each(&|name| Lever::new("kick_missed", format!("{name} misses"), true).main()));
            return levers;
        }
        if phase == Phase::Running {
            levers.extend(each(&|name| Lever::new("score", format!("Goal {name}"), true).valued(1).main()));
            if self.clock.ms == 0 {
                levers.push(Lever::new("end_period", "End the period", true).main());
            }
            levers.extend(self.clock.levers());
            levers.extend(each(&|name| Lever::new("shot", format!("Shot {name}"), true)));
        }
        for minutes in [2, 4, 5, 10] {
            let penalty = |name: &str| {
                Lever::new("penalty", format!("{minutes} min {name}"), true).valued(minutes).maybe_typed("7")
            };
            levers.extend(each(&|name| if minutes == 2 { penalty(name) } else { penalty(name).rare() }));
        }
        if phase == Phase::Running {
            levers.extend(each(&|name| Lever::new("timeout", format!("Time-out {name}"), true).rare()));
        }
        levers.extend(each(&|name| Lever::new("first", format!("{name} shoots first"), true).rare()));
        levers
    }
}
