//! Carousels: several labels in turn, each for its own time. One with nothing to say is skipped.

use super::label::{self, Label, LabelView};
use super::{Cued, Family, NoActs, no_such_part};
use crate::count::explain::{Slip, of_several};
use crate::count::recent::Recent;
use crate::count::{Count, Scope};
use crate::look::Shape;
use crate::money::conversion::Conversion;
use crate::record::measure::Measure;
use crate::record::settings::Settings;
use crate::sentence::{EditError, Editor, Part, input, numbered};
use crate::time::Instant;
use crate::widgets::view::View;
use serde::{Deserialize, Serialize};

/// Most labels in one carousel.
const MOST: usize = 8;
const SECONDS: &str = "The duration";
const MORE: &str = "What comes after";
const TITLE: &str = "The title";

/// Labels in turn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Carousel {
    /// Its name; each label has one of its own on the picture.
    pub title: String,
    /// The labels, at least one.
    pub slides: Vec<Slide>,
}

/// One label and its time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Slide {
    /// What is said.
    pub label: Label,
    /// For how many seconds.
    pub seconds: u32,
}

/// What a carousel shows.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct CarouselView {
    /// Its name.
    pub title: String,
    /// The labels that have something to say, each with its seconds. Pages show them in turn, by the
    /// server's clock, so that all show the same.
    pub slides: Vec<(LabelView, u32)>,
}

impl CarouselView {
    /// All labels, each on a line of its own.
    #[must_use]
    pub fn text(&self) -> String {
        let line = |(label, _): &(LabelView, u32)| format!("{}: {}", label.title, label.text());
        self.slides.iter().map(line).collect::<Vec<_>>().join("\n")
    }
}

impl Carousel {
    fn of(&self, view: impl Fn(&Label) -> LabelView) -> View {
        let seen = |slide: &Slide| (view(&slide.label), slide.seconds);
        let slides = self.slides.iter().map(seen).filter(|(label, _)| !label.text().trim().is_empty());
        View::Carousel(CarouselView { title: self.title.clone(), slides: slides.collect() })
    }

    fn counts(&self) -> Vec<Count> {
        self.slides.iter().map(|slide| slide.label.count()).collect()
    }
}

impl Family for Carousel {
    type State = NoActs;
    const KEY: &'static str = "carousel";
    const CUED: Cued = Cued::NOTHING;
    const SHAPES: &'static [Shape] = Label::SHAPES;

    fn standard(settings: &Settings) -> Self {
        let label = |title: &str, measure, which| {
            let mut label =
                Label { title: title.into(), which, placeholder: String::new(), ..Label::standard(settings) };
            label.count.what = crate::count::What::Sum(measure);
            Slide { label, seconds: 6 }
        };
        Self {
            title: "In turn".into(),
            slides: vec![
                label("Latest follow", Measure::CountOfFollows, label::Which::Latest),
                label("Latest subscriber", Measure::CountOfSubs, label::Which::Latest),
                label("Largest tip", Measure::AmountOfTips, label::Which::Largest),
            ],
        }
    }

    fn title(&self) -> &str {
        &self.title
    }

    fn counts(&self, _: &NoActs, _: &Settings) -> Vec<Count> {
        self.counts()
    }

    fn recents(&self) -> Vec<Recent> {
        self.slides.iter().flat_map(|slide| slide.label.recents()).collect()
    }

    fn convert(&mut self, by: &Conversion, settings: &Settings) {
        for slide in &mut self.slides {
            slide.label.convert(by, settings);
        }
    }

