use super::*;
use crate::fixtures::{World, entry, settings};
use crate::record::acts::ShowAct;
use crate::record::entry::{Body, Entry};
use crate::record::happening::Happening;

fn at(minute: u32) -> Instant {
    format!("2026-11-24T19:{minute:02}:00Z").parse().unwrap()
}

fn report(seq: u64, minute: u32, character: &str, stat: &str, total: i64) -> Entry {
    let character = Some(character.to_owned()).filter(|name| !name.is_empty());
    let stat = stat.to_owned();
    entry(seq, at(minute), Body::Happening(Happening::Stat { player: "odile".into(), character, stat, total }))
}

fn begin(seq: u64, minute: u32) -> Entry {
    entry(seq, at(minute), Body::Show { by: "odile".into(), act: ShowAct::Begin })
}

fn yardmaster() -> Tracker {
    Tracker {
        title: "Yardmaster".into(),
        statistic: "deliveries".into(),
        beside: "derailments".into(),
        ..Tracker::standard(&settings())
    }
}

fn view(tracker: &Tracker, world: &World, minute: u32) -> TrackerView {
    match tracker.view(&NoActs {}, &world.scope(at(minute))) {
        View::Tracker(view) => view,
        other => panic!("{other:?}"),
    }
}

#[test]
fn it_sums_over_characters_from_where_each_stood_when_the_show_began() {
    let world = World::after(&[
        report(1, 0, "Pannier", "deliveries", 10),
        report(2, 1, "Pannier", "deliveries", 12),
        begin(3, 2),
        report(4, 3, "Pannier", "deliveries", 15),
        // First seen within the show: its first total is where it begins.
        report(5, 4, "Tender", "deliveries", 100),
        report(6, 5, "Tender", "deliveries", 104),
        report(7, 6, "", "derailments", 1),
        report(8, 7, "", "derailments", 2),
        report(9, 8, "Pannier", "deliveries", 17),
        // Reset by the game: it goes on from there.
        report(10, 9, "Pannier", "deliveries", 0),
        report(11, 10, "Pannier", "deliveries", 1),
    ]);
    let shown = view(&yardmaster(), &world, 20);
    assert_eq!((shown.total, shown.text().as_str()), (3 + 4 + 2 + 1, "10 deliveries"));
    assert_eq!(shown.character.as_deref(), Some("Pannier"));
    let beside = shown.beside.unwrap();
    assert_eq!((beside.total, beside.ratio.as_str()), (1, "10.00"));
    assert_eq!((shown.streak, shown.best), (Some(3), Some(7)));
    let told: Vec<_> = shown.rounds.iter().map(|round| (round.character.as_deref(), round.words.as_str())).collect();
    let expected = [
        (Some("Pannier"), "+1"),
        (Some("Pannier"), "+2"),
        (None, "+1 derailments"),
        (Some("Tender"), "+4"),
        (Some("Pannier"), "+3"),
    ];
    assert_eq!(told, expected);
    let all_time = Tracker { period: Period::AllTime, ..yardmaster() };
    assert_eq!(view(&all_time, &world, 20).total, 12);
}

#[test]
fn it_says_nothing_that_the_game_has_not_reported() {
    let shown = view(&yardmaster(), &World::after(&[begin(1, 0)]), 5);
    assert_eq!((shown.total, shown.character, shown.reported_at, shown.rounds.len()), (0, None, None, 0));
    assert_eq!(shown.beside.unwrap().ratio, "0.00");
    let alone = Tracker { beside: String::new(), ..yardmaster() };
    let shown = view(&alone, &World::after(&[begin(1, 0)]), 5);
    assert_eq!((shown.streak, shown.best, shown.beside), (None, None, None));
}

#[test]
fn ratios_have_two_decimals() {
    assert_eq!([ratio(10, 3), ratio(1, 8), ratio(7, 0), ratio(0, 5)], ["3.33", "0.13", "7.00", "0.00"]);
}

#[test]
fn its_sentence_takes_what_the_game_has_reported() {
    let world = World::after(&[report(1, 0, "", "deliveries", 1)]);
    let scope = world.scope(at(5));
    let mut tracker = Tracker::standard(&settings());
    tracker.edit("statistic", "deliveries", &scope).unwrap();
    tracker.edit("period", "today", &scope).unwrap();
    tracker.edit("beside", "", &scope).unwrap();
    for (key, text) in [("period", "tomorrow"), ("statistic", ""), ("other", "x"), ("beside", &"x".repeat(61))] {
        assert!(tracker.edit(key, text, &scope).is_err(), "{key}");
    }
    assert_eq!((tracker.statistic.as_str(), tracker.period), ("deliveries", Period::Today));
}
