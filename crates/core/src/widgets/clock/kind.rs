//! What a clock counts.

use crate::count::published::counters;
use crate::count::{Count, Scope};
use crate::record::ids::WidgetId;
use crate::record::measure::Measure;
use crate::time::calendar::{Calendar, Period};
use crate::time::{Instant, before};
use chrono::{Datelike, Days, NaiveDateTime, NaiveTime, TimeDelta, Weekday};
use serde::{Deserialize, Serialize};

/// What a clock counts.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// Down from a length.
    #[default]
    Down,
    /// Down to a moment.
    To,
    /// Up.
    Up,
    /// Up since something.
    Since,
    /// The time of day in a zone.
    Zone,
}

impl Kind {
    /// All, in the order in which they are offered.
    pub const ALL: [Self; 5] = [Self::Down, Self::To, Self::Up, Self::Since, Self::Zone];

    /// The word for definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Down => "down",
            Self::To => "to",
            Self::Up => "up",
            Self::Since => "since",
            Self::Zone => "zone",
        }
    }

    /// In words.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Down => "counts down from",
            Self::To => "counts down to",
            Self::Up => "counts up",
            Self::Since => "counts up since",
            Self::Zone => "shows the time of day in",
        }
    }

    /// Whether it runs towards nothing.
    #[must_use]
    pub fn is_down(self) -> bool {
        matches!(self, Self::Down | Self::To)
    }

    /// Whether people start and pause it.
    #[must_use]
    pub fn is_operated(self) -> bool {
        matches!(self, Self::Down | Self::Up)
    }
}

/// Down to when, in local time. A moment within the gap of a clock change is the first instant after it, and one
/// that comes twice is the first of the two.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Moment {
    /// Once.
    Once(NaiveDateTime),
    /// Every week.
    Weekly {
        /// On which day.
        day: Weekday,
        /// At what time.
        time: NaiveTime,
    },
    /// Every day.
    Daily(NaiveTime),
}

impl Default for Moment {
    fn default() -> Self {
        Self::Weekly { day: Weekday::Fri, time: NaiveTime::from_hms_opt(19, 30, 0).unwrap_or_default() }
    }
}

impl Moment {
    /// The first instant of it that lies after another; none for one that comes once and is over.
    #[must_use]
    pub fn next_after(&self, at: Instant, calendar: &Calendar) -> Option<Instant> {
        let (time, day) = match self {
            Self::Once(moment) => return Some(calendar.instant(*moment)).filter(|instant| *instant > at),
            Self::Weekly { day, time } => (*time, Some(*day)),
            Self::Daily(time) => (*time, None),
        };
        let today = calendar.local(at).date();
        // A day more than a week, for the one whose moment has passed.
        let days = (0..=8).filter_map(|more| today.checked_add_days(Days::new(more)));
        let days = days.filter(|date| day.is_none_or(|day| date.weekday() == day));
        days.map(|date| calendar.instant(date.and_time(time))).find(|instant| *instant > at)
    }

    /// The instant that a clock counts down to: the one ahead, or the last one for so long after it.
    #[must_use]
    pub fn target(&self, now: Instant, linger: TimeDelta, calendar: &Calendar) -> Option<Instant> {
        match self {
            Self::Once(moment) => Some(calendar.instant(*moment)),
            _ => self.next_after(before(now, linger), calendar),
        }
    }

    /// `Fridays, 19:30`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Once(moment) => crate::time::words::moment_words(*moment),
            Self::Weekly { day, time } => format!("{}s, {}", day_words(*day), time.format("%H:%M")),
            Self::Daily(time) => format!("every day, {}", time.format("%H:%M")),
        }
    }
}

/// `Friday`.
#[must_use]
pub fn day_words(day: Weekday) -> &'static str {
    match day {
        Weekday::Mon => "Monday",
        Weekday::Tue => "Tuesday",
        Weekday::Wed => "Wednesday",
        Weekday::Thu => "Thursday",
        Weekday::Fri => "Friday",
        Weekday::Sat => "Saturday",
        Weekday::Sun => "Sunday",
    }
}

/// Since what a clock counts up.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Since {
    /// The show began.
    #[default]
    Show,
    /// That counter was last pressed.
    Counter(WidgetId),
    /// The latest entry that counts.
    Latest(Count),
}

impl Since {
    /// The latest of a measure.
    #[must_use]
    pub fn latest(measure: Measure) -> Self {
        Self::Latest(Count::of(measure, Period::AllTime))
    }

    /// In words.
    #[must_use]
    pub fn words(&self, scope: &Scope<'_>) -> String {
        match self {
            Self::Show => "the show began".into(),
            Self::Counter(widget) => {
                let name = counters(scope.published)
                    .find(|(id, _)| id == widget)
                    .map_or("a counter that is gone", |(_, name)| name);
                format!("{name} was last pressed")
            }
            Self::Latest(count) => format!("the latest of {}", count.words()),
        }
    }
}
