//! Finding lines among all that happened.

use super::names::{Person, Spelling};
use super::{Book, Fact, Page, What};
use crate::language::text::fold;
use crate::record::ids::{FeedId, Seq};
use crate::time::calendar::Span;
use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};

/// What lines must be like. What is empty lets everything through.
#[derive(Debug, Clone, PartialEq)]
pub struct Search {
    /// Of these kinds, as bits; see [`crate::record::happening::Kind::bit`].
    pub kinds: u16,
    /// Through this feed; 0 for by hand.
    pub feed: Option<FeedId>,
    /// By somebody whose name holds this.
    pub name: String,
    /// With a message that holds this.
    pub text: String,
    /// Within this stretch of time.
    pub span: Span,
    /// Of at least this: money in the base currency's minor units, else points, viewers and the like.
    pub least: Option<i64>,
    /// Of at most this.
    pub most: Option<i64>,
    /// Only those that do not count any more, or only those that do.
    pub voided: Option<bool>,
}

impl Default for Search {
    fn default() -> Self {
        Self {
            kinds: u16::MAX,
            feed: None,
            name: String::new(),
            text: String::new(),
            span: Span::ALL,
            least: None,
            most: None,
            voided: None,
        }
    }
}

/// A search made ready.
struct Ready<'a> {
    search: &'a Search,
    /// How names must be spelled, or whose they must be; none where any will do.
    names: Option<(BTreeSet<Spelling>, BTreeSet<Person>)>,
    text: String,
}

impl<'a> Ready<'a> {
    fn new(search: &'a Search, book: &Book) -> Self {
        let name = fold(&search.name);
        let names = (!name.is_empty()).then(|| book.cover.names.holding(&name));
        Self { search, names, text: search.text.trim().to_lowercase() }
    }

    fn fits(&self, fact: &Fact, book: &Book) -> bool {
        let Self { search, names, text } = self;
        let size = || match fact.coins() {
            Some(coins) => coins.priced(),
            None => fact.number(),
        };
        let named = |(spelled, people): &(BTreeSet<Spelling>, BTreeSet<Person>)| match fact.by.named() {
            Some((person, spelling)) => {
                spelled.contains(&spelling) || people.contains(&book.cover.names.person(person))
            }
            None => {
                matches!(fact.what, What::Stat { player, .. } if fold(book.words().get(player)).contains(&fold(&search.name)))
            }
        };
        search.feed.is_none_or(|feed| feed.0 == fact.feed)
            && names.as_ref().is_none_or(named)
            && search.voided.is_none_or(|voided| voided != book.stands(fact))
            && search.least.is_none_or(|least| size().is_some_and(|size| size >= least))
            && search.most.is_none_or(|most| size().is_some_and(|size| size <= most))
            && (text.is_empty() || fact.text.as_ref().is_some_and(|own| own.to_lowercase().contains(text)))
    }
}

impl Book {
    /// The places of up to `most` lines that fit, newest line first, all before `before` if given.
    #[must_use]
    pub fn search(&self, search: &Search, before: Option<Seq>, most: usize) -> Vec<Seq> {
        let ready = Ready::new(search, self);
        let bound = before.map_or(u64::MAX, |before| before.0);
        // The smallest place on top, so that it is the one to go.
        let mut found: BinaryHeap<Reverse<u64>> = BinaryHeap::with_capacity(most.saturating_add(1));
        let (from, to) = super::bounds(search.span);
        // The pages with the newest lines first: once there are enough, the rest cannot hold newer ones.
        let mut pages: Vec<&Page> = self.pages_of(search.span).filter(|page| page.kinds & search.kinds != 0).collect();
        pages.sort_unstable_by_key(|page| Reverse(page.newest));
        for page in pages {
            let least = found.peek().filter(|_| found.len() == most).map_or(0, |least| least.0);
            if page.newest < least {
                break;
            }
            let facts = page.within(from, to).iter();
            for fact in facts.filter(|fact| fact.kind().bit() & search.kinds != 0 && fact.seq < bound) {
                let beaten = found.len() == most && found.peek().is_some_and(|least| fact.seq < least.0);
                if beaten || !ready.fits(fact, self) {
                    continue;
                }
                found.push(Reverse(fact.seq));
                if found.len() > most {
                    found.pop();
                }
            }
        }
        let mut places: Vec<u64> = found.into_iter().map(|Reverse(seq)| seq).collect();
        places.sort_unstable_by(|one, other| other.cmp(one));
        places.into_iter().map(Seq).collect()
    }

