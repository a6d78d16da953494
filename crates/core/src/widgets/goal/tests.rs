use super::*;
use crate::channel::Channel;
use crate::count::explain::Effect;
use crate::fixtures::{World, entry, settings};
use crate::money::{Currency, Money};
use crate::record::entry::{Body, Change};
use crate::record::happening::{Actor, Happening, Tier};
use crate::record::ids::WidgetId;
use crate::widgets::Definition;
use proptest::prelude::*;

fn at(text: &str) -> Instant {
    text.parse().unwrap()
}

fn actor() -> Actor {
    Actor { id: None, name: "pinecone_ade".into(), avatar: None, anonymous: false }
}

fn tip(seq: u64, when: &str, minor: i64, currency: &str) -> Entry {
    let amount = Money { minor, currency: Currency::parse(currency).unwrap() };
    entry(seq, at(when), Body::Happening(Happening::Tip { actor: actor(), amount, message: None }))
}

fn void(seq: u64, line: &Entry) -> Entry {
    let (target, happened_at) = (line.seq, line.happened_at);
    let (about, by) = (line.body.words(), "odile".into());
    let body = Body::Correct { target, happened_at, about, by, reason: None, change: Change::Void };
    entry(seq, at("2026-11-24T18:00:00Z"), body)
}

fn goal() -> Goal {
    let standard = Aim::standard(&settings());
    Goal::of(Aim { target: 35_000, start: 2_000, title: "Turntable motor".into(), ..standard })
}

fn edited(goal: &Goal, edits: &[(&str, &str)]) -> Goal {
    let (world, mut goal) = (World::new(), goal.clone());
    for (key, text) in edits {
        goal.edit(key, text, &world.scope(at("2026-11-24T19:00:00Z"))).unwrap();
    }
    goal
}

fn channel(goal: &Goal, entries: &[Entry]) -> Channel {
    let mut channel = Channel::new(settings(), [(WidgetId(1), Definition::Goal(goal.clone()).unfolded())]);
    for entry in entries {
        channel.apply(entry);
    }
    channel
}

fn hundred(then: Then) -> Aim {
    Aim { target: 10_000, then, ..Aim::standard(&settings()) }
}

#[test]
fn targets_are_raised_multiplied_and_climbed_by_the_value_alone() {
    let rung = |name: &str, target| Rung { name: name.into(), target };
    let ladder = Then::Rungs(vec![rung("Boiler", 10_000), rung("Tender", 25_000), rung("Whistle", 40_000)]);
    for (then, value, target, level) in [
        (Then::CountPast, 9_999, 10_000, 0),
        (Then::CountPast, 50_000, 10_000, 1),
        (Then::RaiseBy(5_000), 9_999, 10_000, 0),
        (Then::RaiseBy(5_000), 10_000, 15_000, 1),
        (Then::RaiseBy(5_000), 14_999, 15_000, 1),
        (Then::RaiseBy(5_000), 26_000, 30_000, 4),
        (Then::RaiseTimes(150), 10_000, 15_000, 1),
        (Then::RaiseTimes(150), 22_500, 33_750, 3),
        (ladder.clone(), -5, 10_000, 0),
        (ladder.clone(), 10_000, 25_000, 1),
        (ladder.clone(), 39_999, 40_000, 2),
        (ladder, 99_999, 40_000, 3),
    ] {
        assert_eq!(hundred(then.clone()).target_at(value), (target, level), "{then:?} {value}");
    }
}

#[test]
fn one_that_stays_full_shows_no_more_than_its_target() {
    let tips = [tip(1, "2026-11-10T12:00:00Z", 40_000, "GBP")];
    let full = edited(&goal(), &[("then", "full")]);
    assert_eq!(shown(&full, &tips, "2026-11-24T19:00:00Z").text(), "£350 of £350 (100%)");
    let channel = channel(&full, &tips);
    let slip = channel.widget(WidgetId(1)).unwrap().explain(&channel.scope(at("2026-11-24T19:00:00Z")));
    assert_eq!(slip.terms.last(), Some(&("Beyond the target, where it stays full".to_owned(), "-£70".to_owned())));
    assert_eq!(slip.shown, "£350");
}

