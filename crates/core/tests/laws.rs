//! Laws of the whole channel: replay equals live, whatever the batching and the mix.

#![allow(clippy::unwrap_used)]

use chrono::{NaiveTime, TimeDelta};
use proptest::prelude::*;
use tally_core::Instant;
use tally_core::calendar::Calendar;
use tally_core::channel::{Channel, Correcting, Press, Snapshot};
use tally_core::entry::{Body, Draft, Entry, Incoming, Origin};
use tally_core::happening::{Actor, Happening, Tier};
use tally_core::ids::{FeedId, Seq, WidgetId};
use tally_core::measure::Weights;
use tally_core::money::{Currency, Money};
use tally_core::widgets::{Action, Definition, Piece, Settings};

fn settings() -> Settings {
    Settings {
        currency: Currency::parse("GBP").unwrap(),
        calendar: Calendar {
            zone: chrono_tz::Tz::Europe__London,
            week_start: chrono::Weekday::Mon,
            day_start: NaiveTime::from_hms_opt(5, 0, 0).unwrap(),
        },
        weights: Weights::default(),
    }
}

fn begin() -> Instant {
    "2026-10-20T19:00:00Z".parse().unwrap()
}

/// A goal for each measure, one of every family that follows the record, two counters (one that resets each day) and a clock.
fn channel() -> Channel {
    let (settings, mut pieces) = (settings(), Vec::new());
    for measure in ["amount_of_tips", "count_of_follows", "subscriber_weight", "different_supporters"] {
        for period in ["today", "this_week", "this_month", "this_year", "last_hours", "all_time"] {
            let goal = Definition::standard("goal", &settings).unwrap().unfolded();
            pieces.push(edited(&edited(&goal, "measure", measure), "period", period));
        }
    }
    let following: Vec<&str> = Definition::FAMILIES.iter().map(|(family, ..)| *family).collect();
    for family in following.into_iter().filter(|family| !matches!(*family, "goal" | "counter" | "countdown")) {
        pieces.push(Definition::standard(family, &settings).unwrap().unfolded());
    }
    let label = Definition::standard("label", &settings).unwrap().unfolded();
    pieces.push(edited(&label, "which", "top"));
    pieces.push(edited(&edited(&label, "which", "largest"), "period", "last_hours"));
    let board = Definition::standard("leaderboard", &settings).unwrap().unfolded();
    pieces.push(edited(&board, "period", "last_hours"));
    let counter = Definition::standard("counter", &settings).unwrap().unfolded();
    pieces.push(edited(&counter, "resets", "each_day"));
    pieces.push(counter);
    pieces.push(Definition::standard("countdown", &settings).unwrap().unfolded());
    Channel::new(settings, (1..).map(WidgetId).zip(pieces))
}

/// A piece with one part of its sentence said otherwise.
fn edited(piece: &Piece, key: &str, text: &str) -> Piece {
    let nothing = Channel::new(settings(), []);
    piece.edited(key, text, &nothing.scope(begin())).unwrap().0
}

const GOALS: u32 = 24;
const FOLLOWING: u32 = 11;
const COUNTERS: std::ops::RangeInclusive<u32> = GOALS + FOLLOWING + 1..=GOALS + FOLLOWING + 2;
const CLOCK: u32 = GOALS + FOLLOWING + 3;

