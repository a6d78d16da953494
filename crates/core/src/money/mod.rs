//! Money in minor units with an ISO 4217 code. Decimals, never floats; overflow is an error.

pub mod conversion;
pub mod rates;

use rust_decimal::Decimal;
use serde::{Deserialize, Serialize};
use std::fmt;
use std::str::FromStr;

/// The largest amount a single entry may carry, in minor units. A million such entries still fit
/// into 64 bits, so a sum cannot run over by accident.
pub const MOST_MINOR: i64 = 1_000_000_000_000;

/// ISO 4217 codes without decimals.
const NO_DECIMALS: &str = "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF";
/// ISO 4217 codes with three decimals.
const THREE_DECIMALS: &str = "BHD IQD JOD KWD LYD OMR TND";
/// ISO 4217 codes with two decimals.
const TWO_DECIMALS: &str = "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BMD BND BOB BOV \
    BRL BSD BTN BWP BYN BZD CAD CDF CHE CHF CHW CNY COP COU CRC CUP CVE CZK DKK DOP DZD EGP ERN ETB \
    EUR FJD FKP GBP GEL GHS GIP GMD GTQ GYD HKD HNL HTG HUF IDR ILS INR IRR JMD KES KGS KHR KPW KYD \
    KZT LAK LBP LKR LRD LSL MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MXV MYR MZN NAD NGN NIO \
    NOK NPR NZD PAB PEN PGK PHP PKR PLN QAR RON RSD RUB SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP \
    STN SVC SYP SZL THB TJS TMT TOP TRY TTD TWD TZS UAH USD USN UYU UZS VED VES WST XCD YER ZAR ZMW ZWG";

/// A currency of ISO 4217 with its number of decimals.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Currency {
    code: [u8; 3],
    decimals: u8,
}

/// Why a currency or an amount was refused. The text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MoneyError {
    /// Not a code of ISO 4217.
    #[error("is not a currency code of ISO 4217; write three capital letters such as GBP")]
    UnknownCurrency,
    /// Not a plain decimal number.
    #[error("is not a plain decimal number such as 12.50")]
    NotANumber,
    /// More decimals than the currency has.
    #[error("has more decimals than {code} has ({decimals})")]
    TooManyDecimals {
        /// The currency's code.
        code: String,
        /// How many decimals it has.
        decimals: u8,
    },
    /// A separator that may part thousands or decimals.
    #[error("could be {grouped} or {parted}; write one of them, without a separator for thousands")]
    TwoReadings {
        /// With the separator parting thousands.
        grouped: String,
        /// With the separator parting decimals.
        parted: String,
    },
    /// Beyond [`MOST_MINOR`].
    #[error("is larger than one entry can carry")]
    TooLarge,
}

impl Currency {
    /// Looks a code up in ISO 4217.
    ///
    /// # Errors
    /// [`MoneyError::UnknownCurrency`] for anything but an active code in capital letters.
    pub fn parse(code: &str) -> Result<Self, MoneyError> {
        let bytes: [u8; 3] = code.as_bytes().try_into().map_err(|_| MoneyError::UnknownCurrency)?;
        let listed = |list: &str| list.split_ascii_whitespace().any(|known| known == code);
        let decimals = if listed(TWO_DECIMALS) {
            2
        } else if listed(NO_DECIMALS) {
            0
        } else if listed(THREE_DECIMALS) {
            3
        } else {
            return Err(MoneyError::UnknownCurrency);
        };
        Ok(Self { code: bytes, decimals })
    }

    /// The three letters.
    #[must_use]
    pub fn code(&self) -> &str {
        std::str::from_utf8(&self.code).unwrap_or("???")
    }

    /// How many decimals the currency has: 0, 2 or 3.
    #[must_use]
    pub fn decimals(&self) -> u8 {
        self.decimals
    }

    /// What stands before an amount, where a sign is commonly known; else the code stands there, with a space.
    #[must_use]
    pub fn sign(&self) -> &str {
        match self.code() {
            "GBP" => "£",
            "EUR" => "€",
            "USD" => "$",
            "JPY" => "¥",
            _ => "",
        }
    }
}

/// Signs of currencies as they are commonly written.
const SIGNS: [(&str, &str); 19] = [
    ("£", "GBP"),
    ("€", "EUR"),
    ("$", "USD"),
    ("US$", "USD"),
    ("A$", "AUD"),
    ("C$", "CAD"),
    ("NZ$", "NZD"),
    ("R$", "BRL"),
    ("¥", "JPY"),
    ("zł", "PLN"),
    ("Kč", "CZK"),
    ("₹", "INR"),
    ("₩", "KRW"),
    ("₺", "TRY"),
    ("₴", "UAH"),
    ("฿", "THB"),
    ("₫", "VND"),
    ("₱", "PHP"),
    ("₪", "ILS"),
];

