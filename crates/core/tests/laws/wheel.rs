//! Wheels: a show around one or two, sealed as the engine seals them, with seeds that are known here.

use crate::common::settings;
use crate::life::{next, piece};
use chrono::TimeDelta;
use proptest::prelude::*;
use std::collections::BTreeMap;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::channel::{Channel, Correcting, Press};
use tally_core::money::{Currency, Money};
use tally_core::record::acts::wheel::Bytes32;
use tally_core::record::acts::{Act, WheelAct};
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::{Actor, Happening, Tier};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tally_core::widgets::poll::PollView;
use tally_core::widgets::view::View;
use tally_core::widgets::wheel::{PhaseWord, WheelView, commitment, draw};
use tally_core::widgets::{Action, Piece};

const WHEEL: WidgetId = WidgetId(1);
const POLL: WidgetId = WidgetId(2);

fn begin() -> Instant {
    "2026-11-24T19:00:00Z".parse().unwrap()
}

struct Show {
    channel: Channel,
    seeds: BTreeMap<Bytes32, Bytes32>,
    entries: Vec<Entry>,
    now: Instant,
    made: u8,
}

impl Show {
    fn of(edits: &[(&str, &str)]) -> Self {
        let poll = piece("poll", &[("saved", "Which livery? Green / Black / Maroon")]);
        let all = [(WHEEL, piece("wheel", edits)), (POLL, poll)];
        let mut show = Self {
            channel: Channel::new(settings(), all),
            seeds: BTreeMap::new(),
            entries: Vec::new(),
            now: begin(),
            made: 0,
        };
        show.settle();
        show
    }

    fn append(&mut self, happened_at: Instant, body: Body) -> Seq {
        let entry = Entry { happened_at, ..next(&self.channel, self.now, body) };
        self.channel.apply(&entry);
        self.entries.push(entry);
        self.channel.last_seq()
    }

    /// Does what the engine does before anything else, and seals the next spin.
    fn settle(&mut self) {
        loop {
            while let Some((at, body)) = self.channel.due(self.now) {
                self.append(at, body);
            }
            let promise = self.channel.widget(WHEEL).unwrap().promise().unwrap();
            if promise.is_some() {
                return;
            }
            self.made = self.made.wrapping_add(1);
            let seed = Bytes32([self.made; 32]);
            self.seeds.insert(commitment(seed), seed);
            self.channel.set_seeds(self.seeds.clone());
            let act = Act::Wheel(WheelAct::Commit { commitment: commitment(seed) });
            self.append(self.now, Body::Act { widget: WHEEL, by: "the wheel".into(), act });
        }
    }

    fn wait(&mut self, seconds: i64) -> &mut Self {
        self.now += TimeDelta::seconds(seconds);
        self.settle();
        self
    }

    fn press_of(&mut self, widget: WidgetId, name: &str, value: Option<i64>) -> Result<Seq, Refusal> {
        self.settle();
        let press = Press { widget, action: Action { name, value, text: None, side: None }, by: "odile" };
        let body = self.channel.decide(&press, self.now)?;
        let seq = self.append(self.now, body);
        self.settle();
        Ok(seq)
    }

    fn press(&mut self, name: &str) -> Result<Seq, Refusal> {
        self.press_of(WHEEL, name, None)
    }

    fn happens(&mut self, happening: Happening) -> Seq {
        self.settle();
        self.append(self.now, Body::Happening(happening))
    }

    fn says(&mut self, name: &str, role: Role, text: &str) {
        let line = ChatLine {
            at: self.now,
            name: name.into(),
            id: None,
            role,
            subscriber: role == Role::Subscriber,
            text: text.into(),
        };
        for (at, happening) in self.channel.hear(FeedId(1), vec![line], self.now).commands {
            self.append(at, Body::Happening(happening));
        }
    }

    fn view(&self) -> WheelView {
        match self.channel.view(WHEEL, self.now).unwrap() {
            View::Wheel(view) => *view,
            other => panic!("{other:?}"),
        }
    }

    fn poll(&self) -> PollView {
        match self.channel.view(POLL, self.now).unwrap() {
            View::Poll(view) => view,
            other => panic!("{other:?}"),
        }
    }

    fn replayed(&self) -> Channel {
        let all = self.channel.widgets().map(|(id, piece)| (id, piece.emptied()));
        let mut channel = Channel::new(settings(), all.collect::<Vec<_>>());
        channel.set_seeds(self.seeds.clone());
        for entry in &self.entries {
            channel.apply(entry);
        }
        channel
    }

    /// What stands in the pot or on the list: names and chances.
    fn chances(&self) -> Vec<(String, String)> {
        self.view().sectors.into_iter().map(|one| (one.text, one.chance)).collect()
    }

