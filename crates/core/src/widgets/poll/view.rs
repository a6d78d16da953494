//! What a poll shows.

use super::held::{LATE_MS, Outcome, Tallied};
use super::{Poll, State, ballot, words};
use crate::count::Scope;
use crate::record::acts::poll::{Which, name};
use crate::record::ids::Seq;
use crate::time::face::{Direction, Face};
use crate::time::{Instant, after, before};
use chrono::TimeDelta;
use serde::Serialize;

/// From so many seconds before it closes, a poll says so.
const CLOSING_S: i64 = 10;

/// So long it takes to leave the picture.
const LEAVING_MS: i64 = 800;

/// What a poll shows.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct PollView {
    /// The widget's name.
    pub title: String,
    /// Whether a poll is open, its result is shown, or nothing is.
    pub phase: PhaseWord,
    /// Which poll it is.
    pub which: Option<Which>,
    /// What is asked; possibly empty with two options.
    pub question: String,
    /// What can be chosen.
    pub options: Vec<OptionView>,
    /// All votes: viewers, or as another place tells them.
    pub votes: u64,
    /// All votes with weights and tips.
    pub weighted: u64,
    /// Whether shares are kept back until it is over.
    pub secret: bool,
    /// When it closes, or was closed.
    pub closes_at: Option<Instant>,
    /// Milliseconds until it closes, at this instant.
    pub left_ms: Option<i64>,
    /// For how many milliseconds it is open in all.
    pub length_ms: Option<i64>,
    /// The same as it is written.
    pub left: String,
    /// Whether it is about to close.
    pub closing: bool,
    /// Whether several have most votes and nobody has decided between them.
    pub tie: bool,
    /// The option that has won, the first being 1.
    pub winner: Option<usize>,
    /// Whether a tie was decided: by a wheel, or by hand.
    pub decided_by: Option<&'static str>,
    /// All votes in words: `41 votes`.
    pub votes_words: String,
    /// What stands below: how to vote, or that it is a tie, or who decided it.
    pub note: String,
    /// Whether it is about to leave the picture.
    pub leaving: bool,
}

/// One option.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OptionView {
    /// Its number, the first being 1.
    pub number: usize,
    /// Its letter.
    pub letter: char,
    /// Its words.
    pub text: String,
    /// Viewers, or votes as another place tells them.
    pub votes: u64,
    /// With weights and tips.
    pub weighted: u64,
    /// How many of those tips have cast.
    pub by_tips: u64,
    /// Its share in whole percent; all of them sum to 100 once somebody has voted.
    pub percent: u8,
    /// Whether nobody has more.
    pub leads: bool,
    /// Whether it has won.
    pub won: bool,
}

/// The phase as a word for other programs.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum PhaseWord {
    /// Nothing is on the picture.
    #[default]
    Idle,
    /// Votes count.
    Open,
    /// It is over, and its result stays for a while.
    Closed,
}

impl PollView {
    /// For whoever is not to know how an open poll stands whose shares are kept back.
    pub fn keep_secret(&mut self) {
        if !self.secret || self.phase != PhaseWord::Open {
            return;
        }
        for option in &mut self.options {
            (option.votes, option.weighted, option.by_tips, option.percent, option.leads) = (0, 0, 0, 0, false);
        }
    }

    /// `Which livery? Green 58 %, Black 42 %`.
    #[must_use]
    pub fn text(&self) -> String {
        if self.phase == PhaseWord::Idle {
            return String::new();
        }
        let keeps_back = self.secret && self.phase == PhaseWord::Open;
        let option = |one: &OptionView| match keeps_back {
            true => one.text.clone(),
            false => format!("{} {} %", one.text, one.percent),
        };
        let options = self.options.iter().map(option).collect::<Vec<_>>().join(", ");
        format!("{} {options}", self.question).trim().to_owned()
    }
}

