//! Subathon clocks by example: each case has one right answer.

use super::{PhaseWord, Show, begin, somebody, tip, why};
use chrono::TimeDelta;
use tally_core::record::happening::{Happening, Tier};
use tally_core::widgets::subathon::Why;

fn gift(name: &str, count: u32) -> Happening {
    Happening::Gift { actor: somebody(name), tier: Tier::default(), count }
}

fn sub(name: &str, tier: u8, months: Option<u32>, giver: Option<&str>) -> Happening {
    let tier = Tier::try_from(tier).unwrap();
    Happening::Sub { actor: somebody(name), tier, months, message: None, gifted_by: giver.map(somebody) }
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
