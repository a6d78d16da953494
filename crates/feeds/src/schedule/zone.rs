//! Time zones of a calendar: by their IANA name, by the names that other programs give them, or as the file itself says
//! (`VTIMEZONE`, RFC 5545, 3.6.5).

use super::recurrence::{Budget, Rule, RuleError, Until, date, moment};
use chrono::{DateTime, NaiveDateTime, TimeDelta, Utc};
use chrono_tz::Tz;
use icalendar::parser::Component;
use std::collections::BTreeMap;
use std::rc::Rc;
use tally_core::time::calendar::Calendar;
use tally_core::time::{Instant, after};

/// Windows' names of zones and the IANA zone of each (from CLDR's `windowsZones`), a line each.
const WINDOWS: &str = include_str!("windows.tsv");
/// Most zones of a file, and most changes of the clock that one of them tells.
const MOST_ZONES: usize = 100;
const MOST_CHANGES: usize = 2_000;

/// A zone.
#[derive(Debug, Clone)]
pub enum Zone {
    /// One that is known here.
    Known(Tz),
    /// One as the file says it.
    Own(Rc<Changes>),
}

/// A zone of the file's own: how far its clocks are ahead of UTC.
#[derive(Debug)]
pub struct Changes {
    /// Seconds ahead before the first change.
    first: i64,
    /// Local moments, by the offset before each, from which another offset holds; in order.
    changes: Vec<Change>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Change {
    at: NaiveDateTime,
    before: i64,
    after: i64,
}

impl Zone {
    /// The instant of a local moment. One in a gap is the first instant after it, one that occurs twice the first of the two.
    pub fn instant(&self, local: NaiveDateTime, channel: &Calendar) -> Instant {
        match self {
            Self::Known(zone) => Calendar { zone: *zone, ..*channel }.instant(local),
            Self::Own(zone) => {
                let last = zone.changes.partition_point(|change| change.at <= local).checked_sub(1);
                let Some(change) = last.map(|last| zone.changes[last]) else { return utc(local, zone.first) };
                utc(local, change.after).max(utc(change.at, change.before))
            }
        }
    }

    /// The local moment of an instant, to within an hour at a change of the clock of a zone of the file's own.
    pub fn local(&self, at: Instant) -> NaiveDateTime {
        match self {
            Self::Known(zone) => at.with_timezone(zone).naive_local(),
            Self::Own(zone) => {
                let last = zone.changes.iter().rev().find(|change| utc(change.at, change.before) <= at);
                let offset = last.map_or(zone.first, |change| change.after);
                after(at, TimeDelta::seconds(offset)).naive_utc()
            }
        }
    }
}

fn utc(local: NaiveDateTime, ahead_s: i64) -> Instant {
    after(DateTime::<Utc>::from_naive_utc_and_offset(local, Utc), TimeDelta::seconds(-ahead_s))
}

/// The zones that a file names.
#[derive(Debug, Default)]
pub struct Zones {
    own: BTreeMap<String, Zone>,
}

impl Zones {
    /// Those of a calendar; changes of the clock are laid out between two instants.
    ///
    /// # Errors
    /// They take more steps than there are.
    pub fn of(components: &[Component], between: (Instant, Instant), budget: &mut Budget) -> Result<Self, RuleError> {
        let mut zones = Self::default();
        let named = |component: &&Component| component.name.as_str().eq_ignore_ascii_case("VTIMEZONE");
        for component in components.iter().filter(named).take(MOST_ZONES) {
            let value = |name: &str| component.find_prop(name).map(|found| found.val.as_str().trim());
            let Some(id) = value("TZID") else { continue };
            // Programs that take their zones from the common list say so.
            let listed = value("X-LIC-LOCATION").and_then(|name| name.parse().ok());
            let zone = match listed {
                Some(zone) => Some(Zone::Known(zone)),
                None => own(component, between, budget)?,
            };
            zones.own.extend(zone.map(|zone| (id.to_owned(), zone)));
        }
        Ok(zones)
    }

