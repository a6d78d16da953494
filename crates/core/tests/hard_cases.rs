//! Cases that were got wrong once, each told from outside: entries in, words out.

#![allow(clippy::unwrap_used)]

mod common;

use chrono::TimeDelta;
use common::settings;
use std::collections::BTreeSet;
use tally_core::channel::{Channel, Correcting};
use tally_core::money::{Currency, Money};
use tally_core::record::entry::{Body, Draft, Entry, Origin};
use tally_core::record::happening::{Actor, Happening, Tier};
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::record::settings::Settings;
use tally_core::time::Instant;
use tally_core::widgets::{Definition, Piece};

fn at(text: &str) -> Instant {
    format!("2026-11-{text}Z").parse().unwrap()
}

fn piece(family: &str, edits: &[(&str, &str)]) -> Piece {
    let mut piece = Definition::standard(family, &settings()).unwrap().unfolded();
    let nothing = Channel::new(settings(), []);
    for (key, text) in edits {
        piece = piece.edited(key, text, &nothing.scope(at("01T00:00:00"))).unwrap().0;
    }
    piece
}

/// A channel, and what its pages show: drawn anew only when something says so.
struct World {
    channel: Channel,
    entries: Vec<Entry>,
}

impl World {
    fn of(pieces: &[Piece]) -> Self {
        Self { channel: Channel::new(settings(), (1..).map(WidgetId).zip(pieces.iter().cloned())), entries: Vec::new() }
    }

    fn line(&mut self, when: Instant, body: Body) -> BTreeSet<WidgetId> {
        let seq = Seq(self.entries.len() as u64 + 1);
        let origin = Origin { source: "/test".into(), id: seq.to_string() };
        let entry = Draft { origin, feed: None, happened_at: when, arrived_at: when, body }.at(seq);
        self.entries.push(entry.clone());
        self.channel.apply(&entry)
    }

    fn happens(&mut self, when: &str, happening: Happening) -> BTreeSet<WidgetId> {
        self.line(at(when), Body::Happening(happening))
    }

    fn text(&self, widget: u32, now: &str) -> String {
        self.channel.view(WidgetId(widget), at(now)).unwrap().text()
    }

    fn merge(&mut self, from: &str, into: Option<&str>) {
        let body = self.channel.decide_merge(from, into, "odile").unwrap();
        self.line(at("24T22:00:00"), body);
    }

    fn correct(&mut self, line: usize, wish: &Correcting) {
        let body = self.channel.correct(&self.entries[line - 1], wish, "odile", None).unwrap();
        self.line(at("24T22:00:00"), body);
    }
}

fn by(name: &str, id: Option<&str>) -> Actor {
    Actor { id: id.map(str::to_owned), name: name.into(), avatar: None, anonymous: name.is_empty() }
}

fn tip_by(actor: Actor, minor: i64, code: &str) -> Happening {
    Happening::Tip { actor, amount: Money { minor, currency: Currency::parse(code).unwrap() }, message: None }
}

fn tip(name: &str, pence: i64) -> Happening {
    tip_by(by(name, None), pence, "GBP")
}

fn sub(name: &str, giver: Option<&str>) -> Happening {
    let gifted_by = giver.map(|giver| by(giver, None));
    Happening::Sub { actor: by(name, None), tier: Tier::default(), months: None, message: None, gifted_by }
}

fn gift(name: &str, count: u32) -> Happening {
    Happening::Gift { actor: by(name, None), tier: Tier::default(), count }
}

fn rates(day: &str, table: &[(&str, &str)]) -> Body {
    let table = table.iter().map(|(code, rate)| ((*code).to_owned(), rate.parse().unwrap())).collect();
    Body::Rates { days: [(day.parse().unwrap(), table)].into() }
}

#[test]
fn a_list_of_today_rolls_over_by_itself_and_takes_the_next_days_tips() {
    for family in ["event_list", "ticker"] {
        let quiet: &[(&str, &str)] = if family == "ticker" { &[("texts", "")] } else { &[("placeholder", "")] };
        let mut world = World::of(&[piece(family, &[&[("period", "today")], quiet].concat())]);
        world.happens("23T20:00:00", tip("ninepins", 500));
        world.channel.turn(at("23T20:00:01"));
        let alarm = world.channel.wakes_at(WidgetId(1), at("23T20:00:01"));
        assert_eq!(alarm, Some(at("24T05:00:00")), "{family}");
        let touched = world.happens("24T19:00:00", tip("quietferry", 700));
        assert_eq!(touched, [WidgetId(1)].into(), "{family}");
        assert_eq!(world.text(1, "24T19:00:00"), "quietferry tipped £7", "{family}");
    }
}

