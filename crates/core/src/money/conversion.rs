//! What becomes of amounts that somebody has set (targets, steps, least sizes) when the channel tells its
//! money in another currency. What was paid is derived anew from the record; what was set is converted
//! by the newest rate, and rounded to something that a person would set.

use crate::money::rates::Rates;
use crate::money::{Currency, Money};
use chrono::NaiveDate;
use rust_decimal::Decimal;

/// See the module.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Conversion {
    from: Currency,
    into: Currency,
    /// How much of the new currency one of the old buys, and of which day that is.
    rate: Option<(Decimal, NaiveDate)>,
}

impl Conversion {
    /// From one base currency into another, by the newest rate there is.
    #[must_use]
    pub fn new(from: Currency, into: Currency, rates: &Rates) -> Self {
        let one = Money { minor: 10_i64.pow(u32::from(from.decimals())), currency: from };
        let rate = rates.convert(one, into, NaiveDate::MAX).map(|converted| (converted.rate, converted.date));
        Self { from, into, rate }
    }

    /// The rate and its day; none where none is known: then amounts keep their numerals.
    #[must_use]
    pub fn rate(&self) -> Option<(Decimal, NaiveDate)> {
        self.rate
    }

    /// An amount that somebody has set, in minor units.
    #[must_use]
    pub fn amount(&self, minor: i64) -> i64 {
        let whole = |currency: Currency| 10_i64.pow(u32::from(currency.decimals()));
        let numerals = || minor.checked_div(whole(self.from)).unwrap_or(0).saturating_mul(whole(self.into));
        let exact = self.rate.and_then(|(rate, _)| {
            let scale = Decimal::from(whole(self.into)).checked_div(Decimal::from(whole(self.from)))?;
            i64::try_from(Decimal::from(minor).checked_mul(rate)?.checked_mul(scale)?.round()).ok()
        });
        match exact {
            None => numerals(),
            Some(0) => minor.signum(),
            Some(exact) => exact.signum().saturating_mul(rounded(exact.saturating_abs())),
        }
    }
}

/// Rounded to two significant digits, in steps of 1, 2 or 5 of the second: the coarser the larger
/// the first is.
///
/// Thus 143 becomes 140, 347 becomes 340 (steps of 20) and 874 becomes 850 (steps of 50).
#[must_use]
pub fn rounded(value: i64) -> i64 {
    if value < 10 {
        return value.max(1);
    }
    let mut unit: i64 = 1;
    let mut leading = value;
    while leading >= 100 {
        unit = unit.saturating_mul(10);
        leading /= 10;
    }
    let step = unit.saturating_mul(match leading {
        ..20 => 1,
        20..50 => 2,
        _ => 5,
    });
    value.saturating_add(step / 2).checked_div(step).unwrap_or(0).saturating_mul(step)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_set_becomes_something_that_one_would_set() {
        let currency = |code| Currency::parse(code).unwrap();
        let mut book = crate::book::Book::new(&crate::fixtures::settings());
        let table = [("GBP", "0.85"), ("JPY", "160")].map(|(code, rate)| (code.to_owned(), rate.parse().unwrap()));
        book.rates_came(&[("2026-11-24".parse().unwrap(), table.into())].into());
        let convert = |from, into, minor| Conversion::new(currency(from), currency(into), book.rates()).amount(minor);
        for (from, into, minor, expected) in [
            ("GBP", "JPY", 35_000, 65_000),
            ("GBP", "JPY", 80, 150),
            ("GBP", "JPY", 500, 950),
            ("GBP", "EUR", 35_000, 42_000),
            ("JPY", "GBP", 1, 1),
            ("GBP", "EUR", 0, 0),
            ("GBP", "EUR", -500, -600),
            ("GBP", "CHF", 35_000, 35_000),
            ("GBP", "KWD", 35_000, 350_000),
        ] {
            assert_eq!(convert(from, into, minor), expected, "{minor} {from} into {into}");
        }
    }
}
