//! How a clock's face is written. Pages tick by the same rules in `web/assets/clock.js`; a browser test compares the two.

use serde::{Deserialize, Serialize};

const SECOND: i64 = 1_000;
const DAY_S: i64 = 86_400;

/// In which units a length of time is written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Units {
    /// `1:05:00`, `5:00`, `59`: no leading unit that is zero, and hours beyond a day.
    #[default]
    Auto,
    /// `0:05:00`: hours, minutes and seconds, always.
    Hours,
    /// `5 min`: minutes alone; seconds in the last minute.
    Minutes,
    /// `1 d 6:12:07`: days too, once there are any.
    Days,
    /// `0 d 06:12:07`: days, hours, minutes and seconds, always.
    AllDays,
    /// `92:10`, `0:05`: minutes and seconds, always, as boards of sports have it.
    Match,
}

impl Units {
    /// All, in the order in which they are offered.
    pub const ALL: [Self; 5] = [Self::Auto, Self::Hours, Self::Minutes, Self::Days, Self::AllDays];

    /// The word for definitions, forms and pages.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Auto => "auto",
            Self::Hours => "hours",
            Self::Minutes => "minutes",
            Self::Days => "days",
            Self::AllDays => "all_days",
            Self::Match => "match",
        }
    }

    /// An example of it.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Auto => "30:12:07, 5:00, 59",
            Self::Hours => "0:05:00",
            Self::Minutes => "5 min",
            Self::Days => "1 d 6:12:07, 5:00",
            Self::AllDays => "0 d 06:12:07",
            Self::Match => "92:10",
        }
    }
}

/// Which way a clock counts: that decides how it is rounded.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// Towards nothing: rounded up, so that a clock of ten seconds shows 10 first, and never 0 while it runs.
    Down,
    /// From nothing: rounded down.
    Up,
}

/// How a face is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Face {
    /// The units.
    pub units: Units,
    /// Which way it counts.
    pub direction: Direction,
    /// Below this many milliseconds tenths are shown; 0 for never.
    pub tenths_under: i64,
}

impl Face {
    /// As short as it can be, without tenths.
    #[must_use]
    pub fn plain(direction: Direction) -> Self {
        Self { units: Units::Auto, direction, tenths_under: 0 }
    }

    /// A length in milliseconds as it is written. Below zero is nothing.
    #[must_use]
    pub fn write(&self, ms: i64) -> String {
        let ms = ms.max(0);
        let rounded = |step: i64| match self.direction {
            Direction::Down => ms.saturating_add(step.saturating_sub(1)).div_euclid(step),
            Direction::Up => ms.div_euclid(step),
        };
        if ms < self.tenths_under && ms > 0 {
            let tenths = rounded(100);
            let (seconds, tenth) = (tenths.div_euclid(10), tenths.rem_euclid(10));
            return format!("{}.{tenth}", self.whole(seconds));
        }
        self.whole(rounded(SECOND))
    }

    fn whole(&self, seconds: i64) -> String {
        let (days, hours, minutes, rest) = (seconds / DAY_S, seconds / 3_600, seconds / 60 % 60, seconds % 60);
        let short = |hours: i64| match (hours, minutes) {
            (0, 0) => rest.to_string(),
            (0, _) => format!("{minutes}:{rest:02}"),
            _ => format!("{hours}:{minutes:02}:{rest:02}"),
        };
        match self.units {
            Units::Auto => short(hours),
            Units::Hours => format!("{hours}:{minutes:02}:{rest:02}"),
            Units::Minutes if seconds < 60 => rest.to_string(),
            Units::Minutes => {
                let up = i64::from(self.direction == Direction::Down && rest > 0);
                format!("{} min", seconds.div_euclid(60).saturating_add(up))
            }
            Units::Days if days > 0 => format!("{days} d {}:{minutes:02}:{rest:02}", hours % 24),
            Units::Days => short(hours),
            Units::AllDays => format!("{days} d {:02}:{minutes:02}:{rest:02}", hours % 24),
            Units::Match => format!("{}:{rest:02}", seconds / 60),
        }
    }
}

/// What can stand in a text of the streamer's own, in double braces, and what it is.
pub const PLACES: [(&str, &str, &str); 7] = [
    ("days", "whole days", "1"),
    ("hours", "hours, beyond the days if those are told", "6"),
    ("minutes", "minutes, beyond the hours if those are told", "12"),
    ("seconds", "seconds, beyond the minutes if those are told", "7"),
    ("hh", "hours in two digits", "06"),
    ("mm", "minutes in two digits", "12"),
    ("ss", "seconds in two digits", "07"),
];

/// The places of a text: what stands between double braces.
fn places(text: &str) -> impl Iterator<Item = &str> {
    text.split("{{").skip(1).map(|rest| rest.split_once("}}").map_or(rest, |(place, _)| place).trim())
}

/// The first place of a text that there is no such thing as; none where it can be filled.
#[must_use]
pub fn unknown_place(text: &str) -> Option<&str> {
    let closed = text.matches("{{").count() == text.matches("}}").count();
    let known = |place: &str| PLACES.iter().any(|(known, ..)| *known == place);
    if closed { places(text).find(|place| !known(place)) } else { Some(text) }
}

