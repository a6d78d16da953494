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
            .decide(&state, &Action { name, value: None, text: None, side: None }, &World::new().scope(after(now)))
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

/// What a clock of a kind shows after entries and acts, some seconds after the beginning.
fn shown(clock: &Clock, entries: &[crate::record::entry::Entry], acts: &[(i64, ClockAct)], seconds: i64) -> ClockView {
    let acts: Vec<_> = acts.iter().map(|(at, act)| (at * 1_000, did(*act))).collect();
    let world = World::after(entries);
    let View::Clock(view) = clock.view(&folded(clock, &acts), &world.scope(after(seconds * 1_000))) else { panic!() };
    view
}

fn of_kind(edits: &[(&str, &str)]) -> Clock {
    let mut clock = Clock { ready_text: String::new(), ..clock(10) };
    let world = World::new();
    for (key, text) in edits {
        clock.edit(key, text, &world.scope(begin())).unwrap();
    }
    clock
}

#[test]
fn counting_up_is_rounded_down_and_takes_laps() {
    let clock = of_kind(&[("kind", "up"), ("tenths", "1:00:00")]);
    let face = |acts: &[(i64, ClockAct)], seconds| {
        let view = shown(&clock, &[], acts, seconds);
        (view.phase, view.shown)
    };
    assert_eq!(face(&[], 5), (PhaseWord::Ready, "0".into()));
    assert_eq!(face(&[(0, Start)], 9), (PhaseWord::Running, "9.0".into()));
    assert_eq!(face(&[(0, Start), (9, Pause)], 90), (PhaseWord::Paused, "9.0".into()));
    assert_eq!(face(&[(0, Start), (9, Pause), (20, Start)], 31), (PhaseWord::Running, "20.0".into()));
    assert_eq!(face(&[(0, Start), (5, Add { seconds: 60 })], 10), (PhaseWord::Running, "1:10.0".into()));
    assert_eq!(
        face(&[(0, Start), (5, Add { seconds: -60 })], 10),
        (PhaseWord::Running, "5.0".into()),
        "at most what is there"
    );
    let laps = [(0, Start), (10, ClockAct::Lap), (25, ClockAct::Lap), (30, Pause), (40, ClockAct::Lap)];
    let view = shown(&clock, &[], &laps, 50);
    let told: Vec<_> = view.laps.iter().map(|lap| format!("{} {} {}", lap.number, lap.split, lap.total)).collect();
    assert_eq!(told, ["2 15.0 25.0", "1 10.0 10.0"], "none while it stands");
    assert!(shown(&clock, &[], &[(0, Start), (3, ClockAct::Lap), (4, Reset)], 5).laps.is_empty());
    let Err(refused) = of_kind(&[]).decide(
        &State::default(),
        &Action { name: "lap", value: None, text: None, side: None },
        &World::new().scope(begin()),
    ) else {
        panic!("one that counts down takes no laps");
    };
    assert!(refused.to_string().contains("counts up"));
}

#[test]
fn a_weekly_moment_is_done_for_its_hiding_time_and_turns_to_the_next() {
    // A Tuesday at 19:00; Fridays at 19:30 in London.
    let clock = of_kind(&[("kind", "to"), ("hide_after", "5:00")]);
    let friday = 3 * 86_400 + 1_800;
    assert_eq!(shown(&clock, &[], &[], 0).shown, "72:30:00");
    assert_eq!(shown(&clock, &[], &[], friday - 1).shown, "1");
    let done = shown(&clock, &[], &[], friday);
    assert_eq!((done.phase, done.shown.as_str(), done.hidden), (PhaseWord::Done, "All aboard", false));
    assert_eq!(shown(&clock, &[], &[], friday + 299).phase, PhaseWord::Done);
    assert_eq!(shown(&clock, &[], &[], friday + 300).shown, "167:55:00");
    assert!(clock.levers(&State::default(), &World::new().scope(begin())).is_empty());
    let daily = of_kind(&[("kind", "to"), ("every", "daily"), ("time", "19:00")]);
    assert_eq!(shown(&daily, &[], &[], 1).phase, PhaseWord::Done, "ten minutes, if nothing is said");
    let once = of_kind(&[("kind", "to"), ("every", "once"), ("moment", "2026-11-24T19:00"), ("hide_after", "10")]);
    assert_eq!(shown(&once, &[], &[], -1).shown, "1");
    assert!(!shown(&once, &[], &[], 9).hidden && shown(&once, &[], &[], 10).hidden);
    let wakes =
        |clock: &Clock, seconds: i64| clock.wakes_at(&State::default(), &World::new().scope(after(seconds * 1_000)));
    assert_eq!(wakes(&once, 1), Some(after(10_000)));
    assert_eq!(wakes(&once, 11), None);
}

#[test]
fn moments_in_the_gap_of_a_clock_change_and_twice_in_a_night_are_one_instant() {
    let calendar = settings().calendar;
    let at = |text: &str| -> Instant { text.parse().unwrap() };
    let sunday = Moment::Weekly { day: chrono::Weekday::Sun, time: "01:30:00".parse().unwrap() };
    // 01:30 does not exist on 29 March 2026, and comes twice on 25 October 2026.
    assert_eq!(sunday.next_after(at("2026-03-28T12:00:00Z"), &calendar), Some(at("2026-03-29T01:00:00Z")));
    assert_eq!(sunday.next_after(at("2026-10-24T12:00:00Z"), &calendar), Some(at("2026-10-25T00:30:00Z")));
    assert_eq!(sunday.next_after(at("2026-10-25T00:30:00Z"), &calendar), Some(at("2026-11-01T01:30:00Z")));
}

