use super::*;
use crate::fixtures::{World, entry, settings};
use crate::record::entry::Body;
use crate::record::ids::WidgetId;
use chrono::TimeDelta;
use proptest::prelude::*;

fn noon() -> Instant {
    "2026-11-24T12:00:00Z".parse().unwrap()
}

fn did(act: CounterAct) -> Body {
    Body::Act { widget: WidgetId(1), by: "odile".into(), act: Act::Counter(act) }
}

fn undo(target: u64) -> Body {
    Body::Void { widget: WidgetId(1), by: "bram".into(), target: Seq(target) }
}

fn folded(counter: &Counter, bodies: &[Body]) -> State {
    let mut state = State::default();
    for (seq, body) in (1..).zip(bodies) {
        counter.apply(&mut state, &entry(seq, noon(), body.clone()));
    }
    state
}

fn value(counter: &Counter, bodies: &[Body]) -> i64 {
    counter.counted(0, &folded(counter, bodies), &World::new().scope(noon())).value
}

fn of(first: One, resets: Resets) -> Counter {
    Counter { first, resets, ..Counter::standard(&settings()) }
}

const ADD: CounterAct = CounterAct::Add { by: 1, place: 0 };

#[test]
fn presses_add_up_and_any_of_them_can_be_taken_back() {
    let counter = Counter::standard(&settings());
    let five = [ADD, CounterAct::Add { by: 5, place: 0 }, ADD, ADD, ADD].map(did);
    assert_eq!(value(&counter, &five), 9);
    let undone = [five.to_vec(), vec![undo(2)]].concat();
    assert_eq!(value(&counter, &undone), 4, "the press from four presses ago");
    let redone = [undone, vec![undo(6)]].concat();
    assert_eq!(value(&counter, &redone), 9);
}

#[test]
fn a_press_before_a_set_is_taken_back_without_effect() {
    let acts = [did(ADD), did(CounterAct::Set { to: 10, place: 0 }), did(ADD), undo(1)];
    assert_eq!(value(&Counter::standard(&settings()), &acts), 11);
    assert_eq!(value(&Counter::standard(&settings()), &[acts.to_vec(), vec![undo(2)]].concat()), 1);
}

#[test]
fn pressing_past_floor_and_ceiling_stays_there() {
    let counter = of(One { floor: Some(0), ceiling: Some(3), start: 2, ..One::called("Test") }, Resets::ByHand);
    assert_eq!(value(&counter, &[]), 2);
    assert_eq!(value(&counter, &[did(ADD), did(ADD), did(ADD)]), 3);
    assert_eq!(value(&counter, &[did(CounterAct::Add { by: -9, place: 0 }), did(ADD)]), 1);
    assert_eq!(value(&counter, &[did(ADD), did(CounterAct::Reset { place: 0 })]), 2);
    let set = Action { name: "set", value: Some(4), text: None, side: None };
    let refused = counter.decide(&State::default(), &set, &World::new().scope(noon())).unwrap_err();
    assert_eq!(refused.to_string(), "4 lies outside this counter's bounds (floor 0, ceiling 3)");
}

#[test]
fn a_daily_counter_begins_again_at_the_day_start() {
    let counter = of(One { start: 1, ..One::called("Test") }, Resets::EachDay);
    let state = folded(&counter, &[did(ADD), did(ADD)]);
    let morning: Instant = "2026-11-25T05:00:00Z".parse().unwrap();
    assert_eq!(counter.counted(0, &state, &World::new().scope(morning - TimeDelta::seconds(1))).value, 3);
    assert_eq!(counter.counted(0, &state, &World::new().scope(morning)).value, 1);
    assert_eq!(counter.wakes_at(&state, &World::new().scope(noon())), Some(morning));
    let mut state = state;
    counter.apply(&mut state, &entry(3, morning, did(ADD)));
    assert_eq!(counter.counted(0, &state, &World::new().scope(morning)).value, 2);
}

