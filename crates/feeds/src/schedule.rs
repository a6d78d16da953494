//! A schedule: shows that stand in a calendar, read from iCalendar (RFC 5545). Entries that recur are laid out for the weeks to
//! come; times without a zone are the channel's.

use chrono::{NaiveDateTime, TimeDelta, Utc};
use icalendar::{Calendar as ICalendar, CalendarDateTime, Component, DatePerhapsTime, Event, EventLike, EventStatus};
use std::collections::BTreeSet;
use tally_core::channel::{Planned, Schedule};
use tally_core::time::calendar::Calendar;
use tally_core::time::{Instant, after, before};

/// Most bytes of a calendar.
pub const MOST_BYTES: usize = 1024 * 1024;
/// Most entries that are read.
const MOST_ENTRIES: usize = 2_000;
/// Most shows that are laid out.
const MOST_SHOWS: usize = 200;
/// Most times that one entry recurs in the weeks to come.
const MOST_TIMES: u16 = 200;
/// So far ahead they are laid out.
const AHEAD: TimeDelta = TimeDelta::days(60);
/// So far back they are looked for: one may be running.
const BACK: TimeDelta = TimeDelta::days(1);
/// Longest show; an entry that is longer is none.
const LONGEST: TimeDelta = TimeDelta::days(4);
/// So many entries that are no shows are named; more are counted.
const MOST_LEFT_OUT: usize = 5;
/// Most letters of a title.
const MOST_TITLE: usize = 80;

/// Why a calendar is no schedule.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScheduleError {
    /// Too long.
    #[error("the calendar has more than a megabyte; export a shorter one")]
    TooLong,
    /// No calendar at all.
    #[error("this is no calendar in the format iCalendar (.ics); export one as that")]
    NoCalendar,
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
    if !text.trim_start_matches('\u{feff}').trim_start().starts_with("BEGIN:VCALENDAR") {
        return Err(ScheduleError::NoCalendar);
    }
    let calendar: ICalendar = text.parse().map_err(|_| ScheduleError::NoCalendar)?;
    let events: Vec<&Event> = calendar.events().take(MOST_ENTRIES).collect();
    if events.is_empty() {
        return Err(ScheduleError::Empty);
    }
    // One time of an entry that recurs may have been moved: then the entry itself says nothing of that time.
    let moved: BTreeSet<(String, Instant)> = events
        .iter()
        .filter_map(|event| Some((event.get_uid()?.to_owned(), instant(event.get_recurrence_id()?, local).ok()?)))
        .collect();
    let mut schedule = Schedule::default();
    for event in events {
        let title: String = event.get_summary().unwrap_or("Show").chars().take(MOST_TITLE).collect();
        match times(event, local, now) {
            Ok(times) => {
                let uid = event.get_uid().filter(|_| event.get_recurrence_id().is_none()).map(str::to_owned);
                let stands = |(from, _): &(Instant, Instant)| {
                    uid.as_ref().is_none_or(|uid| !moved.contains(&(uid.clone(), *from)))
                };
                let planned = times.into_iter().filter(stands);
                schedule.plan.extend(planned.map(|(from, to)| Planned { from, to, title: title.clone() }));
            }
            Err(why) if schedule.left_out.len() < MOST_LEFT_OUT => {
                schedule.left_out.push(format!("“{title}” {why}"));
            }
            Err(_) => schedule.more_left_out += 1,
        }
    }
    schedule.plan.sort_by_key(|show| (show.from, show.to));
    schedule.plan.truncate(MOST_SHOWS);
    Ok(schedule)
}

