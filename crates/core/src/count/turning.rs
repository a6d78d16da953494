//! Which stretch of time a count looks at, and when its figure changes by itself.

use super::{Count, Reason, Tallies, Verdict, What};
use crate::book::shows::Show;
use crate::book::{Book, Fact, What as Happened, instant};
use crate::record::settings::Settings;
use crate::time::calendar::{Period, Span};
use crate::time::{Instant, after, before, together};
use chrono::TimeDelta;

const TICK: TimeDelta = TimeDelta::microseconds(1);

impl Count {
    /// The stretch of time on show at an instant. Once closed, it is the last one.
    #[must_use]
    pub fn span(&self, settings: &Settings, book: &Book, now: Instant) -> Span {
        let last = self.until.map(|until| before(until, TICK));
        let at = last.filter(|last| *last < now).unwrap_or(now);
        let span = match self.period {
            Period::ThisShow => book.shows().this(at).map_or(Span::NEVER, Show::span),
            Period::SinceReset => Span { from: self.since, to: None },
            period => settings.calendar.span(period, at),
        };
        span.within(None, self.until)
    }

    /// How far back a rolling period reaches.
    fn rolling(&self) -> Option<TimeDelta> {
        match self.period {
            Period::LastHours(hours) => Some(TimeDelta::hours(i64::from(hours))),
            Period::LastDays(days) => Some(TimeDelta::days(i64::from(days))),
            _ => None,
        }
    }

    /// When nothing counts any more, or what counted counts no more: the end of its period as people
    /// mean it. A rolling period has none but the end of the count itself.
    #[must_use]
    pub fn ends(&self, span: Span) -> Option<Instant> {
        if self.rolling().is_some() { self.until } else { span.to }
    }

    /// Whether a span that was on show once surely still is, under the same settings: cheaper to
    /// tell than the span itself.
    pub(super) fn still_at(&self, span: Span, now: Instant) -> bool {
        match self.period {
            Period::Today | Period::ThisWeek | Period::ThisMonth | Period::ThisYear => span.contains(now),
            Period::AllTime | Period::Between { .. } | Period::SinceReset => true,
            Period::ThisShow | Period::LastHours(_) | Period::LastDays(_) => false,
        }
    }

    /// Whether a fact that lies behind a span that was on show once may lie within the one that is on
    /// show now: then nobody has turned to it yet.
    pub(super) fn may_have_turned(&self, span: Span, fact: &Fact) -> bool {
        let turns = match self.period {
            Period::Today | Period::ThisWeek | Period::ThisMonth | Period::ThisYear => true,
            _ => self.rolling().is_some(),
        };
        let at = instant(fact.at);
        turns && span.to.is_some_and(|to| at >= to) && self.until.is_none_or(|until| at < until)
    }

    /// When its figure next changes without any entry: its period ends or begins, or facts leave a
    /// rolling one or come into it.
    #[must_use]
    pub fn wakes_at(&self, tallies: &Tallies, settings: &Settings, book: &Book, now: Instant) -> Option<Instant> {
        let span = self.span(settings, book, now);
        let turns = match (self.period, self.rolling()) {
            (_, Some(length)) if self.until.is_none_or(|until| until > now) => {
                // One microsecond after that the first lies before the period.
                let leave = |first| after(first, together(length, TICK));
                let leaves = tallies.first(self, span, book, settings).map(leave);
                [leaves, self.next_come(span, book, settings), self.until]
            }
            (_, Some(_)) => [None; 3],
            // A show ends by an entry; but facts of a period that has not begun wait for it.
            _ => [span.from, span.to, None],
        };
        turns.into_iter().flatten().filter(|at| *at > now).min()
    }

    /// Whether a fact has a part in the figure of a span.
    fn bears(&self, fact: &Fact, span: Span, book: &Book, settings: &Settings) -> bool {
        match (&self.what, &fact.what) {
            (What::Running { level: name, .. }, Happened::Gauge { level, .. }) => {
                book.words().get(*level) == name && book.stands(fact) && span.contains(instant(fact.at))
            }
            _ => matches!(
                self.judge(fact, span, book, settings),
                Verdict::Counts(_) | Verdict::LeftOut(Reason::Unpriced)
            ),
        }
    }

    /// When the first happened that has a part in the figure of a span.
    pub(super) fn first(&self, span: Span, book: &Book, settings: &Settings) -> Option<Instant> {
        let first = book.facts(span, self.kinds()).find(|fact| self.bears(fact, span, book, settings))?;
        Some(instant(first.at))
    }

    /// What is dated ahead waits until it has happened.
    fn next_come(&self, span: Span, book: &Book, settings: &Settings) -> Option<Instant> {
        let ahead = Span { from: span.to, to: self.until };
        let first = book.facts(ahead, self.kinds()).find(|fact| self.bears(fact, ahead, book, settings))?;
        Some(instant(first.at))
    }
}
