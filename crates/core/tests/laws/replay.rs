//! Replay equals live, from any snapshot; a duplicate and what was undone have never been.

use crate::LIVES;
use crate::life::{CLOCK, COUNTERS, Life, RESET, Step, begin, channel, live, next, step};
use proptest::prelude::*;
use tally_core::channel::{Press, Snapshot};
use tally_core::record::entry::Body;
use tally_core::record::ids::WidgetId;
use tally_core::widgets::Action;

proptest! {
    #![proptest_config(ProptestConfig { cases: LIVES, ..ProptestConfig::default() })]

    #[test]
    fn replay_equals_live(steps in prop::collection::vec(step(), 0..60), cut in any::<prop::sample::Index>()) {
        let Life { channel: lived, entries, now } = live(&steps);
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
        let pages = before.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
        let snapshot: Snapshot = serde_json::from_str(&stored).unwrap();
        let mut resumed = channel().resume(snapshot, pages).unwrap();
        prop_assert_eq!(&resumed, &before);
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
        let Life { channel: lived, entries, now } = live(&steps);
        let mut more = steps.clone();
        more.extend(again.iter().filter_map(|pick| {
            let (step, _) = &steps[pick.index(steps.len())];
            matches!(step, Step::Event { .. } | Step::Gift { .. }).then(|| (step.clone(), 0))
        }));
        let twice = live(&more);
        prop_assert_eq!(entries.len(), twice.entries.len());
        for (id, _) in lived.widgets() {
            prop_assert_eq!(twice.channel.view(id, now), lived.view(id, now));
        }
    }

    #[test]
    fn undoing_everything_by_hand_leaves_only_what_happened(steps in prop::collection::vec(step(), 0..40)) {
        let Life { channel: mut lived, entries, now } = live(&steps);
        for widget in COUNTERS.chain([CLOCK, RESET]) {
            let press = Press { widget: WidgetId(widget), action: Action { name: "undo", value: None, text: None, side: None }, by: "bram" };
            while let Ok(body) = lived.decide(&press, now) {
                prop_assert!(matches!(body, Body::Void { .. }), "undo voids a line");
                let entry = next(&lived, now, body);
                lived.apply(&entry);
            }
        }
        let mut untouched = channel();
        for entry in entries.iter().filter(|entry| !matches!(entry.body, Body::Act { .. } | Body::Void { .. })) {
            untouched.apply(entry);
        }
        for (id, _) in untouched.widgets() {
            prop_assert_eq!(lived.view(id, now), untouched.view(id, now));
        }
    }

    #[test]
    fn figures_at_hand_are_those_of_a_recount(steps in prop::collection::vec(step(), 0..40), turns in any::<u64>()) {
        let mut life = Life::begun();
        for (number, (step, wait)) in steps.iter().enumerate() {
            life.now += chrono::TimeDelta::seconds(*wait);
            life.step(number, step);
            if turns >> (number % 64) & 1 == 1 {
                life.channel.turn(life.now);
            }
        }
        let Life { mut channel, now, .. } = life;
        channel.turn(now);
        let scope = channel.scope(now);
        for (id, piece) in channel.widgets() {
            for count in piece.counts(channel.settings()) {
                let recount = count.recount(scope.span(&count), scope.book, scope.settings);
                let at_hand = scope.tally(&count);
                prop_assert_eq!(at_hand.sum, recount.sum, "{}", id);
                prop_assert_eq!((at_hand.lines, at_hand.unpriced), (recount.lines, recount.unpriced), "{}", id);
                prop_assert_eq!(at_hand.latest, recount.latest, "{}", id);
                prop_assert_eq!(at_hand.largest(), recount.largest(), "{}", id);
                prop_assert_eq!(scope.ranking(&count, 9), recount.ranking(9), "{}", id);
            }
        }
    }
}

#[test]
fn a_life_begins_with_everybody_who_can_be_merged() {
    assert!(Life::begun().entries.iter().all(|entry| entry.happened_at < begin()));
}