impl Face {
    /// A length in milliseconds in a text of the streamer's own, such as `{{ hours }} h {{ mm }}`.
    #[must_use]
    pub fn fill(&self, text: &str, ms: i64) -> String {
        let up = i64::from(self.direction == Direction::Down).saturating_mul(SECOND.saturating_sub(1));
        let seconds = ms.max(0).saturating_add(up).div_euclid(SECOND);
        let told = |one: &str, two: &str| places(text).any(|place| place == one || place == two);
        let beyond = |whole: i64, size: i64, above: bool| if above { whole.rem_euclid(size) } else { whole };
        let has_days = told("days", "days");
        let hours = beyond(seconds / 3_600, 24, has_days);
        let minutes = beyond(seconds / 60, 60, told("hours", "hh") || has_days);
        let rest = beyond(seconds, 60, told("minutes", "mm") || told("hours", "hh") || has_days);
        let mut filled = String::with_capacity(text.len());
        let mut parts = text.split("{{");
        filled.push_str(parts.next().unwrap_or_default());
        for part in parts {
            let (place, after) = part.split_once("}}").unwrap_or((part, ""));
            match place.trim() {
                "days" => filled.push_str(&(seconds / DAY_S).to_string()),
                "hours" => filled.push_str(&hours.to_string()),
                "minutes" => filled.push_str(&minutes.to_string()),
                "seconds" => filled.push_str(&rest.to_string()),
                "hh" => filled.push_str(&format!("{hours:02}")),
                "mm" => filled.push_str(&format!("{minutes:02}")),
                "ss" => filled.push_str(&format!("{rest:02}")),
                _ => {}
            }
            filled.push_str(after);
        }
        filled
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// When a face next reads otherwise, as pages sleep until: so many milliseconds from a length that runs.
    fn changes_in(face: &Face, ms: i64) -> i64 {
        let step = if ms < face.tenths_under { 100 } else { SECOND };
        match face.direction {
            Direction::Down => (ms - 1).rem_euclid(step) + 1,
            Direction::Up => step - ms.rem_euclid(step),
        }
    }

    fn down(units: Units, tenths_under: i64) -> Face {
        Face { units, direction: Direction::Down, tenths_under }
    }

    #[test]
    fn faces() {
        let hms = |h: i64, m: i64, s: i64| ((h * 60 + m) * 60 + s) * 1_000;
        let all = |ms| Units::ALL.map(|units| down(units, 0).write(ms));
        assert_eq!(all(hms(30, 12, 7)), ["30:12:07", "30:12:07", "1813 min", "1 d 6:12:07", "1 d 06:12:07"]);
        assert_eq!(all(hms(0, 5, 0)), ["5:00", "0:05:00", "5 min", "5:00", "0 d 00:05:00"]);
        assert_eq!(all(hms(0, 0, 9)), ["9", "0:00:09", "9", "9", "0 d 00:00:09"]);
        assert_eq!(down(Units::Auto, 0).write(9_001), "10");
        assert_eq!(Face::plain(Direction::Up).write(9_999), "9");
        assert_eq!(down(Units::Auto, 10_000).write(9_340), "9.4");
        assert_eq!(down(Units::Auto, 60_000).write(59_999), "1:00.0");
        assert_eq!(down(Units::Auto, 10_000).write(1), "0.1");
        assert_eq!(down(Units::Auto, 10_000).write(-5), "0");
    }

    #[test]
    fn texts_of_ones_own() {
        let face = Face::plain(Direction::Up);
        let length = ((30 * 60 + 12) * 60 + 7) * 1_000;
        let cases = [
            ("{{ days }} d {{ hh }}:{{ mm }}:{{ss}}", "1 d 06:12:07"),
            ("{{ hours }} hours, {{ minutes }} minutes", "30 hours, 12 minutes"),
            ("{{ minutes }} min", "1812 min"),
            ("{{ seconds }}", "108727"),
            ("no place at all", "no place at all"),
        ];
        for (text, filled) in cases {
            assert_eq!((unknown_place(text), face.fill(text, length).as_str()), (None, filled));
        }
        assert_eq!(Face::plain(Direction::Down).fill("{{ seconds }}", 9_001), "10");
        assert_eq!(unknown_place("{{ hour }} h"), Some("hour"));
        assert!(unknown_place("{{ hours").is_some());
    }

    proptest! {
        #[test]
        fn no_text_makes_it_panic(text in ".{0,60}", ms in any::<i64>()) {
            let _ = (unknown_place(&text), Face::plain(Direction::Down).fill(&text, ms));
        }

        #[test]
        fn a_face_stays_until_it_changes(ms in 1_i64..400_000_000, tenths in prop::sample::select(vec![0, 10_000, 60_000]),
            units in prop::sample::select(vec![Units::Auto, Units::Hours, Units::Days, Units::AllDays]), up in any::<bool>()) {
            let face = Face { units, direction: if up { Direction::Up } else { Direction::Down }, tenths_under: tenths };
            let wait = changes_in(&face, ms);
            prop_assert!(wait > 0);
            let after = |passed: i64| face.write(if up { ms + passed } else { ms - passed });
            prop_assert_eq!(after(wait - 1), face.write(ms));
            prop_assert_ne!(after(wait), face.write(ms));
        }

        #[test]
        fn a_running_clock_never_shows_nothing(ms in 1_i64..100_000_000) {
            for units in Units::ALL {
                prop_assert_ne!(down(units, 0).write(ms), "0");
            }
        }
    }
}
