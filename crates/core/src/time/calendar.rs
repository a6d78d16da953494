//! Local time: days, months and moments as the channel's people mean them.

use crate::time::Instant;
use chrono::{
    DateTime, Datelike, Days, Months, NaiveDate, NaiveDateTime, NaiveTime, Offset, TimeDelta, TimeZone, Utc, Weekday,
};
use chrono_tz::Tz;
use serde::{Deserialize, Serialize};

/// Where and how a channel reckons its days.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Calendar {
    /// IANA zone.
    pub zone: Tz,
    /// On which day a week begins.
    pub week_start: Weekday,
    /// When a day begins. 05:00 puts what happens after midnight on the evening's day.
    pub day_start: NaiveTime,
}

/// Over which stretch of time a widget counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Period {
    /// Since the running show began; off air, the last show.
    ThisShow,
    /// From the channel's day start to the next.
    Today,
    /// From the day start of the week's first day to that of the next week's.
    ThisWeek,
    /// From the day start of the first to that of the next month's first.
    ThisMonth,
    /// From the day start of 1 January to that of the next.
    ThisYear,
    /// The hours up to now; entries leave as they grow old.
    LastHours(u32),
    /// The days of 24 hours up to now.
    LastDays(u32),
    /// From the day start of one date to the end of the day of another.
    Between {
        /// The first date.
        from: NaiveDate,
        /// The last date, which counts too.
        to: NaiveDate,
    },
    /// Since somebody reset it.
    SinceReset,
    /// Everything.
    AllTime,
}

/// A half-open stretch of time `[from, to)`; an absent bound is open.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span {
    /// First instant inside.
    pub from: Option<Instant>,
    /// First instant after.
    pub to: Option<Instant>,
}

impl Span {
    /// All time.
    pub const ALL: Self = Self { from: None, to: None };
    /// No time at all.
    pub const NEVER: Self = Self { from: Some(Instant::UNIX_EPOCH), to: Some(Instant::UNIX_EPOCH) };

    /// The part of it that lies at or after `from` and before `to`, where they are given.
    #[must_use]
    pub fn within(self, from: Option<Instant>, to: Option<Instant>) -> Self {
        Self { from: self.from.into_iter().chain(from).max(), to: self.to.into_iter().chain(to).min() }
    }

    /// Whether an instant lies inside.
    #[must_use]
    pub fn contains(&self, at: Instant) -> bool {
        self.from.is_none_or(|from| at >= from) && self.to.is_none_or(|to| at < to)
    }

    /// Whether another is the same stretch, or a part of this one and what comes after it, so that what lies inside only leaves
    /// at the beginning and comes at the end.
    #[must_use]
    pub fn moves_on_to(self, other: Self) -> bool {
        let meets = self.to.is_none_or(|to| other.from.is_none_or(|from| from <= to));
        let ends = match (self.to, other.to) {
            (Some(own), Some(other)) => own <= other,
            (own, other) => own == other,
        };
        self.from <= other.from && meets && ends
    }
}

/// The word for definitions and forms, and the words in a sentence, of each period.
const PERIODS: [(&str, &str); 10] = [
    ("this_show", "this show"),
    ("today", "today"),
    ("this_week", "this week"),
    ("this_month", "this month"),
    ("this_year", "this year"),
    ("last_hours", "the last hours"),
    ("last_days", "the last days"),
    ("between", "certain dates"),
    ("since_reset", "my last reset"),
    ("all_time", "all time"),
];

impl Period {
    /// The words of all periods with their keys, in the order in which they are offered.
    #[must_use]
    pub fn offered() -> &'static [(&'static str, &'static str)] {
        &PERIODS
    }

    fn place(self) -> usize {
        match self {
            Self::ThisShow => 0,
            Self::Today => 1,
            Self::ThisWeek => 2,
            Self::ThisMonth => 3,
            Self::ThisYear => 4,
            Self::LastHours(_) => 5,
            Self::LastDays(_) => 6,
            Self::Between { .. } => 7,
            Self::SinceReset => 8,
            Self::AllTime => 9,
        }
    }

    /// The word for definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        PERIODS[self.place()].0
    }

    /// The words in a sentence.
    #[must_use]
    pub fn words(self) -> &'static str {
        PERIODS[self.place()].1
    }

    /// The period of that word. Those that need a length or dates begin with sensible ones.
    #[must_use]
    pub fn of_key(key: &str, today: NaiveDate) -> Option<Self> {
        Some(match key {
            "this_show" => Self::ThisShow,
            "today" => Self::Today,
            "this_week" => Self::ThisWeek,
            "this_month" => Self::ThisMonth,
            "this_year" => Self::ThisYear,
            "last_hours" => Self::LastHours(24),
            "last_days" => Self::LastDays(30),
            "between" => Self::Between { from: today, to: today.checked_add_days(Days::new(6)).unwrap_or(today) },
            "since_reset" => Self::SinceReset,
            "all_time" => Self::AllTime,
            _ => return None,
        })
    }
}

