//! Polls: a show around one, whose chat is heard as the engine hears it; voters are told apart by a plain number here.

mod laws;

use crate::common::settings;
use crate::life::{next, piece};
use chrono::TimeDelta;
use tally_core::book::chat::{ChatLine, Role};
use tally_core::channel::{Channel, Correcting, Press};
use tally_core::money::{Currency, Money};
use tally_core::record::acts::poll::{Vote, Voter};
use tally_core::record::acts::{Act, PollAct};
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::{Actor, Choice, Happening, PollState, Standing};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tally_core::widgets::Action;
use tally_core::widgets::poll::{PhaseWord, PollView};
use tally_core::widgets::view::View;

const POLL: WidgetId = WidgetId(1);

fn begin() -> Instant {
    "2026-11-24T19:00:00Z".parse().unwrap()
}

fn voter(viewer: &str) -> Voter {
    let sum = viewer.bytes().fold(7_u64, |sum, byte| sum.wrapping_mul(31).wrapping_add(byte.into()));
    let mut bytes = [0; 12];
    bytes[..8].copy_from_slice(&sum.to_be_bytes());
    Voter::of(bytes)
}

struct Show {
    channel: Channel,
    entries: Vec<Entry>,
    now: Instant,
}

impl Show {
    fn of(edits: &[(&str, &str)]) -> Self {
        let saved = ("saved", "Which livery? Green / Black / Maroon\ntea / coffee");
        let piece = piece("poll", &[&[saved], edits].concat());
        Self { channel: Channel::new(settings(), [(POLL, piece)]), entries: Vec::new(), now: begin() }
    }

    /// With the first saved poll open.
    fn asking(edits: &[(&str, &str)]) -> Self {
        let mut show = Self::of(edits);
        show.press("open", Some(1)).unwrap();
        show
    }

    fn append(&mut self, happened_at: Instant, body: Body) -> Seq {
        let entry = Entry { happened_at, ..next(&self.channel, self.now, body) };
        self.channel.apply(&entry);
        self.entries.push(entry);
        self.channel.last_seq()
    }

    fn settle(&mut self) {
        while let Some((at, body)) = self.channel.due(self.now) {
            self.append(at, body);
        }
    }

    fn wait(&mut self, ms: i64) -> &mut Self {
        self.now += TimeDelta::milliseconds(ms);
        self.settle();
        self
    }

    fn act(&mut self, name: &str, value: Option<i64>, text: Option<&str>) -> Result<Seq, Refusal> {
        self.settle();
        let press = Press { widget: POLL, action: Action { name, value, text, side: None }, by: "odile" };
        let body = self.channel.decide(&press, self.now)?;
        Ok(self.append(self.now, body))
    }

    fn press(&mut self, name: &str, value: Option<i64>) -> Result<Seq, Refusal> {
        self.act(name, value, None)
    }

    fn happens(&mut self, happening: Happening, at: Instant) -> Seq {
        self.settle();
        self.append(at, Body::Happening(happening))
    }

    fn tips(&mut self, minor: i64, message: &str) -> Seq {
        let actor = Actor { id: None, name: "ade".into(), avatar: None, anonymous: false };
        let amount = Money { minor, currency: Currency::parse("GBP").unwrap() };
        self.happens(Happening::Tip { actor, amount, message: Some(message.into()) }, self.now)
    }

    /// A line of chat that was sent some milliseconds ago. How many votes it was taken for.
    fn says_late(&mut self, name: &str, id: Option<&str>, role: Role, text: &str, late: i64) -> usize {
        self.settle();
        let at = self.now - TimeDelta::milliseconds(late);
        let line = ChatLine {
            at,
            name: name.into(),
            id: id.map(str::to_owned),
            role,
            subscriber: role == Role::Subscriber,
            text: text.into(),
        };
        let heard = self.channel.hear(FeedId(1), vec![line], self.now);
        for vote in &heard.votes {
            let votes = vec![Vote {
                voter: voter(&vote.viewer),
                option: vote.option,
                at: Vote::sent(vote.at),
                subscriber: vote.subscriber,
            }];
            let act = Act::Poll(PollAct::Votes { poll: vote.poll, votes });
            self.append(self.now, Body::Act { widget: vote.widget, by: "chat".into(), act });
        }
        for press in &heard.presses {
            let action = Action { name: press.action, value: None, text: Some(&press.text), side: None };
            if let Ok(body) = self.channel.decide(&Press { widget: press.widget, action, by: &press.by }, self.now) {
                self.append(self.now, body);
            }
        }
        heard.votes.len()
    }

