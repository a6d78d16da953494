//! How a burst becomes one line.
//!
//! One supporter's entries of a kind become one line when each comes within a chosen time of the first
//! of them. Which ones belong together is told by the entries themselves, never by what else is on
//! show, by where the period begins, or by how far somebody looked: so a line keeps its key, its sum
//! and its place while others come and go.
//!
//! A run of entries without a pause as long as that time is folded from its beginning. One that goes on
//! and on is folded anew from each boundary of [`BLOCK`] lengths, so that nobody needs to look back
//! further than that.

use super::{LineFormat, LineValues, words};
use crate::book::names::{By, Person};
use crate::book::words::Word;
use crate::book::{Fact, What, instant};
use crate::count::{Count, Scope, Verdict};
use crate::language::unit::Unit;
use crate::money::Money;
use crate::record::happening::{Kind, Tier};
use crate::template::{self, Values};
use crate::time::calendar::{Period, Span};
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap};

/// Same giver's gifts within so many microseconds become one line.
const GIFTS: i64 = 10_000_000;
/// After so many lengths a run that goes on is folded anew.
const BLOCK: i64 = 4;
/// So many entries are gone through for the lines of a list; what lies further back is not shown.
const LOOKED_AT: usize = 20_000;

/// What entries must have in common to become one line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Common {
    /// Gifts, and subscriptions given, of one giver, or of those who gave no name.
    Gifts(Option<Person>),
    /// One supporter's, of one kind, about one thing and of one tier; and of one currency while there
    /// is no price for it.
    Own(Person, Kind, Option<Word>, Option<Tier>, Option<u8>),
}

/// Entries that become one line.
pub(super) struct Fold<'a> {
    /// The first of those that belong together, whether or not it is on show itself.
    key: u64,
    first: &'a Fact,
    newest: &'a Fact,
    times: u64,
    number: i64,
    /// Given subscriptions that belong to a gift are counted by it.
    given: i64,
    /// The sum in the currency in which all came, where that is one.
    same: Option<Money>,
    /// The sum in the channel's currency, where all have a price.
    priced: Option<i64>,
}

fn is_gift(fact: &Fact) -> bool {
    fact.kind() == Kind::Gift || fact.giver().is_some()
}

impl<'a> Fold<'a> {
    /// Of one entry alone.
    pub(super) fn of(fact: &'a Fact, scope: &Scope<'_>) -> Self {
        let mut fold = Self {
            key: fact.seq,
            first: fact,
            newest: fact,
            times: 0,
            number: 0,
            given: 0,
            same: scope.book.money(fact).map(|money| Money { minor: 0, ..money }),
            priced: fact.coins().map(|_| 0),
        };
        fold.join(fact, scope);
        fold
    }

    fn join(&mut self, fact: &'a Fact, scope: &Scope<'_>) {
        let more = scope.book.money(fact);
        self.same = self.same.zip(more).and_then(|(sum, more)| {
            let minor = sum.minor.checked_add(more.minor).filter(|_| sum.currency == more.currency)?;
            Some(Money { minor, ..sum })
        });
        let price = fact.coins().and_then(crate::book::Coins::priced);
        self.priced = self.priced.zip(price).and_then(|(sum, more)| sum.checked_add(more));
        match fact.what {
            What::Sub { giver, .. } => self.given = self.given.saturating_add(i64::from(giver.is_some())),
            _ => self.number = self.number.saturating_add(fact.number().unwrap_or(1)),
        }
        (self.times, self.newest) = (self.times.saturating_add(1), fact);
    }

    /// One subscription that was given is told by its receiver, several by their giver.
    fn by_giver(&self) -> bool {
        is_gift(self.first) && (self.number > 0 || self.given > 1)
    }

    /// How many were given. The subscriptions of a gift come besides it, so the two are never added up.
    fn gifts(&self) -> i64 {
        self.number.max(self.given)
    }

