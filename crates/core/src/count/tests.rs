use super::*;
use crate::fixtures::{World, entry, settings};
use crate::money::{Currency, Money};
use crate::record::acts::ShowAct;
use crate::record::entry::{Body, Draft, Entry};
use crate::record::happening::{Actor, Happening, Tier};
use crate::record::ids::FeedId;
use crate::sentence::plain;
use chrono::TimeDelta;
use proptest::prelude::*;

fn at(text: &str) -> Instant {
    format!("2026-11-{text}:00Z").parse().unwrap()
}

fn actor(name: &str) -> Actor {
    Actor { id: None, name: name.into(), avatar: None, anonymous: false }
}

fn tip(seq: u64, when: &str, name: &str, pence: i64, message: &str) -> Entry {
    let amount = Money { minor: pence, currency: Currency::parse("GBP").unwrap() };
    let message = Some(message.to_owned()).filter(|message| !message.is_empty());
    entry(seq, at(when), Body::Happening(Happening::Tip { actor: actor(name), amount, message }))
}

fn sub(seq: u64, when: &str, tier: u8, given: bool) -> Entry {
    let (tier, gifted_by) = (Tier::try_from(tier).unwrap(), given.then(|| actor("bram")));
    let happening = Happening::Sub { actor: actor("ninepins"), tier, months: None, message: None, gifted_by };
    entry(seq, at(when), Body::Happening(happening))
}

fn tally(count: &Count, entries: &[Entry], now: &str) -> Tally {
    World::after(entries).scope(at(now)).tally(count)
}

fn value(count: &Count, entries: &[Entry], now: &str) -> i64 {
    tally(count, entries, now).value()
}

/// The count after edits of its sentence.
fn told(edits: &[(&str, &str)]) -> Count {
    let world = World::after(&[tip(1, "01T12:00", "bram", 1, "")]);
    let mut count = Count::of(Measure::AmountOfTips, Period::AllTime);
    for (key, text) in edits {
        assert_eq!(sentence::edit(&mut count, key, text, &world.scope(at("24T19:00"))), Ok(true), "{key} {text}");
    }
    count
}

#[test]
fn filters_let_through_what_they_say() {
    let entries = [
        tip(1, "10T12:00", "Quietferry", 500, "for the Whistle"),
        tip(2, "10T13:00", "bram", 1_500, ""),
        tip(3, "10T14:00", "oatcake_jo", 100, "whistle!"),
    ];
    let sum = |edits: &[(&str, &str)]| value(&told(edits), &entries, "24T19:00");
    assert_eq!(sum(&[]), 2_100);
    assert_eq!(sum(&[("only", "least"), ("least", "5")]), 2_000);
    assert_eq!(sum(&[("only", "people"), ("people", "quietferry, Oatcake_Jo")]), 600);
    assert_eq!(sum(&[("only", "but_people"), ("people", "bram")]), 600);
    assert_eq!(sum(&[("only", "saying"), ("saying", "WHISTLE")]), 600);
    assert_eq!(sum(&[("only", "saying"), ("saying", "whistle"), ("only", "least"), ("least", "5")]), 500);
    assert_eq!(sum(&[("only", "feed")]), 0, "these came through none");
    assert_eq!(sum(&[("only", "least"), ("only", "")]), 2_100);
    assert_eq!(sum(&[("measure", "count_of_tips"), ("only", "least"), ("least", "5")]), 2, "numbers of a least size");
    let subs = [sub(4, "11T12:00", 1, false), sub(5, "11T12:01", 3, true), sub(6, "11T12:02", 2, false)];
    let subs =
        |edits: &[(&str, &str)]| value(&told(&[&[("measure", "count_of_subs")], edits].concat()), &subs, "24T19:00");
    assert_eq!(subs(&[("only", "tiers"), ("tiers", "2 and 3")]), 2);
    assert_eq!(subs(&[("only", "given")]), 1);
    assert_eq!(subs(&[("only", "given"), ("given", "own")]), 2);
}

#[test]
fn a_sum_of_several_takes_so_much_for_each() {
    let count = told(&[("only", "plus:count_of_subs"), ("plus:count_of_subs", "0.80")]);
    let entries = [tip(1, "10T12:00", "bram", 500, ""), sub(2, "11T12:00", 3, false), sub(3, "11T12:01", 1, true)];
    assert_eq!(value(&count, &entries, "24T19:00"), 660);
    let world = World::new();
    let words = plain(&sentence::parts(&count, &world.scope(at("24T19:00"))));
    assert_eq!(words, "tips and £0.80 for each of the subscriptions, from all time");
    assert!(told(&[("only", "plus:count_of_subs"), ("plus:count_of_subs", "")]).plus.is_empty());
}

