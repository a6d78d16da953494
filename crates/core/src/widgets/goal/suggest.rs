//! Targets that suit the channel: from what its own earlier periods came to.

use super::Aim;
use crate::count::{Count, Scope};
use crate::money::conversion::rounded;
use crate::time::before;
use crate::time::calendar::{Period, Span};
use crate::widgets::Hint;
use chrono::TimeDelta;

/// So many earlier periods are looked at.
const MOST: usize = 12;
/// With fewer, nothing is suggested.
const LEAST: usize = 3;
/// Which of a hundred earlier periods reach a suggested target or fall short of it.
const PERCENTILES: [usize; 3] = [40, 65, 85];

/// The earlier periods of the same kind that lie wholly in the record, newest first.
fn earlier(count: &Count, scope: &Scope<'_>) -> Vec<Span> {
    let Some(first) = scope.book.facts(Span::ALL, u16::MAX).next() else { return Vec::new() };
    let first = crate::book::instant(first.at);
    match count.period {
        Period::ThisShow => {
            let this = scope.book.shows().this(scope.now).map(|show| show.seq);
            let ended =
                scope.book.shows().all().iter().rev().filter(|show| show.to.is_some() && Some(show.seq) != this);
            ended.map(crate::book::shows::Show::span).take(MOST).collect()
        }
        Period::Today | Period::ThisWeek | Period::ThisMonth | Period::ThisYear => {
            let mut spans = Vec::new();
            let mut at = scope.settings.calendar.span(count.period, scope.now).from;
            while let Some(from) = at.filter(|from| *from > first && spans.len() < MOST) {
                let span = scope.settings.calendar.span(count.period, before(from, TimeDelta::microseconds(1)));
                at = span.from.filter(|from| *from >= first);
                if at.is_some() {
                    spans.push(span);
                }
            }
            spans
        }
        _ => Vec::new(),
    }
}

/// What could be tried as a target, with how often it would have been reached.
pub(super) fn hints(number: usize, aim: &Aim, scope: &Scope<'_>) -> Vec<Hint> {
    let value = |span: &Span| aim.count.recount(*span, scope.book, scope.settings).value();
    let mut values: Vec<i64> = earlier(&aim.count, scope).iter().map(value).collect();
    if values.len() < LEAST {
        return Vec::new();
    }
    values.sort_unstable();
    let unit = aim.count.unit(scope.settings);
    let whole = unit.whole();
    let mut targets: Vec<i64> = PERCENTILES
        .iter()
        .map(|percentile| {
            // Nearest rank: the smallest value that so many of a hundred do not exceed.
            let rank = percentile.saturating_mul(values.len()).div_ceil(100).max(1);
            rounded(values[rank.saturating_sub(1)].checked_div(whole).unwrap_or(0)).saturating_mul(whole)
        })
        .collect();
    targets.dedup();
    let hint = |target: i64| {
        let reached = values.iter().filter(|value| **value >= target).count();
        Hint {
            words: format!("{}: reached in {reached} of your last {}", unit.show(target), values.len()),
            key: if number == 1 { "target".into() } else { format!("{number}.target") },
            text: unit.plain(target),
        }
    };
    targets.into_iter().map(hint).collect()
}
