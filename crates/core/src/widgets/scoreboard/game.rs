//! A match as its acts make it: what all sports share, and the pack of the one that is played.
//!
//! Nothing but rules, acts and instants decides. Time passes by [`Game::advance`]; a press is judged by [`Game::play`]
//! on the state that all earlier presses have left.

use super::packs::basketball::Basketball;
use super::packs::darts::Darts;
use super::packs::football::Football;
use super::packs::ice_hockey::IceHockey;
use super::packs::points::Points;
use super::packs::race::Race;
use super::packs::rally::Rally;
use super::packs::ranking::Ranking;
use super::packs::series::Series;
use super::packs::tennis::Tennis;
use super::standing::{Big, Ended, How, Phase, Standing, What};
use crate::record::acts::board::{Play, Rule, Rules, Sport};
use crate::record::refusal::Refusal;
use crate::time::Instant;
use crate::widgets::Lever;
use serde::{Deserialize, Serialize};

/// Each side of so many has a lever to give up with; where there are more, it is an action alone.
const MOST_ASKED: usize = 8;

/// What a press leads to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Then {
    /// The match goes on.
    On,
    /// A part of it is over.
    Break,
    /// It is won.
    Won(u8),
    /// It is over without a winner.
    Drawn,
}

/// What a press came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Turn {
    /// What it leads to.
    pub then: Then,
    /// What deserves a flourish.
    pub big: Option<Big>,
}

impl Turn {
    /// The match goes on.
    pub const ON: Self = Self { then: Then::On, big: None };
    /// A part of it is over.
    pub const BREAK: Self = Self { then: Then::Break, big: None };

    /// It is won.
    pub fn won(side: usize) -> Self {
        let side = u8::try_from(side).unwrap_or(u8::MAX);
        Self { then: Then::Won(side), big: Some(Big { side, what: What::Match }) }
    }

    /// With a flourish.
    pub fn with(self, side: usize, what: What) -> Self {
        Self { big: Some(Big { side: u8::try_from(side).unwrap_or(u8::MAX), what }), ..self }
    }
}

/// What a sport's pack knows.
pub trait Pack {
    /// So many milliseconds pass while the match is played.
    fn pass(&mut self, _rules: &Rules, _ms: i64) {}
    /// In how many milliseconds something changes by itself, besides what a clock shows.
    fn next_change(&self, _rules: &Rules) -> Option<i64> {
        None
    }
    /// The match is over: nothing runs any more.
    fn stop(&mut self) {}
    /// The match begins, or goes on after a break.
    ///
    /// # Errors
    /// It cannot.
    fn start(&mut self, _rules: &Rules) -> Result<(), Refusal> {
        Ok(())
    }
    /// Whether a press is possible in a break. One that is not [`Play::First`] ends the break of a sport without a clock.
    fn in_break(&self, play: Play) -> bool;
    /// Judges a press, and does it.
    ///
    /// # Errors
    /// The sport forbids it, in the sport's words.
    fn play(&mut self, rules: &Rules, play: Play) -> Result<Turn, Refusal>;
    /// Who has won if the match ends now by hand; none for a draw. Of several sides, those that have given up win nothing.
    ///
    /// # Errors
    /// It cannot end now.
    fn finish(&self, rules: &Rules, gone: &[u8]) -> Result<Option<u8>, Refusal>;
    /// How it stands.
    fn standing(&self, rules: &Rules, phase: Phase) -> Standing;
    /// What the scorekeeper can press while the match is played, what is pressed most first.
    fn levers(&self, rules: &Rules, phase: Phase, names: &[String]) -> Vec<Lever>;
}

/// The packs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[allow(missing_docs, reason = "each is named after its sport")]
pub enum Body {
    Points(Points),
    Basketball(Basketball),
    Football(Football),
    IceHockey(IceHockey),
    Rally(Rally),
    Tennis(Tennis),
    Race(Race),
    Darts(Darts),
    Series(Series),
    Ranking(Ranking),
}

/// The pack inside, whichever it is, as it is borrowed.
macro_rules! whichever {
    ($body:expr) => {
        match $body {
            Body::Points(pack) => pack,
            Body::Basketball(pack) => pack,
            Body::Football(pack) => pack,
            Body::IceHockey(pack) => pack,
            Body::Rally(pack) => pack,
            Body::Tennis(pack) => pack,
            Body::Race(pack) => pack,
            Body::Darts(pack) => pack,
            Body::Series(pack) => pack,
            Body::Ranking(pack) => pack,
        }
    };
}

