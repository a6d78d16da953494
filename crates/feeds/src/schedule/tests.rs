//! Calendars as programs write them, and as nobody should.

use super::*;
use chrono::TimeDelta;
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
    let moved = "RECURRENCE-ID;TZID=Europe/London:20261030T193000\nDTSTART:20261031T180000\nDTEND:20261031T200000\n";
    let schedule = read_at(&(event("a", floating) + &event("a", moved)), "10-12T12:00");
    assert_eq!(begins(&schedule), ["10-16T18:30", "10-31T18:00", "11-06T19:30"].map(at));
}

#[test]
fn what_is_no_show_is_left_out_in_words() {
    let events = event("a", "DTSTART;VALUE=DATE:20261120\nDTEND;VALUE=DATE:20261121\n")
        + &event("b", "DTSTART:20261120T190000Z\n")
        + &event("c", "DTSTART;TZID=Middle of Nowhere:20261120T190000\nDTEND;TZID=Middle of Nowhere:20261120T200000\n")
        + &event("d", "DTSTART:20261120T190000Z\nDTEND:20261120T180000Z\n")
        + &event("e", "DTSTART:20261120T190000Z\nDTEND:20261120T200000Z\nSTATUS:CANCELLED\n")
        + &event("f", "DTSTART:20261120T190000Z\nDTEND:20261120T200000Z\nRRULE:FREQ=NEVER\n")
        + &event("g", "DTSTART:20261120T210000Z\nDTEND:20261120T220000Z\n")
        + &event("h", "DTSTART:20261121T190000Z\n").repeat(3);
    let schedule = read_at(&events, "11-18T12:00");
    assert_eq!(begins(&schedule), [at("11-20T21:00")]);
    assert_eq!((schedule.left_out.len(), schedule.more_left_out), (MOST_LEFT_OUT, 3));
    let told = schedule.left_out.join("; ");
    for words in ["lasts whole days", "has no end", "Middle of Nowhere", "no length of a show", "repeats in a way"] {
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
fn looking_for_what_replaces_times_is_counted() {
    let every_second = event("a", "DTSTART:20261118T120000Z\nDTEND:20261118T120001Z\nRRULE:FREQ=DAILY;COUNT=2\n");
    let replacing = (0..1_000).map(|n| {
        let named = at("11-18T12:00") + TimeDelta::seconds(n);
        let named = named.format("%Y%m%dT%H%M%SZ");
        event("a", &format!("RECURRENCE-ID:{named}\nDTSTART:{named}\nDURATION:PT1S\n"))
    });
    let text = parser::unfold(&calendar(&(every_second + &replacing.collect::<String>())));
    let components = parser::read_calendar_simple(&text).unwrap().remove(0).components;
    let (local, zones) = (london(), Zones::default());
    let reading = Reading { local: &local, zones: &zones, window: (at("11-17T12:00"), at("11-30T12:00")) };
    let entries: Vec<Entry> = components.iter().map(|one| Entry::read(one, &reading).unwrap()).collect();
    let changes: Vec<&Entry> = entries[1..].iter().collect();
    let shows = |steps| entries[0].shows(&changes, &reading, &mut Budget::new(steps));
    assert!(shows(900).is_err());
    assert_eq!(shows(2_000).unwrap().len(), 1, "one is replaced, the other is not");
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

/// Dates that name no zone are in that of the beginning, and the channel's where that has none either.
#[test]
fn dates_without_a_zone_are_in_that_of_the_beginning() {
    let weekly = |start: &str, more: &str| {
        let lines = format!("DTSTART{start}\nDURATION:PT3H\n{more}");
        begins(&read_at(&event("a", &lines), "11-01T12:00"))
    };
    let berlin = ";TZID=Europe/Berlin:20261106T193000";
    let rule = "RRULE:FREQ=WEEKLY;UNTIL=20261120T193000\n";
    let fridays = ["11-06T18:30", "11-13T18:30", "11-20T18:30"].map(at);
    assert_eq!(weekly(berlin, rule), fridays);
    assert_eq!(weekly(berlin, &format!("{rule}EXDATE:20261113T193000\n")), [fridays[0], fridays[2]]);
    assert_eq!(weekly(berlin, "RDATE:20261107T193000\n"), [at("11-06T18:30"), at("11-07T18:30")]);
    // London, where the channel is.
    let floating = weekly(":20261106T193000", "RRULE:FREQ=WEEKLY;UNTIL=20261114\nEXDATE:20261106T193000\n");
    assert_eq!(floating, [at("11-13T19:30")]);
    // A day ends a rule when it ends, and leaves out whatever is on it.
    assert_eq!(weekly(berlin, "RRULE:FREQ=WEEKLY;UNTIL=20261120\n"), fridays);
    assert_eq!(weekly(berlin, &format!("{rule}EXDATE;VALUE=DATE:20261106\n")), fridays[1..]);
    // A period has a length of its own.
    let period = event("a", "DTSTART:20261106T193000Z\nDURATION:PT3H\nRDATE;VALUE=PERIOD:20261107T100000Z/PT30M\n");
    let schedule = read_at(&period, "11-01T12:00");
    assert_eq!(schedule.plan[1].to - schedule.plan[1].from, TimeDelta::minutes(30));
}

#[test]
fn zones_are_found_by_the_names_that_programs_give_them() {
    let start = |zone: &str| event("a", &format!("DTSTART;TZID={zone}:20261120T193000\nDURATION:PT1H\n"));
    for zone in
        ["Europe/Berlin", "W. Europe Standard Time", "/example.org/20260101_1/Europe/Berlin", "\"Europe/Berlin\""]
    {
        assert_eq!(begins(&read_at(&start(zone), "11-18T12:00")), [at("11-20T18:30")], "{zone}");
    }
    // Every name of the list is a zone that is known here.
    let unknown: Vec<&str> = include_str!("windows.tsv")
        .lines()
        .filter(|line| line.split_once('\t').is_none_or(|(_, zone)| zone.parse::<chrono_tz::Tz>().is_err()))
        .collect();
    assert!(unknown.is_empty(), "{unknown:?}");
}

#[test]
fn the_zones_of_the_file_hold_over_changes_of_the_clock() {
    // As office programs write it: rules since 1601, the last Sundays of March and October.
    let zone = "BEGIN:VTIMEZONE\nTZID:Workshop time\nBEGIN:STANDARD\nDTSTART:16010101T030000\nTZOFFSETFROM:+0200\n\
        TZOFFSETTO:+0100\nRRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10\nEND:STANDARD\nBEGIN:DAYLIGHT\n\
        DTSTART:16010101T020000\nTZOFFSETFROM:+0100\nTZOFFSETTO:+0200\nRRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3\n\
        END:DAYLIGHT\nEND:VTIMEZONE\n";
    let weekly = "DTSTART;TZID=Workshop time:20261016T193000\nDURATION:PT3H\nRRULE:FREQ=WEEKLY;COUNT=3\n";
    let schedule = read_at(&(zone.to_owned() + &event("a", weekly)), "10-12T12:00");
    assert_eq!(begins(&schedule), ["10-16T17:30", "10-23T17:30", "10-30T18:30"].map(at));
    let gap = "DTSTART;TZID=Workshop time:20260329T023000\nDURATION:PT3H\n";
    let schedule = read_at(&(zone.to_owned() + &event("a", gap)), "03-20T12:00");
    assert_eq!(begins(&schedule), [at("03-29T01:00")], "the first moment after the gap");
    // The file's own half hours, and its word for a zone of the common list.
    let fixed = "BEGIN:VTIMEZONE\nTZID:Half\nBEGIN:STANDARD\nDTSTART:19700101T000000\nTZOFFSETFROM:-0330\n\
        TZOFFSETTO:-0330\nEND:STANDARD\nEND:VTIMEZONE\nBEGIN:VTIMEZONE\nTZID:Ours\nX-LIC-LOCATION:Asia/Tokyo\n\
        END:VTIMEZONE\n";
    let events = event("a", "DTSTART;TZID=Half:20261120T120000\nDURATION:PT1H\n")
        + &event("b", "DTSTART;TZID=Ours:20261120T120000\nDURATION:PT1H\n");
    let schedule = read_at(&(fixed.to_owned() + &events), "11-18T12:00");
    assert_eq!(begins(&schedule), [at("11-20T03:00"), at("11-20T15:30")]);
}

#[test]
fn all_times_from_one_on_may_be_moved() {
    let weekly = "DTSTART;TZID=Europe/London:20261016T193000\nDURATION:PT3H\nRRULE:FREQ=WEEKLY;COUNT=5\n";
    let later = "RECURRENCE-ID;RANGE=THISANDFUTURE;TZID=Europe/London:20261030T193000\n\
        DTSTART;TZID=Europe/London:20261031T183000\nDURATION:PT2H\n";
    let once = "RECURRENCE-ID;TZID=Europe/London:20261106T193000\nDTSTART;TZID=Europe/London:20261106T120000\n\
        DURATION:PT1H\n";
    let schedule = read_at(&(event("a", weekly) + &event("a", later) + &event("a", once)), "10-12T12:00");
    let expected = ["10-16T18:30", "10-23T18:30", "10-31T18:30", "11-06T12:00", "11-14T18:30"].map(at);
    assert_eq!(begins(&schedule), expected);
    let hours: Vec<i64> = schedule.plan.iter().map(|show| (show.to - show.from).num_hours()).collect();
    assert_eq!(hours, [3, 3, 2, 1, 2]);
    let off = later.replace("DURATION:PT2H\n", "DURATION:PT2H\nSTATUS:CANCELLED\n");
    let schedule = read_at(&(event("a", weekly) + &event("a", &off)), "10-12T12:00");
    assert_eq!(begins(&schedule), expected[..2]);
}

#[test]
fn a_mark_before_the_text_and_lower_case_are_put_up_with() {
    let text = calendar(&event("a", "DTSTART:20261120T190000Z\nDTEND:20261120T200000Z\n"));
    assert_eq!(read(&format!("\u{feff}{text}"), &london(), at("11-18T12:00")).unwrap().plan.len(), 1);
}

/// What would take a program down: each is refused or bounded, on a stack of half a megabyte.
#[test]
fn hostile_calendars_are_refused_within_bounds() {
    let hostile = || {
        let deep = "BEGIN:VEVENT\n".repeat(300) + &"END:VEVENT\n".repeat(300);
        assert_eq!(read(&calendar(&deep), &london(), at("11-18T12:00")), Err(ScheduleError::TooDeep));
        // Folded in the middle of its word, and without ends.
        let folded = "BEG\n IN:VEVENT\n".repeat(60_000);
        assert_eq!(read(&calendar(&folded), &london(), at("11-18T12:00")), Err(ScheduleError::TooDeep));
        let all = |most: usize| (0..most).map(|n| n.to_string()).collect::<Vec<_>>().join(",");
        let every = format!(
            "FREQ=YEARLY;BYYEARDAY={};BYHOUR={};BYMINUTE={};BYSECOND={}",
            (1..=366).map(|n| n.to_string()).collect::<Vec<_>>().join(","),
            all(24),
            all(60),
            all(60)
        );
        let rules = [
            ("19700101T000000Z", "FREQ=SECONDLY", MOST_SHOWS),
            ("19700101T000000Z", "FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30", 0),
            ("19700101T000000Z", "FREQ=SECONDLY;COUNT=4000000000", 0),
            ("19700101T000000Z", &every, 0),
            ("00000101T000000Z", "FREQ=DAILY", 62),
            ("00000101T000000Z", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", 0),
            ("19700101T000000Z", "FREQ=YEARLY;COUNT=5;BYMONTH=2;BYMONTHDAY=30", 0),
            ("19700101T000000Z", "FREQ=MINUTELY;INTERVAL=100000;BYHOUR=3;BYMINUTE=7", 0),
        ];
        for (start, rule, most) in rules {
            let entry = event("a", &format!("DTSTART:{start}\nDURATION:PT1S\nRRULE:{rule}\n"));
            let schedule = read_at(&entry.repeat(20), "11-18T12:00");
            assert!(schedule.plan.len() <= most.max(1) * 20, "{rule}: {}", schedule.plan.len());
            assert!(schedule.plan.len() >= most, "{rule}: {}", schedule.plan.len());
        }
        let many = event("a", "DTSTART:20261118T120000Z\nDURATION:PT1S\n") + &"X:\n".repeat(200_000);
        let _ = read(&calendar(&many), &london(), at("11-18T12:00"));
        let named = "RDATE:20261118T120000Z\n".repeat(20_000);
        read_at(&event("a", &format!("DTSTART:20261118T120000Z\nDURATION:PT1S\n{named}")), "11-18T12:00");
    };
    let small = std::thread::Builder::new().stack_size(512 * 1024).spawn(hostile).unwrap();
    small.join().unwrap();
}

/// A rule that goes on for ever costs what is shown of it, however long ago it began.
#[test]
fn steps_do_not_grow_with_age() {
    let spent = |start: &str, rule: &str| {
        let rule = recurrence::Rule::read(rule).unwrap();
        let moment = |text: &str| recurrence::moment(text).unwrap().0;
        let mut budget = Budget::new(1_000_000);
        let all = rule.between(moment(start), moment("20261118T000000"), moment("20270118T000000"), &mut budget);
        assert!(!all.unwrap().is_empty());
        1_000_000 - budget.left()
    };
    for rule in ["FREQ=YEARLY;BYMONTH=12", "FREQ=MONTHLY", "FREQ=WEEKLY;INTERVAL=2", "FREQ=DAILY", "FREQ=HOURLY"] {
        let (young, old) = (spent("20251225T120000", rule), spent("00011225T120000", rule));
        assert!(old <= young * 2 + 800, "{rule}: {young} steps, {old} when old");
    }
    let sparse = spent("19700101T000000", "FREQ=SECONDLY;BYHOUR=3;BYMINUTE=0;BYSECOND=0");
    assert!(sparse < 10_000, "{sparse}");
}
