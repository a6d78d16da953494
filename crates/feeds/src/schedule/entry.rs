//! One entry of a calendar: what it says of itself, and the shows that follow from it in the weeks to come.

use super::recurrence::{Budget, Rule, Until, moment};
use super::zone::{Listed, Zone, Zones, listed};
use chrono::{NaiveDate, NaiveDateTime, TimeDelta};
use icalendar::parser::{Component, Property};
use std::collections::{BTreeMap, BTreeSet};
use tally_core::channel::Planned;
use tally_core::time::calendar::Calendar;
use tally_core::time::{Instant, after, before};

/// So far ahead shows are laid out.
pub const AHEAD: TimeDelta = TimeDelta::days(60);
/// So far back they are looked for: one may be running.
pub const BACK: TimeDelta = TimeDelta::days(1);
/// Longest show; an entry that is longer is none.
const LONGEST: TimeDelta = TimeDelta::days(4);
/// Most times that one entry recurs in the weeks to come.
const MOST_TIMES: usize = 200;
/// Most rules, and most dates by name, of one entry.
const MOST_RULES: usize = 10;
const MOST_DATES: usize = 5_000;
/// So far a time of an entry is looked for that was moved into the weeks to come.
const FURTHEST: TimeDelta = TimeDelta::days(400);
/// Most letters of a title.
const MOST_TITLE: usize = 80;

/// By what entries are read.
pub struct Reading<'a> {
    /// The channel's zone, for what names none.
    pub local: &'a Calendar,
    /// The zones of the file.
    pub zones: &'a Zones,
    /// Between which instants shows are laid out.
    pub window: (Instant, Instant),
}

/// The window with all that may bear on it: the last change of the clock before it, and any zone's midnight.
pub fn around((from, to): (Instant, Instant)) -> (Instant, Instant) {
    (before(from, TimeDelta::days(800)), after(to, TimeDelta::days(10)))
}

/// Which time of another entry one stands in for.
pub struct InsteadOf {
    at: Date,
    /// And of all after it.
    and_after: bool,
}

/// A time that is named: a moment, or whatever is on a day.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Date {
    Day(NaiveDate),
    At(Instant),
}

/// An entry.
pub struct Entry {
    pub uid: String,
    pub title: String,
    pub instead_of: Option<InsteadOf>,
    cancelled: bool,
    zone: Zone,
    start: NaiveDateTime,
    length: TimeDelta,
    rules: Vec<Rule>,
    left_out_by: Vec<Rule>,
    more: Vec<(Instant, TimeDelta)>,
    left_out: BTreeSet<Date>,
}

/// The title of an entry, for people.
pub fn title(component: &Component) -> String {
    let summary = component.find_prop("SUMMARY").map_or("Show", |found| found.val.as_str());
    summary.chars().filter(|letter| !letter.is_control()).take(MOST_TITLE).collect()
}

fn parameter<'a>(property: &'a Property, name: &str) -> Option<&'a str> {
    let found = property.params.iter().find(|param| param.key.as_str().eq_ignore_ascii_case(name))?;
    found.val.as_ref().map(|value| value.as_str())
}

impl Entry {
    /// Reads one.
    ///
    /// # Errors
    /// In words: it is no show.
    pub fn read(component: &Component, reading: &Reading) -> Result<Self, String> {
        let property = |name: &str| component.find_prop(name);
        let all = |name: &'static str| component.properties.iter().filter(move |one| one.name.as_str() == name);
        let value = |name: &str| property(name).map(|found| found.val.as_str().trim());
        let begins = property("DTSTART").ok_or("has no beginning")?;
        let (start, zone) = when(begins, &Zone::Known(reading.local.zone), reading)?;
        let at = zone.instant(start, reading.local);
        let length = match property("DTEND") {
            Some(end) => {
                let (end, its) = when(end, &zone, reading)?;
                its.instant(end, reading.local) - at
            }
            None => duration(value("DURATION").ok_or("has no end")?)?,
        };
        if length <= TimeDelta::zero() || length > LONGEST {
            return Err(format!("has no length of a show, from a moment to {} days", LONGEST.num_days()));
        }
        let rules = |name| {
            let read = |one: &Property| Rule::read(one.val.as_str()).map_err(|error| error.to_string());
            all(name).take(MOST_RULES).map(read).collect::<Result<Vec<_>, _>>()
        };
        let instead_of = match property("RECURRENCE-ID") {
            Some(named) => {
                let at =
                    dates(named, &zone, reading)?.into_iter().next().ok_or("replaces a time that cannot be read")?;
                let range = parameter(named, "RANGE").unwrap_or_default();
                Some(InsteadOf { at: at.0, and_after: range.eq_ignore_ascii_case("THISANDFUTURE") })
            }
            None => None,
        };
        let listed = |name| {
            let each = all(name).map(|one| dates(one, &zone, reading)).collect::<Result<Vec<_>, _>>()?;
            Ok::<_, String>(each.into_iter().flatten().take(MOST_DATES).collect::<Vec<_>>())
        };
        let more = listed("RDATE")?.into_iter().map(|(date, its)| match date {
            Date::At(at) => (at, its.unwrap_or(length)),
            // A day at the time of the entry.
            Date::Day(day) => (zone.instant(day.and_time(start.time()), reading.local), length),
        });
        let more = more.filter(|(_, length)| *length > TimeDelta::zero() && *length <= LONGEST).collect();
        Ok(Self {
            uid: value("UID").unwrap_or_default().to_owned(),
            title: title(component),
            instead_of,
            cancelled: value("STATUS").is_some_and(|status| status.eq_ignore_ascii_case("CANCELLED")),
            rules: rules("RRULE")?,
            left_out_by: rules("EXRULE")?,
            more,
            left_out: listed("EXDATE")?.into_iter().map(|(date, _)| date).collect(),
            zone,
            start,
            length,
        })
    }