#[test]
fn a_counter_that_resets_with_each_show_begins_again_when_one_begins() {
    let counter = Counter { resets: Resets::EachShow, ..Counter::standard(&settings()) };
    let state = folded(&counter, &[did(ADD), did(ADD)]);
    let later = noon() + TimeDelta::hours(7);
    assert_eq!(counter.counted(0, &state, &World::new().scope(later)).value, 2, "there has been no show yet");
    let begin = Body::Show { by: "odile".into(), act: crate::record::acts::ShowAct::Begin };
    let on_air = World::after(&[entry(3, later, begin)]);
    assert_eq!(counter.counted(0, &state, &on_air.scope(later)).value, 0);
    let mut state = state;
    counter.apply(&mut state, &entry(4, later, did(ADD)));
    assert_eq!(counter.counted(0, &state, &on_air.scope(later)).value, 1);
    assert!(counter.follows_shows());
}

#[test]
fn actions_become_acts_with_the_step_of_the_moment() {
    let counter = of(One { step: 3, ..One::called("Test") }, Resets::ByHand);
    let decide = |name, value| {
        counter.decide(&State::default(), &Action { name, value, text: None, side: None }, &World::new().scope(noon()))
    };
    assert_eq!(decide("add", None), Ok(Act::Counter(CounterAct::Add { by: 3, place: 0 })));
    assert_eq!(decide("subtract", Some(2)), Ok(Act::Counter(CounterAct::Add { by: -2, place: 0 })));
    assert!(matches!(decide("set", None), Err(Refusal::WrongValue(_))));
    assert!(matches!(decide("set", Some(i64::MIN)), Err(Refusal::WrongValue(_))));
    assert!(matches!(decide("spin", None), Err(Refusal::NoSuchAction(..))));
}

#[test]
fn edits() {
    let world = World::new();
    let scope = world.scope(noon());
    let mut counter = Counter::standard(&settings());
    counter.edit("ceiling", "10", &scope).unwrap();
    assert!(counter.edit("floor", "10", &scope).is_err());
    assert!(counter.edit("step", "0", &scope).is_err());
    counter.edit("floor", "", &scope).unwrap();
    counter.edit("target", "8", &scope).unwrap();
    assert_eq!(
        crate::sentence::plain(&counter.sentence(&scope)),
        "New counter counts by hand in steps of 1 from 0, never below anything nor above 10, towards 8, with its name, and resets by hand only. Beside it stands nothing. The widget counts nothing else"
    );
    let View::Counter(view) = counter.view(&State::default(), &scope) else { panic!() };
    assert_eq!(view.text(), "0 of 8");
}

#[test]
fn this_show_and_all_time_stand_beside_the_value_and_in_its_text() {
    let world = World::new();
    let scope = world.scope(noon());
    let mut counter = Counter::standard(&settings());
    counter.edit("resets", "each_day", &scope).unwrap();
    counter.edit("beside", "show_and_all_time", &scope).unwrap();
    counter.edit("text", "*{{ value }}* today, {{ show }} this show, {{ all_time }} ever", &scope).unwrap();
    assert!(counter.edit("text", "{{ valeu }}", &scope).unwrap_err().to_string().contains("column 4"));
    let begin = Body::Show { by: "odile".into(), act: crate::record::acts::ShowAct::Begin };
    let on_air = World::after(&[entry(1, noon() - TimeDelta::hours(30), begin)]);
    let mut state = State::default();
    let at = [-100, -29, -20, -1, 0].map(|hours| noon() + TimeDelta::hours(hours));
    let acts = [ADD, ADD, CounterAct::Set { to: 5, place: 0 }, CounterAct::Reset { place: 0 }, ADD];
    for (seq, (at, act)) in (2..).zip(at.into_iter().zip(acts)) {
        counter.apply(&mut state, &entry(seq, at, did(act)));
    }
    // The day before: one, set to five; today: reset, one. Before the show: one.
    let View::Counter(view) = counter.view(&state, &on_air.scope(noon())) else { panic!() };
    assert_eq!((view.first.value, view.first.show, view.first.all_time), (1, 6, 7));
    assert_eq!(view.text(), "1 today, 6 this show, 7 ever");
    assert_eq!(view.resets_at, Some("2026-11-25T05:00:00Z".parse().unwrap()));
}

