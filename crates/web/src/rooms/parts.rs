//! A sentence whose parts are edited in place, as widgets and cues have it.

use crate::markup::html;
use askama::Template;
use serde::Deserialize;
use tally_core::sentence::{Editor, Field, Part};

/// An edit that was refused: nothing typed is lost.
pub struct Refused {
    pub key: String,
    pub text: String,
    pub message: String,
}

/// One part of a sentence, as its form sends it.
#[derive(Deserialize)]
pub struct Edit {
    pub key: String,
    pub text: String,
}

/// Something with a sentence that is edited in place, and is no widget: a cue, a command.
pub trait EditedInPlace {
    /// Where its edits are sent, and what their answers take the place of.
    fn place(&self) -> (&str, &str);
    /// The edit that was refused last.
    fn refused(&self) -> Option<&Refused>;

    /// The parts of a sentence as they are drawn.
    fn placed<'a>(&self, parts: &'a [Part], end: &'a str) -> Vec<Placed<'a>> {
        placed(parts, end)
    }

    /// One part.
    fn part(&self, field: &Field, mark: &str) -> String {
        let refused = self.refused().filter(|refused| refused.key == field.key);
        html(&PartBox::of(self.place(), (field, mark), refused))
    }
}

/// Marks that belong to what stands before them.
const MARKS: [&str; 4] = [",", ":", ";", "."];

/// A part of a sentence as it is drawn.
pub enum Placed<'a> {
    Words(&'a str),
    Field(&'a Field, &'a str),
}

/// One part that can be edited in place.
#[derive(Template)]
#[template(path = "rooms/part.html")]
pub struct PartBox<'a> {
    /// Where what belongs to it is asked and sent.
    under: &'a str,
    /// What the answer takes the place of.
    target: &'a str,
    field: &'a Field,
    /// What stands right behind it.
    mark: &'a str,
    refused: Option<&'a Refused>,
    done: &'static str,
}

impl<'a> PartBox<'a> {
    /// One of a sentence of something else than a widget: an edit is sent to `under` and `/edit`, and its answer takes the place of
    /// `target`.
    pub fn of(
        (under, target): (&'a str, &'a str),
        (field, mark): (&'a Field, &'a str),
        refused: Option<&'a Refused>,
    ) -> Self {
        Self { under, target, field, mark, refused, done: "Save" }
    }

    /// The same with another word on the button that ends an edit.
    pub fn saying(self, done: &'static str) -> Self {
        Self { done, ..self }
    }

    /// Its id in the page: keys may hold names.
    fn place(&self) -> String {
        let plain = |letter: char| if letter.is_ascii_alphanumeric() { letter } else { '-' };
        // A page may hold several sentences.
        format!("{} {}", self.target, self.field.key).chars().skip(1).map(plain).collect()
    }

    /// What was typed into it, if that was refused.
    fn typed(&self) -> Option<&str> {
        self.refused.map(|refused| refused.text.as_str())
    }
}

/// Parts as they are drawn: words without a mark at their beginning, which the field before them bears.
pub fn placed<'a>(parts: &'a [Part], end: &'a str) -> Vec<Placed<'a>> {
    let mark = |part: Option<&'a Part>| match part {
        None => end,
        Some(Part::Words(words)) => words.get(..1).filter(|first| MARKS.contains(first)).unwrap_or_default(),
        Some(Part::Field(_)) => "",
    };
    let place = |(index, part): (usize, &'a Part)| match part {
        Part::Field(field) => Placed::Field(field, mark(parts.get(index + 1))),
        Part::Words(words) if index > 0 => Placed::Words(words.trim_start_matches([',', ':', ';', '.', ' '])),
        Part::Words(words) => Placed::Words(words),
    };
    parts.iter().enumerate().map(place).collect()
}