#[test]
fn different_supporters_are_people_and_merged_names_are_one() {
    let count = Count::of(Measure::DifferentSupporters, Period::AllTime);
    let mut entries = vec![
        tip(1, "10T12:00", "bram", 500, ""),
        tip(2, "10T12:01", "Bram", 500, ""),
        tip(3, "10T12:02", "bram_on_tour", 500, ""),
    ];
    assert_eq!(value(&count, &entries, "24T19:00"), 2);
    let merge = |seq, into: Option<&str>| {
        let body = Body::Merge { by: "odile".into(), from: "bram_on_tour".into(), into: into.map(str::to_owned) };
        entry(seq, at("20T12:00"), body)
    };
    entries.push(merge(4, Some("bram")));
    assert_eq!(value(&count, &entries, "24T19:00"), 1);
    entries.push(merge(5, None));
    assert_eq!(value(&count, &entries, "24T19:00"), 2);
}

#[test]
fn levels_and_running_totals() {
    let level =
        |seq, when, value| entry(seq, at(when), Body::Happening(Happening::Gauge { name: "followers".into(), value }));
    let follow = |seq, when| entry(seq, at(when), Body::Happening(Happening::Follow { actor: actor("bram") }));
    let entries = [
        follow(1, "10T10:00"),
        level(2, "10T12:00", 1_000),
        follow(3, "10T13:00"),
        level(4, "11T12:00", 1_004),
        follow(5, "11T13:00"),
        follow(6, "11T14:00"),
    ];
    let of = |what| Count { what, ..Count::of(Measure::CountOfFollows, Period::AllTime) };
    assert_eq!(value(&of(What::Level("followers".into())), &entries, "24T19:00"), 1_004);
    assert_eq!(value(&of(What::Level("viewers".into())), &entries, "24T19:00"), 0);
    let running = What::Running { level: "followers".into(), measure: Measure::CountOfFollows };
    assert_eq!(value(&of(running.clone()), &entries, "24T19:00"), 1_006);
    let today = Count { period: Period::Today, ..of(running) };
    assert_eq!(value(&today, &entries, "10T19:00"), 1_001);
}

#[test]
fn a_level_that_is_heard_is_shown_until_a_newer_one_is_recorded() {
    let reading = |seq, when, value| {
        let gauge = Happening::Gauge { name: "viewers".into(), value };
        Entry { feed: Some(FeedId(7)), ..entry(seq, at(when), Body::Happening(gauge)) }
    };
    let count = Count { what: What::Level("viewers".into()), ..Count::of(Measure::CountOfFollows, Period::AllTime) };
    let mut channel = crate::channel::Channel::new(settings(), []);
    let shown = |channel: &crate::channel::Channel, count: &Count| {
        let scope = channel.scope(at("24T19:00"));
        (scope.tally(count).value(), explain::terms_and_lines(count, &scope).0[0].0.clone())
    };
    let hear = |channel: &mut crate::channel::Channel, when, value| {
        let Entry { origin, feed, happened_at, arrived_at, body, .. } = reading(0, when, value);
        channel.hear_level(&Draft { origin, feed, happened_at, arrived_at, body });
    };
    channel.apply(&reading(1, "24T12:00", 200));
    hear(&mut channel, "24T12:01", 230);
    hear(&mut channel, "24T11:00", 5);
    assert_eq!(shown(&channel, &count), (230, "Read 24 Nov, 12:01, not recorded yet".into()));
    let yesterday = Count { until: Some(at("24T12:01")), ..count.clone() };
    assert_eq!(shown(&channel, &yesterday).0, 200, "what was read after the end does not count");
    channel.apply(&reading(2, "24T12:01", 230));
    assert_eq!(shown(&channel, &count), (230, "Counted, from 1 line".into()));
    hear(&mut channel, "24T12:02", 240);
    let running = What::Running { level: "viewers".into(), measure: Measure::CountOfFollows };
    assert_eq!(shown(&channel, &Count { what: running, ..count.clone() }).0, 240);
    let withdraw = Body::Withdraw { feed: FeedId(7), name: "numbers".into(), by: "odile".into(), withdrawn: true };
    channel.apply(&entry(3, at("24T13:00"), withdraw));
    assert_eq!(shown(&channel, &count).0, 0, "what came through that feed is out, heard or recorded");
    hear(&mut channel, "24T12:03", 250);
    assert_eq!(shown(&channel, &count).0, 0);
}