    /// The shows that follow from it within the window; `changes` are the entries that stand in for single times of it.
    ///
    /// # Errors
    /// In words: its rules take too many steps.
    pub fn shows(&self, changes: &[&Self], reading: &Reading, budget: &mut Budget) -> Result<Vec<Planned>, String> {
        let near = |show: &Planned| show.to > reading.window.0 && show.from < reading.window.1;
        if let Some(instead) = &self.instead_of {
            // What holds from a time on is said by the entry that it changes.
            let alone = !instead.and_after && !self.cancelled;
            let shows = alone.then(|| self.show(self.zone.instant(self.start, reading.local), self.length));
            return Ok(shows.into_iter().filter(near).collect());
        }
        if self.cancelled {
            return Ok(Vec::new());
        }
        let changes = Changes::of(self, changes, reading, budget)?;
        let times = self.times(changes.furthest, reading, budget)?;
        let shows = times.into_iter().filter_map(|(at, length)| self.changed(at, length, &changes, reading));
        Ok(shows.filter(near).take(MOST_TIMES).collect())
    }

    fn show(&self, from: Instant, length: TimeDelta) -> Planned {
        Planned { from, to: after(from, length), title: self.title.clone() }
    }

    /// Its own times near the window, or as far from it as they may be `moved`, before anything stands in for them.
    pub(super) fn times(
        &self,
        moved: TimeDelta,
        reading: &Reading,
        budget: &mut Budget,
    ) -> Result<BTreeSet<(Instant, TimeDelta)>, String> {
        let (from, to) = (before(reading.window.0, self.length + moved), after(reading.window.1, moved));
        // Over a change of the clock a local moment may be an hour off, or two.
        let spare = TimeDelta::hours(3);
        let span = (self.zone.local(before(from, spare)), self.zone.local(after(to, spare)));
        let within = |rule: &Rule, budget: &mut Budget| {
            let last = match rule.until {
                Some(Until::Utc(at)) => self.zone.local(after(at.and_utc(), spare)),
                Some(Until::Local(at)) => at,
                Some(Until::Day(day)) => day.and_hms_opt(23, 59, 59).unwrap_or(span.1),
                None => span.1,
            };
            let all = rule.between(self.start, span.0, span.1.min(last), budget).map_err(|error| error.to_string())?;
            let instants = all.into_iter().map(|local| self.zone.instant(local, reading.local));
            let ended = |at: &Instant| matches!(rule.until, Some(Until::Utc(until)) if at.naive_utc() > until);
            Ok::<_, String>(instants.filter(|at| !ended(at)).collect::<Vec<_>>())
        };
        let mut times = BTreeSet::from([(self.zone.instant(self.start, reading.local), self.length)]);
        times.extend(self.more.iter().copied());
        for rule in &self.rules {
            times.extend(within(rule, budget)?.into_iter().map(|at| (at, self.length)));
        }
        let mut without = BTreeSet::new();
        for rule in &self.left_out_by {
            without.extend(within(rule, budget)?);
        }
        let day = |at: Instant| Date::Day(self.zone.local(at).date());
        times.retain(|(at, _)| {
            let named = self.left_out.contains(&Date::At(*at)) || self.left_out.contains(&day(*at));
            !named && !without.contains(at) && *at >= from && *at <= to
        });
        Ok(times)
    }

