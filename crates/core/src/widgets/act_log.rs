//! The acts done on one widget, any of which can be taken back, in any order.

use crate::count::explain::{Effect, MOST_LINES, SlipLine};
use crate::record::acts::Act;
use crate::record::entry::{Body, Entry};
use crate::record::ids::Seq;
use crate::time::Instant;
use crate::time::calendar::Calendar;
use crate::time::words::instant_words;
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
    pub change: Change<A>,
}

/// An act, or the taking back of an earlier line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Change<A> {
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

impl<A: Clone> ActLog<A> {
    /// Notes an entry that operates the widget: an act of its family, which `of_family` picks out,
    /// or the taking back of one. Gives what was noted; none for any other entry.
    pub fn note(&mut self, entry: &Entry, of_family: impl Fn(&Act) -> Option<A>) -> Option<Change<A>> {
        let (by, change) = match &entry.body {
            Body::Act { by, act, .. } => (by, Change::Did(of_family(act)?)),
            Body::Void { by, target, .. } => (by, Change::TookBack(*target)),
            _ => return None,
        };
        self.push(Line { seq: entry.seq, at: entry.happened_at, by: by.clone(), change: change.clone() });
        Some(change)
    }
}

impl<A> ActLog<A> {
    /// Adds the newest line.
    fn push(&mut self, line: Line<A>) {
        self.lines.push(line);
    }

    /// The places of the lines that are not in force. A later line decides over an earlier one,
    /// so one walk from the end settles chains of any length.
    fn taken_back(&self) -> BTreeSet<Seq> {
        let mut gone = BTreeSet::new();
        for line in self.lines.iter().rev() {
            if let Change::TookBack(target) = line.change
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
        self.lines.iter().filter_map(move |line| match &line.change {
            Change::Did(act) if !gone.contains(&line.seq) => Some((line, act)),
            _ => None,
        })
    }

    /// Whether nothing was ever done.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.lines.is_empty()
    }

    /// What Undo takes back: the newest act in force, or the line asked for if it is in force.
    #[must_use]
    pub fn undoable(&self, asked: Option<Seq>) -> Option<Seq> {
        self.undoable_of(asked, |_| true)
    }

    /// The same among those acts that somebody may take back.
    #[must_use]
    pub fn undoable_of(&self, asked: Option<Seq>, may: impl Fn(&A) -> bool) -> Option<Seq> {
        match asked {
            Some(seq) => Some(seq).filter(|seq| self.is_in_force(*seq)),
            None => self.newest_of(may),
        }
    }

    /// What Redo puts into force again: the newest line that takes an act back, is in force, and since which nothing
    /// new was done.
    #[must_use]
    pub fn redoable(&self) -> Option<Seq> {
        let gone = self.taken_back();
        let since = self.lines.iter().rev().take_while(|line| matches!(line.change, Change::TookBack(_)));
        let of_an_act = |target: Seq| self.by_and_act(target).is_some();
        let is_one = |line: &&Line<A>| matches!(line.change, Change::TookBack(target) if of_an_act(target));
        since.filter(is_one).find(|line| !gone.contains(&line.seq)).map(|line| line.seq)
    }

    /// The line that a taking back is about.
    #[must_use]
    pub fn taken_back_by(&self, seq: Seq) -> Option<Seq> {
        let place = self.lines.binary_search_by_key(&seq, |line| line.seq).ok()?;
        match self.lines.get(place)?.change {
            Change::TookBack(target) => Some(target),
            Change::Did(_) => None,
        }
    }

    /// The newest acts in force, newest first.
    pub fn newest_lines(&self, many: usize) -> impl Iterator<Item = (&Line<A>, &A)> {
        let gone = self.taken_back();
        let acts = self.lines.iter().rev().filter_map(move |line| match &line.change {
            Change::Did(act) if !gone.contains(&line.seq) => Some((line, act)),
            _ => None,
        });
        acts.take(many)
    }

    /// The newest act in force.
    #[must_use]
    pub fn newest(&self) -> Option<Seq> {
        self.newest_of(|_| true)
    }

    /// The newest in force of some acts.
    #[must_use]
    pub fn newest_of(&self, may: impl Fn(&A) -> bool) -> Option<Seq> {
        let gone = self.taken_back();
        let is_one = |line: &&Line<A>| match &line.change {
            Change::Did(act) => may(act) && !gone.contains(&line.seq),
            Change::TookBack(_) => false,
        };
        self.lines.iter().rev().find(is_one).map(|line| line.seq)
    }

    /// The act of a line, and who did it.
    #[must_use]
    pub fn by_and_act(&self, seq: Seq) -> Option<(&str, &A)> {
        let place = self.lines.binary_search_by_key(&seq, |line| line.seq).ok()?;
        match self.lines.get(place)? {
            Line { by, change: Change::Did(act), .. } => Some((by, act)),
            _ => None,
        }
    }

    fn is_in_force(&self, seq: Seq) -> bool {
        self.lines.iter().any(|line| line.seq == seq) && !self.taken_back().contains(&seq)
    }

    /// The newest acts as lines of a slip, newest first.
    pub fn slip_lines(&self, calendar: &Calendar, words: impl Fn(&A) -> String) -> Vec<SlipLine> {
        let gone = self.taken_back();
        let slip = |line: &Line<A>| {
            let Change::Did(act) = &line.change else { return None };
            let counts = !gone.contains(&line.seq);
            Some(SlipLine {
                seq: line.seq,
                when: instant_words(calendar, line.at),
                words: format!("{} {}", line.by, words(act)),
                effect: if counts { Effect::Counts(String::new()) } else { Effect::LeftOut("taken back".into()) },
            })
        };
        self.lines.iter().rev().filter_map(slip).take(MOST_LINES).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn log(changes: Vec<Change<char>>) -> ActLog<char> {
        let mut log = ActLog::default();
        for (index, change) in changes.into_iter().enumerate() {
            let seq = Seq(index as u64 + 1);
            log.push(Line { seq, at: Instant::UNIX_EPOCH, by: "odile".into(), change });
        }
        log
    }

    fn in_force(log: &ActLog<char>) -> String {
        log.in_force().map(|(_, act)| *act).collect()
    }

    #[test]
    fn any_line_can_be_taken_back_and_put_in_force_again() {
        use Change::{Did, TookBack};
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
        for (changes, expected, newest) in cases {
            let log = log(changes.clone());
            assert_eq!(in_force(&log), expected, "{changes:?}");
            assert_eq!(log.newest(), newest.map(Seq), "{changes:?}");
        }
    }
}
