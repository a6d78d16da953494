use super::*;
use crate::fixtures::{World, entry, settings};
use crate::record::entry::Body;
use crate::record::ids::WidgetId;
use proptest::prelude::*;

fn begin() -> Instant {
    "2026-11-24T19:00:00Z".parse().unwrap()
}

fn after(milliseconds: i64) -> Instant {
    begin() + TimeDelta::milliseconds(milliseconds)
}

fn clock(seconds: i64) -> Clock {
    Clock { seconds, ready_text: "Soon".into(), done_text: "All aboard".into(), ..Clock::standard(&settings()) }
}

fn did(act: ClockAct) -> Body {
    Body::Act { widget: WidgetId(1), by: "odile".into(), act: Act::Clock(act) }
}

fn undo(target: u64) -> Body {
    Body::Void { widget: WidgetId(1), by: "bram".into(), target: Seq(target) }
}

fn folded(clock: &Clock, acts: &[(i64, Body)]) -> State {
    let mut state = State::default();
    for (seq, (milliseconds, body)) in (1..).zip(acts) {
        clock.apply(&mut state, &entry(seq, after(*milliseconds), body.clone()));
    }
    state
}

fn face(clock: &Clock, acts: &[(i64, ClockAct)], now: i64) -> String {
    let acts: Vec<_> = acts.iter().map(|(at, act)| (*at, did(*act))).collect();
    let View::Clock(view) = clock.view(&folded(clock, &acts), &World::new().scope(after(now))) else { panic!() };
    format!("{:?} {}", view.phase, view.shown)
}

use ClockAct::{Add, Pause, Reset, Start};

#[test]
fn ready_running_paused_done() {
    let clock = clock(10);
    assert_eq!(face(&clock, &[], 0), "Ready Soon");
    assert_eq!(face(&clock, &[(0, Start)], 0), "Running 10");
    assert_eq!(face(&clock, &[(0, Start)], 1), "Running 10", "rounded up");
    assert_eq!(face(&clock, &[(0, Start)], 9_999), "Running 1", "never 0 while running");
    assert_eq!(face(&clock, &[(0, Start)], 10_000), "Done All aboard");
    assert_eq!(face(&clock, &[(0, Start), (4_000, Pause)], 60_000), "Paused 6");
    assert_eq!(face(&clock, &[(0, Start), (4_000, Pause), (60_000, Start)], 65_500), "Running 1");
    assert_eq!(face(&clock, &[(0, Start), (4_000, Pause), (60_000, Start)], 66_000), "Done All aboard");
    assert_eq!(face(&clock, &[(0, Start), (11_000, Reset)], 12_000), "Ready Soon");
    let quiet = Clock { ready_text: String::new(), ..clock };
    assert_eq!(face(&quiet, &[], 0), "Ready 10");
}

#[test]
fn time_can_be_added_and_taken_and_below_zero_is_done() {
    let clock = clock(10);
    assert_eq!(face(&clock, &[(0, Start), (5_000, Add { seconds: 60 })], 5_000), "Running 1:05");
    assert_eq!(face(&clock, &[(0, Start), (5_000, Add { seconds: -4 })], 5_000), "Running 1");
    assert_eq!(face(&clock, &[(0, Start), (5_000, Add { seconds: -5 })], 5_000), "Done All aboard");
    assert_eq!(
        face(&clock, &[(0, Start), (5_000, Add { seconds: -5 }), (6_000, Add { seconds: 60 })], 7_000),
        "Done All aboard"
    );
    assert_eq!(face(&clock, &[(0, Add { seconds: 50 }), (0, Start)], 0), "Running 1:00");
}

#[test]
fn changing_the_length_of_a_running_clock_shifts_its_end() {
    let mut clock = clock(600);
    let state = folded(&clock, &[(0, did(Start))]);
    assert_eq!(clock.wakes_at(&state, &World::new().scope(after(1_000))), Some(after(600_000)));
    let before = clock.clone();
    clock.edit("length", "9:00", &World::new().scope(after(0))).unwrap();
    assert!(!clock.folds_alike(&before));
    assert_eq!(clock.wakes_at(&state, &World::new().scope(after(1_000))), Some(after(540_000)));
    clock.edit("done_text", "Go", &World::new().scope(after(0))).unwrap();
    assert!(clock.folds_alike(&Clock { seconds: 540, ..before }));
}

