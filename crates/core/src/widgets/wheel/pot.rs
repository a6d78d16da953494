//! Who is in the pot: viewers who said a word, tipped or subscribed while it was open, each with their tickets.

use crate::book::names::Person;
use crate::book::{Coins, Fact, What, instant};
use crate::count::Scope;
use crate::language::text::plain;
use crate::language::unit::Unit;
use crate::record::acts::wheel::Slice;
use crate::record::happening::Kind;
use crate::record::ids::Seq;
use crate::time::Instant;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// How many letters of a name stand in the list of a spin.
const MOST_NAME: usize = 80;

/// How viewers come into the pot.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Entry {
    /// The word in chat; empty for none.
    pub word: String,
    /// How many tickets saying it gives at most: each time one.
    pub each: u32,
    /// How many tickets a tip gives for each whole unit of the channel's currency.
    pub by_tip: u32,
    /// How many tickets a subscription gives; one that was given counts for who gave it.
    pub by_sub: u32,
}

/// See the module.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pot {
    /// Since when viewers enter.
    pub open_since: Option<Instant>,
    /// What was noted while it was open: when it happened, in microseconds, and its line.
    noted: Vec<(i64, u64)>,
}

impl Pot {
    /// Notes something that has happened, if viewers enter just now.
    pub(super) fn note(&mut self, kind: Kind, at: Instant, seq: Seq) -> bool {
        let enters = matches!(kind, Kind::Command | Kind::Tip | Kind::Sub);
        let noted = enters && self.open_since.is_some_and(|since| at >= since);
        if noted {
            self.noted.push((at.timestamp_micros(), seq.0));
        }
        noted
    }

    pub(super) fn empty(&mut self) {
        self.noted.clear();
    }

    /// Everybody who is in it, in the order in which they came.
    pub(super) fn entrants(&self, entry: &Entry, scope: &Scope<'_>) -> Vec<Slice> {
        let mut places: BTreeMap<Person, usize> = BTreeMap::new();
        // Tickets by the word, and all others.
        let mut tickets: Vec<(Person, u32, u32)> = Vec::new();
        for (at, seq) in &self.noted {
            let Some(fact) = scope.book.find(instant(*at), Seq(*seq)) else { continue };
            let Some(who) = who(fact).map(|who| scope.book.names().person(who)) else { continue };
            let (by_word, others) = worth(fact, entry, scope);
            if !scope.book.stands(fact) || (by_word == 0 && others == 0) {
                continue;
            }
            let place = *places.entry(who).or_insert_with(|| {
                tickets.push((who, 0, 0));
                tickets.len().saturating_sub(1)
            });
            if let Some((_, word, other)) = tickets.get_mut(place) {
                *word = word.saturating_add(by_word).min(entry.each);
                *other = other.saturating_add(others);
            }
        }
        // Two viewers may be called the same; a slice is known by its words, so they are told apart.
        let mut called: BTreeMap<String, u32> = BTreeMap::new();
        let slice = |(who, word, other): (Person, u32, u32)| {
            let name: String = scope.name(who).chars().take(MOST_NAME).collect();
            let times = called.entry(name.clone()).or_default();
            *times = times.saturating_add(1);
            let text = if *times == 1 { name } else { format!("{name} ({times})") };
            Slice { text, weight: word.saturating_add(other) }
        };
        tickets.into_iter().map(slice).filter(|slice| slice.weight > 0).collect()
    }
}

/// Whose tickets they are: of a subscription that was given, those of who gave it.
fn who(fact: &Fact) -> Option<Person> {
    fact.giver().and_then(crate::book::names::By::person).or_else(|| fact.person())
}

fn worth(fact: &Fact, entry: &Entry, scope: &Scope<'_>) -> (u32, u32) {
    match fact.what {
        What::Command { word } if plain(scope.book.words().get(word)) == plain(&entry.word) => (1, 0),
        What::Tip { money } => {
            let whole = Unit::Money(scope.settings.currency).whole();
            let units = Coins::priced(money).unwrap_or(0).checked_div(whole).unwrap_or(0);
            (0, u32::try_from(units).unwrap_or(0).saturating_mul(entry.by_tip))
        }
        What::Sub { .. } => (0, entry.by_sub),
        _ => (0, 0),
    }
}
