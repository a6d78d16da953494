//! Cues: what fires depends on the record and the definitions alone; reading the record again fires nothing, trying a cue on
//! the past says what it has done; rests hold, and circles end.

mod cases;

use crate::LIVES;
use crate::life::{CLOCK, COUNTERS, Step as Lived, begin, channel, happening, next, piece, step};
use chrono::TimeDelta;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::channel::{Around, CUE_SOURCE, Channel, DryRun, Press, Triggered};
use tally_core::cues::{Cue, CueEdit, CueError, Cues, Days, MOST_DEPTH, NotFired, When};
use tally_core::record::acts::ShowAct;
use tally_core::record::cue::{Do, Outcome, Step};
use tally_core::record::entry::{BY_ITSELF, Body, Entry, Origin};
use tally_core::record::happening::{Actor, Happening, Kind};
use tally_core::record::ids::WidgetId;
use tally_core::sentence::plain;
use tally_core::time::Instant;
use tally_core::widgets::Action;

/// A channel whose cues fire, as the engine lets them.
struct House {
    channel: Channel,
    entries: Vec<Entry>,
    now: Instant,
    /// Lines of cues that are to be written.
    fires: Vec<(Instant, Body)>,
    quiet: Vec<NotFired>,
}

impl House {
    fn new(cues: Cues) -> Self {
        let mut channel = channel();
        channel.set_cues(cues);
        Self { channel, entries: Vec::new(), now: begin(), fires: Vec::new(), quiet: Vec::new() }
    }

    fn write(&mut self, at: Instant, body: Body, origin: Option<Origin>) {
        let mut entry = next(&self.channel, at, body);
        entry.arrived_at = self.now;
        if let Some(origin) = origin {
            entry.origin = origin;
        }
        let (_, triggered) = self.channel.apply_with_cues(&entry);
        self.entries.push(entry);
        for Triggered { occasion, decided } in triggered {
            match decided {
                Ok(body) => self.fires.push((occasion.at, body)),
                Err(why) => self.quiet.push(why),
            }
        }
    }

    /// What came by itself by now.
    fn time(&mut self) {
        while let Some(Triggered { occasion, decided }) = self.channel.comes_by_itself(self.now) {
            match decided {
                Ok(body) => {
                    let id = format!("{}:{}", occasion.at.timestamp_micros(), self.entries.len());
                    self.write(occasion.at, body, Some(Origin { source: BY_ITSELF.into(), id }));
                }
                Err(why) => {
                    self.channel.pass(occasion.at, occasion.cue);
                    self.quiet.push(why);
                }
            }
        }
    }

    /// Something from outside; then cues do what they do by now.
    fn hear(&mut self, body: Body) {
        self.time();
        self.write(self.now, body, None);
        self.run();
    }

    fn run(&mut self) {
        loop {
            self.time();
            for (at, body) in std::mem::take(&mut self.fires) {
                self.write(at, body, None);
            }
            let Some(due) = self.channel.next_step(&BTreeSet::new()).filter(|due| due.at <= self.now) else { break };
            let Do::Press { widget, action, value, .. } = &due.what.what else { panic!("only presses here") };
            let action = Action { name: action, value: *value, text: None, side: None };
            let by = format!("the cue “{}”", due.name);
            let origin = Origin { source: CUE_SOURCE.into(), id: format!("{}:{}", due.fired, due.step) };
            let outcome = match self.channel.decide(&Press { widget: *widget, action, by: &by }, self.now) {
                Ok(body) => {
                    self.write(self.now, body, Some(origin));
                    Outcome::Done
                }
                Err(refusal) => Outcome::Failed(refusal.to_string()),
            };
            let stepped = Body::Stepped { fired: due.fired, step: due.step, name: due.name, outcome };
            self.write(self.now, stepped, None);
        }
    }

    /// When a cue fired, and by which line.
    fn fired(&self, id: u32) -> Vec<(Instant, Option<u64>)> {
        let fired = |entry: &Entry| match &entry.body {
            Body::Fired { cue, cause, .. } if *cue == id => Some((entry.happened_at, cause.map(|seq| seq.0))),
            _ => None,
        };
        self.entries.iter().filter_map(fired).collect()
    }
}

fn press(widget: u32, action: &str, value: Option<i64>, wait_s: u32) -> Step {
    let (widget, action) = (WidgetId(widget), action.to_owned());
    Step { wait_s, what: Do::Press { widget, action, value, text: None, side: None } }
}