    /// How far an entry moves all times from its own on; none where it stands for one alone.
    fn shift(&self) -> Option<TimeDelta> {
        let instead = self.instead_of.as_ref().filter(|instead| instead.and_after)?;
        let local = match instead.at {
            Date::At(at) => self.zone.local(at),
            Date::Day(day) => day.and_time(self.start.time()),
        };
        Some(self.start - local)
    }

    /// What has become of one of its times; none where another entry says that itself, or it was cancelled.
    fn changed(&self, at: Instant, length: TimeDelta, changes: &Changes, reading: &Reading) -> Option<Planned> {
        let local = self.zone.local(at);
        if changes.alone.contains(&Date::At(at)) || changes.alone.contains(&Date::Day(local.date())) {
            return None;
        }
        let Some((_, change)) = changes.since.range(..=at).next_back() else { return Some(self.show(at, length)) };
        if change.cancelled {
            return None;
        }
        let moved = local.checked_add_signed(change.shift()?)?;
        Some(change.show(self.zone.instant(moved, reading.local), change.length))
    }
}

/// What stands in for times of one entry, by the times that it names.
struct Changes<'a> {
    /// For one time each.
    alone: BTreeSet<Date>,
    /// For all times from one on, until the next of these.
    since: BTreeMap<Instant, &'a Entry>,
    /// How far a time may be moved by them.
    furthest: TimeDelta,
}

impl<'a> Changes<'a> {
    fn of(entry: &Entry, all: &[&'a Entry], reading: &Reading, budget: &mut Budget) -> Result<Self, String> {
        let mut changes = Self { alone: BTreeSet::new(), since: BTreeMap::new(), furthest: TimeDelta::zero() };
        for change in all {
            budget.spend().map_err(|error| error.to_string())?;
            let Some(instead) = &change.instead_of else { continue };
            if !instead.and_after {
                changes.alone.insert(instead.at);
                continue;
            }
            let since = match instead.at {
                Date::At(named) => named,
                Date::Day(day) => entry.zone.instant(day.and_time(chrono::NaiveTime::MIN), reading.local),
            };
            changes.since.insert(since, change);
            let shift = change.shift().unwrap_or_default().abs();
            // A time that was moved into the window, with all after it, may have been outside.
            changes.furthest = changes.furthest.max(shift).min(FURTHEST);
        }
        Ok(changes)
    }
}

/// When a property says that something is: a local moment and its zone, `its` where it names none.
fn when(property: &Property, its: &Zone, reading: &Reading) -> Result<(NaiveDateTime, Zone), String> {
    let text = property.val.as_str().trim();
    if super::recurrence::date(text).is_some() {
        return Err("lasts whole days".into());
    }
    let (at, utc) = moment(text).ok_or("has a date that cannot be read")?;
    Ok((at, zone_of(property, utc, its, reading)?))
}

fn zone_of(property: &Property, utc: bool, its: &Zone, reading: &Reading) -> Result<Zone, String> {
    if utc {
        return Ok(Zone::Known(chrono_tz::UTC));
    }
    let Some(name) = parameter(property, "TZID") else { return Ok(its.clone()) };
    let short: String = name.chars().take(MOST_TITLE).collect();
    reading.zones.named(name).ok_or_else(|| format!("is in a time zone that is not known here: {short}"))
}

/// The times that a property lists, each with its length where it is a period. What has no zone is in that of the entry.
fn dates(property: &Property, its: &Zone, reading: &Reading) -> Result<Vec<(Date, Option<TimeDelta>)>, String> {
    let mut dates = Vec::new();
    for text in property.val.as_str().split(',').take(MOST_DATES) {
        dates.push(match listed(text).ok_or("lists a date that cannot be read")? {
            Listed::Day(day) => (Date::Day(day), None),
            Listed::Moment(at, utc, end) => {
                let zone = zone_of(property, utc, its, reading)?;
                let at = zone.instant(at, reading.local);
                let length = match end {
                    Some(end) if end.starts_with('P') => Some(duration(end)?),
                    Some(end) => {
                        let (end, utc) = moment(end).ok_or("lists a date that cannot be read")?;
                        Some(zone_of(property, utc, its, reading)?.instant(end, reading.local) - at)
                    }
                    None => None,
                };
                (Date::At(at), length)
            }
        });
    }
    Ok(dates)
}

fn duration(text: &str) -> Result<TimeDelta, String> {
    let parsed =
        iso8601::duration(text.trim().trim_start_matches('+')).map_err(|_| "has a length that cannot be read")?;
    TimeDelta::from_std(parsed.into()).map_err(|_| "has a length that cannot be read".to_owned())
}