#[test]
fn ladders_are_typed_line_by_line_and_must_rise() {
    let ladder = edited(&goal(), &[("then", "rungs"), ("rungs", "Boiler: 100\n\nNew: tender: £250.50\n")]);
    let view = shown(&ladder, &[tip(1, "2026-11-10T12:00:00Z", 15_525, "GBP")], "2026-11-24T19:00:00Z");
    let rungs: Vec<_> =
        view.rungs.iter().map(|rung| (rung.name.as_str(), rung.target.as_str(), rung.reached)).collect();
    assert_eq!(rungs, [("Boiler", "£100", true), ("New: tender", "£250.50", false)]);
    assert!((view.rungs[1].share - 0.5).abs() < 0.001, "half of the way from the first to the second");
    let (world, mut goal) = (World::new(), ladder.clone());
    for (text, why) in [
        ("Boiler", "need a name, a colon and a target"),
        ("Boiler: much", "is not a plain decimal number"),
        ("A: 5\nB: 5", "must rise: “B” must lie above “A”"),
        ("", "must be between 1 and 12"),
        (": 5", "have a name that"),
    ] {
        let error = goal.edit("rungs", text, &world.scope(at("2026-11-24T19:00:00Z"))).unwrap_err().to_string();
        assert!(error.contains(why), "{text}: {error}");
    }
    assert_eq!(goal, ladder, "nothing is half changed");
}

#[test]
fn several_goals_share_a_widget() {
    let edits = [
        ("more", "add"),
        ("2.title", "Helpers"),
        ("2.measure", "count_of_tips"),
        ("2.target", "4"),
        ("arrange", "beside"),
    ];
    let both = edited(&goal(), &edits);
    let tips = [tip(1, "2026-11-10T12:00:00Z", 1_500, "GBP")];
    let text = channel(&both, &tips).view(WidgetId(1), at("2026-11-24T19:00:00Z")).unwrap().text();
    assert_eq!(text, "Turntable motor: £35 of £350 (10%), Helpers: 1 of 4 (25%)");
    let sentence = crate::sentence::plain(&both.sentence(&World::new().scope(at("2026-11-24T19:00:00Z"))));
    assert!(sentence.contains("Helpers counts the number of tips as they come"), "{sentence}");
    assert_eq!(edited(&both, &[("2.more", "drop"), ("arrange", "stacked")]), goal());
    let mut four = edited(&both, &[("more", "add"), ("more", "add")]);
    assert!(four.edit("more", "add", &World::new().scope(at("2026-11-24T19:00:00Z"))).is_err(), "four are enough");
    assert!(four.edit("5.title", "x", &World::new().scope(at("2026-11-24T19:00:00Z"))).is_err());
}

#[test]
fn the_pace_is_told_after_three_entries_and_ten_minutes() {
    let tip_at = |seq: u64, minute: i64| {
        let when = at("2026-11-24T18:00:00Z") + chrono::TimeDelta::minutes(minute);
        tip(seq, &when.to_rfc3339(), 1_000, "GBP")
    };
    let until =
        edited(&goal(), &[("start", "0"), ("target", "100"), ("until", "2026-11-24T22:00"), ("beside", "pace")]);
    let pace_of = |entries: &[Entry], now: &str| {
        let channel = channel(&until, entries);
        let count = until.first.count(&State::default(), channel.settings());
        super::pace::pace(&until.first, &count, &channel.scope(at(now)))
    };
    let tips: Vec<Entry> = (0..3).map(|number| tip_at(u64::try_from(number).unwrap() + 1, number * 30)).collect();
    assert_eq!(pace_of(&tips[..2], "2026-11-24T20:00:00Z"), None, "two entries");
    let soon: Vec<Entry> = (1..=3).map(|seq| tip_at(seq, 0)).collect();
    assert_eq!(pace_of(&soon, "2026-11-24T18:09:00Z"), None, "nine minutes");
    // £30 in two hours; £70 to go in two more.
    let pace = pace_of(&tips, "2026-11-24T20:00:00Z").unwrap();
    let expected = Pace {
        needed: Some(3_500),
        last_hour: 1_000,
        since_start: 1_500,
        at_end: Some(6_000),
        reached_at: Some(at("2026-11-25T00:40:00Z")),
    };
    assert_eq!(pace, expected);
    assert_eq!(shown(&until, &tips, "2026-11-24T20:00:00Z").beside, "£35 an hour");
    assert_eq!(shown(&until, &tips[..1], "2026-11-24T20:00:00Z").beside, "£90 to go");
}

