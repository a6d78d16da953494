//! Recurrence rules (RFC 5545, 3.3.10), laid out in local time without a zone. A rule without a count is not walked from its
//! beginning: the first period that matters is computed. Each step is counted, and a rule that takes too many is refused.

use chrono::{Datelike, Days, NaiveDate, NaiveDateTime, NaiveTime, TimeDelta, Timelike, Weekday};

/// Most times that are laid out of one rule; whoever asks shows fewer.
const MOST_FOUND: usize = 20_000;

/// How many steps reading may still take; a step is one date or one time that is looked at.
#[derive(Debug)]
pub struct Budget {
    all: u32,
    /// What the part that is being read may take of it.
    part: u32,
}

impl Budget {
    /// So many steps.
    pub fn new(steps: u32) -> Self {
        Self { all: steps, part: steps }
    }

    /// Begins another part, which takes so many steps at most.
    pub fn next_part(&mut self, most: u32) {
        self.part = most.min(self.all);
    }

    /// How many are left.
    #[cfg(test)]
    pub fn left(&self) -> u32 {
        self.all
    }

    /// Takes one step.
    ///
    /// # Errors
    /// None is left.
    pub fn spend(&mut self) -> Result<(), RuleError> {
        self.part = self.part.checked_sub(1).ok_or(RuleError::TooMuch)?;
        self.all -= 1;
        Ok(())
    }
}

/// Why a rule cannot be followed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum RuleError {
    /// A part of it is none.
    #[error("repeats in a way that cannot be read: “{0}”")]
    Part(String),
    /// It has no frequency.
    #[error("repeats in a way that cannot be read: FREQ is missing")]
    NoFrequency,
    /// It takes too long.
    #[error("repeats too often to be laid out")]
    TooMuch,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Frequency {
    Secondly,
    Minutely,
    Hourly,
    Daily,
    Weekly,
    Monthly,
    Yearly,
}

/// When a rule ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Until {
    /// In UTC.
    Utc(NaiveDateTime),
    /// In the zone of the entry.
    Local(NaiveDateTime),
    /// With that local day.
    Day(NaiveDate),
}

/// One rule.
#[derive(Debug, Clone)]
pub struct Rule {
    frequency: Frequency,
    interval: i64,
    count: Option<u32>,
    /// When it ends; whoever lays it out holds to it, since it may be in another zone.
    pub until: Option<Until>,
    by_second: Vec<u32>,
    by_minute: Vec<u32>,
    by_hour: Vec<u32>,
    /// Weekdays, with the how many-th of its month or year where it is given.
    by_day: Vec<(Option<i32>, Weekday)>,
    by_month_day: Vec<i32>,
    by_year_day: Vec<i32>,
    by_week: Vec<i32>,
    by_month: Vec<u32>,
    by_position: Vec<i32>,
    week_start: Weekday,
}

/// A moment of a calendar as it is written: `19970902T090000`, with or without a `Z` at its end.
pub fn moment(text: &str) -> Option<(NaiveDateTime, bool)> {
    let (plain, utc) = text.strip_suffix(['Z', 'z']).map_or((text, false), |plain| (plain, true));
    // A leap second is the second before it.
    let plain = if plain.len() == 15 && plain.ends_with("60") { format!("{}59", &plain[..13]) } else { plain.into() };
    Some((NaiveDateTime::parse_from_str(&plain, "%Y%m%dT%H%M%S").ok()?, utc))
}

/// A date as it is written: `19970902`.
pub fn date(text: &str) -> Option<NaiveDate> {
    (text.len() == 8).then(|| NaiveDate::parse_from_str(text, "%Y%m%d").ok()).flatten()
}

fn weekday(text: &str) -> Option<Weekday> {
    Some(match text {
        "MO" => Weekday::Mon,
        "TU" => Weekday::Tue,
        "WE" => Weekday::Wed,
        "TH" => Weekday::Thu,
        "FR" => Weekday::Fri,
        "SA" => Weekday::Sat,
        "SU" => Weekday::Sun,
        _ => return None,
    })
}

fn numbers<T: std::str::FromStr>(value: &str, fits: impl Fn(&T) -> bool) -> Option<Vec<T>> {
    value.split(',').map(|one| one.trim_start_matches('+').parse().ok().filter(|number| fits(number))).collect()
}

/// Numbers that count from either end.
fn signed(value: &str, most: i32) -> Option<Vec<i32>> {
    numbers(value, |number: &i32| *number != 0 && number.unsigned_abs() <= most.unsigned_abs())
}

fn days(value: &str) -> Option<Vec<(Option<i32>, Weekday)>> {
    let one = |text: &str| {
        let at = text.len().checked_sub(2).filter(|at| text.is_char_boundary(*at))?;
        let (number, day) = text.split_at(at);
        let nth = if number.is_empty() { None } else { Some(*signed(number, 53)?.first()?) };
        Some((nth, weekday(day)?))
    };
    value.split(',').map(one).collect()
}

