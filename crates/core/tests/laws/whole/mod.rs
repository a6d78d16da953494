//! The whole channel at once: cues, clocks, wheels, polls, boosts, breaks, corrections and commits that come late, beside a plain
//! model of all of it.

mod model;

use crate::common::settings;
use crate::life::piece;
use chrono::TimeDelta;
use model::{BREAK_MS, Clock, Model, Press, STEPS, Setup, Sub};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::book::chat::{ChatLine, Role};
use tally_core::channel::{CUE_SOURCE, Channel, Correcting, Press as Pressing, Triggered};
use tally_core::cues::{Cue, Cues, When};
use tally_core::money::{Currency, Money};
use tally_core::record::acts::poll::{Vote, Voter};
use tally_core::record::acts::wheel::Bytes32;
use tally_core::record::acts::{Act, PollAct, WheelAct};
use tally_core::record::cue::{Do, Outcome, Step as CueStep};
use tally_core::record::entry::{BY_ITSELF, Body, Draft, Entry, Origin};
use tally_core::record::happening::{Actor, Happening, Kind};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::time::Instant;
use tally_core::widgets::Action;
use tally_core::widgets::view::View;
use tally_core::widgets::{clock, poll, subathon, wheel};

const COUNTER: WidgetId = WidgetId(1);
const CLOCK: WidgetId = WidgetId(2);
const WHEEL: WidgetId = WidgetId(3);
const POLL: WidgetId = WidgetId(4);
const SUBATHON: WidgetId = WidgetId(5);
const GOAL: WidgetId = WidgetId(6);

/// Half past six in the evening, in winter: what is planned in local time is in UTC too.
fn begin() -> Instant {
    "2026-11-24T18:30:00Z".parse().unwrap()
}

/// A press as it is sent.
fn action(press: Press) -> (WidgetId, &'static str, Option<i64>) {
    let signed = |by: i64| (if by < 0 { "subtract" } else { "add" }, Some(by.abs()));
    match press {
        Press::Count(by) => (COUNTER, signed(by).0, signed(by).1),
        Press::ClockStart => (CLOCK, "start", None),
        Press::ClockPause => (CLOCK, "pause", None),
        Press::ClockReset => (CLOCK, "reset", None),
        Press::ClockAdd(by) => (CLOCK, signed(by).0, signed(by).1),
        Press::Spin => (WHEEL, "spin", None),
        Press::PollOpen => (POLL, "open", Some(1)),
        Press::PollClose => (POLL, "close", None),
        Press::SubStart => (SUBATHON, "start", None),
        Press::SubPause => (SUBATHON, "pause", None),
        Press::SubAdd(by) => (SUBATHON, signed(by).0, signed(by).1),
        Press::SubBoost => (SUBATHON, "boost", None),
        Press::SubEndBoosts => (SUBATHON, "end_boosts", None),
    }
}

fn cues(setup: &Setup) -> Cues {
    let kind = Kind::Tip;
    let whens = [
        When::Entry { kind, least: setup.least * 100 },
        When::Left { widget: CLOCK, seconds: 0 },
        When::Rested { widget: WHEEL, on: String::new() },
        When::Closed { widget: POLL },
        When::Passed { widget: COUNTER, value: setup.threshold },
    ];
    let step = |press: Press, wait: i64| {
        let (widget, action, value) = action(press);
        let what = Do::Press { widget, action: action.into(), value, text: None, side: None };
        CueStep { wait_s: u32::try_from(wait).unwrap(), what }
    };
    let cue = |(place, when): (usize, When)| Cue {
        name: format!("Cue {place}"),
        on: setup.on[place],
        when,
        on_air: false,
        every_s: 0,
        once_each: false,
        while_shown: None,
        steps: vec![step(STEPS[place][0], 0), step(STEPS[place][1], setup.waits[place])],
        since: None,
    };
    Cues { all: (1..).zip(whens.into_iter().enumerate().map(cue)).collect(), ..Cues::default() }
}

/// The channel, written to as the engine does.
struct House {
    channel: Channel,
    entries: Vec<Entry>,
    now: Instant,
    fires: Vec<(Instant, Body)>,
    seeds: BTreeMap<Bytes32, Bytes32>,
    fired: [usize; 5],
    tips: Vec<Seq>,
}

