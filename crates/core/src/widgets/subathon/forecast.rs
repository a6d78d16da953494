//! When a subathon ends, by what is known so far; and its course until now, for a chart.

use super::clockwork::{Clockwork, Phase};
use super::compute::{State, ms};
use super::explain::signed;
use super::sheet::half_even;
use super::{Subathon, instant};
use crate::book::names::Person;
use crate::count::Scope;
use crate::time::Instant;
use serde::Serialize;

const HOUR_MS: i64 = 3_600_000;
/// With fewer additions in the last hour nothing is said about what goes on like it.
const FEW: usize = 3;
/// How many of those who added most are told.
const SUPPORTERS: usize = 5;
/// The most steps of a chart.
const MOST_STEPS: usize = 400;

/// Three answers to “when does it end?”. Breaks that are still ahead are reckoned with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Forecast {
    /// If nothing more is added.
    pub at_rest: Instant,
    /// If support goes on as in the last hour; none when that would be for ever, or too little came to tell.
    pub as_last_hour: Option<Instant>,
    /// Whether as much comes in as time passes.
    pub never: bool,
    /// The latest by its limits; none where it has none that tells.
    pub latest: Option<Instant>,
}

/// The time left, from one instant on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Step {
    /// Milliseconds of Unix time.
    pub at: i64,
    /// Milliseconds left just before.
    pub before: i64,
    /// Milliseconds left from then on.
    pub after: i64,
    /// How many lines make it.
    pub lines: usize,
    /// Who made it, where it is one.
    pub who: Option<Person>,
}

impl Step {
    /// `+2:00 pinecone_ade`, `+12:30 from 9 lines`.
    #[must_use]
    pub fn words(&self, scope: &Scope<'_>) -> String {
        let added = signed(self.after.saturating_sub(self.before));
        match (self.lines, self.who) {
            (1, Some(who)) => format!("{added} {}", scope.name(who)),
            (1, None) => added,
            (lines, _) => format!("{added} from {lines} lines"),
        }
    }
}

/// Something to be marked on a chart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mark {
    /// From when, milliseconds of Unix time.
    pub from: i64,
    /// Until when.
    pub to: i64,
    /// What it is.
    pub words: String,
    /// Whether it lies ahead.
    pub ahead: bool,
}

/// The course of a subathon.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chart {
    /// When it was started.
    pub began: i64,
    /// Now.
    pub now: i64,
    /// What was left when it was started.
    pub first: i64,
    /// What is left now.
    pub left: i64,
    /// What was added and taken, in order; small ones that lie close together are one.
    pub steps: Vec<Step>,
    /// Breaks and pauses.
    pub pauses: Vec<Mark>,
    /// What comes of it.
    pub forecast: Forecast,
    /// Who added most: name and time as written.
    pub supporters: Vec<(String, String)>,
}

impl Subathon {
    /// When a clock ends that runs for so long from now on, with the breaks that come in between.
    fn end_after(&self, clock: &Clockwork, run: i64, scope: &Scope<'_>) -> i64 {
        let now = clock.at;
        let resumed = match clock.phase {
            Phase::Paused { until: Some(until) } => until.max(now),
            _ => now,
        };
        let mut end = resumed.saturating_add(run);
        let mut plan = self.plan(scope);
        plan.sort_by_key(|one| one.at);
        let ahead = clock.not_begun(&plan).filter(|one| one.by_itself && one.at >= now);
        for one in ahead {
            if one.at < end {
                end = end.saturating_add(one.ms);
            }
        }
        end
    }

    /// What is known about its end; none before it is started and when it is over.
    #[must_use]
    pub fn forecast(&self, state: &State, scope: &Scope<'_>) -> Option<Forecast> {
        let clock = self.seen(state, scope);
        if !clock.is_going() {
            return None;
        }
        let left = clock.left.max(0);
        let from = clock.at.saturating_sub(HOUR_MS);
        let (count, came) = state.sum.came_after(from);
        // A clock younger than an hour has had its additions in less.
        let span = clock.at.saturating_sub(clock.began).clamp(60_000, HOUR_MS);
        let rest = span.saturating_sub(came);
        let known = count >= FEW;
        let never = known && rest <= 0;
        let run = || half_even(i128::from(left).saturating_mul(span.into()), rest.into());
        let limits = &self.terms.now.limits;
        let total = limits.total_ms.map(|total| match limits.total_counts_pauses {
            true => clock.began.saturating_add(total),
            false => self.end_after(&clock, total.saturating_sub(clock.ran).max(0), scope),
        });
        let latest = limits.latest.map(|moment| ms(scope.settings.calendar.instant(moment)));
        let latest = [total, latest].into_iter().flatten().min();
        let capped = |end: i64| instant(latest.map_or(end, |latest| end.min(latest)));
        Some(Forecast {
            at_rest: instant(self.end_after(&clock, left, scope)),
            as_last_hour: match known {
                true if never => latest.map(instant),
                true => Some(capped(self.end_after(&clock, run(), scope))),
                false => None,
            },
            never,
            latest: latest.map(instant),
        })
    }

