//! Subathon clocks by example: each case has one right answer.

use super::{PhaseWord, Show, begin, somebody, tip};
use crate::common::settings;
use chrono::TimeDelta;
use tally_core::channel::Correcting;
use tally_core::record::happening::{Happening, Tier};
use tally_core::record::settings::Settings;
use tally_core::time::calendar::Calendar;
use tally_core::widgets::Notable;
use tally_core::widgets::subathon::Why;

fn gift(name: &str, count: u32) -> Happening {
    Happening::Gift { actor: somebody(name), tier: Tier::default(), count }
}

fn sub(name: &str, tier: u8, months: Option<u32>, giver: Option<&str>) -> Happening {
    let tier = Tier::try_from(tier).unwrap();
    Happening::Sub { actor: somebody(name), tier, months, message: None, gifted_by: giver.map(somebody) }
}

fn why(show: &Show) -> Vec<(i64, Option<Why>)> {
    show.computed().lines.iter().map(|line| (line.given / 1_000, line.why)).collect()
}

#[test]
fn what_is_added_by_each_row() {
    let mut show = Show::started(&[
        ("rate.does.follow", "adds"),
        ("rate.time.follow", "10"),
        ("rate.does.renewal1", "adds"),
        ("rate.time.renewal1", "90"),
        ("rate.does.raid", "adds"),
        ("rate.does.raid_viewer", "adds"),
        ("rate.time.raid_viewer", "0.5"),
        ("rate.does.purchase", "adds"),
        ("rate.reward", "Drop a minute"),
        ("rate.does.reward:Drop a minute", "takes"),
        ("rate.signal", "deploy"),
        ("rate.command", "!Coal"),
    ]);
    let reward =
        |reward: &str| Happening::Reward { actor: somebody("ade"), reward: reward.into(), cost: None, input: None };
    let cases = [
        (tip("ade", 1_250), 375),
        (Happening::Cheer { actor: somebody("bea"), points: 250, message: None }, 75),
        (Happening::Follow { actor: somebody("cat") }, 10),
        (sub("cat", 1, None, None), 120),
        (sub("cat", 1, Some(2), None), 90),
        // Renewals of tier 2 have no row of their own.
        (sub("cat", 2, Some(2), None), 240),
        (sub("cat", 3, Some(1), None), 600),
        // No row for gifts: given subscriptions count as their own.
        (gift("dot", 5), 0),
        (sub("eel", 1, None, Some("dot")), 120),
        (Happening::Raid { actor: somebody("fay"), viewers: 11 }, 65),
        (Happening::Purchase { actor: somebody("gus"), item: "mug".into(), quantity: 3, amount: None }, 180),
        (reward("drop a MINUTE"), -60),
        (reward("Something else"), 0),
        (Happening::Command { actor: somebody("ade"), word: "!coal".into(), text: None }, 5),
        (Happening::Command { actor: somebody("ade"), word: "!tea".into(), text: None }, 0),
        (Happening::Signal { name: "deploy".into(), value: None, text: None }, 60),
    ];
    let mut left = 3_600;
    for (happening, seconds) in cases {
        show.happens(happening.clone());
        left += seconds;
        assert_eq!(show.view().left_ms / 1_000, left, "{happening:?}");
    }
    assert_eq!(show.view().left_ms % 1_000, 500, "eleven viewers at half a second");
}

#[test]
fn a_given_subscription_adds_by_the_gift_or_by_itself_never_by_both() {
    let mut show = Show::started(&[("rate.does.gift", "adds"), ("rate.time.gift", "60")]);
    show.happens(gift("dot", 3));
    for name in ["eel", "fay", "gus"] {
        show.happens(sub(name, 1, None, Some("dot")));
    }
    assert_eq!(show.shown(), "1:03:00");
    show.happens(sub("ade", 1, None, None));
    assert_eq!(show.shown(), "1:05:00");
}

#[test]
fn rates_that_make_no_sense_are_refused_in_words() {
    let show = Show::of(&[]);
    assert!(show.refusal("rate.time.tip", "0").contains("adds nothing"));
    assert!(show.refusal("rate.time.tip", "-5").contains("takes away"));
    assert!(show.refusal("rate.time.tip", "9999999").contains("2400:00:00"));
    assert!(show.refusal("rate.time.tip", "soon").contains("length of time"));
    assert!(show.refusal("rate.step.tip", "0").contains("at least"));
    assert!(show.refusal("rate.time.nobody", "5").contains("no part"));
    assert!(show.refusal("boosts", "2026-10-24 21:00 to 2026-10-24 20:00 ×2").contains("ends before it begins"));
    assert!(show.refusal("boosts", "2026-10-24 20:00 to 2026-10-24 21:00 ×11").contains("between 0.1 and 10"));
    assert!(show.refusal("breaks", "tomorrow 10:00").contains("2026-11-29 22:00"));
    assert!(show.refusal("breaks", "2026-10-24 22:00 5:00\n2026-10-24 22:00 9:00").contains("twice"));
}

