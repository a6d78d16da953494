//! A poll that is held here, and what became of it.

use super::shares::percentages;
use crate::book::{Book, Coins, Fact, What};
use crate::language::unit::Unit;
use crate::record::acts::poll::{Ballot, Vote, Voter, Which};
use crate::record::ids::Seq;
use crate::record::settings::Settings;
use crate::time::{Instant, after};
use chrono::{DateTime, TimeDelta};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// A vote that was sent before a poll closed counts though it arrives so much later, in milliseconds.
pub const LATE_MS: i64 = 2_000;

/// The vote of one viewer that counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Cast {
    option: u8,
    at: i64,
    subscriber: bool,
}

/// A tip that votes with its message.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct TipVote {
    pub seq: Seq,
    pub at: Instant,
    pub option: u8,
}

/// How many votes an option has from chat.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct Counted {
    votes: u64,
    subscribers: u64,
}

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Held {
    /// The line that opened it.
    pub seq: Seq,
    /// Who did.
    pub by: String,
    /// What it asks, and how votes count.
    pub ballot: Ballot,
    /// When it was opened.
    pub opened_at: Instant,
    /// When it closes by itself.
    pub closes_at: Option<Instant>,
    /// When somebody closed it, and who.
    pub closed: Option<(Instant, String)>,
    /// It was called off.
    pub cancelled: bool,
    casts: BTreeMap<Voter, Cast>,
    counted: Vec<Counted>,
    pub(super) tips: Vec<TipVote>,
}

/// The instant of milliseconds of Unix time.
fn instant(ms: i64) -> Instant {
    DateTime::from_timestamp_millis(ms).unwrap_or_default()
}

impl Held {
    pub(super) fn opened(seq: Seq, by: &str, ballot: Ballot, at: Instant) -> Self {
        Self {
            seq,
            by: by.to_owned(),
            opened_at: at,
            closes_at: ballot.seconds.map(|seconds| after(at, TimeDelta::seconds(seconds))),
            closed: None,
            cancelled: false,
            casts: BTreeMap::new(),
            counted: vec![Counted::default(); ballot.options.len()],
            tips: Vec::new(),
            ballot,
        }
    }

    /// When it was, or will be, closed as far as that is known.
    #[must_use]
    pub fn end(&self) -> Option<Instant> {
        self.closed.as_ref().map(|(at, _)| *at).into_iter().chain(self.closes_at).min()
    }

    /// Whether it is open at an instant.
    #[must_use]
    pub fn is_open(&self, now: Instant) -> bool {
        !self.cancelled && self.end().is_none_or(|end| now < end)
    }

    /// Whether what was sent at an instant counts, as far as its closing goes.
    pub(super) fn in_time(&self, sent: Instant, arrived: Instant) -> bool {
        let late = TimeDelta::milliseconds(LATE_MS);
        let before_end = |end: Instant| sent <= end && arrived <= after(end, late);
        !self.cancelled && sent >= self.opened_at && self.end().is_none_or(before_end)
    }

    /// Whether votes may still come at an instant.
    pub(super) fn awaits(&self, now: Instant) -> bool {
        let late = TimeDelta::milliseconds(LATE_MS);
        !self.cancelled && self.end().is_none_or(|end| now <= after(end, late))
    }

    /// Takes votes in. In whatever order and batches they come, the same ones count in the end.
    pub(super) fn take(&mut self, votes: &[Vote]) {
        let end = self.end();
        for vote in votes {
            let sent = instant(vote.at);
            // To the millisecond, since votes tell no more.
            let opened = vote.at >= self.opened_at.timestamp_millis();
            if !opened || self.cancelled || end.is_some_and(|end| sent > end) {
                continue;
            }
            let new = Cast { option: vote.option, at: vote.at, subscriber: vote.subscriber };
            match self.casts.get(&vote.voter).copied() {
                None => {
                    self.count(new, true);
                    self.casts.insert(vote.voter, new);
                }
                Some(old) => {
                    let key = |cast: Cast| (cast.at, cast.option, cast.subscriber);
                    let later = key(new) > key(old);
                    if later == self.ballot.last_counts && key(new) != key(old) {
                        self.count(old, false);
                        self.count(new, true);
                        self.casts.insert(vote.voter, new);
                    }
                }
            }
        }
    }

    fn count(&mut self, cast: Cast, more: bool) {
        let Some(counted) = self.counted.get_mut(usize::from(cast.option)) else { return };
        let change = |number: u64| if more { number.saturating_add(1) } else { number.saturating_sub(1) };
        counted.votes = change(counted.votes);
        if cast.subscriber {
            counted.subscribers = change(counted.subscribers);
        }
    }