    /// The zone of a name. What is known here goes before what the file says, which is often cut short or out of date.
    pub fn named(&self, name: &str) -> Option<Zone> {
        let name = name.trim().trim_matches('"');
        let known = name.parse().ok().or_else(|| suffix(name)).or_else(|| windows(name));
        known.map(Zone::Known).or_else(|| self.own.get(name).cloned())
    }
}

/// The zone at the end of a name that somebody put their own words before, such as `/example.org/2026/Europe/London`.
fn suffix(name: &str) -> Option<Tz> {
    let slashes = name.match_indices('/').map(|(at, _)| at + 1);
    slashes.take(16).find_map(|at| name[at..].parse().ok())
}

fn windows(name: &str) -> Option<Tz> {
    let rows = WINDOWS.lines().filter_map(|line| line.split_once('\t'));
    let (_, zone) = rows.into_iter().find(|(windows, _)| windows.eq_ignore_ascii_case(name))?;
    zone.parse().ok()
}

/// A zone as its component says it; none where that says nothing.
fn own(component: &Component, (from, to): (Instant, Instant), budget: &mut Budget) -> Result<Option<Zone>, RuleError> {
    let mut changes = Vec::new();
    for part in &component.components {
        let value = |name: &str| part.find_prop(name).map(|found| found.val.as_str());
        let offsets = value("TZOFFSETFROM").and_then(offset).zip(value("TZOFFSETTO").and_then(offset));
        let start = value("DTSTART").and_then(moment);
        let (Some((before, after_it)), Some((start, _))) = (offsets, start) else { continue };
        let mut times = vec![start];
        for property in part.properties.iter().filter(|property| property.name.as_str() == "RDATE") {
            let all = property.val.as_str().split(',').take(MOST_CHANGES);
            times.extend(all.filter_map(|one| moment(one).map(|(at, _)| at)));
        }
        if let Some(rule) = value("RRULE").map(Rule::read).transpose()? {
            let (first, mut last) = (from.naive_utc(), to.naive_utc());
            match rule.until {
                // Always in UTC (RFC 5545, 3.6.5).
                Some(Until::Utc(at)) => last = last.min(at + TimeDelta::seconds(before)),
                Some(Until::Local(at)) => last = last.min(at),
                Some(Until::Day(day)) => last = last.min(day.and_time(chrono::NaiveTime::MIN)),
                None => {}
            }
            times.extend(rule.between(start, first, last, budget)?);
        }
        changes.extend(times.into_iter().take(MOST_CHANGES).map(|at| Change { at, before, after: after_it }));
    }
    changes.sort_unstable();
    changes.dedup();
    let Some(first) = changes.first().map(|change| change.before) else { return Ok(None) };
    Ok(Some(Zone::Own(Rc::new(Changes { first, changes }))))
}

/// Seconds ahead of UTC as they are written: `+0100`, `-0330`, `+053000`.
fn offset(text: &str) -> Option<i64> {
    let text = text.trim();
    let (sign, digits) = match text.strip_prefix('-') {
        Some(digits) => (-1, digits),
        None => (1, text.strip_prefix('+').unwrap_or(text)),
    };
    if !matches!(digits.len(), 4 | 6) || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let part = |at: usize| digits.get(at..at + 2).map_or(Some(0), |two| two.parse::<i64>().ok());
    let (hours, minutes, seconds) = (part(0)?, part(2)?, part(4)?);
    (hours < 24 && minutes < 60 && seconds < 60).then_some(sign * (hours * 3_600 + minutes * 60 + seconds))
}

/// The moments of a list (`EXDATE`, `RDATE`), as written; of periods the beginning and what is behind the stroke.
pub enum Listed<'a> {
    /// A day.
    Day(chrono::NaiveDate),
    /// A moment, whether it is in UTC, and the end or length of a period.
    Moment(NaiveDateTime, bool, Option<&'a str>),
}

/// Reads one of a list.
pub fn listed(text: &str) -> Option<Listed<'_>> {
    let text = text.trim();
    if let Some(day) = date(text) {
        return Some(Listed::Day(day));
    }
    let (at, end) = text.split_once('/').map_or((text, None), |(at, end)| (at, Some(end)));
    moment(at).map(|(at, utc)| Listed::Moment(at, utc, end))
}
