//! A widget's data part as a sentence whose parts can be edited in place.

mod reading;
pub mod table;

pub(crate) use reading::input;
pub use reading::{Input, MOST_NUMBER, MOST_SECONDS};

use crate::template::Offered;
use crate::time::words::digits;
use chrono::TimeDelta;
use std::borrow::Cow;

/// A stretch of a sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Part {
    /// Words that stay.
    Words(Cow<'static, str>),
    /// A part that can be edited.
    Field(Field),
}

/// One editable part.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Field {
    /// The name under which an edit comes back.
    pub key: Cow<'static, str>,
    /// What it is, for labels and screen readers.
    pub label: &'static str,
    /// How it reads in the sentence.
    pub shown: String,
    /// How it is edited.
    pub editor: Editor,
}

/// How a part is edited. Values are what the form's control shows and sends back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Editor {
    /// One of several.
    Choice {
        /// Key and words of each.
        options: Vec<(String, String)>,
        /// The key chosen now.
        chosen: String,
    },
    /// A number; `sign` stands before it.
    Number {
        /// The present value, plain.
        value: String,
        /// Such as `£`.
        sign: String,
    },
    /// A number that may be left empty.
    MaybeNumber {
        /// The present value, or nothing.
        value: String,
    },
    /// A local date and time (`2026-11-29T20:00`) that may be left empty.
    MaybeMoment {
        /// The present value, or nothing.
        value: String,
    },
    /// A length of time such as `1:30:00`.
    Length {
        /// The present value.
        value: String,
    },
    /// A length of time that may be left empty.
    MaybeLength {
        /// The present value, or nothing.
        value: String,
    },
    /// A local date (`2026-11-29`).
    Date {
        /// The present value.
        value: String,
    },
    /// A short text, possibly empty.
    Text {
        /// The present value.
        value: String,
    },
    /// Any of several. What is chosen comes back as keys with commas between.
    Several {
        /// Key and words of each, and whether it is chosen now.
        options: Vec<(String, String, bool)>,
    },
    /// Several short texts, one a line.
    Lines {
        /// The present value.
        value: String,
    },
    /// A text with places for values.
    Template {
        /// The present value.
        value: String,
        /// What can stand in them.
        values: Offered,
    },
}

/// Why an edit was refused; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{label} {why}")]
pub struct EditError {
    /// The label of the part.
    pub label: &'static str,
    /// A sentence that goes on from the label.
    pub why: String,
}

impl Part {
    /// A field, in short.
    #[must_use]
    pub fn field(
        key: impl Into<Cow<'static, str>>,
        label: &'static str,
        shown: impl Into<String>,
        editor: Editor,
    ) -> Self {
        Self::Field(Field { key: key.into(), label, shown: shown.into(), editor })
    }

    /// A length of time in seconds that may be none.
    #[must_use]
    pub fn maybe_length(
        key: impl Into<Cow<'static, str>>,
        label: &'static str,
        seconds: Option<i64>,
        none: &str,
    ) -> Self {
        let length = seconds.map(|seconds| digits(TimeDelta::seconds(seconds)));
        let shown = length.clone().unwrap_or_else(|| none.to_owned());
        Self::field(key, label, shown, Editor::MaybeLength { value: length.unwrap_or_default() })
    }

    /// A rest or a wait in seconds, which may be none, as it reads after some words.
    #[must_use]
    pub fn rest(
        (key, label): (impl Into<Cow<'static, str>>, &'static str),
        seconds: u32,
        none: &str,
        before: &str,
    ) -> Self {
        let digits = digits(TimeDelta::seconds(seconds.into()));
        let shown = match seconds {
            0 => none.to_owned(),
            1..60 => format!("{before}{seconds} s"),
            _ => format!("{before}{digits}"),
        };
        Self::field(key, label, shown, Editor::MaybeLength { value: if seconds == 0 { String::new() } else { digits } })
    }

    /// Words that stay, in short.
    #[must_use]
    pub fn words(words: impl Into<Cow<'static, str>>) -> Self {
        Self::Words(words.into())
    }

    /// The same for one of several things: its key begins with the number of the thing.
    #[must_use]
    pub fn of(self, number: usize) -> Self {
        match self {
            Self::Field(field) => Self::Field(Field { key: format!("{number}.{}", field.key).into(), ..field }),
            words @ Self::Words(_) => words,
        }
    }
}

impl Editor {
    /// One of several that are known beforehand.
    #[must_use]
    pub fn choice(options: impl IntoIterator<Item = (&'static str, &'static str)>, chosen: &str) -> Self {
        let options = options.into_iter().map(|(key, words)| (key.to_owned(), words.to_owned())).collect();
        Self::Choice { options, chosen: chosen.to_owned() }
    }
}

/// The sentence as plain text.
#[must_use]
pub fn plain(parts: &[Part]) -> String {
    parts
        .iter()
        .map(|part| match part {
            Part::Words(words) => words.as_ref(),
            Part::Field(field) => field.shown.as_str(),
        })
        .collect::<Vec<_>>()
        .join(" ")
        .replace(" ,", ",")
        .replace(" :", ":")
        .replace(" ;", ";")
        .replace(" .", ".")
}

/// A key that begins with the number of a thing, taken apart; what has none belongs to the first.
#[must_use]
pub fn numbered(key: &str) -> (usize, &str) {
    let apart = key.split_once('.').and_then(|(number, rest)| Some((number.parse().ok()?, rest)));
    apart.unwrap_or((0, key))
}
