//! Why a subathon clock shows what it shows, to the second.

use super::clockwork::Phase;
use super::compute::{State, ms};
use super::line::{Line, Why};
use super::table::time_words;
use super::{Subathon, instant, view};
use crate::count::Scope;
use crate::count::explain::{Effect, MOST_LINES, Slip, SlipLine};
use crate::record::acts::SubathonAct;
use crate::record::acts::subathon::factor_words;
use crate::time::words::{digits, instant_words};
use chrono::TimeDelta;

/// A length with its sign, where it has one: `−1:30`, `+2:00`, `+0.5 s`.
pub(super) fn signed(ms: i64) -> String {
    let sign = if ms < 0 { "−" } else { "+" };
    format!("{sign}{}", time_words(ms.saturating_abs()))
}

fn exact(ms: i64) -> String {
    digits(TimeDelta::milliseconds(ms))
}

/// What a line says, in words.
pub(super) fn words(line: &Line, state: &State, scope: &Scope<'_>) -> String {
    match &line.row {
        None => state
            .acts()
            .by_and_act(line.seq)
            .map_or_else(|| "By hand".into(), |(by, act)| format!("{by} {}", act.words())),
        Some(_) => {
            let fact = scope.book.find(line.happened_at, line.seq);
            fact.map_or_else(String::new, |fact| scope.book.happening(fact).words())
        }
    }
}

fn effect(line: &Line) -> Effect {
    let boost = match u32::try_from(line.factor) {
        Ok(factor) if factor != 1_000 => format!(" (×{})", factor_words(factor)),
        _ => String::new(),
    };
    let refused = line.wanted.saturating_sub(line.given);
    match line.why {
        None => Effect::Counts(format!("{}{boost}", signed(line.given))),
        Some(why) if line.given == 0 => Effect::LeftOut(format!("not added: {} {}", signed(line.wanted), why.words())),
        Some(why) => {
            let rest = format!("{} not added, {}", signed(refused), why.words());
            Effect::Counts(format!("{}{boost}; {rest}", signed(line.given)))
        }
    }
}

/// The newest lines, newest first.
pub(super) fn lines(state: &State, scope: &Scope<'_>, most: usize) -> Vec<SlipLine> {
    let calendar = &scope.settings.calendar;
    let added = state.sum.lines.iter().rev().take(most).map(|line| SlipLine {
        seq: line.seq,
        when: instant_words(calendar, instant(line.at)),
        words: words(line, state, scope),
        effect: effect(line),
    });
    let acts = state.acts().slip_lines(calendar, SubathonAct::words);
    // Additions by hand tell what they came to; all else that was done stands between them.
    let known: std::collections::BTreeSet<_> =
        state.sum.lines.iter().filter(|line| line.row.is_none()).map(|line| line.seq).collect();
    let mut all: Vec<SlipLine> = added.chain(acts.into_iter().filter(|line| !known.contains(&line.seq))).collect();
    all.sort_by_key(|line| std::cmp::Reverse(line.seq));
    all.truncate(most);
    all
}

pub(super) fn slip(subathon: &Subathon, state: &State, scope: &Scope<'_>) -> Slip {
    let (clock, sum) = (subathon.seen(state, scope), &state.sum);
    let calendar = &scope.settings.calendar;
    let mut terms = vec![("Start length".to_owned(), exact(subathon.length_ms()))];
    for (row, ms) in &sum.by_row {
        let words = row.as_ref().map_or_else(|| "By hand".to_owned(), |row| format!("By each {}", row.words()));
        if *ms != 0 {
            terms.push((words, signed(*ms)));
        }
    }
    terms.push(("Run down so far".into(), signed(clock.ran.saturating_neg())));
    if clock.left < 0 {
        terms.push(("Below nothing, by a correction".into(), signed(clock.left.saturating_neg())));
    }
    let refused = sum.lines.iter().map(|line| line.wanted.saturating_sub(line.given));
    let refused = refused.fold(sum.forgotten, i64::saturating_add);
    if refused != 0 {
        terms.push(("Not added, by limits or too late (not in the sum)".into(), signed(refused)));
    }
    if let Some(boost) = sum.boosts.last() {
        let without = state.without(Some(boost.seq), subathon, scope).clock;
        let shown = subathon.face().write(without.seen_at(ms(scope.now), &subathon.plan(scope)).left);
        terms.push((format!("Without the newest boost, ×{}, there would be", factor_words(boost.factor)), shown));
    }
    let span = match clock.phase {
        Phase::Ready => "Ready to start".into(),
        _ if clock.is_in_doubt() => "A correction left nothing on it. Say on the desk whether it is over.".into(),
        Phase::Running => {
            let end = instant(clock.at.saturating_add(clock.left));
            format!(
                "Running since {}, ends {} if nothing more comes",
                instant_words(calendar, instant(clock.began)),
                instant_words(calendar, end)
            )
        }
        Phase::Paused { until: Some(until) } => format!("On a break until {}", instant_words(calendar, instant(until))),
        Phase::Paused { until: None } => "Paused".into(),
        Phase::Zero { at } | Phase::Over { at } => format!("Over since {}", instant_words(calendar, instant(at))),
    };
    let waiting = sum.lines.iter().filter(|line| line.why == Some(Why::Waits)).count();
    let span = if waiting > 0 { format!("{span}; {waiting} additions wait until it goes on") } else { span };
    Slip { terms, shown: view::shown(subathon, &clock, scope), span, lines: lines(state, scope, MOST_LINES) }
}
