//! Shoot-outs: so many each by turns, over as soon as it is decided, then pair by pair (IFAB law 10.3, IIHF rule 84.4).

use super::{Two, other};
use crate::record::refusal::Refusal;
use serde::{Deserialize, Serialize};

/// A shoot-out.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ShootOut {
    /// Who shoots first, where that is known.
    pub first: Option<usize>,
    /// Each, in its order.
    kicks: Vec<(usize, bool)>,
}

impl ShootOut {
    /// Who shoots next; none where nobody has said who begins.
    #[must_use]
    pub fn next(&self) -> Option<usize> {
        self.kicks.last().map_or(self.first, |(side, _)| Some(other(*side)))
    }

    /// How many have been taken.
    #[must_use]
    pub fn taken(&self) -> usize {
        self.kicks.len()
    }

    /// How many of a side went in.
    #[must_use]
    pub fn scored(&self) -> Two<usize> {
        [0, 1].map(|side| self.kicks.iter().filter(|(own, scored)| *own == side && *scored).count())
    }

    /// One that is taken. Gives who has won, if somebody has.
    ///
    /// # Errors
    /// It is the other side's turn.
    pub fn kick(&mut self, side: usize, scored: bool, each: usize) -> Result<Option<usize>, Refusal> {
        if self.next().is_some_and(|next| next != side) {
            return Err(Refusal::NotNow("it is the other side's turn"));
        }
        self.kicks.push((side, scored));
        let scored = self.scored();
        let taken = [0, 1].map(|side| self.kicks.iter().filter(|(own, _)| *own == side).count());
        // Before both have taken all of theirs a side has won when the other could not catch up with all that it has left;
        // after that, when both have taken as many.
        let rounds = each.max(taken[0].max(taken[1]));
        let reach = |side: usize| scored[side].saturating_add(rounds.saturating_sub(taken[side]));
        Ok([0, 1].into_iter().find(|side| scored[*side] > reach(other(*side))))
    }

    /// A side's, as `x` in and `o` missed.
    #[must_use]
    pub fn words(&self, side: usize) -> String {
        self.kicks.iter().filter(|(own, _)| *own == side).map(|(_, scored)| if *scored { 'x' } else { 'o' }).collect()
    }
}
