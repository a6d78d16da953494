//! Totals: one figure or several side by side, counted live on top of a starting amount.

use super::{Cued, Family, NoActs, no_such_part};
use crate::count::explain::{Slip, span_words, terms_and_lines};
use crate::count::{Count, Scope, sentence as counting};
use crate::language::unit::Unit;
use crate::look::tokens::{LINES, PLATE, SIDES, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Editor, Part, input, numbered};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

/// Most figures in one total.
const MOST: usize = 6;
const TITLE: &str = "The title";
const LABEL: &str = "The label";
const START: &str = "The starting amount";
const MORE: &str = "The figure beside it";

/// Figures side by side.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Total {
    /// Its name.
    pub title: String,
    /// The figures, at least one.
    pub columns: Vec<Column>,
}

/// One figure.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Column {
    /// What stands under it.
    pub label: String,
    /// What it counts.
    pub count: Count,
    /// Counted on top, in the smallest steps of its unit.
    pub start: i64,
}

/// What a total shows.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TotalView {
    /// Its name.
    pub title: String,
    /// The figures.
    pub columns: Vec<ColumnView>,
}

/// One figure as it is shown.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ColumnView {
    /// What stands under it.
    pub label: String,
    /// The figure in words.
    pub value: String,
    /// The figure in the smallest steps of its unit.
    pub value_units: i64,
}

impl TotalView {
    /// `212`, or `Follows 212, Tips £30` of several.
    #[must_use]
    pub fn text(&self) -> String {
        match self.columns.as_slice() {
            [one] => one.value.clone(),
            all => all.iter().map(|one| format!("{} {}", one.label, one.value)).collect::<Vec<_>>().join(", "),
        }
    }
}

impl Column {
    fn new(measure: Measure) -> Self {
        let words = measure.words();
        let mut letters = words.chars();
        let first = letters.next().map(|first| first.to_uppercase().to_string()).unwrap_or_default();
        Self { label: format!("{first}{}", letters.as_str()), count: Count::of(measure, Period::ThisMonth), start: 0 }
    }

    fn shown(&self, value: i64, scope: &Scope<'_>) -> ColumnView {
        let unit = self.count.unit(scope.settings);
        ColumnView { label: self.label.clone(), value: scope.show(unit, value), value_units: value }
    }

    fn value(&self, scope: &Scope<'_>) -> i64 {
        self.start.saturating_add(scope.tally(&self.count).value())
    }

    /// The numerals stay when the unit changes.
    fn rescale(&mut self, old: i64, new: i64) {
        self.start = self.start.checked_div(old).unwrap_or(0).saturating_mul(new);
    }
}

