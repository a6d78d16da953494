//! Leaderboards: supporters in the order of what they gave over a period.
//!
//! Equals share a rank and stand in the order in which they got there; whoever gave no name is never
//! ranked. See [`crate::count::Tally::ranking`].

use super::{Cued, Family, NoActs, no_such_part};
use crate::count::explain::{Slip, span_words, terms_and_lines};
use crate::count::{Count, Keep, Ranked, Scope, sentence as counting};
use crate::lines::SAMPLE_NAMES;
use crate::look::tokens::{BAR, LINES, PLATE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Editor, Part, input};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

/// Most rows.
const MOST: i64 = 20;
const TITLE: &str = "The title";
const ROWS: &str = "The number of places";
const FIGURES: &str = "The figures beside the names";
const PLACEHOLDER: &str = "The placeholder";
const WITH: [(&str, &str); 2] = [("with", "with their figures"), ("without", "without figures")];

/// Who is ranked by what.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leaderboard {
    /// Its name, also on the picture.
    pub title: String,
    /// What they are ranked by.
    pub count: Count,
    /// How many places are shown, up to 20.
    pub most: u32,
    /// Whether figures stand beside the names.
    pub figures: bool,
    /// What stands there while nobody is ranked.
    pub placeholder: String,
}

/// What a leaderboard shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LeaderboardView {
    /// Its name.
    pub title: String,
    /// From the first place on.
    pub rows: Vec<Row>,
    /// How many there is room for.
    pub most: u32,
    /// What stands there while nobody is ranked.
    pub placeholder: String,
}

/// One place.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Row {
    /// Stays with a supporter while they move.
    pub key: u64,
    /// From 1; equals share it.
    pub rank: usize,
    /// Who.
    pub name: String,
    /// What they gave, in words; empty where figures are not shown.
    pub value: String,
    /// Their part of what the first gave, 0 to 1.
    pub share: f64,
}

/// Somebody in their place.
struct Placed {
    key: u64,
    rank: usize,
    sum: i128,
    name: String,
}

impl LeaderboardView {
    /// The places, each on a line of its own.
    #[must_use]
    pub fn text(&self) -> String {
        if self.rows.is_empty() {
            return self.placeholder.clone();
        }
        let line = |row: &Row| format!("{}. {} {}", row.rank, row.name, row.value).trim_end().to_owned();
        self.rows.iter().map(line).collect::<Vec<_>>().join("\n")
    }
}

impl Leaderboard {
    fn count(&self) -> Count {
        Count { keep: Keep::People, ..self.count.clone() }
    }

    #[allow(clippy::cast_precision_loss, reason = "a bar's length needs no more than a float's digits")]
    fn of(&self, ranked: &[Placed], scope: &Scope<'_>) -> View {
        let unit = self.count.unit(scope.settings);
        let first = ranked.first().map_or(1, |first| first.sum.max(1));
        let row = |one: &Placed| Row {
            key: one.key,
            rank: one.rank,
            name: one.name.clone(),
            value: if self.figures {
                scope.show(unit, i64::try_from(one.sum).unwrap_or(i64::MAX))
            } else {
                String::new()
            },
            share: one.sum as f64 / first as f64,
        };
        View::Leaderboard(LeaderboardView {
            title: self.title.clone(),
            rows: ranked.iter().map(row).collect(),
            most: self.most,
            placeholder: self.placeholder.clone(),
        })
    }
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] = &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Line];

