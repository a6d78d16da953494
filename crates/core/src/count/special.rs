//! Counts that are no plain sums: levels, running totals, and what a game reports.

use super::{Count, Tally};
use crate::book::words::Word;
use crate::book::{Book, What, instant};
use crate::record::happening::Kind;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::time::calendar::Span;
use std::collections::HashMap;

/// The newest reading of a level within the span, recorded or heard: its value, and when it was read.
fn newest(name: &str, span: Span, book: &Book) -> Option<(i64, i64)> {
    let heard = book.heard_level(name).filter(|(at, _)| span.contains(instant(*at)));
    let Some(wanted) = book.words().find(name) else { return heard.map(|(at, value)| (value, at)) };
    let recorded =
        book.facts(span, Kind::Gauge.bit()).rev().filter(|fact| book.stands(fact)).find_map(|fact| match fact.what {
            What::Gauge { level, value } if level == wanted => Some((value, fact.at)),
            _ => None,
        });
    heard.map(|(at, value)| (value, at)).into_iter().chain(recorded).max_by_key(|(_, at)| *at)
}

/// The newest value of a level within the span.
pub(super) fn level(name: &str, span: Span, book: &Book) -> Tally {
    newest(name, span, book).map_or_else(Tally::default, |(value, at)| Tally {
        sum: i128::from(value),
        lines: 1,
        latest: Some(at),
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
    let since = base.map(|(_, at)| instant(at));
    let on = Count { what: super::What::Sum(measure), ..count.clone() };
    let mut tally = on.recount(span.within(since, None), book, settings);
    if let Some((value, at)) = base {
        tally.add(i128::from(value));
        tally.latest = tally.latest.max(Some(at));
    }
    tally
}

/// How much a statistic has grown within the span, over all players and characters. What was
/// known before the span is where each begins; of one first seen within it, its first total. A
/// total that falls was reset by the game: counting goes on from there.
pub(super) fn statistic(name: &str, span: Span, book: &Book) -> Tally {
    let mut tally = Tally::default();
    let Some(wanted) = book.words().find(name) else { return tally };
    let mut last: HashMap<(Word, Option<Word>), i64> = HashMap::new();
    for fact in book.facts(Span { from: None, ..span }, Kind::Stat.bit()) {
        let What::Stat { player, character, stat, total } = fact.what else { continue };
        if stat != wanted || !book.stands(fact) {
            continue;
        }
        let before = last.insert((player, character), total);
        if span.contains(instant(fact.at)) {
            let grown = before.map_or(0, |before| i128::from(total).saturating_sub(i128::from(before))).max(0);
            tally.add(grown);
            tally.latest = Some(fact.at);
        }
    }
    tally
}
