//! What a subathon clock shows.

use super::clockwork::{Clockwork, Phase, Planned};
use super::compute::{State, ms};
use super::explain::signed;
use super::forecast::Forecast;
use super::{Subathon, instant};
use crate::count::Scope;
use crate::lines::SAMPLE_NAMES;
use crate::record::acts::subathon::factor_words;
use crate::record::ids::Seq;
use crate::time::Instant;
use crate::time::face::Face;
use serde::Serialize;

/// How many of the newest additions are told.
const NEWEST: usize = 8;
/// For how long an addition is new, in milliseconds.
const FRESH_MS: i64 = 20_000;

/// What a subathon clock shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SubathonView {
    /// Its name.
    pub title: String,
    /// Whether it stands, runs or is over.
    pub phase: PhaseWord,
    /// What stands in its face at this instant.
    pub shown: String,
    /// While running: when it ends if nothing more comes. Pages tick towards it by themselves.
    pub ends_at: Option<Instant>,
    /// Milliseconds left at this instant.
    pub left_ms: i64,
    /// How its face is written.
    pub face: Face,
    /// What it says when it is over.
    pub over_text: String,
    /// When it was started.
    pub began_at: Option<Instant>,
    /// Which of the channel's days it is since it was started, the first being 1.
    pub day: Option<i64>,
    /// For how long it has run, in milliseconds.
    pub ran_ms: i64,
    /// All that was added so far, in milliseconds.
    pub added_ms: i64,
    /// All that was taken so far, in milliseconds.
    pub taken_ms: i64,
    /// The longest that it may still run, beside what it has run, where a limit tells; in milliseconds.
    pub most_ms: Option<i64>,
    /// The break under way, or the next one.
    pub break_next: Option<BreakView>,
    /// The factor in force, as it is written, where there is one.
    pub boost: Option<String>,
    /// Until when the boost by hand lasts.
    pub boost_until: Option<Instant>,
    /// The newest additions, oldest first.
    pub newest: Vec<AddedView>,
    /// When it ends, by what is known so far.
    pub forecast: Option<Forecast>,
}

/// A break under way or ahead.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct BreakView {
    /// When it begins, or began.
    pub from: Instant,
    /// When it ends.
    pub to: Instant,
    /// Whether it is under way.
    pub under_way: bool,
    /// Whether its moment has come, and somebody has to begin it.
    pub due: bool,
}

/// One addition.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct AddedView {
    /// Its line in the ledger, and which of several rows it counted by.
    pub seq: Seq,
    /// Who added it; none where nobody is named.
    pub name: Option<String>,
    /// Milliseconds; below zero was taken.
    pub ms: i64,
    /// The same as it is written: `+2:00`.
    pub words: String,
    /// When it was added.
    pub at: Instant,
}

/// The phase as a word for other programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum PhaseWord {
    /// Not started.
    Ready,
    /// Running down.
    Running,
    /// Standing still.
    Paused,
    /// Standing still for a break.
    Break,
    /// Run out, but an addition would revive it.
    Grace,
    /// Over.
    Over,
    /// A correction has left nothing on it, and somebody has to say whether it is over.
    InDoubt,
}

fn phase(subathon: &Subathon, clock: &Clockwork, now: i64) -> PhaseWord {
    match clock.phase {
        Phase::Ready => PhaseWord::Ready,
        _ if clock.is_in_doubt() => PhaseWord::InDoubt,
        Phase::Running => PhaseWord::Running,
        Phase::Paused { until: Some(_) } => PhaseWord::Break,
        Phase::Paused { until: None } => PhaseWord::Paused,
        _ if subathon.is_over(clock, now) => PhaseWord::Over,
        Phase::Zero { .. } | Phase::Over { .. } => PhaseWord::Grace,
    }
}

/// What is on the clock as shown: nothing once it is over.
pub(super) fn on_clock(clock: &Clockwork) -> i64 {
    if clock.has_run_out() { 0 } else { clock.left.max(0) }
}

/// What stands in its face.
pub(super) fn shown(subathon: &Subathon, clock: &Clockwork, scope: &Scope<'_>) -> String {
    if phase(subathon, clock, ms(scope.now)) == PhaseWord::Over && !subathon.over_text.is_empty() {
        return subathon.over_text.clone();
    }
    subathon.face().write(on_clock(clock))
}

impl SubathonView {
    /// How much of the longest that it may run it has run, and how much more is on the clock, in thousandths; none
    /// where nothing limits it.
    #[must_use]
    pub fn shares(&self) -> Option<(i64, i64)> {
        let share = |ms: i64, most: i64| ms.saturating_mul(1_000).checked_div(most.max(1)).unwrap_or(0).clamp(0, 1_000);
        let ran = share(self.ran_ms, self.most_ms?);
        Some((ran, share(self.left_ms, self.most_ms?).min(1_000_i64.saturating_sub(ran))))
    }

    /// What stands in its face.
    #[must_use]
    pub fn text(&self) -> String {
        self.shown.clone()
    }
}