#[test]
fn since_something_falls_back_when_its_cause_is_voided_and_is_ready_if_it_never_was() {
    use crate::record::entry::Change;
    use crate::record::happening::{Actor, Happening};
    let clock = of_kind(&[("kind", "since"), ("since", "latest"), ("ready_text", "No raid yet")]);
    assert_eq!(shown(&clock, &[], &[], 0).shown, "No raid yet");
    let actor = Actor { id: None, name: "ninepins".into(), avatar: None, anonymous: false };
    let raid = |seq, seconds: i64| {
        entry(seq, after(seconds * 1_000), Body::Happening(Happening::Raid { actor: actor.clone(), viewers: 7 }))
    };
    let void = Body::Correct {
        target: Seq(2),
        happened_at: after(60_000),
        about: String::new(),
        by: "odile".into(),
        reason: None,
        change: Change::Void,
    };
    let raids = [raid(1, 0), raid(2, 60)];
    assert_eq!(shown(&clock, &raids, &[], 70).shown, "10");
    assert_eq!(shown(&clock, &[raids.to_vec(), vec![entry(3, after(65_000), void)]].concat(), &[], 70).shown, "1:10");
    // Since the show began.
    let show = of_kind(&[("kind", "since")]);
    let begun = entry(1, after(0), Body::Show { by: "odile".into(), act: crate::record::acts::ShowAct::Begin });
    assert_eq!(shown(&show, &[begun], &[], 3_600).shown, "1:00:00");
    assert!(show.follows_shows());
}

#[test]
fn since_a_counter_was_pressed_follows_that_counter_and_its_undo() {
    use crate::channel::{Channel, Press};
    use crate::record::entry::{Draft, Origin};
    let counter = crate::widgets::Definition::standard("counter", &settings()).unwrap().unfolded();
    let mut channel = Channel::new(settings(), [(WidgetId(1), counter)]);
    let clock = crate::widgets::Definition::standard("clock", &settings()).unwrap().unfolded();
    let edits = [("kind", "since"), ("since", "counter:1"), ("ready_text", "Never")];
    let clock =
        edits.iter().fold(clock, |clock, (key, text)| clock.edited(key, text, &channel.scope(begin())).unwrap().0);
    assert!(clock.edited("since", "counter:9", &channel.scope(begin())).is_err(), "no such counter");
    let sentence = crate::sentence::plain(&clock.sentence(&channel.scope(begin())));
    assert!(sentence.contains("counts up since New counter was last pressed"), "{sentence}");
    channel.put(WidgetId(2), clock);
    let text = |channel: &Channel, seconds: i64| channel.view(WidgetId(2), after(seconds * 1_000)).unwrap().text();
    assert_eq!(text(&channel, 0), "Never");
    let press = |channel: &mut Channel, name, seconds: i64| {
        let press =
            Press { widget: WidgetId(1), action: Action { name, value: None, text: None, side: None }, by: "odile" };
        let body = channel.decide(&press, after(seconds * 1_000)).unwrap();
        let seq = channel.last_seq().next();
        let origin = Origin { source: "desk".into(), id: seq.to_string() };
        let at = after(seconds * 1_000);
        channel.apply(&Draft { origin, feed: None, happened_at: at, arrived_at: at, body }.at(seq))
    };
    press(&mut channel, "add", 10);
    assert!(press(&mut channel, "add", 50).contains(&WidgetId(2)), "it is drawn anew");
    assert_eq!(text(&channel, 60), "10");
    press(&mut channel, "undo", 60);
    assert_eq!(text(&channel, 60), "50");
}

#[test]
fn the_time_of_day_follows_its_zone_and_looks_up_when_clocks_change() {
    let clock = of_kind(&[("kind", "zone"), ("zone", "Asia/Tokyo")]);
    let view = shown(&clock, &[], &[], 0);
    assert_eq!((view.shown.as_str(), view.anchor), ("04:00", Anchor::Zone { offset_ms: 9 * 3_600_000 }));
    assert_eq!(shown(&of_kind(&[("kind", "zone"), ("units", "hours")]), &[], &[], 5).shown, "19:00:05");
    let mut wrong = clock.clone();
    let error = wrong.edit("zone", "Mars/Olympus", &World::new().scope(begin())).unwrap_err();
    assert!(error.to_string().contains("Europe/London"));
    assert_eq!(clock.wakes_at(&State::default(), &World::new().scope(after(1_000))), Some(after(900_000)));
}

#[test]
fn one_that_shows_itself_only_while_it_runs_parts_with_its_last_words() {
    let clock = of_kind(&[("shows", "running")]);
    assert!(shown(&clock, &[], &[], 0).hidden);
    assert!(!shown(&clock, &[], &[(0, Start)], 5).hidden);
    assert!(shown(&clock, &[], &[(0, Start), (2, Pause)], 5).hidden);
    assert!(!shown(&clock, &[], &[(0, Start)], 19).hidden && shown(&clock, &[], &[(0, Start)], 20).hidden);
}

#[test]
fn what_was_kept_of_count_downs_is_read_as_clocks() {
    let kept = r#"{"family":"countdown","title":"First train","seconds":600,"ready_text":"","done_text":"All aboard"}"#;
    let definition: crate::widgets::Definition = serde_json::from_str(kept).unwrap();
    assert_eq!(definition.unfolded().key(), "clock");
    let act: Act = serde_json::from_str(r#"{"family":"countdown","act":"add","seconds":60}"#).unwrap();
    assert_eq!(act, Act::Clock(Add { seconds: 60 }));
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
