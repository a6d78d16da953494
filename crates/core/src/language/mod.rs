//! The language of a widget: how it writes numbers and money, and the few words of its own that it
//! puts on the picture. It is apart from that of the application.
//!
//! Forms follow the Unicode CLDR, release 45: decimal and grouping signs, the place of the currency
//! sign, least digits for grouping, and cardinal plural rules.

pub mod text;
pub mod unit;

use crate::language::unit::Unit;
use crate::money::{Currency, Money};
use crate::time::{Instant, after};
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// See the module.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Language {
    /// English.
    #[default]
    En,
    /// German.
    De,
    /// French.
    Fr,
    /// Spanish.
    Es,
    /// Polish.
    Pl,
    /// Portuguese of Brazil.
    PtBr,
    /// Japanese.
    Ja,
}

/// The few words that widgets put on the picture by themselves.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Words {
    /// Between value and target.
    pub of: &'static str,
    /// A goal that was reached before its end.
    pub met: &'static str,
    /// A goal that ended before.
    pub missed: &'static str,
    /// A goal that is reached.
    pub reached: &'static str,
    /// After what is missing.
    pub to_go: &'static str,
    /// After what an hour needs.
    pub an_hour: &'static str,
    /// Whoever gave no name.
    pub somebody: &'static str,
    /// Just now.
    pub now: &'static str,
    /// Minutes, hours and days, short.
    pub ago: [&'static str; 3],
}

const MINUS: char = '-';
const NBSP: char = '\u{a0}';
const NARROW: char = '\u{202f}';

impl Language {
    /// All of them, in the order in which they are offered.
    pub const ALL: [Self; 7] = [Self::En, Self::De, Self::Fr, Self::Es, Self::Pl, Self::PtBr, Self::Ja];

