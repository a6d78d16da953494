//! Instants and lengths of time that stay at the edge of the calendar instead of running over it.

pub mod calendar;
pub mod face;
pub mod words;

use chrono::TimeDelta;

/// An instant: UTC with microseconds.
pub type Instant = chrono::DateTime<chrono::Utc>;

/// The instant so much later, or so much earlier for a length below zero.
///
/// ```
/// use chrono::{DateTime, TimeDelta, Utc};
/// use tally_core::time::after;
/// assert_eq!(after(DateTime::UNIX_EPOCH, TimeDelta::seconds(5)).timestamp(), 5);
/// assert_eq!(after(DateTime::<Utc>::MAX_UTC, TimeDelta::seconds(5)), DateTime::<Utc>::MAX_UTC);
/// ```
#[must_use]
pub fn after(at: Instant, length: TimeDelta) -> Instant {
    let edge = if length < TimeDelta::zero() { Instant::MIN_UTC } else { Instant::MAX_UTC };
    at.checked_add_signed(length).unwrap_or(edge)
}

/// The instant so much earlier.
#[must_use]
pub fn before(at: Instant, length: TimeDelta) -> Instant {
    at.checked_sub_signed(length).unwrap_or(Instant::MIN_UTC)
}

/// The length of two after each other.
#[must_use]
pub fn together(one: TimeDelta, other: TimeDelta) -> TimeDelta {
    let edge = if other < TimeDelta::zero() { TimeDelta::MIN } else { TimeDelta::MAX };
    one.checked_add(&other).unwrap_or(edge)
}

/// What is left of a length without another; below zero if the other is longer.
#[must_use]
pub fn less(length: TimeDelta, other: TimeDelta) -> TimeDelta {
    let edge = if other < TimeDelta::zero() { TimeDelta::MAX } else { TimeDelta::MIN };
    length.checked_sub(&other).unwrap_or(edge)
}