    /// Its course until now; none before it is started and when it is over.
    #[must_use]
    pub fn chart(&self, state: &State, scope: &Scope<'_>) -> Option<Chart> {
        let forecast = self.forecast(state, scope)?;
        let clock = self.seen(state, scope);
        let pauses = self.pauses(state, &clock, scope);
        let standing = |from: i64, to: i64| {
            let of = |mark: &Mark| mark.to.min(to).saturating_sub(mark.from.max(from)).max(0);
            pauses.iter().filter(|mark| !mark.ahead).map(of).fold(0_i64, i64::saturating_add)
        };
        let run = |from: i64, to: i64| to.saturating_sub(from).saturating_sub(standing(from, to)).max(0);
        // From the end back: what was left before is what is left now, without what came and with what has passed.
        let (mut left, mut at) = (clock.left, clock.at);
        let mut steps: Vec<Step> = Vec::new();
        let apart = clock.at.saturating_sub(clock.began).checked_div(MOST_STEPS as i64).unwrap_or(0);
        for line in state.sum.lines.iter().rev().filter(|line| line.given != 0 && line.at >= clock.began) {
            let when = line.at.min(at);
            match steps.last_mut() {
                Some(last) if last.at.saturating_sub(when) <= apart => {
                    last.before = last.before.saturating_sub(line.given);
                    last.lines = last.lines.saturating_add(1);
                    left = left.saturating_sub(line.given);
                }
                _ => {
                    let after = left.saturating_add(run(when, at));
                    let before = after.saturating_sub(line.given);
                    steps.push(Step { at: when, before, after, lines: 1, who: line.who });
                    (left, at) = (before, when);
                }
            }
        }
        steps.reverse();
        let first = left.saturating_add(run(clock.began, at));
        let named = |(who, ms)| (scope.name(who), signed(ms));
        let supporters = state.sum.first_supporters(SUPPORTERS).into_iter().map(named).collect();
        let (began, now, left) = (clock.began, clock.at, clock.left.max(0));
        Some(Chart { began, now, first, left, steps, pauses, forecast, supporters })
    }

    fn pauses(&self, state: &State, clock: &Clockwork, scope: &Scope<'_>) -> Vec<Mark> {
        use crate::record::acts::SubathonAct as Did;
        let mut all: Vec<Mark> = Vec::new();
        let mut open: Option<(i64, &'static str)> = None;
        for (line, act) in state.acts().in_force() {
            let at = ms(line.at);
            match act {
                Did::Pause => open = open.or(Some((at, "Paused"))),
                Did::Break { .. } => open = open.or(Some((at, "Break"))),
                Did::Reset => {
                    all.clear();
                    open = None;
                }
                Did::Start | Did::BreakEnds | Did::GoOn { .. } => {
                    if let Some((from, words)) = open.take() {
                        all.push(Mark { from, to: at, words: words.into(), ahead: false });
                    }
                }
                Did::Away { from, until, ran: false } => {
                    all.push(Mark { from: ms(*from), to: ms(*until), words: "Server away".into(), ahead: false });
                }
                _ => {}
            }
        }
        if let (Some((from, words)), Phase::Paused { .. }) = (open, clock.phase) {
            all.push(Mark { from, to: clock.at, words: words.into(), ahead: false });
        }
        let plan = self.plan(scope);
        let ahead = clock.not_begun(&plan).filter(|one| one.at >= clock.at);
        all.extend(ahead.map(|one| Mark { from: one.at, to: one.ends(), words: "Break".into(), ahead: true }));
        all
    }
}
