//! The book: everything that ever happened on a channel, in order of time, at hand for counting.
//!
//! Every number is a sum over the book. So a late arrival, a correction, a rate that comes a week
//! late, a trimmed show or a new widget need no rules of their own: what is counted is counted anew.
//! Facts stand on pages, one for each UTC day, so that a late one moves few others.

pub mod chat;
mod fact;
mod heard;
pub mod names;
mod people;
pub mod portraits;
pub mod search;
pub mod shows;
mod told;
pub mod words;

pub use fact::{Adjusted, Coins, Fact, What};

use crate::money::Currency;
use crate::money::rates::{Rates, Table};
use crate::record::acts::ShowAct;
use crate::record::happening::{Happening, Kind};
use crate::record::ids::{FeedId, Seq};
use crate::record::settings::Settings;
use crate::time::Instant;
use crate::time::calendar::{Calendar, Span};
use chrono::{DateTime, NaiveDate, Utc};
use heard::Heard;
use names::{Moved, Names};
use people::Lines;
use serde::{Deserialize, Serialize};
use shows::Shows;
use std::cell::Cell;
use std::collections::{BTreeMap, BTreeSet};
use words::Words;

const DAY_US: i64 = 86_400_000_000;

thread_local! {
    static LOOKED_AT: Cell<u64> = const { Cell::new(0) };
}

/// How many facts this thread has gone through so far, in all books: what tests hold the cost of a drawing by.
#[must_use]
pub fn looked_at() -> u64 {
    LOOKED_AT.get()
}

fn look_at(_: &&Fact) {
    LOOKED_AT.set(LOOKED_AT.get().wrapping_add(1));
}

/// A day's facts are kept in parts of so many, so that one more does not mean writing all anew, and that
/// the longest messages fit into a packet of the database (16 MiB).
pub const PART: usize = 1_000;

/// See the module. Two books are equal when the same stands in them; hints for looking things up and what
/// is to be kept play no part.
#[derive(Debug, Clone)]
pub struct Book {
    currency: Currency,
    calendar: Calendar,
    pages: BTreeMap<i64, Page>,
    lines: Lines,
    /// Pages that differ from what was last kept, and from which fact on.
    dirty: BTreeMap<i64, usize>,
    /// Readings of levels that are not recorded.
    heard: Heard,
    cover: Cover,
}

/// The facts of one UTC day, by time and then by line.
#[derive(Debug, Clone, Default)]
struct Page {
    facts: Vec<Fact>,
    /// A bit for each kind that stands here; it may say too much after a correction, never too little.
    kinds: u16,
    /// The newest line that stands here, so that a search for the newest can pass over the rest.
    newest: u64,
}

impl Page {
    fn of(mut facts: Vec<Fact>) -> Self {
        facts.shrink_to_fit();
        let kinds = facts.iter().fold(0, |kinds, fact| kinds | fact.kind().bit());
        let newest = facts.iter().map(|fact| fact.seq).max().unwrap_or(0);
        Self { facts, kinds, newest }
    }

    /// The facts within a stretch of microseconds.
    fn within(&self, from: i64, to: i64) -> &[Fact] {
        let begin = self.facts.partition_point(|fact| fact.at < from);
        let end = self.facts.partition_point(|fact| fact.at < to);
        &self.facts[begin..end.max(begin)]
    }
}

/// What is kept of a book besides its pages.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Cover {
    names: Names,
    words: Words,
    coins: Vec<Currency>,
    rates: Rates,
    shows: Shows,
    withdrawn: BTreeSet<FeedId>,
}

impl PartialEq for Book {
    fn eq(&self, other: &Self) -> bool {
        let facts = |book: &'_ Self| book.pages.values().flat_map(|page| page.facts.clone()).collect::<Vec<_>>();
        self.cover == other.cover && facts(self) == facts(other)
    }
}

/// What became of the book by a line, as far as counting goes.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Change {
    /// A fact more.
    pub added: Option<Fact>,
    /// Facts of these kinds count differently now, as bits.
    pub kinds: u16,
    /// Where that is one fact alone: as it was, and as it is now, at the same place.
    pub corrected: Option<Box<(Fact, Fact)>>,
    /// Shows begin or end at other times.
    pub shows: bool,
    /// What has changed about people.
    pub people: Moved,
}

