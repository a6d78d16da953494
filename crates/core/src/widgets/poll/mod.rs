//! Polls: held here, voted by chat and by tips, or held elsewhere and told by events.
//!
//! A poll that is held here goes open → closed, or is called off; its result lingers for a while. All that decides
//! how votes count stands in the line that opened it. A vote counts if it was sent before the closing, though it
//! arrives up to two seconds later; of a viewer's votes the last counts, or the first. It closes at its time by what is
//! written there, so a server that was away has missed nothing.

mod ballot;
mod elsewhere;
mod held;
mod levers;
mod sentence;
mod shares;
mod view;
mod words;

pub use ballot::{letter, written};
pub use held::{Held, Outcome, Tallied};
pub use shares::percentages;
pub use view::{OptionView, PhaseWord, PollView};

use super::{Action, Cued, Family, Known, Lever, News, Said, Watched};
use crate::book::Book;
use crate::book::chat::{ChatLine, Role};
use crate::count::explain::{Effect, Slip, SlipLine};
use crate::count::published::Published;
use crate::count::{Count, Scope};
use crate::language::unit::Unit;
use crate::look::tokens::{BAR, PLATE, POLL_SOUNDS, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::record::acts::poll::{Ballot, Which};
use crate::record::acts::{Act, PollAct};
use crate::record::entry::{Body, Entry};
use crate::record::happening::{Happening, Kind};
use crate::record::ids::Seq;
use crate::record::measure::Measure;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::time::calendar::Period;
use crate::time::words::instant_words;
use crate::time::{Instant, after};
use crate::widgets::view::View;
use chrono::TimeDelta;
use elsewhere::Elsewhere;
use serde::{Deserialize, Serialize};

/// How many polls of the past are told on a slip and shown in the history at once.
const MOST_TOLD: usize = 20;
/// How many polls that are held elsewhere are looked at for the picture.
const NEWEST_ELSEWHERE: usize = 8;

/// A poll that is kept to be opened.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Saved {
    /// What it asks; possibly empty with two options.
    pub question: String,
    /// What can be chosen.
    pub options: Vec<String>,
}

/// What a poll widget is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Poll {
    /// Its name.
    pub title: String,
    /// Polls that can be opened with one press.
    #[serde(default)]
    pub saved: Vec<Saved>,
    /// For how many seconds a poll is open; none until somebody closes it.
    pub seconds: Option<i64>,
    /// Whether a viewer's last vote counts; otherwise their first.
    pub last_counts: bool,
    /// How much the vote of a subscriber weighs.
    pub subscriber_weight: u32,
    /// How many votes a tip casts for each unit of the channel's currency; 0 for none.
    pub votes_per_unit: u32,
    /// For how many seconds a result stays.
    pub linger_s: i64,
    /// Whether shares are shown only when it is over.
    #[serde(default)]
    pub secret: bool,
    /// The word with which helpers open polls in chat; empty for none.
    #[serde(default)]
    pub word: String,
    /// Whether polls that are held elsewhere are shown.
    pub elsewhere: bool,
}

/// What the ledger has made of it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct State {
    /// The polls that were held here, oldest first.
    held: Vec<Held>,
    elsewhere: Elsewhere,
    /// Which result was asked for again, and when.
    recalled: Option<(Which, Instant)>,
    /// When results were taken off the picture.
    hidden_at: Option<Instant>,
    /// How ties were decided, and whether by a wheel.
    decided: Vec<(Which, u8, bool)>,
}

impl State {
    fn newest(&self) -> Option<&Held> {
        self.held.last()
    }

    /// The poll that is open here.
    fn open(&self, now: Instant) -> Option<&Held> {
        self.newest().filter(|one| one.is_open(now))
    }

    fn held(&self, seq: Seq) -> Option<&Held> {
        // The newest is asked for most.
        self.held.iter().rev().find(|one| one.seq == seq)
    }

    /// Whether votes for a poll may still come: until what is late is too late.
    #[must_use]
    pub fn awaits_votes(&self, poll: Seq, now: Instant) -> bool {
        // Those of two polls are told apart at once, see `did`.
        self.held.iter().rev().take(2).any(|held| held.seq == poll && held.awaits(now))
    }

