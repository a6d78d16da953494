//! What a wheel shows.

use super::fair::WHOLE;
use super::levers::tie_words;
use super::{Source, Spun, State, Wheel, words};
use crate::count::Scope;
use crate::record::acts::wheel::{Bytes32, Slice, total};
use crate::record::ids::Seq;
use crate::time::{Instant, after};
use chrono::TimeDelta;
use serde::Serialize;

/// How many sectors are drawn at most. Of more slices each sector stands for several.
const SECTORS: usize = 200;
/// How many digits of the seal stand on the picture.
const SEAL: usize = 12;

/// What a wheel shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct WheelView {
    /// Its name.
    pub title: String,
    /// Whether it rests, turns, or shows what was drawn.
    pub phase: PhaseWord,
    /// What can be drawn, as it stands on the disc.
    pub sectors: Vec<Sector>,
    /// How many slices there are.
    pub slices: usize,
    /// All weights together.
    pub total: u64,
    /// The turn that is under way, or the last one.
    pub turn: Option<Turn>,
    /// Where the pointer stands while it rests, in millionths of a turn from the first slice.
    pub rests_at: u64,
    /// What was drawn last, once the wheel has come to rest.
    pub winner: Option<Winner>,
    /// The SHA-256 of the next spin's seed.
    pub commitment: Option<String>,
    /// Its first digits, as they stand on the picture.
    pub seal: String,
    /// The same with the word before it: `sealed 5c0ffee5a1e7`.
    pub sealed: String,
    /// How many spins there were.
    pub spins: usize,
    /// How many spins wait.
    pub queued: usize,
    /// Of a wheel that draws from a pot: how that stands.
    pub pot: Option<PotView>,
    /// Where the last spin can be checked: the digits that stand for it.
    pub check: Option<String>,
}

/// A sector of the disc.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Sector {
    /// What it says.
    pub text: String,
    /// Its chance as it is written: `12.5 %`.
    pub chance: String,
    /// Where it begins and ends, in millionths of a turn.
    pub from: u64,
    /// See `from`.
    pub to: u64,
}

/// A turn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Turn {
    /// Its line in the ledger.
    pub line: Seq,
    /// Where the pointer stood, in millionths of a turn from the first slice.
    pub from: u64,
    /// Where it stops.
    pub to: u64,
    /// When it begins.
    pub begins_at: Instant,
    /// When it comes to rest.
    pub ends_at: Instant,
}

/// What was drawn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Winner {
    /// Its words.
    pub text: String,
    /// Who spun.
    pub by: String,
    /// When the wheel came to rest.
    pub at: Instant,
    /// What its chance was.
    pub chance: String,
}

/// How a pot stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct PotView {
    /// Whether viewers enter.
    pub open: bool,
    /// How many are in it.
    pub entrants: usize,
    /// How many tickets they have.
    pub tickets: u64,
    /// How to enter, in words.
    pub how: String,
}

/// The phase as a word for other programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum PhaseWord {
    /// It rests.
    Idle,
    /// It turns.
    Turning,
    /// It shows what was drawn.
    Result,
}

impl WheelView {
    /// What was drawn while that is shown; else what can be.
    #[must_use]
    pub fn text(&self) -> String {
        match (&self.phase, &self.winner) {
            (PhaseWord::Result, Some(winner)) => winner.text.clone(),
            (PhaseWord::Turning, _) => "…".into(),
            _ => match self.slices {
                1 => format!("{}: 1 slice", self.title),
                many => format!("{}: {many} slices", self.title),
            },
        }
    }
}

/// A chance in percent, with one decimal where it is not whole.
pub(super) fn chance(weight: u32, total: u64) -> String {
    let tenths = u64::from(weight).saturating_mul(1_000).saturating_add(total / 2).checked_div(total).unwrap_or(0);
    match (tenths / 10, tenths % 10) {
        (0, 0) if weight > 0 => "under 0.1 %".into(),
        (whole, 0) => format!("{whole} %"),
        (whole, tenth) => format!("{whole}.{tenth} %"),
    }
}

