//! Sets by rally points: volleyball (FIVB), beach volleyball, badminton (BWF), table tennis (ITTF).

use super::{Two, ahead, other, place, unknown};
use crate::record::acts::board::{Play, Rule, Rules, Sport};
use crate::record::refusal::Refusal;
use crate::widgets::Lever;
use crate::widgets::scoreboard::game::{Pack, Then, Turn};
use crate::widgets::scoreboard::standing::{Column, Mark, MarkKind, Phase, Standing, What};
use serde::{Deserialize, Serialize};

/// A match.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Rally {
    /// The sets that are over.
    sets: Vec<Two<u32>>,
    points: Two<u32>,
    /// Who served first in this set; none while nobody has said.
    first: Option<usize>,
    /// Who serves.
    serving: Option<usize>,
    /// Time-outs of this set; in table tennis of the match.
    timeouts: Two<u32>,
    /// What the last rally asks for: ends to be changed, an interval.
    asks: Option<Asks>,
    /// Whether ends have been changed in the deciding set.
    changed: bool,
    /// Whether the interval of this set has been.
    rested: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Asks {
    Ends,
    Interval,
}

impl Rally {
    fn won(&self) -> Two<usize> {
        [0, 1].map(|side| self.sets.iter().filter(|set| ahead(set) == Some(side)).count())
    }

    /// How many sets win the match.
    fn needed(rules: &Rules) -> usize {
        usize::try_from(rules.get(Rule::BestOf)).unwrap_or(1).div_euclid(2).saturating_add(1)
    }

    fn is_last(&self, rules: &Rules) -> bool {
        self.won().iter().all(|won| won.saturating_add(1) >= Self::needed(rules))
    }

    fn target(&self, rules: &Rules) -> u32 {
        rules.count(if self.is_last(rules) { Rule::LastSetPoints } else { Rule::SetPoints })
    }

    /// Who has won this set.
    fn set_won(&self, rules: &Rules) -> Option<usize> {
        let side = ahead(&self.points)?;
        let (most, cap) = (self.points[side], rules.count(Rule::Cap));
        let lead = most.saturating_sub(self.points[other(side)]);
        let by_lead = most >= self.target(rules) && lead >= rules.count(Rule::Lead);
        (by_lead || (cap > 0 && most >= cap)).then_some(side)
    }

    /// Who serves next. Whoever wins a rally serves (FIVB 6.1.3, BWF 10.3); in table tennis two serves each, and one each
    /// from one short of the set on both sides (ITTF 2.13.3).
    fn next_server(&self, rules: &Rules, winner: usize) -> Option<usize> {
        if rules.sport != Sport::TableTennis {
            return Some(winner);
        }
        let first = self.first?;
        let played = self.points[0].saturating_add(self.points[1]);
        let deuce = self.target(rules).saturating_sub(1);
        let changes = if self.points.iter().all(|points| *points >= deuce) { played } else { played / 2 };
        Some(if changes % 2 == 0 { first } else { other(first) })
    }

    /// Who serves first in the next set: by turns (FIVB 12.1, ITTF 2.13.6), in badminton the winner of the last (BWF 9.1).
    fn next_first(&self, rules: &Rules, winner: usize) -> Option<usize> {
        if rules.sport == Sport::Badminton { Some(winner) } else { self.first.map(other) }
    }

    /// Whether ends are changed now: FIVB 18.2, beach 18.2.1, BWF 8.1, ITTF 2.14.2.
    fn asks_now(&mut self, rules: &Rules) -> Option<Asks> {
        let most = self.points[0].max(self.points[1]);
        let played = self.points[0].saturating_add(self.points[1]);
        let (last, target) = (self.is_last(rules), self.target(rules));
        if rules.sport == Sport::BeachVolleyball {
            let every = if last { 5_u32 } else { 7 };
            return (played > 0 && played.is_multiple_of(every)).then_some(Asks::Ends);
        }
        let halfway = match rules.sport {
            Sport::TableTennis => target / 2,
            _ => target.div_ceil(2),
        };
        let passed = most >= halfway;
        if last && passed && !self.changed {
            self.changed = true;
            self.rested = true;
            return Some(Asks::Ends);
        }
        // BWF 16.2.1: 60 seconds when the first side has 11.
        if rules.sport == Sport::Badminton && passed && !self.rested {
            self.rested = true;
            return Some(Asks::Interval);
        }
        None
    }