impl Rule {
    /// Reads a rule.
    ///
    /// # Errors
    /// It is none.
    pub fn read(text: &str) -> Result<Self, RuleError> {
        let mut rule = Self {
            frequency: Frequency::Yearly,
            interval: 1,
            count: None,
            until: None,
            by_second: Vec::new(),
            by_minute: Vec::new(),
            by_hour: Vec::new(),
            by_day: Vec::new(),
            by_month_day: Vec::new(),
            by_year_day: Vec::new(),
            by_week: Vec::new(),
            by_month: Vec::new(),
            by_position: Vec::new(),
            week_start: Weekday::Mon,
        };
        let mut frequency = None;
        let text = text.trim().to_ascii_uppercase();
        for part in text.split(';').filter(|part| !part.is_empty()) {
            let (name, value) = part.split_once('=').unwrap_or((part, ""));
            let read = match name {
                "FREQ" => named_frequency(value).map(|named| frequency = Some(named)),
                "INTERVAL" => value.parse().ok().filter(|n| (1..=100_000).contains(n)).map(|n| rule.interval = n),
                "COUNT" => value.parse().ok().filter(|n| *n > 0).map(|n| rule.count = Some(n)),
                "UNTIL" => until(value).map(|until| rule.until = Some(until)),
                "BYSECOND" => numbers(value, |n| *n <= 60).map(|all| rule.by_second = all),
                "BYMINUTE" => numbers(value, |n| *n <= 59).map(|all| rule.by_minute = all),
                "BYHOUR" => numbers(value, |n| *n <= 23).map(|all| rule.by_hour = all),
                "BYDAY" => days(value).map(|all| rule.by_day = all),
                "BYMONTHDAY" => signed(value, 31).map(|all| rule.by_month_day = all),
                "BYYEARDAY" => signed(value, 366).map(|all| rule.by_year_day = all),
                "BYWEEKNO" => signed(value, 53).map(|all| rule.by_week = all),
                "BYMONTH" => numbers(value, |n| (1..=12).contains(n)).map(|all| rule.by_month = all),
                "BYSETPOS" => signed(value, 366).map(|all| rule.by_position = all),
                "WKST" => weekday(value).map(|day| rule.week_start = day),
                // Parts of later standards change nothing that is understood here.
                _ if name.starts_with("X-") => Some(()),
                _ => None,
            };
            read.ok_or_else(|| RuleError::Part(part.chars().take(40).collect()))?;
        }
        rule.frequency = frequency.ok_or(RuleError::NoFrequency)?;
        // As many as one may name: what is named twice is looked at once.
        for list in [&mut rule.by_second, &mut rule.by_minute, &mut rule.by_hour] {
            list.sort_unstable();
            list.dedup();
        }
        Ok(rule)
    }

    /// Its times from one local moment to another, both included, in order; `start` is the first of them all, and
    /// counts whether it fits the rule or not (RFC 5545, 3.8.5.3).
    ///
    /// # Errors
    /// It takes more steps than there are.
    pub fn between(
        &self,
        start: NaiveDateTime,
        from: NaiveDateTime,
        to: NaiveDateTime,
        budget: &mut Budget,
    ) -> Result<Vec<NaiveDateTime>, RuleError> {
        let rule = self.completed(start);
        let mut found = Vec::new();
        if start >= from && start <= to {
            found.push(start);
        }
        let mut left = rule.count.map_or(u32::MAX, |count| count - 1);
        // What is counted is walked from its beginning; all else from the period in which `from` lies.
        let mut period = if rule.count.is_some() { 0 } else { rule.period_of(start, from).max(0) };
        while left > 0 && found.len() < MOST_FOUND {
            budget.spend()?;
            let Some(first) = rule.begins(start, period).filter(|first| *first <= to) else { break };
            if let Some(skipped) = rule.skip(start, first) {
                period = skipped.max(period + 1);
                continue;
            }
            for at in rule.within(first, (rule.count.is_none()).then_some(from), budget)? {
                if at > to || left == 0 {
                    return Ok(found);
                }
                if at > start {
                    left -= u32::from(rule.count.is_some());
                    if at >= from {
                        found.push(at);
                    }
                }
            }
            period += 1;
        }
        Ok(found)
    }

