//! Cues by examples: what sets them off and when, what fails, how they read.

use super::*;

fn tip(name: &str, minor: i64, currency: &str) -> Body {
    let amount = tally_core::money::Money { minor, currency: tally_core::money::Currency::parse(currency).unwrap() };
    let actor = Actor { id: None, name: name.into(), avatar: None, anonymous: false };
    Body::Happening(Happening::Tip { actor, amount, message: None })
}

#[test]
fn a_tip_large_enough_counts_by_itself_and_a_small_one_does_not() {
    let mut house = House::new(Cues { all: BTreeMap::from([(1, sample())]), ..Cues::default() });
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
        let mut house = House::new(Cues { all: BTreeMap::from([(1, cue.clone()), (2, cue)]), ..Cues::default() });
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
    let mut house = House::new(Cues { all: BTreeMap::from([(1, circle)]), ..Cues::default() });
    let action = Action { name: "add", value: Some(1), text: None, side: None };
    let body = house.channel.decide(&Press { widget: WidgetId(1), action, by: "bram" }, house.now).unwrap();
    house.hear(body);
    assert_eq!(house.fired(1).len(), usize::from(MOST_DEPTH));
    assert_eq!(house.quiet, [NotFired::Circle]);
}

#[test]
fn a_circle_through_a_clock_stops_too_and_a_slow_one_is_meant() {
    // A second after its start the clock is started anew.
    let rounds = |seconds: i64, most: i64| {
        let length = 600;
        let when = When::Left { widget: WidgetId(CLOCK), seconds: length - seconds };
        let again =
            Cue { when, steps: vec![press(CLOCK, "reset", None, 0), press(CLOCK, "start", None, 0)], ..sample() };
        let mut house = House::new(Cues { all: BTreeMap::from([(1, again)]), ..Cues::default() });
        let start = |house: &mut House| {
            let action = Action { name: "start", value: None, text: None, side: None };
            let body = house.channel.decide(&Press { widget: WidgetId(CLOCK), action, by: "bram" }, house.now).unwrap();
            house.hear(body);
        };
        start(&mut house);
        for _ in 0..most {
            house.now += TimeDelta::seconds(1);
            house.run();
        }
        house
    };
    let fast = rounds(1, 40);
    assert_eq!(fast.fired(1).len(), usize::from(MOST_DEPTH));
    assert_eq!(fast.quiet, [NotFired::Circle]);
    let slow = rounds(10, 300);
    assert_eq!((slow.fired(1).len(), slow.quiet.len()), (30, 0));
}

#[test]
fn a_number_is_never_used_again() {
    let channel = Channel::new(crate::common::settings(), [(WidgetId(1), piece("counter", &[]))]);
    let offer = channel.cue_offer(&Around::default(), begin());
    let add = |cues: &Cues| cues.edited(CueEdit::Add(Box::new(sample())), &offer, begin()).unwrap();
    let (one, first) = add(&Cues::default());
    let (none, _) = one.edited(CueEdit::Remove(first.unwrap()), &offer, begin()).unwrap();
    let (_, second) = add(&none);
    assert_eq!((first, second), (Some(1), Some(2)));
    // The same of what is there from before numbers were kept.
    let old = Cues { all: BTreeMap::from([(7, sample())]), ..Cues::default() };
    let (none, _) = old.edited(CueEdit::Remove(7), &offer, begin()).unwrap();
    assert_eq!(add(&none).1, Some(8));
    let bot = tally_core::bot::Bot::default();
    let widgets = BTreeMap::new();
    let with = bot.edited(tally_core::bot::BotEdit::AddCommand("!tea".into()), &widgets).unwrap();
    let without = with.edited(tally_core::bot::BotEdit::RemoveCommand(1), &widgets).unwrap();
    let again = without.edited(tally_core::bot::BotEdit::AddCommand("!tea".into()), &widgets).unwrap();
    assert_eq!(again.commands.keys().collect::<Vec<_>>(), [&2]);
}

#[test]
fn a_failing_step_is_told_and_the_rest_goes_on() {
    let steps = vec![press(999, "add", Some(1), 0), press(1, "add", Some(2), 30)];
    let mut house = House::new(Cues { all: BTreeMap::from([(1, Cue { steps, ..sample() })]), ..Cues::default() });
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
    let called = cue.edit("do:add", "call", &offer).and_then(|()| {
        let place = cue.steps.len() - 1;
        cue.edit(&format!("do:{place}:address"), "https://a.example/x\r\nX-Extra: 1", &offer)
    });
    assert!(called.unwrap_err().to_string().ends_with("without spaces or line breaks"));
    cue.edit(&format!("do:{}:what", cue.steps.len() - 1), "remove", &offer).unwrap();
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
    let mut house =
        House::new(Cues { all: BTreeMap::from([(1, left(0)), (2, left(0)), (3, left(60))]), ..Cues::default() });
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
    let mut house = House::new(Cues { all: BTreeMap::from([(1, cue.clone())]), ..Cues::default() });
    house.hear(tip("ade", 100, "GBP"));
    house.now += TimeDelta::days(8);
    house.run();
    let times: Vec<_> = house.fired(1).iter().map(|(at, _)| at.format("%d %H:%M").to_string()).collect();
    assert_eq!(times.len(), 8, "{times:?}");
    assert_eq!(times[..2], ["21 00:30", "22 00:30"], "by the channel's clock");
    assert_eq!(times[6], "27 01:30");
    // Of one day of the week, or of the two at its end.
    for (days, times) in [(Days::One(4), vec!["23 00:30"]), (Days::Weekend, vec!["24 00:30", "25 00:30"])] {
        let mut house = House::new(Cues {
            all: BTreeMap::from([(1, Cue { when: When::At { minute: 90, days }, ..cue.clone() })]),
            ..Cues::default()
        });
        house.hear(tip("ade", 100, "GBP"));
        house.now += TimeDelta::days(7);
        house.run();
        assert_eq!(house.fired(1).iter().map(|(at, _)| at.format("%d %H:%M").to_string()).collect::<Vec<_>>(), times);
    }
    // What came before it was last edited is no occasion.
    let late = Cue { since: Some(house.now), ..cue };
    house.channel.set_cues(Cues { all: BTreeMap::from([(7, late)]), ..Cues::default() });
    house.now += TimeDelta::hours(25);
    house.run();
    assert_eq!(house.fired(7).len(), 1);
}

#[test]
fn a_widget_that_is_not_seen_holds_a_cue_back() {
    let cue = Cue { while_shown: Some(WidgetId(2)), ..sample() };
    let mut house = House::new(Cues { all: BTreeMap::from([(1, cue)]), ..Cues::default() });
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
    let mut house = House::new(Cues { all: BTreeMap::from([(1, sample())]), ..Cues::default() });
    let yen = tally_core::money::Currency::parse("JPY").unwrap();
    let settings = tally_core::record::settings::Settings { currency: yen, ..house.channel.settings().clone() };
    house.channel.set_settings(settings);
    assert_eq!(house.channel.cues().all[&1].when, When::Entry { kind: Kind::Tip, least: 10 });
}