#[test]
fn enormous_rates_and_sizes_stay_within_bounds() {
    let mut show = Show::started(&[("rate.time.tip", "2400:00:00")]);
    for _ in 0..50 {
        show.happens(tip("ade", i64::MAX / 4));
    }
    assert!(show.view().left_ms > 0);
    show.presses("subtract", Some(8_640_000)).unwrap();
    assert_eq!(show.phase(), PhaseWord::Running);
}

#[test]
fn taking_more_than_is_left_takes_what_is_left() {
    let mut show = Show::started(&[("rate.does.cheer", "takes"), ("rate.time.cheer", "1:00:00")]);
    show.wait(600).happens(Happening::Cheer { actor: somebody("ade"), points: 200, message: None });
    assert_eq!(why(&show), [(-3_000, Some(Why::NothingLeft))]);
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Over, "That was it. Thank you!"));
}

#[test]
fn a_limit_below_what_is_on_the_clock_takes_nothing_away() {
    let mut show = Show::started(&[]);
    show.happens(tip("ade", 10_000));
    assert_eq!(show.shown(), "1:50:00");
    show.edits(&[("most", "1:00:00")]);
    show.happens(tip("bea", 1_000));
    assert_eq!((show.shown().as_str(), show.computed().lines[1].why), ("1:50:00", Some(Why::LimitMost)));
    // An hour later there is room again, and what was refused is not given later.
    show.wait(3_600);
    show.happens(tip("bea", 2_000));
    assert_eq!(show.shown(), "1:00:00");
    assert_eq!(why(&show)[2], (600, None));
}

#[test]
fn three_limits_cut_off_what_does_not_fit() {
    let added = |edits: &[(&str, &str)], pause: i64| {
        let mut show = Show::started(edits);
        show.wait(600).press("pause");
        show.wait(pause).press("start");
        show.happens(tip("ade", 100_000));
        why(&show)[0]
    };
    assert_eq!(added(&[("total", "2:00:00")], 0), (3_600, Some(Why::LimitTotal)));
    assert_eq!(added(&[("total", "2:00:00")], 900), (3_600, Some(Why::LimitTotal)));
    assert_eq!(added(&[("total", "2:00:00"), ("total_counts_pauses", "yes")], 900), (2_700, Some(Why::LimitTotal)));
    assert_eq!(added(&[("most", "1:30:00")], 900), (2_400, Some(Why::LimitMost)));
    // 19:00 in London is 18:00 UTC; at 20:30 it is to end at the latest.
    assert_eq!(added(&[("latest", "2026-10-24T20:30")], 900), (900, Some(Why::LimitLatest)));
    assert_eq!(added(&[("latest", "2026-10-24T20:30"), ("most", "1:00:00")], 900), (600, Some(Why::LimitMost)));
}

#[test]
fn two_boosts_at_once_multiply_and_count_by_when_it_happened() {
    let mut show =
        Show::started(&[("boosts", "2026-10-24 19:30 to 2026-10-24 20:00 ×1.5"), ("rate.does.cheer", "takes")]);
    show.happens(tip("ade", 100));
    show.wait(1_700).press("boost");
    show.happens(tip("ade", 100));
    show.wait(300).happens(tip("ade", 100));
    // Takings are not boosted: a boost is no fine.
    show.happens(Happening::Cheer { actor: somebody("bea"), points: 100, message: None });
    // It arrives while both are in force, and happened before either.
    let early = begin() + TimeDelta::seconds(60);
    show.happened(tip("ade", 100), early);
    show.wait(310).happens(tip("ade", 100));
    let seconds: Vec<i64> = why(&show).into_iter().map(|(given, _)| given).collect();
    assert_eq!(seconds, [30, 60, 90, -30, 30, 45]);
    show.press("boost");
    show.press("end_boosts");
    show.happens(tip("ade", 100));
    assert_eq!(why(&show).last().unwrap().0, 45);
    assert_eq!(show.presses("end_boosts", None).unwrap_err().to_string(), "no boost by hand is under way");
}