    fn sentence(&self, scope: &Scope<'_>) -> Vec<Part> {
        let mut parts = vec![
            Part::field("title", TITLE, self.title.as_str(), Editor::Text { value: self.title.clone() }),
            Part::words("shows in turn:"),
        ];
        for (number, slide) in (1..).zip(&self.slides) {
            parts.extend(label::parts(&slide.label, scope).into_iter().map(|part| part.of(number)));
            let seconds = Editor::Number { value: slide.seconds.to_string(), sign: String::new() };
            parts.push(Part::words(", for"));
            parts.push(Part::field("seconds", SECONDS, format!("{} s", slide.seconds), seconds).of(number));
            let mut choices = vec![("keep", "go on")];
            if self.slides.len() < MOST {
                choices.push(("add", "add another label after it"));
            }
            if self.slides.len() > 1 {
                choices.push(("drop", "take this label out"));
            }
            let then = if number == self.slides.len() { "and begin again" } else { "then" };
            parts.push(Part::words(","));
            parts.push(Part::field("more", MORE, then, Editor::choice(choices, "keep")).of(number));
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
        let many = self.slides.len();
        let Some(slide) = self.slides.get_mut(number.saturating_sub(1)) else { return Err(no_such_part(key)) };
        match (rest, text) {
            ("seconds", _) => {
                slide.seconds = u32::try_from(input(SECONDS, text).whole(2, 600)?).unwrap_or(6);
            }
            ("more", "keep") => {}
            ("more", "add") if many < MOST => {
                let new = Slide { label: Label::standard(scope.settings), seconds: slide.seconds };
                self.slides.insert(number, new);
            }
            ("more", "drop") if many > 1 => drop(self.slides.remove(number.saturating_sub(1))),
            ("more", _) => {
                return Err(
                    input(MORE, text).refuse(format!("must leave between 1 and {MOST} labels; pick from the list"))
                );
            }
            _ => label::edit(&mut slide.label, rest, text, scope)?,
        }
        Ok(())
    }

    fn view(&self, _: &NoActs, scope: &Scope<'_>) -> View {
        self.of(|label| label.seen(scope))
    }

    fn sample(&self, scope: &Scope<'_>) -> View {
        self.of(|label| label.made_up(scope))
    }

    fn wakes_at(&self, _: &NoActs, scope: &Scope<'_>) -> Option<Instant> {
        self.slides.iter().filter_map(|slide| slide.label.wakes(scope)).min()
    }

    fn explain(&self, _: &NoActs, scope: &Scope<'_>) -> Slip {
        let View::Carousel(view) = self.view(&NoActs {}, scope) else { return of_several(&[], String::new(), scope) };
        let shown = format!("{} of {} labels", view.slides.len(), self.slides.len());
        of_several(&self.counts(), shown, scope)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fixtures::{World, entry, settings};
    use crate::record::entry::Body;
    use crate::record::happening::{Actor, Happening};

    fn begin() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    #[test]
    fn what_has_nothing_to_say_is_skipped() {
        let actor = Actor { id: None, name: "ninepins".into(), avatar: None, anonymous: false };
        let world = World::after(&[entry(1, begin(), Body::Happening(Happening::Follow { actor }))]);
        let mut carousel = Carousel::standard(&settings());
        let text = |carousel: &Carousel, world: &World| carousel.view(&NoActs {}, &world.scope(begin())).text();
        assert_eq!(text(&carousel, &world), "Latest follow: ninepins");
        assert_eq!(text(&carousel, &World::new()), "");
        carousel.edit("3.placeholder", "Yours?", &world.scope(begin())).unwrap();
        assert_eq!(text(&carousel, &world), "Latest follow: ninepins\nLargest tip: Yours?");
    }

    #[test]
    fn labels_are_added_and_taken_out_but_one_stays() {
        let world = World::new();
        let scope = world.scope(begin());
        let mut carousel = Carousel::standard(&settings());
        let titles = |carousel: &Carousel| -> Vec<String> {
            carousel.slides.iter().map(|slide| slide.label.title.clone()).collect()
        };
        carousel.edit("1.more", "add", &scope).unwrap();
        assert_eq!(titles(&carousel), ["Latest follow", "Latest tip", "Latest subscriber", "Largest tip"]);
        for _ in 0..3 {
            carousel.edit("1.more", "drop", &scope).unwrap();
        }
        assert_eq!(titles(&carousel), ["Largest tip"]);
        assert!(carousel.edit("1.more", "drop", &scope).is_err());
        assert!(carousel.edit("2.title", "x", &scope).is_err());
        assert!(carousel.edit("1.seconds", "1", &scope).is_err());
        assert!(carousel.edit("9999999999999999999999.title", "x", &scope).is_err());
    }
}