impl Body {
    fn of(rules: &Rules, sides: usize) -> Self {
        match rules.sport {
            Sport::Points => Self::Points(Points::new(sides)),
            Sport::Basketball => Self::Basketball(Basketball::default()),
            Sport::Football => Self::Football(Football::default()),
            Sport::IceHockey => Self::IceHockey(IceHockey::default()),
            Sport::Volleyball | Sport::BeachVolleyball | Sport::Badminton | Sport::TableTennis => {
                Self::Rally(Rally::default())
            }
            Sport::Tennis => Self::Tennis(Tennis::default()),
            Sport::Race => Self::Race(Race::new(rules)),
            Sport::Darts => Self::Darts(Darts::new(rules)),
            Sport::Series => Self::Series(Series::default()),
            Sport::Ranking => Self::Ranking(Ranking::new(sides)),
        }
    }

    fn pack(&self) -> &dyn Pack {
        whichever!(self)
    }

    fn pack_mut(&mut self) -> &mut dyn Pack {
        whichever!(self)
    }
}

/// A match.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Game {
    /// How many sides play.
    sides: usize,
    phase: Phase,
    ended: Option<Ended>,
    /// The sides that have given up, in order.
    #[serde(default)]
    gone: Vec<u8>,
    /// The newest thing that deserves a flourish, and when it was.
    big: Option<(Big, Instant)>,
    /// Up to when time has passed.
    at: Option<Instant>,
    body: Body,
}

impl Game {
    /// One that has not begun.
    #[must_use]
    pub fn new(rules: &Rules, sides: usize) -> Self {
        let body = Body::of(rules, sides);
        Self { sides, phase: Phase::Before, ended: None, gone: Vec::new(), big: None, at: None, body }
    }

    /// Where it is.
    #[must_use]
    pub fn phase(&self) -> Phase {
        self.phase
    }

    /// How it ended.
    #[must_use]
    pub fn ended(&self) -> Option<Ended> {
        self.ended
    }

    /// The newest thing that deserves a flourish, and when it was.
    #[must_use]
    pub fn big(&self) -> Option<(Big, Instant)> {
        self.big
    }

    /// Lets time pass. An earlier instant than one that has passed changes nothing.
    pub fn advance(&mut self, rules: &Rules, to: Instant) {
        let from = *self.at.get_or_insert(to);
        if to <= from {
            return;
        }
        self.at = Some(to);
        if self.phase == Phase::Running {
            self.body.pack_mut().pass(rules, to.signed_duration_since(from).num_milliseconds());
        }
    }

    /// In how many milliseconds something changes by itself.
    #[must_use]
    pub fn next_change(&self, rules: &Rules) -> Option<i64> {
        if self.phase == Phase::Running { self.body.pack().next_change(rules) } else { None }
    }

    /// Judges a press at an instant, and does it.
    ///
    /// # Errors
    /// The sport forbids it, in the sport's words; nothing has changed then but that time has passed.
    pub fn play(&mut self, rules: &Rules, play: Play, at: Instant) -> Result<(), Refusal> {
        self.advance(rules, at);
        if let Some(side) = play.side()
            && usize::from(side) >= self.sides
        {
            return Err(Refusal::WrongValue(format!(
                "there is no such side; this match has sides 1 to {}",
                self.sides
            )));
        }
        if play.side().is_some_and(|side| self.gone.contains(&side)) && self.phase != Phase::Finished {
            return Err(Refusal::NotNow("that side has given up; take it back if it goes on"));
        }
        let mut body = self.body.clone();
        let turn = self.judged(rules, play, &mut body)?;
        self.body = body;
        self.ended = match turn.then {
            Then::Won(winner) => Some(Ended { winner: Some(winner), how: How::ByScore }),
            Then::Drawn => Some(Ended { winner: None, how: How::ByScore }),
            Then::On | Then::Break => self.ended,
        };
        match turn.then {
            Then::Won(_) | Then::Drawn => self.phase = Phase::Finished,
            Then::Break => self.phase = Phase::Break,
            Then::On => {}
        }
        if self.phase == Phase::Finished {
            self.body.pack_mut().stop();
        }
        if let Some(big) = turn.big {
            self.big = Some((big, at));
        }
        Ok(())
    }

