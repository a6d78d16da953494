//! Wheels: slices with weights from a list, from a pot that viewers enter, or from a poll's options.
//!
//! Fair in public: before a spin the SHA-256 of its secret seed is written into the record and shown; the spin is written
//! with the seed and the list before it turns, so it stands whatever happens meanwhile; and `fair.rs` says how anybody
//! can reckon it again. The seed is made outside, and comes through [`Scope::seeds`].

mod fair;
mod levers;
mod pot;
mod sentence;
mod state;
mod view;
mod words;

pub use fair::{Drawn, commitment, draw, stop};
pub use pot::{Entry as PotEntry, Pot};
pub use state::{Spun, State, rests_at};
pub use view::{PhaseWord, PotView, Sector, Turn, WheelView, Winner};

use super::{Action, Cued, Family, Known, Lever, News, Said, Watched};
use crate::book::chat::{ChatLine, Role};
use crate::count::explain::{Effect, Slip, SlipLine};
use crate::count::published::Published;
use crate::count::{Count, Scope};
use crate::look::tokens::{BAR, PLATE, TEXT, TITLED, WHEEL_SOUNDS};
use crate::look::{self, Shape};
use crate::record::acts::poll::Which;
use crate::record::acts::wheel::{AfterWin, Bytes32, Slice, total};
use crate::record::acts::{Act, WheelAct};
use crate::record::entry::{Body, Entry};
use crate::record::happening::Kind;
use crate::record::ids::{Seq, WidgetId};
use crate::record::measure::Measure;
use crate::record::refusal::Refusal;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::time::words::instant_words;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

/// How many spins of the past are told on a slip.
const MOST_TOLD: usize = 30;
/// How many spins may wait.
const MOST_QUEUED: usize = 20;
/// Seconds for which the word of a pot is not heard again from the same viewer.
const WORD_REST_S: i64 = 5;

/// From what a wheel draws.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Source {
    /// Its own list.
    #[default]
    List,
    /// Those who are in the pot.
    Pot,
    /// The options of the newest poll of a widget, as heavy as their votes.
    Poll(WidgetId),
}

/// What a wheel is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Wheel {
    /// Its name.
    pub title: String,
    /// From what it draws.
    pub source: Source,
    /// Its own list.
    pub slices: Vec<Slice>,
    /// How viewers come into the pot.
    pub entry: PotEntry,
    /// Who may say the word.
    pub least: Role,
    /// What becomes of what was drawn.
    pub after: AfterWin,
    /// For how many seconds it turns.
    pub turn_s: i64,
    /// For how many seconds it rests between two spins.
    pub rest_s: i64,
    /// For how many seconds the winner's name stays.
    pub show_s: i64,
}

impl Wheel {
    /// What can be drawn now, in its order.
    fn slices(&self, state: &State, scope: &Scope<'_>) -> Vec<Slice> {
        let all = match self.source {
            Source::List => self.slices.clone(),
            Source::Pot => state.pot.entrants(&self.entry, scope),
            Source::Poll(widget) => match scope.published.get(&widget) {
                Some(Published::Poll { options, .. }) => options
                    .iter()
                    .map(|(text, votes)| Slice {
                        text: text.clone(),
                        weight: u32::try_from(*votes).unwrap_or(u32::MAX),
                    })
                    .collect(),
                _ => Vec::new(),
            },
        };
        let left = |slice: Slice| {
            let gone = state.taken.get(&slice.text).copied().unwrap_or(0);
            Slice { weight: slice.weight.saturating_sub(gone), ..slice }
        };
        all.into_iter().map(left).filter(|slice| slice.weight > 0).collect()
    }

    fn turn_ms(&self) -> u32 {
        u32::try_from(self.turn_s.saturating_mul(1_000)).unwrap_or(6_000)
    }

    /// A spin now, with the seed that was promised.
    fn spin(
        &self,
        state: &State,
        slices: Vec<Slice>,
        tie: Option<Which>,
        asked: Option<Seq>,
        scope: &Scope<'_>,
    ) -> Option<WheelAct> {
        let seed = *scope.seeds.get(&state.commitment?)?;
        Some(WheelAct::Spin { seed, slices, turn_ms: self.turn_ms(), after: self.after, tie, asked })
    }
}

/// The tokens of every shape.
const WHEEL: &[&[crate::look::Token]] = &[TITLED, TEXT, PLATE, BAR, WHEEL_SOUNDS];

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[look::Part::Title, look::Part::Name, look::Part::Words];