#[test]
fn a_games_statistic_grows_and_is_reset_and_never_falls() {
    let total = |seq, when, engine: &str, total| {
        let (player, character, stat) = ("odile".into(), Some(engine.into()), "deliveries".into());
        entry(seq, at(when), Body::Happening(Happening::Stat { player, character, stat, total }))
    };
    let entries = [
        total(1, "10T12:00", "No. 7", 40),
        total(2, "20T19:10", "No. 7", 43),
        total(3, "20T19:20", "Heron", 12),
        total(4, "20T19:30", "Heron", 15),
        total(5, "20T19:40", "No. 7", 2),
        total(6, "20T19:50", "No. 7", 3),
    ];
    let count =
        Count { what: What::Statistic("deliveries".into()), ..Count::of(Measure::CountOfTips, Period::ThisShow) };
    let show = [&[entry(10, at("20T19:00"), Body::Show { by: "odile".into(), act: ShowAct::Begin })], &entries[1..]];
    let mut all = vec![entries[0].clone()];
    all.extend(show.concat().into_iter().zip(2..).map(|(one, seq)| Entry { seq: crate::record::ids::Seq(seq), ..one }));
    // 3 since the show began, 3 of the engine first seen in it, 1 after the game's reset.
    assert_eq!(value(&count, &all, "24T19:00"), 7);
}

#[test]
fn this_show_is_the_one_on_air_or_the_last_and_a_trim_counts_anew() {
    let count = Count::of(Measure::AmountOfTips, Period::ThisShow);
    let said = |seq, when, act| entry(seq, at(when), Body::Show { by: "odile".into(), act });
    let mut entries = vec![tip(1, "20T18:59", "bram", 1, "")];
    assert_eq!(value(&count, &entries, "20T18:59"), 0, "there has been no show yet");
    entries.push(said(2, "20T19:00", ShowAct::Begin));
    entries.push(tip(3, "20T20:00", "bram", 10, ""));
    entries.push(said(4, "20T22:00", ShowAct::End));
    entries.push(tip(5, "20T22:00", "bram", 100, ""));
    assert_eq!(value(&count, &entries, "24T19:00"), 10);
    let show = crate::record::ids::Seq(2);
    entries.push(said(6, "24T19:00", ShowAct::Trim { show, from: at("20T18:59"), to: Some(at("20T23:00")) }));
    assert_eq!(value(&count, &entries, "24T19:00"), 111);
}

#[test]
fn rates_that_come_late_price_what_waited() {
    let count = Count::of(Measure::AmountOfTips, Period::AllTime);
    let euros = |seq, when| {
        let amount = Money { minor: 1_000, currency: Currency::parse("EUR").unwrap() };
        entry(seq, at(when), Body::Happening(Happening::Tip { actor: actor("bram"), amount, message: None }))
    };
    let rates = |seq, date: &str, gbp: &str| {
        let per_euro = [("GBP".to_owned(), gbp.parse().unwrap())].into();
        entry(seq, at("24T18:00"), Body::Rates { days: [(date.parse().unwrap(), per_euro)].into() })
    };
    let mut entries = vec![euros(1, "09T12:00"), euros(2, "10T12:00"), euros(3, "12T12:00")];
    let waiting = tally(&count, &entries, "24T19:00");
    assert_eq!((waiting.value(), waiting.lines, waiting.unpriced), (0, 0, 3));
    let number = Count::of(Measure::CountOfTips, Period::AllTime);
    assert_eq!(value(&number, &entries, "24T19:00"), 3, "unpriced tips count as tips");
    entries.push(rates(4, "2026-11-10", "0.80"));
    let priced = tally(&count, &entries, "24T19:00");
    assert_eq!((priced.value(), priced.lines, priced.unpriced), (1_600, 2, 1));
    entries.push(rates(5, "2026-11-11", "0.90"));
    assert_eq!(value(&count, &entries, "24T19:00"), 1_700);
    entries.push(rates(6, "2026-11-10", "0.70"));
    assert_eq!(value(&count, &entries, "24T19:00"), 1_600, "a mended table stands in place of the first");
}

#[test]
fn the_base_currency_can_change_and_change_back() {
    let count = Count::of(Measure::AmountOfTips, Period::AllTime);
    let amount = Money { minor: 1_001, currency: Currency::parse("EUR").unwrap() };
    let euros =
        entry(1, at("12T12:00"), Body::Happening(Happening::Tip { actor: actor("bram"), amount, message: None }));
    let per_euro = [("GBP".to_owned(), "0.85".parse().unwrap())].into();
    let rates = entry(2, at("24T18:00"), Body::Rates { days: [("2026-11-10".parse().unwrap(), per_euro)].into() });
    let mut channel = crate::channel::Channel::new(settings(), []);
    for line in [&euros, &rates, &tip(3, "13T12:00", "bram", 850, "")] {
        channel.apply(line);
    }
    let value = |channel: &crate::channel::Channel| channel.scope(at("24T19:00")).tally(&count).value();
    assert_eq!(value(&channel), 851 + 850);
    let euros = Settings { currency: Currency::parse("EUR").unwrap(), ..settings() };
    channel.set_settings(euros);
    assert_eq!(value(&channel), 1_001 + 1_000);
    channel.set_settings(settings());
    assert_eq!(value(&channel), 851 + 850);
}