#[test]
fn targets_are_suggested_from_earlier_months() {
    let tips: Vec<Entry> = (1..)
        .zip([("07", 9_000), ("08", 30_000), ("09", 21_700), ("10", 50_100), ("11", 99_999)])
        .map(|(seq, (month, minor))| tip(seq, &format!("2026-{month}-15T12:00:00Z"), minor, "GBP"))
        .collect();
    let hints = |entries: &[Entry]| -> Vec<String> {
        let channel = channel(&goal(), entries);
        let hints = channel.widget(WidgetId(1)).unwrap().hints(&channel.scope(at("2026-11-24T19:00:00Z")));
        hints.into_iter().map(|hint| hint.words).collect()
    };
    // July began before the record did, so only three months are whole.
    let expected = ["£300: reached in 2 of your last 3", "£500: reached in 1 of your last 3"];
    assert_eq!(hints(&tips), expected);
    assert_eq!(hints(&tips[2..]), Vec::<String>::new(), "one whole month says nothing");
}

#[test]
fn suggestions_are_rounded_to_two_digits() {
    for (value, rounded) in [(3, 3), (14, 14), (143, 140), (347, 340), (351, 360), (874, 850), (88_888, 90_000), (0, 1)]
    {
        assert_eq!(crate::money::conversion::rounded(value), rounded, "{value}");
    }
}

#[test]
fn a_goal_is_celebrated_once_and_again_only_after_a_minute_or_when_armed() {
    let now = at("2026-11-24T19:00:00Z");
    let view = |level: u32, armed: usize| {
        let aim = AimView { level, armed, ..shown(&goal(), &[], "2026-11-24T19:00:00Z") };
        GoalView { first: aim, more: Vec::new(), arrange: Arrange::default() }
    };
    let second = chrono::TimeDelta::seconds;
    let mut watch = Watch::default();
    assert_eq!(watch.look(&view(1, 0), now), None, "it was reached before anybody looked");
    let mut watch = Watch::default();
    watch.note(&view(0, 0));
    let mut look = |level, armed, after| watch.look(&view(level, armed), now + second(after)).is_some();
    assert!(look(1, 0, 1), "reached");
    assert!(!look(1, 0, 2), "fires once");
    assert!(!look(0, 0, 3), "a correction opens it");
    assert!(!look(1, 0, 30), "reached again within a minute");
    look(0, 0, 40);
    assert!(look(1, 1, 41), "armed again by hand");
    look(0, 1, 50);
    assert!(look(1, 1, 110), "a minute later");
    assert!(look(2, 1, 111), "the next rung is another matter");
}

fn shown(goal: &Goal, entries: &[Entry], now: &str) -> AimView {
    let Some(View::Goal(view)) = channel(goal, entries).view(WidgetId(1), at(now)) else {
        panic!("a goal shows a goal")
    };
    view.first
}

