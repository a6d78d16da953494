//! What the unit tests share.

use crate::Instant;
use crate::calendar::Calendar;
use crate::entry::{Body, Entry, Origin};
use crate::ids::Seq;
use crate::measure::Weights;
use crate::money::Currency;
use crate::widgets::Settings;
use chrono::NaiveTime;

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

/// An entry that arrived when it happened.
pub fn entry(seq: u64, at: Instant, body: Body) -> Entry {
    let origin = Origin { source: "/test".into(), id: seq.to_string() };
    Entry { seq: Seq(seq), origin, feed: None, happened_at: at, arrived_at: at, body }
}