    fn decided(&self, mut outcome: Outcome) -> Outcome {
        let decided = self.decided.iter().rev().find(|(which, ..)| *which == outcome.which);
        outcome.decided = decided.map(|(_, option, by_wheel)| (*option, *by_wheel));
        outcome
    }

    /// How the polls stand that were held here, the newest first.
    pub fn outcomes_here<'a>(&'a self, scope: &'a Scope<'_>) -> impl Iterator<Item = Outcome> + 'a {
        self.held.iter().rev().map(|one| self.decided(one.outcome(scope.book, scope.settings)))
    }

    /// How those stand that are held elsewhere, the one that was opened last first.
    #[must_use]
    pub fn outcomes_elsewhere(&self, book: &Book, most: usize) -> Vec<Outcome> {
        self.elsewhere.outcomes(book, most).into_iter().map(|one| self.decided(one)).collect()
    }

    /// How those stand that are held elsewhere and may be on the picture: all that are open, however many are newer, and the
    /// newest.
    fn outcomes_for_picture(&self, scope: &Scope<'_>) -> Vec<Outcome> {
        let found = self.elsewhere.open_or_newest(scope.book, NEWEST_ELSEWHERE, scope.now);
        found.into_iter().map(|one| self.decided(one)).collect()
    }

    fn outcome(&self, which: &Which, scope: &Scope<'_>) -> Option<Outcome> {
        match which {
            Which::Here(seq) => self.held(*seq).map(|one| self.decided(one.outcome(scope.book, scope.settings))),
            Which::Elsewhere(_) => {
                self.outcomes_elsewhere(scope.book, usize::MAX).into_iter().find(|one| one.which == *which)
            }
        }
    }

    fn did(&mut self, entry: &Entry, by: &str, act: &PollAct) {
        let at = entry.happened_at;
        match act {
            PollAct::Open(ballot) => {
                self.held.push(Held::opened(entry.seq, by, ballot.clone(), at));
                // Votes for the one before may still be on their way.
                let older = self.held.len().saturating_sub(2);
                self.held.iter_mut().take(older).rev().take(1).for_each(Held::forget_voters);
            }
            PollAct::Votes { poll, votes } => {
                if let Some(held) = self.held.iter_mut().rev().find(|one| one.seq == *poll) {
                    held.take(votes);
                }
            }
            PollAct::Recall { poll } => self.recalled = Some((poll.clone(), at)),
            PollAct::Hide => (self.recalled, self.hidden_at) = (None, Some(at)),
            PollAct::Decide { poll, option, by_wheel } => self.decided.push((poll.clone(), *option, *by_wheel)),
            PollAct::Extend { .. } | PollAct::Close | PollAct::Cancel => {
                if let Some(held) = self.held.last_mut().filter(|one| one.is_open(at) || one.end() == Some(at)) {
                    match act {
                        PollAct::Extend { seconds } => {
                            let from = held.closes_at.unwrap_or(at);
                            held.closes_at = Some(after(from, TimeDelta::seconds(*seconds)));
                        }
                        PollAct::Close => held.closed = Some((at, by.to_owned())),
                        _ => (held.closed, held.cancelled) = (Some((at, by.to_owned())), true),
                    }
                }
            }
        }
    }

    /// Notes a tip that votes with its message.
    fn note_tip(&mut self, entry: &Entry, message: &str) -> bool {
        for held in self.held.iter_mut().rev().take(2) {
            if held.ballot.votes_per_unit > 0
                && held.in_time(entry.happened_at, entry.arrived_at)
                && let Some(option) = held.ballot.read(message)
            {
                held.tips.push(held::TipVote { seq: entry.seq, at: entry.happened_at, option });
                return true;
            }
        }
        false
    }

    fn note(&mut self, entry: &Entry) -> bool {
        match &entry.body {
            Body::Happening(Happening::Poll(standing)) => {
                self.elsewhere.take(standing, entry.happened_at.timestamp_micros(), entry.seq);
                true
            }
            Body::Happening(Happening::Tip { message: Some(message), .. }) => self.note_tip(entry, message),
            _ => false,
        }
    }
}