impl Currency {
    /// The currency that a sign commonly stands for; none where it could be one of several.
    #[must_use]
    pub fn of_sign(sign: &str) -> Option<Self> {
        SIGNS.iter().find(|(own, _)| *own == sign).and_then(|(_, code)| Self::parse(code).ok())
    }
}

impl fmt::Debug for Currency {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.code())
    }
}

impl fmt::Display for Currency {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.code())
    }
}

impl TryFrom<String> for Currency {
    type Error = MoneyError;
    fn try_from(code: String) -> Result<Self, MoneyError> {
        Self::parse(&code)
    }
}

impl From<Currency> for String {
    fn from(currency: Currency) -> Self {
        currency.code().to_owned()
    }
}

/// An amount in the minor unit of its currency (pence, cents, yen).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Money {
    /// Minor units.
    pub minor: i64,
    /// Of which currency.
    pub currency: Currency,
}

impl Money {
    /// Reads a decimal string such as `12.50`; a sign is allowed, an exponent is not.
    ///
    /// # Errors
    /// Not a number, more decimals than the currency has, or beyond [`MOST_MINOR`] either way.
    ///
    /// ```
    /// use tally_core::money::{Currency, Money};
    /// let gbp = Currency::parse("GBP").unwrap();
    /// assert_eq!(Money::parse("12.5", gbp).unwrap().minor, 1250);
    /// assert!(Money::parse("12.505", gbp).is_err());
    /// ```
    pub fn parse(amount: &str, currency: Currency) -> Result<Self, MoneyError> {
        let digits = amount.strip_prefix(['-', '+']).unwrap_or(amount);
        let plain = !digits.is_empty()
            && digits.starts_with(|c: char| c.is_ascii_digit())
            && digits.ends_with(|c: char| c.is_ascii_digit())
            && digits.chars().all(|c| c.is_ascii_digit() || c == '.')
            && digits.matches('.').count() <= 1;
        if !plain {
            return Err(MoneyError::NotANumber);
        }
        let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
        if fraction.len() > usize::from(currency.decimals) {
            return Err(MoneyError::TooManyDecimals { code: currency.code().to_owned(), decimals: currency.decimals });
        }
        // Thirty digits are far beyond the limit, and more would not fit the decimal type.
        if whole.trim_start_matches('0').len() > 20 {
            return Err(MoneyError::TooLarge);
        }
        let value = Decimal::from_str(amount).map_err(|_| MoneyError::NotANumber)?;
        let scale = Decimal::from(10_i64.pow(u32::from(currency.decimals)));
        let minor = value.checked_mul(scale).ok_or(MoneyError::TooLarge)?;
        let minor = i64::try_from(minor).map_err(|_| MoneyError::TooLarge)?;
        if minor.abs() > MOST_MINOR {
            return Err(MoneyError::TooLarge);
        }
        Ok(Self { minor, currency })
    }

    /// Reads an amount as people type it: with the currency's sign or code, with signs that part
    /// thousands, with a decimal point or comma.
    ///
    /// # Errors
    /// See [`Money::parse`]; or the separator could mean either.
    pub fn typed(text: &str, currency: Currency) -> Result<Self, MoneyError> {
        let text = text.trim();
        let mut bare = text;
        for mark in [currency.sign(), currency.code()].into_iter().filter(|mark| !mark.is_empty()) {
            let (minus, rest) = match bare.strip_prefix(['-', '−']) {
                Some(rest) => (true, rest),
                None => (false, bare),
            };
            if let Some(rest) = rest.strip_prefix(mark) {
                let amount = if minus { format!("-{}", rest.trim_start()) } else { rest.trim_start().to_owned() };
                return Self::parse(&plain(&amount, currency.decimals)?, currency);
            }
            bare = bare.strip_suffix(mark).map_or(bare, str::trim_end);
        }
        Self::parse(&plain(bare, currency.decimals)?, currency)
    }

    /// The plain decimal string with all the currency's decimals: `12.50`.
    #[must_use]
    pub fn to_plain(&self) -> String {
        Decimal::new(self.minor, u32::from(self.currency.decimals)).to_string()
    }
}

