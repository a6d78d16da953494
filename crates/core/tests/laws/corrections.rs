//! The effect of any chain of corrections is that of a ledger in which the mistake was never made.

use crate::LIVES;
use crate::life::{Life, begin, channel, live, next, step};
use proptest::prelude::*;
use std::collections::BTreeMap;
use tally_core::book::names::key;
use tally_core::channel::Channel;
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::{Body, Entry};
use tally_core::record::ids::{FeedId, Seq};

/// The ledger in which all was right from the start: shows as they were, rates as they are, every line
/// once with what it says in the end, and everybody merged with whom they are.
fn right(lived: &Channel, entries: &[Entry], rates_at: usize) -> Channel {
    let book = lived.book();
    let mut clean = channel();
    for show in book.shows().all() {
        let line = next(&clean, show.from, Body::Show { by: "odile".into(), act: ShowAct::Begin });
        clean.apply(&line);
        if let Some(to) = show.to {
            let line = next(&clean, to, Body::Show { by: "odile".into(), act: ShowAct::End });
            clean.apply(&line);
        }
    }
    let days: BTreeMap<_, _> = book.rates().tables().map(|(day, table)| (*day, table.clone())).collect();
    let mut place = 1_000;
    for (index, entry) in entries.iter().enumerate() {
        if index == rates_at && !days.is_empty() {
            let line = next(&clean, begin(), Body::Rates { days: days.clone() });
            clean.apply(&Entry { seq: Seq(place), ..line });
            place += 1;
        }
        let Body::Happening(_) = &entry.body else { continue };
        let fact = book.find(entry.happened_at, entry.seq).unwrap();
        if book.stands(fact) {
            let body = Body::Happening(book.happening(fact));
            clean.apply(&Entry { seq: Seq(place), body, ..entry.clone() });
            place += 1;
        }
    }
    if rates_at >= entries.len() && !days.is_empty() {
        let line = next(&clean, begin(), Body::Rates { days });
        clean.apply(&line);
    }
    // Whoever counts as somebody else: the newest word of each.
    let mut merges: BTreeMap<&str, Option<&str>> = BTreeMap::new();
    for entry in entries {
        if let Body::Merge { from, into, .. } = &entry.body {
            merges.insert(from, into.as_deref());
        }
    }
    for (from, into) in merges.into_iter().filter_map(|(from, into)| Some((from, into?))) {
        let body = Body::Merge { by: "odile".into(), from: from.into(), into: Some(into.into()) };
        let line = next(&clean, begin(), body);
        clean.apply(&line);
    }
    clean
}

proptest! {
    #![proptest_config(ProptestConfig { cases: LIVES, ..ProptestConfig::default() })]

    #[test]
    fn corrections_leave_the_words_of_a_clean_ledger(
        steps in prop::collection::vec(step(), 1..50),
        withdrawn in 0..4_u8,
        rates_at in any::<prop::sample::Index>(),
    ) {
        let Life { channel: mut lived, entries, now } = live(&steps);
        if withdrawn == 0 {
            let body = lived.decide_withdraw(FeedId(1), "a feed", "odile", true).unwrap();
            let line = next(&lived, now, body);
            lived.apply(&line);
            prop_assert!(lived.decide_withdraw(FeedId(1), "a feed", "odile", true).is_err());
        }
        lived.turn(now);
        let mut clean = right(&lived, &entries, rates_at.index(entries.len() + 1));
        clean.turn(now);
        // What is operated follows acts, which name the lines that they take back.
        for (id, piece) in lived.widgets().filter(|(_, piece)| !matches!(piece.key(), "counter" | "clock")) {
            if piece.counts(lived.settings()).iter().any(|count| count.since.is_some()) {
                continue;
            }
            let text = |channel: &Channel| channel.view(id, now).unwrap().text();
            prop_assert_eq!(text(&lived), text(&clean), "{} {}", id, piece.title());
        }
    }
}

#[test]
fn a_key_is_an_id_or_a_folded_name() {
    assert_eq!((key(Some("42"), "Ade"), key(None, " ADE ")), ("#42".into(), "ade".into()));
}