#[test]
fn changing_a_rate_rewrites_nothing_and_late_arrivals_count_by_the_sheet_of_their_time() {
    let mut show = Show::started(&[]);
    show.happens(tip("ade", 100));
    show.wait(100).edits(&[("rate.time.tip", "60")]);
    show.happens(tip("ade", 100));
    show.happened(tip("late", 100), begin() + TimeDelta::seconds(50));
    show.wait(100).edits(&[("rate.does.tip", "off")]);
    show.happens(tip("ade", 100));
    assert_eq!(why(&show), [(30, None), (60, None), (30, None)]);
}

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
fn start_pressed_at_two_desks_starts_it_once() {
    let mut show = Show::of(&[]);
    show.press("start");
    assert_eq!(show.presses("start", None).unwrap_err().to_string(), "the clock is running already");
    assert_eq!(show.wait(60).shown(), "59:00");
}

#[test]
fn zero_is_over_at_that_instant_unless_grace_revives_it() {
    let mut show = Show::started(&[]);
    show.wait(3_601).happens(tip("ade", 100));
    assert_eq!(why(&show), [(0, Some(Why::TooLate))]);
    assert_eq!(show.phase(), PhaseWord::Over);
    let mut kind = Show::started(&[("grace", "30")]);
    kind.wait(3_620);
    assert_eq!((kind.phase(), kind.shown().as_str()), (PhaseWord::Grace, "0"));
    kind.happens(tip("ade", 200));
    assert_eq!((kind.phase(), kind.shown().as_str()), (PhaseWord::Running, "1:00"));
    kind.wait(91).happens(tip("bea", 200));
    assert_eq!((kind.phase(), why(&kind)[1]), (PhaseWord::Over, (0, Some(Why::TooLate))));
    // What came before the end and was written after it still counts.
    let mut slow = Show::started(&[]);
    slow.wait(3_599);
    let came = slow.now;
    slow.wait(5).settle();
    slow.now = came;
    slow.happens(tip("ade", 200));
    assert_eq!(slow.phase(), PhaseWord::Running);
}

#[test]
fn whoever_may_lets_it_go_on_though_it_was_over() {
    let mut show = Show::started(&[]);
    show.wait(4_000);
    assert!(show.presses("add", Some(60)).unwrap_err().to_string().contains("go on"));
    show.presses("go_on", Some(120)).unwrap();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "2:00"));
    assert_eq!(show.wait(30).shown(), "1:30");
    assert!(show.presses("go_on", None).unwrap_err().to_string().contains("not over"));
}

#[test]
fn a_void_of_the_line_that_gave_the_last_hour_is_asked_about() {
    let mut show = Show::started(&[]);
    let line = show.wait(1_800).happens(tip("ade", 12_000));
    assert_eq!(show.shown(), "1:30:00");
    // The clock would have ended at 19:00, but it was seen running until now.
    show.wait(3_000).corrects(line, &Correcting::Void).unwrap();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::InDoubt, "0"));
    show.wait(60).settle();
    assert_eq!(show.phase(), PhaseWord::InDoubt, "it does not end by itself");
    let mut restored = Show { channel: show.channel.clone(), entries: show.entries.clone(), now: show.now };
    restored.corrects(line, &Correcting::Restore).unwrap();
    assert_eq!((restored.phase(), restored.shown().as_str()), (PhaseWord::Running, "39:00"));
    let mut supported = Show { channel: show.channel.clone(), entries: show.entries.clone(), now: show.now };
    supported.happens(tip("bea", 10_000));
    assert_eq!((supported.phase(), supported.shown().as_str()), (PhaseWord::Running, "30:00"));
    let mut goes_on = Show { channel: show.channel.clone(), entries: show.entries.clone(), now: show.now };
    goes_on.presses("go_on", Some(300)).unwrap();
    assert_eq!((goes_on.phase(), goes_on.shown().as_str()), (PhaseWord::Running, "5:00"));
    show.press("over");
    assert_eq!(show.phase(), PhaseWord::Over);
    show.happens(tip("bea", 10_000));
    assert_eq!(why(&show), [(0, Some(Why::TooLate))]);
}

