//! Tickers: a tape that runs without end, with happenings and fixed texts on it.

use super::{Cued, Family, NoActs, no_such_part};
use crate::count::explain::{Slip, of_several};
use crate::count::recent::Recent;
use crate::count::{Count, Scope, sentence as counting};
use crate::language::text;
use crate::lines::{Line, LineFormat};
use crate::look::tokens::{PLATE, SIGNS, TAPE, TEXT, TITLED};
use crate::look::{self, Shape};
use crate::money::conversion::Conversion;
use crate::record::happening::Kind;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Editor, Part, input};
use crate::template::{self, Run};
use crate::time::Instant;
use crate::time::calendar::Period;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

const TITLE: &str = "The title";
const LINES: &str = "The number of events";
const FOLD: &str = "The folding time";
const TEXTS: &str = "The notices";
const BETWEEN: &str = "The separator";
/// Most happenings, most notices, and the longest of these in characters.
const MOST: i64 = 30;
const MOST_TEXTS: usize = 12;
const LONGEST: usize = 200;
const MARKS: [(&str, &str); 4] =
    [("dot", "a dot"), ("pennant", "a pennant"), ("stroke", "a stroke"), ("nothing", "nothing")];

/// What runs past.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Ticker {
    /// Its name; it stands at the head of the tape.
    pub title: String,
    /// Which kinds, in which words.
    #[serde(alias = "telling")]
    pub format: LineFormat,
    /// From which period.
    pub period: Period,
    /// Most happenings.
    pub most: u32,
    /// Entries of the same supporter and kind within so many seconds become one; 0 for none.
    pub fold: u32,
    /// Fixed texts, spread among the happenings.
    pub texts: Vec<String>,
    /// What stands between them.
    pub between: String,
}

/// What a ticker shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct TickerView {
    /// Its name.
    pub title: String,
    /// In the order in which they run past.
    pub items: Vec<Item>,
    /// What stands between them.
    pub between: String,
}

/// One thing on the tape.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Item {
    /// Of which kind, if something happened.
    pub kind: Option<Kind>,
    /// Its text.
    pub runs: Vec<Run>,
}

impl TickerView {
    /// All that is on the tape.
    #[must_use]
    pub fn text(&self) -> String {
        self.items.iter().map(|item| template::plain(&item.runs)).collect::<Vec<_>>().join(" · ")
    }
}

impl Ticker {
    /// Lines, oldest first, on the tape.
    fn of(&self, lines: Vec<Line>, scope: &Scope<'_>) -> View {
        let fixed = |text: &String| Item {
            kind: None,
            runs: template::write(text, "", &template::Values::default(), scope.locale()),
        };
        let notice = scope.notice.map(|text| Item { kind: None, runs: vec![Run::plain(text)] });
        let texts = notice.into_iter().chain(self.texts.iter().map(fixed)).collect();
        let happened = lines.into_iter().rev().map(|line| Item { kind: Some(line.kind), runs: line.runs }).collect();
        View::Ticker(TickerView {
            title: self.title.clone(),
            items: spread(happened, texts),
            between: self.between.clone(),
        })
    }

    fn recent(&self) -> Recent {
        self.format.recent(self.period, self.fold, self.most)
    }
}

/// Puts fixed texts among happenings, as evenly as they go. Both keep their order, and none is lost.
fn spread(happened: Vec<Item>, texts: Vec<Item>) -> Vec<Item> {
    let (many, gaps) = (happened.len(), texts.len());
    let mut all = Vec::with_capacity(many.saturating_add(gaps));
    let mut texts = texts.into_iter();
    let mut placed = 0;
    for (passed, item) in (1_usize..).zip(happened) {
        all.push(item);
        let due = passed.saturating_mul(gaps).checked_div(many).unwrap_or(gaps);
        all.extend(texts.by_ref().take(due.saturating_sub(placed)));
        placed = due;
    }
    all.extend(texts);
    all
}

