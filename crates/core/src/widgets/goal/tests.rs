use super::*;
use crate::entry::Body;
use crate::fixtures::{entry, settings};
use crate::happening::{Actor, Happening, Tier};
use crate::money::{Currency, Money};
use chrono::TimeDelta;
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
    let Body::Happening(happening) = line.body.clone() else { panic!("only happenings are voided") };
    let (target, happened_at) = (line.seq, line.happened_at);
    let body = Body::Correct { target, by: "odile".into(), reason: None, happened_at, happening, counts: false };
    entry(seq, at("2026-11-24T18:00:00Z"), body)
}

#[test]
fn a_correction_that_takes_it_back_below_opens_it_again() {
    let entries = [tip(1, "2026-11-10T12:00:00Z", 30_000, "GBP"), tip(2, "2026-11-11T12:00:00Z", 5_000, "GBP")];
    let now = "2026-11-24T19:00:00Z";
    let mut all = entries.to_vec();
    assert!(shown(&goal(), &all, now).reached_at.is_some());
    all.push(void(3, &entries[0]));
    let open = shown(&goal(), &all, now);
    assert_eq!((open.value.as_str(), open.reached, open.reached_at), ("£70", false, None));
}

fn goal() -> Goal {
    Goal { target: 35_000, start: 2_000, title: "Turntable motor".into(), ..Goal::standard(&settings()) }
}

fn shown(goal: &Goal, entries: &[Entry], now: &str) -> GoalView {
    let mut state = State::default();
    for entry in entries {
        goal.apply(&mut state, entry, &settings());
    }
    let View::Goal(view) = goal.view(&state, &settings(), at(now)) else { panic!("a goal shows a goal") };
    view
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
    assert_eq!(view.text(), "£212.50 of £350 (60 %)");
    assert_eq!((view.reached, view.outcome), (false, None));
    assert_eq!(view.last_counted_at, Some(at("2026-11-20T11:00:00Z")));
    assert_eq!(shown(&goal(), &entries, "2026-12-01T05:00:00Z").text(), "£20 of £350 (5 %)");
    assert_eq!(shown(&goal(), &entries, "2026-12-01T04:59:59Z").text(), "£212.50 of £350 (60 %)");
}

#[test]
fn a_late_arrival_lands_in_the_month_in_which_it_happened() {
    let entries = [tip(1, "2026-12-02T12:00:00Z", 500, "GBP"), tip(2, "2026-11-30T12:00:00Z", 700, "GBP")];
    assert_eq!(shown(&goal(), &entries, "2026-11-30T13:00:00Z").value, "£27");
    assert_eq!(shown(&goal(), &entries, "2026-12-02T13:00:00Z").value, "£25");
}

#[test]
fn the_first_entry_that_brings_it_there_reached_it() {
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
    assert_eq!((reached.percent, reached.reached_at), (100, Some(at("2026-11-11T12:00:00Z"))));
    let beyond = shown(&goal(), &entries, now);
    assert_eq!((beyond.percent, beyond.reached_at), (114, reached.reached_at));
}

#[test]
fn after_its_end_it_is_closed_and_met_or_missed() {
    let mut goal = goal();
    goal.edit("until", "2026-11-20T20:00", &settings()).unwrap();
    let before = tip(1, "2026-11-20T19:59:59Z", 1_000, "GBP");
    let after = tip(2, "2026-11-20T20:00:00Z", 90_000, "GBP");
    let view = shown(&goal, &[before.clone(), after.clone()], "2026-11-20T20:00:00Z");
    assert_eq!((view.value.as_str(), view.outcome), ("£30", Some(Outcome::Missed)));
    let later = shown(&goal, &[before.clone(), after], "2027-03-01T20:00:00Z");
    assert_eq!((later.value.as_str(), later.outcome), ("£30", Some(Outcome::Missed)), "it keeps its last month");
    goal.edit("target", "30", &settings()).unwrap();
    assert_eq!(shown(&goal, &[before], "2026-11-21T00:00:00Z").outcome, Some(Outcome::Met));
}