#[test]
fn an_end_by_a_mistake_that_is_undone_is_as_if_it_had_not_been() {
    let mut show = Show::started(&[("length", "1:00")]);
    let mistake = show.presses("subtract", Some(300)).unwrap();
    show.settle();
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Over, "That was it. Thank you!"));
    // Refused as too late meanwhile.
    show.wait(1).happens(tip("ade", 200));
    assert_eq!(why(&show)[1], (0, Some(Why::TooLate)));
    show.undoes(mistake);
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "1:59"), "59 s, and what counts again");
    // It runs out when it would have, and that is an end like any other.
    show.wait(119).settle();
    assert_eq!(show.phase(), PhaseWord::Over);

    // Undone so late that time has really run out since: somebody says whether it is over, and it stands still until then.
    let mut show = Show::started(&[("length", "1:00")]);
    let mistake = show.presses("subtract", Some(300)).unwrap();
    show.settle();
    show.wait(90).undoes(mistake);
    assert_eq!(show.phase(), PhaseWord::InDoubt);
    show.wait(600).happens(tip("ade", 200));
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Running, "30"), "30 s too many ran, and no more");
    // Another length after the end starts nothing.
    let mut show = Show::started(&[("length", "1:00")]);
    show.wait(61).settle();
    show.edits(&[("length", "4:00:00")]);
    assert_eq!(show.wait(5).phase(), PhaseWord::Over);
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
fn additions_and_takings_are_summed_each_by_itself() {
    let mut show = Show::started(&[]);
    show.happens(tip("ade", 200));
    show.presses("subtract", Some(30)).unwrap();
    show.presses("add", Some(100)).unwrap();
    let view = show.view();
    assert_eq!((view.added_ms, view.taken_ms), (160_000, 30_000));
}

#[test]
fn a_renewal_of_which_nothing_was_said_adds_as_a_new_one_and_says_so() {
    let mut show = Show::started(&[("rate.does.sub1", "adds")]);
    let renewal = || Happening::Sub {
        actor: super::somebody("ade"),
        tier: 1.try_into().unwrap(),
        months: Some(7),
        message: None,
        gifted_by: None,
    };
    let says = |show: &Show| {
        let table = show.piece().rate_table(&show.channel.scope(show.now)).unwrap();
        let row = table.rows.into_iter().find(|row| row.each == "renewal, tier 1").unwrap();
        tally_core::sentence::plain(&row.parts)
    };
    show.happens(renewal());
    assert_eq!((why(&show), says(&show).as_str()), (vec![(120, None)], "as a new subscription"));
    show.edits(&[("rate.does.renewal1", "off")]);
    show.happens(renewal());
    assert_eq!((why(&show).len(), says(&show).as_str()), (1, "adds nothing"));
    show.edits(&[("rate.does.renewal1", "new")]);
    show.happens(renewal());
    assert_eq!((why(&show).len(), says(&show).as_str()), (2, "as a new subscription"));
}

#[test]
fn voiding_takes_the_rest_kept_for_a_supporter_too() {
    let mut show = Show::started(&[("rate.step.tip", "5"), ("rate.rounding.tip", "steps_carried")]);
    let first = show.happens(tip("ade", 300));
    show.happens(tip("ade", 300));
    show.happens(tip("bea", 400));
    assert_eq!(why(&show), [(0, None), (30, None), (0, None)]);
    show.corrects(first, &Correcting::Void).unwrap();
    assert_eq!(why(&show), [(0, None), (0, None)]);
    show.corrects(first, &Correcting::Restore).unwrap();
    assert_eq!(why(&show), [(0, None), (30, None), (0, None)]);
    let amend = Correcting::Amend {
        name: "bea".into(),
        amount: "9".into(),
        currency: String::new(),
        tier: String::new(),
        number: String::new(),
        kind: String::new(),
    };
    show.corrects(first, &amend).unwrap();
    assert_eq!(why(&show), [(30, None), (0, None), (30, None)]);
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

#[test]
fn undo_takes_back_what_hands_did_and_not_what_the_clock_did() {
    let mut show = Show::started(&[("breaks", "2026-10-24 19:10 5:00")]);
    show.presses("add", Some(60)).unwrap();
    show.wait(700).settle();
    assert_eq!(show.phase(), PhaseWord::Break);
    show.press("undo");
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Break, "50:00"), "the minute is gone, not the break");
    show.press("undo");
    assert_eq!(show.phase(), PhaseWord::Ready);
    assert_eq!(show.presses("undo", None).unwrap_err().to_string(), "there is nothing to take back");
}