/// What its drawing has, in most of its shapes.
const PARTS: &[look::Part] =
    &[look::Part::Title, look::Part::Name, look::Part::Value, look::Part::Words, look::Part::Icon, look::Part::Frame];

impl Family for Ticker {
    type State = NoActs;
    const KEY: &'static str = "ticker";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = &[
        Shape {
            key: "tape",
            words: "Paper tape",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, TAPE],
            parts: PARTS,
            size: (1920, 72),
        },
        Shape {
            key: "board",
            words: "Board with a head",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, TAPE],
            parts: PARTS,
            size: (1920, 84),
        },
        Shape {
            key: "words",
            words: "Bare tape",
            tokens: &[TITLED, SIGNS, TEXT, PLATE, TAPE],
            parts: PARTS,
            size: (1920, 64),
        },
    ];

    fn standard(_: &Settings) -> Self {
        use Kind::{Cheer, Follow, Gift, Raid, Sub, Tip};
        Self {
            title: "On the line".into(),
            format: LineFormat::of(&[Follow, Sub, Gift, Tip, Cheer, Raid]),
            period: Period::AllTime,
            most: 12,
            fold: 60,
            texts: vec!["Thank you for being here".into()],
            between: "pennant".into(),
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        self.format.counts(self.period)
    }

    fn recents(&self) -> Vec<Recent> {
        vec![self.recent()]
    }

    fn convert(&mut self, by: &Conversion, _: &Settings) {
        self.format.convert(by);
    }

    fn sentence(&self, _: &Scope<'_>) -> Vec<Part> {
        let number = Editor::Number { value: self.most.to_string(), sign: String::new() };
        let texts = match self.texts.as_slice() {
            [] => "nothing else".to_owned(),
            [one] => format!("“{one}”"),
            all => format!("{} notices", all.len()),
        };
        let mark = MARKS.iter().find(|(key, _)| *key == self.between).unwrap_or(&MARKS[0]);
        let mut parts = vec![
            Part::field("title", TITLE, self.title.as_str(), Editor::Text { value: self.title.clone() }),
            Part::words("lets the newest"),
            Part::field("most", LINES, self.most.to_string(), number),
            Part::words("of"),
            self.format.part(),
            Part::words("run past, from"),
        ];
        parts.extend(counting::period(self.period));
        parts.extend([
            Part::words(", with"),
            Part::field("texts", TEXTS, texts, Editor::Lines { value: self.texts.join("\n") }),
            Part::words("among them and"),
            Part::field("between", BETWEEN, mark.1, Editor::choice(MARKS, mark.0)),
            Part::words("between; one supporter’s entries fold within"),
            Part::rest(("fold", FOLD), self.fold, "no time", ""),
        ]);
        parts
    }

    fn edit(&mut self, key: &str, text: &str, scope: &Scope<'_>) -> Result<(), EditError> {
        match key {
            "title" => self.title = input(TITLE, text).title()?,
            "most" => self.most = u32::try_from(input(LINES, text).whole(1, MOST)?).unwrap_or(1),
            "fold" => self.fold = input(FOLD, text).rest()?,
            "texts" => self.texts = texts(text)?,
            "between" => {
                let mark = input(BETWEEN, text).choice(&MARKS, |(key, _)| key)?;
                mark.0.clone_into(&mut self.between);
            }
            _ => {
                let known =
                    self.format.edit(key, text, scope)? || counting::edit_period(&mut self.period, key, text, scope)?;
                if !known {
                    return Err(no_such_part(key));
                }
            }
        }
        Ok(())
    }

    fn line_format(&self) -> Option<&LineFormat> {
        Some(&self.format)
    }

    fn follows_notices(&self) -> bool {
        true
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        self.of(self.format.lines(&scope.recent(&self.recent()), scope), scope)
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        let told = self.format.sample(scope);
        self.of(told.iter().map(|told| self.format.line(told, scope)).collect(), scope)
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        let told = if self.format.ages() { scope.recent(&self.recent()) } else { Vec::new() };
        self.format.wakes_at(self.period, &told, scope)
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let shown = format!("{} happenings, {} notices", scope.recent(&self.recent()).len(), self.texts.len());
        of_several(&self.format.counts(self.period), shown, scope)
    }
}