impl House {
    fn of(setup: &Setup) -> Self {
        let seconds = |ms: i64| format!("{}:{:02}", ms / 60_000, ms / 1_000 % 60);
        let minute = |ms: i64| (begin() + TimeDelta::milliseconds(ms)).format("%Y-%m-%d %H:%M").to_string();
        let breaks = format!("{} {}", minute(BREAK_MS.0), seconds(BREAK_MS.1 - BREAK_MS.0));
        let length = seconds(setup.subathon_ms);
        let mut edits = vec![
            ("length", length.as_str()),
            ("rate.time.tip", "60"),
            ("rate.does.follow", "adds"),
            ("rate.time.follow", "10"),
            ("boost", "2"),
            ("boost_for", "1:30"),
        ];
        if setup.has_break {
            edits.push(("breaks", &breaks));
        }
        let clock_length = seconds(model::CLOCK_MS);
        let pieces = [
            (COUNTER, piece("counter", &[])),
            (CLOCK, piece("clock", &[("length", &clock_length)])),
            (WHEEL, piece("wheel", &[("turn", "7"), ("rest", "2"), ("after", "keep")])),
            (POLL, piece("poll", &[("saved", "Which livery? Green / Maroon"), ("length", "0:41")])),
            (SUBATHON, piece("subathon", &edits)),
            (GOAL, piece("goal", &[("measure", "amount_of_tips"), ("period", "all_time")])),
        ];
        let mut channel = Channel::new(settings(), pieces);
        channel.set_cues(cues(setup));
        let (entries, fires) = (Vec::new(), Vec::new());
        let mut house =
            Self { channel, entries, now: begin(), fires, seeds: BTreeMap::new(), fired: [0; 5], tips: Vec::new() };
        house.seal();
        house
    }

    fn entry(&self, source: &str, happened_at: Instant, body: Body) -> Entry {
        let seq = self.channel.last_seq().next();
        let origin = Origin { source: source.into(), id: seq.to_string() };
        Draft { origin, feed: None, happened_at, arrived_at: self.now, body }.at(seq)
    }

    fn apply(&mut self, entry: Entry) -> Seq {
        let (_, triggered) = self.channel.apply_with_cues(&entry);
        if let Body::Fired { cue, .. } = &entry.body {
            self.fired[usize::try_from(*cue).unwrap() - 1] += 1;
        }
        let seq = entry.seq;
        self.entries.push(entry);
        for Triggered { occasion, decided } in triggered {
            self.fires.push((occasion.at, decided.unwrap()));
        }
        seq
    }

    fn write(&mut self, source: &str, at: Instant, body: Body) -> Seq {
        self.apply(self.entry(source, at, body))
    }

    /// What came by itself by now, in the order of its instants; a cue before what a widget does at the same one.
    fn settle(&mut self) {
        loop {
            let (due, timed) = (self.channel.due(self.now), self.channel.comes_by_itself(self.now));
            match (due, timed) {
                (due, Some(Triggered { occasion, decided }))
                    if due.as_ref().is_none_or(|(at, _)| occasion.at <= *at) =>
                {
                    self.write(BY_ITSELF, occasion.at, decided.unwrap());
                }
                (Some((at, body)), _) => drop(self.write(BY_ITSELF, at, body)),
                (None, _) => return,
            }
        }
    }

    /// Promises the next spin.
    fn seal(&mut self) {
        if self.channel.widget(WHEEL).unwrap().promise().unwrap().is_some() {
            return;
        }
        let seed = Bytes32([u8::try_from(self.seeds.len() % 251).unwrap(); 32]);
        let commitment = wheel::commitment(seed);
        self.seeds.insert(commitment, seed);
        self.channel.set_seeds(self.seeds.clone());
        let act = Act::Wheel(WheelAct::Commit { commitment });
        self.write("the wheel", self.now, Body::Act { widget: WHEEL, by: "the wheel".into(), act });
    }

    fn decided(&self, press: Press, by: &str) -> Option<Body> {
        let (widget, name, value) = action(press);
        let action = Action { name, value, text: None, side: None };
        self.channel.decide(&Pressing { widget, action, by }, self.now).ok()
    }

    /// What cues do by now.
    fn run(&mut self) {
        loop {
            self.settle();
            self.seal();
            for (at, body) in std::mem::take(&mut self.fires) {
                self.write("cues", at, body);
            }
            let Some(due) = self.channel.next_step(&BTreeSet::new()).filter(|due| due.at <= self.now) else { return };
            let Do::Press { widget, action, value, .. } = &due.what.what else { panic!("only presses here") };
            let action = Action { name: action, value: *value, text: None, side: None };
            let press = Pressing { widget: *widget, action, by: "a cue" };
            let outcome = match self.channel.decide(&press, self.now) {
                Ok(body) => {
                    let origin = Origin { source: CUE_SOURCE.into(), id: format!("{}:{}", due.fired, due.step) };
                    let entry = Entry { origin, ..self.entry("", self.now, body) };
                    self.apply(entry);
                    self.seal();
                    Outcome::Done
                }
                Err(refusal) => Outcome::Failed(refusal.to_string()),
            };
            let stepped = Body::Stepped { fired: due.fired, step: due.step, name: due.name, outcome };
            self.write("cues", self.now, stepped);
        }
    }

