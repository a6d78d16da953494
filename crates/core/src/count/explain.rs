//! The answer to "why does it say that?".

use crate::book::instant;
use crate::count::{Count, Reason, Scope, Verdict};
use crate::record::happening::Kind;
use crate::record::ids::Seq;
use crate::record::measure::Adding;
use crate::time::calendar::Calendar;
use crate::time::words::instant_words;

/// How many lines a slip carries at most.
pub const MOST_LINES: usize = 50;
/// How many near misses from before or after the period it carries.
const NEAR: usize = 5;

/// The sum behind a number, and the lines behind the sum.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Slip {
    /// The addition, term by term: what it is, and its figure.
    pub terms: Vec<(String, String)>,
    /// What the widget shows.
    pub shown: String,
    /// From when to when, and by which rule.
    pub span: String,
    /// The newest lines, newest first.
    pub lines: Vec<SlipLine>,
}

/// One line of the ledger as it bears on a number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlipLine {
    /// Its place.
    pub seq: Seq,
    /// Local time.
    pub when: String,
    /// What happened.
    pub words: String,
    /// What it added, or why it added nothing.
    pub effect: Effect,
}

/// What a line did to a number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// It counts, with this figure.
    Counts(String),
    /// It is left out, for this reason.
    LeftOut(String),
}

/// The stretch of time of a count in words: `This month: from 1 Nov, 05:00 until 1 Dec, 05:00, Europe/London`.
#[must_use]
pub fn span_words(count: &Count, scope: &Scope<'_>) -> String {
    let span = scope.span(count);
    let calendar: &Calendar = &scope.settings.calendar;
    let bound = |at| instant_words(calendar, at);
    let words = count.period.words();
    let mut letters = words.chars();
    let first = letters.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
    let words = format!("{first}{}", letters.as_str());
    match (span.from, count.ends(span)) {
        _ if span == crate::time::calendar::Span::NEVER => format!("{words}: there has been no show yet"),
        (Some(from), Some(to)) => format!("{words}: from {} until {}, {}", bound(from), bound(to), calendar.zone),
        (Some(from), None) => format!("{words}: since {}, {}", bound(from), calendar.zone),
        (None, Some(to)) => format!("{words}, until {}, {}", bound(to), calendar.zone),
        (None, None) => words,
    }
}

/// How a count comes to its figure: the terms of the sum and the lines, with the near misses.
#[must_use]
pub fn terms_and_lines(count: &Count, scope: &Scope<'_>) -> (Vec<(String, String)>, Vec<SlipLine>) {
    let (span, book, settings) = (scope.span(count), scope.book, scope.settings);
    let (unit, tally) = (count.unit(settings), scope.tally(count));
    let is_sum = is_sum(count);
    let (mut taken_out, mut corrected, mut by_hand, mut adjusted) = (0_i128, 0_u64, 0_i128, 0_u64);
    for fact in book.facts(span, count.kinds()).filter(|_| is_sum) {
        let would = i128::from(count.would_add(fact, span, book, settings));
        if !book.stands(fact) && would != 0 {
            (taken_out, corrected) = (taken_out.saturating_add(would), corrected.saturating_add(1));
        } else if fact.kind() == Kind::Adjust && would != 0 {
            (by_hand, adjusted) = (by_hand.saturating_add(would), adjusted.saturating_add(1));
        }
    }
    let show = |sum: i128| unit.show(i64::try_from(sum).unwrap_or(i64::MAX));
    let counted = tally.lines.saturating_sub(adjusted).saturating_add(corrected);
    let sum = tally.sum.saturating_sub(by_hand).saturating_add(taken_out);
    let heard = count.level().and_then(|name| book.heard_level(name)).filter(|(at, _)| tally.latest == Some(*at));
    let mut terms = match heard {
        Some((at, _)) => {
            let read = instant_words(&settings.calendar, instant(at));
            vec![(format!("Read {read}, not recorded yet"), show(sum))]
        }
        None => vec![(format!("Counted, from {}", lines_words(counted)), show(sum))],
    };
    if corrected > 0 {
        terms.push((format!("Taken out by corrections, {}", lines_words(corrected)), show(taken_out.saturating_neg())));
    }
    if adjusted > 0 {
        terms.push((format!("Adjusted by hand, {}", lines_words(adjusted)), show(by_hand)));
    }
    if tally.unpriced > 0 {
        terms.push((format!("Not priced yet, {}", lines_words(tally.unpriced)), unit.show(0)));
    }

    (terms, lines(count, scope))
}

fn is_sum(count: &Count) -> bool {
    matches!(count.what, crate::count::What::Sum(_)) && count.adding() == Adding::Each
}

/// The newest lines of a count, with the near misses around its period.
fn lines(count: &Count, scope: &Scope<'_>) -> Vec<SlipLine> {
    let (span, book, settings) = (scope.span(count), scope.book, scope.settings);
    let (unit, is_sum) = (count.unit(settings), is_sum(count));
    let line = |fact: &crate::book::Fact| {
        let effect = match count.judge(fact, span, book, settings) {
            Verdict::LeftOut(Reason::OtherKind) => return None,
            Verdict::LeftOut(reason) => Effect::LeftOut(reason.words().into()),
            Verdict::Counts(_) if !is_sum => Effect::Counts(String::new()),
            Verdict::Counts(worth) if worth < 0 => Effect::Counts(unit.show(worth)),
            Verdict::Counts(worth) => Effect::Counts(format!("+{}", unit.show(worth))),
        };
        Some(SlipLine {
            seq: Seq(fact.seq),
            when: instant_words(&settings.calendar, instant(fact.at)),
            words: book.happening(fact).words(),
            effect,
        })
    };
    let after = crate::time::calendar::Span { from: span.to, to: None };
    let before = crate::time::calendar::Span { from: None, to: span.from };
    let mut lines: Vec<SlipLine> = Vec::new();
    if span.to.is_some() {
        lines.extend(book.facts(after, count.kinds()).filter_map(line).take(NEAR));
        lines.reverse();
    }
    lines.extend(book.facts(span, count.kinds()).rev().filter_map(line).take(MOST_LINES - 2 * NEAR));
    if span.from.is_some() {
        lines.extend(book.facts(before, count.kinds()).rev().filter_map(line).take(NEAR));
    }
    lines
}

/// The slip of a widget that tells of several kinds: how many there are of each, and the lines.
#[must_use]
pub fn of_several(counts: &[Count], shown: String, scope: &Scope<'_>) -> Slip {
    let mut lines: Vec<SlipLine> = Vec::new();
    let term = |count: &Count| {
        let counted = scope.tally(count).lines;
        lines.extend(self::lines(count, scope));
        (format!("Of {}", count.words()), lines_words(counted))
    };
    let terms = counts.iter().map(term).collect();
    lines.sort_by_key(|line| std::cmp::Reverse(line.seq));
    lines.truncate(MOST_LINES);
    let span = counts.first().map_or("Nothing is told".to_owned(), |count| span_words(count, scope));
    Slip { terms, shown, span, lines }
}

fn lines_words(count: u64) -> String {
    if count == 1 { "1 line".into() } else { format!("{} lines", crate::money::group(count)) }
}
