//! All examples of recurrence in RFC 5545 (3.8.5.3), times in New York as there. In the example of every three hours, `UNTIL`
//! is that of the published erratum.

use super::entry::{Entry, Reading};
use super::recurrence::Budget;
use super::zone::Zones;
use chrono::{Datelike, NaiveDateTime, NaiveTime, Weekday};
use icalendar::parser::read_calendar_simple;
use tally_core::time::calendar::Calendar;

/// The local times of an entry with these lines, from its beginning to the end of a year.
fn times(start: &str, lines: &str, to_year: i32) -> Vec<NaiveDateTime> {
    let local = Calendar { zone: chrono_tz::America::New_York, week_start: Weekday::Mon, day_start: NaiveTime::MIN };
    let text = format!(
        "BEGIN:VEVENT\r\nUID:a\r\nDTSTART;TZID=America/New_York:{start}\r\nDURATION:PT1H\r\n{}\r\nEND:VEVENT\r\n",
        lines.replace('\n', "\r\n")
    );
    let component = read_calendar_simple(&text).unwrap().remove(0);
    let from = local.instant(NaiveDateTime::parse_from_str(start, "%Y%m%dT%H%M%S").unwrap());
    let to = format!("{to_year}-12-20T00:00:00Z").parse().unwrap();
    let zones = Zones::default();
    let reading = Reading { local: &local, zones: &zones, window: (from, to) };
    let entry = Entry::read(&component, &reading).unwrap();
    let times = entry.times(chrono::TimeDelta::zero(), &reading, &mut Budget::new(3_000_000)).unwrap();
    times.into_iter().map(|(at, _)| local.local(at)).collect()
}

/// Dates as the standard lists them, `1997 9/2,4 10/1`, at nine o'clock.
fn dates(text: &str) -> Vec<NaiveDateTime> {
    let (mut year, mut all) = (0, Vec::new());
    for word in text.split(' ') {
        let Some((month, days)) = word.split_once('/') else {
            year = word.parse().unwrap();
            continue;
        };
        all.extend(days.split(',').map(|day| {
            let date = chrono::NaiveDate::from_ymd_opt(year, month.parse().unwrap(), day.parse().unwrap());
            date.unwrap().and_hms_opt(9, 0, 0).unwrap()
        }));
    }
    all
}