/// When an entry begins and ends, each time that it does in the weeks to come.
fn times(event: &Event, local: &Calendar, now: Instant) -> Result<Vec<(Instant, Instant)>, String> {
    if event.get_status() == Some(EventStatus::Cancelled) {
        return Ok(Vec::new());
    }
    let begins = event.get_start().ok_or("has no beginning")?;
    let from = instant(begins.clone(), local)?;
    let length = length(event, from, local)?;
    if length <= TimeDelta::zero() || length > LONGEST {
        return Err(format!("has no length of a show, from a moment to {} days", LONGEST.num_days()));
    }
    let (earliest, latest) = (before(now, BACK), after(now, AHEAD));
    let recurs = ["RRULE", "RDATE"]
        .iter()
        .any(|name| event.property_value(name).is_some() || event.multi_properties().contains_key(*name));
    if !recurs {
        let is_near = after(from, length) > earliest && from < latest;
        return Ok(if is_near { vec![(from, after(from, length))] } else { Vec::new() });
    }
    let mut anchored = event.clone();
    if let DatePerhapsTime::DateTime(CalendarDateTime::Floating(at)) = begins {
        anchored.starts(CalendarDateTime::WithTimezone { date_time: at, tzid: local.zone.name().to_owned() });
    }
    let set = anchored.get_recurrence().map_err(|error| format!("recurs in a way that cannot be read: {error}"))?;
    let zone = icalendar::rrule::Tz::UTC;
    let set = set.after((earliest - length).with_timezone(&zone)).before(latest.with_timezone(&zone));
    let times = set.all(MOST_TIMES).dates;
    Ok(times.into_iter().map(|at| at.with_timezone(&Utc)).map(|from| (from, after(from, length))).collect())
}

fn length(event: &Event, from: Instant, local: &Calendar) -> Result<TimeDelta, String> {
    if let Some(end) = event.get_end() {
        return Ok(instant(end, local)? - from);
    }
    let duration = event.property_value("DURATION").ok_or("has no end")?;
    let parsed = iso8601::duration(duration).map_err(|_| "has a length that cannot be read")?;
    TimeDelta::from_std(parsed.into()).map_err(|_| "has a length that cannot be read".to_owned())
}