    pub(super) fn line_values(&self, scope: &Scope<'_>) -> LineValues {
        let fact = self.newest;
        let by_giver = self.by_giver();
        let kind = if by_giver { Kind::Gift } else { self.first.kind() };
        let number = if by_giver { self.gifts() } else { self.number };
        let name = |by: By| match by.person() {
            Some(person) => scope.name(scope.book.names().person(person)),
            None => scope.language.on_air().somebody.to_owned(),
        };
        let giver = fact.giver().filter(|_| !by_giver).map(name).unwrap_or_default();
        let money = self.same.or(self.priced.map(|minor| Money { minor, currency: scope.settings.currency }));
        let amount = match (money, kind) {
            (Some(money), _) => scope.language.money(money),
            (None, Kind::Gift | Kind::Cheer | Kind::Raid) => scope.language.number(number),
            _ => String::new(),
        };
        let figure = match money {
            Some(money) => template::figure(Unit::Money(money.currency), money.minor),
            None => template::figure(Unit::Things, number),
        };
        let of = |wanted: &[Kind]| if wanted.contains(&kind) { number } else { 0 };
        let item =
            |wanted: &[Kind]| fact.word().filter(|_| wanted.contains(&kind)).map(|word| scope.book.words().get(word));
        let months = match fact.what {
            What::Sub { months, .. } if !by_giver => months.unwrap_or(0),
            _ => 0,
        };
        LineValues {
            key: self.key,
            kind,
            at: instant(fact.at),
            values: Values {
                name: if by_giver { name(whose(self.first)) } else { name(fact.by) },
                amount,
                figure,
                count: of(&[Kind::Gift, Kind::Purchase]),
                points: of(&[Kind::Cheer, Kind::Reward]),
                viewers: of(&[Kind::Raid]),
                tier: fact.tier().map_or(0, u8::from),
                months: months.into(),
                message: fact.text.as_deref().unwrap_or_default().to_owned(),
                item: item(&[Kind::Reward, Kind::Purchase]).unwrap_or_default().to_owned(),
                giver,
                kind: words::kind(scope.language, kind).to_owned(),
                times: self.times,
                ago: scope.language.ago(scope.now.signed_duration_since(instant(fact.at)).num_seconds()),
                ..Values::default()
            },
        }
    }
}

fn person_of(common: Common) -> Option<Person> {
    match common {
        Common::Gifts(person) => person,
        Common::Own(person, ..) => Some(person),
    }
}

/// Whose a fact is, as far as folding goes: a given subscription belongs to its giver.
fn whose(fact: &Fact) -> By {
    fact.giver().unwrap_or(fact.by)
}

/// What is told of a period, and what belongs together.
pub(super) struct Folding<'a, 's> {
    counts: Vec<(Kind, Count)>,
    span: Span,
    /// In microseconds.
    length: i64,
    scope: &'s Scope<'a>,
}

impl<'a, 's> Folding<'a, 's> {
    pub(super) fn new(format: &LineFormat, period: Period, fold: u32, scope: &'s Scope<'a>) -> Self {
        let counts: Vec<(Kind, Count)> = format.shown_kinds().zip(format.counts(period)).collect();
        let span = counts.first().map_or(Span::NEVER, |(_, count)| scope.span(count));
        Self { counts, span, length: i64::from(fold).saturating_mul(1_000_000), scope }
    }