#[test]
fn a_list_over_the_last_hours_shrinks_as_lines_leave() {
    for family in ["event_list", "ticker"] {
        let mut world = World::of(&[piece(family, &[("period", "last_hours"), ("length", "1")])]);
        world.happens("24T20:00:00", tip("ninepins", 500));
        let alarm = world.channel.wakes_at(WidgetId(1), at("24T20:00:01")).unwrap();
        assert_eq!(alarm, at("24T21:00:00") + TimeDelta::microseconds(1), "{family}");
    }
}

#[test]
fn a_name_that_one_supporter_bears_is_theirs() {
    let mut world = World::of(&[piece("leaderboard", &[])]);
    world.happens("24T19:00:00", tip_by(by("ninepins", Some("42")), 1_000, "GBP"));
    world.happens("24T19:01:00", tip("ninepin", 500));
    assert_eq!(world.text(1, "24T20:00:00"), "1. ninepins £10\n2. ninepin £5");
    let mend = world.channel.correct(
        &world.entries[1],
        &Correcting::Amend {
            name: "ninepins".into(),
            amount: String::new(),
            currency: String::new(),
            tier: String::new(),
            number: String::new(),
            kind: String::new(),
        },
        "odile",
        None,
    );
    world.line(at("24T20:00:00"), mend.unwrap());
    assert_eq!(world.text(1, "24T20:00:00"), "1. ninepins £15");
    // So it is where a feed sends no id.
    world.happens("24T20:01:00", tip("Ninepins", 100));
    assert_eq!(world.text(1, "24T21:00:00"), "1. ninepins £16");
}

#[test]
fn of_several_supporters_of_one_name_none_is_taken_silently() {
    let mut world = World::of(&[piece("leaderboard", &[])]);
    world.happens("24T19:00:00", tip_by(by("fox", Some("1")), 1_000, "GBP"));
    world.happens("24T19:01:00", tip_by(by("Fox", Some("2")), 700, "GBP"));
    world.happens("24T19:02:00", tip("fox", 300));
    world.happens("24T19:03:00", tip("bram", 50));
    assert_eq!(world.text(1, "24T20:00:00"), "1. fox £10\n2. Fox £7\n3. fox £3\n4. bram £0.50");
    let why = world.channel.decide_merge("bram", Some("fox"), "odile").unwrap_err().to_string();
    assert_eq!(why, "3 supporters are called “fox”; write which one you mean: #1, #2, =fox");
    world.merge("=fox", Some("#2"));
    assert_eq!(world.text(1, "24T23:00:00"), "1. fox £10\n1. Fox £10\n3. bram £0.50");
}

#[test]
fn taking_a_merge_back_leaves_every_other_as_it_is() {
    let mut world = World::of(&[piece("leaderboard", &[])]);
    for (minute, (name, pounds)) in [("ade", 1), ("bea", 2), ("cat", 4)].into_iter().enumerate() {
        world.happens(&format!("24T19:0{minute}:00"), tip(name, pounds * 100));
    }
    world.merge("ade", Some("bea"));
    world.merge("bea", Some("cat"));
    assert_eq!(world.text(1, "24T23:00:00"), "1. cat £7");
    world.merge("bea", None);
    assert_eq!(world.text(1, "24T23:00:00"), "1. cat £4\n2. bea £3");
    world.merge("ade", None);
    assert_eq!(world.text(1, "24T23:00:00"), "1. cat £4\n2. bea £2\n3. ade £1");
}

#[test]
fn anonymous_gifts_fold_as_named_ones_do() {
    let mut world = World::of(&[piece("event_list", &[])]);
    for second in 0..5 {
        world.happens(&format!("24T19:00:0{second}"), gift("", 1));
    }
    assert_eq!(world.text(1, "24T19:10:00"), "Somebody gave 5 subscriptions");
}

