//! The acts done on one widget, any of which can be taken back, in any order.

use crate::Instant;
use crate::ids::Seq;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// One line of an [`ActLog`].
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Line<A> {
    /// Place in the ledger.
    pub seq: Seq,
    /// When it was done.
    pub at: Instant,
    /// Who did it.
    pub by: String,
    /// What it is.
    pub deed: Deed<A>,
}

/// An act, or the taking back of an earlier line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Deed<A> {
    /// Something was done.
    Did(A),
    /// The line at that place no longer counts.
    TookBack(Seq),
}

/// All lines in ledger order.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ActLog<A> {
    lines: Vec<Line<A>>,
}

impl<A> Default for ActLog<A> {
    fn default() -> Self {
        Self { lines: Vec::new() }
    }
}

impl<A> ActLog<A> {
    /// Adds the newest line.
    pub fn push(&mut self, line: Line<A>) {
        self.lines.push(line);
    }

    /// The places of the lines that are not in force. A later line decides over an earlier one,
    /// so one walk from the end settles chains of any length.
    fn taken_back(&self) -> BTreeSet<Seq> {
        let mut gone = BTreeSet::new();
        for line in self.lines.iter().rev() {
            if let Deed::TookBack(target) = line.deed
                && target < line.seq
                && !gone.contains(&line.seq)
            {
                gone.insert(target);
            }
        }
        gone
    }

    /// The acts in force, oldest first.
    pub fn in_force(&self) -> impl Iterator<Item = (&Line<A>, &A)> {
        let gone = self.taken_back();
        self.lines.iter().filter_map(move |line| match &line.deed {
            Deed::Did(act) if !gone.contains(&line.seq) => Some((line, act)),
            _ => None,
        })
    }

    /// The newest act in force: what Undo takes back when no line is named.
    #[must_use]
    pub fn newest(&self) -> Option<Seq> {
        let gone = self.taken_back();
        self.lines
            .iter()
            .rev()
            .find(|line| matches!(line.deed, Deed::Did(_)) && !gone.contains(&line.seq))
            .map(|line| line.seq)
    }

    /// Whether a line stands in the log and is in force.
    #[must_use]
    pub fn is_in_force(&self, seq: Seq) -> bool {
        self.lines.iter().any(|line| line.seq == seq) && !self.taken_back().contains(&seq)
    }

    /// The last `most` acts with whether they are in force, newest first.
    pub fn latest(&self, most: usize) -> Vec<(&Line<A>, &A, bool)> {
        let gone = self.taken_back();
        self.lines
            .iter()
            .rev()
            .filter_map(|line| match &line.deed {
                Deed::Did(act) => Some((line, act, !gone.contains(&line.seq))),
                Deed::TookBack(_) => None,
            })
            .take(most)
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn log(deeds: Vec<Deed<char>>) -> ActLog<char> {
        let mut log = ActLog::default();
        for (index, deed) in deeds.into_iter().enumerate() {
            let seq = Seq(index as u64 + 1);
            log.push(Line { seq, at: Instant::UNIX_EPOCH, by: "odile".into(), deed });
        }
        log
    }

    fn in_force(log: &ActLog<char>) -> String {
        log.in_force().map(|(_, act)| *act).collect()
    }

    #[test]
    fn any_line_can_be_taken_back_and_put_in_force_again() {
        use Deed::{Did, TookBack};
        let back = |seq| TookBack(Seq(seq));
        let cases = [
            (vec![Did('a'), Did('b')], "ab", Some(2)),
            (vec![Did('a'), Did('b'), back(1)], "b", Some(2)),
            (vec![Did('a'), Did('b'), back(2)], "a", Some(1)),
            (vec![Did('a'), back(1), back(2)], "a", Some(1)),
            (vec![Did('a'), back(1), back(2), back(3)], "", None),
            (vec![Did('a'), back(1), back(1), back(2)], "", None),
            (vec![back(5), Did('a'), Did('b')], "ab", Some(3)),
            (vec![], "", None),
        ];
        for (deeds, expected, newest) in cases {
            let log = log(deeds.clone());
            assert_eq!(in_force(&log), expected, "{deeds:?}");
            assert_eq!(log.newest(), newest.map(Seq), "{deeds:?}");
        }
    }
}
