//! Polls that are held elsewhere: each event tells the whole standing, and the newest by time counts, in whatever
//! order they arrive.

use super::held::{Outcome, Tallied};
use crate::book::{Book, Fact, instant};
use crate::record::acts::poll::Which;
use crate::record::happening::{Kind, PollState, Standing};
use crate::record::ids::Seq;
use crate::time::calendar::Span;
use crate::time::{Instant, after};
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Where nothing tells when a poll closes, it does so this long after its last word.
const SILENCE_S: i64 = 60;
/// For each poll by what it is known by, where its newest word stands in the book, and when it is over by that, in microseconds.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Elsewhere(BTreeMap<String, (i64, u64, i64)>);

impl Elsewhere {
    /// Takes in one word about a poll.
    pub(super) fn take(&mut self, standing: &Standing, at: i64, seq: Seq) {
        let new = (at, seq.0, end(standing, instant(at)).timestamp_micros());
        let newest = self.0.entry(standing.poll.clone()).or_insert(new);
        *newest = new.max(*newest);
    }

    /// Looks all up again, after lines were corrected.
    pub(super) fn look_again(&mut self, book: &Book) {
        self.0.clear();
        for fact in book.facts(Span::ALL, Kind::Poll.bit()).filter(|fact| book.stands(fact)) {
            if let Some(standing) = Book::standing(fact) {
                self.take(&standing, fact.at, Seq(fact.seq));
            }
        }
    }

    /// How those stand of which something was heard last, the one that was opened last first.
    pub(super) fn outcomes(&self, book: &Book, most: usize) -> Vec<Outcome> {
        self.found(book, |index, _| index < most)
    }

    /// The same of those that are open at an instant, and of the newest.
    pub(super) fn open_or_newest(&self, book: &Book, most: usize, now: Instant) -> Vec<Outcome> {
        self.found(book, |index, end| index < most || end > now.timestamp_micros())
    }

    fn found(&self, book: &Book, wanted: impl Fn(usize, i64) -> bool) -> Vec<Outcome> {
        let mut places: Vec<&(i64, u64, i64)> = self.0.values().collect();
        places.sort_by_key(|place| std::cmp::Reverse(**place));
        let places = places.into_iter().enumerate().filter(|(index, (.., end))| wanted(*index, *end));
        let found = places.filter_map(|(_, (at, seq, _))| book.find(instant(*at), Seq(*seq)));
        let mut all: Vec<Outcome> = found.filter_map(|fact| Some(outcome(Book::standing(fact)?, fact))).collect();
        all.sort_by_key(|one| std::cmp::Reverse(one.opened_at));
        all
    }
}

/// When a poll is over, by what was told of it at an instant.
fn end(standing: &Standing, told: Instant) -> Instant {
    match standing.state {
        PollState::Open => standing.closes_at.unwrap_or_else(|| after(told, TimeDelta::seconds(SILENCE_S))),
        // It was over when that was told, if not before.
        PollState::Closed | PollState::Cancelled => standing.closes_at.map_or(told, |at| at.min(told)),
    }
}

fn outcome(standing: Standing, fact: &Fact) -> Outcome {
    let end = end(&standing, instant(fact.at));
    let option = |one: crate::record::happening::Choice| Tallied {
        text: one.text,
        votes: one.votes.into(),
        weighted: one.votes.into(),
        by_tips: 0,
    };
    Outcome {
        which: Which::Elsewhere(standing.poll),
        question: standing.question,
        options: standing.options.into_iter().map(option).collect(),
        opened_at: standing.opened_at,
        end: Some(end),
        cancelled: standing.state == PollState::Cancelled,
        decided: None,
        by: None,
    }
}