#[test]
fn a_large_gift_keeps_its_number_and_a_steady_stream_its_lines() {
    let mut world = World::of(&[piece("event_list", &[("kinds", "sub,tip"), ("most", "3")])]);
    for number in 0..1_500_i64 {
        let when = at("24T19:00:00") + TimeDelta::milliseconds(number * 4);
        world.line(when, Body::Happening(sub(&format!("viewer_{number}"), Some("quietferry"))));
    }
    assert_eq!(world.text(1, "24T19:01:00"), "quietferry gave 1,500 subscriptions");
    world.happens("24T19:00:30", tip("ninepins", 500));
    assert_eq!(world.text(1, "24T19:01:00"), "ninepins tipped £5\nquietferry gave 1,500 subscriptions");

    let keys = |world: &World, now| {
        let json = serde_json::to_value(world.channel.view(WidgetId(1), now).unwrap()).unwrap();
        json["lines"].as_array().unwrap().iter().map(|line| line["key"].as_u64().unwrap()).collect::<Vec<_>>()
    };
    let mut world = World::of(&[piece("event_list", &[("kinds", "tip"), ("most", "3"), ("order", "last")])]);
    let mut before: Vec<u64> = Vec::new();
    for number in 0..400_i64 {
        let when = at("24T19:00:00") + TimeDelta::seconds(number);
        world.line(when, Body::Happening(tip("ninepins", 100)));
        let now = keys(&world, when);
        let gone = before.iter().filter(|key| !now.contains(key)).count();
        assert!(gone <= 1 && before.ends_with(&now[..now.len() - 1]) || before == now || before.len() < 3, "{number}");
        before = now;
    }
}

#[test]
fn a_least_size_narrows_the_main_measure_alone() {
    let edits = [("only", "least"), ("least", "5"), ("only", "plus:count_of_subs"), ("plus:count_of_subs", "0.80")];
    let mut world = World::of(&[piece("total", &[("1.measure", "amount_of_tips")]), piece("goal", &edits)]);
    world.happens("24T19:00:00", tip("ninepins", 1_000));
    world.happens("24T19:00:01", tip("ninepins", 499));
    world.happens("24T19:00:02", sub("quietferry", None));
    assert!(world.text(2, "24T20:00:00").starts_with("£10.80 of"), "{}", world.text(2, "24T20:00:00"));
}

#[test]
fn a_given_subscription_counts_once_in_a_sum_of_several() {
    let edits = [
        ("only", "plus:count_of_subs"),
        ("plus:count_of_subs", "0.80"),
        ("only", "plus:count_of_gifts"),
        ("plus:count_of_gifts", "0.80"),
    ];
    let mut world = World::of(&[piece("goal", &edits)]);
    world.happens("24T19:00:00", gift("quietferry", 1));
    world.happens("24T19:00:01", sub("ninepins", Some("quietferry")));
    assert!(world.text(1, "24T20:00:00").starts_with("£0.80 of"), "{}", world.text(1, "24T20:00:00"));
    let scope = world.channel.scope(at("24T20:00:00"));
    let sentence = tally_core::sentence::plain(&world.channel.widget(WidgetId(1)).unwrap().sentence(&scope));
    assert!(sentence.contains("each of the subscriptions that were not given"), "{sentence}");
}

#[test]
fn a_decimal_comma_is_one() {
    let goal = piece("goal", &[("target", "12,50")]);
    let world = World::of(&[goal]);
    assert!(world.text(1, "24T20:00:00").contains("£12.50"), "{}", world.text(1, "24T20:00:00"));
    let nothing = Channel::new(settings(), []);
    let why = piece("goal", &[]).edited("target", "1.250", &nothing.scope(at("01T00:00:00"))).unwrap_err();
    assert!(why.to_string().contains("could be 1250 or 1.25"), "{why}");
}

#[test]
fn a_goal_of_the_calendar_can_be_armed_again() {
    let world = World::of(&[piece("goal", &[])]);
    let levers = world.channel.widget(WidgetId(1)).unwrap().levers(&world.channel.scope(at("24T20:00:00")));
    assert!(levers.iter().any(|lever| lever.action == "rearm" && lever.ready));
}

#[test]
fn a_counter_and_a_goal_speak_their_language() {
    let counter = piece("counter", &[("start", "12345"), ("target", "20000"), ("language", "de")]);
    let goal = piece("goal", &[("language", "de")]);
    let world = World::of(&[counter, goal]);
    assert_eq!(world.text(1, "24T20:00:00"), "12.345 von 20.000");
    assert_eq!(world.text(2, "24T20:00:00"), "0\u{a0}£ von 100\u{a0}£ (0\u{a0}%)");
}