    fn spins(&self) -> Vec<(Bytes32, WheelAct)> {
        let mut promised = None;
        let mut all = Vec::new();
        for entry in &self.entries {
            match &entry.body {
                Body::Act { act: Act::Wheel(WheelAct::Commit { commitment }), .. } => promised = Some(*commitment),
                Body::Act { act: Act::Wheel(act @ WheelAct::Spin { .. }), .. } => {
                    all.push((promised.take().unwrap(), act.clone()));
                }
                _ => {}
            }
        }
        all
    }
}

fn somebody(name: &str) -> Actor {
    Actor { id: None, name: name.into(), avatar: None, anonymous: false }
}

#[test]
fn a_spin_is_sealed_before_and_opened_by_its_line() {
    let mut show = Show::of(&[("slices", "Sing: 3\nDance\nNothing: 0")]);
    let before = show.view();
    assert_eq!((before.phase, before.slices, before.total), (PhaseWord::Idle, 2, 4));
    assert_eq!(show.chances(), [("Sing".into(), "75 %".into()), ("Dance".to_owned(), "25 %".to_owned())]);
    let promised = before.commitment.unwrap();
    show.press("spin").unwrap();
    let turning = show.view();
    assert_eq!((turning.phase, turning.winner), (PhaseWord::Turning, None));
    assert_ne!(turning.commitment.as_deref(), Some(promised.as_str()), "the next one is sealed already");
    let spins = show.spins();
    let [(sealed, WheelAct::Spin { seed, slices, .. })] = &spins[..] else { panic!("{spins:?}") };
    assert_eq!((sealed.to_string(), commitment(*seed)), (promised.clone(), *sealed));
    let won = slices[draw(*seed, slices).unwrap().index].text.clone();
    show.wait(6);
    let view = show.view();
    assert_eq!((view.phase, view.text(), view.check), (PhaseWord::Result, won.clone(), Some(promised)));
    let sector = view.sectors.iter().find(|one| one.text == won).unwrap();
    assert!((sector.from..sector.to).contains(&view.rests_at), "the pointer stands on what was drawn");
    show.wait(10);
    assert_eq!(show.view().phase, PhaseWord::Idle);
    assert_eq!(show.replayed(), show.channel);
}

#[test]
fn pressed_twice_it_spins_twice_one_after_the_other() {
    let mut show = Show::of(&[("turn", "5"), ("rest", "10")]);
    show.press("spin").unwrap();
    show.press("spin").unwrap();
    assert_eq!((show.spins().len(), show.view().queued), (1, 1));
    show.wait(14);
    assert_eq!(show.spins().len(), 1, "it rests between the two");
    show.wait(1);
    assert_eq!((show.spins().len(), show.view().phase, show.view().queued), (2, PhaseWord::Turning, 0));
    for _ in 0..20 {
        show.press("spin").unwrap();
    }
    assert!(show.press("spin").unwrap_err().to_string().contains("wait already"));
    show.press("unqueue").unwrap();
    show.wait(100);
    assert_eq!(show.spins().len(), 2);
}

#[test]
fn what_was_drawn_stays_or_goes_or_loses_one() {
    let drawn = |after: &str, times: usize| {
        let mut show = Show::of(&[("slices", "A: 2\nB: 2\nC: 2"), ("after", after), ("show", "0")]);
        for _ in 0..times {
            show.press("spin").unwrap();
            show.wait(6);
        }
        show
    };
    assert_eq!(drawn("keep", 5).view().total, 6);
    let mut show = drawn("remove", 3);
    assert_eq!(show.view().slices, 0);
    assert!(show.press("spin").unwrap_err().to_string().contains("put back"));
    let last = show.view().winner.unwrap().text;
    show.press("put_back").unwrap();
    assert_eq!(show.chances(), [(last, "100 %".to_owned())]);
    show.press("spin").unwrap();
    show.wait(6);
    show.press("put_all_back").unwrap();
    assert_eq!(show.view().total, 6);
    let mut one_less = drawn("take_one", 4);
    assert_eq!(one_less.view().total, 2);
    one_less.press("spin").unwrap();
    one_less.press("spin").unwrap();
    one_less.press("spin").unwrap();
    // Two are left, the third spin finds nothing.
    one_less.wait(6).wait(6).wait(6);
    assert_eq!((one_less.spins().len(), one_less.view().queued), (6, 0));
}