#[test]
fn value_is_the_starting_amount_and_the_measure_over_the_period() {
    let entries = [
        tip(1, "2026-10-31T12:00:00Z", 99_900, "GBP"),
        tip(2, "2026-11-01T04:59:59Z", 10_000, "GBP"),
        tip(3, "2026-11-01T05:00:00Z", 1_250, "GBP"),
        tip(4, "2026-11-20T10:00:00Z", 500, "EUR"),
        tip(5, "2026-11-20T11:00:00Z", 18_000, "GBP"),
    ];
    let view = shown(&goal(), &entries, "2026-11-24T19:00:00Z");
    assert_eq!(view.text(), "£212.50 of £350 (60%)");
    assert_eq!((view.reached, view.outcome), (false, None));
    assert_eq!(view.last_counted_at, Some(at("2026-11-20T11:00:00Z")));
    assert_eq!(shown(&goal(), &entries, "2026-12-01T05:00:00Z").text(), "£20 of £350 (5%)");
    assert_eq!(shown(&goal(), &entries, "2026-12-01T04:59:59Z").text(), "£212.50 of £350 (60%)");
}

#[test]
fn a_late_arrival_lands_in_the_month_in_which_it_happened() {
    let entries = [tip(1, "2026-12-02T12:00:00Z", 500, "GBP"), tip(2, "2026-11-30T12:00:00Z", 700, "GBP")];
    assert_eq!(shown(&goal(), &entries, "2026-11-30T13:00:00Z").value, "£27");
    assert_eq!(shown(&goal(), &entries, "2026-12-02T13:00:00Z").value, "£25");
}

#[test]
fn it_is_reached_at_the_target_and_open_again_when_a_correction_takes_it_below() {
    let entries = [
        tip(1, "2026-11-10T12:00:00Z", 32_999, "GBP"),
        tip(2, "2026-11-11T12:00:00Z", 1, "GBP"),
        tip(3, "2026-11-12T12:00:00Z", 5_000, "GBP"),
    ];
    let now = "2026-11-24T19:00:00Z";
    let just_below = shown(&goal(), &entries[..1], now);
    assert_eq!((just_below.percent, just_below.reached), (99, false));
    assert!(just_below.share < 1.0);
    let reached = shown(&goal(), &entries[..2], now);
    assert_eq!((reached.percent, reached.reached), (100, true));
    assert_eq!(shown(&goal(), &entries, now).percent, 114);
    let open = shown(&goal(), &[&entries[..2], &[void(3, &entries[0])]].concat(), now);
    assert_eq!((open.value.as_str(), open.reached), ("£20.01", false));
}

#[test]
fn after_its_end_it_is_closed_and_met_or_missed() {
    let goal = edited(&goal(), &[("until", "2026-11-20T20:00")]);
    let before = tip(1, "2026-11-20T19:59:59Z", 1_000, "GBP");
    let after = tip(2, "2026-11-20T20:00:00Z", 90_000, "GBP");
    let view = shown(&goal, &[before.clone(), after.clone()], "2026-11-20T20:00:00Z");
    assert_eq!((view.value.as_str(), view.outcome), ("£30", Some(Outcome::Missed)));
    let later = shown(&goal, &[before.clone(), after], "2027-03-01T20:00:00Z");
    assert_eq!((later.value.as_str(), later.outcome), ("£30", Some(Outcome::Missed)), "it keeps its last month");
    let goal = edited(&goal, &[("target", "30")]);
    assert_eq!(shown(&goal, &[before], "2026-11-21T00:00:00Z").outcome, Some(Outcome::Met));
}

#[test]
fn it_wakes_when_its_period_turns_its_end_comes_or_an_entry_leaves() {
    let wakes = |edits: &[(&str, &str)], now: &str| {
        let tips = [tip(1, "2026-11-24T10:00:00Z", 500, "GBP")];
        channel(&edited(&goal(), edits), &tips).wakes_at(WidgetId(1), at(now))
    };
    let now = "2026-11-24T19:00:00Z";
    assert_eq!(wakes(&[], now), Some(at("2026-12-01T05:00:00Z")));
    assert_eq!(wakes(&[("period", "today")], now), Some(at("2026-11-25T05:00:00Z")));
    let until = [("period", "today"), ("until", "2026-11-24T20:00")];
    assert_eq!(wakes(&until, now), Some(at("2026-11-24T20:00:00Z")));
    assert_eq!(wakes(&until, "2026-11-24T20:00:00Z"), None);
    assert_eq!(wakes(&[("period", "all_time")], now), None);
    let rolling = [("period", "last_hours"), ("length", "12")];
    assert_eq!(wakes(&rolling, now), Some(at("2026-11-24T22:00:00.000001Z")));
}