impl Change {
    fn of_kinds(kinds: impl IntoIterator<Item = Kind>) -> Self {
        Self { kinds: kinds.into_iter().fold(0, |bits, kind| bits | kind.bit()), ..Self::default() }
    }

    /// One fact counts differently now.
    fn of(old: Fact, new: Fact) -> Self {
        let kinds = old.kind().bit() | new.kind().bit();
        Self { kinds, corrected: Some(Box::new((old, new))), ..Self::default() }
    }

    /// Somebody else may be behind any line.
    fn of_everybody() -> Self {
        Self { people: Moved { renamed: true, regrouped: true }, ..Self::default() }
    }
}

/// Microseconds of Unix time.
pub(crate) fn us(at: Instant) -> i64 {
    at.timestamp_micros()
}

/// A stretch in microseconds of Unix time.
fn bounds(span: Span) -> (i64, i64) {
    let from = span.from.map_or(i64::MIN, us);
    (from, span.to.map_or(i64::MAX, us).max(from))
}

/// The instant of microseconds of Unix time.
#[must_use]
pub fn instant(us: i64) -> Instant {
    DateTime::<Utc>::from_timestamp_micros(us).unwrap_or_default()
}

impl Book {
    /// A book in which nothing stands yet.
    #[must_use]
    pub fn new(settings: &Settings) -> Self {
        Self {
            currency: settings.currency,
            calendar: settings.calendar,
            pages: BTreeMap::new(),
            lines: Lines::default(),
            dirty: BTreeMap::new(),
            heard: Heard::new(),
            cover: Cover::default(),
        }
    }

    /// A book with the same shows and rates in which nothing stands.
    #[must_use]
    pub fn blank(&self, settings: &Settings) -> Self {
        let cover = Cover { shows: self.cover.shows.clone(), rates: self.cover.rates.clone(), ..Cover::default() };
        Self { cover, ..Self::new(settings) }
    }

    /// A book with the same rates in which nothing has happened, and no show was.
    #[must_use]
    pub fn unbegun(&self, settings: &Settings) -> Self {
        let cover = Cover { rates: self.cover.rates.clone(), ..Cover::default() };
        Self { cover, ..Self::new(settings) }
    }

    /// What is to be kept besides the pages.
    #[must_use]
    pub fn cover(&self) -> &Cover {
        &self.cover
    }

    /// A book from what was kept, under the settings with which it was kept.
    #[must_use]
    pub fn of(settings: &Settings, cover: Cover, pages: impl IntoIterator<Item = (i64, Vec<Fact>)>) -> Self {
        let pages = pages.into_iter().map(|(day, facts)| (day, Page::of(facts)));
        let mut book = Self { pages: pages.collect(), cover, ..Self::new(settings) };
        book.note_everybody();
        book
    }

    /// The pages that differ from what was last kept, by day, each with all its facts and the
    /// first that has changed.
    pub fn dirty(&self) -> impl Iterator<Item = (i64, &[Fact], usize)> {
        self.dirty.iter().filter_map(|(day, first)| Some((*day, self.pages.get(day)?.facts.as_slice(), *first)))
    }

    /// All pages are kept now.
    pub fn kept(&mut self) {
        self.dirty.clear();
    }

    fn changed(&mut self, day: i64, place: usize) {
        let first = self.dirty.entry(day).or_insert(place);
        *first = place.min(*first);
    }

    /// All who ever did something.
    #[must_use]
    pub fn names(&self) -> &Names {
        &self.cover.names
    }

    /// All names of rewards, things, levels, statistics and signals.
    #[must_use]
    pub fn words(&self) -> &Words {
        &self.cover.words
    }

    /// All shows.
    #[must_use]
    pub fn shows(&self) -> &Shows {
        &self.cover.shows
    }

    /// All rates.
    #[must_use]
    pub fn rates(&self) -> &Rates {
        &self.cover.rates
    }

    /// Whether everything that came through a feed is withdrawn.
    #[must_use]
    pub fn is_withdrawn(&self, feed: FeedId) -> bool {
        self.cover.withdrawn.contains(&feed)
    }

