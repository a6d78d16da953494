//! Polls, drawn at random: any order and any batches, and whatever is pressed.

use super::{POLL, Show, begin, voter};
use crate::common::settings;
use proptest::prelude::*;
use std::collections::BTreeMap;
use tally_core::book::chat::Role;
use tally_core::channel::Channel;
use tally_core::record::acts::poll::Vote;
use tally_core::record::acts::{Act, PollAct};
use tally_core::record::entry::Body;
use tally_core::record::happening::PollState;
use tally_core::record::ids::Seq;
use tally_core::widgets::Piece;

/// Votes by a few viewers: who, for what, when, and whether they subscribe.
fn ballots() -> impl Strategy<Value = Vec<(u8, u8, i64, bool)>> {
    prop::collection::vec((0_u8..12, 0_u8..3, 0_i64..70_000, any::<bool>()), 0..60)
}

/// Which option each viewer's vote counts for, by a walk over all votes in order of time.
fn naive(votes: &[(u8, u8, i64, bool)], last: bool) -> BTreeMap<u8, (u8, bool)> {
    let mut sorted = votes.to_vec();
    sorted.sort_by_key(|(_, option, at, subscriber)| (*at, *option, *subscriber));
    let mut counted = BTreeMap::new();
    for (viewer, option, at, subscriber) in sorted {
        if at <= 60_000 && (last || !counted.contains_key(&viewer)) {
            counted.insert(viewer, (option, subscriber));
        }
    }
    counted
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn in_any_order_and_any_batches_the_same_votes_count(
        votes in ballots(), order in any::<u64>(), sizes in prop::collection::vec(1_usize..9, 1..20), last in any::<bool>(), weight in 1_u32..5,
    ) {
        let (counts, weight_words) = (if last { "last" } else { "first" }, weight.to_string());
        let mut show = Show::asking(&[("length", "1:00"), ("counts", counts), ("weight", &weight_words)]);
        let mut shuffled = votes.clone();
        // A shuffle that any seed tells.
        shuffled.sort_by_key(|(viewer, option, at, _)| (u64::from(*viewer) * 131 + u64::from(*option) * 31).wrapping_mul(order) ^ at.unsigned_abs().wrapping_mul(order | 1));
        let mut sizes = sizes.into_iter().cycle();
        let mut rest = shuffled.as_slice();
        while !rest.is_empty() {
            let (batch, more) = rest.split_at(sizes.next().unwrap().min(rest.len()));
            rest = more;
            let votes = batch.iter().map(|(viewer, option, at, subscriber)| Vote {
                voter: voter(&viewer.to_string()),
                option: *option,
                at: begin().timestamp_millis() + at,
                subscriber: *subscriber,
            }).collect();
            let act = Act::Poll(PollAct::Votes { poll: Seq(1), votes });
            show.append(show.now, Body::Act { widget: POLL, by: "chat".into(), act });
        }
        let model = naive(&votes, last);
        for option in 0..3_u8 {
            let mine = model.values().filter(|(chosen, _)| *chosen == option);
            let weighted: u64 = mine.clone().map(|(_, subscriber)| if *subscriber { u64::from(weight) } else { 1 }).sum();
            prop_assert_eq!(show.votes()[usize::from(option)], (mine.count() as u64, weighted));
        }
        let shares: u32 = show.view().options.iter().map(|one| u32::from(one.percent)).sum();
        prop_assert_eq!(shares, if model.is_empty() { 0 } else { 100 });
        prop_assert_eq!(show.replayed(), show.channel);
    }

    /// Whatever is pressed and said: replay equals live, a snapshot on the way changes nothing, and a closed poll's
    /// result stays as it was.
    #[test]
    fn replay_equals_live(steps in prop::collection::vec((0_u8..14, 0_i64..40_000, 0_u8..6), 1..40), tips in any::<bool>()) {
        let mut show = Show::of(&[("length", "0:30"), ("tips", if tips { "1" } else { "0" })]);
        let mut resumed: Option<Channel> = None;
        for (what, wait, who) in steps {
            show.wait(wait);
            let name = format!("viewer{who}");
            match what {
                0 => drop(show.press("open", Some(1))),
                1 => drop(show.press("open", Some(2))),
                2 => drop(show.press("close", None)),
                3 => drop(show.press("extend", None)),
                4 => drop(show.press("cancel", None)),
                5 => drop(show.press("recall", None)),
                6 => drop(show.press("hide", None)),
                7 => drop(show.press("decide", Some(1))),
                8 => drop(show.tips(300, "1")),
                9 => drop(show.tell((show.now - begin()).num_seconds(), &[("A", 1), ("B", u32::from(who))], PollState::Open, None)),
                10 if resumed.is_none() => {
                    let fresh = Channel::new(settings(), [(POLL, show.channel.widget(POLL).unwrap().emptied())]);
                    let snapshot = serde_json::to_string(&show.channel.snapshot()).unwrap();
                    let pages = show.channel.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
                    resumed = fresh.resume(serde_json::from_str(&snapshot).unwrap(), pages);
                    prop_assert_eq!(resumed.as_ref(), Some(&show.channel));
                }
                _ => drop(show.says_late(&name, None, Role::Viewer, &((who % 2) + 1).to_string(), i64::from(who) * 400)),
            }
        }
        let replayed = show.replayed();
        prop_assert_eq!(&replayed, &show.channel);
        prop_assert_eq!(replayed.view(POLL, show.now), show.channel.view(POLL, show.now));
        let Piece::Poll(folded) = show.channel.widget(POLL).unwrap() else { panic!() };
        let scope = show.channel.scope(show.now);
        for outcome in folded.state.outcomes_here(&scope) {
            let votes: u64 = outcome.options.iter().map(|one| one.votes).sum();
            prop_assert!(votes <= 6, "one vote a viewer");
        }
    }
}
