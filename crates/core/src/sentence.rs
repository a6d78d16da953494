//! A widget's data part as a sentence whose parts can be edited in place.

use crate::language::text;
use crate::language::unit::Unit;
use crate::money::{self, Currency, Money, MoneyError};
use crate::template::Offered;
use chrono::{NaiveDate, NaiveDateTime};
use std::borrow::Cow;

/// The furthest whole number that a field takes, either way.
pub const MOST_NUMBER: i64 = 1_000_000_000_000;
/// The longest length that a field takes, in seconds: 100 days.
pub const MOST_SECONDS: i64 = 100 * 24 * 3_600;

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

/// Reads what a field sent back, and words its refusals.
#[derive(Debug, Clone, Copy)]
pub struct Input<'a> {
    /// The label of the part, with which errors begin.
    pub label: &'static str,
    /// What was typed.
    pub text: &'a str,
}

impl Input<'_> {
    /// Refuses the input, going on from the label.
    #[must_use]
    pub fn refuse(&self, why: impl Into<String>) -> EditError {
        EditError { label: self.label, why: why.into() }
    }

    /// One of the keys offered.
    ///
    /// # Errors
    /// Another key.
    pub fn choice<T: Copy>(&self, all: &[T], key: fn(T) -> &'static str) -> Result<T, EditError> {
        all.iter()
            .copied()
            .find(|one| key(*one) == self.text)
            .ok_or_else(|| self.refuse("is none of the choices offered; pick one from the list"))
    }

    /// A whole number within `from..=to`.
    ///
    /// # Errors
    /// Not a whole number, or outside.
    pub fn whole(&self, from: i64, to: i64) -> Result<i64, EditError> {
        let plain = money::plain(self.text.trim(), 0).map_err(|error| match error {
            error @ MoneyError::TwoReadings { .. } => self.refuse(error.to_string()),
            _ => self.refuse("must be a whole number, such as 40"),
        })?;
        let number: i64 = plain.parse().map_err(|_| self.refuse("must be a whole number, such as 40"))?;
        if (from..=to).contains(&number) {
            return Ok(number);
        }
        Err(self.refuse(format!("must lie between {from} and {to}")))
    }

    /// A whole number, or nothing.
    ///
    /// # Errors
    /// Neither.
    pub fn maybe_whole(&self, from: i64, to: i64) -> Result<Option<i64>, EditError> {
        if self.text.trim().is_empty() { Ok(None) } else { self.whole(from, to).map(Some) }
    }

    /// A number in a unit, in its smallest steps.
    ///
    /// # Errors
    /// Not such a number, or outside `from..`.
    pub fn in_unit(&self, unit: Unit, from: i64) -> Result<i64, EditError> {
        match unit {
            Unit::Things => self.whole(from, MOST_NUMBER),
            Unit::Money(currency) => self.money(currency, from),
        }
    }

    fn money(&self, currency: Currency, from: i64) -> Result<i64, EditError> {
        let minor = Money::typed(self.text, currency).map_err(|error| self.refuse(error.to_string()))?.minor;
        if minor < from {
            let least = Money { minor: from, currency };
            return Err(self.refuse(format!("must be at least {least}")));
        }
        Ok(minor)
    }

    /// A local date and time, or nothing.
    ///
    /// # Errors
    /// Neither.
    pub fn maybe_moment(&self) -> Result<Option<NaiveDateTime>, EditError> {
        let text = self.text.trim();
        if text.is_empty() {
            return Ok(None);
        }
        ["%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S"]
            .iter()
            .find_map(|form| NaiveDateTime::parse_from_str(text, form).ok())
            .filter(|moment| (1970..=2200).contains(&chrono::Datelike::year(moment)))
            .map(Some)
            .ok_or_else(|| self.refuse("must be a date and a time, such as 2026-11-29T20:00, or empty"))
    }

    /// A local date.
    ///
    /// # Errors
    /// Anything else.
    pub fn date(&self) -> Result<NaiveDate, EditError> {
        NaiveDate::parse_from_str(self.text.trim(), "%Y-%m-%d")
            .ok()
            .filter(|date| (1970..=2200).contains(&chrono::Datelike::year(date)))
            .ok_or_else(|| self.refuse("must be a date, such as 2026-11-29"))
    }

    /// A length of time in seconds: `90`, `1:30`, `1:00:00`.
    ///
    /// # Errors
    /// Anything else, nothing at all, or beyond [`MOST_SECONDS`].
    pub fn length(&self) -> Result<i64, EditError> {
        let wrong = || self.refuse("must be a length of time, such as 10:00 for ten minutes or 1:30:00");
        let parts: Vec<i64> = self
            .text
            .trim()
            .split(':')
            .map(|part| {
                let digits = !part.is_empty() && part.len() <= 7 && part.bytes().all(|b| b.is_ascii_digit());
                if digits { part.parse().map_err(|_| wrong()) } else { Err(wrong()) }
            })
            .collect::<Result<_, _>>()?;
        let seconds = match parts[..] {
            [seconds] => seconds,
            [minutes, seconds] if seconds < 60 => minutes.saturating_mul(60).saturating_add(seconds),
            [hours, minutes, seconds] if minutes < 60 && seconds < 60 => {
                hours.saturating_mul(60).saturating_add(minutes).saturating_mul(60).saturating_add(seconds)
            }
            _ => return Err(wrong()),
        };
        if !(1..=MOST_SECONDS).contains(&seconds) {
            return Err(self.refuse("must lie between one second and 2400:00:00"));
        }
        Ok(seconds)
    }

    /// A short line of text, possibly empty.
    ///
    /// # Errors
    /// Too long, or characters that cannot be shown.
    pub fn line(&self) -> Result<String, EditError> {
        if self.text.trim().is_empty() {
            return Ok(String::new());
        }
        self.title()
    }

    /// A short line of text.
    ///
    /// # Errors
    /// Empty, too long, or characters that cannot be shown.
    pub fn title(&self) -> Result<String, EditError> {
        let line = text::name(self.text).map_err(|error| self.refuse(error.to_string()))?;
        if line.chars().count() > 80 {
            return Err(self.refuse("is longer than 80 characters"));
        }
        Ok(line)
    }
}