#[test]
fn several_counters_in_one_widget_are_pressed_apart() {
    let world = World::new();
    let scope = world.scope(noon());
    let mut counter = Counter::standard(&settings());
    counter.edit("title", "Heron", &scope).unwrap();
    counter.edit("more", "add", &scope).unwrap();
    counter.edit("2.title", "Copper", &scope).unwrap();
    counter.edit("2.start", "10", &scope).unwrap();
    let press = |name| counter.decide(&State::default(), &Action { name, value: None, text: None, side: None }, &scope);
    let act = press("add_2").unwrap();
    assert_eq!(act, Act::Counter(CounterAct::Add { by: 1, place: 1 }));
    assert!(act.answers("add_2", None) && !act.answers("add", None));
    assert!(press("add_3").unwrap_err().to_string().contains("add_2"));
    let state = folded(&counter, &[did(ADD), Body::Act { widget: WidgetId(1), by: "bram".into(), act }, did(ADD)]);
    let View::Counter(view) = counter.view(&state, &scope) else { panic!() };
    assert_eq!(view.text(), "Heron 2, Copper 11");
    let levers: Vec<_> = counter.levers(&state, &scope).into_iter().map(|lever| lever.label).collect();
    assert_eq!(levers, ["+1 Heron", "+1 Copper", "−1 Heron", "−1 Copper", "Undo"]);
    let sentence = crate::sentence::plain(&counter.sentence(&scope));
    assert!(sentence.contains("Also Copper counts by hand"), "{sentence}");
    for number in 3..=4 {
        counter.edit("more", "add", &scope).unwrap();
        counter.edit(&format!("{number}.step"), "2", &scope).unwrap();
    }
    assert!(counter.edit("more", "add", &scope).unwrap_err().to_string().contains("4 counters"));
    assert!(counter.edit("2.more", "drop", &scope).is_err());
    counter.edit("4.more", "drop", &scope).unwrap();
    assert_eq!(counter.more.len(), 2);
}

fn act() -> impl Strategy<Value = CounterAct> {
    prop_oneof![
        (-20_i64..20).prop_map(|by| CounterAct::Add { by, place: 0 }),
        (-50_i64..50).prop_map(|to| CounterAct::Set { to, place: 0 }),
        Just(CounterAct::Reset { place: 0 }),
        any::<i64>().prop_map(|by| CounterAct::Add { by, place: 0 }),
    ]
}

fn counter() -> impl Strategy<Value = Counter> {
    (prop::option::of(-30_i64..0), prop::option::of(1_i64..30), -5_i64..5, any::<bool>()).prop_map(
        |(floor, ceiling, start, daily)| {
            let resets = if daily { Resets::EachDay } else { Resets::ByHand };
            of(One { floor, ceiling, start, ..One::called("Test") }, resets)
        },
    )
}

proptest! {
    #[test]
    fn undo_equals_never_having_done_it(
        counter in counter(),
        acts in prop::collection::vec((act(), 0_i64..60), 1..30),
        picks in prop::collection::vec(any::<prop::sample::Index>(), 0..6),
    ) {
        let mut at = noon();
        let times: Vec<Instant> = acts.iter().map(|(_, hours)| { at += TimeDelta::hours(*hours); at }).collect();
        let gone: std::collections::BTreeSet<usize> = picks.iter().map(|pick| pick.index(acts.len())).collect();
        let (mut undone, mut never) = (State::default(), State::default());
        let mut seq = 0;
        for (index, (act, _)) in acts.iter().enumerate() {
            seq += 1;
            counter.apply(&mut undone, &entry(seq, times[index], did(*act)));
            if !gone.contains(&index) {
                counter.apply(&mut never, &entry(seq, times[index], did(*act)));
            }
        }
        for index in &gone {
            seq += 1;
            counter.apply(&mut undone, &entry(seq, at, undo(*index as u64 + 1)));
        }
        let world = World::new();
        prop_assert_eq!(counter.view(&undone, &world.scope(at)), counter.view(&never, &world.scope(at)));
    }

    #[test]
    fn it_never_leaves_its_bounds(counter in counter(), acts in prop::collection::vec(act(), 0..30)) {
        let bodies: Vec<Body> = acts.into_iter().map(did).collect();
        let value = value(&counter, &bodies);
        prop_assert!(counter.first.floor.is_none_or(|floor| value >= floor));
        prop_assert!(counter.first.ceiling.is_none_or(|ceiling| value <= ceiling));
    }
}