    /// The rule with what it leaves to the first of its times.
    fn completed(&self, start: NaiveDateTime) -> Self {
        let mut rule = self.clone();
        let no_day = rule.by_day.is_empty() && rule.by_month_day.is_empty() && rule.by_year_day.is_empty();
        match rule.frequency {
            Frequency::Yearly if no_day && !rule.by_week.is_empty() => rule.by_day = vec![(None, start.weekday())],
            Frequency::Yearly if no_day => {
                rule.by_month_day = vec![i32::try_from(start.day()).unwrap_or(1)];
                if rule.by_month.is_empty() {
                    rule.by_month = vec![start.month()];
                }
            }
            Frequency::Monthly if no_day => rule.by_month_day = vec![i32::try_from(start.day()).unwrap_or(1)],
            Frequency::Weekly if no_day => rule.by_day = vec![(None, start.weekday())],
            _ => {}
        }
        let fill = |list: &mut Vec<u32>, from: Frequency, value| {
            if list.is_empty() && rule.frequency >= from {
                list.push(value);
            }
        };
        fill(&mut rule.by_hour, Frequency::Daily, start.hour());
        fill(&mut rule.by_minute, Frequency::Hourly, start.minute());
        fill(&mut rule.by_second, Frequency::Minutely, start.second());
        rule
    }

    /// Seconds of a period that is shorter than a day.
    fn seconds(&self) -> Option<i64> {
        match self.frequency {
            Frequency::Secondly => Some(1),
            Frequency::Minutely => Some(60),
            Frequency::Hourly => Some(3_600),
            _ => None,
        }
    }

    /// Where the first period begins.
    fn origin(&self, start: NaiveDateTime) -> NaiveDateTime {
        let date = start.date();
        let day = |date: NaiveDate| date.and_time(NaiveTime::MIN);
        match self.frequency {
            Frequency::Yearly => day(date.with_ordinal(1).unwrap_or(date)),
            Frequency::Monthly => day(date.with_day(1).unwrap_or(date)),
            Frequency::Weekly => day(date.week(self.week_start).checked_first_day().unwrap_or(date)),
            Frequency::Daily => day(date),
            Frequency::Hourly => start.with_minute(0).and_then(|at| at.with_second(0)).unwrap_or(start),
            Frequency::Minutely => start.with_second(0).unwrap_or(start),
            Frequency::Secondly => start,
        }
    }

    /// In which period a moment lies, or which is the last before it.
    fn period_of(&self, start: NaiveDateTime, at: NaiveDateTime) -> i64 {
        let origin = self.origin(start);
        let months = |at: NaiveDateTime| i64::from(at.year()) * 12 + i64::from(at.month0());
        let units = match self.frequency {
            Frequency::Yearly => i64::from(at.year()) - i64::from(origin.year()),
            Frequency::Monthly => months(at) - months(origin),
            Frequency::Weekly => (at - origin).num_seconds().div_euclid(7 * 86_400),
            Frequency::Daily => (at - origin).num_seconds().div_euclid(86_400),
            _ => (at - origin).num_seconds().div_euclid(self.seconds().unwrap_or(1)),
        };
        units.div_euclid(self.interval)
    }

    /// When a period begins; none past the end of the calendar.
    fn begins(&self, start: NaiveDateTime, period: i64) -> Option<NaiveDateTime> {
        let origin = self.origin(start);
        let units = period.checked_mul(self.interval)?;
        let days = |days: i64| origin.checked_add_days(Days::new(u64::try_from(days).ok()?));
        match self.frequency {
            Frequency::Yearly => origin.with_year(i32::try_from(i64::from(origin.year()).checked_add(units)?).ok()?),
            Frequency::Monthly => origin.checked_add_months(chrono::Months::new(u32::try_from(units).ok()?)),
            Frequency::Weekly => days(units.checked_mul(7)?),
            Frequency::Daily => days(units),
            _ => origin.checked_add_signed(TimeDelta::try_seconds(units.checked_mul(self.seconds()?)?)?),
        }
    }

    /// For periods shorter than a day: the next one that can fit, where this one cannot.
    fn skip(&self, start: NaiveDateTime, first: NaiveDateTime) -> Option<i64> {
        let seconds = self.seconds()?;
        let next_day = first.date().succ_opt()?.and_time(NaiveTime::MIN);
        let next = if !self.takes(first.date()) {
            next_day
        } else if !self.by_hour.is_empty() && !self.by_hour.contains(&first.hour()) {
            first.with_minute(0)?.with_second(0)? + TimeDelta::hours(1)
        } else if seconds < 3_600 && !self.by_minute.is_empty() && !self.by_minute.contains(&first.minute()) {
            first.with_second(0)? + TimeDelta::minutes(1)
        } else if seconds < 60 && !self.by_second.is_empty() && !self.by_second.contains(&first.second()) {
            first + TimeDelta::seconds(1)
        } else {
            return None;
        };
        // The first period that begins then or later.
        Some(self.period_of(start, next - TimeDelta::seconds(1)) + 1)
    }