fn when() -> impl Strategy<Value = When> {
    let kind = prop::sample::select(vec![Kind::Tip, Kind::Sub, Kind::Gift, Kind::Cheer, Kind::Follow, Kind::Raid]);
    prop_oneof![
        4 => (kind, 0_i64..20_000).prop_map(|(kind, least)| When::Entry { kind, least }),
        2 => (COUNTERS, -3_i64..6).prop_map(|(widget, value)| When::Passed { widget: WidgetId(widget), value }),
        1 => (4_u32..12).prop_map(|widget| When::Reached { widget: WidgetId(widget) }),
        2 => (0_i64..700).prop_map(|seconds| When::Left { widget: WidgetId(CLOCK), seconds }),
        1 => (0_u16..1_440, 0_usize..10).prop_map(|(minute, days)| When::At { minute, days: Days::ALL[days].0 }),
        1 => Just(When::Begins),
        1 => Just(When::Ends),
    ]
}

fn cue() -> impl Strategy<Value = Cue> {
    let steps = (COUNTERS, prop::sample::select(vec!["add", "subtract", "reset"]), 1_i64..4, 0_u32..90)
        .prop_map(|(widget, action, value, wait)| press(widget, action, (action != "reset").then_some(value), wait));
    let clock = (prop::sample::select(vec!["start", "pause", "reset"]), 0_u32..90)
        .prop_map(|(action, wait)| press(CLOCK, action, None, wait));
    let step = prop_oneof![3 => steps, 1 => clock];
    let rest = prop_oneof![2 => Just(0_u32), 1 => 1_u32..600];
    (when(), any::<bool>(), rest, any::<bool>(), prop::collection::vec(step, 0..4)).prop_map(
        |(when, on_air, every_s, once_each, steps)| Cue {
            name: "One".into(),
            on: true,
            when,
            on_air,
            every_s,
            once_each,
            while_shown: None,
            steps,
            since: None,
        },
    )
}

fn cues() -> impl Strategy<Value = Cues> {
    prop::collection::vec(cue(), 1..6).prop_map(|all| Cues { all: (1..).zip(all).collect(), ..Cues::default() })
}

/// What comes from outside: happenings, presses and shows. Corrections name lines by their places, which cues shift.
fn outside() -> impl Strategy<Value = (Lived, i64)> {
    step().prop_filter("nothing that names a line", |(step, _)| {
        matches!(step, Lived::Event { .. } | Lived::Press { .. } | Lived::Show(_))
    })
}

fn lived(cues: Cues, steps: &[(Lived, i64)]) -> House {
    let mut house = House::new(cues);
    for (step, wait) in steps {
        house.now += TimeDelta::seconds(*wait);
        house.run();
        let body = match step {
            Lived::Event { happening, .. } => Some(Body::Happening(happening.clone())),
            Lived::Press { widget, action, value } => {
                let action = Action { name: action, value: *value, text: None, side: None };
                let press = Press { widget: WidgetId(*widget), action, by: "bram" };
                house.channel.decide(&press, house.now).ok().filter(|body| !matches!(body, Body::Void { .. }))
            }
            Lived::Show(_) => {
                let act = if house.channel.book().shows().on_air().is_some() { ShowAct::End } else { ShowAct::Begin };
                house.channel.decide_show(act, "odile", house.now).ok()
            }
            _ => None,
        };
        if let Some(body) = body {
            house.hear(body);
        }
    }
    house
}

