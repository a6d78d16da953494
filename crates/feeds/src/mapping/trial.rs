//! Rules tried on what has been kept, before anything counts.

use super::{Outcome, Rules, fields};
use serde_json::Value;
use tally_core::record::happening::Kind;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;

/// A message that was kept.
#[derive(Debug, Clone, PartialEq)]
pub struct Kept {
    /// Its number.
    pub id: u64,
    /// When it came in.
    pub arrived: Instant,
    /// What it says.
    pub document: Value,
}

/// What rules make of everything that was kept.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Trial {
    /// What becomes of each message, in the order given.
    pub outcomes: Vec<Outcome>,
}

impl Trial {
    /// Tries rules on messages.
    #[must_use]
    pub fn of(rules: &Rules, kept: &[Kept], calendar: &Calendar) -> Self {
        Self { outcomes: kept.iter().map(|one| rules.follow(&one.document, one.arrived, calendar)).collect() }
    }

    /// How many events there would be.
    #[must_use]
    pub fn events(&self) -> usize {
        self.outcomes.iter().map(|outcome| outcome.events.len()).sum()
    }

    /// How many parts no rule fits.
    #[must_use]
    pub fn unmatched(&self) -> usize {
        self.outcomes.iter().map(|outcome| outcome.unmatched).sum()
    }

    /// In words: `14 would be tips, 3 would be follows; 2 match no rule; 1 is refused.`
    #[must_use]
    pub fn words(&self) -> String {
        if self.outcomes.is_empty() {
            return "Nothing has come in yet on which the rules could be tried.".into();
        }
        let kinds = Kind::SENT.iter().filter_map(|kind| {
            let events = self.outcomes.iter().flat_map(|outcome| &outcome.events);
            match events.filter(|(_, event)| event.happening.kind() == *kind).count() {
                0 => None,
                1 => Some(format!("1 would be {}", fields::a_kind(*kind))),
                some => Some(format!("{some} would be {}", kind.plural())),
            }
        });
        let kinds: Vec<String> = kinds.collect();
        let mut parts = if kinds.is_empty() { Vec::new() } else { vec![kinds.join(", ")] };
        match self.unmatched() {
            0 => {}
            1 => parts.push("1 matches no rule".into()),
            some => parts.push(format!("{some} match no rule")),
        }
        let refused: Vec<&str> =
            self.outcomes.iter().flat_map(|outcome| &outcome.refused).map(|one| one.why.as_str()).collect();
        match refused.as_slice() {
            [] => {}
            [why] => parts.push(format!("1 is refused: {why}").trim_end_matches('.').to_owned()),
            [why, ..] => {
                parts.push(format!("{} are refused, such as: {why}", refused.len()).trim_end_matches('.').to_owned());
            }
        }
        format!("{}.", parts.join("; "))
    }
}