/// As shown to people: `£1,212.50`; decimals that are all zero are left away: `£350`.
impl fmt::Display for Money {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let unit = 10_u64.pow(u32::from(self.currency.decimals));
        let magnitude = self.minor.unsigned_abs();
        if self.minor < 0 {
            f.write_str("-")?;
        }
        match self.currency.sign() {
            "" => write!(f, "{}\u{a0}", self.currency.code())?,
            sign => f.write_str(sign)?,
        }
        f.write_str(&group(magnitude.checked_div(unit).unwrap_or(0)))?;
        let rest = magnitude.rem_euclid(unit);
        if rest != 0 {
            write!(f, ".{rest:0width$}", width = usize::from(self.currency.decimals))?;
        }
        Ok(())
    }
}

/// A number as people type it, written plainly: `1,250.50`, `1.250,50`, `1 250,5` and `1'250.50` with a
/// point before the decimals and nothing else. One separator before three last digits parts thousands if
/// it is a comma, as the rooms write it; a point there could mean either, and so does a comma where three
/// decimals can be.
///
/// # Errors
/// Not a number, or one that could be read in two ways.
pub fn plain(text: &str, decimals: u8) -> Result<String, MoneyError> {
    let text: String = text
        .chars()
        .filter(|c| !matches!(c, ' ' | '\u{a0}' | '\u{202f}' | '\u{2009}' | '\'' | '’'))
        .map(|c| if c == '−' { '-' } else { c })
        .collect();
    let (sign, digits) = text.split_at(usize::from(text.starts_with(['-', '+'])));
    let Some(place) = digits.rfind(['.', ',']) else { return Ok(text) };
    if !digits.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | ',')) {
        return Err(MoneyError::NotANumber);
    }
    let (whole, last) = (&digits[..place], digits[place..].trim_start_matches(['.', ',']));
    let separator = if digits[place..].starts_with('.') { '.' } else { ',' };
    let in_threes = |whole: &str, separator: char| {
        let mut groups = whole.split(separator);
        groups.next().is_some_and(|first| (1..=3).contains(&first.len())) && groups.all(|group| group.len() == 3)
    };
    let other = if separator == '.' { ',' } else { '.' };
    let joined = |whole: &str, separator: char| whole.replace(separator, "");
    if whole.contains(separator) {
        // Several of one kind part thousands, or nothing.
        let all = if in_threes(digits, separator) { Some(joined(digits, separator)) } else { None };
        return all.map(|all| format!("{sign}{all}")).ok_or(MoneyError::NotANumber);
    }
    if whole.contains(other) {
        if !in_threes(whole, other) {
            return Err(MoneyError::NotANumber);
        }
        return Ok(format!("{sign}{}.{last}", joined(whole, other)));
    }
    let like_thousands = last.len() == 3 && in_threes(whole, separator) && !whole.starts_with('0');
    match (like_thousands, separator, decimals) {
        (true, ',', ..=2) => Ok(format!("{sign}{whole}{last}")),
        (true, '.', 3..) | (false, ..) => Ok(format!("{sign}{whole}.{last}")),
        (true, ..) => Err(MoneyError::TwoReadings {
            grouped: format!("{sign}{whole}{last}"),
            parted: format!("{sign}{whole}.{}", &last[..last.len().min(usize::from(decimals.max(2)))]),
        }),
    }
}