    fn says(&mut self, name: &str, text: &str) -> usize {
        self.says_late(name, None, Role::Viewer, text, 0)
    }

    fn tell(&mut self, seconds: i64, votes: &[(&str, u32)], state: PollState, closes: Option<i64>) -> Seq {
        let at = |seconds| begin() + TimeDelta::seconds(seconds);
        let options = votes.iter().map(|(text, votes)| Choice { text: (*text).into(), votes: *votes }).collect();
        let standing = Standing {
            poll: "p-41".into(),
            question: "Which engine next?".into(),
            options,
            opened_at: begin(),
            closes_at: closes.map(at),
            state,
        };
        self.happens(Happening::Poll(standing), at(seconds))
    }

    fn view(&self) -> PollView {
        match self.channel.view(POLL, self.now).unwrap() {
            View::Poll(view) => view,
            other => panic!("{other:?}"),
        }
    }

    fn shown(&self) -> String {
        self.view().text()
    }

    /// Votes and votes with weights, by option.
    fn votes(&self) -> Vec<(u64, u64)> {
        self.view().options.iter().map(|one| (one.votes, one.weighted)).collect()
    }

    /// A channel made of the same lines.
    fn replayed(&self) -> Channel {
        let piece = self.channel.widget(POLL).unwrap().emptied();
        let mut channel = Channel::new(settings(), [(POLL, piece)]);
        for entry in &self.entries {
            channel.apply(entry);
        }
        channel
    }
}

#[test]
fn a_poll_opens_is_voted_in_closes_lingers_and_goes() {
    let mut show = Show::of(&[]);
    assert_eq!((show.view().phase, show.shown().as_str(), show.says("ade", "1")), (PhaseWord::Idle, "", 0));
    show.press("open", Some(1)).unwrap();
    assert_eq!(show.shown(), "Which livery? Green 0 %, Black 0 %, Maroon 0 %");
    for (name, text) in [("ade", "green"), ("bea", "2"), ("cat", "Ｃ"), ("dot", " GREEN "), ("eel", "green please")] {
        show.says(name, text);
    }
    assert_eq!(show.shown(), "Which livery? Green 50 %, Black 25 %, Maroon 25 %");
    // The last vote of a viewer counts.
    show.wait(10).says("ade", "black");
    show.wait(10).says("ade", "1");
    show.wait(10).says("ADE", "3");
    assert_eq!(show.votes(), [(1, 1), (1, 1), (2, 2)]);
    show.wait(109_970);
    assert!(show.view().closing);
    show.wait(10_000);
    let view = show.view();
    assert_eq!((view.phase, view.winner, view.tie), (PhaseWord::Closed, Some(3), false));
    assert!(matches!(&show.entries.last().unwrap().body, Body::Act { act: Act::Poll(PollAct::Close), .. }));
    show.wait(29_999);
    assert_eq!(show.view().phase, PhaseWord::Closed);
    show.wait(1);
    assert_eq!(show.view().phase, PhaseWord::Idle);
    show.press("recall", None).unwrap();
    assert_eq!(show.shown(), "Which livery? Green 25 %, Black 25 %, Maroon 50 %");
    show.press("hide", None).unwrap();
    assert_eq!(show.wait(800).view().phase, PhaseWord::Idle);
}

