//! Pauses, breaks, a server that was away and clocks that step: when time runs, and what counts meanwhile.

use super::{PhaseWord, Show, begin, tip, why};
use crate::common::settings;
use chrono::TimeDelta;
use tally_core::record::settings::Settings;
use tally_core::time::calendar::Calendar;
use tally_core::widgets::Notable;
use tally_core::widgets::subathon::Why;

#[test]
fn pauses_stand_and_additions_count_wait_or_are_ignored() {
    let told = |setting: &str| {
        let mut show = Show::started(&[("while_paused", setting)]);
        show.wait(60).press("pause");
        show.wait(600).happens(tip("ade", 200));
        let paused = show.shown();
        show.wait(600).press("start");
        (paused, show.shown(), show.computed().lines[0].why)
    };
    assert_eq!(told("count"), ("1:00:00".into(), "1:00:00".into(), None));
    assert_eq!(told("wait"), ("59:00".into(), "1:00:00".into(), None));
    assert_eq!(told("ignore"), ("59:00".into(), "59:00".into(), Some(Why::Ignored)));
}

#[test]
fn planned_breaks_begin_and_end_by_themselves_or_only_remind() {
    let plan = ("breaks", "2026-10-24 19:20 10:00");
    let mut show = Show::started(&[plan]);
    assert_eq!(show.wait(1_260).phase(), PhaseWord::Break);
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Break, "40:00"));
    show.wait(600).settle();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "39:00"));
    let clock: Vec<&str> = show.entries.iter().map(|entry| entry.origin.source.as_str()).collect();
    assert_eq!(clock, ["desk", "clock", "clock"]);
    // Whoever begins it earlier has had it.
    let mut early = Show::started(&[plan]);
    early.wait(60).press("break");
    assert_eq!(early.wait(300).phase(), PhaseWord::Break);
    early.wait(400);
    assert_eq!((early.phase(), early.shown().as_str()), (PhaseWord::Running, "57:20"));
    assert_eq!(early.wait(700).phase(), PhaseWord::Running);
    let mut reminded = Show::started(&[plan, ("breaks_begin", "remind")]);
    assert!(!reminded.view().break_next.unwrap().due);
    // It runs on, and reminds until somebody begins it, or it would be over.
    assert_eq!(reminded.wait(1_260).phase(), PhaseWord::Running);
    assert!(reminded.view().break_next.unwrap().due);
    reminded.press("break");
    assert_eq!((reminded.phase(), reminded.view().break_next.unwrap().due), (PhaseWord::Break, false));
    assert_eq!(reminded.wait(601).phase(), PhaseWord::Running);
    assert_eq!(reminded.view().break_next, None);
    let mut missed = Show::started(&[plan, ("breaks_begin", "remind")]);
    assert_eq!(missed.wait(1_801).view().break_next, None);
}

#[test]
fn a_break_in_the_gap_of_a_clock_change_or_twice_in_one_night_has_one_moment() {
    // 01:30 comes twice on 25 October 2026 in London: the first is 00:30 UTC.
    let twice = Show::started(&[("length", "30:00:00"), ("breaks", "2026-10-25 01:30 10:00")]);
    assert_eq!(
        twice.view().break_next.unwrap().from,
        "2026-10-25T00:30:00Z".parse::<tally_core::time::Instant>().unwrap()
    );
    // 01:30 does not exist on 28 March 2027: the gap ends at 01:00 UTC.
    let gap = Show::started(&[("length", "2400:00:00"), ("breaks", "2027-03-28 01:30 10:00")]);
    assert_eq!(
        gap.view().break_next.unwrap().from,
        "2027-03-28T01:00:00Z".parse::<tally_core::time::Instant>().unwrap()
    );
}