    /// How many facts stand in it.
    #[must_use]
    pub fn len(&self) -> usize {
        self.pages.values().map(|page| page.facts.len()).sum()
    }

    /// Whether nothing stands in it.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.pages.values().all(|page| page.facts.is_empty())
    }

    // ---- looking ----

    /// The facts of these kinds within a stretch of time, in order. Voided ones stand among them.
    pub fn facts(&self, span: Span, kinds: u16) -> impl DoubleEndedIterator<Item = &Fact> {
        let (from, to) = bounds(span);
        self.pages_of(span)
            .filter(move |page| page.kinds & kinds != 0)
            .flat_map(move |page| page.within(from, to).iter().inspect(look_at))
            .filter(move |fact| fact.kind().bit() & kinds != 0)
    }

    fn pages_of(&self, span: Span) -> impl DoubleEndedIterator<Item = &Page> {
        let (from, to) = bounds(span);
        self.pages.range(from.div_euclid(DAY_US)..=to.div_euclid(DAY_US)).map(|(_, page)| page)
    }

    /// The fact of a line that happened at an instant.
    #[must_use]
    pub fn find(&self, at: Instant, seq: Seq) -> Option<&Fact> {
        let place = (us(at), seq.0);
        let page = self.pages.get(&place.0.div_euclid(DAY_US))?;
        let index = page.facts.binary_search_by_key(&place, Fact::place).ok()?;
        page.facts.get(index)
    }

    /// Whether a fact counts at all: neither voided nor withdrawn with its feed.
    #[must_use]
    pub fn stands(&self, fact: &Fact) -> bool {
        !fact.voided() && (self.cover.withdrawn.is_empty() || !self.cover.withdrawn.contains(&FeedId(fact.feed)))
    }

    /// The day whose rate applies to a fact: by the channel's wall calendar.
    #[must_use]
    pub fn rate_day(&self, fact: &Fact) -> NaiveDate {
        self.calendar.local(instant(fact.at)).date()
    }

    // ---- writing ----

    /// Notes a happening.
    pub fn add(&mut self, at: Instant, seq: Seq, feed: Option<FeedId>, happening: &Happening) -> Change {
        if let Happening::Gauge { name, .. } = happening {
            self.level_recorded(name, at);
        }
        let fact = self.fact(us(at), seq.0, feed.map_or(0, |feed| feed.0), happening);
        self.insert(fact.clone());
        let people = self.note_people(&fact);
        Change { added: Some(fact), people, ..Change::default() }
    }

    fn insert(&mut self, fact: Fact) {
        let day = fact.at.div_euclid(DAY_US);
        let page = self.pages.entry(day).or_default();
        page.kinds |= fact.kind().bit();
        page.newest = page.newest.max(fact.seq);
        // Nearly always at the end.
        let place = page.facts.partition_point(|other| other.place() < fact.place());
        page.facts.insert(place, fact);
        self.changed(day, place);
    }

    fn find_mut(&mut self, at: Instant, seq: Seq) -> Option<&mut Fact> {
        let place = (us(at), seq.0);
        let day = place.0.div_euclid(DAY_US);
        let index = self.pages.get(&day)?.facts.binary_search_by_key(&place, Fact::place).ok()?;
        self.changed(day, index);
        self.pages.get_mut(&day)?.facts.get_mut(index)
    }

    /// Voids a line's fact, or lets it count again.
    pub fn void(&mut self, at: Instant, seq: Seq, voided: bool) -> Change {
        let Some(fact) = self.find_mut(at, seq).filter(|fact| fact.voided() != voided) else {
            return Change::default();
        };
        let old = fact.clone();
        fact.set_voided(voided);
        let fact = fact.clone();
        let withdrawn = self.cover.withdrawn.contains(&FeedId(fact.feed));
        let people = match voided {
            _ if withdrawn => Moved::default(),
            true => self.drop_people(&fact),
            false => self.note_people(&fact),
        };
        Change { people, ..Change::of(old, fact) }
    }

    /// Puts another happening in the place of a line's. Whether it counts stays as it was.
    pub fn amend(&mut self, at: Instant, seq: Seq, happening: &Happening) -> Change {
        let Some(old) = self.find(at, seq).cloned() else { return Change::default() };
        let mut new = self.fact(old.at, old.seq, old.feed, happening);
        new.set_voided(old.voided());
        // Whoever did it did not do it, as far as this line goes; then whoever did it did.
        let mut people = Moved::default();
        if self.stands(&old) {
            if let Some(fact) = self.find_mut(at, seq) {
                fact.set_voided(true);
            }
            people |= self.drop_people(&old);
        }
        if let Some(page) = self.pages.get_mut(&old.at.div_euclid(DAY_US)) {
            page.kinds |= new.kind().bit();
        }
        if let Some(fact) = self.find_mut(at, seq) {
            *fact = new.clone();
        }
        people |= self.forget_people(&old);
        people |= self.note_people(&new);
        Change { people, ..Change::of(old, new) }
    }

    /// Takes everything that came through a feed out of all counts, or puts it back.
    pub fn withdraw(&mut self, feed: FeedId, withdrawn: bool) -> Change {
        let changed = if withdrawn { self.cover.withdrawn.insert(feed) } else { self.cover.withdrawn.remove(&feed) };
        if !changed {
            return Change::default();
        }
        // It may have come through that feed.
        self.heard.clear();
        self.note_everybody();
        Change { people: Change::of_everybody().people, ..Change::of_kinds(Kind::ALL) }
    }

    /// Lets one supporter count as another, or as themselves again. Both are known by their keys.
    pub fn merge(&mut self, from: &str, into: Option<&str>) -> Change {
        if self.cover.names.merge(from, into) { Change::of_everybody() } else { Change::default() }
    }

    /// Takes what somebody says about shows.
    pub fn show(&mut self, seq: Seq, at: Instant, act: &ShowAct, by: &str) -> Change {
        let folded = self.cover.shows.fold(seq, at, act, by);
        let times = !matches!(act, ShowAct::Ending { .. } | ShowAct::Stay);
        Change { shows: folded && times, ..Change::default() }
    }

    // ---- money ----

    fn coin(&mut self, currency: Currency) -> u8 {
        let known = self.cover.coins.iter().position(|one| *one == currency);
        let place = known.unwrap_or_else(|| {
            self.cover.coins.push(currency);
            self.cover.coins.len().saturating_sub(1)
        });
        // ISO 4217 has fewer than 255 currencies.
        u8::try_from(place).unwrap_or(u8::MAX)
    }

    fn price(&self, fact: &Fact) -> Option<i64> {
        let money = self.money(fact)?;
        if money.currency == self.currency {
            return Some(money.minor);
        }
        self.cover.rates.convert(money, self.currency, self.rate_day(fact)).map(|converted| converted.minor)
    }

    /// Takes tables of rates, and prices anew what they bear on.
    pub fn rates_came(&mut self, days: &BTreeMap<NaiveDate, Table>) -> Change {
        for (date, table) in days {
            let (from, to) = self.cover.rates.put(*date, table.clone());
            let bound = |date: NaiveDate| Some(self.calendar.instant(date.and_hms_opt(0, 0, 0)?));
            let span = Span { from: bound(from), to: to.and_then(bound) };
            self.reprice(span);
        }
        Change::of_kinds([Kind::Tip, Kind::Purchase, Kind::Adjust])
    }

    /// Takes other settings: prices are derived anew from the amounts as they came.
    pub fn apply_settings(&mut self, settings: &Settings) {
        (self.currency, self.calendar) = (settings.currency, settings.calendar);
        self.reprice(Span::ALL);
    }

    fn reprice(&mut self, span: Span) {
        let money = Kind::Tip.bit() | Kind::Purchase.bit() | Kind::Adjust.bit();
        let priced: Vec<(i64, u64, Option<i64>)> = self
            .facts(span, money)
            .filter_map(|fact| Some((fact.at, fact.seq, self.price(fact), fact.coins()?.priced())))
            .filter(|(_, _, new, old)| new != old)
            .map(|(at, seq, new, _)| (at, seq, new))
            .collect();
        for (at, seq, price) in priced {
            if let Some(fact) = self.find_mut(instant(at), Seq(seq)) {
                fact.set_priced(price);
            }
        }
    }
}
