//! Undo and redo at any depth, over the whole channel: a board follows from its log, and the log from the ledger.

use crate::common::settings;
use crate::life::{next, piece};
use chrono::TimeDelta;
use proptest::prelude::*;
use tally_core::channel::{Channel, Press};
use tally_core::record::entry::Entry;
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tally_core::widgets::Action;
use tally_core::widgets::scoreboard::BoardView;
use tally_core::widgets::view::View;

const BOARD: WidgetId = WidgetId(1);

struct Show {
    channel: Channel,
    entries: Vec<Entry>,
    now: Instant,
}

impl Show {
    fn of(edits: &[(&str, &str)]) -> Self {
        let channel = Channel::new(settings(), [(BOARD, piece("scoreboard", edits))]);
        Self { channel, entries: Vec::new(), now: "2026-11-24T19:00:00Z".parse().unwrap() }
    }

    fn act(&mut self, action: Action<'_>, by: &str) -> Result<Seq, Refusal> {
        self.now += TimeDelta::seconds(1);
        let body = self.channel.decide(&Press { widget: BOARD, action, by }, self.now)?;
        let entry = next(&self.channel, self.now, body);
        self.channel.apply(&entry);
        self.entries.push(entry);
        Ok(self.channel.last_seq())
    }

    fn press(&mut self, name: &str, side: Option<u8>, value: Option<i64>) -> Result<Seq, Refusal> {
        self.act(Action { name, side, value, text: None }, "quietferry")
    }

    fn view(&self) -> BoardView {
        match self.channel.view(BOARD, self.now).unwrap() {
            View::Scoreboard(view) => *view,
            other => panic!("{other:?}"),
        }
    }

    fn points(&self) -> Vec<i64> {
        self.view().sides.iter().map(|side| side.points).collect()
    }
}

#[test]
fn undo_takes_the_newest_whoever_did_it_and_a_new_act_drops_what_could_be_redone() {
    let mut show = Show::of(&[("1.name", "Heron Yard"), ("2.name", "Copper Yard")]);
    assert!(show.press("undo", None, None).unwrap_err().to_string().contains("nothing to take back"));
    show.press("start", None, None).unwrap();
    let first = show.press("score", Some(1), Some(2)).unwrap();
    show.press("score", Some(2), Some(3)).unwrap();
    assert_eq!((show.points(), show.view().undo.as_deref()), (vec![2, 3], Some("+3 for Copper Yard")));
    show.act(Action { name: "undo", side: None, value: None, text: None }, "odile").unwrap();
    assert_eq!((show.points(), show.view().redo.as_deref()), (vec![2, 0], Some("+3 for Copper Yard")));
    show.press("undo", None, None).unwrap();
    assert_eq!((show.points(), show.view().redo.as_deref()), (vec![0, 0], Some("+2 for Heron Yard")));
    show.press("redo", None, None).unwrap();
    show.press("redo", None, None).unwrap();
    assert_eq!((show.points(), show.view().redo), (vec![2, 3], None));
    assert!(show.press("redo", None, None).unwrap_err().to_string().contains("nothing to put back"));
    show.press("undo", None, None).unwrap();
    show.press("score", Some(1), Some(1)).unwrap();
    assert_eq!((show.points(), show.view().redo), (vec![3, 0], None));
    assert!(show.press("redo", None, None).is_err());
    // Any line by its number, in whatever order.
    show.press("undo", None, Some(i64::try_from(first.0).unwrap())).unwrap();
    assert_eq!(show.points(), [1, 0]);
    let told = show.view();
    assert_eq!(told.last.iter().map(|act| act.words.as_str()).collect::<Vec<_>>(), ["+1 for Heron Yard", "start"]);
    assert_eq!(told.last[0].by, "quietferry");
}

#[test]
fn a_match_that_is_put_away_can_be_looked_at_and_taken_back() {
    let mut show = Show::of(&[
        ("sport", "badminton"),
        ("set_points", "2"),
        ("best_of", "1"),
        ("lead", "1"),
        ("last_set_points", "2"),
    ]);
    assert!(show.press("new_match", None, None).unwrap_err().to_string().contains("no match has begun"));
    for (name, side) in [("start", None), ("rally", Some(1)), ("rally", Some(1))] {
        show.press(name, side, None).unwrap();
    }
    assert_eq!((show.view().winner, show.view().text().as_str()), (Some(1), "First side 1 : 0 Second side, Final"));
    assert!(show.press("rally", Some(2), None).unwrap_err().to_string().contains("the match is over"));
    show.press("new_match", None, None).unwrap();
    assert_eq!((show.view().winner, show.points()), (None, vec![0, 0]));
    show.press("undo", None, None).unwrap();
    assert_eq!(show.view().winner, Some(1));
}