/// What is typed into the field of that label.
pub(crate) fn input<'a>(label: &'static str, text: &'a str) -> Input<'a> {
    Input { label, text }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn input(text: &str) -> Input<'_> {
        Input { label: "The field", text }
    }

    #[test]
    fn lengths_are_read_as_people_write_them() {
        for (text, seconds) in [("90", 90), ("1:30", 90), ("10:00", 600), ("30:00:00", 108_000), (" 5:00 ", 300)] {
            assert_eq!(input(text).length(), Ok(seconds), "{text}");
        }
        for text in ["", "0", "1:60", "a", "-5", "1:2:3:4", "99999999", "2400:00:01", "1:", "१:००"] {
            assert!(input(text).length().is_err(), "{text}");
        }
    }

    #[test]
    fn money_may_carry_its_sign_and_groups() {
        let gbp = Unit::Money(Currency::parse("GBP").unwrap());
        assert_eq!(input("£1,250.50").in_unit(gbp, 1), Ok(125_050));
        assert_eq!(input("350").in_unit(gbp, 1), Ok(35_000));
        let error = input("3.5055").in_unit(gbp, 1).unwrap_err();
        assert_eq!(error.to_string(), "The field has more decimals than GBP has (2)");
        assert_eq!(input("12,50").in_unit(gbp, 1), Ok(1_250));
        assert_eq!(input("1,204").whole(0, 9_999), Ok(1_204));
        assert!(input("12,50").whole(0, 9_999).is_err());
        assert!(input("0").in_unit(gbp, 1).is_err());
    }

    #[test]
    fn moments() {
        assert_eq!(input("").maybe_moment(), Ok(None));
        let moment = input("2026-11-29T20:00").maybe_moment().unwrap().unwrap();
        assert_eq!(crate::time::words::moment_words(moment), "29 Nov 2026, 20:00");
        assert!(input("tomorrow").maybe_moment().is_err());
        assert!(input("9999-01-01T00:00").maybe_moment().is_err());
    }

    proptest! {
        #[test]
        fn no_input_makes_a_field_panic(text in ".*") {
            let input = input(&text);
            let _ = input.whole(-5, 5);
            let _ = input.length();
            let _ = input.maybe_moment();
            let _ = input.line();
            let _ = input.in_unit(Unit::Money(Currency::parse("JPY").unwrap()), 0);
        }
    }
}