impl Poll {
    fn ballot(&self, question: String, options: Vec<String>) -> Ballot {
        Ballot {
            question,
            options,
            seconds: self.seconds,
            last_counts: self.last_counts,
            subscriber_weight: self.subscriber_weight,
            votes_per_unit: self.votes_per_unit,
        }
    }

    fn linger(&self) -> TimeDelta {
        TimeDelta::seconds(self.linger_s)
    }
}

/// The tokens of every shape.
const BALLOT: &[&[crate::look::Token]] = &[TITLED, TEXT, PLATE, BAR, POLL_SOUNDS];

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[
    look::Part::Title,
    look::Part::Name,
    look::Part::Percentage,
    look::Part::Words,
    look::Part::Bar,
    look::Part::Line,
];

impl Family for Poll {
    type State = State;
    const KEY: &'static str = "poll";
    const CUED: Cued = Cued::of(
        Watched::Closed,
        &[
            Known::typed("open", "ask"),
            Known::numbered("open", "ask the saved poll number", 1),
            Known::new("close", "close"),
            Known::numbered("extend", "stay open for so many seconds more", 60),
            Known::new("cancel", "call it off"),
            Known::new("hide", "hide the result"),
        ],
    );
    const SHAPES: &'static [Shape] = &[
        Shape { key: "stubs", words: "Ticket stubs", tokens: BALLOT, parts: PARTS, size: (620, 420) },
        Shape { key: "arms", words: "Signal arms", tokens: BALLOT, parts: PARTS, size: (760, 420) },
        Shape { key: "slate", words: "Chalk slate", tokens: BALLOT, parts: PARTS, size: (620, 400) },
        Shape {
            key: "coupling",
            words: "Duel: coupling",
            tokens: BALLOT,
            parts: &[look::Part::Title, look::Part::Name, look::Part::Percentage, look::Part::Words, look::Part::Bar],
            size: (1100, 150),
        },
        Shape {
            key: "halves",
            words: "Duel: two halves",
            tokens: BALLOT,
            parts: &[look::Part::Title, look::Part::Name, look::Part::Percentage, look::Part::Words, look::Part::Bar],
            size: (900, 220),
        },
        Shape {
            key: "beam",
            words: "Duel: beam scales",
            tokens: BALLOT,
            parts: &[look::Part::Title, look::Part::Name, look::Part::Percentage, look::Part::Words],
            size: (700, 360),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "New poll".into(),
            saved: Vec::new(),
            seconds: Some(120),
            last_counts: true,
            subscriber_weight: 1,
            votes_per_unit: 0,
            linger_s: 30,
            secret: false,
            word: String::new(),
            elsewhere: true,
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    /// What votes with money, for readiness and rehearsals.
    fn counts(&self, _: &State, _: &Settings) -> Vec<Count> {
        let tips = Count::of(Measure::AmountOfTips, Period::AllTime);
        if self.votes_per_unit > 0 { vec![tips] } else { Vec::new() }
    }

    fn notes(&self) -> u16 {
        Kind::Poll.bit() | Kind::Tip.bit()
    }

    fn hears(&self, state: &State, line: &ChatLine, now: Instant) -> Option<Said> {
        if !self.word.is_empty()
            && line.role >= Role::Helper
            && let Some(text) = line.after(&self.word)
        {
            return Some(Said::Press { action: "ask", text: text.to_owned() });
        }
        let sent = line.at.min(now);
        let takes = |held: &Held| {
            let option = held.in_time(sent, now).then(|| held.ballot.read(&line.text)).flatten()?;
            Some(Said::Vote { poll: held.seq, option })
        };
        state.held.iter().rev().take(2).find_map(takes)
    }

    fn follow(&self, state: &mut State, news: News<'_>, scope: &Scope<'_>) -> bool {
        match news {
            News::Happened(entry) | News::Replayed(entry) => state.note(entry),
            News::Anew => {
                state.elsewhere.look_again(scope.book);
                true
            }
            News::Said(_) | News::Operated | News::Beside(_) => false,
        }
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let Body::Act { by, act: Act::Poll(act), .. } = &entry.body else { return false };
        state.did(entry, by, act);
        true
    }

    fn due(&self, state: &State, scope: &Scope<'_>) -> Option<(Instant, Act)> {
        let open = state.newest().filter(|one| one.closed.is_none());
        if let Some(at) = open.and_then(|one| one.closes_at).filter(|at| *at <= scope.now) {
            return Some((at, Act::Poll(PollAct::Close)));
        }
        levers::settled(state, scope).map(|(at, act)| (at, Act::Poll(act)))
    }

    fn publishes(&self, state: &State, scope: &Scope<'_>) -> Option<Published> {
        let here = state.outcomes_here(scope).find(|one| !one.cancelled);
        let elsewhere = if self.elsewhere { state.outcomes_elsewhere(scope.book, 1) } else { Vec::new() };
        let newest = here.into_iter().chain(elsewhere).max_by_key(|one| one.opened_at)?;
        // One that is held here is over once that is written.
        let over = match newest.which {
            Which::Here(seq) => state.held(seq).is_some_and(|held| held.closed.is_some()),
            Which::Elsewhere(_) => newest.over_at(scope.now).is_some(),
        };
        Some(Published::Poll {
            title: self.title.clone(),
            tied: if over && newest.is_tied() { newest.leading() } else { Vec::new() },
            options: newest.options.into_iter().map(|one| (one.text, one.weighted)).collect(),
            poll: newest.which,
        })
    }

    fn decide(&self, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal> {
        levers::decide(self, state, action, scope).map(Act::Poll)
    }

    fn levers(&self, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
        levers::levers(self, state, scope)
    }

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self)
    }