#[test]
fn a_vote_that_was_sent_in_time_counts_though_it_arrives_late() {
    let mut show = Show::asking(&[("length", "1:00")]);
    show.wait(61_900);
    assert_eq!(show.says_late("ade", None, Role::Viewer, "1", 2_000), 1, "sent 0.1 s before the end, 1.9 s late");
    show.wait(200);
    assert_eq!(show.says_late("bea", None, Role::Viewer, "1", 2_200), 0, "2.1 s after the end");
    assert_eq!(show.says_late("cat", None, Role::Viewer, "1", 0), 0, "sent after the end");
    assert_eq!(show.votes(), [(1, 1), (0, 0), (0, 0)]);
    // Another poll is opened while a vote for the one before is on its way.
    let mut show = Show::asking(&[]);
    show.wait(5_000).press("close", None).unwrap();
    show.wait(500).press("open", Some(2)).unwrap();
    show.wait(500);
    assert_eq!(show.says_late("ade", None, Role::Viewer, "maroon", 1_200), 1);
    assert_eq!(show.says_late("bea", None, Role::Viewer, "coffee", 100), 1);
    assert_eq!(show.votes(), [(0, 0), (1, 1)]);
    show.press("close", None).unwrap();
    show.press("recall", Some(1)).unwrap();
    assert_eq!(show.votes(), [(0, 0), (0, 0), (1, 1)]);
}

#[test]
fn one_viewer_has_one_vote_whatever_they_are_called() {
    let mut show = Show::asking(&[("counts", "first")]);
    for step in 0..10 {
        show.wait(10).says_late("ade", Some("7"), Role::Viewer, &((step % 3) + 1).to_string(), 0);
    }
    show.wait(10).says_late("renamed", Some("7"), Role::Viewer, "3", 0);
    assert_eq!(show.votes(), [(1, 1), (0, 0), (0, 0)]);
    // Another who has taken the old name is somebody else.
    show.says_late("ade", Some("8"), Role::Viewer, "3", 0);
    assert_eq!(show.votes(), [(1, 1), (0, 0), (1, 1)]);
}

#[test]
fn subscribers_weigh_more_and_tips_vote_beside_chat() {
    let mut show = Show::asking(&[("weight", "3"), ("tips", "2")]);
    show.says_late("ade", None, Role::Subscriber, "1", 0);
    show.says_late("bea", None, Role::Follower, "2", 0);
    let tip = show.tips(550, "BLACK");
    show.tips(500, "black is nice");
    assert_eq!(show.votes(), [(1, 3), (1, 11), (0, 0)], "five whole pounds, two votes each; the half is no unit");
    let entry = show.entries.iter().find(|entry| entry.seq == tip).unwrap().clone();
    let voided = show.channel.correct(&entry, &Correcting::Void, "odile", None).unwrap();
    show.append(show.now, voided);
    assert_eq!(show.votes(), [(1, 3), (1, 1), (0, 0)]);
    assert_eq!(show.view().options[0].percent, 75);
    assert_eq!(show.replayed(), show.channel);
}

#[test]
fn whoever_helps_weighs_as_a_subscriber_only_with_that_badge() {
    let mut show = Show::asking(&[("weight", "3")]);
    show.says_late("bram", None, Role::Helper, "1", 0);
    show.says_late("odile", None, Role::Owner, "2", 0);
    assert_eq!(show.votes(), [(1, 1), (1, 1), (0, 0)]);
    let at = show.now;
    let badged = ChatLine { at, name: "cat".into(), id: None, role: Role::Helper, subscriber: true, text: "3".into() };
    assert!(show.channel.hear(FeedId(1), vec![badged], at).votes[0].subscriber);
}

#[test]
fn a_result_that_was_asked_for_again_gives_way_to_a_newer_one() {
    let mut show = Show::asking(&[]);
    show.says("ade", "1");
    show.wait(1_000).press("close", None).unwrap();
    show.wait(1_000).press("recall", None).unwrap();
    show.wait(1_000).press("open", Some(2)).unwrap();
    show.says("ade", "coffee");
    show.wait(1_000).press("close", None).unwrap();
    assert_eq!(show.shown(), "tea 0 %, coffee 100 %");
    // Asked for after that, the old one is shown.
    show.wait(1_000).press("recall", Some(1)).unwrap();
    assert_eq!(show.shown(), "Which livery? Green 100 %, Black 0 %, Maroon 0 %");
}

