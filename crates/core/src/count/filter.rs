//! Which of the happenings that a measure counts really count.

use super::Term;
use crate::book::{Book, Coins, Fact, What};
use crate::record::ids::FeedId;
use crate::record::measure::Measure;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// What must be true of a happening. The empty filter lets everything through.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(default)]
pub struct Filter {
    /// Least amount, points, viewers, gifts or things of one happening, in the measure's smallest
    /// steps; 0 for any.
    #[serde(skip_serializing_if = "is_zero")]
    pub least: i64,
    /// Only these tiers (1 to 3); empty for all.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub tiers: BTreeSet<u8>,
    /// Only given subscriptions, or only those paid for by whoever has them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub given: Option<bool>,
    /// Only what came through this feed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub feed: Option<FeedId>,
    /// Names in small letters; empty for everybody.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub people: Vec<String>,
    /// Everybody but those people.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub but_people: bool,
    /// A word that must stand in the message, in any case; empty for any message.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub saying: String,
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_zero(number: &i64) -> bool {
    *number == 0
}

/// Why a happening was left out by a filter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Miss {
    /// Smaller than the least.
    TooSmall,
    /// Whether it is large enough cannot be told before it has a price.
    Unpriced,
    /// Another tier.
    OtherTier,
    /// Given, or not given.
    OtherGiving,
    /// Through another feed.
    OtherFeed,
    /// Somebody else.
    OtherPeople,
    /// The word is not in the message.
    OtherWords,
    /// An adjustment names nobody and nothing, so it counts only where nothing is filtered.
    Adjustment,
}

impl Filter {
    /// Whether it is empty. Asked of every fact of every drawing, so nothing is made for it.
    fn lets_all_through(&self) -> bool {
        self.least == 0
            && self.tiers.is_empty()
            && self.given.is_none()
            && self.feed.is_none()
            && self.people.is_empty()
            && !self.but_people
            && self.saying.is_empty()
    }

    /// Whether a fact passes that comes to `worth` of a measure; no worth means that it has no price yet.
    /// The least size narrows the main measure of a sum alone, not what is added to it.
    ///
    /// # Errors
    /// The first reason why it does not.
    pub fn check(&self, fact: &Fact, term: Term, worth: Option<i64>, book: &Book) -> Result<(), Miss> {
        if self.lets_all_through() {
            return Ok(());
        }
        if matches!(fact.what, What::Adjust { .. }) {
            let least = if term.is_main { self.least } else { 0 };
            let narrowed = Self { least, ..Self::default() } != Self { least, ..self.clone() } || least > 0;
            return if narrowed { Err(Miss::Adjustment) } else { Ok(()) };
        }
        if !self.tiers.is_empty() && !fact.tier().is_some_and(|tier| self.tiers.contains(&u8::from(tier))) {
            return Err(Miss::OtherTier);
        }
        if self.given.is_some_and(|given| given != fact.giver().is_some()) {
            return Err(Miss::OtherGiving);
        }
        if self.feed.is_some_and(|feed| feed.0 != fact.feed) {
            return Err(Miss::OtherFeed);
        }
        if !self.people.is_empty() && self.is_named(fact, book) == self.but_people {
            return Err(Miss::OtherPeople);
        }
        let says = || fact.text.as_ref().is_some_and(|text| text.to_lowercase().contains(&self.saying));
        if !self.saying.is_empty() && !says() {
            return Err(Miss::OtherWords);
        }
        match Self::size(fact, term.measure, worth) {
            _ if self.least <= 0 || !term.is_main => Ok(()),
            None => Err(Miss::Unpriced),
            Some(size) if size < self.least => Err(Miss::TooSmall),
            Some(_) => Ok(()),
        }
    }

    /// How large one happening is, whatever the measure makes of it: counting tips of at least £5.
    fn size(fact: &Fact, measure: Measure, worth: Option<i64>) -> Option<i64> {
        match measure {
            Measure::CountOfTips => fact.coins().and_then(Coins::priced),
            Measure::CountOfCheers | Measure::CountOfRaids => fact.number(),
            _ => worth,
        }
    }

    fn is_named(&self, fact: &Fact, book: &Book) -> bool {
        let is_called = |person| self.people.iter().any(|name| book.names().is_called(person, name));
        fact.person().is_some_and(is_called)
    }
}
