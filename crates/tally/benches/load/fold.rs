//! What one event costs the rules, with a hundred widgets, in a short record and in a long one.

use crate::report::{Report, median};
use chrono::TimeDelta;
use std::time::Instant;
use tally_core::channel::Channel;
use tally_core::channel::starts::STARTS;
use tally_core::count::Count;
use tally_core::cues::{Cue, Cues, MOST_CUES, When};
use tally_core::money::{Currency, Money};
use tally_core::record::entry::{Body, Entry, Origin};
use tally_core::record::happening::{Actor, Happening, Kind, Tier};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::record::measure::Measure;
use tally_core::record::settings::{Settings, Weights};
use tally_core::time::calendar::{Calendar, Period};
use tally_core::widgets::Definition;
use tally_core::widgets::goal::{Aim, Goal};

const ROUNDS: usize = 5;
const EVENTS: u64 = 50_000;
const SHORT: u64 = 1_000;
/// Events a second of a flood.
const FLOOD: u64 = 5_000;
pub const LONG: u64 = 1_000_000;
pub const LONGEST: u64 = 10_000_000;

pub fn settings() -> Settings {
    Settings {
        currency: Currency::parse("GBP").unwrap(),
        calendar: Calendar {
            zone: chrono_tz::Tz::Europe__London,
            week_start: chrono::Weekday::Mon,
            day_start: chrono::NaiveTime::from_hms_opt(5, 0, 0).unwrap(),
        },
        weights: Weights::default(),
    }
}

/// A hundred widgets of all families that read the ledger, as they begin; goals over every measure
/// and several periods among them, some narrowed down.
pub fn channel() -> Channel {
    let periods = [Period::Today, Period::ThisMonth, Period::AllTime, Period::LastDays(30), Period::ThisYear];
    let (settings, now) = (settings(), "2026-11-24T19:00:00Z".parse().unwrap());
    let widgets = (1..=100_u32).map(|number| {
        let at = number as usize;
        if number % 3 != 0 {
            let start = STARTS[(at * 5) % STARTS.len()];
            return (WidgetId(number), start.piece(&settings, now).unwrap().unwrap());
        }
        let mut count = Count::of(Measure::ALL[at % Measure::ALL.len()], periods[at % periods.len()]);
        if number % 4 == 0 {
            count.only.least = 2;
        }
        let goal = Goal::of(Aim { count, ..Aim::standard(&settings) });
        (WidgetId(number), Definition::Goal(goal).unfolded())
    });
    Channel::new(settings.clone(), widgets.collect::<Vec<_>>())
}

/// The happening of a number: kinds, people and amounts by turns.
pub fn happening(number: u64) -> Happening {
    let actor = Actor {
        id: Some(format!("v-{}", number * 7 % 20_011)),
        name: format!("viewer_{}", number * 7 % 20_011),
        avatar: None,
        anonymous: false,
    };
    match number % 10 {
        0..=2 => {
            let amount = Money {
                minor: i64::try_from(number * 31 % 5_000).unwrap() + 1,
                currency: Currency::parse(["GBP", "GBP", "EUR"][(number % 3) as usize]).unwrap(),
            };
            Happening::Tip { actor, amount, message: number.is_multiple_of(4).then(|| "for the turntable".into()) }
        }
        3..=5 => Happening::Follow { actor },
        6 | 7 => Happening::Sub {
            actor,
            tier: Tier::try_from(u8::try_from(number % 3).unwrap() + 1).unwrap(),
            months: Some(u32::try_from(number % 20).unwrap()),
            message: None,
            gifted_by: None,
        },
        8 => Happening::Cheer { actor, points: u32::try_from(number % 900).unwrap() + 1, message: None },
        _ => Happening::Reward { actor, reward: "Tea break".into(), cost: Some(300), input: None },
    }
}

/// A year of entries, this many, ending at `end`.
pub fn entries(count: u64, end: tally_core::time::Instant) -> impl Iterator<Item = Entry> {
    let step = TimeDelta::microseconds(365 * 86_400_000_000 / i64::try_from(count).unwrap());
    (1..=count).map(move |number| {
        let at = end - step * i32::try_from(count - number).unwrap();
        Entry {
            seq: Seq(number),
            origin: Origin { source: "/bench".into(), id: number.to_string() },
            feed: Some(FeedId(1)),
            happened_at: at,
            arrived_at: at,
            body: Body::Happening(happening(number)),
        }
    })
}

/// Has all widgets shown once: from then on their figures are kept up to date.
pub fn shown(channel: &mut Channel, now: tally_core::time::Instant) {
    channel.turn(now);
    let all: Vec<WidgetId> = channel.widgets().map(|(id, _)| id).collect();
    for id in all {
        std::hint::black_box(channel.view(id, now));
    }
}

/// How many facts the drawing of one of the hundred widgets goes through, at most, on a day with 20,000 entries after all were shown.
pub fn most_facts_of_a_drawing() -> u64 {
    let end: tally_core::time::Instant = "2026-11-24T19:00:00Z".parse().unwrap();
    let mut channel = channel();
    for entry in entries(FLOOD * 4, end) {
        channel.apply(&entry);
    }
    shown(&mut channel, end);
    let next = entries(1, end + TimeDelta::seconds(1)).map(|entry| Entry { seq: Seq(FLOOD * 4 + 1), ..entry });
    for entry in next {
        channel.apply(&entry);
    }
    let now = end + TimeDelta::seconds(1);
    channel.turn(now);
    let of = |id| {
        let before = tally_core::book::looked_at();
        std::hint::black_box(channel.view(id, now));
        tally_core::book::looked_at() - before
    };
    channel.widgets().map(|(id, _)| of(id)).max().unwrap_or(0)
}