/// The sectors of a list. Of more than can be drawn each stands for as many as lie in it, and bears the name of the one
/// on which the pointer stops, or else of the one in its middle.
fn sectors(slices: &[Slice], stop: u64) -> Vec<Sector> {
    let total = total(slices).max(1);
    let mut at = 0_u64;
    let whole = u128::from(WHOLE);
    let place = |weighed: u64| {
        let part = u128::from(weighed).saturating_mul(whole).checked_div(total.into()).unwrap_or(0);
        u64::try_from(part).unwrap_or(WHOLE)
    };
    let each = slices.iter().map(|slice| {
        let from = place(at);
        at = at.saturating_add(slice.weight.into());
        Sector { text: slice.text.clone(), chance: chance(slice.weight, total), from, to: place(at) }
    });
    let all: Vec<Sector> = each.collect();
    if all.len() <= SECTORS {
        return all;
    }
    let width = WHOLE.checked_div(u64::try_from(SECTORS).unwrap_or(1)).unwrap_or(WHOLE);
    let named = |number: u64| {
        let (from, to) = (number.saturating_mul(width), number.saturating_add(1).saturating_mul(width));
        let asked = if (from..to).contains(&stop) { stop } else { from.saturating_add(width / 2) };
        let index = all.partition_point(|one| one.to <= asked).min(all.len().saturating_sub(1));
        all.get(index).map(|one| Sector { from, to, ..one.clone() })
    };
    (0..u64::try_from(SECTORS).unwrap_or(0)).filter_map(named).collect()
}

fn shows_until(wheel: &Wheel, spun: &Spun) -> Instant {
    after(spun.ends(), TimeDelta::seconds(wheel.show_s))
}

pub(super) fn view(wheel: &Wheel, state: &State, scope: &Scope<'_>) -> WheelView {
    let (now, last) = (scope.now, state.last());
    let phase = match last {
        Some(spun) if now < spun.ends() => PhaseWord::Turning,
        Some(spun) if now < shows_until(wheel, spun) => PhaseWord::Result,
        _ => PhaseWord::Idle,
    };
    let present = wheel.slices(state, scope);
    // While it turns, and while what was drawn is shown, the disc stays as it was spun.
    let shown = last.filter(|_| phase != PhaseWord::Idle).map_or(&present, |spun| &spun.slices);
    let same = last.filter(|spun| spun.slices == *shown);
    let rests_at = same.map_or(0, |spun| spun.to);
    let pot = (wheel.source == Source::Pot).then(|| {
        let open = state.pot.open_since.is_some();
        let how = if open && !wheel.entry.word.is_empty() {
            words::enter(scope.language, &wheel.entry.word)
        } else {
            String::new()
        };
        PotView { open, entrants: present.len(), tickets: total(&present), how }
    });
    let digits = |one: Bytes32| one.to_string().chars().take(SEAL).collect();
    let seal: String = state.commitment.map(digits).unwrap_or_default();
    WheelView {
        title: wheel.title.clone(),
        phase,
        sectors: sectors(shown, rests_at),
        slices: shown.len(),
        total: total(shown),
        turn: last.map(|spun| Turn {
            line: spun.seq,
            from: spun.from,
            to: spun.to,
            begins_at: spun.at,
            ends_at: spun.ends(),
        }),
        rests_at,
        winner: last.filter(|_| phase != PhaseWord::Turning).map(|spun| Winner {
            text: spun.text.clone(),
            by: spun.by.clone(),
            at: spun.ends(),
            chance: chance(spun.weight.0, spun.weight.1),
        }),
        commitment: state.commitment.map(String::from),
        sealed: if seal.is_empty() { String::new() } else { format!("{} {seal}", words::sealed(scope.language)) },
        seal,
        spins: state.many,
        queued: state.queue.len(),
        pot,
        check: last.filter(|_| phase != PhaseWord::Turning).map(|spun| spun.commitment.to_string()),
    }
}

/// Its list, or one made up, at rest.
pub(super) fn sample(wheel: &Wheel, scope: &Scope<'_>) -> WheelView {
    let made_up = ["tallow_wren", "ninepins", "quietferry", "kestrel_oak", "lamplit_sam", "semaphore_sue"];
    let slices: Vec<Slice> = match wheel.source {
        Source::List => wheel.slices.iter().filter(|slice| slice.weight > 0).cloned().collect(),
        _ => made_up.map(|text| Slice { text: text.into(), weight: 1 }).into(),
    };
    let empty = Wheel { slices: slices.clone(), source: Source::List, ..wheel.clone() };
    let mut view = view(&empty, &State::default(), scope);
    view.seal = "5c0ffee5a1e7".into();
    view.sealed = format!("{} {}", words::sealed(scope.language), view.seal);
    if wheel.source == Source::Pot {
        let how = words::enter(scope.language, &wheel.entry.word);
        view.pot = Some(PotView { open: true, entrants: slices.len(), tickets: total(&slices), how });
    }
    view
}

pub(super) fn wakes_at(wheel: &Wheel, state: &State, scope: &Scope<'_>) -> Option<Instant> {
    let last = state.last()?;
    let moments = [Some(last.ends()), Some(shows_until(wheel, last)), state.rests_until(wheel)];
    moments.into_iter().flatten().filter(|at| *at > scope.now).min()
}

pub(super) fn attention(state: &State, scope: &Scope<'_>) -> Option<String> {
    match state.last().filter(|last| scope.now < last.ends()) {
        Some(_) => Some("The wheel is turning".into()),
        None => tie_words(scope),
    }
}
