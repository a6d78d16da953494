use super::*;
use crate::fixtures::{World, entry, settings};
use crate::money::{Currency, Money};
use crate::record::entry::Body;
use crate::record::happening::{Actor, Happening};
use chrono::TimeDelta;

fn begin() -> Instant {
    "2026-11-24T19:00:00Z".parse().unwrap()
}

/// Tips by these people of so many pounds, a minute apart.
fn world(tips: &[(&str, i64)]) -> World {
    let tip = |(seq, (name, pounds)): (u64, &(&str, i64))| {
        let actor = Actor { id: None, name: (*name).into(), avatar: None, anonymous: name.is_empty() };
        let amount = Money { minor: pounds * 100, currency: Currency::parse("GBP").unwrap() };
        let at = begin() + TimeDelta::minutes(i64::try_from(seq).unwrap());
        entry(seq, at, Body::Happening(Happening::Tip { actor, amount, message: Some("choo".into()) }))
    };
    World::after(&(1..).zip(tips).map(tip).collect::<Vec<_>>())
}

fn text(world: &World, edits: &[(&str, &str)]) -> String {
    let scope = world.scope(begin() + TimeDelta::minutes(30));
    let mut label = Label::standard(&settings());
    for (key, text) in edits {
        label.edit(key, text, &scope).unwrap();
    }
    label.view(&NoActs {}, &scope).text()
}

#[test]
fn it_tells_of_the_latest_the_largest_the_nth_and_the_top() {
    let world = world(&[("ninepins", 5), ("quietferry", 20), ("oatcake_jo", 20), ("ninepins", 17), ("", 3)]);
    for (edits, expected) in [
        (&[][..], "Somebody £3"),
        (&[("nth", "2")], "ninepins £17"),
        (&[("nth", "6")], "Be the first"),
        (&[("which", "largest")], "quietferry £20"),
        (&[("which", "top")], "ninepins £22"),
        (&[("which", "top"), ("nth", "2")], "quietferry £20"),
        (&[("which", "top"), ("nth", "4")], "Be the first"),
        (&[("template", "{{ name|upper }}: {{ message }}, {{ ago }}")], "SOMEBODY: choo, 25\u{a0}min"),
        (&[("only", "least"), ("least", "18")], "oatcake_jo £20"),
        (&[("period", "today"), ("measure", "count_of_follows")], "Be the first"),
    ] {
        assert_eq!(text(&world, edits), expected, "{edits:?}");
    }
}

#[test]
fn an_empty_ledger_shows_the_placeholder() {
    for which in ["latest", "largest", "top"] {
        assert_eq!(text(&World::new(), &[("which", which)]), "Be the first");
        assert_eq!(text(&World::new(), &[("which", which), ("placeholder", "")]), "");
    }
}

#[test]
fn a_wrong_text_is_refused_with_line_and_column() {
    let world = World::new();
    let mut label = Label::standard(&settings());
    let error = label.edit("template", "one\n{{ nmae }}", &world.scope(begin())).unwrap_err().to_string();
    assert!(error.starts_with("The text is wrong in line 2, column 4: there is no value called nmae"), "{error}");
    assert_eq!(label, Label::standard(&settings()));
}

#[test]
fn its_sentence_reads_well() {
    let sentence = crate::sentence::plain(&Label::standard(&settings()).sentence(&World::new().scope(begin())));
    assert_eq!(
        sentence,
        "Latest tip tells of the latest one in first place of tips as they come, from all time, saying name and figure; \
         before there is one, Be the first"
    );
}