    /// What a press comes to, with the phases that all sports share.
    fn judged(&mut self, rules: &Rules, play: Play, body: &mut Body) -> Result<Turn, Refusal> {
        let pack = body.pack_mut();
        match (self.phase, play) {
            (_, Play::Flourish { .. }) if rules.get(Rule::Flourish) == 0 => {
                Err(Refusal::NotNow("this board plays no flourish; set for how long it does"))
            }
            (_, Play::Flourish { side }) => Ok(Turn::ON.with(usize::from(side), What::Bravo)),
            (Phase::Finished, Play::Reopen) => {
                if self.ended.is_some_and(|ended| ended.how == How::ByScore) {
                    return Err(Refusal::NotNow("the score decides this match; take back the last press instead"));
                }
                if self.ended.take().is_some_and(|ended| ended.how == How::Retired) {
                    self.gone.pop();
                }
                self.phase = Phase::Running;
                Ok(Turn::ON)
            }
            (Phase::Finished, _) => Err(Refusal::NotNow("the match is over; reopen it, or take back the last press")),
            (_, Play::Reopen) => Err(Refusal::NotNow("the match is not over")),
            (Phase::Running, Play::Start) => Err(Refusal::NotNow("the match is being played already")),
            (_, Play::Start) => {
                pack.start(rules)?;
                self.phase = Phase::Running;
                Ok(Turn::ON)
            }
            (Phase::Before, Play::First { .. }) => pack.play(rules, play),
            (Phase::Before, _) => Err(Refusal::NotNow("the match has not begun; press Start first")),
            (_, Play::Retire { side }) => {
                // The others play on, until one alone is left.
                self.gone.push(side);
                let mut staying = (0..).take(self.sides).filter(|side| !self.gone.contains(side));
                match (staying.next(), staying.next()) {
                    (winner, None) => self.end(winner, How::Retired),
                    _ => Ok(Turn::ON),
                }
            }
            (_, Play::Finish) => {
                let winner = pack.finish(rules, &self.gone)?;
                self.end(winner, How::ByHand)
            }
            (Phase::Running, Play::Pause) if rules.sport.has_clock() => {
                Err(Refusal::NotNow("this match has a clock; stop that instead"))
            }
            (Phase::Running, Play::Pause) => Ok(Turn::BREAK),
            (Phase::Break, Play::Pause) => Err(Refusal::NotNow("it is a break already")),
            (Phase::Break, _) if !pack.in_break(play) => {
                Err(Refusal::NotNow("it is a break; press Start to go on first"))
            }
            (Phase::Break, _) => {
                let turn = pack.play(rules, play)?;
                if !rules.sport.has_clock() && !matches!(play, Play::First { .. }) {
                    self.phase = Phase::Running;
                }
                Ok(turn)
            }
            (Phase::Running, _) => pack.play(rules, play),
        }
    }

    fn end(&mut self, winner: Option<u8>, how: How) -> Result<Turn, Refusal> {
        self.ended = Some(Ended { winner, how });
        self.phase = Phase::Finished;
        let big = winner.map(|side| Big { side, what: What::Match });
        Ok(Turn { then: Then::On, big })
    }

    /// How it stands.
    #[must_use]
    pub fn standing(&self, rules: &Rules) -> Standing {
        let mut standing = self.body.pack().standing(rules, self.phase);
        if self.sides > 2 {
            self.gone.iter().for_each(|side| standing.note(Some(usize::from(*side)), "Gave up"));
        }
        standing
    }

    /// What its scorekeeper can press, what is pressed most first.
    #[must_use]
    pub fn levers(&self, rules: &Rules, names: &[String]) -> Vec<Lever> {
        let mut levers = match self.phase {
            Phase::Before => vec![Lever::new("start", "Start the match", true).main()],
            Phase::Finished => {
                let by_hand = self.ended.is_some_and(|ended| ended.how != How::ByScore);
                return vec![Lever::new("reopen", "Reopen", by_hand).rare()];
            }
            Phase::Break => vec![Lever::new("start", "Go on", true).main()],
            Phase::Running => Vec::new(),
        };
        levers.extend(self.body.pack().levers(rules, self.phase, names));
        if self.phase != Phase::Before {
            if self.phase == Phase::Running && !rules.sport.has_clock() {
                levers.push(Lever::new("pause", "Break", true).rare());
            }
            levers.push(Lever::new("finish", "End the match", true).rare().asking(true));
            if self.sides <= MOST_ASKED {
                for (side, name) in (0..).zip(names) {
                    levers.push(Lever::new("flourish", format!("Flourish for {name}"), true).of(side).rare());
                    levers.push(Lever::new("retire", format!("{name} gives up"), true).of(side).rare().asking(true));
                }
            }
        }
        levers.retain(|lever| {
            let side = lever.side.and_then(|side| side.checked_sub(1));
            side.is_none_or(|side| !self.gone.contains(&side))
        });
        levers
    }
}
