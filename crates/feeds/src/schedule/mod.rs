//! A schedule: shows that stand in a calendar, read from iCalendar (RFC 5545). Entries that repeat are laid out for the weeks to
//! come; times without a zone are the channel's.
//!
//! A calendar comes from outside, so its depth and size are bounded before it is parsed, and each step of laying it out is
//! counted: see docs/decisions/0048-calendars.md.

mod entry;
mod recurrence;
mod zone;

use entry::{Entry, Reading};
use icalendar::parser::{self, Component};
use recurrence::Budget;
use std::collections::BTreeMap;
use tally_core::channel::{Planned, Schedule};
use tally_core::time::calendar::Calendar;
use tally_core::time::{Instant, after, before};
use zone::Zones;

/// Most bytes of a calendar.
pub const MOST_BYTES: usize = 1024 * 1024;
/// Most entries that are read.
const MOST_ENTRIES: usize = 2_000;
/// Most shows that are laid out.
const MOST_SHOWS: usize = 200;
/// So many entries that are no shows are named; more are counted.
const MOST_LEFT_OUT: usize = 5;
/// How deep components lie in each other: an alarm in an entry in a calendar, and one to spare.
const MOST_DEEP: usize = 4;
/// Steps that laying out takes at most, for one entry and for all; a step costs about a tenth of a microsecond.
const STEPS_OF_ENTRY: u32 = 100_000;
const STEPS: u32 = 1_000_000;

/// Why a calendar is no schedule.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScheduleError {
    /// Too long.
    #[error("the calendar has more than a megabyte; export a shorter one")]
    TooLong,
    /// No calendar at all.
    #[error("this is no calendar in the format iCalendar (.ics); export one as that")]
    NoCalendar,
    /// Deeper than any calendar is.
    #[error("the calendar has parts within parts, deeper than {MOST_DEEP}; export it again from the calendar program")]
    TooDeep,
    /// Its time zones are no end of work.
    #[error("the time zones in the calendar repeat too often to be laid out")]
    TooMuch,
    /// Nothing in it.
    #[error("there is no entry with a beginning and an end in this calendar")]
    Empty,
}

/// Reads a calendar; `local` gives the zone of times that name none.
///
/// # Errors
/// See [`ScheduleError`]. A single entry that cannot be read is left out, and named.
pub fn read(text: &str, local: &Calendar, now: Instant) -> Result<Schedule, ScheduleError> {
    if text.len() > MOST_BYTES {
        return Err(ScheduleError::TooLong);
    }
    let text = parser::unfold(text.trim_start_matches('\u{feff}').trim_start());
    if !text.get(..15).is_some_and(|begin| begin.eq_ignore_ascii_case("BEGIN:VCALENDAR")) {
        return Err(ScheduleError::NoCalendar);
    }
    if depth(&text) > MOST_DEEP {
        return Err(ScheduleError::TooDeep);
    }
    let roots = parser::read_calendar_simple(&text).map_err(|_| ScheduleError::NoCalendar)?;
    let components: Vec<Component> = roots.into_iter().flat_map(|root| root.components).collect();
    let mut budget = Budget::new(STEPS);
    let window = (before(now, entry::BACK), after(now, entry::AHEAD));
    let zones = Zones::of(&components, entry::around(window), &mut budget).map_err(|_| ScheduleError::TooMuch)?;
    let reading = Reading { local, zones: &zones, window };
    let is_event = |component: &&Component| component.name.as_str().eq_ignore_ascii_case("VEVENT");
    let mut schedule = Schedule::default();
    let mut leave_out = |title: &str, why: String| {
        if schedule.left_out.len() < MOST_LEFT_OUT {
            schedule.left_out.push(format!("“{title}” {why}"));
        } else {
            schedule.more_left_out += 1;
        }
    };
    let mut entries = Vec::new();
    for component in components.iter().filter(is_event).take(MOST_ENTRIES) {
        match Entry::read(component, &reading) {
            Ok(entry) => entries.push(entry),
            Err(why) => leave_out(&entry::title(component), why),
        }
    }
    if entries.is_empty() && !components.iter().any(|component| is_event(&component)) {
        return Err(ScheduleError::Empty);
    }
    // One time of an entry that repeats may have been moved, or all from one on: then another entry says so.
    let mut changed: BTreeMap<&str, Vec<&Entry>> = BTreeMap::new();
    for entry in entries.iter().filter(|entry| entry.instead_of.is_some()) {
        changed.entry(&entry.uid).or_default().push(entry);
    }
    let mut plan: Vec<Planned> = Vec::new();
    for entry in &entries {
        let changes = changed.get(entry.uid.as_str()).map_or(&[][..], Vec::as_slice);
        budget.next_part(STEPS_OF_ENTRY);
        match entry.shows(changes, &reading, &mut budget) {
            Ok(shows) => plan.extend(shows),
            Err(why) => leave_out(&entry.title, why),
        }
    }
    plan.sort_by_key(|show| (show.from, show.to));
    plan.truncate(MOST_SHOWS);
    schedule.plan = plan;
    Ok(schedule)
}

/// How deep its components lie in each other; the parser goes down as deep.
fn depth(unfolded: &str) -> usize {
    let (mut deep, mut deepest) = (0_usize, 0);
    for line in unfolded.lines() {
        let word = line.trim_start().as_bytes();
        let begins = |with: &[u8]| word.len() >= with.len() && word[..with.len()].eq_ignore_ascii_case(with);
        if begins(b"BEGIN:") {
            deep += 1;
            deepest = deepest.max(deep);
        } else if begins(b"END:") {
            deep = deep.saturating_sub(1);
        }
    }
    deepest
}

#[cfg(test)]
mod rfc5545;
#[cfg(test)]
mod tests;
