//! A central bank's daily reference rates, made up but steady: the same for a day whenever asked.

use chrono::{Datelike, Days, NaiveDate, Weekday};
use std::fmt::Write;

/// How many days back the table reaches.
const DAYS: u64 = 90;
/// Currency, what one euro buys on average, how far that swings, and over how many days.
const CURRENCIES: [(&str, f64, f64, f64, usize); 4] = [
    ("USD", 1.09, 0.03, 37.0, 4),
    ("GBP", 0.855, 0.015, 29.0, 5),
    ("PLN", 4.29, 0.07, 41.0, 4),
    ("JPY", 164.2, 4.0, 53.0, 2),
];

/// What one euro buys of each currency on a day, as the bank writes it.
#[must_use]
pub fn table(day: NaiveDate) -> Vec<(&'static str, String)> {
    let number = f64::from(day.num_days_from_ce());
    let rate = |(code, middle, swing, days, decimals): (&'static str, f64, f64, f64, usize)| {
        let rate = middle + swing * (number / days * std::f64::consts::TAU).sin() + swing * 0.2 * (number * 1.7).sin();
        (code, format!("{rate:.decimals$}"))
    };
    CURRENCIES.into_iter().map(rate).collect()
}

/// Whether the bank writes a table on a day.
#[must_use]
pub fn is_written(day: NaiveDate) -> bool {
    !matches!(day.weekday(), Weekday::Sat | Weekday::Sun)
}

/// The file with the last days' tables, newest first.
#[must_use]
pub fn xml(today: NaiveDate) -> String {
    let mut out = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<Envelope>\n<subject>Reference rates</subject>\n<Cube>\n",
    );
    let days = (0..DAYS).filter_map(|back| today.checked_sub_days(Days::new(back)));
    for day in days.filter(|day| is_written(*day)) {
        // Writing into a string cannot fail.
        let _ = writeln!(out, "<Cube time=\"{day}\">");
        for (code, rate) in table(day) {
            let _ = writeln!(out, "<Cube currency=\"{code}\" rate=\"{rate}\"/>");
        }
        out.push_str("</Cube>\n");
    }
    out + "</Cube>\n</Envelope>\n"
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_read_by_whoever_reads_the_banks() {
        let today: NaiveDate = "2026-11-24".parse().unwrap();
        let days = tally_feeds::rates::parse(&xml(today)).unwrap();
        assert_eq!(days.len(), 64, "the working days of ninety");
        assert!(days.values().all(|table| table.len() == 4));
        assert_eq!(table(today), table(today));
    }
}