#[test]
fn what_makes_no_sense_now_is_refused_in_words() {
    let clock = clock(10);
    let decide = |acts: &[(i64, Body)], name, now| {
        let state = folded(&clock, acts);
        clock
            .decide(&state, &Action { name, value: None }, &World::new().scope(after(now)))
            .map_err(|error| error.to_string())
    };
    assert_eq!(decide(&[], "start", 0), Ok(Act::Clock(Start)));
    let running = [(0, did(Start))];
    assert!(decide(&running, "start", 5).unwrap_err().contains("running already"));
    assert!(decide(&[], "pause", 5).unwrap_err().contains("not running"));
    assert!(decide(&running, "start", 10_000).unwrap_err().contains("reset it first"));
    assert_eq!(decide(&running, "reset", 10_000), Ok(Act::Clock(Reset)));
    assert_eq!(decide(&running, "add", 5), Ok(Act::Clock(Add { seconds: 60 })), "the desk's step");
    assert!(decide(&running, "explode", 5).unwrap_err().contains("it knows"));
}

#[test]
fn taking_back_a_pause_lets_it_have_run_on() {
    let clock = clock(60);
    let acts = [(0, did(Start)), (10_000, did(Pause)), (40_000, undo(2))];
    let state = folded(&clock, &acts);
    let View::Clock(view) = clock.view(&state, &World::new().scope(after(41_000))) else { panic!() };
    assert_eq!((view.phase, view.shown.as_str()), (PhaseWord::Running, "19"));
}

#[test]
fn the_slip_adds_up() {
    let clock = clock(60);
    let state = folded(&clock, &[(0, did(Start)), (5_000, did(Add { seconds: 30 }))]);
    let slip = clock.explain(&state, &World::new().scope(after(10_000)));
    let figures: Vec<_> = slip.terms.iter().map(|(_, figure)| figure.as_str()).collect();
    assert_eq!((figures, slip.shown.as_str()), (vec!["1:00", "30", "−10"], "1:20"));
}

fn act() -> impl Strategy<Value = ClockAct> {
    prop_oneof![Just(Start), Just(Pause), Just(Reset), (-400_i64..400).prop_map(|seconds| Add { seconds })]
}

proptest! {
    #[test]
    fn undo_equals_never_having_done_it(
        acts in prop::collection::vec((act(), 0_i64..90_000), 1..25),
        picks in prop::collection::vec(any::<prop::sample::Index>(), 0..5),
    ) {
        let clock = clock(300);
        let gone: std::collections::BTreeSet<usize> = picks.iter().map(|pick| pick.index(acts.len())).collect();
        let (mut undone, mut never) = (State::default(), State::default());
        let (mut seq, mut now) = (0, 0);
        for (index, (act, wait)) in acts.iter().enumerate() {
            (seq, now) = (seq + 1, now + wait);
            clock.apply(&mut undone, &entry(seq, after(now), did(*act)));
            if !gone.contains(&index) {
                clock.apply(&mut never, &entry(seq, after(now), did(*act)));
            }
        }
        for index in &gone {
            seq += 1;
            clock.apply(&mut undone, &entry(seq, after(now), undo(*index as u64 + 1)));
        }
        prop_assert_eq!(undone.run, never.run);
        for later in [0, 1, 999, 5_000, 700_000] {
            let now = after(now + later);
            prop_assert_eq!(clock.view(&undone, &World::new().scope(now)), clock.view(&never, &World::new().scope(now)));
        }
    }

    #[test]
    fn seconds_are_conserved(waits in prop::collection::vec(1_i64..50_000, 1..12)) {
        // Start and pause in turn: what ran down is exactly the time spent running.
        let clock = clock(100_000);
        let (mut state, mut now, mut ran) = (State::default(), 0, 0);
        for (index, wait) in waits.iter().enumerate() {
            let act = if index % 2 == 0 { Start } else { Pause };
            clock.apply(&mut state, &entry(index as u64 + 1, after(now), did(act)));
            if index % 2 == 0 { ran += wait }
            now += wait;
        }
        let left = state.run.phase(clock.length(), after(now)).left(after(now));
        prop_assert_eq!(left, TimeDelta::milliseconds(100_000_000 - ran));
    }

    #[test]
    fn a_running_clock_never_shows_zero(milliseconds in 0_i64..400_000) {
        let clock = clock(300);
        let state = folded(&clock, &[(0, did(Start))]);
        let View::Clock(view) = clock.view(&state, &World::new().scope(after(milliseconds))) else { panic!() };
        prop_assert_eq!(view.phase == PhaseWord::Running, milliseconds < 300_000);
        prop_assert!(view.phase != PhaseWord::Running || view.shown != "0");
    }
}
