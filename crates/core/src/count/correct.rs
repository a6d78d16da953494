//! What a correction does to a figure that is at hand.

use super::{Count, Keep, Reason, Tally, Verdict, What};
use crate::book::names::Person;
use crate::book::{Book, Fact, instant};
use crate::record::measure::Adding;
use crate::record::settings::Settings;
use crate::time::after;
use crate::time::calendar::Span;
use chrono::TimeDelta;

impl Count {
    /// Counts a fact as it is now in the place of itself as it was. False where that cannot be told without counting anew.
    pub(super) fn correct(
        &self,
        tally: &mut Tally,
        (before, now): (&Fact, &Fact),
        span: Span,
        book: &Book,
        settings: &Settings,
    ) -> bool {
        if !matches!(self.what, What::Sum(_)) {
            return false;
        }
        if !self.let_go(tally, before, (span, span), book, settings) {
            return false;
        }
        self.add(tally, now, span, book, settings);
        true
    }

    /// Goes on from a stretch to another that begins no earlier: takes out what lies before it. False where that cannot be told
    /// without counting anew.
    pub(super) fn leave(&self, tally: &mut Tally, (from, to): (Span, Span), book: &Book, settings: &Settings) -> bool {
        if !matches!(self.what, What::Sum(_)) {
            return false;
        }
        let gone = Span { from: from.from, to: to.from };
        let mut gone = book.facts(gone, self.kinds()).filter(|_| gone.to.is_some() && gone.from != gone.to);
        gone.all(|fact| self.let_go(tally, fact, (from, to), book, settings))
    }

    /// Takes out what was counted within one stretch and is no longer within another. False where what is left cannot be told
    /// without counting anew.
    fn let_go(
        &self,
        tally: &mut Tally,
        fact: &Fact,
        (was, is): (Span, Span),
        book: &Book,
        settings: &Settings,
    ) -> bool {
        match self.judge(fact, was, book, settings) {
            Verdict::Counts(worth) if tally.largest == Some((worth, fact.at, fact.seq)) => return false,
            Verdict::Counts(worth) => self.take_out(tally, fact, worth, is, book, settings),
            Verdict::LeftOut(Reason::Unpriced) => tally.unpriced = tally.unpriced.saturating_sub(1),
            Verdict::LeftOut(_) => {}
        }
        true
    }

    fn take_out(&self, tally: &mut Tally, fact: &Fact, worth: i64, span: Span, book: &Book, settings: &Settings) {
        let supporters = self.adding() == Adding::Supporters;
        let mut adds = i128::from(worth);
        let who = fact.person().filter(|_| supporters || self.keep == Keep::People);
        if let Some(who) = who.map(|person| book.names().person(person))
            && let Some(stand) = tally.people.get_mut(&who)
        {
            stand.lines = stand.lines.saturating_sub(1);
            if supporters && stand.lines > 0 {
                adds = 0;
            }
            stand.sum = stand.sum.saturating_sub(adds);
            if stand.lines == 0 {
                tally.people.remove(&who);
            } else if stand.since == fact.place() {
                stand.since = self.since(who, supporters, span, book, settings).unwrap_or(stand.since);
            }
        }
        tally.sum = tally.sum.saturating_sub(adds);
        tally.lines = tally.lines.saturating_sub(1);
        if tally.latest == Some(fact.at) {
            let to = after(instant(fact.at), TimeDelta::microseconds(1));
            let earlier = span.within(None, Some(to));
            let mut earlier = book.facts(earlier, self.kinds()).rev();
            let counts = |other: &&Fact| matches!(self.judge(other, span, book, settings), Verdict::Counts(_));
            tally.latest = earlier.find(counts).map(|other| other.at);
        }
    }

    /// With which of their lines somebody got where they are.
    fn since(&self, who: Person, supporters: bool, span: Span, book: &Book, settings: &Settings) -> Option<(i64, u64)> {
        let all = book.names().same_as(who);
        // Only what they did themselves counts for them, not what they paid for.
        let counts = |fact: &Fact| {
            let own = fact.person().is_some_and(|person| all.contains(&person));
            match self.judge(fact, span, book, settings) {
                Verdict::Counts(worth) if own => Some((fact.place(), worth)),
                _ => None,
            }
        };
        let from = span.from.map_or(i64::MIN, |from| from.timestamp_micros());
        let first = |one: &Person| book.lines_from(Some(*one), (from, 0)).find_map(counts);
        let first = all.iter().filter_map(first).min();
        let to = span.to.map_or(i64::MAX, |to| to.timestamp_micros());
        let newest = |one: &Person| {
            let adds = |fact: &Fact| counts(fact).filter(|(_, worth)| *worth != 0);
            book.lines_of(Some(*one), (to, 0)).take_while(|fact| fact.at >= from).find_map(adds)
        };
        let newest = if supporters { None } else { all.iter().filter_map(newest).max() };
        newest.or(first).map(|(place, _)| place)
    }
}