impl Calendar {
    /// The instant of a local date and time. A time inside a clock-change gap is the first
    /// instant after the gap; one that occurs twice is the first of the two.
    #[must_use]
    pub fn instant(&self, local: NaiveDateTime) -> Instant {
        if let Some(at) = self.zone.from_local_datetime(&local).earliest() {
            return at.with_timezone(&Utc);
        }
        // In a gap. The offset in force a day before holds up to the change, which is found by
        // halving. Zones change their clocks on whole seconds.
        let offset = |seconds: i64| {
            let utc = DateTime::from_timestamp(seconds, 0).unwrap_or_default().naive_utc();
            self.zone.offset_from_utc_datetime(&utc).fix().local_minus_utc()
        };
        let middle = local.and_utc().timestamp();
        let (mut low, mut high) = (middle.saturating_sub(86_400), middle.saturating_add(86_400));
        let before = offset(low);
        while high.saturating_sub(low) > 1 {
            let middle = low.midpoint(high);
            if offset(middle) == before { low = middle } else { high = middle }
        }
        DateTime::from_timestamp(high, 0).unwrap_or_default()
    }

    /// The local date and time of an instant.
    #[must_use]
    pub fn local(&self, at: Instant) -> NaiveDateTime {
        at.with_timezone(&self.zone).naive_local()
    }

    /// The channel's day to which an instant belongs.
    #[must_use]
    pub fn day(&self, at: Instant) -> NaiveDate {
        let date = self.local(at).date();
        if at < self.day_begins(date) {
            date.pred_opt().unwrap_or(date)
        } else {
            match date.succ_opt() {
                Some(next) if at >= self.day_begins(next) => next,
                _ => date,
            }
        }
    }

    fn day_begins(&self, date: NaiveDate) -> Instant {
        self.instant(date.and_time(self.day_start))
    }

