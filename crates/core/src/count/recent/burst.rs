//! Entries that become one.

use super::Place;
use crate::book::names::{By, Person};
use crate::book::words::Word;
use crate::book::{Book, Coins, Fact, What, instant};
use crate::money::Money;
use crate::record::happening::{Kind, Tier};
use crate::record::ids::Seq;
use crate::time::Instant;

/// What entries must have in common to become one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Common {
    /// Gifts, and subscriptions given, of one giver, or of those who gave no name.
    Gifts(Option<Person>),
    /// One supporter's, of one kind, about one thing and of one tier; and of one currency while there
    /// is no price for it.
    Own(Person, Kind, Option<Word>, Option<Tier>, Option<u8>),
}

impl Common {
    pub(super) fn of(fact: &Fact, book: &Book) -> Option<Self> {
        let person = whose(fact).person().map(|person| book.names().person(person));
        if is_gift(fact) {
            return Some(Self::Gifts(person));
        }
        let unpriced = fact.coins().filter(|coins| coins.priced().is_none()).map(Coins::coin);
        Some(Self::Own(person?, fact.kind(), fact.word(), fact.tier(), unpriced))
    }

    pub(super) fn person(self) -> Option<Person> {
        match self {
            Self::Gifts(person) => person,
            Self::Own(person, ..) => Some(person),
        }
    }
}

fn is_gift(fact: &Fact) -> bool {
    fact.kind() == Kind::Gift || fact.giver().is_some()
}

/// Whose a fact is, as far as folding goes: a given subscription belongs to its giver.
#[must_use]
pub fn whose(fact: &Fact) -> By {
    fact.giver().unwrap_or(fact.by)
}

/// One entry, or several of a supporter that have become one. About 130 bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Burst {
    /// The line of the first of those that belong together, whether or not it lies within the period.
    pub key: u64,
    /// The first of them within the period.
    first: Place,
    /// The newest of them within the period.
    newest: Place,
    /// How many there are.
    pub times: u64,
    /// Their numbers added up: points, viewers, gifts, things; each counts one that has none.
    pub number: i64,
    /// Of gifts, the subscriptions that were given; those are counted by the gift to which they belong.
    given: i64,
    /// The sum in the currency in which all came, where that is one.
    pub same: Option<Money>,
    /// The sum in the channel's currency, where all have a price.
    pub priced: Option<i64>,
    pub(super) common: Option<Common>,
    /// Whether it is of gifts, also where it stands alone.
    is_of_gifts: bool,
}

impl Burst {
    /// Of one entry, begun by the line `key`.
    pub(super) fn of(fact: &Fact, key: u64, common: Option<Common>, book: &Book) -> Self {
        let mut burst = Self {
            key,
            first: fact.place(),
            newest: fact.place(),
            times: 0,
            number: 0,
            given: 0,
            same: book.money(fact).map(|money| Money { minor: 0, ..money }),
            priced: fact.coins().map(|_| 0),
            common,
            is_of_gifts: is_gift(fact),
        };
        burst.join(fact, book);
        burst
    }

    /// Of one entry that stands by itself.
    #[must_use]
    pub fn alone(fact: &Fact, book: &Book) -> Self {
        Self::of(fact, fact.seq, None, book)
    }

    pub(super) fn join(&mut self, fact: &Fact, book: &Book) {
        let more = book.money(fact);
        self.same = self.same.zip(more).and_then(|(sum, more)| {
            let minor = sum.minor.checked_add(more.minor).filter(|_| sum.currency == more.currency)?;
            Some(Money { minor, ..sum })
        });
        let price = fact.coins().and_then(Coins::priced);
        self.priced = self.priced.zip(price).and_then(|(sum, more)| sum.checked_add(more));
        match fact.what {
            What::Sub { giver, .. } => self.given = self.given.saturating_add(i64::from(giver.is_some())),
            _ => self.number = self.number.saturating_add(fact.number().unwrap_or(1)),
        }
        self.times = self.times.saturating_add(1);
        (self.first, self.newest) = (self.first.min(fact.place()), self.newest.max(fact.place()));
    }

    /// When the newest of them on show happened.
    #[must_use]
    pub fn at(&self) -> Instant {
        instant(self.newest.0)
    }

    /// The first of them on show.
    #[must_use]
    pub fn first<'a>(&self, book: &'a Book) -> Option<&'a Fact> {
        book.find(instant(self.first.0), Seq(self.first.1))
    }

    /// The newest of them on show.
    #[must_use]
    pub fn newest<'a>(&self, book: &'a Book) -> Option<&'a Fact> {
        book.find(instant(self.newest.0), Seq(self.newest.1))
    }

    pub(super) fn first_place(&self) -> Place {
        self.first
    }

    pub(super) fn newest_place(&self) -> Place {
        self.newest
    }

    pub(super) fn is_of_gifts(&self) -> bool {
        self.is_of_gifts
    }

    /// One subscription that was given is told by its receiver, several by their giver.
    #[must_use]
    pub fn by_giver(&self) -> bool {
        self.is_of_gifts && (self.number > 0 || self.given > 1)
    }

    /// How many were given. The subscriptions of a gift come besides it, so the two are never added up.
    #[must_use]
    pub fn gifts(&self) -> i64 {
        self.number.max(self.given)
    }
}
