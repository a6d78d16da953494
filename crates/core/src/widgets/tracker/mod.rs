//! Game trackers: a statistic that a game reports, over this show, today or all time, summed over its characters, with
//! the character that is played, the streak, and the ratio to another statistic. It moves only when the game reports.

mod rounds;
mod sentence;
#[cfg(test)]
mod tests;

pub use rounds::{Reports, Round};

use super::{Cued, Family, NoActs};
use crate::count::explain::{Slip, span_words, terms_and_lines};
use crate::count::{Count, Scope, What};
use crate::look::tokens::{PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

/// How many rounds are told.
const ROUNDS: usize = 5;

/// What a tracker is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Tracker {
    /// Its name.
    pub title: String,
    /// Which statistic.
    pub statistic: String,
    /// Over which period.
    pub period: Period,
    /// Another statistic, to which the ratio is told, and which ends a streak; empty for none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub beside: String,
}

/// What a tracker shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TrackerView {
    /// Its name.
    pub title: String,
    /// The statistic, by the game's word.
    pub statistic: String,
    /// How much it has grown, as written.
    pub value: String,
    /// The same as a number.
    pub total: i64,
    /// The character that is played.
    pub character: Option<String>,
    /// How much it has grown since the other statistic last did; none without one.
    pub streak: Option<i64>,
    /// The longest streak of the period.
    pub best: Option<i64>,
    /// The other statistic, and how it stands.
    pub beside: Option<BesideView>,
    /// The newest reports that changed something, newest first.
    pub rounds: Vec<RoundView>,
    /// When the game last reported.
    pub reported_at: Option<Instant>,
}

/// The other statistic.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct BesideView {
    /// By the game's word.
    pub statistic: String,
    /// How much it has grown.
    pub total: i64,
    /// The ratio of the two, with two decimals; the first alone while the second is 0.
    pub ratio: String,
}

/// A report.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct RoundView {
    /// When.
    pub at: Instant,
    /// The same as local time.
    pub time: String,
    /// Of which character.
    pub character: Option<String>,
    /// `+2`, or what the other statistic did.
    pub words: String,
}

impl TrackerView {
    /// `17 deliveries`.
    #[must_use]
    pub fn text(&self) -> String {
        format!("{} {}", self.value, self.statistic)
    }
}

/// A ratio with two decimals, rounded half up.
fn ratio(first: i64, second: i64) -> String {
    let hundredths = first.saturating_mul(100).saturating_add(second / 2).checked_div(second);
    let hundredths = hundredths.unwrap_or_else(|| first.saturating_mul(100));
    format!("{}.{:02}", hundredths / 100, hundredths % 100)
}

impl Tracker {
    fn count(&self) -> Count {
        Count { what: What::Statistic(self.statistic.clone()), ..Count::of(Measure::CountOfTips, self.period) }
    }

    fn beside(&self) -> Option<&str> {
        Some(self.beside.as_str()).filter(|beside| !beside.is_empty())
    }

    fn view_of(&self, reports: &Reports, total: i64, scope: &Scope<'_>) -> View {
        let (_, others) = reports.totals();
        let (streak, best) = reports.streaks();
        let beside = self.beside().map(|name| BesideView {
            statistic: name.to_owned(),
            total: others,
            ratio: ratio(total, others),
        });
        let round = |round: &Round| RoundView {
            at: round.at,
            time: scope.settings.calendar.local(round.at).format("%H:%M").to_string(),
            character: round.character.clone(),
            words: if round.grown > 0 {
                format!("+{}", round.grown)
            } else {
                format!("+{} {}", round.beside, self.beside)
            },
        };
        View::Tracker(TrackerView {
            title: self.title.clone(),
            statistic: self.statistic.clone(),
            value: scope.show(crate::language::unit::Unit::Things, total),
            total,
            character: reports.character.clone(),
            streak: beside.as_ref().map(|_| streak),
            best: beside.as_ref().map(|_| best),
            beside,
            rounds: reports.rounds.iter().rev().take(ROUNDS).map(round).collect(),
            reported_at: reports.newest,
        })
    }
}

/// The tokens of every shape.
const TRACKER: &[&[crate::look::Token]] = &[TITLED, TEXT, PLATE];

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Words, look::Part::Icon, look::Part::Frame];

impl Family for Tracker {
    type State = NoActs;
    const KEY: &'static str = "tracker";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape { key: "badge", words: "Badge with its emblem", tokens: TRACKER, parts: PARTS, size: (520, 200) },
        Shape { key: "strip", words: "Strip in one row", tokens: TRACKER, parts: PARTS, size: (760, 90) },
        Shape { key: "card", words: "Card with the last rounds", tokens: TRACKER, parts: PARTS, size: (380, 460) },
    ];

    fn standard(_: &Settings) -> Self {
        Self { title: "New tracker".into(), statistic: "wins".into(), period: Period::ThisShow, beside: String::new() }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        let beside = self.beside().map(|name| Count { what: What::Statistic(name.into()), ..self.count() });
        std::iter::once(self.count()).chain(beside).collect()
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        let count = self.count();
        let reports = Reports::of(&self.statistic, self.beside(), scope.span(&count), scope.book);
        self.view_of(&reports, scope.tally(&count).value(), scope)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let round = |grown, beside| Round { at: scope.now, character: Some("Pannier No. 7".into()), grown, beside };
        let rounds = vec![round(3, 0), round(0, 1), round(2, 0), round(4, 0), round(1, 0)];
        let reports = Reports { rounds, character: Some("Pannier No. 7".into()), newest: Some(scope.now) };
        self.view_of(&reports, 17, scope)
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        scope.wakes_at(&self.count())
    }

    fn explain(&self, state: &NoActs, scope: &Scope<'_>) -> Slip {
        let count = self.count();
        let (terms, lines) = terms_and_lines(&count, scope);
        Slip { terms, shown: self.view(state, scope).text(), span: span_words(&count, scope), lines }
    }
}