/// Fixed texts, one a line.
fn texts(all: &str) -> Result<Vec<String>, EditError> {
    let lines: Vec<&str> = all.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    if lines.len() > MOST_TEXTS {
        return Err(input(TEXTS, all).refuse(format!("are more than {MOST_TEXTS}; take some out")));
    }
    let text = |line: &str| {
        let line = text::name(line).map_err(|error| input(TEXTS, all).refuse(format!("have a line that {error}")))?;
        if line.chars().count() > LONGEST {
            return Err(input(TEXTS, all).refuse(format!("have a line longer than {LONGEST} characters")));
        }
        // They may emphasise, but they have no places for values.
        if line.contains("{{") || line.contains("{%") {
            return Err(input(TEXTS, all).refuse("have a line with “{{” or “{%”; a notice stands as it is written"));
        }
        Ok(line)
    };
    lines.into_iter().map(text).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::{World, entry, settings};
    use crate::record::entry::Body;
    use crate::record::happening::{Actor, Happening};
    use proptest::prelude::*;

    fn begin() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    #[test]
    fn happenings_and_notices_share_the_tape() {
        let follow = |(seq, name): (u64, &str)| {
            let actor = Actor { id: None, name: name.into(), avatar: None, anonymous: false };
            entry(seq, begin(), Body::Happening(Happening::Follow { actor }))
        };
        let world = World::after(&(1..).zip(["ninepins", "quietferry"]).map(follow).collect::<Vec<_>>());
        let scope = world.scope(begin());
        let mut ticker = Ticker::standard(&settings());
        let text = |ticker: &Ticker| ticker.view(&NoActs {}, &scope).text();
        assert_eq!(text(&ticker), "quietferry follows · ninepins follows · Thank you for being here");
        ticker.edit("texts", "New *whistle*\n\n  Tea at eight ", &scope).unwrap();
        assert_eq!(text(&ticker), "quietferry follows · New whistle · ninepins follows · Tea at eight");
        ticker.edit("texts", "", &scope).unwrap();
        ticker.edit("kinds", "", &scope).unwrap();
        assert_eq!(text(&ticker), "");
    }

    #[test]
    fn wrong_notices_are_refused() {
        let (world, mut ticker) = (World::new(), Ticker::standard(&settings()));
        let long = "x".repeat(201);
        let many = "a\n".repeat(13);
        for (text, why) in [
            (long.as_str(), "have a line longer than 200 characters"),
            (&many, "are more than 12"),
            ("{{ name }}", "stands as it is written"),
            ("a\u{202e}b", "have a line that"),
        ] {
            let error = ticker.edit("texts", text, &world.scope(begin())).unwrap_err().to_string();
            assert!(error.contains(why), "{error}");
        }
    }

    proptest! {
        #[test]
        fn no_item_is_lost_and_both_keep_their_order(happened in 0..20_usize, texts in 0..20_usize) {
            let item = |text: String, kind| Item { kind, runs: vec![Run { text, strong: false, name: false }] };
            let of = |many: usize, kind| (0..many).map(|index| item(index.to_string(), kind)).collect::<Vec<_>>();
            let all = spread(of(happened, Some(Kind::Tip)), of(texts, None));
            let picked = |kind| all.iter().filter(|item| item.kind == kind).cloned().collect::<Vec<_>>();
            prop_assert_eq!(picked(Some(Kind::Tip)), of(happened, Some(Kind::Tip)));
            prop_assert_eq!(picked(None), of(texts, None));
        }
    }
}