    /// The code of BCP 47.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::En => "en",
            Self::De => "de",
            Self::Fr => "fr",
            Self::Es => "es",
            Self::Pl => "pl",
            Self::PtBr => "pt-br",
            Self::Ja => "ja",
        }
    }

    /// Its own name.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::En => "English",
            Self::De => "Deutsch",
            Self::Fr => "français",
            Self::Es => "español",
            Self::Pl => "polski",
            Self::PtBr => "português (Brasil)",
            Self::Ja => "日本語",
        }
    }

    fn grouping(self) -> char {
        match self {
            Self::En | Self::Ja => ',',
            Self::De | Self::Es | Self::PtBr => '.',
            Self::Fr => NARROW,
            Self::Pl => NBSP,
        }
    }

    fn decimal(self) -> char {
        match self {
            Self::En | Self::Ja => '.',
            _ => ',',
        }
    }

    fn digits(self, number: u64) -> String {
        let digits = number.to_string();
        // Spanish and Polish group from five digits on.
        let least = if matches!(self, Self::Es | Self::Pl) { 5 } else { 4 };
        let mut out = String::with_capacity(digits.len().saturating_mul(2));
        for (index, digit) in digits.chars().enumerate() {
            if index > 0 && digits.len() >= least && digits.len().saturating_sub(index).is_multiple_of(3) {
                out.push(self.grouping());
            }
            out.push(digit);
        }
        out
    }

    /// A whole number: `12,345`, `12.345`, `12 345`.
    ///
    /// ```
    /// use tally_core::language::Language;
    /// assert_eq!(Language::De.number(-12_345), "-12.345");
    /// assert_eq!(Language::Pl.number(1_234), "1234");
    /// ```
    #[must_use]
    pub fn number(self, number: i64) -> String {
        let digits = self.digits(number.unsigned_abs());
        if number < 0 { format!("{MINUS}{digits}") } else { digits }
    }

    /// An amount of money; decimals that are all zero are left away.
    #[must_use]
    pub fn money(self, money: Money) -> String {
        let unit = 10_u64.pow(u32::from(money.currency.decimals()));
        let magnitude = money.minor.unsigned_abs();
        let mut figure = self.digits(magnitude.checked_div(unit).unwrap_or(0));
        if !magnitude.is_multiple_of(unit) {
            let width = usize::from(money.currency.decimals());
            figure.push(self.decimal());
            figure.push_str(&format!("{:0width$}", magnitude.rem_euclid(unit)));
        }
        let minus = if money.minor < 0 { "-" } else { "" };
        let sign = self.sign(&money.currency);
        let is_code = sign.chars().all(|c| c.is_ascii_alphabetic());
        match self {
            // A code stands apart from the figure, a sign does not.
            Self::En | Self::Ja if is_code => format!("{minus}{sign}{NBSP}{figure}"),
            Self::En | Self::Ja => format!("{minus}{sign}{figure}"),
            Self::PtBr => format!("{minus}{sign}{NBSP}{figure}"),
            Self::De | Self::Fr | Self::Es | Self::Pl => format!("{minus}{figure}{NBSP}{sign}"),
        }
    }

    fn sign(self, currency: &Currency) -> &str {
        match (self, currency.code()) {
            (Self::Pl, "PLN") => "zł",
            (Self::PtBr, "BRL") => "R$",
            (Self::Ja, "JPY") => "￥",
            (_, "GBP") => "£",
            (_, "EUR") => "€",
            (_, "USD") => "$",
            (_, "JPY") => "¥",
            (_, code) => code,
        }
    }

    /// A figure in its unit.
    #[must_use]
    pub fn figure(self, unit: Unit, value: i64) -> String {
        match unit {
            Unit::Money(currency) => self.money(Money { minor: value, currency }),
            Unit::Things => self.number(value),
        }
    }

    /// Per cent.
    #[must_use]
    pub fn percent(self, percent: i64) -> String {
        let figure = self.number(percent);
        match self {
            Self::De | Self::Es => format!("{figure}{NBSP}%"),
            Self::Fr => format!("{figure}{NARROW}%"),
            Self::En | Self::Pl | Self::PtBr | Self::Ja => format!("{figure}%"),
        }
    }

    /// Which of the forms of a word goes with a number, from 0: English has two (*one*, *other*), Polish
    /// four (*one*, *few*, *many*, *other* for fractions), French, Spanish and Portuguese three (*one*,
    /// *other*, and *many* for whole millions), Japanese one. Who gives fewer forms gets the last.
    ///
    /// ```
    /// use tally_core::language::Language;
    /// assert_eq!((Language::En.plural(1.0), Language::En.plural(1.5)), (0, 1));
    /// ```
    #[must_use]
    pub fn plural(self, number: f64) -> usize {
        let (n, is_whole) = (number.abs(), number.fract() == 0.0);
        let million = is_whole && n >= 1_000_000.0 && n % 1_000_000.0 == 0.0;
        match self {
            Self::En | Self::De => usize::from(n != 1.0),
            Self::Es if million => 2,
            Self::Es => usize::from(n != 1.0),
            Self::Fr | Self::PtBr if million => 2,
            Self::Fr | Self::PtBr => usize::from(n >= 2.0),
            Self::Ja => 0,
            Self::Pl if !is_whole => 3,
            Self::Pl if n == 1.0 => 0,
            Self::Pl if (2.0..=4.0).contains(&(n % 10.0)) && !(12.0..=14.0).contains(&(n % 100.0)) => 1,
            Self::Pl => 2,
        }
    }

    /// How long ago: `now`, `5 min`, `3 h`, `2 d`.
    #[must_use]
    pub fn ago(self, seconds: i64) -> String {
        let words = self.on_air();
        let (number, unit) = match seconds.max(0) {
            0..60 => return words.now.to_owned(),
            seconds @ 60..3_600 => (seconds / 60, words.ago[0]),
            seconds @ 3_600..86_400 => (seconds / 3_600, words.ago[1]),
            seconds => (seconds / 86_400, words.ago[2]),
        };
        format!("{}{NBSP}{unit}", self.number(number))
    }

    /// The words that widgets put on the picture by themselves.
    #[must_use]
    pub fn on_air(self) -> Words {
        let words = |of, [met, missed, reached]: [_; 3], to_go, an_hour, somebody, now, ago| Words {
            of,
            met,
            missed,
            reached,
            to_go,
            an_hour,
            somebody,
            now,
            ago,
        };
        match self {
            Self::En => words(
                "of",
                ["Reached in time", "Closed", "Reached"],
                "to go",
                "an hour",
                "Somebody",
                "now",
                ["min", "h", "d"],
            ),
            Self::De => words(
                "von",
                ["Rechtzeitig erreicht", "Beendet", "Erreicht"],
                "fehlen",
                "je Stunde",
                "Jemand",
                "jetzt",
                ["Min.", "Std.", "T."],
            ),
            Self::Fr => words(
                "sur",
                ["Atteint à temps", "Terminé", "Atteint"],
                "à réunir",
                "par heure",
                "Quelqu’un",
                "maintenant",
                ["min", "h", "j"],
            ),
            Self::Es => words(
                "de",
                ["Logrado a tiempo", "Cerrado", "Logrado"],
                "por reunir",
                "por hora",
                "Alguien",
                "ahora",
                ["min", "h", "d"],
            ),
            Self::Pl => words(
                "z",
                ["Osiągnięto na czas", "Zakończono", "Osiągnięto"],
                "brakuje",
                "na godzinę",
                "Ktoś",
                "teraz",
                ["min", "godz.", "dni"],
            ),
            Self::PtBr => words(
                "de",
                ["Alcançada a tempo", "Encerrada", "Alcançada"],
                "faltam",
                "por hora",
                "Alguém",
                "agora",
                ["min", "h", "d"],
            ),
            Self::Ja => {
                words("/", ["期限内に達成", "終了", "達成"], "残り", "毎時", "匿名", "今", ["分", "時間", "日"])
            }
        }
    }
}

