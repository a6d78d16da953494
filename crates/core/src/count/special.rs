//! Counts that are no plain sums: levels, running totals, and what a game reports.

use super::{Count, Tally};
use crate::book::{Book, Fact, instant};
use crate::calendar::Span;
use crate::happening::Kind;
use crate::measure::Measure;
use crate::widgets::Settings;
use std::collections::HashMap;

fn newest<'a>(name: &str, span: Span, book: &'a Book) -> Option<&'a Fact> {
    let what = book.words().find(name)?;
    book.facts(span, Kind::Gauge.bit()).rev().find(|fact| fact.what == what && book.stands(fact))
}

/// The newest value of a level within the span.
pub(super) fn level(name: &str, span: Span, book: &Book) -> Tally {
    newest(name, span, book).map_or_else(Tally::default, |fact| Tally {
        sum: i128::from(fact.number),
        lines: 1,
        latest: Some(fact.at),
        ..Tally::default()
    })
}

/// The newest value of a level, and what was counted since that was read.
pub(super) fn running(
    count: &Count,
    name: &str,
    measure: Measure,
    span: Span,
    book: &Book,
    settings: &Settings,
) -> Tally {
    let base = newest(name, span, book);
    let since = base.map(|fact| instant(fact.at));
    let on = Count { what: super::What::Sum(measure), ..count.clone() };
    let mut tally = on.recount(span.within(since, None), book, settings);
    if let Some(base) = base {
        tally.sum += i128::from(base.number);
        tally.lines += 1;
        tally.latest = tally.latest.max(Some(base.at));
    }
    tally
}

/// How much a statistic has grown within the span, over all players and characters. What was
/// known before the span is where each begins; of one first seen within it, its first total. A
/// total that falls was reset by the game: counting goes on from there.
pub(super) fn statistic(name: &str, span: Span, book: &Book) -> Tally {
    let mut tally = Tally::default();
    let Some(what) = book.words().find(name) else { return tally };
    let mut last: HashMap<(u32, Option<&str>), i64> = HashMap::new();
    for fact in book.facts(Span { from: None, ..span }, Kind::Stat.bit()) {
        if fact.what != what || !book.stands(fact) {
            continue;
        }
        let before = last.insert((fact.who, fact.text.as_deref()), fact.number);
        if span.contains(instant(fact.at)) {
            let grown = before.map_or(0, |before| fact.number - before).max(0);
            tally.sum += i128::from(grown);
            tally.lines += 1;
            tally.latest = Some(fact.at);
        }
    }
    tally
}