#[test]
fn wrong_presses_are_refused_in_words() {
    let mut show = Show::of(&[("sport", "basketball")]);
    show.press("start", None, None).unwrap();
    let cases = [
        ("score", None, Some(2), "takes a side: 1 to 2"),
        ("score", Some(3), Some(2), "takes a side: 1 to 2"),
        ("score", Some(0), Some(2), "takes a side: 1 to 2"),
        ("score", Some(1), None, "takes how many points"),
        ("score", Some(1), Some(i64::MAX), "takes how many points"),
        ("clock_set", None, Some(-1), "less than 0:00"),
        ("clock_set", None, None, "such as 9:41"),
        ("frame", Some(1), None, "no such act"),
        ("dance", None, None, "cannot be told to"),
    ];
    for (name, side, value, words) in cases {
        let refusal = show.press(name, side, value).unwrap_err().to_string();
        assert!(refusal.contains(words), "{name}: {refusal}");
    }
    assert_eq!(show.points(), [0, 0]);
}

#[test]
fn many_sides_and_odd_names() {
    let many: Vec<String> = (1..=30).map(|number| format!("side {number}")).collect();
    let nothing = Channel::new(settings(), []);
    let board = piece("scoreboard", &[("sport", "points")]);
    let edit = |key: &str, text: &str| board.edited(key, text, &nothing.scope(Instant::UNIX_EPOCH)).map(drop);
    assert!(edit("sides", &many.join("\n")).unwrap_err().to_string().contains("2 to 8 sides"));
    assert!(edit("1.name", &"x".repeat(200)).unwrap_err().to_string().contains("at most 40 letters"));
    assert!(edit("1.colour", "red").unwrap_err().to_string().contains("six hexadecimal digits"));
    assert!(edit("1.flag", "<svg>").unwrap_err().to_string().contains("two letters"));
    assert!(edit("3.name", "Nobody").is_err());
    assert_eq!(edit("1.name", "نادي الميناء"), Ok(()));
    let table = piece("scoreboard", &[("sport", "ranking"), ("sides", &many.join("\n"))]);
    let mut show = Show { channel: Channel::new(settings(), [(BOARD, table)]), ..Show::of(&[]) };
    show.press("start", None, None).unwrap();
    show.press("score", Some(30), Some(5)).unwrap();
    assert_eq!((show.view().sides.len(), show.points()[29]), (30, 5));
    // Two sides of one colour are told apart.
    let alike = Show::of(&[("1.colour", "#a83e26"), ("2.colour", "#aa3f27")]).view();
    assert_eq!(alike.sides.iter().map(|side| side.alike).collect::<Vec<_>>(), [false, true]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, ..ProptestConfig::default() })]

    /// Against two piles: what is done, and what was undone. Folding all entries anew gives the same.
    #[test]
    fn undo_and_redo_are_two_piles(steps in prop::collection::vec(0_u8..8, 0..60)) {
        let mut show = Show::of(&[]);
        show.press("start", None, None).unwrap();
        let (mut done, mut undone) = (Vec::<(u8, i64)>::new(), Vec::new());
        for step in steps {
            match step {
                0..=3 => {
                    let act = (step % 2 + 1, i64::from(step) + 1);
                    show.press("score", Some(act.0), Some(act.1)).unwrap();
                    done.push(act);
                    undone.clear();
                }
                // The start itself is not undone here.
                4..=5 if done.is_empty() => {}
                4..=5 => {
                    let before = show.view();
                    show.press("undo", None, None).unwrap();
                    undone.extend(done.pop());
                    // Undo, then redo, is the identity.
                    show.press("redo", None, None).unwrap();
                    prop_assert_eq!(&before.sides, &show.view().sides);
                    prop_assert_eq!(before.undo, show.view().undo);
                    show.press("undo", None, None).unwrap();
                }
                _ => {
                    prop_assert_eq!(show.press("redo", None, None).is_ok(), !undone.is_empty());
                    done.extend(undone.pop());
                }
            }
            let sum = |side: u8| done.iter().filter(|act| act.0 == side).map(|act| act.1).sum::<i64>();
            prop_assert_eq!(show.points(), vec![sum(1), sum(2)]);
        }
        let mut again = Channel::new(settings(), [(BOARD, piece("scoreboard", &[]))]);
        for entry in &show.entries {
            again.apply(entry);
        }
        prop_assert_eq!(again.view(BOARD, show.now), show.channel.view(BOARD, show.now));
    }
}