#[test]
fn two_viewers_of_one_name_are_two_in_the_pot() {
    let mut show = Show::of(&[("source", "pot"), ("by_tip", "1"), ("after", "remove")]);
    show.press("open_pot").unwrap();
    for id in ["7", "8"] {
        let actor = Actor { id: Some(id.into()), name: "ade".into(), avatar: None, anonymous: false };
        let amount = Money { minor: 100, currency: Currency::parse("GBP").unwrap() };
        show.happens(Happening::Tip { actor, amount, message: None });
    }
    let names = |show: &Show| show.chances().into_iter().map(|(name, _)| name).collect::<Vec<_>>();
    assert_eq!(names(&show), ["ade", "ade (2)"]);
    show.press("spin").unwrap();
    show.wait(30);
    assert_eq!(names(&show).len(), 1, "one of them was taken out");
}

#[test]
fn viewers_enter_by_word_tip_and_subscription() {
    let edits = [("source", "pot"), ("least", "follower"), ("each", "2"), ("by_tip", "1"), ("by_sub", "3")];
    let mut show = Show::of(&edits);
    show.says("early", Role::Follower, "!join");
    assert!(show.press("spin").unwrap_err().to_string().contains("nobody is in the pot"));
    show.press("open_pot").unwrap();
    for _ in 0..4 {
        show.says("ade", Role::Subscriber, "!join please");
        show.wait(5);
    }
    show.says("bea", Role::Viewer, "!join");
    let amount = tally_core::money::Money { minor: 450, currency: settings().currency };
    let tip = show.happens(Happening::Tip { actor: somebody("cat"), amount, message: None });
    let sub = |name: &str, giver: Option<&str>| Happening::Sub {
        actor: somebody(name),
        tier: Tier::default(),
        months: None,
        message: None,
        gifted_by: giver.map(somebody),
    };
    show.happens(sub("dot", None));
    show.happens(sub("eel", Some("ade")));
    let chances = |show: &Show| show.chances().into_iter().map(|(name, _)| name).collect::<Vec<_>>();
    assert_eq!(chances(&show), ["ade", "cat", "dot"]);
    let pot = show.view().pot.unwrap();
    assert_eq!((pot.entrants, pot.tickets), (3, 5 + 4 + 3), "ade: two by the word, three by what was given");
    let entry = show.entries.iter().find(|entry| entry.seq == tip).unwrap().clone();
    let voided = show.channel.correct(&entry, &Correcting::Void, "odile", None).unwrap();
    show.append(show.now, voided);
    assert_eq!(chances(&show), ["ade", "dot"]);
    show.press("close_pot").unwrap();
    show.says("fay", Role::Follower, "!join");
    show.happens(sub("gus", None));
    assert_eq!(chances(&show), ["ade", "dot"]);
    show.press("spin").unwrap();
    assert_eq!(show.replayed(), show.channel);
    show.press("empty_pot").unwrap();
    show.wait(60);
    assert_eq!(show.view().slices, 0);
}

#[test]
fn a_tie_is_handed_to_the_wheel_and_the_poll_learns_what_came() {
    let mut show = Show::of(&[("after", "remove"), ("turn", "4")]);
    assert!(show.press("settle").unwrap_err().to_string().contains("no poll is tied"));
    show.press_of(POLL, "open", Some(1)).unwrap();
    for (name, vote) in [("ade", "1"), ("bea", "3")] {
        let line = ChatLine {
            at: show.now,
            name: name.into(),
            id: None,
            role: Role::Viewer,
            subscriber: false,
            text: vote.into(),
        };
        for heard in show.channel.hear(FeedId(1), vec![line], show.now).votes {
            let voter = tally_core::record::acts::poll::Voter::of([name.as_bytes()[0]; 12]);
            let vote = tally_core::record::acts::poll::Vote {
                voter,
                option: heard.option,
                at: show.now.timestamp_millis(),
                subscriber: false,
            };
            let act = Act::Poll(tally_core::record::acts::PollAct::Votes { poll: heard.poll, votes: vec![vote] });
            show.append(show.now, Body::Act { widget: POLL, by: "chat".into(), act });
        }
    }
    assert!(show.press("settle").is_err(), "it is open still");
    show.press_of(POLL, "close", None).unwrap();
    assert!(show.poll().tie);
    let levers = show.channel.widget(WHEEL).unwrap().levers(&show.channel.scope(show.now));
    assert_eq!(levers[0].label, "Settle Green or Maroon");
    show.press("settle").unwrap();
    assert_eq!(show.view().sectors.len(), 2);
    show.wait(3);
    assert!(show.poll().tie, "it turns still");
    show.wait(1);
    let (poll, wheel) = (show.poll(), show.view());
    let won = poll.options.iter().find(|one| one.won).unwrap();
    assert_eq!((poll.decided_by, Some(&won.text)), (Some("wheel"), wheel.winner.map(|one| one.text).as_ref()));
    // Nothing of the wheel's own list has gone.
    show.wait(20);
    assert_eq!(show.view().slices, 4);
    assert!(show.press("settle").is_err());
    assert_eq!(show.replayed(), show.channel);
}