impl Poll {
    /// How long a result that was over, or asked for again, at an instant stays.
    fn stays_until(&self, from: Instant) -> Instant {
        after(from, self.linger())
    }
}

/// The poll that is on the picture, and until when its result stays.
pub(super) fn on_show(poll: &Poll, state: &State, scope: &Scope<'_>) -> Option<(Outcome, Option<Instant>)> {
    let now = scope.now;
    let elsewhere = if poll.elsewhere { state.outcomes_for_picture(scope) } else { Vec::new() };
    // Open ones first, ours before others; what is over is the newest of all. One that was called off never was.
    let here: Option<Outcome> = state.outcomes_here(scope).find(|one| !one.cancelled);
    let opened = |one: &&Outcome| one.is_open(now) && one.opened_at <= now;
    if let Some(open) = here.iter().chain(&elsewhere).find(opened) {
        return Some((open.clone(), None));
    }
    let over = here.into_iter().chain(elsewhere).filter(|one| !one.cancelled);
    let ended = over.filter_map(|one| Some((one.over_at(now)?, one))).max_by_key(|(at, _)| *at);
    // What is over since an old result was asked for is news.
    let recalled = state.recalled.as_ref().filter(|(_, at)| ended.as_ref().is_none_or(|(ended, _)| ended <= at));
    if let Some((which, at)) = recalled {
        let until = poll.stays_until(*at);
        if now < until
            && let Some(outcome) = state.outcome(which, scope)
        {
            return Some((outcome, Some(until)));
        }
    }
    let (at, newest) = ended?;
    let hidden = state.hidden_at.filter(|hidden| *hidden >= at);
    let gone = hidden.map(|hidden| after(hidden, TimeDelta::milliseconds(LEAVING_MS)));
    let until = poll.stays_until(at).min(gone.unwrap_or(Instant::MAX_UTC));
    (now < until).then_some((newest, Some(until)))
}

fn left_words(ms: i64) -> String {
    Face::plain(Direction::Down).write(ms)
}

fn seen(poll: &Poll, outcome: &Outcome, scope: &Scope<'_>) -> PollView {
    let open = outcome.is_open(scope.now);
    let (leading, winner) = (outcome.leading(), outcome.winner().filter(|_| !open));
    let option = |(index, (one, percent)): (usize, (&Tallied, u8))| OptionView {
        number: index.saturating_add(1),
        letter: ballot::letter(index),
        text: one.text.clone(),
        votes: one.votes,
        weighted: one.weighted,
        by_tips: one.by_tips,
        percent,
        leads: leading.contains(&index),
        won: winner == Some(index),
    };
    let left_ms = outcome.end.filter(|_| open).map(|end| end.signed_duration_since(scope.now).num_milliseconds());
    let here = matches!(outcome.which, Which::Here(_));
    let words = words::of(scope.language);
    let votes = outcome.options.iter().fold(0, |sum: u64, one| sum.saturating_add(one.votes));
    let tie = !open && outcome.is_tied();
    let decided = outcome.decided.filter(|_| winner.is_some() && leading.len() > 1);
    let note = match decided {
        _ if open && here => words.how(outcome.options.len()),
        _ if tie => words.tie.to_owned(),
        Some((_, true)) => words.by_wheel.to_owned(),
        _ => String::new(),
    };
    PollView {
        title: poll.title.clone(),
        phase: if open { PhaseWord::Open } else { PhaseWord::Closed },
        which: Some(outcome.which.clone()),
        question: outcome.question.clone(),
        options: outcome.options.iter().zip(outcome.percentages()).enumerate().map(option).collect(),
        votes,
        weighted: outcome.total(),
        secret: poll.secret && here,
        closes_at: outcome.end,
        left_ms,
        length_ms: outcome.end.map(|end| end.signed_duration_since(outcome.opened_at).num_milliseconds()),
        left: left_ms.map(left_words).unwrap_or_default(),
        closing: left_ms.is_some_and(|ms| ms <= CLOSING_S.saturating_mul(1_000)),
        tie,
        winner: winner.map(|index| index.saturating_add(1)),
        decided_by: decided.map(|(_, by_wheel)| if by_wheel { "wheel" } else { "hand" }),
        votes_words: format!("{} {}", scope.language.number(super::number(votes)), words.votes(votes)),
        note,
        leaving: false,
    }
}

