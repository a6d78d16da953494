//! Bad luck: what comes in disorder, all at once, a year late or at midnight, and what it costs the rules of a channel with a hundred
//! widgets that have all been shown, after a million entries.

use crate::fold::{channel, entries, happening, shown};
use crate::report::{Report, median, percentile};
use chrono::TimeDelta;
use std::time::{Duration, Instant};
use tally_core::channel::{Channel, Correcting};
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::{Actor, Happening};
use tally_core::record::ids::{Seq, WidgetId};

const YEAR: u64 = 1_000_000;
const EVENTS: u64 = 20_000;
const MERGES: u64 = 2_000;
const CORRECTIONS: u64 = 50;
const NIGHTS: i64 = 5;
/// Senders whose clocks differ, by so many seconds from one to the next.
const SENDERS: u64 = 4;
const APART: i64 = 2;

/// A channel, and what comes next to it.
struct After {
    channel: Channel,
    now: tally_core::time::Instant,
    next: u64,
}

impl After {
    fn a_year() -> Self {
        let (mut channel, now) = (channel(), "2026-11-24T19:00:00Z".parse().unwrap());
        for entry in entries(YEAR, now) {
            channel.apply(&entry);
        }
        shown(&mut channel, now);
        Self { channel, now, next: YEAR }
    }

    /// The next line, a millisecond after the one before, which says that it happened so long before.
    fn line(&mut self, body: Body, before: TimeDelta) -> Entry {
        self.next += 1;
        self.now += TimeDelta::milliseconds(1);
        let like = entries(1, self.now).next().unwrap();
        Entry { seq: Seq(self.next), happened_at: self.now - before, body, ..like }
    }

    /// How long each of these takes, in microseconds.
    fn each(&mut self, lines: &[Entry]) -> f64 {
        let began = Instant::now();
        for line in lines {
            std::hint::black_box(self.channel.apply(line));
        }
        began.elapsed().as_secs_f64() * 1e6 / lines.len() as f64
    }

    fn events(&mut self, of: impl Fn(u64) -> Happening, before: impl Fn(u64) -> TimeDelta) -> f64 {
        let lines: Vec<Entry> =
            (0..EVENTS).map(|number| self.line(Body::Happening(of(number)), before(number))).collect();
        self.each(&lines)
    }

    /// How long it takes until all widgets are told anew.
    fn looked_at(&mut self) -> Duration {
        let began = Instant::now();
        self.channel.turn(self.now);
        let all: Vec<WidgetId> = self.channel.widgets().map(|(id, _)| id).collect();
        for id in all {
            std::hint::black_box(self.channel.view(id, self.now));
        }
        began.elapsed()
    }
}

fn named(number: u64) -> Actor {
    let name = format!("viewer_{number}");
    Actor { id: Some(format!("v-{number}")), name, avatar: None, anonymous: false }
}

pub fn measure(report: &mut Report) {
    let mut after = After::a_year();
    let in_order = after.events(happening, |_| TimeDelta::zero());
    let apart = |number: u64| TimeDelta::seconds(APART * i64::try_from(number % SENDERS).unwrap());
    let in_disorder = after.events(happening, apart);
    report.add(
        "an event of four senders whose clocks differ by seconds, through 100 widgets",
        format!("{in_disorder:.1} µs"),
        format!("in order {in_order:.1} µs: ratio {:.1}", in_disorder / in_order),
        "",
    );
    let follow = |number| Happening::Cheer { actor: named(number % 3), points: 100, message: None };
    let burst = after.events(follow, |_| TimeDelta::zero());
    report.add(
        "an event of a burst of 20,000 by three people, through 100 widgets",
        format!("{burst:.1} µs"),
        format!("the same by 20,011 people {in_order:.1} µs: ratio {:.1}", burst / in_order),
        "",
    );

    let lines: Vec<Entry> = entries(YEAR, "2026-11-24T19:00:00Z".parse().unwrap()).take(5_000).collect();
    let mut took = Vec::new();
    for line in lines.iter().step_by(lines.len() / usize::try_from(CORRECTIONS).unwrap()) {
        let body = after.channel.correct(line, &Correcting::Void, "owner", None).unwrap();
        let entry = after.line(body, TimeDelta::zero());
        let began = Instant::now();
        after.channel.apply(&entry);
        took.push(began.elapsed() + after.looked_at());
    }
    report.add(
        "a line of last year voided, until 100 widgets are told anew",
        format!("{:.1} ms", percentile(&mut took, 50)),
        format!("worst {:.1} ms of {}; after a million entries", percentile(&mut took, 100), took.len()),
        "≤ 20 ms",
    );

    let mut nights: Vec<Duration> = (1..=NIGHTS)
        .map(|_| {
            // The channel's day begins at five.
            after.now = (after.now.date_naive() + chrono::Days::new(1)).and_hms_opt(5, 0, 0).unwrap().and_utc();
            let took = after.looked_at();
            after.events(happening, |_| TimeDelta::zero());
            took
        })
        .collect();
    report.add(
        "the turn of a day for 100 widgets",
        format!("{:.1} ms", percentile(&mut nights, 50)),
        format!("worst {:.1} ms of {NIGHTS}", percentile(&mut nights, 100)),
        "≤ 20 ms",
    );

    let merges: Vec<Entry> = (0..MERGES)
        .map(|number| {
            let (from, into) = (format!("#v-{}", number * 2 + 3), Some(format!("#v-{}", number * 2 + 4)));
            after.line(Body::Merge { by: "owner".into(), from, into }, TimeDelta::zero())
        })
        .collect();
    let each: Vec<f64> = merges.iter().map(|merge| after.each(std::slice::from_ref(merge))).collect();
    let worst = each.iter().copied().fold(0.0, f64::max) / 1e3;
    let looked = after.looked_at().as_secs_f64() * 1e3;
    let after_them = after.events(happening, |_| TimeDelta::zero());
    report.add(
        "a merge of two supporters, of 2,000 in a row",
        format!("{:.1} ms", median(each) / 1e3),
        format!("worst {worst:.1} ms; told anew after all of them {looked:.1} ms; an event then {after_them:.1} µs"),
        "",
    );
}