#[test]
fn an_open_poll_elsewhere_is_shown_however_many_newer_ones_are_over() {
    let mut show = Show::of(&[]);
    show.tell(0, &[("Jinty", 5), ("Pannier", 6)], PollState::Open, Some(600));
    for number in 1_i64..=20 {
        let at = begin() + TimeDelta::seconds(number);
        let options = ["a", "b"].map(|text| Choice { text: text.into(), votes: 1 }).to_vec();
        let standing = Standing {
            poll: format!("other {number}"),
            question: "Over".into(),
            options,
            opened_at: at,
            closes_at: Some(at),
            state: PollState::Closed,
        };
        show.now = at;
        show.happens(Happening::Poll(standing), at);
    }
    assert_eq!((show.view().phase, show.view().question.as_str()), (PhaseWord::Open, "Which engine next?"));
}

#[test]
fn whoever_is_not_to_know_is_told_no_shares_of_an_open_poll() {
    let mut show = Show::asking(&[("secret", "closed")]);
    show.says("ade", "1");
    let told = |show: &Show| {
        let mut view = show.view();
        view.keep_secret();
        view.options.iter().map(|one| (one.votes, one.weighted, one.percent, one.leads)).collect::<Vec<_>>()
    };
    assert!(told(&show).iter().all(|one| *one == (0, 0, 0, false)));
    show.wait(1_000).press("close", None).unwrap();
    assert_eq!(told(&show)[0], (1, 1, 100, true));
}

#[test]
fn what_makes_no_sense_is_refused_in_words() {
    let mut show = Show::of(&[]);
    let refused = |show: &mut Show, name: &str, value, text| show.act(name, value, text).unwrap_err().to_string();
    for name in ["close", "extend", "cancel"] {
        assert!(refused(&mut show, name, None, None).contains("no poll is open"), "{name}");
    }
    assert!(refused(&mut show, "open", Some(3), None).contains("1 to 2"));
    assert!(refused(&mut show, "recall", None, None).contains("no such result"));
    assert!(refused(&mut show, "open", None, Some("Well? yes")).contains("2 to 8"));
    assert!(refused(&mut show, "dance", None, None).contains("open, ask"));
    show.press("open", Some(1)).unwrap();
    assert!(refused(&mut show, "open", Some(2), None).contains("open already"));
    assert!(refused(&mut show, "extend", Some(0), None).contains("between 1"));
    // Closed by two people at once: the second is told.
    show.press("close", None).unwrap();
    assert!(refused(&mut show, "close", None, None).contains("no poll is open"));
    show.press("open", Some(2)).unwrap();
    show.wait(5).press("cancel", None).unwrap();
    assert_eq!(show.view().phase, PhaseWord::Closed, "the result of the one before stays");
    show.wait(60_000);
    assert!(show.piece_refuses("saved", "Which? one").contains("cannot be kept"));
    assert!(show.piece_refuses("linger", "601").contains("between 0 and 600"));
}

impl Show {
    fn piece_refuses(&self, key: &str, text: &str) -> String {
        let piece = self.channel.widget(POLL).unwrap();
        piece.edited(key, text, &self.channel.scope(self.now)).unwrap_err().to_string()
    }
}

#[test]
fn a_tie_is_said_to_be_one_until_somebody_decides() {
    let mut show = Show::asking(&[]);
    show.says("ade", "1");
    show.says("bea", "3");
    show.press("close", None).unwrap();
    let view = show.view();
    assert_eq!((view.tie, view.winner), (true, None));
    assert!(show.press("decide", Some(2)).unwrap_err().to_string().contains("1 or 3"));
    show.press("decide", Some(3)).unwrap();
    let view = show.view();
    assert_eq!((view.tie, view.winner, view.decided_by), (false, Some(3), Some("hand")));
    // Without any vote nobody has won, and nothing is tied.
    show.press("again", Some(1)).unwrap();
    show.press("close", None).unwrap();
    assert_eq!((show.view().tie, show.view().winner), (false, None));
}

