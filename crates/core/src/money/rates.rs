//! Exchange rates: reference tables by date, each telling how much of a currency one euro buys.

use crate::money::{Currency, Money};
use chrono::NaiveDate;
use rust_decimal::{Decimal, RoundingStrategy};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// The currency to which all tables refer.
const REFERENCE: &str = "EUR";

/// One day's table: how much of a currency (by its code) one euro buys.
pub type Table = BTreeMap<String, Decimal>;

/// All tables known.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Rates {
    tables: BTreeMap<NaiveDate, Table>,
}

/// An amount in another currency, and where it comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Converted {
    /// Minor units of the currency asked for.
    pub minor: i64,
    /// How much of that currency one of the original buys.
    pub rate: Decimal,
    /// Of which day the table is.
    pub date: NaiveDate,
}

impl Rates {
    /// Takes a table in place of any earlier one for the date, and tells for which dates it may
    /// change a price: from its own date until the next table that has all its currencies.
    pub fn put(&mut self, date: NaiveDate, mut table: Table) -> (NaiveDate, Option<NaiveDate>) {
        // A rate of nothing says nothing; as if the table did not know the currency.
        table.retain(|_, rate| *rate > Decimal::ZERO);
        let mut codes: Vec<String> = table.keys().cloned().collect();
        if let Some(before) = self.tables.insert(date, table) {
            codes.extend(before.into_keys());
        }
        let later = self.tables.range(date..).skip(1);
        let next = later.filter(|(_, table)| codes.iter().all(|code| table.contains_key(code))).map(|(date, _)| *date);
        (date, next.min())
    }

    /// The table of a day.
    #[must_use]
    pub fn of(&self, date: NaiveDate) -> Option<&Table> {
        self.tables.get(&date)
    }

    /// The tables by date.
    pub fn tables(&self) -> impl DoubleEndedIterator<Item = (&NaiveDate, &Table)> {
        self.tables.iter()
    }

    /// Converts by the newest table not later than the date that knows both currencies: through
    /// the euro, rounded half-even to the minor unit. None if there is no such table, or if the
    /// result is beyond 64 bits.
    #[must_use]
    pub fn convert(&self, money: Money, into: Currency, date: NaiveDate) -> Option<Converted> {
        let per_euro = |table: &Table, currency: Currency| match currency.code() {
            REFERENCE => Some(Decimal::ONE),
            code => table.get(code).copied(),
        };
        let known = |(date, table): (&NaiveDate, &Table)| {
            Some((*date, per_euro(table, money.currency)?, per_euro(table, into)?))
        };
        let (date, from, to) = self.tables.range(..=date).rev().find_map(known)?;
        let amount = Decimal::try_from_i128_with_scale(i128::from(money.minor), u32::from(money.currency.decimals()));
        let converted = amount.ok()?.checked_mul(to)?.checked_div(from)?;
        let rounded =
            converted.round_dp_with_strategy(u32::from(into.decimals()), RoundingStrategy::MidpointNearestEven);
        let scale = Decimal::from(10_i64.pow(u32::from(into.decimals())));
        let minor = i64::try_from(rounded.checked_mul(scale)?).ok()?;
        Some(Converted { minor, rate: to.checked_div(from)?, date })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn currency(code: &str) -> Currency {
        Currency::parse(code).unwrap()
    }

    fn day(text: &str) -> NaiveDate {
        text.parse().unwrap()
    }

    fn rates() -> Rates {
        let table = |rates: &[(&str, &str)]| {
            rates.iter().map(|(code, rate)| ((*code).to_owned(), rate.parse().unwrap())).collect()
        };
        let mut all = Rates::default();
        all.put(day("2026-11-02"), table(&[("GBP", "0.88"), ("USD", "1.10"), ("JPY", "176"), ("KWD", "0.338")]));
        all.put(day("2026-11-04"), table(&[("GBP", "0.80"), ("USD", "1.25")]));
        all
    }

    fn convert(minor: i64, from: &str, into: &str, date: &str) -> Option<i64> {
        let money = Money { minor, currency: currency(from) };
        rates().convert(money, currency(into), day(date)).map(|one| one.minor)
    }

    #[test]
    fn the_newest_table_not_later_than_the_day_decides() {
        assert_eq!(convert(1_000, "EUR", "GBP", "2026-11-01"), None, "no rate yet");
        assert_eq!(convert(1_000, "EUR", "GBP", "2026-11-02"), Some(880));
        assert_eq!(convert(1_000, "EUR", "GBP", "2026-11-03"), Some(880));
        assert_eq!(convert(1_000, "EUR", "GBP", "2026-12-24"), Some(800));
        assert_eq!(convert(1_000, "USD", "GBP", "2026-11-04"), Some(640));
        assert_eq!(convert(200, "JPY", "GBP", "2026-11-09"), Some(100), "the later table knows no yen");
        assert_eq!(convert(1_000, "PLN", "GBP", "2026-11-09"), None);
    }

    #[test]
    fn halves_go_to_the_even_neighbour() {
        // 1 yen is 0.5 pence by the first table.
        assert_eq!(convert(1, "JPY", "GBP", "2026-11-02"), Some(0));
        assert_eq!(convert(3, "JPY", "GBP", "2026-11-02"), Some(2));
        assert_eq!(convert(5, "JPY", "GBP", "2026-11-02"), Some(2));
    }

    #[test]
    fn a_table_says_for_which_days_it_matters() {
        let mut all = rates();
        let gbp = |rate: &str| Table::from([("GBP".to_owned(), rate.parse().unwrap())]);
        assert_eq!(all.put(day("2026-11-03"), gbp("0.9")), (day("2026-11-03"), Some(day("2026-11-04"))));
        let chf = Table::from([("CHF".to_owned(), Decimal::ONE)]);
        assert_eq!(all.put(day("2026-11-01"), chf), (day("2026-11-01"), None), "no later table knows francs");
    }

    proptest! {
        /// There and back differs by no more than one minor unit, or, where the other currency's
        /// minor unit is worth more than that, by half of it and the half of our own.
        #[test]
        fn conversion_round_trips(
            minor in 0_i64..crate::money::MOST_MINOR,
            codes in prop::sample::subsequence(vec!["EUR", "GBP", "USD", "JPY", "KWD"], 2),
            turn in any::<bool>(),
        ) {
            let (from, into) = if turn { (codes[0], codes[1]) } else { (codes[1], codes[0]) };
            let there = convert(minor, from, into, "2026-11-02").unwrap();
            let back = convert(there, into, from, "2026-11-02").unwrap();
            let half = convert(1_000, into, from, "2026-11-02").unwrap() as f64 / 2_000.0;
            prop_assert!((minor - back).abs() as f64 <= (half + 0.5).max(1.0) + 1e-6, "{} {} {}", minor, there, back);
        }

        #[test]
        fn nothing_makes_it_panic(minor in any::<i64>(), rate in any::<i128>(), scale in 0_u32..28) {
            let mut all = Rates::default();
            let Ok(rate) = Decimal::try_from_i128_with_scale(rate >> 32, scale) else { return Ok(()) };
            all.put(day("2026-11-02"), Table::from([("GBP".to_owned(), rate)]));
            let _ = all.convert(Money { minor, currency: currency("GBP") }, currency("JPY"), day("2026-11-02"));
            let _ = all.convert(Money { minor, currency: currency("EUR") }, currency("GBP"), day("2026-11-02"));
        }
    }
}