    fn wait(&mut self, ms: i64) {
        self.now += TimeDelta::milliseconds(ms);
    }

    fn says(&mut self, viewer: usize, option: usize, sent: Instant) {
        let text = ["1", "2"][option].to_owned();
        let name = format!("viewer{viewer}");
        let line = ChatLine { at: sent, name, id: None, role: Role::Follower, subscriber: false, text };
        for vote in self.channel.hear(FeedId(1), vec![line], self.now).votes {
            let mut bytes = [0; 12];
            bytes[0] = u8::try_from(viewer).unwrap();
            let (voter, at) = (Voter::of(bytes), Vote::sent(vote.at));
            let votes = vec![Vote { voter, option: vote.option, at, subscriber: vote.subscriber }];
            let act = Act::Poll(PollAct::Votes { poll: vote.poll, votes });
            self.write("chat", self.now, Body::Act { widget: vote.widget, by: "chat".into(), act });
        }
    }
}

#[derive(Debug, Clone)]
enum Step {
    Tip { pounds: i64, late_ms: i64 },
    Follow,
    Press(Press),
    Vote { viewer: usize, option: usize, late_ms: i64 },
    Correct(prop::sample::Index),
}

fn setup() -> impl Strategy<Value = Setup> {
    let length = prop_oneof![1 => Just(3_600_000_i64), 1 => Just(240_000_i64), 1 => Just(90_000_i64)];
    let waits = prop::array::uniform5(prop_oneof![2 => Just(0_i64), 1 => 1_i64..50]);
    (prop::array::uniform5(prop::bool::weighted(0.8)), waits, 1_i64..4, 3_i64..130, length, any::<bool>()).prop_map(
        |(on, waits, least, threshold, subathon_ms, has_break)| Setup {
            on,
            waits,
            least,
            threshold,
            subathon_ms,
            has_break,
        },
    )
}

/// A step, how long after the one before, and how late its commit is heard of.
fn step() -> impl Strategy<Value = (Step, i64, i64)> {
    let presses = vec![
        Press::Count(1),
        Press::Count(-2),
        Press::ClockStart,
        Press::ClockStart,
        Press::ClockPause,
        Press::ClockReset,
        Press::ClockAdd(17),
        Press::ClockAdd(-23),
        Press::Spin,
        Press::PollOpen,
        Press::PollOpen,
        Press::PollClose,
        Press::SubStart,
        Press::SubPause,
        Press::SubAdd(19),
        Press::SubAdd(-37),
        Press::SubBoost,
        Press::SubEndBoosts,
    ];
    let late = || prop_oneof![3 => Just(0_i64), 1 => 0_i64..4_000];
    let step = prop_oneof![
        4 => (1_i64..5, prop_oneof![3 => Just(0_i64), 1 => 0_i64..100_000]).prop_map(|(pounds, late_ms)| Step::Tip { pounds, late_ms }),
        1 => Just(Step::Follow),
        8 => prop::sample::select(presses).prop_map(Step::Press),
        4 => (0_usize..4, 0_usize..2, late()).prop_map(|(viewer, option, late_ms)| Step::Vote { viewer, option, late_ms }),
        2 => any::<prop::sample::Index>().prop_map(Step::Correct),
    ];
    let wait = prop_oneof![3 => 1_i64..3_000, 3 => 1_i64..30_000, 1 => 1_i64..90_000];
    (step, wait, prop_oneof![4 => Just(0_i64), 1 => 1_i64..9_000])
}

/// Does a step in both. Lines of the record may be heard of later than they were committed.
fn take(house: &mut House, model: &mut Model, step: &Step, lag_ms: i64, at: i64) -> i64 {
    let mut heard = None;
    match step {
        Step::Tip { pounds, late_ms } => {
            let actor = Actor { id: None, name: "ade".into(), avatar: None, anonymous: false };
            let amount = Money { minor: pounds * 100, currency: Currency::parse("GBP").unwrap() };
            let happening = Happening::Tip { actor, amount, message: None };
            let happened = house.now - TimeDelta::milliseconds(*late_ms);
            let entry = house.entry("feed", happened, Body::Happening(happening));
            house.tips.push(entry.seq);
            model.tip(*pounds, at - late_ms, at);
            heard = Some(entry);
        }
        Step::Follow => {
            let actor = Actor { id: None, name: "bea".into(), avatar: None, anonymous: false };
            heard = Some(house.entry("feed", house.now, Body::Happening(Happening::Follow { actor })));
            model.follow(at);
        }
        Step::Press(press) => {
            let body = house.decided(*press, "odile");
            assert_eq!(body.is_some(), model.press(*press, at), "{press:?} at {at}");
            heard = body.map(|body| house.entry("desk", house.now, body));
        }
        Step::Vote { viewer, option, late_ms } => {
            house.says(*viewer, *option, house.now - TimeDelta::milliseconds(*late_ms));
            model.vote(*viewer, *option, at - late_ms, at);
        }
        Step::Correct(which) if model.tips() > 0 => {
            let tip = which.index(model.tips());
            let wish = if model.is_voided(tip) { Correcting::Restore } else { Correcting::Void };
            let line = house.entries.iter().find(|entry| entry.seq == house.tips[tip]).unwrap();
            let body = house.channel.correct(line, &wish, "odile", None).unwrap();
            model.void(tip, !model.is_voided(tip), at);
            heard = Some(house.entry("desk", house.now, body));
        }
        Step::Correct(_) => {}
    }
    let Some(entry) = heard else { return at };
    house.wait(lag_ms);
    house.apply(entry);
    at + lag_ms
}