#[test]
fn a_wheel_may_draw_from_a_polls_options() {
    let mut show = Show::of(&[]);
    let wheel = show.channel.widget(WHEEL).unwrap().clone();
    assert!(wheel.edited("source", "poll:9", &show.channel.scope(show.now)).is_err());
    show.press_of(POLL, "open", Some(1)).unwrap();
    let (piece, _) = wheel.edited("source", "poll:2", &show.channel.scope(show.now)).unwrap();
    show.channel.put(WHEEL, show.channel.widget(WHEEL).unwrap().with(piece.setup()).0);
    assert!(show.press("spin").unwrap_err().to_string().contains("nobody has voted"));
}

#[test]
fn hard_lists_are_drawn_all_the_same() {
    let one = |slices: &str| {
        let mut show = Show::of(&[("slices", slices)]);
        show.press("spin").unwrap();
        show.wait(6);
        show.view()
    };
    assert_eq!(one("Only this").text(), "Only this");
    let list: String = (0..2_000).map(|number| format!("viewer {number}\n")).collect();
    let view = one(&list);
    assert_eq!((view.slices, view.sectors.len()), (2_000, 200));
    let stands = view.sectors.iter().find(|one| (one.from..one.to).contains(&view.rests_at)).unwrap();
    assert_eq!(stands.text, view.winner.unwrap().text, "the pointer stands on the name that was drawn");
    let show = Show::of(&[]);
    let refused = |text: &str| {
        let piece = show.channel.widget(WHEEL).unwrap();
        piece.edited("slices", text, &show.channel.scope(show.now)).unwrap_err().to_string()
    };
    assert!(refused("A: 0").contains("at least one slice"));
    assert!(refused("").contains("at least one slice"));
    assert!(refused(&"x".repeat(81)).contains("longer than 80"));
    assert!(refused("A: 1000001").contains("weight over"));
    assert!(refused(&"a\nb\n".repeat(1_001)).contains("at most 2000"));
}

#[test]
fn ten_thousand_with_long_names_are_in_the_pot() {
    let mut show = Show::of(&[("source", "pot")]);
    show.press("open_pot").unwrap();
    for number in 0..10_000 {
        let actor = somebody(&format!("{number}{}", "x".repeat(400)));
        show.append(show.now, Body::Happening(Happening::Command { actor, word: "!join".into(), text: None }));
    }
    assert_eq!(show.view().pot.unwrap().entrants, 10_000);
    show.press("spin").unwrap();
    let line = serde_json::to_string(&show.spins()[0].1).unwrap();
    assert!(line.len() < 1_200_000, "{} bytes", line.len());
    show.wait(6);
    let view = show.view();
    assert!(view.winner.unwrap().text.chars().count() == 80 && view.sectors.len() == 200);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Whatever is pressed, replay equals live, every spin keeps the promise before it, and its result follows from seed
    /// and list alone.
    #[test]
    fn every_promise_is_kept(steps in prop::collection::vec((0_u8..10, 0_i64..20, 0_u8..5), 1..40), after in 0_usize..3, pot in any::<bool>()) {
        let after = ["keep", "remove", "take_one"][after];
        let mut show = Show::of(&[("after", after), ("source", if pot { "pot" } else { "list" }), ("rest", "3")]);
        for (what, wait, who) in steps {
            show.wait(wait);
            match what {
                0..=3 => drop(show.press("spin")),
                4 => drop(show.press("open_pot")),
                5 => drop(show.press("close_pot")),
                6 => drop(show.press("put_back")),
                7 => drop(show.press("empty_pot")),
                _ => show.says(&format!("viewer{who}"), Role::Viewer, "!join"),
            }
        }
        for (promised, act) in show.spins() {
            let WheelAct::Spin { seed, slices, .. } = act else { panic!() };
            prop_assert_eq!(commitment(seed), promised);
            prop_assert!(slices.iter().all(|slice| slice.weight > 0));
        }
        let replayed = show.replayed();
        prop_assert_eq!(&replayed, &show.channel);
        prop_assert_eq!(replayed.view(WHEEL, show.now), show.channel.view(WHEEL, show.now));
        let Piece::Wheel(folded) = show.channel.widget(WHEEL).unwrap() else { panic!() };
        if let Some(last) = folded.state.last() {
            let (_, act) = show.spins().pop().unwrap();
            let WheelAct::Spin { seed, slices, .. } = act else { panic!() };
            prop_assert_eq!(&last.text, &slices[draw(seed, &slices).unwrap().index].text);
        }
    }
}
