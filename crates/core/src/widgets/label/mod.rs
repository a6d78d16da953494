//! Labels: one line about the latest, the largest, or the top supporter, in words of one's own.

mod sentence;
#[cfg(test)]
mod tests;

pub(in crate::widgets) use sentence::{edit, parts};

use super::{Cued, Family, NoActs};
use crate::book::{Fact, instant};
use crate::count::explain::{Slip, span_words, terms_and_lines};
use crate::count::recent::Recent;
use crate::count::{Count, Keep, Scope, What};
use crate::language::age_changes_at;
use crate::language::unit::Unit;
use crate::lines::{LineFormat, fact_values};
use crate::look::tokens::{PLATE, SIDES, SIGNS, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::happening::Kind;
use crate::record::ids::Seq;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Part};
use crate::template::{self, Run, Values};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

/// The words of a label that has none of its own.
pub const STANDARD: &str = "*{{ name }}*{% if amount %} {{ amount }}{% endif %}";

/// What a label says.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Label {
    /// Its name, also on the picture.
    pub title: String,
    /// Of those that count, which one it is about.
    pub which: Which,
    /// From 1: the newest, the one before, and so on.
    pub nth: u32,
    /// What counts.
    pub count: Count,
    /// Its words; empty for the standard ones.
    pub template: String,
    /// What stands there while there is none.
    pub placeholder: String,
}

/// Which of those that count a label is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// The newest by when it happened.
    Latest,
    /// The largest; of equals the first.
    Largest,
    /// The supporter who made most of it.
    Top,
}

/// What a label shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LabelView {
    /// Its name.
    pub title: String,
    /// Its text.
    pub runs: Vec<Run>,
    /// Whether that is the placeholder.
    pub empty: bool,
    /// What it is about: changes whenever that does.
    pub key: u64,
    /// Of which kind that is.
    pub kind: Option<Kind>,
}

impl LabelView {
    /// The text without emphasis.
    #[must_use]
    pub fn text(&self) -> String {
        template::plain(&self.runs)
    }
}

/// What a label is about now.
struct About {
    key: u64,
    at: Instant,
    kind: Option<Kind>,
    values: Values,
}

impl Label {
    /// What it counts, with what must be remembered for it.
    #[must_use]
    pub fn count(&self) -> Count {
        let keep = match self.which {
            Which::Latest => Keep::Sum,
            Which::Largest => Keep::Largest,
            Which::Top => Keep::People,
        };
        Count { keep, ..self.count.clone() }
    }

    /// Of the latest, those up to the one on show.
    fn recent(&self) -> Option<Recent> {
        let most = self.before().saturating_add(1);
        (self.which == Which::Latest).then(|| Recent::new(vec![self.count()], None, most))
    }

    /// Which of the newest entries it shows.
    #[must_use]
    pub fn recents(&self) -> Vec<Recent> {
        self.recent().into_iter().collect()
    }