#[test]
fn rules_give_the_times_of_the_standard() {
    let cases = [
        ("19970902", "FREQ=DAILY;COUNT=10", "1997 9/2,3,4,5,6,7,8,9,10,11"),
        ("19970902", "FREQ=DAILY;INTERVAL=10;COUNT=5", "1997 9/2,12,22 10/2,12"),
        ("19970902", "FREQ=WEEKLY;COUNT=10", "1997 9/2,9,16,23,30 10/7,14,21,28 11/4"),
        (
            "19970902",
            "FREQ=WEEKLY;UNTIL=19971224T000000Z",
            "1997 9/2,9,16,23,30 10/7,14,21,28 11/4,11,18,25 12/2,9,16,23",
        ),
        ("19970902", "FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH", "1997 9/2,4,9,11,16,18,23,25,30 10/2"),
        ("19970902", "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH", "1997 9/2,4,9,11,16,18,23,25,30 10/2"),
        (
            "19970901",
            "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR",
            "1997 9/1,3,5,15,17,19,29 10/1,3,13,15,17,27,29,31 11/10,12,14,24,26,28 12/8,10,12,22",
        ),
        ("19970902", "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", "1997 9/2,4,16,18,30 10/2,14,16"),
        ("19970905", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR", "1997 9/5 10/3 11/7 12/5 1998 1/2 2/6 3/6 4/3 5/1 6/5"),
        ("19970905", "FREQ=MONTHLY;UNTIL=19971224T000000Z;BYDAY=1FR", "1997 9/5 10/3 11/7 12/5"),
        (
            "19970907",
            "FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU",
            "1997 9/7,28 11/2,30 1998 1/4,25 3/1,29 5/3,31",
        ),
        ("19970922", "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", "1997 9/22 10/20 11/17 12/22 1998 1/19 2/16"),
        ("19970902", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", "1997 9/2,15 10/2,15 11/2,15 12/2,15 1998 1/2,15"),
        ("19970930", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1", "1997 9/30 10/1,31 11/1,30 12/1,31 1998 1/1,31 2/1"),
        (
            "19970910",
            "FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15",
            "1997 9/10,11,12,13,14,15 1999 3/10,11,12,13",
        ),
        (
            "19970610",
            "FREQ=YEARLY;COUNT=10;BYMONTH=6,7",
            "1997 6/10 7/10 1998 6/10 7/10 1999 6/10 7/10 2000 6/10 7/10 2001 6/10 7/10",
        ),
        (
            "19970310",
            "FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3",
            "1997 3/10 1999 1/10 2/10 3/10 2001 1/10 2/10 3/10 2003 1/10 2/10 3/10",
        ),
        (
            "19970101",
            "FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200",
            "1997 1/1 4/10 7/19 2000 1/1 4/9 7/18 2003 1/1 4/10 7/19 2006 1/1",
        ),
        ("19970904", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", "1997 9/4 10/7 11/6"),
        ("19970805", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", "1997 8/5,10,19,24"),
        ("19970805", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", "1997 8/5,17,19,31"),
        ("20070115", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", "2007 1/15,30 2/15 3/15,30"),
        // Without end: the standard lists the first of them.
        ("19970902", "FREQ=DAILY;INTERVAL=2", "1997 9/2,4,6,8,10,12,14,16,18,20,22,24,26,28,30 10/2,4,6"),
        ("19970902", "FREQ=WEEKLY;INTERVAL=2;WKST=SU", "1997 9/2,16,30 10/14,28 11/11,25 12/9,23 1998 1/6,20 2/3,17"),
        ("19970928", "FREQ=MONTHLY;BYMONTHDAY=-3", "1997 9/28 10/29 11/28 12/29 1998 1/29 2/26"),
        (
            "19970902",
            "FREQ=MONTHLY;INTERVAL=2;BYDAY=TU",
            "1997 9/2,9,16,23,30 11/4,11,18,25 1998 1/6,13,20,27 3/3,10,17,24,31",
        ),
        ("19970519", "FREQ=YEARLY;BYDAY=20MO", "1997 5/19 1998 5/18 1999 5/17"),
        ("19970512", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", "1997 5/12 1998 5/11 1999 5/17"),
        ("19970313", "FREQ=YEARLY;BYMONTH=3;BYDAY=TH", "1997 3/13,20,27 1998 3/5,12,19,26 1999 3/4,11,18,25"),
        (
            "19970605",
            "FREQ=YEARLY;BYDAY=TH;BYMONTH=6,7,8",
            "1997 6/5,12,19,26 7/3,10,17,24,31 8/7,14,21,28 1998 6/4,11,18,25 7/2,9,16,23,30 8/6,13,20,27",
        ),
        (
            "19970913",
            "FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13",
            "1997 9/13 10/11 11/8 12/13 1998 1/10 2/7 3/7 4/11 5/9 6/13",
        ),
        (
            "19961105",
            "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8",
            "1996 11/5 2000 11/7 2004 11/2",
        ),
        (
            "19970929",
            "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2",
            "1997 9/29 10/30 11/27 12/30 1998 1/29 2/26 3/30",
        ),
    ];
    for (start, rule, expected) in cases {
        let (mut all, expected) = (times(&format!("{start}T090000"), &format!("RRULE:{rule}"), 2012), dates(expected));
        if !rule.contains("COUNT") && !rule.contains("UNTIL") {
            all.truncate(expected.len());
        }
        assert_eq!(all, expected, "{rule}");
    }
    let thirteenth = "EXDATE;TZID=America/New_York:19970902T090000\nRRULE:FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13";
    let expected = dates("1998 2/13 3/13 11/13 1999 8/13 2000 10/13");
    assert_eq!(times("19970902T090000", thirteenth, 2000), expected);
}

#[test]
fn every_day_until_a_moment_and_every_day_of_a_month() {
    let until = times("19970902T090000", "RRULE:FREQ=DAILY;UNTIL=19971224T000000Z", 1998);
    assert_eq!((until.len(), until.last().copied()), (113, dates("1997 12/23").first().copied()));
    let by_year = "RRULE:FREQ=YEARLY;UNTIL=20000131T140000Z;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA";
    let by_day = "RRULE:FREQ=DAILY;UNTIL=20000131T140000Z;BYMONTH=1";
    let all = times("19980101T090000", by_year, 2001);
    assert_eq!((all.len(), all.iter().all(|at| at.month() == 1)), (93, true));
    assert_eq!(all, times("19980101T090000", by_day, 2001));
}

#[test]
fn rules_within_a_day() {
    let clock = |lines: &str| -> Vec<String> {
        let all = times("19970902T090000", lines, 1997);
        all.iter().take(30).map(|at| at.format("%-d %H:%M").to_string()).collect()
    };
    let expected = |text: &str| text.split(',').map(|at| format!("2 {at}")).collect::<Vec<_>>();
    assert_eq!(clock("RRULE:FREQ=HOURLY;INTERVAL=3;UNTIL=19970902T210000Z"), expected("09:00,12:00,15:00"));
    let quarters = expected("09:00,09:15,09:30,09:45,10:00,10:15");
    assert_eq!(clock("RRULE:FREQ=MINUTELY;INTERVAL=15;COUNT=6"), quarters);
    assert_eq!(clock("RRULE:FREQ=MINUTELY;INTERVAL=90;COUNT=4"), expected("09:00,10:30,12:00,13:30"));
    let by_day = clock("RRULE:FREQ=DAILY;BYHOUR=9,10,11,12,13,14,15,16;BYMINUTE=0,20,40");
    assert_eq!(by_day[..3], expected("09:00,09:20,09:40"));
    assert_eq!(by_day[23..26], ["2 16:40", "3 09:00", "3 09:20"]);
    assert_eq!(by_day, clock("RRULE:FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10,11,12,13,14,15,16"));
}