    /// All facts that fit, in order of time.
    pub fn all<'a>(&'a self, search: &'a Search) -> impl DoubleEndedIterator<Item = &'a Fact> + 'a {
        let ready = Ready::new(search, self);
        self.facts(search.span, search.kinds).filter(move |fact| ready.fits(fact, self))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::settings;
    use crate::money::{Currency, Money};
    use crate::record::happening::{Actor, Happening, Kind};
    use crate::time::Instant;
    use proptest::prelude::*;

    fn book() -> Book {
        let mut book = Book::new(&settings());
        let at = |hour| format!("2026-11-2{hour}T12:00:00Z").parse::<Instant>().unwrap();
        let tip = |name: &str, pence, message: &str| Happening::Tip {
            actor: Actor { id: None, name: name.into(), avatar: None, anonymous: false },
            amount: Money { minor: pence, currency: Currency::parse("GBP").unwrap() },
            message: Some(message.into()),
        };
        // The third came late.
        book.add(at(1), Seq(1), Some(FeedId(1)), &tip("Quietferry", 500, "for the Whistle"));
        book.add(at(3), Seq(2), Some(FeedId(2)), &tip("bram", 1_500, ""));
        book.add(at(2), Seq(3), None, &tip("quiet_one", 100, "whistle"));
        book.add(at(4), Seq(4), None, &Happening::Gauge { name: "viewers".into(), value: 700 });
        book
    }

    fn found(book: &Book, search: &Search) -> Vec<u64> {
        book.search(search, None, 10).iter().map(|seq| seq.0).collect()
    }

    #[test]
    fn every_filter_narrows_and_the_newest_line_comes_first() {
        let all = Search::default;
        let mut book = book();
        assert_eq!(found(&book, &all()), [4, 3, 2, 1]);
        assert_eq!(found(&book, &Search { kinds: Kind::Tip.bit(), ..all() }), [3, 2, 1]);
        assert_eq!(found(&book, &Search { name: "QUIET".into(), ..all() }), [3, 1]);
        assert_eq!(found(&book, &Search { text: "Whistle ".into(), ..all() }), [3, 1]);
        assert_eq!(found(&book, &Search { feed: Some(FeedId(2)), ..all() }), [2]);
        assert_eq!(found(&book, &Search { feed: Some(FeedId(0)), ..all() }), [4, 3]);
        assert_eq!(found(&book, &Search { least: Some(500), most: Some(700), ..all() }), [4, 1]);
        let from = Some("2026-11-22T00:00:00Z".parse().unwrap());
        assert_eq!(found(&book, &Search { span: Span { from, to: None }, ..all() }), [4, 3, 2]);
        book.void("2026-11-21T12:00:00Z".parse().unwrap(), Seq(1), true);
        assert_eq!(found(&book, &Search { voided: Some(true), ..all() }), [1]);
        assert_eq!(found(&book, &Search { voided: Some(false), ..all() }), [4, 3, 2]);
        assert_eq!(book.all(&all()).map(|fact| fact.seq).collect::<Vec<_>>(), [1, 3, 2, 4]);
    }

    #[test]
    fn pages_follow_one_another_without_gap() {
        let book = book();
        let first = book.search(&Search::default(), None, 2);
        assert_eq!(first, [Seq(4), Seq(3)]);
        assert_eq!(book.search(&Search::default(), first.last().copied(), 2), [Seq(2), Seq(1)]);
        assert_eq!(book.search(&Search::default(), Some(Seq(1)), 2), []);
    }

    proptest! {
        #[test]
        fn the_newest_are_found_wherever_they_stand(
            list in prop::collection::vec((0_i64..40, 1_i64..200), 0..80), most in 1_usize..12, before in 0_u64..90,
        ) {
            let mut book = Book::new(&settings());
            let first: Instant = "2026-11-01T12:00:00Z".parse().unwrap();
            for (seq, (day, value)) in (1..).zip(&list) {
                let at = first + chrono::TimeDelta::days(*day);
                book.add(at, Seq(seq), None, &Happening::Gauge { name: "viewers".into(), value: *value });
            }
            let search = Search { least: Some(100), ..Search::default() };
            let found = book.search(&search, Some(Seq(before)), most);
            let mut all: Vec<u64> = book.all(&search).map(|fact| fact.seq).filter(|seq| *seq < before).collect();
            all.sort_unstable_by(|one, other| other.cmp(one));
            all.truncate(most);
            prop_assert_eq!(found.into_iter().map(|seq| seq.0).collect::<Vec<_>>(), all);
        }
    }
}