    fn rally(&mut self, rules: &Rules, side: usize) -> Turn {
        // Whoever begins and nobody has said so: a rally of volleyball and badminton says nothing of who served it.
        self.points[side] = self.points[side].saturating_add(1);
        self.serving = self.next_server(rules, side);
        let Some(winner) = self.set_won(rules) else {
            self.asks = self.asks_now(rules);
            return Turn::ON;
        };
        let first = self.next_first(rules, winner);
        self.sets.push(self.points);
        if self.won()[winner] >= Self::needed(rules) {
            self.points = [0, 0];
            (self.serving, self.asks) = (None, None);
            return Turn::won(winner);
        }
        self.points = [0, 0];
        // Before a deciding set of volleyball a new toss says who serves (FIVB 7.1, beach 7.1).
        let tossed = matches!(rules.sport, Sport::Volleyball | Sport::BeachVolleyball) && self.is_last(rules);
        let first = first.filter(|_| !tossed);
        (self.first, self.serving) = (first, first);
        (self.changed, self.rested) = (false, false);
        self.asks = Some(Asks::Ends);
        if rules.sport != Sport::TableTennis {
            self.timeouts = [0, 0];
        }
        Turn::BREAK.with(winner, What::Set)
    }

    fn word(rules: &Rules) -> &'static str {
        if matches!(rules.sport, Sport::Badminton | Sport::TableTennis) { "Game" } else { "Set" }
    }
}

impl Pack for Rally {
    fn in_break(&self, play: Play) -> bool {
        matches!(play, Play::Rally { .. } | Play::First { .. })
    }

    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal> {
        match play {
            Play::Rally { side } => Ok(self.rally(rules, place(side))),
            Play::First { side } => {
                if self.points != [0, 0] {
                    return Err(Refusal::NotNow("the set has begun; who serves follows from its points"));
                }
                self.first = Some(place(side));
                self.serving = self.first;
                Ok(Turn::ON)
            }
            Play::Timeout { side } => {
                let taken = &mut self.timeouts[place(side)];
                if *taken >= rules.count(Rule::Timeouts) {
                    return Err(Refusal::NotNow(match rules.sport {
                        Sport::TableTennis => "that side has taken its time-out of the match",
                        Sport::Badminton => "badminton has no time-outs",
                        _ => "that side has taken all of its time-outs of this set",
                    }));
                }
                *taken = taken.saturating_add(1);
                Ok(Turn::ON)
            }
            _ => unknown(),
        }
    }

    fn finish(&self, _: &Rules, _: &[u8]) -> Result<Option<u8>, Refusal> {
        Err(Refusal::NotNow("sets decide this match; if a side gives up, say so"))
    }

    fn standing(&self, rules: &Rules, phase: Phase) -> Standing {
        let won = self.won();
        let over = phase == Phase::Finished;
        let counts = if over { won.map(|won| i64::try_from(won).unwrap_or(0)) } else { self.points.map(i64::from) };
        let word = Self::word(rules);
        let many = self.sets.len();
        let part = match phase {
            Phase::Before => String::new(),
            Phase::Break if self.points == [0, 0] && many > 0 => format!("End of {} {many}", word.to_lowercase()),
            Phase::Finished => "Final".into(),
            _ => format!("{word} {}", many.saturating_add(1)),
        };
        let mut standing = Standing::of(part, &counts);
        for (number, set) in (1..).zip(&self.sets) {
            let won = ahead(set).map(super::number);
            standing.columns.push(Column {
                head: i32::to_string(&number),
                cells: set.iter().map(ToString::to_string).collect(),
                won,
            });
        }
        for side in [0, 1] {
            if self.serving == Some(side) && !over {
                // BWF 10.1: from the right service court at an even score of the server, else from the left.
                let court = if self.points[side].is_multiple_of(2) { "R" } else { "L" };
                let text = if rules.sport == Sport::Badminton { court } else { "" };
                standing.mark(side, Mark::of(MarkKind::Serve, text));
            }
            if !over {
                standing.mark(side, Mark::of(MarkKind::Sets, won[side]));
            }
            if rules.is(Rule::Timeouts) && phase != Phase::Before && !over {
                let left = rules.count(Rule::Timeouts).saturating_sub(self.timeouts[side]);
                standing.mark(side, Mark::of(MarkKind::Timeouts, left));
            }
            if !over && phase != Phase::Before {
                let mut next = self.clone();
                match next.rally(rules, side).then {
                    Then::Won(_) => standing.note(Some(side), "Match point"),
                    Then::Break => standing.note(Some(side), format!("{word} point")),
                    _ => {}
                }
            }
        }
        match self.asks {
            Some(Asks::Ends) if !over => standing.note(None, "Change ends"),
            Some(Asks::Interval) if !over => standing.note(None, "Interval"),
            _ => {}
        }
        standing
    }

    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever> {
        let each = |make: &dyn Fn(&str) -> Lever| -> Vec<Lever> {
            (0..).zip(names).take(2).map(|(side, name)| make(name).of(side)).collect()
        };
        let mut levers = Vec::new();
        if phase != Phase::Before {
            levers.extend(each(&|name| Lever::new("rally", format!("Point {name}"), true).main()));
            if rules.is(Rule::Timeouts) {
                levers.extend(each(&|name| Lever::new("timeout", format!("Time-out {name}"), true)));
            }
        }
        let open = self.points == [0, 0];
        let first = |name: &str| Lever::new("first", format!("{name} serves first"), open);
        levers.extend(each(&|name| if open && self.first.is_none() { first(name) } else { first(name).rare() }));
        levers
    }
}