#[test]
fn the_pace_of_a_running_total_is_that_of_what_came() {
    let mut world = World::of(&[]);
    let gauge = |value| Happening::Gauge { name: "followers".into(), value };
    world.happens("24T18:00:00", gauge(5_000));
    let edits = [("measure", "running:count_of_follows:followers"), ("period", "today"), ("target", "6000")];
    let mut goal = piece("goal", &[]);
    for (key, text) in edits {
        goal = goal.edited(key, text, &world.channel.scope(at("24T18:00:00"))).unwrap().0;
    }
    world.channel.put(WidgetId(1), goal);
    for minute in 0..6 {
        let follow = Happening::Follow { actor: by(&format!("viewer_{minute}"), None) };
        world.happens(&format!("24T19:0{minute}:00"), follow);
    }
    let slip = world.channel.widget(WidgetId(1)).unwrap().explain(&world.channel.scope(at("24T20:00:00")));
    assert!(slip.span.contains("6 an hour since the first"), "{}", slip.span);
    assert!(slip.span.contains("so 5,060 at the end"), "{}", slip.span);
}

#[test]
fn amounts_that_were_set_follow_the_base_currency() {
    let edits = [("only", "least"), ("least", "5"), ("only", "plus:count_of_subs"), ("plus:count_of_subs", "0.80")];
    let goal = piece("goal", &[&[("target", "350")], &edits[..]].concat());
    let mut world = World::of(&[goal, piece("event_list", &[("line:tip:least", "5")])]);
    world.line(at("20T12:00:00"), rates("2026-11-20", &[("GBP", "0.85"), ("JPY", "160")]));
    world.channel.set_settings(Settings { currency: Currency::parse("JPY").unwrap(), ..settings() });
    let scope = world.channel.scope(at("24T20:00:00"));
    let sentence = tally_core::sentence::plain(&world.channel.widget(WidgetId(1)).unwrap().sentence(&scope));
    assert!(sentence.contains("of at least ¥950 and ¥150 for each of the subscriptions"), "{sentence}");
    assert!(sentence.contains("towards ¥65,000"), "{sentence}");
    let least = &world.channel.widget(WidgetId(2)).unwrap().line_format().unwrap().kinds;
    assert_eq!(least[&tally_core::record::happening::Kind::Tip].least, 950);
}

#[test]
fn amending_a_kind_and_back_loses_nothing() {
    let mut world = World::of(&[piece("goal", &[("measure", "count_of_subs"), ("only", "given")])]);
    world.happens("24T19:00:00", sub("ninepins", Some("quietferry")));
    assert!(world.text(1, "24T20:00:00").starts_with("1 of"));
    let to = |kind: &str, number: &str| Correcting::Amend {
        name: String::new(),
        amount: String::new(),
        currency: String::new(),
        tier: String::new(),
        number: number.into(),
        kind: kind.into(),
    };
    world.correct(1, &to("follow", ""));
    assert!(world.text(1, "24T20:00:00").starts_with("0 of"));
    world.correct(1, &to("sub", ""));
    assert!(world.text(1, "24T20:00:00").starts_with("1 of"), "{}", world.text(1, "24T20:00:00"));

    let mut world = World::of(&[
        piece("goal", &[("measure", "points_of_cheers")]),
        piece("goal", &[("measure", "viewers_of_raids")]),
        piece("goal", &[("measure", "count_of_gifts")]),
    ]);
    world.happens("24T19:00:00", Happening::Cheer { actor: by("ninepins", None), points: 5, message: None });
    world.happens("24T19:00:00", Happening::Raid { actor: by("ninepins", None), viewers: 6 });
    world.happens("24T19:00:00", gift("ninepins", 7));
    for line in 1..=3 {
        world.correct(line, &to("", "1,204"));
    }
    for widget in 1..=3 {
        assert!(world.text(widget, "24T20:00:00").starts_with("1,204 of"));
    }
}