pub(super) fn view(subathon: &Subathon, state: &State, scope: &Scope<'_>) -> SubathonView {
    let (clock, now) = (subathon.seen(state, scope), ms(scope.now));
    let calendar = &scope.settings.calendar;
    let phase = phase(subathon, &clock, now);
    let (added, taken) = (state.sum.added, state.sum.taken);
    let fresh = state.sum.lines.iter().rev().take_while(|line| line.at > now.saturating_sub(FRESH_MS));
    let mut newest: Vec<AddedView> = fresh
        .filter(|line| line.given != 0)
        .take(NEWEST)
        .map(|line| AddedView {
            seq: line.seq,
            name: line.who.map(|who| scope.name(who)),
            ms: line.given,
            words: signed(line.given),
            at: instant(line.at),
        })
        .collect();
    newest.reverse();
    let limits = &subathon.terms.now.limits;
    let boosts: Vec<_> = state.sum.boosts_at(now).collect();
    let planned = subathon.terms.now.planned_factors(now, calendar);
    let factor = super::terms::together(boosts.iter().map(|one| one.factor).chain(planned));
    let started = clock.phase != Phase::Ready;
    let forecast = subathon.forecast(state, scope);
    SubathonView {
        title: subathon.title.clone(),
        phase,
        shown: shown(subathon, &clock, scope),
        ends_at: (phase == PhaseWord::Running).then(|| instant(clock.at.saturating_add(clock.left))),
        left_ms: on_clock(&clock),
        face: subathon.face(),
        over_text: subathon.over_text.clone(),
        began_at: started.then(|| instant(clock.began)),
        day: started.then(|| {
            let first = calendar.day(instant(clock.began));
            calendar.day(scope.now).signed_duration_since(first).num_days().saturating_add(1)
        }),
        ran_ms: clock.ran,
        added_ms: added,
        taken_ms: taken,
        most_ms: forecast.and_then(|forecast| forecast.latest).map(|latest| match limits.total_ms {
            Some(total) if !limits.total_counts_pauses => total,
            _ => clock.ran.saturating_add(ms(latest).saturating_sub(now).max(0)),
        }),
        break_next: next_break(subathon, &clock, scope),
        boost: u32::try_from(factor)
            .ok()
            .filter(|factor| *factor != 1_000)
            .map(|one| format!("×{}", factor_words(one))),
        boost_until: boosts.iter().map(|one| one.until).max().map(instant),
        newest,
        forecast,
    }
}

fn next_break(subathon: &Subathon, clock: &Clockwork, scope: &Scope<'_>) -> Option<BreakView> {
    let now = ms(scope.now);
    if let Phase::Paused { until: Some(until) } = clock.phase {
        return Some(BreakView { from: instant(clock.at.min(now)), to: instant(until), under_way: true, due: false });
    }
    // One that only reminds does so until it would be over.
    let told = |one: &&Planned| one.at >= now || (!one.by_itself && one.at >= clock.began && one.ends() > now);
    let plan = subathon.plan(scope);
    let next = clock.not_begun(&plan).filter(told).min_by_key(|one| one.at).filter(|_| clock.is_going())?;
    let (from, to) = (instant(next.at), instant(next.ends()));
    Some(BreakView { from, to, under_way: false, due: next.at < now })
}

/// When the view next changes by itself, besides ticking.
pub(super) fn wakes_at(subathon: &Subathon, state: &State, scope: &Scope<'_>) -> Option<Instant> {
    let (clock, now) = (subathon.seen(state, scope), ms(scope.now));
    let due = clock.next(&subathon.plan(scope)).map(|(at, _)| at);
    let grace = match clock.phase {
        Phase::Zero { at } => Some(at.saturating_add(subathon.terms.at(at).grace_ms)),
        _ => None,
    };
    let boosts = state.sum.boosts.iter().map(|boost| boost.until);
    let next = next_break(subathon, &clock, scope);
    let reminds = next.into_iter().flat_map(|one| [ms(one.from).saturating_add(1), ms(one.to)]);
    let stale = state.sum.lines.last().map(|line| line.at.saturating_add(FRESH_MS));
    let moment = |moment| ms(scope.settings.calendar.instant(moment));
    let planned = subathon.terms.now.boosts.iter().flat_map(|boost| [moment(boost.from), moment(boost.to)]);
    let day = ms(scope.settings.calendar.span(crate::time::calendar::Period::Today, scope.now).to?);
    let all = due.into_iter().chain(grace).chain(boosts).chain(reminds).chain(stale).chain(planned).chain([day]);
    all.filter(|at| *at > now).min().map(instant)
}

/// With made-up figures.
pub(super) fn sample(subathon: &Subathon, scope: &Scope<'_>) -> SubathonView {
    let left = subathon.length_ms().saturating_mul(3).checked_div(4).unwrap_or(0);
    let clock = Clockwork { phase: Phase::Running, at: ms(scope.now), left, ran: 3_600_000, ..Clockwork::default() };
    let newest = SAMPLE_NAMES.into_iter().skip(1).zip([120_000, 30_000]).zip(1..).map(|((name, ms), seq)| AddedView {
        seq: Seq(seq),
        name: Some(name.into()),
        ms,
        words: signed(ms),
        at: scope.now,
    });
    SubathonView {
        title: subathon.title.clone(),
        phase: PhaseWord::Running,
        shown: subathon.face().write(left),
        ends_at: Some(instant(clock.at.saturating_add(left))),
        left_ms: left,
        face: subathon.face(),
        over_text: subathon.over_text.clone(),
        began_at: None,
        day: Some(1),
        ran_ms: clock.ran,
        added_ms: 150_000,
        taken_ms: 0,
        most_ms: subathon.terms.now.limits.total_ms,
        break_next: None,
        boost: None,
        boost_until: None,
        newest: newest.collect(),
        forecast: None,
    }
}