/// What somebody does, or what happens, after a wait.
#[derive(Debug, Clone)]
enum Step {
    Event { id: u8, happening: Happening, late: i64 },
    Press { widget: u32, action: &'static str, value: Option<i64> },
}

fn happening() -> impl Strategy<Value = Happening> {
    let actor = || Actor { id: None, name: "quietferry".into(), avatar: None, anonymous: false };
    prop_oneof![
        Just(Happening::Follow { actor: actor() }),
        (1_u8..=3).prop_map(move |tier| Happening::Sub {
            actor: actor(),
            tier: Tier::try_from(tier).unwrap(),
            months: None,
            message: None,
            gifted_by: None,
        }),
        (1_i64..100_000, prop::sample::select(vec!["GBP", "EUR", "JPY"])).prop_map(move |(minor, code)| {
            Happening::Tip {
                actor: actor(),
                amount: Money { minor, currency: Currency::parse(code).unwrap() },
                message: None,
            }
        }),
    ]
}

fn step() -> impl Strategy<Value = (Step, i64)> {
    let event = (any::<u8>(), happening(), 0_i64..4_000_000).prop_map(|(id, happening, late)| Step::Event {
        id,
        happening,
        late,
    });
    let count =
        (COUNTERS, prop::sample::select(vec!["add", "subtract", "set", "reset", "undo"]), prop::option::of(0_i64..60))
            .prop_map(|(widget, action, value)| Step::Press { widget, action, value });
    let clock = (prop::sample::select(vec!["start", "pause", "reset", "add", "undo"]), prop::option::of(0_i64..200))
        .prop_map(|(action, value)| Step::Press { widget: CLOCK, action, value });
    (prop_oneof![3 => event, 2 => count, 2 => clock], 0_i64..90_000)
}

/// Lives through the steps as the engine does; refusals and duplicates leave no entry.
fn live(steps: &[(Step, i64)]) -> (Channel, Vec<Entry>, Instant) {
    let (mut channel, mut entries, mut now) = (channel(), Vec::<Entry>::new(), begin());
    for (number, (step, wait)) in steps.iter().enumerate() {
        now += TimeDelta::seconds(*wait);
        let draft = match step {
            Step::Event { id, happening, late } => Incoming {
                origin: Origin { source: "/feed".into(), id: id.to_string() },
                happened_at: Some(now - TimeDelta::seconds(*late)),
                happening: happening.clone(),
            }
            .draft(FeedId(1), now),
            Step::Press { widget, action, value } => {
                let action = Action { name: action, value: *value };
                let press = Press { widget: WidgetId(*widget), action, by: "odile" };
                let Ok(body) = channel.decide(&press, now) else { continue };
                let origin = Origin { source: "desk".into(), id: number.to_string() };
                Draft { origin, feed: None, happened_at: now, arrived_at: now, body }
            }
        };
        // The ledger's unique key.
        if entries.iter().any(|entry| entry.origin == draft.origin) {
            continue;
        }
        let entry = draft.at(channel.last_seq().next());
        channel.apply(&entry);
        entries.push(entry);
    }
    (channel, entries, now)
}

proptest! {
    #[test]
    fn replay_equals_live(steps in prop::collection::vec(step(), 0..60), cut in any::<prop::sample::Index>()) {
        let (lived, entries, now) = live(&steps);
        let mut replayed = channel();
        for entry in &entries {
            replayed.apply(entry);
        }
        prop_assert_eq!(&replayed, &lived);

        // From a snapshot anywhere, which has been through its stored form.
        let cut = cut.index(entries.len() + 1);
        let mut before = channel();
        for entry in &entries[..cut] {
            before.apply(entry);
        }
        let stored = serde_json::to_string(&before.snapshot()).unwrap();
        let pages = before.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
        let snapshot: Snapshot = serde_json::from_str(&stored).unwrap();
        let mut resumed = channel().resume(snapshot, pages).unwrap();
        // Entries that were folded in already change nothing.
        for entry in &entries[cut / 2..] {
            resumed.apply(entry);
        }
        prop_assert_eq!(&resumed, &lived);
        for (id, _) in lived.widgets() {
            prop_assert_eq!(resumed.view(id, now), lived.view(id, now));
        }
    }

    #[test]
    fn duplicates_in_any_order_change_nothing(
        steps in prop::collection::vec(step(), 1..40),
        again in prop::collection::vec(any::<prop::sample::Index>(), 0..20),
    ) {
        // The same deliveries once more, anywhere: the ledger keeps the first, so only the first counts.
        let (lived, entries, now) = live(&steps);
        let mut more = steps.clone();
        more.extend(again.iter().filter_map(|pick| {
            let (step, _) = &steps[pick.index(steps.len())];
            matches!(step, Step::Event { .. }).then(|| (step.clone(), 0))
        }));
        let (twice, entries_twice, _) = live(&more);
        prop_assert_eq!(entries.len(), entries_twice.len());
        for (id, _) in lived.widgets() {
            prop_assert_eq!(twice.view(id, now), lived.view(id, now));
        }
    }

    #[test]
    fn undoing_everything_by_hand_leaves_only_what_happened(steps in prop::collection::vec(step(), 0..40)) {
        let (mut lived, entries, now) = live(&steps);
        for widget in COUNTERS.chain([CLOCK]) {
            let press = Press { widget: WidgetId(widget), action: Action { name: "undo", value: None }, by: "bram" };
            while let Ok(body) = lived.decide(&press, now) {
                prop_assert!(matches!(body, Body::Void { .. }), "undo voids a line");
                let seq = lived.last_seq().next();
                let origin = Origin { source: "desk".into(), id: format!("undo-{seq}") };
                lived.apply(&Draft { origin, feed: None, happened_at: now, arrived_at: now, body }.at(seq));
            }
        }
        let mut untouched = channel();
        for entry in entries.iter().filter(|entry| matches!(entry.body, Body::Happening(_))) {
            untouched.apply(entry);
        }
        for (id, _) in untouched.widgets() {
            prop_assert_eq!(lived.view(id, now), untouched.view(id, now));
        }
    }

    #[test]
    fn an_alarm_lies_ahead_and_nothing_changes_before_it(steps in prop::collection::vec(step(), 0..30)) {
        let (lived, _, now) = live(&steps);
        let Some((at, ids)) = lived.next_alarm(now) else { return Ok(()) };
        prop_assert!(at > now);
        prop_assert!(!ids.is_empty());
        let just_before = at - TimeDelta::microseconds(1);
        for (id, _) in lived.widgets().filter(|(id, _)| id.0 != CLOCK) {
            prop_assert_eq!(lived.view(id, now), lived.view(id, just_before));
        }
    }
}

/// Corrections as somebody might make them, in any order.
fn correcting() -> impl Strategy<Value = Correcting> {
    let amend = |name: &str, amount: &str, currency: &str, tier: &str, kind: &str| Correcting::Amend {
        name: name.into(),
        amount: amount.into(),
        currency: currency.into(),
        tier: tier.into(),
        number: String::new(),
        kind: kind.into(),
    };
    prop::sample::select(vec![
        Correcting::Void,
        Correcting::Restore,
        amend("bram", "", "", "", ""),
        amend("", "7", "EUR", "", ""),
        amend("", "12.50", "", "", "purchase"),
        amend("", "", "", "3", ""),
        amend("", "", "", "", "follow"),
    ])
}

proptest! {
    #[test]
    fn corrections_late_arrivals_and_late_rates_leave_the_figures_of_a_clean_ledger(
        steps in prop::collection::vec(step(), 1..40),
        wishes in prop::collection::vec((any::<prop::sample::Index>(), correcting()), 0..30),
        withdrawn in any::<bool>(),
        rates_at in any::<prop::sample::Index>(),
    ) {
        let (mut corrected, entries, now) = live(&steps);
        let append = |channel: &mut Channel, body| {
            let seq = channel.last_seq().next();
            let origin = Origin { source: "desk".into(), id: format!("correct-{seq}") };
            channel.apply(&Draft { origin, feed: None, happened_at: now, arrived_at: now, body }.at(seq));
        };
        for (pick, wish) in wishes {
            if entries.is_empty() {
                break;
            }
            let line = &entries[pick.index(entries.len())];
            if let Ok(body) = corrected.correct(line, &wish, "odile", None) {
                append(&mut corrected, body);
            }
        }
        if withdrawn {
            let body = corrected.decide_withdraw(FeedId(1), "a feed", "odile", true).unwrap();
            append(&mut corrected, body);
            prop_assert!(corrected.decide_withdraw(FeedId(1), "a feed", "odile", true).is_err());
        }
        let rates = || {
            let table = [("GBP".to_owned(), "0.85".parse().unwrap()), ("JPY".to_owned(), "171".parse().unwrap())];
            Body::Rates { days: [("2026-10-01".parse().unwrap(), table.into())].into() }
        };
        append(&mut corrected, rates());

        // The ledger in which all was right from the start, with the rates anywhere in it, in order of time.
        let mut clean = channel();
        let mut right: Vec<Entry> = Vec::new();
        for entry in &entries {
            match &entry.body {
                Body::Happening(_) => {
                    let fact = corrected.book().find(entry.happened_at, entry.seq).unwrap();
                    if corrected.book().stands(fact) {
                        right.push(Entry { body: Body::Happening(corrected.book().happening(fact)), ..entry.clone() });
                    }
                }
                _ => right.push(entry.clone()),
            }
        }
        let place = rates_at.index(right.len() + 1);
        let happened_at = right.get(place).or(right.last()).map_or(now, |entry| entry.happened_at);
        let mut seq = 1_000;
        for (index, entry) in right.iter().map(Some).chain([None]).enumerate() {
            if index == place {
                let origin = Origin { source: "rates".into(), id: "1".into() };
                let draft = Draft { origin, feed: None, happened_at, arrived_at: now, body: rates() };
                clean.apply(&draft.at(Seq(seq)));
                seq += 1;
            }
            let Some(entry) = entry else { break };
            // Acts name the lines that they take back, so theirs are kept.
            if let Body::Happening(_) = entry.body {
                clean.apply(&Entry { seq: Seq(seq), ..entry.clone() });
                seq += 1;
            }
        }
        for id in (1..=GOALS).map(WidgetId) {
            let text = |channel: &Channel| channel.view(id, now).unwrap().text();
            prop_assert_eq!(text(&corrected), text(&clean));
        }
    }

    #[test]
    fn figures_at_hand_are_those_of_a_recount(steps in prop::collection::vec(step(), 0..40), turns in any::<u64>()) {
        let (mut lived, entries, now) = (channel(), live(&steps).1, live(&steps).2);
        for (index, entry) in entries.iter().enumerate() {
            lived.apply(entry);
            if turns >> (index % 64) & 1 == 1 {
                lived.turn(entry.arrived_at);
            }
        }
        lived.turn(now);
        for (id, piece) in lived.widgets() {
            for count in piece.counts(lived.settings()) {
                let scope = lived.scope(now);
                let recount = count.recount(scope.span(&count), scope.book, scope.settings);
                prop_assert_eq!(scope.tally(&count).sum, recount.sum, "{}", id);
                prop_assert_eq!(scope.tally(&count).lines, recount.lines);
            }
        }
    }
}

#[test]
fn a_rehearsal_is_a_record_of_its_own() {
    let mut real = channel();
    let actor = Actor { id: None, name: "bram".into(), avatar: None, anonymous: false };
    let amount = Money { minor: 500, currency: Currency::parse("GBP").unwrap() };
    let tip = |seq| {
        let origin = Origin { source: "x".into(), id: format!("{seq}") };
        let body = Body::Happening(Happening::Tip { actor: actor.clone(), amount, message: None });
        Draft { origin, feed: None, happened_at: begin(), arrived_at: begin(), body }.at(Seq(seq))
    };
    real.apply(&tip(1));
    let before = real.clone();
    let mut rehearsal = real.rehearsal();
    let text = |channel: &Channel| channel.view(WidgetId(1), begin()).unwrap().text();
    assert_eq!(text(&rehearsal), "£0 of £100 (0%)");
    rehearsal.apply(&tip(1));
    rehearsal.apply(&tip(2));
    assert_eq!((text(&rehearsal).as_str(), text(&real).as_str()), ("£10 of £100 (10%)", "£5 of £100 (5%)"));
    assert_eq!(real, before);
}

#[test]
fn a_snapshot_of_other_definitions_is_left_aside() {
    let channel = channel();
    let other = edited(channel.widget(WidgetId(1)).unwrap(), "target", "5");
    let mut changed = channel.clone();
    changed.put(WidgetId(1), other);
    assert!(channel.resume(changed.snapshot(), Vec::new()).is_none());
    assert!(channel.resume(channel.snapshot(), Vec::new()).is_some());
}

#[test]
fn other_settings_keep_a_snapshot_and_price_anew() {
    let mut lived = channel();
    let per_euro = [("GBP".to_owned(), "0.80".parse().unwrap())].into();
    let amount = Money { minor: 1_000, currency: Currency::parse("EUR").unwrap() };
    let actor = Actor { id: None, name: "bram".into(), avatar: None, anonymous: false };
    let bodies = [
        Body::Rates { days: [("2026-10-01".parse().unwrap(), per_euro)].into() },
        Body::Happening(Happening::Tip { actor, amount, message: None }),
    ];
    for (seq, body) in (1..).zip(bodies) {
        let origin = Origin { source: "x".into(), id: seq.to_string() };
        let draft = Draft { origin, feed: None, happened_at: begin(), arrived_at: begin(), body };
        lived.apply(&draft.at(Seq(seq)));
    }
    let snapshot = lived.snapshot();
    let pages = lived.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
    let euros = Settings { currency: Currency::parse("EUR").unwrap(), ..settings() };
    let pieces: Vec<(WidgetId, Piece)> = channel().widgets().map(|(id, piece)| (id, piece.clone())).collect();
    let resumed = Channel::new(euros, pieces).resume(snapshot, pages).unwrap();
    let text = |channel: &Channel| channel.view(WidgetId(1), begin()).unwrap().text();
    assert_eq!((text(&lived).as_str(), text(&resumed).as_str()), ("£8 of £100 (8%)", "€10 of €100 (10%)"));
}

#[test]
fn a_press_on_nothing_is_refused_in_words() {
    let press = |widget, name, value| {
        let press = Press { widget: WidgetId(widget), action: Action { name, value }, by: "odile" };
        channel().decide(&press, begin()).unwrap_err().to_string()
    };
    assert_eq!(press(99, "add", None), "there is no such widget");
    assert!(press(1, "add", None).contains("all else follows the ledger"));
    assert_eq!(press(25, "undo", None), "there is nothing to take back");
    assert_eq!(press(25, "undo", Some(-1)), "“undo” takes the number of a line");
    assert_eq!(
        channel().apply(
            &Draft {
                origin: Origin { source: "x".into(), id: "x".into() },
                feed: None,
                happened_at: begin(),
                arrived_at: begin(),
                body: Body::Void { widget: WidgetId(99), by: "x".into(), target: Seq(1) },
            }
            .at(Seq(1))
        ),
        std::collections::BTreeSet::new()
    );
}