#[test]
fn the_name_shown_is_the_newest_in_force() {
    let mut world = World::of(&[piece("leaderboard", &[])]);
    world.happens("24T19:00:00", tip_by(by("ninepins", Some("42")), 1_000, "GBP"));
    world.happens("24T19:05:00", tip_by(by("NINEPINS", Some("42")), 100, "GBP"));
    world.happens("20T19:00:00", tip_by(by("old_name", Some("42")), 100, "GBP"));
    assert_eq!(world.text(1, "24T20:00:00"), "1. NINEPINS £12", "a late line renames nobody");
    world.correct(2, &Correcting::Void);
    assert_eq!(world.text(1, "24T20:00:00"), "1. ninepins £11", "nor does one that was voided");
}

#[test]
fn the_top_of_a_period_has_its_points_and_viewers() {
    let top = |measure, template| piece("label", &[("which", "top"), ("measure", measure), ("template", template)]);
    let mut world = World::of(&[
        top("points_of_cheers", "{{ name }} {{ points }}"),
        top("viewers_of_raids", "{{ name }} {{ viewers }}"),
    ]);
    world.happens("24T19:00:00", Happening::Cheer { actor: by("ninepins", None), points: 500, message: None });
    world.happens("24T19:00:00", Happening::Raid { actor: by("bram", None), viewers: 77 });
    assert_eq!((world.text(1, "24T20:00:00"), world.text(2, "24T20:00:00")), ("ninepins 500".into(), "bram 77".into()));
}

#[test]
fn a_folded_line_sums_in_whatever_order_currencies_come() {
    let (usd, eur) = ((1_000, "USD"), (1_000, "EUR"));
    for order in [[usd, usd, eur], [usd, eur, usd], [eur, usd, usd]] {
        let mut world = World::of(&[piece("event_list", &[])]);
        world.line(at("20T12:00:00"), rates("2026-11-20", &[("GBP", "0.80"), ("USD", "1.25")]));
        for (second, (minor, code)) in order.into_iter().enumerate() {
            world.happens(&format!("24T19:00:0{second}"), tip_by(by("ninepins", None), minor, code));
        }
        // £6.40 twice, and £8.
        assert_eq!(world.text(1, "24T20:00:00"), "ninepins tipped £20.80");
    }
}

#[test]
fn a_gift_below_the_least_shows_not_even_through_its_subscriptions() {
    let mut world = World::of(&[piece("event_list", &[("line:gift:least", "5"), ("placeholder", "")])]);
    world.happens("24T19:00:00", gift("quietferry", 3));
    for second in 1..4 {
        world.happens(&format!("24T19:00:0{second}"), sub(&format!("viewer_{second}"), Some("quietferry")));
    }
    assert_eq!(world.text(1, "24T20:00:00"), "");
}

#[test]
fn a_ladder_is_met_at_its_top() {
    let rungs = [("then", "rungs"), ("rungs", "Tea: 10\nCake: 20"), ("until", "2026-11-24T20:00")];
    let mut world = World::of(&[piece("goal", &rungs)]);
    world.happens("24T19:00:00", tip("ninepins", 1_000));
    let json =
        |world: &World| serde_json::to_value(world.channel.view(WidgetId(1), at("24T21:00:00")).unwrap()).unwrap();
    let view = json(&world);
    assert_eq!((view["percent"].as_i64(), view["outcome"].as_str()), (Some(50), Some("missed")));
    world.happens("24T19:30:00", tip("ninepins", 1_000));
    assert_eq!(json(&world)["outcome"], "met");
    // One that is raised keeps the target that it reached last.
    let raised = [("target", "10"), ("then", "raise"), ("step", "10"), ("until", "2026-11-24T20:00")];
    let mut world = World::of(&[piece("goal", &raised)]);
    world.happens("24T19:00:00", tip("ninepins", 1_500));
    assert_eq!(world.text(1, "24T21:00:00"), "£15 of £10 (150%)");
    assert_eq!(json(&world)["outcome"], "met");
}

#[test]
fn lines_without_a_price_wait_only_where_they_would_count() {
    let mut world = World::of(&[piece("goal", &[("only", "people"), ("people", "bram")])]);
    world.happens("24T19:00:00", tip_by(by("ninepins", None), 1_000, "EUR"));
    let slip = world.channel.widget(WidgetId(1)).unwrap().explain(&world.channel.scope(at("24T20:00:00")));
    assert!(!slip.terms.iter().any(|(what, _)| what.starts_with("Not priced")), "{:?}", slip.terms);
}

