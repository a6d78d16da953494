//! The clockwork: ready → running ⇄ paused → zero, in whole milliseconds of Unix time.
//!
//! What is left falls while it runs. It may fall below zero only by a correction of what was added before: then
//! nothing is shown, and somebody has to say whether the clock is over, since it was seen running until then.

use serde::{Deserialize, Serialize};

/// Where a clock is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum Phase {
    /// Not started.
    #[default]
    Ready,
    /// Running down.
    Running,
    /// Standing still.
    Paused {
        /// When it goes on by itself: the end of a break.
        until: Option<i64>,
    },
    /// Run down to nothing, since that instant. An addition revives it within the grace time.
    Zero {
        /// Since when.
        at: i64,
    },
    /// Over for good, as somebody has said.
    Over {
        /// Since when.
        at: i64,
    },
}

/// What happens to a clock by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Due {
    /// It runs out.
    Zero,
    /// That break of the plan begins.
    Break(Planned),
    /// The break under way is over.
    GoesOn,
}

/// A break of the plan as instants.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Planned {
    /// Which one.
    pub id: u32,
    /// When it begins.
    pub at: i64,
    /// How long it is.
    pub ms: i64,
    /// Whether it begins by itself.
    pub by_itself: bool,
}

impl Planned {
    /// When it ends, if it begins as planned.
    #[must_use]
    pub fn ends(&self) -> i64 {
        self.at.saturating_add(self.ms)
    }
}

/// See the module.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Clockwork {
    /// Where it is.
    pub phase: Phase,
    /// The instant up to which everything is reckoned.
    pub at: i64,
    /// What is left at that instant.
    pub left: i64,
    /// For how long it has run.
    pub ran: i64,
    /// When it was started.
    pub began: i64,
    /// The breaks of the plan that have begun.
    pub breaks_begun: Vec<u32>,
    /// From when until when it stood still; the last may go on.
    pub pauses: Vec<(i64, Option<i64>)>,
    /// Whether a correction has left less than nothing, so that it stands still until somebody says whether it is over.
    pub in_doubt: bool,
    /// From when until when it was taken to be over by a mistake: a break of the plan that was to begin meanwhile is made up for.
    pub mistaken: Option<(i64, i64)>,
}

impl Clockwork {
    /// One that has not been started.
    #[must_use]
    pub fn ready(length: i64) -> Self {
        Self { left: length, ..Self::default() }
    }

    /// Reckons on to an instant. One that lies behind is this one: time never runs backwards, whatever the machine's
    /// clock does.
    pub fn advance(&mut self, now: i64) {
        let passed = now.saturating_sub(self.at).max(0);
        if self.phase == Phase::Running && !self.in_doubt {
            self.left = self.left.saturating_sub(passed);
            self.ran = self.ran.saturating_add(passed);
        }
        self.at = self.at.max(now);
    }

    /// A correction came at an instant: until then it was seen as it was before.
    pub fn corrected(&mut self, at: i64) {
        self.advance(at);
        if let Some((_, until)) = &mut self.mistaken {
            *until = (*until).max(at);
        }
        self.in_doubt = self.is_going() && self.left < 0;
    }

    /// What ended it at an instant was a mistake that is undone.
    pub fn went_on(&mut self, at: i64) {
        self.mistaken = Some((at, at));
    }

    /// Whether it has run ever since an instant at which it was taken to be over.
    fn missed(&self, at: i64) -> bool {
        let mistaken = self.mistaken.is_some_and(|(from, until)| (from..until).contains(&at));
        let stood = || self.pauses.iter().any(|(_, until)| until.is_none_or(|until| until > at));
        self.phase == Phase::Running && mistaken && !stood()
    }

    /// It stood still from an instant on at which it was taken to be over.
    fn make_up(&mut self, at: i64) {
        if at < self.at && self.missed(at) {
            let ran = self.at.saturating_sub(at);
            (self.left, self.ran) = (self.left.saturating_add(ran), self.ran.saturating_sub(ran));
            self.at = at;
            self.in_doubt &= self.left < 0;
        }
    }

    /// Adds to what is left, or takes from it.
    pub fn add(&mut self, ms: i64) {
        self.left = self.left.saturating_add(ms);
        self.in_doubt &= self.left < 0;
    }

    /// Forgets what it ran below nothing.
    pub fn forgive(&mut self) {
        let below = self.left.min(0);
        (self.left, self.ran) = (self.left.saturating_sub(below), self.ran.saturating_add(below));
        self.in_doubt = false;
    }