/// The instant of a date and time in a calendar.
fn instant(at: DatePerhapsTime, local: &Calendar) -> Result<Instant, String> {
    let in_zone = |at: NaiveDateTime, name: &str| {
        let zone = name.parse().map_err(|_| format!("is in a time zone that is not known here: {name}"))?;
        Ok(Calendar { zone, ..*local }.instant(at))
    };
    match at {
        DatePerhapsTime::Date(_) => Err("lasts whole days".into()),
        DatePerhapsTime::DateTime(CalendarDateTime::Utc(at)) => Ok(at),
        DatePerhapsTime::DateTime(CalendarDateTime::Floating(at)) => Ok(local.instant(at)),
        DatePerhapsTime::DateTime(CalendarDateTime::WithTimezone { date_time, tzid }) => in_zone(date_time, &tzid),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::{NaiveTime, Weekday};
    use proptest::prelude::*;

    fn london() -> Calendar {
        Calendar { zone: chrono_tz::Europe::London, week_start: Weekday::Mon, day_start: NaiveTime::MIN }
    }

    fn at(text: &str) -> Instant {
        format!("2026-{text}:00Z").parse().unwrap()
    }

    fn calendar(events: &str) -> String {
        let lines = format!("BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//Saltmarsh Halt//EN\n{events}END:VCALENDAR\n");
        lines.replace('\n', "\r\n")
    }

    fn event(uid: &str, lines: &str) -> String {
        format!("BEGIN:VEVENT\nUID:{uid}\nDTSTAMP:20261001T000000Z\nSUMMARY:Build night\n{lines}END:VEVENT\n")
    }

    fn read_at(events: &str, now: &str) -> Schedule {
        read(&calendar(events), &london(), at(now)).unwrap()
    }

    fn begins(schedule: &Schedule) -> Vec<Instant> {
        schedule.plan.iter().map(|show| show.from).collect()
    }

    #[test]
    fn a_weekly_show_keeps_its_local_time_over_the_change_of_clocks() {
        let weekly = "DTSTART;TZID=Europe/London:20261016T193000\nDTEND;TZID=Europe/London:20261016T223000\n\
            RRULE:FREQ=WEEKLY;BYDAY=FR;COUNT=4\n";
        let schedule = read_at(&event("a", weekly), "10-12T12:00");
        let expected = ["10-16T18:30", "10-23T18:30", "10-30T19:30", "11-06T19:30"].map(at);
        assert_eq!(begins(&schedule), expected);
        assert!(schedule.plan.iter().all(|show| show.to - show.from == TimeDelta::hours(3)));
        // The same without a zone: the channel's holds. One date is taken out, another is moved to Saturday.
        let floating = "DTSTART:20261016T193000\nDURATION:PT3H\nRRULE:FREQ=WEEKLY;BYDAY=FR;COUNT=4\n\
            EXDATE;TZID=Europe/London:20261023T193000\n";
        let moved =
            "RECURRENCE-ID;TZID=Europe/London:20261030T193000\nDTSTART:20261031T180000\nDTEND:20261031T200000\n";
        let schedule = read_at(&(event("a", floating) + &event("a", moved)), "10-12T12:00");
        assert_eq!(begins(&schedule), ["10-16T18:30", "10-31T18:00", "11-06T19:30"].map(at));
    }

    #[test]
    fn what_is_no_show_is_left_out_in_words() {
        let events = event("a", "DTSTART;VALUE=DATE:20261120\nDTEND;VALUE=DATE:20261121\n")
            + &event("b", "DTSTART:20261120T190000Z\n")
            + &event(
                "c",
                "DTSTART;TZID=Middle of Nowhere:20261120T190000\nDTEND;TZID=Middle of Nowhere:20261120T200000\n",
            )
            + &event("d", "DTSTART:20261120T190000Z\nDTEND:20261120T180000Z\n")
            + &event("e", "DTSTART:20261120T190000Z\nDTEND:20261120T200000Z\nSTATUS:CANCELLED\n")
            + &event("f", "DTSTART:20261120T190000Z\nDTEND:20261120T200000Z\nRRULE:FREQ=NEVER\n")
            + &event("g", "DTSTART:20261120T210000Z\nDTEND:20261120T220000Z\n")
            + &event("h", "DTSTART:20261121T190000Z\n").repeat(3);
        let schedule = read_at(&events, "11-18T12:00");
        assert_eq!(begins(&schedule), [at("11-20T21:00")]);
        assert_eq!((schedule.left_out.len(), schedule.more_left_out), (MOST_LEFT_OUT, 3));
        let told = schedule.left_out.join("; ");
        for words in ["lasts whole days", "has no end", "Middle of Nowhere", "no length of a show", "recurs in a way"] {
            assert!(told.contains(words), "{words}: {told}");
        }
    }

    #[test]
    fn what_is_no_calendar_is_refused() {
        let refused = |text: &str| read(text, &london(), at("11-18T12:00")).unwrap_err();
        assert_eq!(refused("<html>"), ScheduleError::NoCalendar);
        assert_eq!(refused(&calendar("")), ScheduleError::Empty);
        assert_eq!(refused(&" ".repeat(MOST_BYTES + 1)), ScheduleError::TooLong);
    }

    #[test]
    fn an_entry_that_recurs_without_end_is_bounded() {
        let every_minute = "DTSTART:20261118T120000Z\nDTEND:20261118T120030Z\nRRULE:FREQ=MINUTELY\n";
        assert_eq!(read_at(&event("a", every_minute), "11-18T12:00").plan.len(), MOST_SHOWS);
    }

    proptest! {
        #[test]
        fn no_calendar_brings_it_down(lines in "[A-Z;=:0-9TZ\\-\n ]{0,200}") {
            let _ = read(&calendar(&event("a", &lines)), &london(), at("11-18T12:00"));
            let _ = read(&format!("BEGIN:VCALENDAR\n{lines}"), &london(), at("11-18T12:00"));
        }
    }
}
