//! Cues: what fires depends on the record and the definitions alone; reading the record again fires nothing, trying a cue on
//! the past says what it has done; rests hold, and circles end.

use crate::LIVES;
use crate::life::{CLOCK, COUNTERS, Step as Lived, begin, channel, happening, next, piece, step};
use chrono::TimeDelta;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::channel::{Around, CUE_SOURCE, Channel, DryRun, Heeded, Press};
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
        let (_, heeded) = self.channel.apply_heeding(&entry);
        self.entries.push(entry);
        for Heeded { occasion, decided } in heeded {
            match decided {
                Ok(body) => self.fires.push((occasion.at, body)),
                Err(why) => self.quiet.push(why),
            }
        }
    }

    /// What came by itself by now.
    fn time(&mut self) {
        while let Some(Heeded { occasion, decided }) = self.channel.comes_by_itself(self.now) {
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
    prop::collection::vec(cue(), 1..6).prop_map(|all| Cues { all: (1..).zip(all).collect() })
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
        let mut cues = Cues { all: BTreeMap::from([(1, sample())]) };
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

fn tip(name: &str, minor: i64, currency: &str) -> Body {
    let amount = tally_core::money::Money { minor, currency: tally_core::money::Currency::parse(currency).unwrap() };
    let actor = Actor { id: None, name: name.into(), avatar: None, anonymous: false };
    Body::Happening(Happening::Tip { actor, amount, message: None })
}

#[test]
fn a_tip_large_enough_counts_by_itself_and_a_small_one_does_not() {
    let mut house = House::new(Cues { all: BTreeMap::from([(1, sample())]) });
    house.hear(tip("ade", 999, "GBP"));
    assert!(house.fired(1).is_empty());
    house.hear(tip("ade", 1_000, "GBP"));
    let fired = house.fired(1);
    assert_eq!(fired.len(), 1);
    let words: Vec<String> = house.entries.iter().map(|entry| entry.body.words()).collect();
    assert!(words[2].starts_with("the cue “Kettle” fired: ade tipped £10"), "{words:?}");
    assert!(words[3].starts_with("the cue “Kettle”"), "{words:?}");
}

#[test]
fn a_cue_that_feeds_itself_stops_and_says_so() {
    let feeding = Cue { when: When::Passed { widget: WidgetId(1), value: 1 }, ..sample() };
    let back = Cue {
        when: When::Passed { widget: WidgetId(1), value: 1 },
        steps: vec![press(1, "subtract", Some(1), 0), press(1, "add", Some(1), 0)],
        ..sample()
    };
    for cue in [feeding, back] {
        let mut house = House::new(Cues { all: BTreeMap::from([(1, cue.clone()), (2, cue)]) });
        let action = Action { name: "add", value: Some(1), text: None, side: None };
        let body = house.channel.decide(&Press { widget: WidgetId(1), action, by: "bram" }, house.now).unwrap();
        house.hear(body);
        assert!(house.fired(1).len() <= 300, "{}", house.fired(1).len());
    }
    // A single one, in a circle of its own.
    let circle = Cue {
        when: When::Passed { widget: WidgetId(1), value: 1 },
        steps: vec![press(1, "reset", None, 0), press(1, "add", Some(1), 0)],
        ..sample()
    };
    let mut house = House::new(Cues { all: BTreeMap::from([(1, circle)]) });
    let action = Action { name: "add", value: Some(1), text: None, side: None };
    let body = house.channel.decide(&Press { widget: WidgetId(1), action, by: "bram" }, house.now).unwrap();
    house.hear(body);
    assert_eq!(house.fired(1).len(), usize::from(MOST_DEPTH));
    assert_eq!(house.quiet, [NotFired::Circle]);
}

#[test]
fn a_failing_step_is_told_and_the_rest_goes_on() {
    let steps = vec![press(999, "add", Some(1), 0), press(1, "add", Some(2), 30)];
    let mut house = House::new(Cues { all: BTreeMap::from([(1, Cue { steps, ..sample() })]) });
    house.hear(tip("ade", 5_000, "GBP"));
    assert!(
        house.entries.iter().any(|entry| entry.body.words().contains("could not do step 1: there is no such widget"))
    );
    assert_eq!(house.channel.next_step(&BTreeSet::new()).map(|due| due.step), Some(1), "the next waits its time");
    house.now += TimeDelta::seconds(30);
    house.run();
    assert_eq!(house.channel.next_step(&BTreeSet::new()), None);
}

#[test]
fn a_sentence_reads_well_and_what_makes_no_cue_is_refused_in_words() {
    let channel = Channel::new(
        crate::common::settings(),
        [(WidgetId(1), piece("counter", &[("title", "Cups of tea")])), (WidgetId(2), piece("goal", &[]))],
    );
    let offer = channel.cue_offer(&Around::default(), begin());
    let mut cue = sample();
    assert_eq!(
        plain(&cue.sentence(&offer)),
        "When a tip comes of at least £10, at any time, with no rest between, every time: at once “Cups of tea”: add by 1, \
         then add a step"
            .replace("every time:", "every time, whatever is seen:")
    );
    for (key, text, why) in [
        ("when", "eclipse", "The occasion is none of the choices"),
        ("least", "ten", "The least size"),
        ("every", "25:00:00", "The rest between firings must be a day at most"),
        ("do:add", "press 7 fly", "What is done is none of the choices"),
        ("do:9:wait", "1", "This cue has no part"),
        ("value", "3", "This cue has no part"),
        ("name", " ", "The name"),
    ] {
        let told = cue.edit(key, text, &offer).unwrap_err().to_string();
        assert!(told.starts_with(why), "{key}: {told}");
    }
    cue.edit("when", "reached", &offer).unwrap();
    cue.edit("do:0:what", "remove", &offer).unwrap();
    assert!(
        plain(&cue.sentence(&offer)).starts_with("When a goal is reached in “"),
        "{}",
        plain(&cue.sentence(&offer))
    );
    let none = Cues::default().edited(CueEdit::Remove(3), &offer, begin());
    assert_eq!(none.unwrap_err(), CueError::NoSuchCue);
}

#[test]
fn every_start_is_a_whole_cue_that_waits_to_be_switched_on() {
    let families = ["counter", "clock", "subathon", "goal", "poll", "wheel"];
    let widgets = (1..).map(WidgetId).zip(families.map(|family| piece(family, &[])));
    let channel = Channel::new(crate::common::settings(), widgets);
    let mut layout = tally_core::overlay::Overlay::new("Main", 1_920, 1_080).unwrap();
    let frame = tally_core::overlay::Frame { x: 0, y: 0, width: 100, height: 100 };
    let what = tally_core::overlay::What::Widget(WidgetId(2));
    layout = layout.edited(&tally_core::overlay::Edit::Add { what, frame }).unwrap();
    let around = Around { overlays: vec![(1, layout)], sounds: vec![("bell".into(), "Station bell".into())] };
    let offer = channel.cue_offer(&around, begin());
    let all = tally_core::cues::starts::all(&offer);
    assert!(all.len() >= 15, "{}", all.len());
    for (words, cues) in all {
        for cue in cues {
            let sentence = plain(&cue.sentence(&offer));
            assert!(!cue.on && !cue.steps.is_empty() && !sentence.contains("gone"), "{words}: {sentence}");
        }
    }
    let bare = Channel::new(crate::common::settings(), []).cue_offer(&Around::default(), begin());
    assert_eq!(tally_core::cues::starts::all(&bare).len(), 3, "without widgets it can still speak, and go on air");
}

fn act(house: &House, widget: u32, name: &str, value: Option<i64>) -> Body {
    let action = Action { name, value, text: None, side: None };
    house.channel.decide(&Press { widget: WidgetId(widget), action, by: "bram" }, house.now).unwrap()
}

#[test]
fn a_clock_sets_a_cue_off_at_its_instant_once_whoever_looks_when() {
    let left = |seconds| Cue { when: When::Left { widget: WidgetId(CLOCK), seconds }, ..sample() };
    let mut house = House::new(Cues { all: BTreeMap::from([(1, left(0)), (2, left(0)), (3, left(60))]) });
    house.hear(act(&house, CLOCK, "start", None));
    // Ten minutes run out while nobody looks; then somebody takes two minutes off the clock, too late.
    house.now += TimeDelta::seconds(900);
    house.run();
    let at = |id: u32| house.fired(id).into_iter().map(|(at, _)| (at - begin()).num_seconds()).collect::<Vec<_>>();
    assert_eq!((at(1), at(2), at(3)), (vec![600], vec![600], vec![540]));
    // Once more, and this time it is cut short: it comes to its minute at once.
    house.hear(act(&house, CLOCK, "reset", None));
    house.hear(act(&house, CLOCK, "start", None));
    house.now += TimeDelta::seconds(100);
    house.hear(act(&house, CLOCK, "subtract", Some(480)));
    let last = house.fired(3).last().copied().unwrap();
    assert_eq!(((last.0 - begin()).num_seconds(), last.1.is_some()), (1_000, true));
    house.now += TimeDelta::seconds(3_600);
    house.run();
    assert_eq!(house.fired(1).len(), 2);
    assert_eq!(house.fired(3).len(), 2, "it passes its minute once");
}

#[test]
fn a_time_of_day_comes_once_a_day_also_where_clocks_change() {
    // In London, clocks go back in the night to the 25th of October 2026.
    let cue = Cue { when: When::At { minute: 90, days: Days::Every }, ..sample() };
    let mut house = House::new(Cues { all: BTreeMap::from([(1, cue.clone())]) });
    house.hear(tip("ade", 100, "GBP"));
    house.now += TimeDelta::days(8);
    house.run();
    let times: Vec<_> = house.fired(1).iter().map(|(at, _)| at.format("%d %H:%M").to_string()).collect();
    assert_eq!(times.len(), 8, "{times:?}");
    assert_eq!(times[..2], ["21 00:30", "22 00:30"], "by the channel's clock");
    assert_eq!(times[6], "27 01:30");
    // Of one day of the week, or of the two at its end.
    for (days, times) in [(Days::One(4), vec!["23 00:30"]), (Days::Weekend, vec!["24 00:30", "25 00:30"])] {
        let mut house =
            House::new(Cues { all: BTreeMap::from([(1, Cue { when: When::At { minute: 90, days }, ..cue.clone() })]) });
        house.hear(tip("ade", 100, "GBP"));
        house.now += TimeDelta::days(7);
        house.run();
        assert_eq!(house.fired(1).iter().map(|(at, _)| at.format("%d %H:%M").to_string()).collect::<Vec<_>>(), times);
    }
    // What came before it was last edited is no occasion.
    let late = Cue { since: Some(house.now), ..cue };
    house.channel.set_cues(Cues { all: BTreeMap::from([(7, late)]) });
    house.now += TimeDelta::hours(25);
    house.run();
    assert_eq!(house.fired(7).len(), 1);
}

#[test]
fn a_widget_that_is_not_seen_holds_a_cue_back() {
    let cue = Cue { while_shown: Some(WidgetId(2)), ..sample() };
    let mut house = House::new(Cues { all: BTreeMap::from([(1, cue)]) });
    house.hear(tip("ade", 5_000, "GBP"));
    assert_eq!(house.quiet, [NotFired::NotShown]);
    let frame = tally_core::overlay::Frame { x: 0, y: 0, width: 100, height: 100 };
    let what = tally_core::overlay::What::Widget(WidgetId(2));
    let layout = tally_core::overlay::Overlay::new("Main", 1_920, 1_080).unwrap();
    let layout = layout.edited(&tally_core::overlay::Edit::Add { what, frame }).unwrap();
    let piece = layout.pieces[0].id;
    house.channel.set_layouts(BTreeMap::from([(1, layout)]));
    house.hear(tip("ade", 5_000, "GBP"));
    assert_eq!(house.fired(1).len(), 1);
    for (body, seen) in [
        (appear(piece, false), 1),
        (appear(piece, true), 2),
        (Body::Cover { by: "bram".into(), covered: true }, 2),
        (Body::Cover { by: "bram".into(), covered: false }, 3),
    ] {
        house.hear(body);
        house.hear(tip("ade", 5_000, "GBP"));
        assert_eq!(house.fired(1).len(), seen);
    }
}

fn appear(piece: u32, shown: bool) -> Body {
    let (by, name, about) = ("bram".into(), "Main".into(), "Counter".into());
    Body::Appear { by, overlay: 1, name, pieces: BTreeSet::from([piece]), about, shown }
}

#[test]
fn amounts_of_cues_follow_the_currency_and_keep_their_numerals_without_rates() {
    let mut house = House::new(Cues { all: BTreeMap::from([(1, sample())]) });
    let yen = tally_core::money::Currency::parse("JPY").unwrap();
    let settings = tally_core::record::settings::Settings { currency: yen, ..house.channel.settings().clone() };
    house.channel.set_settings(settings);
    assert_eq!(house.channel.cues().all[&1].when, When::Entry { kind: Kind::Tip, least: 10 });
}