#[test]
fn subscribers_weigh_by_tier_and_a_gift_counts_once() {
    let weight = edited(&goal(), &[("measure", "subscriber_weight")]);
    assert_eq!((weight.first.target, weight.first.start), (350, 20), "the numerals stay when the unit changes");
    let sub = |seq, tier: u8, gifted: bool| {
        let gifted_by = gifted.then(actor);
        let tier = Tier::try_from(tier).unwrap();
        entry(
            seq,
            at("2026-11-10T12:00:00Z"),
            Body::Happening(Happening::Sub { actor: actor(), tier, months: None, message: None, gifted_by }),
        )
    };
    let entries = [sub(1, 1, false), sub(2, 2, true), sub(3, 3, false), tip(4, "2026-11-10T12:00:00Z", 900, "GBP")];
    assert_eq!(shown(&weight, &entries, "2026-11-24T19:00:00Z").text(), "28 of 350 (8%)");
    let follows = edited(&weight, &[("measure", "count_of_follows")]);
    let follow = entry(5, at("2026-11-11T12:00:00Z"), Body::Happening(Happening::Follow { actor: actor() }));
    assert_eq!(shown(&follows, &[follow], "2026-11-24T19:00:00Z").value, "21");
}

#[test]
fn since_its_reset_only_and_the_reset_can_be_taken_back() {
    let goal = edited(&goal(), &[("period", "since_reset")]);
    let reset = |seq, when| {
        entry(seq, at(when), Body::Act { widget: WidgetId(1), by: "odile".into(), act: Act::Goal(GoalAct::Reset) })
    };
    let (early, late) = (tip(1, "2026-11-10T12:00:00Z", 500, "GBP"), tip(3, "2026-11-12T12:00:00Z", 700, "GBP"));
    let mut entries = vec![early, reset(2, "2026-11-11T12:00:00Z"), late];
    let now = "2026-11-24T19:00:00Z";
    assert_eq!(shown(&goal, &entries, now).value, "£27");
    let channel = channel(&goal, &entries);
    assert_eq!(channel.widget(WidgetId(1)).unwrap().levers(&channel.scope(at(now))).len(), 3);
    entries.push(entry(4, at(now), Body::Void { widget: WidgetId(1), by: "odile".into(), target: Seq(2) }));
    assert_eq!(shown(&goal, &entries, now).value, "£32");
}

#[test]
fn edits_that_make_no_sense_are_refused_and_change_nothing() {
    let (before, world) = (goal(), World::new());
    let cases = [
        ("target", "0"),
        ("target", "-5"),
        ("target", "3.505"),
        ("target", "ten"),
        ("target", "99999999999999999999999999"),
        ("period", "fortnight"),
        ("measure", ""),
        ("title", "  "),
        ("title", "a\u{202e}b"),
        ("until", "soon"),
        ("colour", "red"),
    ];
    for (key, text) in cases {
        let mut goal = before.clone();
        assert!(goal.edit(key, text, &world.scope(at("2026-11-24T19:00:00Z"))).is_err(), "{key} {text}");
        assert_eq!(goal, before, "{key} {text}");
    }
}

#[test]
fn the_sentence_reads_as_one() {
    let goal = edited(&goal(), &[("until", "2026-11-29T20:00")]);
    assert_eq!(
        crate::sentence::plain(&goal.sentence(&World::new().scope(at("2026-11-24T19:00:00Z")))),
        "Turntable motor counts tips as they come, from this month towards £350, starting at £20, until 29 Nov 2026, 20:00; when it \
         is reached, it counts past; beside the value stands the percentage; one goal alone"
    );
}

