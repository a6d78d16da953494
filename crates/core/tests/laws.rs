//! Laws of the whole channel: replay equals live, whatever the batching and the mix.

#![allow(clippy::unwrap_used)]

use chrono::{NaiveTime, TimeDelta};
use proptest::prelude::*;
use tally_core::Instant;
use tally_core::calendar::Calendar;
use tally_core::channel::{Channel, Press, Snapshot};
use tally_core::entry::{Body, Draft, Entry, Incoming, Origin};
use tally_core::happening::{Actor, Happening, Tier};
use tally_core::ids::{FeedId, Seq, WidgetId};
use tally_core::measure::Weights;
use tally_core::money::{Currency, Money};
use tally_core::widgets::{Action, Definition, Settings};

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

/// A goal for each measure, two counters (one that resets each day) and a clock.
fn channel() -> Channel {
    let (settings, mut pieces) = (settings(), Vec::new());
    for measure in ["amount_of_tips", "count_of_follows", "subscriber_weight"] {
        for period in ["today", "this_week", "this_month", "this_year", "all_time"] {
            let goal = Definition::standard("goal", &settings).unwrap().unfolded();
            let (goal, _) = goal.edited("measure", measure, &settings).unwrap();
            pieces.push(goal.edited("period", period, &settings).unwrap().0);
        }
    }
    let counter = Definition::standard("counter", &settings).unwrap().unfolded();
    pieces.push(counter.edited("resets", "each_day", &settings).unwrap().0);
    pieces.push(counter);
    pieces.push(Definition::standard("countdown", &settings).unwrap().unfolded());
    Channel::new(settings, (1..).map(WidgetId).zip(pieces))
}

const COUNTERS: std::ops::RangeInclusive<u32> = 16..=17;
const CLOCK: u32 = 18;

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
        let snapshot: Snapshot = serde_json::from_str(&stored).unwrap();
        let mut resumed = channel().resume(snapshot).unwrap();
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
        for entry in entries.iter().filter(|entry| entry.body.kind().is_some()) {
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

proptest! {
    #[test]
    fn corrections_leave_the_figures_of_a_clean_ledger(
        steps in prop::collection::vec(step(), 1..40),
        picks in prop::collection::vec((any::<prop::sample::Index>(), any::<bool>()), 0..30),
    ) {
        let (mut corrected, entries, now) = live(&steps);
        for (pick, counts) in picks {
            let line = &entries[pick.index(entries.len().max(1)).min(entries.len().saturating_sub(1))..];
            let Some(line) = line.first() else { break };
            let Ok(body) = corrected.correct(line, counts, "odile", None) else { continue };
            let seq = corrected.last_seq().next();
            let origin = Origin { source: "desk".into(), id: format!("correct-{seq}") };
            corrected.apply(&Draft { origin, feed: None, happened_at: now, arrived_at: now, body }.at(seq));
        }
        let mut clean = channel();
        for entry in entries.iter().filter(|entry| !corrected.voided().contains(&entry.seq)) {
            clean.apply(entry);
        }
        for (id, _) in clean.widgets() {
            let text = |channel: &Channel| channel.view(id, now).unwrap().text();
            prop_assert_eq!(text(&corrected), text(&clean));
        }
    }
}

#[test]
fn a_snapshot_of_other_definitions_is_left_aside() {
    let channel = channel();
    let (other, _) = channel.widget(WidgetId(1)).unwrap().edited("target", "5", &settings()).unwrap();
    let mut changed = channel.clone();
    changed.put(WidgetId(1), other);
    assert!(channel.resume(changed.snapshot()).is_none());
    assert!(channel.resume(channel.snapshot()).is_some());
}

#[test]
fn a_press_on_nothing_is_refused_in_words() {
    let press = |widget, name, value| {
        let press = Press { widget: WidgetId(widget), action: Action { name, value }, by: "odile" };
        channel().decide(&press, begin()).unwrap_err().to_string()
    };
    assert_eq!(press(99, "add", None), "there is no such widget");
    assert!(press(1, "add", None).contains("it follows the ledger"));
    assert_eq!(press(16, "undo", None), "there is nothing to take back");
    assert_eq!(press(16, "undo", Some(-1)), "“undo” takes the number of a line");
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
        []
    );
}