    /// Whether it stood still at an instant.
    #[must_use]
    pub fn was_paused(&self, at: i64) -> bool {
        self.pauses.iter().rev().any(|(from, until)| *from <= at && until.is_none_or(|until| at < until))
    }

    /// A pause under way is over.
    fn end_pause(&mut self) {
        if let Some((_, until @ None)) = self.pauses.last_mut() {
            *until = Some(self.at);
        }
    }

    /// Reckons on to an instant during which the clock stood still from another on, whatever its phase.
    pub fn skip(&mut self, from: i64, until: i64) {
        self.advance(from);
        self.at = self.at.max(until);
    }

    /// Whether it was started and is not over.
    #[must_use]
    pub fn is_going(&self) -> bool {
        matches!(self.phase, Phase::Running | Phase::Paused { .. })
    }

    /// Whether a correction has left nothing on it, so that somebody has to say whether it is over.
    #[must_use]
    pub fn is_in_doubt(&self) -> bool {
        self.is_going() && self.left < 0
    }

    /// Whether it has run out, or is over for good.
    #[must_use]
    pub fn has_run_out(&self) -> bool {
        matches!(self.phase, Phase::Zero { .. } | Phase::Over { .. })
    }

    /// The breaks of a plan that have not begun.
    pub fn not_begun<'a>(&'a self, plan: &'a [Planned]) -> impl Iterator<Item = &'a Planned> {
        plan.iter().filter(|one| !self.breaks_begun.contains(&one.id))
    }

    /// What happens next by itself, and when: the first of several.
    #[must_use]
    pub fn next(&self, plan: &[Planned]) -> Option<(i64, Due)> {
        match self.phase {
            Phase::Running => {
                // Where less than nothing is left, that lies behind, and a break may have been missed before it.
                let zero = self.at.saturating_add(self.left);
                let comes = |at: i64| at < zero && (at >= self.at || self.missed(at));
                let breaks = self.not_begun(plan).filter(|one| one.by_itself && comes(one.at));
                match breaks.min_by_key(|one| (one.at, one.id)) {
                    Some(one) => Some((one.at, Due::Break(*one))),
                    None => (self.left >= 0).then_some((zero, Due::Zero)),
                }
            }
            Phase::Paused { .. } if self.left == 0 => Some((self.at, Due::Zero)),
            Phase::Paused { until: Some(until) } => Some((until.max(self.at), Due::GoesOn)),
            _ => None,
        }
    }

    /// Lets happen what happens by itself.
    pub fn happen(&mut self, at: i64, due: Due) {
        match due {
            Due::Zero => self.zero(at),
            Due::Break(one) => self.pause(at, Some(one.ends()), Some(one.id)),
            Due::GoesOn => self.start(at),
        }
    }

    /// The same clock at an instant, after all that has happened by itself until then.
    #[must_use]
    pub fn seen_at(&self, now: i64, plan: &[Planned]) -> Self {
        let mut seen = self.clone();
        while let Some((at, due)) = seen.next(plan).filter(|(at, _)| *at <= now) {
            seen.happen(at, due);
        }
        seen.advance(now);
        seen
    }

    /// Sets it running, if it stands.
    pub fn start(&mut self, now: i64) {
        self.advance(now);
        match self.phase {
            Phase::Ready => (self.phase, self.began) = (Phase::Running, self.at),
            Phase::Paused { .. } => {
                self.end_pause();
                self.phase = Phase::Running;
            }
            _ => {}
        }
    }

    /// Stands it still, if it goes: until an instant, for a break.
    pub fn pause(&mut self, now: i64, until: Option<i64>, planned: Option<u32>) {
        if planned.is_some() {
            self.make_up(now);
        }
        self.advance(now);
        self.breaks_begun.extend(planned);
        if self.is_going() {
            if self.phase == Phase::Running {
                self.pauses.push((self.at, None));
            }
            self.phase = Phase::Paused { until };
        }
    }

    /// It has run down to nothing.
    pub fn zero(&mut self, now: i64) {
        self.advance(now);
        if self.is_going() {
            self.end_pause();
            self.phase = Phase::Zero { at: self.at };
        }
    }

    /// Somebody says that it is over.
    pub fn over(&mut self, now: i64) {
        self.advance(now);
        if self.phase != Phase::Ready {
            self.end_pause();
            self.phase = Phase::Over { at: self.at };
        }
    }

    /// It runs again from an instant on, though it was over.
    pub fn revive(&mut self, now: i64) {
        self.advance(now);
        self.end_pause();
        self.phase = Phase::Running;
    }
}