    /// The newest lines, oldest first.
    pub(super) fn newest(&self, most: usize) -> Vec<Fold<'a>> {
        let kinds = self.counts.iter().fold(0, |bits, (kind, _)| bits | kind.bit());
        let mut folds: BTreeMap<(i64, u64), Fold<'a>> = BTreeMap::new();
        // From which place on what has so much in common is folded already.
        let mut done: HashMap<Common, (i64, u64)> = HashMap::new();
        for fact in self.scope.book.facts(self.span, kinds).rev().take(LOOKED_AT) {
            // All lines that begin after this are found.
            if most == 0 || folds.keys().rev().nth(most.saturating_sub(1)).is_some_and(|first| *first > fact.place()) {
                break;
            }
            let common = self.common(fact).filter(|common| self.length_of(*common) > 0);
            // Most of a burst is folded already, and need not be judged once more.
            if common.is_some_and(|common| done.get(&common).is_some_and(|from| *from <= fact.place())) {
                continue;
            }
            if !self.is_told(fact) {
                continue;
            }
            let Some(common) = common else {
                folds.insert(fact.place(), Fold::of(fact, self.scope));
                continue;
            };
            let run = self.run(fact, common);
            done.insert(common, run.first().map_or(fact.place(), |first| first.place()));
            self.fold(&run, self.length_of(common), &mut folds);
        }
        let skip = folds.len().saturating_sub(most);
        folds.into_values().skip(skip).collect()
    }

    /// Whether a fact is told of, whenever it happened.
    fn is_told(&self, fact: &Fact) -> bool {
        let kind = fact.kind();
        self.counts.iter().any(|(told, count)| {
            *told == kind
                && matches!(count.judge(fact, Span::ALL, self.scope.book, self.scope.settings), Verdict::Counts(_))
        })
    }

    fn common(&self, fact: &Fact) -> Option<Common> {
        let person = whose(fact).person().map(|person| self.scope.book.names().person(person));
        if is_gift(fact) {
            return Some(Common::Gifts(person));
        }
        let unpriced = fact.coins().filter(|coins| coins.priced().is_none()).map(crate::book::Coins::coin);
        Some(Common::Own(person?, fact.kind(), fact.word(), fact.tier(), unpriced))
    }

    fn length_of(&self, common: Common) -> i64 {
        match common {
            Common::Gifts(_) => self.length.max(GIFTS),
            Common::Own(..) => self.length,
        }
    }

    /// All that has so much in common with a fact and is folded together with it, up to it, in order.
    fn run(&self, last: &'a Fact, common: Common) -> Vec<&'a Fact> {
        let length = self.length_of(common);
        let block = length.saturating_mul(BLOCK);
        let boundary = last.at.div_euclid(block).saturating_mul(block);
        let mut run = vec![last];
        let mut earliest = last.at;
        // Nothing from further back can be without a pause and yet not lie a block before the boundary.
        let reaches = boundary.saturating_sub(block).saturating_sub(length);
        for fact in self.before(last, person_of(common), reaches) {
            // Whatever it is, all before it lie as far back.
            if earliest.saturating_sub(fact.at) > length {
                break;
            }
            if self.common(fact) != Some(common) || !self.is_told(fact) {
                continue;
            }
            if fact.at <= boundary.saturating_sub(block) {
                run.retain(|one| one.at >= boundary);
                break;
            }
            run.push(fact);
            earliest = fact.at;
        }
        run.reverse();
        run
    }

    /// What a supporter did from before a fact, newest first.
    fn before(&self, last: &Fact, person: Option<Person>, reaches: i64) -> Box<dyn Iterator<Item = &'a Fact> + '_> {
        let book = self.scope.book;
        let all = person.map(|person| book.names().same_as(person)).unwrap_or_default();
        if all.len() < 2 {
            return Box::new(book.lines_of(person, last.place()));
        }
        let of = |one| book.lines_of(Some(one), last.place()).take_while(|fact| fact.at >= reaches);
        let mut facts: Vec<&Fact> = all.into_iter().flat_map(of).collect();
        facts.sort_unstable_by_key(|fact| Reverse(fact.place()));
        facts.dedup_by_key(|fact| fact.place());
        Box::new(facts.into_iter())
    }

    /// Folds what belongs together, and adds what is on show of it.
    fn fold(&self, run: &[&'a Fact], length: i64, folds: &mut BTreeMap<(i64, u64), Fold<'a>>) {
        let mut first: Option<&Fact> = None;
        let mut mine: Vec<((i64, u64), Fold<'a>)> = Vec::new();
        for fact in run {
            let begins = first.is_none_or(|first| fact.at.saturating_sub(first.at) > length);
            let key = if begins { *fact } else { first.unwrap_or(fact) };
            first = Some(key);
            if !self.span.contains(instant(fact.at)) {
                continue;
            }
            match mine.last_mut().filter(|(place, _)| *place == key.place()) {
                Some((_, fold)) => fold.join(fact, self.scope),
                None => mine.push((key.place(), Fold { key: key.seq, ..Fold::of(fact, self.scope) })),
            }
        }
        folds.extend(mine.into_iter().filter(|(_, fold)| !self.is_small(fold)));
    }

    /// A gift below the least for gifts shows neither by itself nor through its subscriptions.
    fn is_small(&self, fold: &Fold<'_>) -> bool {
        let least = self.counts.iter().find(|(kind, _)| *kind == Kind::Gift).map_or(0, |(_, count)| count.only.least);
        is_gift(fold.first) && fold.gifts() < least
    }
}