    /// What only late votes would need is forgotten; what was counted stays.
    pub(super) fn forget_voters(&mut self) {
        self.casts.clear();
    }

    /// How it stands.
    pub(super) fn outcome(&self, book: &Book, settings: &Settings) -> Outcome {
        let weight = u64::from(self.ballot.subscriber_weight).saturating_sub(1);
        let mut options: Vec<Tallied> = self
            .ballot
            .options
            .iter()
            .zip(&self.counted)
            .map(|(text, counted)| Tallied {
                text: text.clone(),
                votes: counted.votes,
                weighted: counted.votes.saturating_add(counted.subscribers.saturating_mul(weight)),
                by_tips: 0,
            })
            .collect();
        for tip in &self.tips {
            let fact = book.find(tip.at, tip.seq).filter(|fact| book.stands(fact));
            let votes = fact.map_or(0, |fact| tip_votes(fact, self.ballot.votes_per_unit, settings));
            if let Some(option) = options.get_mut(usize::from(tip.option)) {
                option.by_tips = option.by_tips.saturating_add(votes);
                option.weighted = option.weighted.saturating_add(votes);
            }
        }
        Outcome {
            which: Which::Here(self.seq),
            question: self.ballot.question.clone(),
            options,
            opened_at: self.opened_at,
            end: self.end(),
            cancelled: self.cancelled,
            decided: None,
            by: Some(self.by.clone()),
        }
    }
}

/// How many votes a tip casts: as many as its whole units, times the votes of each.
fn tip_votes(fact: &Fact, per_unit: u32, settings: &Settings) -> u64 {
    let What::Tip { money } = fact.what else { return 0 };
    let minor = u64::try_from(Coins::priced(money).unwrap_or(0)).unwrap_or(0);
    let whole = u64::try_from(Unit::Money(settings.currency).whole()).unwrap_or(1);
    minor.checked_div(whole).unwrap_or(0).saturating_mul(u64::from(per_unit))
}

/// One option with its votes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Tallied {
    /// Its words.
    pub text: String,
    /// Viewers, or votes as the other place tells them.
    pub votes: u64,
    /// With weights and tips: by this it is decided.
    pub weighted: u64,
    /// How many of those were cast by tips.
    pub by_tips: u64,
}

/// How a poll stands, wherever it is held.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Outcome {
    /// Which it is.
    pub which: Which,
    /// What is asked; possibly empty.
    pub question: String,
    /// What can be chosen.
    pub options: Vec<Tallied>,
    /// When it was opened.
    pub opened_at: Instant,
    /// When it was, or will be, closed as far as that is known.
    pub end: Option<Instant>,
    /// It was called off.
    pub cancelled: bool,
    /// For which option a tie was decided, and whether by a wheel.
    pub decided: Option<(u8, bool)>,
    /// Who opened it, if it is held here.
    pub by: Option<String>,
}

impl Outcome {
    /// Whether it is open at an instant.
    #[must_use]
    pub fn is_open(&self, now: Instant) -> bool {
        !self.cancelled && self.end.is_none_or(|end| now < end)
    }

    /// When it was closed or called off, if it has been.
    #[must_use]
    pub fn over_at(&self, now: Instant) -> Option<Instant> {
        self.end.filter(|end| *end <= now)
    }

    /// The options that have most votes, counted from 0; none without any vote.
    #[must_use]
    pub fn leading(&self) -> Vec<usize> {
        let most = self.options.iter().map(|one| one.weighted).max().unwrap_or(0);
        let leads = |(index, one): (usize, &Tallied)| (one.weighted == most && most > 0).then_some(index);
        self.options.iter().enumerate().filter_map(leads).collect()
    }

    /// Whether several have most votes and nobody has decided between them.
    #[must_use]
    pub fn is_tied(&self) -> bool {
        self.leading().len() > 1 && self.decided().is_none()
    }

    /// For which of those that have most votes a tie was decided.
    fn decided(&self) -> Option<usize> {
        let decided = self.decided.map(|(option, _)| usize::from(option))?;
        self.leading().contains(&decided).then_some(decided)
    }

    /// The option that has won, counted from 0; none while nothing is decided.
    #[must_use]
    pub fn winner(&self) -> Option<usize> {
        match self.leading()[..] {
            [one] => Some(one),
            _ => self.decided(),
        }
    }

    /// The share of each option in whole percent, see [`percentages`].
    #[must_use]
    pub fn percentages(&self) -> Vec<u8> {
        percentages(&self.options.iter().map(|one| one.weighted).collect::<Vec<_>>())
    }

    /// All votes, with weights and tips.
    #[must_use]
    pub fn total(&self) -> u64 {
        self.options.iter().fold(0, |sum: u64, one| sum.saturating_add(one.weighted))
    }
}