#[test]
fn a_helper_opens_extends_and_closes_by_chat() {
    let mut show = Show::of(&[("word", "!ask")]);
    show.says_late("odd", None, Role::Subscriber, "!ask tea / milk", 0);
    assert_eq!(show.view().phase, PhaseWord::Idle, "viewers cannot");
    show.says_late("bram", None, Role::Helper, "!ask Which shed？ North ／ South", 0);
    assert_eq!(show.view().question, "Which shed?");
    assert!(matches!(&show.entries[0].body, Body::Act { by, .. } if by == "bram"));
    show.says_late("bram", None, Role::Helper, "!ask close", 0);
    assert_eq!(show.view().phase, PhaseWord::Closed);
    show.says_late("odile", None, Role::Owner, "!ask which liv", 0);
    assert_eq!(show.view().options.len(), 3);
    show.says_late("odile", None, Role::Owner, "!ask cancel", 0);
    show.says_late("odile", None, Role::Owner, "!ask 2", 0);
    assert_eq!(show.shown(), "tea 0 %, coffee 0 %");
}

#[test]
fn a_poll_held_elsewhere_shows_its_newest_word_by_time() {
    let mut show = Show::of(&[]);
    show.wait(20_000);
    show.tell(10, &[("Jinty", 5), ("Pannier", 5)], PollState::Open, None);
    assert_eq!(show.shown(), "Which engine next? Jinty 50 %, Pannier 50 %");
    // What was said later but is older changes nothing; votes may go backwards and options change.
    let newer = show.tell(15, &[("Jinty", 3), ("Pannier tank", 1), ("Both", 4)], PollState::Open, None);
    show.tell(12, &[("Jinty", 90), ("Pannier", 5)], PollState::Open, None);
    assert_eq!(show.votes(), [(3, 3), (1, 1), (4, 4)]);
    let entry = show.entries.iter().find(|entry| entry.seq == newer).unwrap().clone();
    let voided = show.channel.correct(&entry, &Correcting::Void, "odile", None).unwrap();
    show.append(show.now, voided);
    assert_eq!(show.votes(), [(90, 90), (5, 5)], "a voided word falls back to the one before");
    // A minute after its last word it is over, and then it goes.
    show.wait(51_999);
    assert_eq!(show.view().phase, PhaseWord::Open);
    show.wait(1);
    assert_eq!((show.view().phase, show.view().winner), (PhaseWord::Closed, Some(1)));
    show.wait(30_000);
    assert_eq!(show.view().phase, PhaseWord::Idle);
    show.act("recall", None, Some("p-41")).unwrap();
    assert_eq!(show.view().winner, Some(1));
    assert_eq!(show.replayed(), show.channel);
}

#[test]
fn ours_stands_before_one_held_elsewhere_which_is_shown_again_after_it() {
    let mut show = Show::of(&[]);
    show.tell(0, &[("Jinty", 5), ("Pannier", 6)], PollState::Open, Some(60));
    show.press("open", Some(2)).unwrap();
    assert_eq!(show.shown(), "tea 0 %, coffee 0 %");
    show.wait(5_000).press("close", None).unwrap();
    assert_eq!(show.view().question, "Which engine next?", "it is open still");
    show.tell(6, &[("Jinty", 5), ("Pannier", 6)], PollState::Closed, Some(60));
    show.wait(2_000);
    assert_eq!((show.view().phase, show.view().winner), (PhaseWord::Closed, Some(2)));
    let mut off = Show::of(&[("elsewhere", "not")]);
    off.tell(0, &[("Jinty", 5), ("Pannier", 6)], PollState::Open, Some(60));
    assert_eq!(off.view().phase, PhaseWord::Idle);
    let mut cancelled = Show::of(&[]);
    cancelled.tell(0, &[("Jinty", 5), ("Pannier", 6)], PollState::Open, Some(60));
    cancelled.tell(1, &[("Jinty", 5), ("Pannier", 6)], PollState::Cancelled, Some(60));
    assert_eq!(cancelled.wait(2_000).view().phase, PhaseWord::Idle);
}
