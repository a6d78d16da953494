//! What an entry costs is bounded by what it touches and what is shown, however much happened today: facts that are gone through
//! are counted.

use crate::life::{begin, channel, next};
use chrono::TimeDelta;
use std::collections::BTreeMap;
use tally_core::book::looked_at;
use tally_core::channel::Channel;
use tally_core::money::{Currency, Money};
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::{Actor, Happening, Tier};
use tally_core::time::Instant;

/// Entries of a dense day.
const ENTRIES: i64 = 6_000;
/// Most facts that one drawing may go through; an event list shows up to fifty.
const A_DRAWING: u64 = 60;
/// Most that an entry may have gone through in all, until everything that it touches is drawn: twenty for each of the widgets.
const AN_ENTRY: u64 = 2_300;

fn happening(number: i64) -> Happening {
    let name = format!("dense_{}", number * 7 % 40);
    let actor = Actor { id: None, name, avatar: None, anonymous: false };
    let tier = Tier::default();
    match number % 6 {
        0..=2 => {
            let amount = Money { minor: 350, currency: Currency::parse("GBP").unwrap() };
            Happening::Tip { actor, amount, message: None }
        }
        3 => Happening::Cheer { actor, points: 100, message: None },
        4 => Happening::Gift { actor, tier, count: 3 },
        _ => Happening::Sub { actor, tier, months: None, message: None, gifted_by: None },
    }
}

fn at(number: i64) -> Instant {
    begin() + TimeDelta::milliseconds(number * 400)
}

/// Most allocations while an entry is folded in, some four for each of the widgets.
const ALLOCATIONS: u64 = 450;

/// Lets something happen; what was gone through for it, and for the drawing of each widget that it touches.
fn happens(channel: &mut Channel, number: i64, late: i64) -> (u64, BTreeMap<String, u64>) {
    let when = at(number);
    let line = next(channel, when, Body::Happening(happening(number)));
    let line = Entry { happened_at: at(number - late), ..line };
    let before = looked_at();
    let touched = channel.apply(&line);
    channel.turn(when);
    let mut drawn = BTreeMap::new();
    for id in touched {
        let before = looked_at();
        drop(channel.view(id, when));
        let _ = channel.wakes_at(id, when);
        let named = format!("{} {id}", channel.widget(id).unwrap().key());
        let most = drawn.entry(named).or_default();
        *most = (looked_at() - before).max(*most);
    }
    (looked_at() - before, drawn)
}

#[test]
fn an_entry_of_a_dense_day_costs_what_it_touches_and_what_is_shown() {
    let mut channel = channel();
    let begins = next(&channel, begin(), Body::Show { by: "odile".into(), act: ShowAct::Begin });
    channel.apply(&begins);
    for number in 0..ENTRIES {
        let line = next(&channel, at(number), Body::Happening(happening(number)));
        channel.apply(&line);
    }
    // Whatever is shown has been drawn once.
    let all: Vec<_> = channel.widgets().map(|(id, _)| id).collect();
    channel.turn(at(ENTRIES));
    for id in all {
        drop(channel.view(id, at(ENTRIES)));
        let _ = channel.wakes_at(id, at(ENTRIES));
    }
    for number in ENTRIES..ENTRIES + 200 {
        // Every fourth comes some seconds late.
        let (all, drawn) = happens(&mut channel, number, if number % 4 == 0 { 9 } else { 0 });
        let dear: BTreeMap<_, _> = drawn.iter().filter(|(_, most)| **most > A_DRAWING).collect();
        assert!(dear.is_empty(), "{dear:?}");
        assert!(all <= AN_ENTRY, "{all}");
    }
    let line = next(&channel, at(ENTRIES + 200), Body::Happening(happening(0)));
    let allocated = allocation_counter::measure(|| drop(channel.apply(&line)));
    assert!(allocated.count_total <= ALLOCATIONS, "{allocated:?}");
}
