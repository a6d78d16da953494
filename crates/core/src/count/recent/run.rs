//! Runs of entries without a pause, and what is folded of them.

use super::burst::{Burst, Common};
use super::{BLOCK, GIFTS, Place, Recent};
use crate::book::names::Person;
use crate::book::{Book, Fact, instant};
use crate::record::settings::Settings;
use crate::time::calendar::Span;
use std::cmp::Reverse;

/// Where runs are looked for.
pub(super) struct Runs<'a> {
    pub(super) recent: &'a Recent,
    pub(super) span: Span,
    pub(super) book: &'a Book,
    pub(super) settings: &'a Settings,
}

/// All that has so much in common and no pause, up to one of it, in order; from a boundary on if it goes on and on.
pub(super) struct Run<'a> {
    pub(super) common: Common,
    pub(super) facts: Vec<&'a Fact>,
    /// Since when there was no pause; of one that began long before, some instant a block before the boundary.
    pub(super) since: i64,
}

/// The boundary at or before an instant from which a run that goes on is folded anew, and the one before that.
pub(super) fn boundary(at: i64, length: i64) -> (i64, i64) {
    let block = length.saturating_mul(BLOCK);
    let boundary = at.div_euclid(block).saturating_mul(block);
    (boundary, boundary.saturating_sub(block))
}

impl<'a> Runs<'a> {
    /// Within how many microseconds what has so much in common becomes one.
    pub(super) fn length_of(&self, common: Common) -> i64 {
        let length = self.recent.fold.map_or(0, |seconds| i64::from(seconds).saturating_mul(1_000_000));
        match common {
            Common::Gifts(_) => length.max(GIFTS),
            Common::Own(..) => length,
        }
    }

    /// What a fact has in common with others, where they become one.
    pub(super) fn common(&self, fact: &Fact) -> Option<Common> {
        self.recent.fold?;
        Common::of(fact, self.book).filter(|common| self.length_of(*common) > 0)
    }

    fn is_of(&self, fact: &Fact, common: Common) -> bool {
        self.common(fact) == Some(common) && self.recent.is_told(fact, self.book, self.settings)
    }

    /// The run up to a fact.
    pub(super) fn up_to(&self, last: &'a Fact, common: Common) -> Run<'a> {
        let length = self.length_of(common);
        let (boundary, before) = boundary(last.at, length);
        let mut facts = vec![last];
        let mut since = last.at;
        // Nothing from further back can be without a pause and yet not lie a block before the boundary.
        for fact in self.before(last.place(), common.person(), before.saturating_sub(length)) {
            // Whatever it is, all before it lie as far back.
            if since.saturating_sub(fact.at) > length {
                break;
            }
            if !self.is_of(fact, common) {
                continue;
            }
            if fact.at <= before {
                facts.retain(|one| one.at >= boundary);
                since = before;
                break;
            }
            facts.push(fact);
            since = fact.at;
        }
        facts.reverse();
        Run { common, facts, since }
    }

    /// The last of what has so much in common from a place on without a pause, if there is anything.
    pub(super) fn end(&self, from: Place, common: Common) -> Option<&'a Fact> {
        let length = self.length_of(common);
        let (mut end, mut at) = (None, from.0);
        for fact in self.after(from, common.person()) {
            if fact.at.saturating_sub(at) > length {
                break;
            }
            if self.is_of(fact, common) {
                (end, at) = (Some(fact), fact.at);
            }
        }
        end
    }

    /// All that has so much in common, from a place on.
    pub(super) fn all_from(&self, from: Place, common: Common) -> impl Iterator<Item = &'a Fact> {
        self.after(from, common.person()).filter(move |fact| self.is_of(fact, common))
    }

    /// The newest before a place, and not before an instant, that has so much in common.
    pub(super) fn newest_before(&self, place: Place, reaches: i64, common: Common) -> Option<&'a Fact> {
        let mut before = self.before(place, common.person(), reaches).take_while(|fact| fact.at >= reaches);
        before.find(|fact| self.is_of(fact, common))
    }

    /// What a supporter did from before a place, newest first.
    fn before(&self, place: Place, of: Option<Person>, reaches: i64) -> Box<dyn Iterator<Item = &'a Fact> + 'a> {
        let book = self.book;
        let all = of.map(|person| book.names().same_as(person)).unwrap_or_default();
        if all.len() < 2 {
            return Box::new(book.lines_of(of, place));
        }
        let of = |one| book.lines_of(Some(one), place).take_while(|fact| fact.at >= reaches);
        let mut facts: Vec<&Fact> = all.into_iter().flat_map(of).collect();
        facts.sort_unstable_by_key(|fact| Reverse(fact.place()));
        facts.dedup_by_key(|fact| fact.place());
        Box::new(facts.into_iter())
    }

    /// What a supporter did from a place on, oldest first.
    fn after(&self, place: Place, of: Option<Person>) -> Box<dyn Iterator<Item = &'a Fact> + 'a> {
        let book = self.book;
        let all = of.map(|person| book.names().same_as(person)).unwrap_or_default();
        if all.len() < 2 {
            return Box::new(book.lines_from(of, place));
        }
        let mut facts: Vec<&Fact> = all.into_iter().flat_map(|one| book.lines_from(Some(one), place)).collect();
        facts.sort_unstable_by_key(|fact| fact.place());
        facts.dedup_by_key(|fact| fact.place());
        Box::new(facts.into_iter())
    }

    /// Folds a run, by the places of the first that belongs to each burst; what lies within the stretch of it.
    pub(super) fn fold(&self, run: &Run<'a>) -> Vec<(Place, Burst)> {
        let length = self.length_of(run.common);
        let mut first: Option<&Fact> = None;
        let mut folded: Vec<(Place, Burst)> = Vec::new();
        for fact in &run.facts {
            let begins = first.is_none_or(|first| fact.at.saturating_sub(first.at) > length);
            let key = if begins { *fact } else { first.unwrap_or(fact) };
            first = Some(key);
            if !self.span.contains(instant(fact.at)) {
                continue;
            }
            match folded.last_mut().filter(|(place, _)| *place == key.place()) {
                Some((_, burst)) => burst.join(fact, self.book),
                None => folded.push((key.place(), Burst::of(fact, key.seq, Some(run.common), self.book))),
            }
        }
        folded
    }

    /// The first that belongs to the burst of the last of a run.
    pub(super) fn last_key(&self, run: &Run<'a>) -> Option<Place> {
        let length = self.length_of(run.common);
        run.facts.iter().fold(None, |first: Option<Place>, fact| {
            let begins = first.is_none_or(|first| fact.at.saturating_sub(first.0) > length);
            if begins { Some(fact.place()) } else { first }
        })
    }

    /// A gift below the least for gifts shows neither by itself nor through its subscriptions.
    pub(super) fn is_small(&self, burst: &Burst) -> bool {
        burst.is_of_gifts() && burst.common.is_some() && burst.gifts() < self.recent.least_gifts()
    }
}
