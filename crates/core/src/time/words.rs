//! Instants and lengths of time as people read them.

use super::calendar::Calendar;
use chrono::{NaiveDateTime, TimeDelta};

/// A moment as it reads in a sentence: `29 Nov 2026, 20:00`.
#[must_use]
pub fn moment_words(moment: NaiveDateTime) -> String {
    moment.format("%-d %b %Y, %H:%M").to_string()
}

/// An instant in the channel's local time: `24 Nov, 19:30`.
#[must_use]
pub fn instant_words(calendar: &Calendar, at: crate::time::Instant) -> String {
    calendar.local(at).format("%-d %b, %H:%M").to_string()
}

/// Digits of a clock, without leading units that are zero: `1:05:00`, `5:00`, `59`.
#[must_use]
pub fn digits(length: TimeDelta) -> String {
    let seconds = length.num_seconds().max(0);
    let (hours, minutes, rest) = (seconds / 3_600, seconds / 60 % 60, seconds % 60);
    if hours > 0 {
        format!("{hours}:{minutes:02}:{rest:02}")
    } else if minutes > 0 {
        format!("{minutes}:{rest:02}")
    } else {
        rest.to_string()
    }
}

/// How long something is, to the minute, whichever way it goes: `1 d 4 h 20 min`.
#[must_use]
pub fn minutes_words(length: TimeDelta) -> String {
    let all = length.num_seconds().unsigned_abs().saturating_add(30) / 60;
    let part = |many: u64, unit: &str| (many > 0).then(|| format!("{many} {unit}"));
    let parts = [part(all / 1_440, "d"), part(all / 60 % 24, "h"), part(all % 60, "min")];
    let words: Vec<String> = parts.into_iter().flatten().collect();
    if words.is_empty() { "0 min".into() } else { words.join(" ") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_to_the_minute() {
        let show = |seconds| minutes_words(TimeDelta::seconds(seconds));
        assert_eq!((show(3_600).as_str(), show(-7_229).as_str(), show(29).as_str()), ("1 h", "2 h", "0 min"));
        assert_eq!(show(40 * 86_400 + 3_690), "40 d 1 h 2 min");
    }

    #[test]
    fn clock_digits() {
        let show = |seconds| digits(TimeDelta::seconds(seconds));
        assert_eq!((show(59).as_str(), show(300).as_str(), show(3_900).as_str()), ("59", "5:00", "1:05:00"));
        assert_eq!((show(0).as_str(), show(-4).as_str()), ("0", "0"));
    }
}