/// Nanoseconds an event, after so many, and how many widgets one touches.
fn costs(before: u64) -> (f64, f64) {
    let end: tally_core::time::Instant = "2026-11-24T19:00:00Z".parse().unwrap();
    let mut channel = channel();
    for entry in entries(before, end) {
        channel.apply(&entry);
    }
    shown(&mut channel, end);
    let more: Vec<Entry> = entries(EVENTS, end + TimeDelta::seconds(60))
        .map(|entry| Entry {
            seq: Seq(before + entry.seq.0),
            happened_at: end + TimeDelta::microseconds(i64::try_from(entry.seq.0).unwrap()),
            ..entry
        })
        .collect();
    let began = Instant::now();
    let touched: usize = more.iter().map(|entry| channel.apply(entry).len()).sum();
    #[allow(clippy::cast_precision_loss)]
    (began.elapsed().as_nanos() as f64 / EVENTS as f64, touched as f64 / EVENTS as f64)
}

/// Widget updates a second over a whole record, a year long, from its first entry on.
fn whole() -> (f64, f64) {
    let end: tally_core::time::Instant = "2026-11-24T19:00:00Z".parse().unwrap();
    let mut channel = channel();
    shown(&mut channel, end);
    let record: Vec<Entry> = entries(LONG, end).collect();
    let began = Instant::now();
    let touched: usize = record.iter().map(|entry| channel.apply(entry).len()).sum();
    let seconds = began.elapsed().as_secs_f64();
    #[allow(clippy::cast_precision_loss)]
    (touched as f64 / seconds / 1e6, LONG as f64 / seconds)
}

/// As many cues as a channel can have: most wait for a kind and a size, some for goals that are reached.
fn cues() -> Cues {
    let kinds = [Kind::Tip, Kind::Sub, Kind::Cheer, Kind::Follow, Kind::Raid];
    let cue = |number: usize| {
        let when = match number % 10 {
            9 => When::Reached { widget: WidgetId(u32::try_from(number % 33).unwrap() * 3 + 3) },
            _ => When::Entry { kind: kinds[number % kinds.len()], least: i64::MAX - 1 },
        };
        Cue { on: true, when, ..Cue::empty() }
    };
    Cues { all: (1_u32..).zip((0..MOST_CUES).map(cue)).collect(), ..Cues::default() }
}

/// Seconds of one core for a second of a flood of events, matched against so many cues.
fn matched(cues: Cues) -> f64 {
    let end: tally_core::time::Instant = "2026-11-24T19:00:00Z".parse().unwrap();
    let mut channel = channel();
    for entry in entries(SHORT, end) {
        channel.apply(&entry);
    }
    shown(&mut channel, end);
    channel.set_cues(cues);
    let more: Vec<Entry> = entries(FLOOD * 4, end + TimeDelta::seconds(60))
        .map(|entry| Entry { seq: Seq(SHORT + entry.seq.0), happened_at: end, arrived_at: end, ..entry })
        .collect();
    let began = Instant::now();
    let triggered: usize = more.iter().map(|entry| channel.apply_with_cues(entry).1.len()).sum();
    assert!(triggered < more.len());
    began.elapsed().as_secs_f64() / 4.0
}

pub fn measure(report: &mut Report) {
    let with = median((0..ROUNDS).map(|_| matched(cues())).collect());
    let without = median((0..ROUNDS).map(|_| matched(Cues::default())).collect());
    report.add(
        "500 cues matched against 5,000 events a second",
        format!("{:.0} % of a core", with * 100.0),
        format!(
            "without cues {:.0} %: ratio {:.1}; 100 widgets follow the events too",
            without * 100.0,
            with / without
        ),
        "≤ 100 %",
    );
    let (updates, events) = whole();
    report.add(
        "1,000,000 events through 100 mixed widgets",
        format!("{updates:.1} million widget updates/s"),
        format!("{events:.0} events/s"),
        "≥ 10 million updates/s",
    );
    let (mut short, mut long, mut touched) = (Vec::new(), Vec::new(), 0.0);
    for _ in 0..ROUNDS {
        short.push(costs(SHORT).0);
        let (cost, widgets) = costs(LONG);
        long.push(cost);
        touched = widgets;
    }
    let (short, long) = (median(short), median(long));
    report.add(
        "one event through 100 widgets, after 1,000,000",
        format!("{:.2} µs", long / 1_000.0),
        format!(
            "after 1,000: {:.2} µs: ratio {:.2}; {touched:.1} widgets touched, {:.1} million updates/s",
            short / 1_000.0,
            long / short,
            touched * 1_000.0 / long
        ),
        "ratio ≤ 1.1",
    );
}

/// The same after ten million entries: about two gigabytes, so only when it is named.
pub fn ten_million(report: &mut Report) {
    let short = median((0..ROUNDS).map(|_| costs(SHORT).0).collect());
    let longest = costs(LONGEST).0;
    report.add(
        "one event through 100 widgets, after 10,000,000",
        format!("{:.2} µs", longest / 1_000.0),
        format!("after 1,000: {:.2} µs: ratio {:.2}", short / 1_000.0, longest / short),
        "ratio ≤ 1.1",
    );
}