#[test]
fn a_zone_changed_while_it_runs_moves_local_moments_and_nothing_else() {
    let mut show =
        Show::started(&[("length", "4:00:00"), ("breaks", "2026-10-24 21:00 10:00"), ("latest", "2026-10-25T00:00")]);
    show.wait(600);
    let before = show.view();
    let calendar = Calendar { zone: chrono_tz::Tz::Europe__Berlin, ..settings().calendar };
    show.notes(Notable::Changed);
    show.channel.set_settings(Settings { calendar, ..settings() });
    let after = show.view();
    assert_eq!((before.left_ms, before.ran_ms), (after.left_ms, after.ran_ms));
    let hour = TimeDelta::hours(1);
    assert_eq!(after.break_next.unwrap().from, before.break_next.unwrap().from - hour);
    assert_eq!(after.forecast.unwrap().latest.unwrap(), before.forecast.unwrap().latest.unwrap() - hour);
}

#[test]
fn an_addition_is_of_a_pause_by_when_it_happened() {
    let paused = |policy: &str| {
        let mut show = Show::started(&[("while_paused", policy)]);
        let running = show.wait(10).now;
        show.wait(10).press("pause");
        let standing = show.wait(10).now;
        // Happened while it ran, and came in the pause.
        show.wait(1).happened(tip("ade", 100), running);
        show.wait(10).press("start");
        // Happened in the pause, and came while it ran.
        show.wait(5).happened(tip("bea", 100), standing);
        why(&show)
    };
    assert_eq!(paused("count"), [(30, None), (30, None)]);
    assert_eq!(paused("wait"), [(30, None), (30, None)]);
    assert_eq!(paused("ignore"), [(30, None), (0, Some(Why::Ignored))]);
}

#[test]
fn a_break_that_ends_while_the_server_is_away_goes_on_until_it_is_back() {
    let away = |edits: &[(&str, &str)]| {
        let mut show = Show::started(edits);
        show.presses("break", Some(60)).unwrap();
        let from = show.wait(30).now;
        show.wait(300);
        show.notes(Notable::Away { from, until: show.now });
        show.shown()
    };
    assert_eq!(away(&[("while_away", "stands")]), "1:00:00");
    assert_eq!(away(&[("while_away", "runs")]), "55:30", "the break's minute, and all else");
}

#[test]
fn a_server_that_was_away_for_an_hour_ran_on_or_stood_still() {
    let told = |setting: &str| {
        let mut show = Show::started(&[("length", "2:00:00"), ("while_away", setting)]);
        show.wait(600);
        let from = show.now;
        show.wait(3_600);
        show.notes(Notable::Away { from, until: show.now });
        let note = show.entries.last().unwrap().body.words();
        (show.shown(), show.wait(60).shown(), note)
    };
    assert_eq!(
        told("runs"),
        ("50:00".into(), "49:00".into(), "the clock noted that the server was away for 1:00:00; it ran on".into())
    );
    assert_eq!(
        told("stands"),
        (
            "1:50:00".into(),
            "1:49:00".into(),
            "the clock noted that the server was away for 1:00:00; it stood still".into()
        )
    );
    // One that stood anyway, or was written to since, has nothing to note.
    let mut paused = Show::started(&[]);
    paused.wait(10).press("pause");
    let (from, until) = (begin() + TimeDelta::seconds(20), begin() + TimeDelta::seconds(90));
    assert!(paused.channel.noting(None, Notable::Away { from, until }, until).is_empty());
}

#[test]
fn a_clock_of_the_machine_that_steps_back_and_forth_takes_no_time_twice() {
    let mut show = Show::started(&[("length", "4:00:00")]);
    show.wait(600).happens(tip("ade", 100));
    let left = show.view().left_ms;
    show.wait(-3_600).happens(tip("ade", 100));
    assert_eq!(show.view().left_ms, left + 30_000, "it stands until the hour is made good");
    show.wait(3_600);
    assert_eq!(show.view().left_ms, left + 30_000);
    show.wait(60).happens(tip("ade", 100));
    assert_eq!(show.view().left_ms, left);
}