/// Digits in groups of three: `12,345`.
#[must_use]
pub fn group(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::with_capacity(digits.len().saturating_mul(2));
    for (index, digit) in digits.chars().enumerate() {
        if index > 0 && digits.len().saturating_sub(index).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn currency(code: &str) -> Currency {
        Currency::parse(code).unwrap()
    }

    #[test]
    fn amounts_are_read_in_the_minor_unit_of_their_currency() {
        let cases = [
            ("12.50", "GBP", Ok(1250)),
            ("0.01", "GBP", Ok(1)),
            ("-3", "EUR", Ok(-300)),
            ("500", "JPY", Ok(500)),
            ("1.234", "KWD", Ok(1234)),
            ("10000000000", "GBP", Ok(MOST_MINOR)),
            ("10000000000.01", "GBP", Err(MoneyError::TooLarge)),
            ("1000000000000000000000000000000", "GBP", Err(MoneyError::TooLarge)),
            ("1e30", "GBP", Err(MoneyError::NotANumber)),
            ("", "GBP", Err(MoneyError::NotANumber)),
            (".5", "GBP", Err(MoneyError::NotANumber)),
            ("5.", "GBP", Err(MoneyError::NotANumber)),
            ("1.2.3", "GBP", Err(MoneyError::NotANumber)),
            ("1,000", "GBP", Err(MoneyError::NotANumber)),
            ("١٢", "GBP", Err(MoneyError::NotANumber)),
        ];
        for (text, code, expected) in cases {
            let got = Money::parse(text, currency(code)).map(|m| m.minor);
            assert_eq!(got, expected, "{text} {code}");
        }
        for (text, code) in [("12.505", "GBP"), ("1.5", "JPY"), ("1.2345", "KWD"), ("1.000", "GBP")] {
            let got = Money::parse(text, currency(code));
            assert!(matches!(got, Err(MoneyError::TooManyDecimals { .. })), "{text} {code}");
        }
    }

    #[test]
    fn unknown_codes_are_refused() {
        for code in ["", "gbp", "XXX", "GB", "GBPX", "ÄÖ", "\0\0\0"] {
            assert_eq!(Currency::parse(code), Err(MoneyError::UnknownCurrency), "{code:?}");
        }
    }

    #[test]
    fn money_reads_as_people_write_it() {
        let show = |minor, code| Money { minor, currency: currency(code) }.to_string();
        assert_eq!(show(35_000, "GBP"), "£350");
        assert_eq!(show(121_250, "GBP"), "£1,212.50");
        assert_eq!(show(-5, "GBP"), "-£0.05");
        assert_eq!(show(1_234_567, "JPY"), "¥1,234,567");
        assert_eq!(show(1_500, "CHF"), "CHF\u{a0}15");
    }

    #[test]
    fn amounts_are_read_as_people_type_them() {
        let typed = |text: &str, code: &str| Money::typed(text, currency(code)).map(|money| money.minor);
        for (text, code, minor) in [
            ("12,50", "EUR", 1_250),
            ("12,5", "EUR", 1_250),
            ("€12,50", "EUR", 1_250),
            ("12,50 €", "EUR", 1_250),
            ("1.250,50", "EUR", 125_050),
            ("1,250.50", "GBP", 125_050),
            ("£1,250", "GBP", 125_000),
            ("1'250.50", "CHF", 125_050),
            ("CHF\u{a0}15", "CHF", 1_500),
            ("1\u{202f}234,5", "EUR", 123_450),
            ("1.234.567", "EUR", 123_456_700),
            ("1,234,567", "JPY", 1_234_567),
            ("−£2.50", "GBP", -250),
            ("1.250", "KWD", 1_250),
        ] {
            assert_eq!(typed(text, code), Ok(minor), "{text} {code}");
        }
        for (text, code) in [("1.250", "EUR"), ("3.505", "GBP"), ("1,250", "KWD"), ("1.250", "JPY")] {
            assert!(matches!(typed(text, code), Err(MoneyError::TwoReadings { .. })), "{text} {code}");
        }
        for text in ["1,25,000", "1.2.3", "1,2.3.4", "12,50,", ",50", "1,250,50", "12,,5", "a", "", "£"] {
            assert_eq!(typed(text, "GBP"), Err(MoneyError::NotANumber), "{text}");
        }
        let error = typed("1.250", "EUR").unwrap_err().to_string();
        assert_eq!(error, "could be 1250 or 1.25; write one of them, without a separator for thousands");
        assert_eq!(typed("a.-×", "GBP"), Err(MoneyError::NotANumber));
        assert_eq!(typed("12,50", "JPY"), Err(MoneyError::TooManyDecimals { code: "JPY".into(), decimals: 0 }));
    }

    proptest! {
        #[test]
        fn an_amount_as_it_is_shown_is_read_as_it_was(minor in -MOST_MINOR..=MOST_MINOR, code in prop::sample::select(vec!["GBP", "JPY", "CHF"])) {
            let money = Money { minor, currency: currency(code) };
            prop_assert_eq!(Money::typed(&money.to_string(), money.currency), Ok(money));
        }

        #[test]
        fn plain_text_and_back(minor in -MOST_MINOR..=MOST_MINOR, code in prop::sample::select(vec!["GBP", "JPY", "KWD"])) {
            let money = Money { minor, currency: currency(code) };
            prop_assert_eq!(Money::parse(&money.to_plain(), money.currency), Ok(money));
        }

        #[test]
        fn no_text_makes_it_panic(text in ".*") {
            let _ = Currency::parse(&text);
            let _ = Money::parse(&text, currency("GBP"));
            let _ = Money::typed(&text, currency("KWD"));
            let _ = Money::typed(&format!("1.{text}"), currency("GBP"));
        }
    }
}
