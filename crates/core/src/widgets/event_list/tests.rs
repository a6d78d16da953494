use super::*;
use crate::fixtures::{World, entry, settings};
use crate::record::entry::Body;
use crate::record::happening::{Actor, Happening};

fn begin() -> Instant {
    "2026-11-24T19:00:00Z".parse().unwrap()
}

/// Follows of these people, ten seconds apart.
fn world(names: &[&str]) -> World {
    let follow = |(seq, name): (u64, &&str)| {
        let actor = Actor { id: None, name: (*name).into(), avatar: None, anonymous: false };
        let at = begin() + TimeDelta::seconds(10 * i64::try_from(seq).unwrap());
        entry(seq, at, Body::Happening(Happening::Follow { actor }))
    };
    World::after(&(1..).zip(names).map(follow).collect::<Vec<_>>())
}

fn text_at(list: &EventList, world: &World, second: i64) -> String {
    list.view(&NoActs {}, &world.scope(begin() + TimeDelta::seconds(second))).text()
}

fn edited(edits: &[(&str, &str)]) -> EventList {
    let (world, mut list) = (World::new(), EventList::standard(&settings()));
    for (key, text) in edits {
        list.edit(key, text, &world.scope(begin())).unwrap();
    }
    list
}

#[test]
fn the_newest_stand_first_or_last_and_no_more_than_there_is_room_for() {
    let world = world(&["ninepins", "quietferry", "oatcake_jo"]);
    let first = edited(&[("most", "2")]);
    assert_eq!(text_at(&first, &world, 60), "oatcake_jo follows\nquietferry follows");
    let last = edited(&[("most", "2"), ("order", "last")]);
    assert_eq!(text_at(&last, &world, 60), "quietferry follows\noatcake_jo follows");
    assert_eq!(text_at(&first, &World::new(), 60), "All quiet on the line");
}

#[test]
fn a_line_lives_as_long_as_it_should_and_the_list_wakes_for_its_end() {
    let (world, list) = (world(&["ninepins", "quietferry"]), edited(&[("life", "0:30")]));
    let wakes = |second: i64| {
        let at = list.wakes_at(&NoActs {}, &world.scope(begin() + TimeDelta::seconds(second)));
        at.map(|at| (at - begin()).num_seconds())
    };
    assert_eq!(text_at(&list, &world, 39), "quietferry follows\nninepins follows");
    assert_eq!(wakes(39), Some(40));
    assert_eq!(text_at(&list, &world, 40), "quietferry follows");
    assert_eq!(wakes(40), Some(50));
    assert_eq!(text_at(&list, &world, 50), "All quiet on the line");
    assert_eq!(wakes(50), None);
}

#[test]
fn after_a_quiet_time_all_hide() {
    let (world, list) = (world(&["ninepins", "quietferry"]), edited(&[("quiet", "60"), ("placeholder", "")]));
    assert_eq!(text_at(&list, &world, 79), "quietferry follows\nninepins follows");
    assert_eq!(text_at(&list, &world, 80), "");
}

#[test]
fn wrong_values_are_refused_in_words() {
    let world = World::new();
    for (key, text, why) in [
        ("most", "0", "The number of lines must lie between 1 and 50"),
        ("most", "51", "The number of lines must lie between 1 and 50"),
        ("life", "long", "The lifetime of a line must be a length of time"),
        ("life", "25:00:00", "The lifetime of a line must be a day at most"),
        ("order", "middle", "The order is none of the choices"),
        ("line:tip:template", "{{", "The text is wrong in line 1"),
        ("target", "1", "This widget has no part called “target”"),
    ] {
        let error = EventList::standard(&settings()).edit(key, text, &world.scope(begin())).unwrap_err();
        assert!(error.to_string().starts_with(why), "{key} {text}: {error}");
    }
}

#[test]
fn its_sentence_reads_well() {
    let list = edited(&[("kinds", "tip,raid"), ("fade_from", "4"), ("life", "90")]);
    let sentence = crate::sentence::plain(&list.sentence(&World::new().scope(begin())));
    assert_eq!(
        sentence,
        "Just now tells of tips and raids from all time, on 5 lines at most, the newest at the top; one supporter’s entries \
         fold within 1:00; a line lives 1:30, all hide after no quiet time, growing paler from the 4th on; at first it \
         says All quiet on the line"
    );
}
