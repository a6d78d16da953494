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
    counter.value(&folded(counter, bodies), &World::new().scope(noon()))
}

const ADD: CounterAct = CounterAct::Add { by: 1 };

#[test]
fn presses_add_up_and_any_of_them_can_be_taken_back() {
    let counter = Counter::standard(&settings());
    let five = [ADD, CounterAct::Add { by: 5 }, ADD, ADD, ADD].map(did);
    assert_eq!(value(&counter, &five), 9);
    let undone = [five.to_vec(), vec![undo(2)]].concat();
    assert_eq!(value(&counter, &undone), 4, "the press from four presses ago");
    let redone = [undone, vec![undo(6)]].concat();
    assert_eq!(value(&counter, &redone), 9);
}

#[test]
fn a_press_before_a_set_is_taken_back_without_effect() {
    let acts = [did(ADD), did(CounterAct::Set { to: 10 }), did(ADD), undo(1)];
    assert_eq!(value(&Counter::standard(&settings()), &acts), 11);
    assert_eq!(value(&Counter::standard(&settings()), &[acts.to_vec(), vec![undo(2)]].concat()), 1);
}

#[test]
fn pressing_past_floor_and_ceiling_stays_there() {
    let counter = Counter { floor: Some(0), ceiling: Some(3), start: 2, ..Counter::standard(&settings()) };
    assert_eq!(value(&counter, &[]), 2);
    assert_eq!(value(&counter, &[did(ADD), did(ADD), did(ADD)]), 3);
    assert_eq!(value(&counter, &[did(CounterAct::Add { by: -9 }), did(ADD)]), 1);
    assert_eq!(value(&counter, &[did(ADD), did(CounterAct::Reset)]), 2);
    let set = Action { name: "set", value: Some(4) };
    let refused = counter.decide(&State::default(), &set, noon()).unwrap_err();
    assert_eq!(refused.to_string(), "4 lies outside this counter's bounds (floor 0, ceiling 3)");
}

#[test]
fn a_daily_counter_begins_again_at_the_day_start() {
    let counter = Counter { resets: Resets::EachDay, start: 1, ..Counter::standard(&settings()) };
    let state = folded(&counter, &[did(ADD), did(ADD)]);
    let morning: Instant = "2026-11-25T05:00:00Z".parse().unwrap();
    assert_eq!(counter.value(&state, &World::new().scope(morning - TimeDelta::seconds(1))), 3);
    assert_eq!(counter.value(&state, &World::new().scope(morning)), 1);
    assert_eq!(counter.wakes_at(&state, &World::new().scope(noon())), Some(morning));
    let mut state = state;
    counter.apply(&mut state, &entry(3, morning, did(ADD)));
    assert_eq!(counter.value(&state, &World::new().scope(morning)), 2);
}

#[test]
fn a_counter_that_resets_with_each_show_begins_again_when_one_begins() {
    let counter = Counter { resets: Resets::EachShow, ..Counter::standard(&settings()) };
    let state = folded(&counter, &[did(ADD), did(ADD)]);
    let later = noon() + TimeDelta::hours(7);
    assert_eq!(counter.value(&state, &World::new().scope(later)), 2, "there has been no show yet");
    let begin = Body::Show { by: "odile".into(), act: crate::record::acts::ShowAct::Begin };
    let on_air = World::after(&[entry(3, later, begin)]);
    assert_eq!(counter.value(&state, &on_air.scope(later)), 0);
    let mut state = state;
    counter.apply(&mut state, &entry(4, later, did(ADD)));
    assert_eq!(counter.value(&state, &on_air.scope(later)), 1);
    assert!(counter.follows_shows());
}

#[test]
fn actions_become_acts_with_the_step_of_the_moment() {
    let counter = Counter { step: 3, ..Counter::standard(&settings()) };
    let decide = |name, value| counter.decide(&State::default(), &Action { name, value }, noon());
    assert_eq!(decide("add", None), Ok(Act::Counter(CounterAct::Add { by: 3 })));
    assert_eq!(decide("subtract", Some(2)), Ok(Act::Counter(CounterAct::Add { by: -2 })));
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
        "New counter counts by hand in steps of 1 from 0, never below anything nor above 10, towards 8, and resets by hand only"
    );
    let View::Counter(view) = counter.view(&State::default(), &scope) else { panic!() };
    assert_eq!(view.text(), "0 of 8");
}

fn act() -> impl Strategy<Value = CounterAct> {
    prop_oneof![
        (-20_i64..20).prop_map(|by| CounterAct::Add { by }),
        (-50_i64..50).prop_map(|to| CounterAct::Set { to }),
        Just(CounterAct::Reset),
        any::<i64>().prop_map(|by| CounterAct::Add { by }),
    ]
}

fn counter() -> impl Strategy<Value = Counter> {
    (prop::option::of(-30_i64..0), prop::option::of(1_i64..30), -5_i64..5, any::<bool>()).prop_map(
        |(floor, ceiling, start, daily)| Counter {
            floor,
            ceiling,
            start,
            resets: if daily { Resets::EachDay } else { Resets::ByHand },
            ..Counter::standard(&settings())
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
        prop_assert!(counter.floor.is_none_or(|floor| value >= floor));
        prop_assert!(counter.ceiling.is_none_or(|ceiling| value <= ceiling));
    }
}