#[test]
fn parts_that_make_no_sense_are_refused() {
    let world = World::new();
    let scope = world.scope(at("24T19:00"));
    let cases = [
        ("measure", "apples"),
        ("only", "tiers"),
        ("least", "-1"),
        ("tiers", "4"),
        ("given", "x"),
        ("people", "a\u{0}b"),
        ("saying", "a\u{202e}"),
        ("feed", "9"),
        ("period", "fortnight"),
        ("plus:count_of_subs", "a"),
    ];
    for (key, text) in cases {
        let mut count = Count::of(Measure::AmountOfTips, Period::AllTime);
        assert!(sentence::edit(&mut count, key, text, &scope).is_err(), "{key} {text}");
        assert_eq!(count, Count::of(Measure::AmountOfTips, Period::AllTime));
    }
    let mut dates = told(&[("period", "between"), ("from", "2026-11-20"), ("to", "2026-11-22")]);
    assert!(sentence::edit(&mut dates, "to", "2026-11-19", &scope).is_err());
    assert!(sentence::edit(&mut dates, "from", "soon", &scope).is_err());
    assert_eq!(sentence::edit(&mut dates, "colour", "red", &scope), Ok(false));
}

fn some_tips() -> impl Strategy<Value = Vec<(i64, i64, u8)>> {
    prop::collection::vec((0_i64..40_000_000, 1_i64..10_000, 0_u8..4), 0..60)
}

fn tips_of(list: &[(i64, i64, u8)]) -> Vec<Entry> {
    let first: Instant = "2026-01-01T12:00:00Z".parse().unwrap();
    let tip = |(seq, (after, pence, who)): (u64, &(i64, i64, u8))| {
        let amount = Money { minor: *pence, currency: Currency::parse("GBP").unwrap() };
        let happening = Happening::Tip { actor: actor(&format!("v{who}")), amount, message: None };
        entry(seq, first + TimeDelta::seconds(*after), Body::Happening(happening))
    };
    (1..).zip(list).map(tip).collect()
}

proptest! {
    #[test]
    fn sums_of_all_periods_of_a_kind_equal_a_recount(list in some_tips(), which in 0_usize..4) {
        let period = [Period::Today, Period::ThisWeek, Period::ThisMonth, Period::ThisYear][which];
        let (world, settings) = (World::after(&tips_of(&list)), settings());
        let count = Count::of(Measure::AmountOfTips, period);
        let mut now: Instant = "2026-01-01T12:00:00Z".parse().unwrap();
        let end = now + TimeDelta::seconds(40_000_000);
        let mut total = 0;
        while now <= end {
            total += world.scope(now).tally(&count).value();
            now = settings.calendar.span(period, now).to.unwrap();
        }
        prop_assert_eq!(total, list.iter().map(|(_, pence, _)| pence).sum::<i64>());
    }

    #[test]
    fn a_rolling_figure_kept_up_to_date_equals_a_recount(list in some_tips(), steps in prop::collection::vec(1_i64..3_000_000, 1..20)) {
        use crate::record::ids::WidgetId;
        use crate::widgets::Definition;
        use crate::widgets::goal::{Aim, Goal};
        let count = Count::of(Measure::AmountOfTips, Period::LastDays(20));
        let goal = Goal::of(Aim { count: count.clone(), ..Aim::standard(&settings()) });
        let mut channel = crate::channel::Channel::new(settings(), [(WidgetId(1), Definition::Goal(goal).unfolded())]);
        let mut waiting = tips_of(&list).into_iter().peekable();
        let mut now: Instant = "2026-01-01T12:00:00Z".parse().unwrap();
        for step in steps {
            for line in waiting.by_ref().take(7) {
                channel.apply(&line);
            }
            now += TimeDelta::seconds(step);
            channel.turn(now);
            let scope = channel.scope(now);
            prop_assert_eq!(scope.tally(&count), count.recount(scope.span(&count), scope.book, scope.settings));
        }
    }

    #[test]
    fn no_text_makes_a_sentence_panic(key in "measure|only|least|tiers|people|saying|feed|period|length|from|to|plus:count_of_subs", text in ".*") {
        let world = World::new();
        let mut count = Count::of(Measure::AmountOfTips, Period::LastDays(3));
        let _ = sentence::edit(&mut count, &key, &text, &world.scope(at("24T19:00")));
    }
}