#[test]
fn a_reset_begins_anew_and_its_undo_brings_everything_back() {
    let mut show = Show::started(&[]);
    show.happens(tip("ade", 1_000));
    show.wait(60);
    let before = show.shown();
    show.press("reset");
    assert_eq!((show.phase(), show.shown().as_str()), (PhaseWord::Ready, "1:00:00"));
    show.press("undo");
    assert_eq!((show.phase(), show.shown()), (PhaseWord::Running, before));
}

#[test]
fn a_boost_taken_back_takes_back_what_came_by_it_and_one_ended_does_not() {
    let mut show = Show::started(&[]);
    show.press("boost");
    show.happens(tip("ade", 100));
    show.press("end_boosts");
    assert_eq!(show.shown(), "1:01:00");
    show.press("undo");
    show.press("undo");
    assert_eq!(show.shown(), "1:00:30");
}

#[test]
fn the_slip_adds_up_and_tells_what_was_refused() {
    let mut show = Show::started(&[("most", "1:10:00")]);
    show.press("boost");
    show.happens(tip("ade", 1_000));
    show.happens(tip("bea", 1_000));
    show.wait(60);
    let slip = show.piece().explain(&show.channel.scope(show.now));
    let terms: Vec<String> = slip.terms.iter().map(|(words, figure)| format!("{words} {figure}")).collect();
    assert_eq!(
        terms,
        [
            "Start length 1:00:00",
            "By each tip +10:00",
            "Run down so far −1:00",
            "Not added, by limits or too late (not in the sum) +10:00",
            "Without the newest boost, ×2, there would be 1:09:00"
        ]
    );
    assert_eq!(slip.shown, "1:09:00");
    let line = |place: usize| format!("{:?}", slip.lines[place].effect);
    assert!(line(0).contains("not added: +10:00 over the most on the clock"), "{}", line(0));
    assert!(line(1).contains("+10:00 (×2)"), "{}", line(1));
}

#[test]
fn a_forecast_tells_three_ends_and_is_silent_where_it_cannot_tell() {
    let mut show = Show::started(&[("total", "6:00:00"), ("breaks", "2026-10-24 19:50 10:00")]);
    let forecast = show.view().forecast.unwrap();
    assert_eq!(forecast.at_rest, begin() + TimeDelta::minutes(70), "the break lies before the end");
    assert_eq!((forecast.as_last_hour, forecast.never), (None, false));
    assert_eq!(forecast.latest, Some(begin() + TimeDelta::minutes(370)));
    for name in ["ade", "bea", "cat"] {
        show.wait(600).happens(tip(name, 1_000));
    }
    // Half of what passes comes in: twice what is left.
    let forecast = show.view().forecast.unwrap();
    assert_eq!(show.shown(), "45:00");
    assert_eq!(forecast.as_last_hour, Some(show.now + TimeDelta::minutes(100)));
    show.happens(tip("dot", 10_000));
    let forecast = show.view().forecast.unwrap();
    assert_eq!((forecast.never, forecast.as_last_hour), (true, forecast.latest));
}

#[test]
fn a_sheet_says_what_is_fair() {
    let show = Show::of(&[("rate.worth.sub1", "4"), ("rate.worth.points", "1"), ("rate.worth.sub3", "20")]);
    let table = show.piece().rate_table(&show.channel.scope(show.now)).unwrap();
    let row = |each: &str| table.rows.iter().find(|row| row.each == each).unwrap();
    let fair = |each: &str| row(each).fair.clone().map(|fair| (fair.words, fair.even));
    assert_eq!(fair("tip"), Some(("30 s per £1".into(), None)));
    assert_eq!(fair("new subscription, tier 1"), Some(("30 s per £1".into(), None)));
    assert_eq!(fair("cheer"), Some(("30 s per £1".into(), None)));
    assert_eq!(fair("new subscription, tier 2"), None, "nobody has said what it is worth");
    assert_eq!(fair("new subscription, tier 3"), Some(("30 s per £1".into(), None)));
    let generous = Show::of(&[("rate.worth.sub1", "2.50")]);
    let table = generous.piece().rate_table(&generous.channel.scope(generous.now)).unwrap();
    let sub = table.rows.iter().find(|row| row.each == "new subscription, tier 1").unwrap().fair.clone().unwrap();
    assert_eq!((sub.words.as_str(), sub.permille), ("48 s per £1", 800));
    assert_eq!(sub.even.as_deref(), Some("60 % more than a tip; 1:15 would be even"));
}