/// When the words for how long ago something was next change.
#[must_use]
pub fn age_changes_at(at: Instant, now: Instant) -> Instant {
    let seconds = now.signed_duration_since(at).num_seconds().max(0);
    let unit = match seconds {
        0..3_600 => 60,
        3_600..86_400 => 3_600,
        _ => 86_400,
    };
    after(at, TimeDelta::seconds(seconds.checked_div(unit).unwrap_or(0).saturating_add(1).saturating_mul(unit)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn money(language: Language, minor: i64, code: &str) -> String {
        language.money(Money { minor, currency: Currency::parse(code).unwrap() }).replace([NBSP, NARROW], "_")
    }

    #[test]
    fn money_is_written_as_each_language_does() {
        let cases = [
            (Language::En, "£1,234.50", "CHF_1,234.50"),
            (Language::De, "1.234,50_£", "1.234,50_CHF"),
            (Language::Fr, "1_234,50_£", "1_234,50_CHF"),
            (Language::Es, "1234,50_£", "1234,50_CHF"),
            (Language::Pl, "1234,50_£", "1234,50_CHF"),
            (Language::PtBr, "£_1.234,50", "CHF_1.234,50"),
            (Language::Ja, "£1,234.50", "CHF_1,234.50"),
        ];
        for (language, pounds, francs) in cases {
            assert_eq!(money(language, 123_450, "GBP"), pounds);
            assert_eq!(money(language, 123_450, "CHF"), francs);
        }
        assert_eq!(money(Language::Pl, -1_234_500, "PLN"), "-12_345_zł");
        assert_eq!(money(Language::Ja, 1_500, "JPY"), "￥1,500");
        assert_eq!(money(Language::PtBr, 5, "BRL"), "R$_0,05");
    }

    #[test]
    fn plurals() {
        let forms = |language: Language| [0, 1, 2, 5, 12, 22, 25, 101].map(|n| language.plural(f64::from(n)));
        assert_eq!(forms(Language::En), [1, 0, 1, 1, 1, 1, 1, 1]);
        assert_eq!(forms(Language::Fr), [0, 0, 1, 1, 1, 1, 1, 1]);
        assert_eq!(forms(Language::Pl), [2, 0, 1, 2, 2, 1, 2, 2]);
        assert_eq!(forms(Language::Ja), [0; 8]);
    }

    #[test]
    fn how_long_ago() {
        let ago = |seconds| Language::En.ago(seconds).replace(NBSP, " ");
        assert_eq!((ago(-3), ago(59), ago(60), ago(7_300), ago(200_000)), {
            let text = str::to_owned;
            (text("now"), text("now"), text("1 min"), text("2 h"), text("2 d"))
        });
    }

    #[test]
    fn english_writes_money_as_the_rooms_do() {
        for (minor, code) in [(35_000, "GBP"), (-1_250, "EUR"), (7, "KWD"), (123_456_700, "PLN"), (99, "CHF")] {
            let money = Money { minor, currency: Currency::parse(code).unwrap() };
            assert_eq!(Language::En.money(money), money.to_string());
        }
    }

    proptest! {
        #[test]
        fn a_number_keeps_its_digits_in_every_language(number in any::<i64>()) {
            for language in Language::ALL {
                let digits: String = language.number(number).chars().filter(char::is_ascii_digit).collect();
                prop_assert_eq!(digits, number.unsigned_abs().to_string());
            }
        }
    }
}