    fn edit(&mut self, key: &str, text: &str, _: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Poll(view::view(self, state, scope))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Poll(view::sample(self, scope))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        view::wakes_at(self, state, scope)
    }

    fn attention(&self, state: &State, scope: &Scope<'_>) -> Option<String> {
        view::attention(self, state, scope)
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let calendar = &scope.settings.calendar;
        let shown = view::view(self, state, scope);
        let mut terms = Vec::new();
        if let Some((outcome, _)) = view::on_show(self, state, scope) {
            for one in &outcome.options {
                let (votes, weight) = (Unit::Things.show(number(one.votes)), Unit::Things.show(number(one.weighted)));
                let tips = match one.by_tips {
                    0 => String::new(),
                    tips => format!(", of which tips cast {}", Unit::Things.show(number(tips))),
                };
                terms.push((format!("{}: {votes} voted{tips}", one.text), weight));
            }
        }
        let line = |outcome: Outcome| {
            let Which::Here(seq) = outcome.which else { return None };
            let winner = outcome.winner().and_then(|index| outcome.options.get(index)).map(|one| one.text.clone());
            let result = if outcome.cancelled {
                Effect::LeftOut("called off".into())
            } else if outcome.is_open(scope.now) {
                Effect::Counts("open".into())
            } else {
                Effect::Counts(winner.unwrap_or_else(|| "undecided".into()))
            };
            let when = instant_words(calendar, outcome.opened_at);
            let by = outcome.by.unwrap_or_default();
            Some(SlipLine { seq, when, words: format!("{by} opened “{}”", outcome.question), effect: result })
        };
        Slip {
            terms,
            shown: shown.text(),
            span: match (shown.closes_at, shown.phase) {
                (Some(at), PhaseWord::Open) => format!("Open until {}", instant_words(calendar, at)),
                (None, PhaseWord::Open) => "Open until somebody closes it".into(),
                (Some(at), PhaseWord::Closed) => format!("Closed {}", instant_words(calendar, at)),
                _ => "No poll is on the picture".into(),
            },
            lines: state.outcomes_here(scope).filter_map(line).take(MOST_TOLD).collect(),
        }
    }
}

/// A number of votes as figures have them.
fn number(votes: u64) -> i64 {
    i64::try_from(votes).unwrap_or(i64::MAX)
}