proptest! {
    #![proptest_config(ProptestConfig { cases: LIVES, ..ProptestConfig::default() })]

    #[test]
    fn reading_the_record_again_fires_nothing_and_gives_the_same(
        cues in cues(),
        steps in prop::collection::vec(outside(), 0..40),
    ) {
        let house = lived(cues.clone(), &steps);
        let mut read = channel();
        read.set_cues(cues);
        for entry in &house.entries {
            read.apply(entry);
        }
        prop_assert_eq!(&read, &house.channel);
        prop_assert_eq!(read.next_step(&BTreeSet::new()), house.channel.next_step(&BTreeSet::new()), "what is under way is known again");
        // What a cue did stands in the record once.
        let mut seen = BTreeMap::new();
        for entry in house.entries.iter().filter(|entry| entry.origin.source == CUE_SOURCE) {
            *seen.entry(entry.origin.id.clone()).or_insert(0) += 1;
        }
        prop_assert!(seen.values().all(|times| *times == 1));
    }

    #[test]
    fn a_dry_run_over_the_past_says_what_has_fired(
        cues in cues(),
        steps in prop::collection::vec(outside(), 0..40),
    ) {
        let house = lived(cues.clone(), &steps);
        for (id, cue) in &cues.all {
            let mut dry = DryRun::of(&house.channel, cue);
            for entry in &house.entries {
                dry.take(entry, begin());
            }
            dry.pass_time(house.now, begin());
            // A dry run knows nothing of circles: what cues did in them stands in the record.
            let all = dry.done();
            let fired: Vec<_> =
                all.iter().filter(|one| one.not.is_none()).map(|one| (one.at, one.cause.map(|seq| seq.0))).collect();
            if !house.quiet.contains(&NotFired::Circle) {
                prop_assert_eq!(fired, house.fired(*id));
            }
        }
    }

    #[test]
    fn rests_hold_each_supporter_counts_once_and_circles_end(
        cues in cues(),
        steps in prop::collection::vec(outside(), 0..40),
    ) {
        let house = lived(cues.clone(), &steps);
        for (id, cue) in &cues.all {
            let fired = house.fired(*id);
            for pair in fired.windows(2) {
                let gone = (pair[1].0 - pair[0].0).num_seconds();
                prop_assert!(cue.every_s == 0 || gone >= i64::from(cue.every_s), "{} s after the last", gone);
            }
        }
        let mut met: BTreeMap<(u32, String), u32> = BTreeMap::new();
        for entry in &house.entries {
            match &entry.body {
                Body::Show { act: ShowAct::Begin, .. } => met.clear(),
                Body::Fired { cue, person: Some(person), depth, .. } => {
                    prop_assert!(*depth < MOST_DEPTH);
                    let times = met.entry((*cue, person.clone())).or_default();
                    *times += 1;
                    prop_assert!(!cues.all[cue].once_each || *times == 1);
                }
                _ => {}
            }
        }
    }

    #[test]
    fn whatever_is_typed_a_cue_stays_whole(
        edits in prop::collection::vec(("(name|on|when|least|word|widget|value|left|time|days|shown|on_air|every|each|do:add|do:[0-3]:(wait|what|value|text|line|address)|[a-z:]{0,6})", ".{0,12}"), 0..30),
        kinds in prop::collection::vec(0_usize..17, 0..30),
    ) {
        let channel = channel();
        let offer = channel.cue_offer(&Around::default(), begin());
        let mut cues = Cues { all: BTreeMap::from([(1, sample())]), ..Cues::default() };
        let known = ["tip", "sub", "gift", "cheer", "follow", "raid", "purchase", "command", "signal", "reached", "passed", "closed", "begins", "hand", "left", "rested", "at"];
        for (index, (key, text)) in edits.into_iter().enumerate() {
            // Half of what is typed is something that is offered.
            let text = match (key.as_str(), kinds.get(index)) {
                ("when", Some(kind)) => known[*kind].to_owned(),
                ("do:add", Some(place)) => action_keys(&cues)[*place].clone(),
                _ => text,
            };
            if let Ok((after, _)) = cues.edited(CueEdit::Set { cue: 1, key, text }, &offer, begin()) {
                cues = after;
            }
            prop_assert!(!plain(&cues.all[&1].sentence(&offer)).is_empty());
        }
        let kept: Cues = serde_json::from_str(&serde_json::to_string(&cues).unwrap()).unwrap();
        prop_assert_eq!(kept, cues);
    }

    #[test]
    fn no_happening_makes_a_cue_panic(cues in cues(), all in prop::collection::vec(happening(), 0..20)) {
        let mut house = House::new(cues);
        for happening in all {
            house.hear(Body::Happening(happening));
        }
    }
}

fn sample() -> Cue {
    Cue {
        name: "Kettle".into(),
        on: true,
        when: When::Entry { kind: Kind::Tip, least: 1_000 },
        on_air: false,
        every_s: 0,
        once_each: false,
        while_shown: None,
        steps: vec![press(1, "add", Some(1), 0)],
        since: None,
    }
}

/// The keys of what can be done, as its sentence offers them.
fn action_keys(cues: &Cues) -> Vec<String> {
    let channel = channel();
    let offer = channel.cue_offer(&Around::default(), begin());
    let parts = cues.all[&1].sentence(&offer);
    let options = parts.into_iter().find_map(|part| match part {
        tally_core::sentence::Part::Field(field) if field.key == "do:add" => match field.editor {
            tally_core::sentence::Editor::Choice { options, .. } => Some(options),
            _ => None,
        },
        _ => None,
    });
    let mut keys: Vec<String> = options.unwrap_or_default().into_iter().map(|(key, _)| key).collect();
    keys.reverse();
    keys.resize(17, "nothing".into());
    keys
}