pub(super) fn view(poll: &Poll, state: &State, scope: &Scope<'_>) -> PollView {
    match on_show(poll, state, scope) {
        Some((outcome, until)) => {
            let leaving = until.is_some_and(|until| scope.now >= before(until, TimeDelta::milliseconds(LEAVING_MS)));
            PollView { leaving, ..seen(poll, &outcome, scope) }
        }
        None => PollView { title: poll.title.clone(), ..PollView::default() },
    }
}

/// The first saved poll, or one made up, half-way through.
pub(super) fn sample(poll: &Poll, scope: &Scope<'_>) -> PollView {
    let (question, options) = poll.saved.first().map_or_else(
        || ("Which livery for engine No. 7?".to_owned(), ["Green", "Black", "Maroon"].map(str::to_owned).to_vec()),
        |saved| (saved.question.clone(), saved.options.clone()),
    );
    let votes = [41_u64, 30, 12, 9, 7, 5, 3, 2].into_iter();
    let option = |(text, votes): (&String, u64)| Tallied { text: text.clone(), votes, weighted: votes, by_tips: 0 };
    let outcome = Outcome {
        which: Which::Here(Seq(0)),
        options: options.iter().zip(votes).map(option).collect(),
        question,
        opened_at: before(scope.now, TimeDelta::seconds(42)),
        end: Some(after(scope.now, TimeDelta::seconds(78))),
        cancelled: false,
        decided: None,
        by: None,
    };
    seen(poll, &outcome, scope)
}

pub(super) fn wakes_at(poll: &Poll, state: &State, scope: &Scope<'_>) -> Option<Instant> {
    let mut moments: Vec<Instant> = Vec::new();
    if let Some((outcome, until)) = on_show(poll, state, scope) {
        moments.extend(until.into_iter().flat_map(|at| [before(at, TimeDelta::milliseconds(LEAVING_MS)), at]));
        if let Some(end) = outcome.end {
            let late = after(end, TimeDelta::milliseconds(LATE_MS));
            moments.extend([before(end, TimeDelta::seconds(CLOSING_S)), end, late, poll.stays_until(end)]);
        }
    }
    if poll.elsewhere {
        // One that is dated ahead opens by itself.
        let ahead = state.outcomes_for_picture(scope);
        moments.extend(ahead.iter().flat_map(|one| [Some(one.opened_at), one.end]).flatten());
    }
    moments.into_iter().filter(|at| *at > scope.now).min()
}

/// What the desk has to be told of: a poll that is open, about to close, or whose result is on the picture.
pub(super) fn attention(poll: &Poll, state: &State, scope: &Scope<'_>) -> Option<String> {
    let (outcome, _) = on_show(poll, state, scope)?;
    let name = name(&outcome.question, outcome.options.iter().map(|one| one.text.as_str()));
    let seen = seen(poll, &outcome, scope);
    Some(match (seen.phase, seen.winner.and_then(|number| seen.options.get(number.saturating_sub(1)))) {
        (PhaseWord::Open, _) if seen.closing => format!("About to close: {name}"),
        (PhaseWord::Open, _) => format!("A poll is open: {name}"),
        (_, Some(won)) => format!("{name} {} has won with {} %", won.text, won.percent),
        _ if seen.tie => {
            let tied = seen.options.iter().filter(|one| one.leads).map(|one| one.text.as_str()).collect::<Vec<_>>();
            format!("{name} A tie of {}: decide, or spin for it", tied.join(" and "))
        }
        _ => format!("{name} Nobody has voted"),
    })
}