#[test]
fn the_slip_adds_up_and_names_what_was_left_out() {
    let entries = [
        tip(1, "2026-10-01T12:00:00Z", 700, "GBP"),
        tip(2, "2026-11-02T12:00:00Z", 500, "EUR"),
        tip(3, "2026-11-03T12:00:00Z", 1_250, "GBP"),
        tip(4, "2026-11-04T12:00:00Z", 9_900, "GBP"),
    ];
    let minus = Happening::Adjust {
        measure: Measure::AmountOfTips,
        number: 0,
        amount: Some(Money { minor: -250, currency: settings().currency }),
        message: Some("fees".into()),
    };
    let adjusted = entry(6, at("2026-11-05T12:00:00Z"), Body::Happening(minus));
    let all = [&entries[..], &[void(5, &entries[3]), adjusted]].concat();
    let channel = channel(&goal(), &all);
    let now = at("2026-11-24T19:00:00Z");
    let slip = channel.widget(WidgetId(1)).unwrap().explain(&channel.scope(now));
    assert_eq!(slip.shown, "£30");
    let terms: Vec<_> = slip.terms.iter().map(|(what, figure)| format!("{what}: {figure}")).collect();
    assert_eq!(
        terms,
        [
            "Starting amount: £20",
            "Counted, from 2 lines: £111.50",
            "Taken out by corrections, 1 line: -£99",
            "Adjusted by hand, 1 line: -£2.50",
            "Not priced yet, 1 line: £0",
        ]
    );
    let effects: Vec<_> = slip.lines.iter().map(|line| (line.seq.0, line.effect.clone())).collect();
    let left_out = |why: &str| Effect::LeftOut(why.into());
    assert_eq!(
        effects,
        [
            (6, Effect::Counts("-£2.50".into())),
            (4, left_out("voided")),
            (3, Effect::Counts("+£12.50".into())),
            (2, left_out("not priced yet")),
            (1, left_out("before the period")),
        ]
    );
    assert!(slip.span.contains("1 Nov, 05:00"), "{}", slip.span);
}

proptest! {
    #[test]
    fn the_percentage_is_never_100_below_the_target(value in any::<i64>(), target in 1_i64..) {
        let percent = floored_percent(value, target);
        prop_assert_eq!(percent >= 100, value >= target);
        prop_assert!(percent >= 0);
    }

    #[test]
    fn a_bar_is_full_only_when_the_target_is_reached(minor in 1_i64..80_000) {
        let view = shown(&goal(), &[tip(1, "2026-11-10T12:00:00Z", minor, "GBP")], "2026-11-24T19:00:00Z");
        prop_assert_eq!(view.share >= 1.0, view.reached);
        prop_assert_eq!(view.reached, minor + 2_000 >= 35_000);
    }
}

proptest! {
    #[test]
    fn a_target_lies_ahead_until_the_last_is_reached(value in -1_000_000_i64..1_000_000_000, step in 1_i64..100_000, factor in 101_i64..1_000) {
        for then in [Then::RaiseBy(step), Then::RaiseTimes(factor)] {
            let (target, level) = hundred(then).target_at(value);
            prop_assert!(target > value || level == 10_000);
            prop_assert_eq!(level > 0, value >= 10_000);
        }
    }

    #[test]
    fn a_higher_value_never_lowers_target_or_level(one in 0_i64..10_000_000, more in 0_i64..10_000_000, step in 1_i64..100_000) {
        let rungs = vec![Rung { name: "a".into(), target: step }, Rung { name: "b".into(), target: step * 3 }];
        for then in [Then::CountPast, Then::StayFull, Then::RaiseBy(step), Then::RaiseTimes(130), Then::Rungs(rungs)] {
            let (low, high) = (hundred(then.clone()).target_at(one), hundred(then).target_at(one + more));
            prop_assert!(low.0 <= high.0 && low.1 <= high.1);
        }
    }
}
