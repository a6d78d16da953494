//! Reading what the fields of a sentence send back.

use super::EditError;
use crate::language::text;
use crate::language::unit::Unit;
use crate::money::{self, Currency, Money, MoneyError};
use chrono::{NaiveDate, NaiveDateTime};

/// The furthest whole number that a field takes, either way.
pub const MOST_NUMBER: i64 = 1_000_000_000_000;
/// The longest length that a field takes, in seconds: 100 days.
pub const MOST_SECONDS: i64 = 100 * 24 * 3_600;

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
        self.length_from(1)
    }

    /// The same, or nothing in a word or in figures: `none`, `0`, `0:00`, an empty text.
    ///
    /// # Errors
    /// Neither.
    pub fn length_or(&self, none: &str) -> Result<i64, EditError> {
        if self.is_none(none) { Ok(0) } else { self.length_from(0) }
    }

    /// Whether nothing is said, in a word or by leaving it empty.
    #[must_use]
    pub fn is_none(&self, none: &str) -> bool {
        let text = self.text.trim();
        text.is_empty() || text.eq_ignore_ascii_case(none)
    }

    fn length_from(&self, least: i64) -> Result<i64, EditError> {
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
        if !(least..=MOST_SECONDS).contains(&seconds) {
            let least = if least == 0 { "nothing" } else { "one second" };
            return Err(self.refuse(format!("must lie between {least} and 2400:00:00")));
        }
        Ok(seconds)
    }

    /// A length of time, or nothing.
    ///
    /// # Errors
    /// Neither.
    pub fn maybe_length(&self) -> Result<Option<i64>, EditError> {
        if self.text.trim().is_empty() { Ok(None) } else { self.length().map(Some) }
    }

    /// A rest or a wait of at most a day, in seconds; nothing and 0 are none. `5 s` is as good as `5`.
    ///
    /// # Errors
    /// Longer, or no length.
    pub fn rest(&self) -> Result<u32, EditError> {
        let text = self.text.trim().trim_end_matches(['s', ' ']);
        if text.is_empty() || text == "0" {
            return Ok(0);
        }
        let seconds = Input { text, ..*self }.length()?;
        u32::try_from(seconds).ok().filter(|one| *one <= 86_400).ok_or_else(|| self.refuse("must be a day at most"))
    }

    /// A word that somebody says in chat: no blanks in it, at most 40 characters.
    ///
    /// # Errors
    /// Anything else.
    pub fn word(&self) -> Result<String, EditError> {
        let word = self.title()?;
        if word.contains(char::is_whitespace) || word.chars().count() > 40 {
            return Err(self.refuse("must be one word without blanks, such as !coal, of at most 40 letters"));
        }
        Ok(word)
    }

    /// Such a word, or nothing.
    ///
    /// # Errors
    /// Neither.
    pub fn maybe_word(&self) -> Result<String, EditError> {
        if self.text.trim().is_empty() { Ok(String::new()) } else { self.word() }
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

    /// A line of text of at most so many characters, possibly empty.
    ///
    /// # Errors
    /// Too long, or characters that cannot be shown.
    pub fn long_line(&self, most: usize) -> Result<String, EditError> {
        let line = text::message(self.text).map_err(|error| self.refuse(error.to_string()))?;
        let line = line.split_whitespace().collect::<Vec<_>>().join(" ");
        if line.chars().count() > most {
            return Err(self.refuse(format!("is longer than {most} characters")));
        }
        Ok(line)
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
        for (text, seconds) in [("", 0), ("0", 0), ("0:00", 0), (" None ", 0), ("2:00", 120)] {
            assert_eq!(input(text).length_or("none"), Ok(seconds), "{text}");
        }
        assert!(input("never").length_or("none").is_err());
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