    fn fact<'a>(&self, scope: &Scope<'a>) -> Option<&'a Fact> {
        let Some(recent) = self.recent() else {
            let (at, seq) = scope.tally(&self.count()).largest().filter(|_| self.which == Which::Largest)?;
            return scope.book.find(instant(at), Seq(seq));
        };
        let newest = scope.recent(&recent);
        newest.first().filter(|_| newest.len() == recent.most()).and_then(|one| one.first(scope.book))
    }

    /// How many stand before the one on show.
    fn before(&self) -> usize {
        self.nth.saturating_sub(1) as usize
    }

    fn about(&self, scope: &Scope<'_>) -> Option<About> {
        if self.which == Which::Top {
            let count = self.count();
            let top = scope.ranking(&count, self.nth.max(1) as usize).get(self.before()).copied()?;
            let unit = count.unit(scope.settings);
            let sum = i64::try_from(top.stand.sum).unwrap_or(i64::MAX);
            let at = instant(top.stand.since.0);
            let kinds = match count.what {
                What::Sum(measure) => measure.kinds(),
                _ => &[],
            };
            let of = |kind: Kind| if unit == Unit::Things && kinds == [kind] { sum } else { 0 };
            let values = Values {
                name: scope.name(top.who),
                amount: scope.show(unit, sum),
                figure: template::figure(unit, sum),
                count: if unit == Unit::Things { sum } else { 0 },
                points: of(Kind::Cheer),
                viewers: of(Kind::Raid),
                times: top.stand.lines.into(),
                ago: scope.language.ago(scope.now.signed_duration_since(at).num_seconds()),
                ..Values::default()
            };
            return Some(About { key: top.who.number(), at, kind: None, values });
        }
        let fact = self.fact(scope)?;
        Some(About { key: fact.seq, at: instant(fact.at), kind: Some(fact.kind()), values: fact_values(fact, scope) })
    }

    fn source(&self) -> &str {
        if self.template.is_empty() { STANDARD } else { &self.template }
    }

    /// What it shows.
    #[must_use]
    pub fn seen(&self, scope: &Scope<'_>) -> LabelView {
        self.of(self.about(scope), scope)
    }

    fn of(&self, about: Option<About>, scope: &Scope<'_>) -> LabelView {
        let title = self.title.clone();
        match about {
            None => {
                let runs = vec![Run::plain(&self.placeholder)];
                LabelView { title, runs, empty: true, key: 0, kind: None }
            }
            Some(About { key, kind, values, .. }) => {
                let runs = template::write(self.source(), STANDARD, &values, scope.locale());
                LabelView { title, runs, empty: false, key, kind }
            }
        }
    }

    /// What it could show.
    #[must_use]
    pub fn made_up(&self, scope: &Scope<'_>) -> LabelView {
        let unit = self.count.unit(scope.settings);
        let kind = match self.count.what {
            What::Sum(measure) => measure.kinds().first().copied().unwrap_or(Kind::Follow),
            _ => Kind::Signal,
        };
        let told = LineFormat::of(&[kind]).sample(scope).pop();
        let mut values = told.map(|told| told.values).unwrap_or_else(template::sample);
        if self.which == Which::Top {
            let sum = unit.whole().saturating_mul(75);
            (values.amount, values.figure) = (scope.show(unit, sum), template::figure(unit, sum));
        }
        self.of(Some(About { key: 1, at: scope.now, kind: Some(kind), values }), scope)
    }

    /// When it changes by itself.
    #[must_use]
    pub fn wakes(&self, scope: &Scope<'_>) -> Option<Instant> {
        let ages = template::mentions(&self.template, "ago").then(|| self.about(scope)).flatten();
        let ages = ages.map(|about| age_changes_at(about.at, scope.now));
        scope.wakes_at(&self.count()).into_iter().chain(ages).min()
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Words, look::Part::Icon, look::Part::Frame];

impl Family for Label {
    type State = NoActs;
    const KEY: &'static str = "label";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "plate",
            words: "Name plate",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, SIDES],
            parts: PARTS,
            size: (520, 120),
        },
        Shape {
            key: "pennant",
            words: "Pennant",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, SIDES],
            parts: PARTS,
            size: (520, 96),
        },
        Shape {
            key: "words",
            words: "Beside a stroke",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, SIDES],
            parts: PARTS,
            size: (520, 90),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "Latest tip".into(),
            which: Which::Latest,
            nth: 1,
            count: Count::of(Measure::AmountOfTips, Period::AllTime),
            template: String::new(),
            placeholder: "Be the first".into(),
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        vec![self.count()]
    }

    fn recents(&self) -> Vec<Recent> {
        Label::recents(self)
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        self.count.convert(by, settings);
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        sentence::parts(self, scope)
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        sentence::edit(self, key, text, scope)
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        View::Label(self.seen(scope))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        View::Label(self.made_up(scope))
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        self.wakes(scope)
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let count = self.count();
        let (terms, lines) = terms_and_lines(&count, scope);
        Slip { terms, shown: self.seen(scope).text(), span: span_words(&count, scope), lines }
    }
}