#[test]
fn it_wakes_when_its_period_turns_or_its_end_comes() {
    let (mut goal, state) = (goal(), State::default());
    let now = at("2026-11-24T19:00:00Z");
    assert_eq!(goal.wakes_at(&state, &settings(), now), Some(at("2026-12-01T05:00:00Z")));
    goal.edit("period", "today", &settings()).unwrap();
    assert_eq!(goal.wakes_at(&state, &settings(), now), Some(at("2026-11-25T05:00:00Z")));
    goal.edit("until", "2026-11-24T20:00", &settings()).unwrap();
    assert_eq!(goal.wakes_at(&state, &settings(), now), Some(at("2026-11-24T20:00:00Z")));
    assert_eq!(goal.wakes_at(&state, &settings(), at("2026-11-24T20:00:00Z")), None);
    goal.edit("until", "", &settings()).unwrap();
    goal.edit("period", "all_time", &settings()).unwrap();
    assert_eq!(goal.wakes_at(&state, &settings(), now), None);
}

#[test]
fn subscribers_weigh_by_tier_and_a_gift_counts_once() {
    let mut goal = goal();
    goal.edit("measure", "subscriber_weight", &settings()).unwrap();
    assert_eq!((goal.target, goal.start), (350, 20), "the numerals stay when the unit changes");
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
    assert_eq!(shown(&goal, &entries, "2026-11-24T19:00:00Z").text(), "28 of 350 (8 %)");
    goal.edit("measure", "count_of_follows", &settings()).unwrap();
    let follow = entry(5, at("2026-11-11T12:00:00Z"), Body::Happening(Happening::Follow { actor: actor() }));
    assert_eq!(shown(&goal, &[follow], "2026-11-24T19:00:00Z").value, "21");
}

#[test]
fn edits_that_make_no_sense_are_refused_and_change_nothing() {
    let before = goal();
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
        assert!(goal.edit(key, text, &settings()).is_err(), "{key} {text}");
        assert_eq!(goal, before, "{key} {text}");
    }
}

#[test]
fn the_sentence_reads_as_one() {
    let mut goal = goal();
    goal.edit("until", "2026-11-29T20:00", &settings()).unwrap();
    assert_eq!(
        crate::sentence::plain(&goal.sentence(&settings())),
        "Turntable motor counts tips from this month towards £350, starting at £20, until 29 Nov 2026, 20:00"
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
    let voided = void(5, &entries[3]);
    let (goal, mut state) = (goal(), State::default());
    for entry in entries.iter().chain([&voided]) {
        goal.apply(&mut state, entry, &settings());
    }
    let newest: Vec<Entry> = entries.iter().rev().cloned().collect();
    let slip = goal.explain(
        &state,
        Evidence { entries: &newest, voided: &[Seq(4)].into() },
        &settings(),
        at("2026-11-24T19:00:00Z"),
    );
    assert_eq!(slip.shown, "£32.50");
    let terms: Vec<_> = slip.terms.iter().map(|(what, figure)| format!("{what}: {figure}")).collect();
    assert_eq!(terms, ["Starting amount: £20", "Counted, from 1 line: £12.50", "Not priced yet, 1 line: £0"]);
    let effects: Vec<_> = slip.lines.iter().map(|line| format!("{:?}", line.effect)).collect();
    assert_eq!(
        effects,
        [
            "LeftOut(\"voided\")",
            "Counts(\"+£12.50\")",
            "LeftOut(\"not priced: no rate for EUR\")",
            "LeftOut(\"outside the period\")"
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

    #[test]
    fn sums_of_all_months_equal_a_recount(tips in prop::collection::vec((0_i64..400, 1_i64..10_000), 0..60)) {
        let first = at("2026-01-01T12:00:00Z");
        let mut state = State::default();
        for (seq, (day, minor)) in (1..).zip(&tips) {
            let amount = Money { minor: *minor, currency: settings().currency };
            let happening = Happening::Tip { actor: actor(), amount, message: None };
            goal().apply(&mut state, &entry(seq, first + TimeDelta::days(*day), Body::Happening(happening)), &settings());
        }
        let mut total = 0;
        let mut month = settings().calendar.span(Period::ThisMonth, first);
        while month.from.unwrap() < first + TimeDelta::days(401) {
            total += state.bucket(month).map_or(0, |bucket| bucket.sum);
            month = settings().calendar.span(Period::ThisMonth, month.to.unwrap());
        }
        prop_assert_eq!(total, tips.iter().map(|(_, minor)| minor).sum::<i64>());
    }
}