fn same(house: &House, model: &Model, at: i64) -> Result<(), TestCaseError> {
    let view = |widget| house.channel.view(widget, house.now).unwrap();
    let View::Counter(counter) = view(COUNTER) else { panic!() };
    prop_assert_eq!(counter.first.value, model.counter, "the counter");
    let View::Clock(one) = view(CLOCK) else { panic!() };
    let own = match model.clock {
        Clock::Ready(left) => (clock::PhaseWord::Ready, left),
        Clock::Running(end) => (clock::PhaseWord::Running, end - at),
        Clock::Paused(left) => (clock::PhaseWord::Paused, left),
        Clock::Done => (clock::PhaseWord::Done, 0),
    };
    prop_assert_eq!((one.phase, one.ms), own, "the clock");
    let View::Wheel(one) = view(WHEEL) else { panic!() };
    prop_assert_eq!((one.spins, one.queued), (model.spins, model.queued), "the wheel");
    let View::Poll(one) = view(POLL) else { panic!() };
    prop_assert_eq!(one.phase == poll::PhaseWord::Open, model.is_poll_open(), "the poll");
    if model.is_poll_open() {
        let votes: Vec<u64> = one.options.iter().map(|option| option.votes).collect();
        prop_assert_eq!(votes, model.votes().map(|votes| votes as u64).to_vec(), "votes");
    }
    let View::Goal(one) = view(GOAL) else { panic!() };
    prop_assert_eq!(one.first.value_units, model.goal() * 100, "the goal");
    if !model.in_doubt {
        let View::Subathon(one) = view(SUBATHON) else { panic!() };
        let (phase, left) = model.sub(at);
        let phase = match phase {
            Sub::Ready => subathon::PhaseWord::Ready,
            Sub::Running => subathon::PhaseWord::Running,
            Sub::Paused => subathon::PhaseWord::Paused,
            Sub::Break => subathon::PhaseWord::Break,
            Sub::Over => subathon::PhaseWord::Over,
        };
        prop_assert_eq!((one.phase, one.left_ms), (phase, left), "the subathon");
    }
    prop_assert_eq!(house.fired, model.fired, "how often each cue fired");
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1_000, ..ProptestConfig::default() })]

    #[test]
    fn all_of_a_channel_is_as_the_rules_tell_it(setup in setup(), steps in prop::collection::vec(step(), 1..50)) {
        let (mut house, mut model, mut at) = (House::of(&setup), Model::new(setup), 0);
        for (step, wait, lag) in &steps {
            // Nothing is pressed at the very instant at which a break begins or ends.
            let wait = if [BREAK_MS.0, BREAK_MS.1].contains(&(at + wait)) { wait + 1 } else { *wait };
            house.wait(wait);
            at += wait;
            house.run();
            model.to(at);
            // What a person does about a clock that is over, or in doubt, is another law's.
            let is_subs = matches!(step, Step::Press(press) if action(*press).0 == SUBATHON);
            if is_subs && (model.in_doubt || model.sub(at).0 == Sub::Over) {
                continue;
            }
            at = take(&mut house, &mut model, step, *lag, at);
            house.run();
            model.to(at);
            same(&house, &model, at)?;
        }
        // Reading the record again gives the same, and fires nothing.
        let mut read = House::of(&model.setup()).channel;
        for entry in house.entries.iter().filter(|entry| entry.seq > read.last_seq()).cloned().collect::<Vec<_>>() {
            read.apply(&entry);
        }
        prop_assert_eq!(read.view(SUBATHON, house.now), house.channel.view(SUBATHON, house.now));
        prop_assert_eq!(read.next_step(&BTreeSet::new()), house.channel.next_step(&BTreeSet::new()));
    }
}