    /// The stretch of a period of the calendar that holds an instant: for a rolling one, up to it.
    /// What the calendar cannot tell (shows, resets) is all time here.
    #[must_use]
    pub fn span(&self, period: Period, at: Instant) -> Span {
        let between = |from: NaiveDate, to: Option<NaiveDate>| Span {
            from: Some(self.day_begins(from)),
            to: to.map(|to| self.day_begins(to)),
        };
        // What is dated ahead has not happened yet.
        let rolling = |length| Span {
            from: at.checked_sub_signed(length),
            to: at.checked_add_signed(TimeDelta::microseconds(1)),
        };
        let day = self.day(at);
        match period {
            Period::Today => between(day, day.checked_add_days(Days::new(1))),
            Period::ThisWeek => {
                let first = day.week(self.week_start).checked_first_day().unwrap_or(day);
                between(first, first.checked_add_days(Days::new(7)))
            }
            Period::ThisYear => {
                let first = day.with_ordinal(1).unwrap_or(day);
                between(first, first.checked_add_months(Months::new(12)))
            }
            Period::ThisMonth => {
                let first = day.with_day(1).unwrap_or(day);
                between(first, first.checked_add_months(Months::new(1)))
            }
            Period::LastHours(hours) => rolling(TimeDelta::hours(i64::from(hours))),
            Period::LastDays(days) => rolling(TimeDelta::days(i64::from(days))),
            Period::Between { from, to } => between(from, to.succ_opt()),
            Period::ThisShow | Period::SinceReset | Period::AllTime => Span::ALL,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn calendar(zone: Tz, hour: u32) -> Calendar {
        Calendar { zone, week_start: Weekday::Mon, day_start: NaiveTime::from_hms_opt(hour, 0, 0).unwrap() }
    }

    fn at(text: &str) -> Instant {
        text.parse().unwrap()
    }

    #[test]
    fn after_midnight_belongs_to_the_evening() {
        let calendar = calendar(Tz::Europe__London, 5);
        assert_eq!(calendar.day(at("2026-07-02T03:59:59Z")), "2026-07-01".parse().unwrap());
        assert_eq!(calendar.day(at("2026-07-02T04:00:00Z")), "2026-07-02".parse().unwrap());
        let month = calendar.span(Period::ThisMonth, at("2026-08-01T03:00:00Z"));
        assert_eq!(month.from, Some(at("2026-07-01T04:00:00Z")));
        assert_eq!(month.to, Some(at("2026-08-01T04:00:00Z")));
    }

    #[test]
    fn clock_changes() {
        let london = calendar(Tz::Europe__London, 0);
        // 01:30 does not exist on 29 March 2026: the gap ends at 01:00 UTC.
        assert_eq!(london.instant("2026-03-29T01:30:00".parse().unwrap()), at("2026-03-29T01:00:00Z"));
        // 01:30 occurs twice on 25 October 2026: the first is still summer time.
        assert_eq!(london.instant("2026-10-25T01:30:00".parse().unwrap()), at("2026-10-25T00:30:00Z"));
        let day = london.span(Period::Today, at("2026-10-25T12:00:00Z"));
        assert_eq!((day.to.unwrap() - day.from.unwrap()).num_hours(), 25);
    }

    #[test]
    fn weeks_begin_on_the_channels_day_and_years_in_january() {
        let mut calendar = calendar(Tz::Europe__London, 5);
        let sunday = at("2026-11-29T12:00:00Z");
        let week = |calendar: &Calendar| calendar.span(Period::ThisWeek, sunday).from.unwrap();
        assert_eq!(week(&calendar), at("2026-11-23T05:00:00Z"));
        calendar.week_start = Weekday::Sun;
        assert_eq!(week(&calendar), at("2026-11-29T05:00:00Z"));
        let year = calendar.span(Period::ThisYear, at("2027-01-01T04:59:59Z"));
        assert_eq!((year.from, year.to), (Some(at("2026-01-01T05:00:00Z")), Some(at("2027-01-01T05:00:00Z"))));
    }

    #[test]
    fn a_whole_day_can_be_skipped() {
        // Samoa had no 30 December 2011.
        let apia = calendar(Tz::Pacific__Apia, 0);
        assert_eq!(apia.instant("2011-12-30T12:00:00".parse().unwrap()), at("2011-12-30T10:00:00Z"));
    }

    #[test]
    fn dates_count_whole_and_lengths_reach_back() {
        let london = calendar(Tz::Europe__London, 5);
        let day = |text: &str| text.parse().unwrap();
        let dates = Period::Between { from: day("2026-11-20"), to: day("2026-11-21") };
        let span = london.span(dates, at("2030-01-01T00:00:00Z"));
        assert_eq!((span.from, span.to), (Some(at("2026-11-20T05:00:00Z")), Some(at("2026-11-22T05:00:00Z"))));
        let rolling = london.span(Period::LastHours(36), at("2026-10-26T12:00:00Z"));
        assert_eq!(rolling.from, Some(at("2026-10-25T00:00:00Z")), "hours, whatever the clock");
        assert_eq!(rolling.to, Some(at("2026-10-26T12:00:00.000001Z")), "what is dated ahead waits");
    }

    #[test]
    fn every_period_is_known_by_its_key() {
        for (key, words) in Period::offered() {
            let period = Period::of_key(key, "2026-11-24".parse().unwrap()).unwrap();
            assert_eq!((period.key(), period.words()), (*key, *words));
        }
        assert_eq!(Period::of_key("fortnight", "2026-11-24".parse().unwrap()), None);
    }

    proptest! {
        #[test]
        fn periods_hold_their_instant_and_tile_time(
            seconds in 1_577_836_800_i64..1_924_992_000,
            zone in prop::sample::select(chrono_tz::TZ_VARIANTS.to_vec()),
            hour in 0_u32..24,
            week_start in prop::sample::select(vec![Weekday::Mon, Weekday::Sat, Weekday::Sun]),
        ) {
            let calendar = Calendar { week_start, ..calendar(zone, hour) };
            let at = Utc.timestamp_opt(seconds, 0).unwrap();
            for period in [Period::Today, Period::ThisWeek, Period::ThisMonth, Period::ThisYear] {
                let span = calendar.span(period, at);
                prop_assert!(span.contains(at));
                let next = calendar.span(period, span.to.unwrap());
                prop_assert_eq!(next.from, span.to);
                let last = calendar.span(period, span.from.unwrap() - TimeDelta::microseconds(1));
                prop_assert_eq!(last.to, span.from);
            }
        }
    }
}