    /// The times of a period, in order. What lies wholly before `from` may be left out.
    fn within(
        &self,
        first: NaiveDateTime,
        from: Option<NaiveDateTime>,
        budget: &mut Budget,
    ) -> Result<Vec<NaiveDateTime>, RuleError> {
        let date = first.date();
        let (length, hours, minutes, seconds);
        let one = |value: u32| vec![value];
        match self.frequency {
            Frequency::Yearly => length = if date.leap_year() { 366 } else { 365 },
            Frequency::Monthly => length = u64::from(date.num_days_in_month()),
            Frequency::Weekly => length = 7,
            _ => length = 1,
        }
        hours = if self.frequency >= Frequency::Daily { self.by_hour.clone() } else { one(first.hour()) };
        minutes = if self.frequency >= Frequency::Hourly { self.by_minute.clone() } else { one(first.minute()) };
        seconds = if self.frequency >= Frequency::Minutely { self.by_second.clone() } else { one(first.second()) };
        let skips = |day: NaiveDate| self.by_position.is_empty() && from.is_some_and(|from| day < from.date());
        let mut times = Vec::new();
        for day in (0..length).filter_map(|n| date.checked_add_days(Days::new(n))) {
            budget.spend()?;
            if skips(day) || !self.takes(day) {
                continue;
            }
            for hour in &hours {
                for minute in &minutes {
                    for second in &seconds {
                        budget.spend()?;
                        times.extend(day.and_hms_opt(*hour, *minute, (*second).min(59)));
                    }
                }
            }
        }
        if self.by_position.is_empty() {
            return Ok(times);
        }
        let place = |position: &i32| {
            let at = usize::try_from(position.unsigned_abs()).ok()?;
            if *position > 0 { times.get(at - 1).copied() } else { times.get(times.len().checked_sub(at)?).copied() }
        };
        let mut chosen: Vec<_> = self.by_position.iter().filter_map(place).collect();
        chosen.sort_unstable();
        chosen.dedup();
        Ok(chosen)
    }

    /// Whether a day fits.
    fn takes(&self, day: NaiveDate) -> bool {
        let counted = |place: u32, of: u32, list: &[i32]| {
            let (place, of) = (i32::try_from(place).unwrap_or(0), i32::try_from(of).unwrap_or(0));
            list.is_empty() || list.iter().any(|n| *n == place || *n == place - of - 1)
        };
        let of_year = if day.leap_year() { 366 } else { 365 };
        (self.by_month.is_empty() || self.by_month.contains(&day.month()))
            && counted(day.day(), u32::from(day.num_days_in_month()), &self.by_month_day)
            && counted(day.ordinal(), of_year, &self.by_year_day)
            && (self.by_week.is_empty() || {
                let (week, weeks) = self.week(day);
                counted(week, weeks, &self.by_week)
            })
            && (self.by_day.is_empty() || self.by_day.iter().any(|named| self.is_named(day, *named, of_year)))
    }

    fn is_named(&self, day: NaiveDate, (nth, weekday): (Option<i32>, Weekday), of_year: u32) -> bool {
        if day.weekday() != weekday {
            return false;
        }
        let Some(nth) = nth else { return true };
        // The how many-th of its month, or of its year where no month is named.
        let (place, of) = match self.frequency {
            Frequency::Monthly => (day.day(), u32::from(day.num_days_in_month())),
            Frequency::Yearly if !self.by_month.is_empty() => (day.day(), u32::from(day.num_days_in_month())),
            Frequency::Yearly => (day.ordinal(), of_year),
            _ => return true,
        };
        let (forward, back) = ((place - 1) / 7 + 1, (of - place) / 7 + 1);
        u32::try_from(nth).map_or(nth.unsigned_abs() == back, |nth| nth == forward)
    }

    /// The number of a day's week in the year to which most of it belongs, and how many weeks that has.
    fn week(&self, day: NaiveDate) -> (u32, u32) {
        let number = |day: NaiveDate| {
            let first = day.week(self.week_start).checked_first_day().unwrap_or(day);
            let middle = first.checked_add_days(Days::new(3)).unwrap_or(first);
            (middle.year(), middle.ordinal0() / 7 + 1)
        };
        let (year, week) = number(day);
        let last = NaiveDate::from_ymd_opt(year, 12, 28).map_or(52, |last| number(last).1);
        (week, last)
    }
}

fn named_frequency(value: &str) -> Option<Frequency> {
    Some(match value {
        "SECONDLY" => Frequency::Secondly,
        "MINUTELY" => Frequency::Minutely,
        "HOURLY" => Frequency::Hourly,
        "DAILY" => Frequency::Daily,
        "WEEKLY" => Frequency::Weekly,
        "MONTHLY" => Frequency::Monthly,
        "YEARLY" => Frequency::Yearly,
        _ => return None,
    })
}

fn until(value: &str) -> Option<Until> {
    if let Some(day) = date(value) {
        return Some(Until::Day(day));
    }
    moment(value).map(|(at, utc)| if utc { Until::Utc(at) } else { Until::Local(at) })
}