impl Family for Wheel {
    type State = State;
    const KEY: &'static str = "wheel";
    const CUED: Cued = Cued::of(
        Watched::Rested,
        &[
            Known::new("spin", "spin"),
            Known::new("open_pot", "let viewers enter"),
            Known::new("close_pot", "close the pot"),
            Known::new("empty_pot", "empty the pot"),
        ],
    );
    const SHAPES: &'static [Shape] = &[
        Shape { key: "disc", words: "Inked disc", tokens: WHEEL, parts: PARTS, size: (620, 680) },
        Shape { key: "drum", words: "Drum from the side", tokens: WHEEL, parts: PARTS, size: (620, 460) },
        Shape { key: "run", words: "Strip that runs past", tokens: WHEEL, parts: PARTS, size: (1200, 190) },
    ];

    fn standard(_: &Settings) -> Self {
        let slice = |text: &str| Slice { text: text.into(), weight: 1 };
        Self {
            title: "New wheel".into(),
            source: Source::List,
            slices: ["One", "Two", "Three", "Four"].map(slice).into(),
            entry: PotEntry { word: "!join".into(), each: 1, by_tip: 0, by_sub: 0 },
            least: Role::Viewer,
            after: AfterWin::Keep,
            turn_s: 6,
            rest_s: 0,
            show_s: 10,
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    /// What brings viewers into its pot, for readiness and rehearsals.
    fn counts(&self, _: &State, _: &Settings) -> Vec<Count> {
        let by = [
            (!self.entry.word.is_empty(), Measure::CountOfCommands),
            (self.entry.by_tip > 0, Measure::AmountOfTips),
            (self.entry.by_sub > 0, Measure::CountOfSubs),
        ];
        let by = by.into_iter().filter(|(on, _)| *on && self.source == Source::Pot);
        by.map(|(_, measure)| Count::of(measure, Period::AllTime)).collect()
    }

    fn notes(&self) -> u16 {
        Kind::Command.bit() | Kind::Tip.bit() | Kind::Sub.bit()
    }

    fn hears(&self, state: &State, line: &ChatLine, _: Instant) -> Option<Said> {
        let enters = self.source == Source::Pot && state.pot.open_since.is_some() && !self.entry.word.is_empty();
        let text = (enters && line.role >= self.least).then(|| line.after(&self.entry.word)).flatten()?;
        Some(Said::Command { word: self.entry.word.clone(), text: text.to_owned(), rest_s: WORD_REST_S })
    }

    fn words(&self) -> Vec<(String, &'static str)> {
        let listens = self.source == Source::Pot && !self.entry.word.is_empty();
        listens.then(|| (self.entry.word.clone(), "enters")).into_iter().collect()
    }

    fn follow(&self, state: &mut State, news: News<'_>, _: &Scope<'_>) -> bool {
        match news {
            News::Happened(entry) | News::Replayed(entry) => match &entry.body {
                Body::Happening(happening) => {
                    state.pot.note(happening.kind(), entry.happened_at, entry.seq) && self.source == Source::Pot
                }
                _ => false,
            },
            News::Anew => true,
            News::Said(_) | News::Operated | News::Beside(_) => false,
        }
    }

    fn publishes(&self, state: &State, _: &Scope<'_>) -> Option<Published> {
        let last = state.last()?;
        Some(Published::Drawn { poll: last.tie.clone()?, option: last.text.clone(), at: last.ends() })
    }

    fn apply(&self, state: &mut State, entry: &Entry) -> bool {
        let Body::Act { by, act: Act::Wheel(act), .. } = &entry.body else { return false };
        state.did(entry, by, act);
        true
    }

    fn goes_by_others(&self) -> bool {
        true
    }

    fn promise(&self, state: &State) -> Option<Option<Bytes32>> {
        Some(state.commitment)
    }

    fn due(&self, state: &State, scope: &Scope<'_>) -> Option<(Instant, Act)> {
        let asked = state.queue.first().map(|(seq, _)| *seq)?;
        let at = state.rests_until(self)?;
        if at > scope.now {
            return None;
        }
        let slices = self.slices(state, scope);
        if slices.is_empty() {
            // Nothing is left to be drawn.
            return Some((at, Act::Wheel(WheelAct::Unqueue)));
        }
        // It turns from now on, whenever it could have begun.
        Some((scope.now, Act::Wheel(self.spin(state, slices, None, Some(asked), scope)?)))
    }

    fn decide(&self, state: &State, action: &Action<'_>, scope: &Scope<'_>) -> Result<Act, Refusal> {
        levers::decide(self, state, action, scope).map(Act::Wheel)
    }

    fn levers(&self, state: &State, scope: &Scope<'_>) -> Vec<Lever> {
        levers::levers(self, state, scope)
    }

    fn ending(&self, state: &State, scope: &Scope<'_>) -> Option<(Instant, String)> {
        state.last().filter(|spun| spun.ends() > scope.now).map(|spun| (spun.ends(), spun.text.clone()))
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn view(&self, state: &State, scope: &Scope<'_>) -> View {
        View::Wheel(Box::new(view::view(self, state, scope)))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Wheel(Box::new(view::sample(self, scope)))
    }

    fn wakes_at(&self, state: &State, scope: &Scope<'_>) -> Option<Instant> {
        view::wakes_at(self, state, scope)
    }

    fn attention(&self, state: &State, scope: &Scope<'_>) -> Option<String> {
        view::attention(state, scope)
    }

    fn explain(&self, state: &State, scope: &Scope<'_>) -> Slip {
        let slices = self.slices(state, scope);
        let total = total(&slices);
        let calendar = &scope.settings.calendar;
        let line = |spun: &Spun| SlipLine {
            seq: spun.seq,
            when: instant_words(calendar, spun.at),
            words: format!("{} spun it, {} of {} chances", spun.by, spun.weight.0, spun.weight.1),
            effect: Effect::Counts(spun.text.clone()),
        };
        let chance =
            |slice: &Slice| (format!("{}, weight {}", slice.text, slice.weight), view::chance(slice.weight, total));
        Slip {
            terms: slices.iter().take(MOST_TOLD).map(chance).collect(),
            shown: view::view(self, state, scope).text(),
            span: match state.commitment {
                Some(promised) => format!("The next spin is sealed: {promised}"),
                None => "The next spin is being sealed".into(),
            },
            lines: state.spins.iter().rev().take(MOST_TOLD).map(line).collect(),
        }
    }
}