impl Total {
    fn of(&self, value: impl Fn(&Column) -> i64, scope: &Scope<'_>) -> View {
        let columns = self.columns.iter().map(|column| column.shown(value(column), scope)).collect();
        View::Total(TotalView { title: self.title.clone(), columns })
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[look::Part::Title, look::Part::Value, look::Part::Words, look::Part::Line];

impl Family for Total {
    type State = NoActs;
    const KEY: &'static str = "total";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "plates",
            words: "Number plates",
            tokens: &[TITLED, TEXT, PLATE, LINES],
            parts: PARTS,
            size: (560, 150),
        },
        Shape {
            key: "stack",
            words: "One above the other",
            tokens: &[TITLED, TEXT, PLATE, LINES, SIDES],
            parts: PARTS,
            size: (360, 260),
        },
        Shape {
            key: "words",
            words: "In one row",
            tokens: &[TITLED, TEXT, PLATE, SIDES],
            parts: PARTS,
            size: (480, 90),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self { title: "New total".into(), columns: vec![Column::new(Measure::CountOfFollows)] }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        self.columns.iter().map(|column| column.count.clone()).collect()
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        for column in &mut self.columns {
            if let Unit::Money(_) = column.count.unit(settings) {
                column.start = by.amount(column.start);
            }
            column.count.convert(by, settings);
        }
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        let mut parts = vec![
            Part::field("title", TITLE, self.title.as_str(), Editor::Text { value: self.title.clone() }),
            Part::words("counts"),
        ];
        for (number, column) in (1..).zip(&self.columns) {
            let unit = column.count.unit(scope.settings);
            if number > 1 {
                parts.push(Part::words(if number == self.columns.len() { "; and" } else { ";" }));
            }
            parts.extend(counting::parts(&column.count, scope).into_iter().map(|part| part.of(number)));
            let start = Editor::Number { value: unit.plain(column.start), sign: unit.sign() };
            let mut choices = vec![("keep", "leave it so")];
            if self.columns.len() < MOST {
                choices.push(("add", "add another figure"));
            }
            if self.columns.len() > 1 {
                choices.push(("drop", "take this figure out"));
            }
            let more = if number == self.columns.len() { "nothing more" } else { "the next" };
            parts.extend(
                [
                    Part::words("on top of"),
                    Part::field("start", START, unit.show(column.start), start),
                    Part::words(", under the label"),
                    Part::field("label", LABEL, column.label.as_str(), Editor::Text { value: column.label.clone() }),
                    Part::words(", beside it"),
                    Part::field("more", MORE, more, Editor::choice(choices, "keep")),
                ]
                .map(|part| part.of(number)),
            );
        }
        parts
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        let (number, rest) = numbered(key);
        if number == 0 {
            return match rest {
                "title" => input(TITLE, text).title().map(|title| self.title = title),
                _ => Err(no_such_part(key)),
            };
        }
        let many = self.columns.len();
        let Some(column) = self.columns.get_mut(number.saturating_sub(1)) else { return Err(no_such_part(key)) };
        let unit = column.count.unit(scope.settings);
        match (rest, text) {
            ("label", _) => column.label = input(LABEL, text).title()?,
            ("start", _) => column.start = input(START, text).in_unit(unit, -crate::money::MOST_MINOR)?,
            ("more", "keep") => {}
            ("more", "add") if many < MOST => self.columns.insert(number, Column::new(Measure::AmountOfTips)),
            ("more", "drop") if many > 1 => drop(self.columns.remove(number.saturating_sub(1))),
            ("more", _) => {
                return Err(
                    input(MORE, text).refuse(format!("must leave between 1 and {MOST} figures; pick from the list"))
                );
            }
            _ => {
                if !counting::edit(&mut column.count, rest, text, scope)? {
                    return Err(no_such_part(key));
                }
                column.rescale(unit.whole(), column.count.unit(scope.settings).whole());
            }
        }
        Ok(())
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        self.of(|column| column.value(scope), scope)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        self.of(
            |column| column.start.saturating_add(column.count.unit(scope.settings).whole().saturating_mul(1_204)),
            scope,
        )
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        self.columns.iter().filter_map(|column| scope.wakes_at(&column.count)).min()
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let (mut all_terms, mut all_lines) = (Vec::new(), Vec::new());
        for column in &self.columns {
            let unit = column.count.unit(scope.settings);
            let (mut terms, lines) = terms_and_lines(&column.count, scope);
            terms.insert(0, ("Starting amount".to_owned(), unit.show(column.start)));
            if self.columns.len() > 1 {
                terms = terms.into_iter().map(|(what, figure)| (format!("{}: {what}", column.label), figure)).collect();
            }
            all_terms.extend(terms);
            all_lines.extend(lines);
        }
        let spans: Vec<String> = self.columns.iter().map(|column| span_words(&column.count, scope)).collect();
        let View::Total(view) = self.view(&NoActs {}, scope) else {
            return Slip { terms: all_terms, shown: String::new(), span: String::new(), lines: all_lines };
        };
        Slip { terms: all_terms, shown: view.text(), span: spans.join("; "), lines: all_lines }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::{World, entry, settings};
    use crate::money::{Currency, Money};
    use crate::record::entry::Body;
    use crate::record::happening::{Actor, Happening};

    #[test]
    fn figures_stand_side_by_side_on_top_of_their_starting_amounts() {
        let at: Instant = "2026-11-24T19:00:00Z".parse().unwrap();
        let actor = || Actor { id: None, name: "ninepins".into(), avatar: None, anonymous: false };
        let amount = Money { minor: 1_250, currency: Currency::parse("GBP").unwrap() };
        let world = World::after(&[
            entry(1, at, Body::Happening(Happening::Follow { actor: actor() })),
            entry(2, at, Body::Happening(Happening::Tip { actor: actor(), amount, message: None })),
        ]);
        let scope = world.scope(at);
        let mut total = Total::standard(&settings());
        let text = |total: &Total| total.view(&NoActs {}, &scope).text();
        assert_eq!(text(&total), "1");
        total.edit("1.start", "1,199", &scope).unwrap();
        assert_eq!(text(&total), "1,200");
        total.edit("1.more", "add", &scope).unwrap();
        total.edit("2.start", "20", &scope).unwrap();
        assert_eq!(text(&total), "Follows 1,200, Tips £32.50");
        let slip = total.explain(&NoActs {}, &scope);
        assert_eq!(slip.terms[0], ("Follows: Starting amount".to_owned(), "1,199".to_owned()));
        assert_eq!(slip.shown, "Follows 1,200, Tips £32.50");
        total.edit("2.measure", "count_of_tips", &scope).unwrap();
        assert_eq!(text(&total), "Follows 1,200, Tips 21", "the numerals stay");
        total.edit("1.more", "drop", &scope).unwrap();
        assert_eq!(text(&total), "21");
        for (key, text) in [("1.more", "drop"), ("2.label", "x"), ("1.target", "1"), ("1.start", "a lot"), ("0.x", "")]
        {
            assert!(total.edit(key, text, &scope).is_err(), "{key}");
        }
    }
}