#[test]
fn a_rate_of_nothing_says_nothing() {
    let mut world = World::of(&[piece("goal", &[])]);
    world.happens("20T19:00:00", tip_by(by("ninepins", None), 1_000, "EUR"));
    world.line(at("24T12:00:00"), rates("2026-11-19", &[("GBP", "0")]));
    world.line(at("24T12:00:01"), rates("2026-11-18", &[("GBP", "0.80")]));
    assert!(world.text(1, "24T20:00:00").starts_with("£8 of"), "{}", world.text(1, "24T20:00:00"));
}

#[test]
fn what_is_dated_ahead_waits_in_a_rolling_period() {
    let mut world = World::of(&[piece("goal", &[("period", "last_hours"), ("length", "1")])]);
    let ahead = Draft {
        origin: Origin { source: "/test".into(), id: "ahead".into() },
        feed: None,
        happened_at: at("24T20:30:00"),
        arrived_at: at("24T20:00:00"),
        body: Body::Happening(tip("ninepins", 500)),
    };
    world.channel.apply(&ahead.at(Seq(1)));
    assert!(world.text(1, "24T20:00:00").starts_with("£0 of"));
    assert_eq!(world.channel.wakes_at(WidgetId(1), at("24T20:00:00")).unwrap(), at("24T20:30:00"));
    assert!(world.text(1, "24T20:30:00").starts_with("£5 of"));
    assert!(world.text(1, "24T21:30:01").starts_with("£0 of"));
}

#[test]
fn an_entry_of_nothing_costs_nobody_their_place() {
    let mut world = World::of(&[piece("leaderboard", &[("measure", "points_of_cheers")])]);
    let cheer = |name: &str, points| Happening::Cheer { actor: by(name, None), points, message: None };
    world.happens("24T19:00:00", cheer("ninepins", 500));
    world.happens("24T19:01:00", cheer("bram", 500));
    world.happens("24T19:02:00", cheer("ninepins", 0));
    assert_eq!(world.text(1, "24T20:00:00"), "1. ninepins 500\n1. bram 500");
}

#[test]
fn names_that_cannot_be_seen_are_none() {
    for name in ["\u{200b}", "\u{3164}", "\u{feff}\u{200d}"] {
        assert!(tally_core::language::text::name(name).is_err(), "{name:?}");
    }
}

#[test]
fn figures_are_written_as_the_cldr_has_them() {
    let money = |minor, code| Money { minor, currency: Currency::parse(code).unwrap() }.to_string();
    assert_eq!((money(1_500, "CHF"), money(-500, "GBP")), ("CHF\u{a0}15".into(), "-£5".into()));
    assert_eq!(World::of(&[piece("goal", &[])]).text(1, "24T20:00:00"), "£0 of £100 (0%)");
}

#[test]
fn a_channel_taken_up_again_equals_one_that_went_on() {
    let mut world = World::of(&[piece("goal", &[])]);
    world.happens("24T19:00:00", tip("ninepins", 500));
    let amend = Correcting::Amend {
        name: String::new(),
        amount: String::new(),
        currency: String::new(),
        tier: String::new(),
        number: String::new(),
        kind: "purchase".into(),
    };
    world.correct(1, &amend);
    let pages = world.channel.book().dirty().map(|(day, facts, _)| (day, facts.to_vec())).collect();
    let fresh = World::of(&[piece("goal", &[])]).channel;
    assert_eq!(fresh.resume(world.channel.snapshot(), pages).unwrap(), world.channel);
}

#[test]
fn no_number_that_somebody_types_makes_the_rules_fall() {
    let nothing = Channel::new(settings(), []);
    let scope = nothing.scope(at("01T00:00:00"));
    let goal = piece("goal", &[("then", "times")]);
    for factor in ["79228162514264337593543950335", "-79228162514264337593543950335", "1e28", "0,000000001"] {
        assert!(goal.edited("factor", factor, &scope).is_err(), "{factor}");
    }
    let most = i64::MAX.to_string();
    for (family, key) in [
        ("goal", "target"),
        ("goal", "start"),
        ("total", "1.start"),
        ("counter", "start"),
        ("counter", "step"),
        ("event_list", "line:tip:least"),
        ("event_list", "life"),
        ("label", "nth"),
        ("clock", "seconds"),
    ] {
        for number in [most.as_str(), "-9223372036854775808", "170141183460469231731687303715884105728"] {
            let _ = piece(family, &[]).edited(key, number, &scope);
        }
    }
}
