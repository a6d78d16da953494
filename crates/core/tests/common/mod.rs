//! What the tests share that look at the rules from outside.

use chrono::NaiveTime;
use tally_core::money::Currency;
use tally_core::record::settings::{Settings, Weights};
use tally_core::time::calendar::Calendar;

/// Saltmarsh Halt's: pounds, London, days from five in the morning.
pub fn settings() -> Settings {
    Settings {
        currency: Currency::parse("GBP").unwrap(),
        calendar: Calendar {
            zone: chrono_tz::Tz::Europe__London,
            week_start: chrono::Weekday::Mon,
            day_start: NaiveTime::from_hms_opt(5, 0, 0).unwrap(),
        },
        weights: Weights::default(),
    }
}