impl Family for Leaderboard {
    type State = NoActs;
    const KEY: &'static str = "leaderboard";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "boards",
            words: "Destination boards",
            tokens: &[TITLED, TEXT, PLATE, LINES],
            parts: PARTS,
            size: (520, 460),
        },
        Shape {
            key: "rails",
            words: "Rails by length",
            tokens: &[TITLED, TEXT, PLATE, LINES, BAR],
            parts: &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Bar, look::Part::Line],
            size: (560, 420),
        },
        Shape {
            key: "steps",
            words: "Three steps and the rest",
            tokens: &[TITLED, TEXT, PLATE, LINES],
            parts: PARTS,
            size: (640, 460),
        },
    ];

    fn standard(_: &Settings) -> Self {
        Self {
            title: "Top supporters".into(),
            count: Count::of(Measure::AmountOfTips, Period::ThisMonth),
            most: 5,
            figures: true,
            placeholder: "First place is free".into(),
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        vec![self.count()]
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        self.count.convert(by, settings);
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        let number = Editor::Number { value: self.most.to_string(), sign: String::new() };
        let (key, words) = WITH[usize::from(!self.figures)];
        let mut parts = vec![
            Part::field("title", TITLE, self.title.as_str(), Editor::Text { value: self.title.clone() }),
            Part::words("ranks the first"),
            Part::field("most", ROWS, self.most.to_string(), number),
            Part::words("by"),
        ];
        parts.extend(counting::parts(&self.count, scope));
        parts.extend([
            Part::words(","),
            Part::field("figures", FIGURES, words, Editor::choice(WITH, key)),
            Part::words("; before anybody is ranked it says"),
            Part::field(
                "placeholder",
                PLACEHOLDER,
                if self.placeholder.is_empty() { "nothing" } else { self.placeholder.as_str() },
                Editor::Text { value: self.placeholder.clone() },
            ),
        ]);
        parts
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        match key {
            "title" => self.title = input(TITLE, text).title()?,
            "most" => self.most = u32::try_from(input(ROWS, text).whole(1, MOST)?).unwrap_or(1),
            "figures" => self.figures = input(FIGURES, text).choice(&["with", "without"], |key| key)? == "with",
            "placeholder" => self.placeholder = input(PLACEHOLDER, text).line()?,
            _ => {
                if !counting::edit(&mut self.count, key, text, scope)? {
                    return Err(no_such_part(key));
                }
            }
        }
        Ok(())
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        let ranked = scope.ranking(&self.count(), self.most as usize);
        let placed = |one: Ranked| Placed {
            key: one.who.number(),
            rank: one.rank,
            sum: one.stand.sum,
            name: scope.name(one.who),
        };
        self.of(&ranked.into_iter().map(placed).collect::<Vec<_>>(), scope)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let whole = i128::from(self.count.unit(scope.settings).whole());
        let names = SAMPLE_NAMES.iter().cycle().take(self.most as usize);
        let placed = |(place, name): (u32, &&str)| {
            let sum = whole.saturating_mul(240).checked_div(i128::from(place).saturating_add(1)).unwrap_or(0);
            Placed { key: place.into(), rank: place as usize, sum, name: (*name).to_owned() }
        };
        self.of(&(1..).zip(names).map(placed).collect::<Vec<_>>(), scope)
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        scope.wakes_at(&self.count())
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let count = self.count();
        let (mut terms, lines) = terms_and_lines(&count, scope);
        let unit = count.unit(scope.settings);
        let ranked = scope.ranking(&count, self.most as usize);
        for one in &ranked {
            let sum = unit.show(i64::try_from(one.stand.sum).unwrap_or(i64::MAX));
            terms.push((format!("{}. {}, from {} lines", one.rank, scope.name(one.who), one.stand.lines), sum));
        }
        Slip { terms, shown: format!("{} places", ranked.len()), span: span_words(&count, scope), lines }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::{World, entry, settings};
    use crate::money::{Currency, Money};
    use crate::record::entry::{Body, Entry};
    use crate::record::happening::{Actor, Happening};
    use chrono::TimeDelta;
    use proptest::prelude::*;
    use std::collections::BTreeMap;

    fn begin() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    /// Tips by these people of so many pence, at these seconds.
    fn tips(tips: &[(&str, i64, i64)]) -> Vec<Entry> {
        let tip = |(seq, (name, minor, second)): (u64, &(&str, i64, i64))| {
            let actor = Actor { id: None, name: (*name).into(), avatar: None, anonymous: name.is_empty() };
            let amount = Money { minor: *minor, currency: Currency::parse("GBP").unwrap() };
            let body = Body::Happening(Happening::Tip { actor, amount, message: None });
            entry(seq, begin() + TimeDelta::seconds(*second), body)
        };
        (1..).zip(tips).map(tip).collect()
    }

    fn text(entries: &[Entry], edits: &[(&str, &str)]) -> String {
        let world = World::after(entries);
        let scope = world.scope(begin() + TimeDelta::hours(1));
        let mut board = Leaderboard::standard(&settings());
        for (key, text) in edits {
            board.edit(key, text, &scope).unwrap();
        }
        board.view(&NoActs {}, &scope).text()
    }

    #[test]
    fn equals_share_a_rank_and_whoever_got_there_first_stands_first() {
        let entries = tips(&[
            ("ninepins", 500, 0),
            ("quietferry", 1_000, 10),
            ("oatcake_jo", 700, 20),
            ("ninepins", 500, 5),
            ("", 9_900, 30),
        ]);
        assert_eq!(text(&entries, &[]), "1. ninepins £10\n1. quietferry £10\n3. oatcake_jo £7");
        assert_eq!(text(&entries, &[("most", "1"), ("figures", "without")]), "1. ninepins");
        assert_eq!(text(&[], &[]), "First place is free");
        assert_eq!(text(&[], &[("placeholder", "")]), "");
        assert_eq!(text(&entries, &[("only", "but_people"), ("people", "Ninepins, quietferry")]), "1. oatcake_jo £7");
    }

    #[test]
    fn the_slip_says_from_how_many_lines_each_place_is() {
        let world = World::after(&tips(&[("ninepins", 500, 0), ("ninepins", 250, 1)]));
        let slip = Leaderboard::standard(&settings()).explain(&NoActs {}, &world.scope(begin() + TimeDelta::hours(1)));
        assert_eq!(slip.terms.last(), Some(&("1. ninepins, from 2 lines".to_owned(), "£7.50".to_owned())));
    }

    proptest! {
        #[test]
        fn the_order_is_that_of_the_sums_and_then_of_arrival(
            steps in prop::collection::vec((0..6_usize, 1..4_i64, 0..60_i64), 0..40),
            most in 1..8_usize,
        ) {
            let names = ["ninepins", "quietferry", "oatcake_jo", "kestrel_oak", "lamplit_sam", ""];
            let given: Vec<(&str, i64, i64)> =
                steps.iter().map(|(who, amount, second)| (names[*who], amount * 100, *second)).collect();
            let world = World::after(&tips(&given));
            let scope = world.scope(begin() + TimeDelta::hours(1));
            let board = Leaderboard::standard(&settings());
            let ranked = scope.ranking(&board.count(), most);
            // Counted by hand.
            let mut sums: BTreeMap<&str, (i64, i64)> = BTreeMap::new();
            for (name, amount, second) in given.iter().filter(|(name, ..)| !name.is_empty()) {
                let sum = sums.entry(name).or_default();
                *sum = (sum.0 + amount, sum.1.max(*second));
            }
            prop_assert_eq!(ranked.len(), sums.len().min(most));
            for (place, one) in ranked.iter().enumerate() {
                let (sum, _) = sums[scope.name(one.who).as_str()];
                prop_assert_eq!(one.stand.sum, i128::from(sum));
                let better = sums.values().filter(|(other, _)| *other > sum).count();
                prop_assert_eq!(one.rank, better + 1, "the rank is one more than those who gave more");
                if let Some(next) = ranked.get(place + 1) {
                    let order = |one: &Ranked| (std::cmp::Reverse(one.stand.sum), one.stand.since);
                    prop_assert!(order(one) <= order(next));
                }
            }
        }
    }
}
