//! A channel's life, drawn at random: what happens, what people press and correct, who is merged with
//! whom, when shows are, and which rates come when.

use crate::common::settings;
use chrono::TimeDelta;
use proptest::prelude::*;
use tally_core::channel::{Channel, Correcting, Press};
use tally_core::money::{Currency, Money};
use tally_core::record::acts::ShowAct;
use tally_core::record::entry::{Body, Draft, Entry, Incoming, Origin};
use tally_core::record::happening::{Actor, Happening, Tier};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::record::measure::Measure;
use tally_core::time::Instant;
use tally_core::widgets::{Action, Definition, Piece};

/// A few days before the clocks change.
pub fn begin() -> Instant {
    "2026-10-20T19:00:00Z".parse().unwrap()
}

/// A piece with one part of its sentence said otherwise.
pub fn edited(piece: &Piece, key: &str, text: &str) -> Piece {
    let nothing = Channel::new(settings(), []);
    piece.edited(key, text, &nothing.scope(begin())).unwrap().0
}

pub fn piece(family: &str, edits: &[(&str, &str)]) -> Piece {
    let standard = Definition::standard(family, &settings()).unwrap().unfolded();
    edits.iter().fold(standard, |piece, (key, text)| edited(&piece, key, text))
}

const PERIODS: [&str; 9] =
    ["this_show", "today", "this_week", "this_month", "this_year", "last_hours", "last_days", "between", "all_time"];
const MEASURES: [&str; 5] =
    ["amount_of_tips", "count_of_subs", "subscriber_weight", "different_supporters", "points_of_cheers"];

/// The counters (one that resets each day, one that each show) and the clock stand first.
pub const COUNTERS: std::ops::RangeInclusive<u32> = 1..=2;
pub const CLOCK: u32 = 3;
/// The goal that counts since its last reset.
pub const RESET: u32 = 4;

/// What is operated, then one of every family that follows the record over every period.
pub fn channel() -> Channel {
    let mut pieces = vec![
        piece("counter", &[("resets", "each_day")]),
        piece("counter", &[("resets", "each_show")]),
        piece("clock", &[]),
        piece("goal", &[("period", "since_reset")]),
    ];
    for (index, period) in PERIODS.into_iter().enumerate() {
        let period = ("period", period);
        pieces.push(piece("goal", &[("measure", MEASURES[index % MEASURES.len()]), period]));
        let several = [("only", "plus:count_of_subs"), ("only", "plus:count_of_gifts"), ("only", "least"), period];
        pieces.push(piece("goal", &several));
        pieces.push(piece("goal", &[("only", "people"), ("people", "ade, bea"), period]));
        pieces.push(piece("total", &[("1.measure", "different_supporters"), ("1.period", period.1)]));
        pieces.push(piece("label", &[("template", "{{ name }} {{ amount }} {{ ago }}"), period]));
        pieces.push(piece("label", &[("which", "largest"), period]));
        pieces.push(piece("label", &[("which", "top"), period]));
        pieces.push(piece("leaderboard", &[period]));
        pieces.push(piece("leaderboard", &[("measure", "count_of_gifts"), period]));
        let life: &[(&str, &str)] = if index % 2 == 0 { &[("life", "1:00:00")] } else { &[("quiet", "2:00:00")] };
        pieces.push(piece("event_list", &[&[period, ("line:gift:least", "2")], life].concat()));
        pieces.push(piece("ticker", &[("common", "{{ name }} {{ amount }}, {{ ago }}"), period]));
        pieces.push(piece("crowd_wall", &[("who", ["followers", "subscribers", "supporters"][index % 3]), period]));
    }
    let carousel = Definition::standard("carousel", &settings()).unwrap().unfolded();
    pieces.push(carousel);
    pieces.push(piece("chat_lines", &[]));
    Channel::new(settings(), (1..).map(WidgetId).zip(pieces))
}

/// What somebody does, or what happens, after a wait.
#[derive(Debug, Clone)]
pub enum Step {
    Event {
        id: u8,
        happening: Happening,
        late: i64,
    },
    /// A gift, and the subscriptions that come besides it.
    Gift {
        id: u8,
        giver: Actor,
        receivers: u8,
    },
    Adjust {
        measure: Measure,
        number: i64,
    },
    Press {
        widget: u32,
        action: &'static str,
        value: Option<i64>,
    },
    Correct {
        line: prop::sample::Index,
        wish: Correcting,
    },
    Merge {
        from: usize,
        into: Option<usize>,
    },
    Show(ShowWish),
    Rates {
        day: i64,
        pounds: u32,
    },
}

#[derive(Debug, Clone)]
pub enum ShowWish {
    Begin,
    End,
    Trim { show: prop::sample::Index, from: i64, length: i64 },
    Strike { show: prop::sample::Index },
    Ending { after: i64 },
    Stay,
}

/// Names that are asked for in merges: each is somebody's, and two are the names of several.
const PEOPLE: [&str; 6] = ["ade", "bea", "#1", "#2", "#3", "cat"];

/// Somebody: with an id or without, under one of a few names, or nobody.
pub fn actor() -> impl Strategy<Value = Actor> {
    let name = prop::sample::select(vec!["ade", "Ade", "bea", "cat", "dot"]);
    let id = prop::sample::select(vec![None, None, Some("1"), Some("2"), Some("3")]);
    (name, id, 0..8_u8).prop_map(|(name, id, which)| Actor {
        id: id.map(str::to_owned),
        name: name.into(),
        avatar: None,
        anonymous: which == 0,
    })
}

pub fn happening() -> impl Strategy<Value = Happening> {
    let money = (0_i64..100_000, prop::sample::select(vec!["GBP", "EUR", "JPY"]))
        .prop_map(|(minor, code)| Money { minor, currency: Currency::parse(code).unwrap() });
    let tier = || (1_u8..=3).prop_map(|tier| Tier::try_from(tier).unwrap());
    prop_oneof![
        1 => actor().prop_map(|actor| Happening::Follow { actor }),
        2 => (actor(), tier(), prop::option::of(actor()), prop::option::of(1_u32..9)).prop_map(
            |(actor, tier, gifted_by, months)| Happening::Sub { actor, tier, months, message: None, gifted_by }
        ),
        1 => (actor(), tier(), 1_u32..5).prop_map(|(actor, tier, count)| Happening::Gift { actor, tier, count }),
        3 => (actor(), money.clone()).prop_map(|(actor, amount)| Happening::Tip { actor, amount, message: None }),
        1 => (actor(), 0_u32..500).prop_map(|(actor, points)| Happening::Cheer { actor, points, message: None }),
        1 => (actor(), 0_u32..90).prop_map(|(actor, viewers)| Happening::Raid { actor, viewers }),
        1 => (actor(), 1_u32..4, prop::option::of(money)).prop_map(|(actor, quantity, amount)| Happening::Purchase {
            actor,
            item: "mug".into(),
            quantity,
            amount,
        }),
        1 => (0_i64..900).prop_map(|value| Happening::Gauge { name: "viewers".into(), value }),
    ]
}

fn correcting() -> impl Strategy<Value = Correcting> {
    let amend = |name: &str, amount: &str, currency: &str, tier: &str, number: &str, kind: &str| Correcting::Amend {
        name: name.into(),
        amount: amount.into(),
        currency: currency.into(),
        tier: tier.into(),
        number: number.into(),
        kind: kind.into(),
    };
    prop::sample::select(vec![
        Correcting::Void,
        Correcting::Void,
        Correcting::Restore,
        amend("bea", "", "", "", "", ""),
        amend("ade", "", "", "", "", ""),
        amend("", "7", "EUR", "", "", ""),
        amend("", "12.50", "", "", "", "purchase"),
        amend("", "", "", "", "", "tip"),
        amend("", "", "", "3", "", ""),
        amend("", "", "", "", "4", ""),
        amend("", "", "", "", "", "follow"),
        amend("", "", "", "", "", "sub"),
    ])
}

pub fn step() -> impl Strategy<Value = (Step, i64)> {
    let index = any::<prop::sample::Index>;
    // Mostly on time, sometimes weeks late, sometimes a little ahead.
    let late = prop_oneof![6 => Just(0_i64), 2 => 0_i64..4_000_000, 1 => -9_000_i64..0];
    let event = (any::<u8>(), happening(), late).prop_map(|(id, happening, late)| Step::Event { id, happening, late });
    let gift = (any::<u8>(), actor(), 1_u8..5).prop_map(|(id, giver, receivers)| Step::Gift { id, giver, receivers });
    let measures = prop::sample::select(vec![Measure::AmountOfTips, Measure::CountOfSubs, Measure::CountOfGifts]);
    let adjust = (measures, -500_i64..500).prop_map(|(measure, number)| Step::Adjust { measure, number });
    let count =
        (COUNTERS, prop::sample::select(vec!["add", "subtract", "set", "reset", "undo"]), prop::option::of(0_i64..60))
            .prop_map(|(widget, action, value)| Step::Press { widget, action, value });
    let clock = (prop::sample::select(vec!["start", "pause", "reset", "add", "undo"]), prop::option::of(0_i64..200))
        .prop_map(|(action, value)| Step::Press { widget: CLOCK, action, value });
    let goal = prop::sample::select(vec!["reset", "rearm", "undo"]).prop_map(|action| Step::Press {
        widget: RESET,
        action,
        value: None,
    });
    let correct = (index(), correcting()).prop_map(|(line, wish)| Step::Correct { line, wish });
    let merge =
        (0..PEOPLE.len(), prop::option::of(0..PEOPLE.len())).prop_map(|(from, into)| Step::Merge { from, into });
    let show = prop_oneof![
        3 => Just(ShowWish::Begin),
        3 => Just(ShowWish::End),
        1 => (index(), -90_000_i64..90_000, 1_i64..90_000)
            .prop_map(|(show, from, length)| ShowWish::Trim { show, from, length }),
        1 => index().prop_map(|show| ShowWish::Strike { show }),
        1 => (0_i64..600).prop_map(|after| ShowWish::Ending { after }),
        1 => Just(ShowWish::Stay),
    ];
    let rates = (-9_i64..9, 60_u32..99).prop_map(|(day, pounds)| Step::Rates { day, pounds });
    let step = prop_oneof![
        10 => event, 2 => gift, 1 => adjust, 3 => count, 2 => clock, 1 => goal,
        4 => correct, 2 => merge, 2 => show.prop_map(Step::Show), 1 => rates,
    ];
    // Often close together, so that lines fold; now and then days go by.
    (step, prop_oneof![4 => 0_i64..90, 3 => 0_i64..9_000, 1 => 0_i64..200_000])
}

/// What was lived through.
pub struct Life {
    pub channel: Channel,
    pub entries: Vec<Entry>,
    pub now: Instant,
}

impl Life {
    /// Everybody who can be merged has followed, long ago, in lines that nobody corrects.
    pub fn begun() -> Self {
        let mut life = Self { channel: channel(), entries: Vec::new(), now: begin() };
        for (number, name) in PEOPLE.into_iter().enumerate() {
            let (id, name) = match name.strip_prefix('#') {
                Some(id) => (Some(id.to_owned()), format!("viewer_{id}")),
                None => (None, name.to_owned()),
            };
            let happening = Happening::Follow { actor: Actor { id, name, avatar: None, anonymous: false } };
            let at = begin() - TimeDelta::days(900) + TimeDelta::seconds(i64::try_from(number).unwrap());
            life.take(life.draft("/begin", number.to_string(), at, Body::Happening(happening)));
        }
        life
    }

    fn draft(&self, source: &str, id: String, happened_at: Instant, body: Body) -> Draft {
        Draft { origin: Origin { source: source.into(), id }, feed: None, happened_at, arrived_at: self.now, body }
    }

    /// Appends a line, unless it is known: the ledger's unique key.
    fn take(&mut self, draft: Draft) -> std::collections::BTreeSet<WidgetId> {
        if self.entries.iter().any(|entry| entry.origin == draft.origin) {
            return std::collections::BTreeSet::new();
        }
        let entry = draft.at(self.channel.last_seq().next());
        self.entries.push(entry.clone());
        self.channel.apply(&entry)
    }

    /// Does what a step says, as the engine does: what is refused leaves no line. Names the widgets touched.
    pub fn step(&mut self, number: usize, step: &Step) -> std::collections::BTreeSet<WidgetId> {
        let now = self.now;
        let happened = |source: &str, id: String, happening, late| {
            let origin = Origin { source: source.into(), id };
            let happened_at = Some(now - TimeDelta::seconds(late));
            Incoming { origin, happened_at, happening }.draft(FeedId(1), now)
        };
        let body = match step {
            Step::Event { id, happening, late } => {
                return self.take(happened("/feed", id.to_string(), happening.clone(), *late));
            }
            Step::Gift { id, giver, receivers } => {
                let (giver, tier) = (giver.clone(), Tier::default());
                let gift = Happening::Gift { actor: giver.clone(), tier, count: (*receivers).into() };
                let mut touched = self.take(happened("/gift", id.to_string(), gift, 0));
                for receiver in 0..*receivers {
                    let actor = Actor { id: None, name: format!("got_{receiver}"), avatar: None, anonymous: false };
                    let gifted_by = Some(giver.clone());
                    let sub = Happening::Sub { actor, tier, months: None, message: None, gifted_by };
                    touched.extend(self.take(happened("/gift", format!("{id}/{receiver}"), sub, 0)));
                }
                return touched;
            }
            Step::Adjust { measure, number } => {
                let amount = measure.is_money().then(|| Money { minor: *number, currency: settings().currency });
                let number = if amount.is_some() { 0 } else { *number };
                Ok(Body::Happening(Happening::Adjust { measure: *measure, number, amount, message: None }))
            }
            Step::Press { widget, action, value } => {
                let action = Action { name: action, value: *value, text: None, side: None };
                self.channel.decide(&Press { widget: WidgetId(*widget), action, by: "odile" }, now)
            }
            Step::Correct { line, wish } => {
                let lines = &self.entries[PEOPLE.len()..];
                if lines.is_empty() {
                    return std::collections::BTreeSet::new();
                }
                self.channel.correct(&lines[line.index(lines.len())], wish, "odile", None)
            }
            Step::Merge { from, into } => {
                self.channel.decide_merge(PEOPLE[*from], into.map(|into| PEOPLE[into]), "odile")
            }
            Step::Show(wish) => match self.show(wish, now) {
                Some(act) => self.channel.decide_show(act, "odile", now),
                None => return std::collections::BTreeSet::new(),
            },
            Step::Rates { day, pounds } => {
                let date = (begin() + TimeDelta::days(*day)).date_naive();
                let rate = |text: String| text.parse().unwrap();
                let table = [("GBP".into(), rate(format!("0.{pounds}"))), ("JPY".into(), rate("171".into()))];
                self.channel.decide_rates([(date, table.into())].into())
            }
        };
        match body {
            Ok(body) => self.take(self.draft("desk", number.to_string(), now, body)),
            Err(_) => std::collections::BTreeSet::new(),
        }
    }

    fn show(&self, wish: &ShowWish, now: Instant) -> Option<ShowAct> {
        let all = self.channel.book().shows().all();
        let pick = |index: &prop::sample::Index| (!all.is_empty()).then(|| all[index.index(all.len())]);
        Some(match wish {
            ShowWish::Begin => ShowAct::Begin,
            ShowWish::End => ShowAct::End,
            ShowWish::Ending { after } => ShowAct::Ending { at: now + TimeDelta::seconds(*after) },
            ShowWish::Stay => ShowAct::Stay,
            ShowWish::Strike { show } => ShowAct::Strike { show: pick(show)?.seq },
            ShowWish::Trim { show, from, length } => {
                let show = pick(show)?;
                let from = show.from + TimeDelta::seconds(*from);
                ShowAct::Trim { show: show.seq, from, to: Some(from + TimeDelta::seconds(*length)) }
            }
        })
    }
}

/// Lives through the steps.
pub fn live(steps: &[(Step, i64)]) -> Life {
    let mut life = Life::begun();
    for (number, (step, wait)) in steps.iter().enumerate() {
        life.now += TimeDelta::seconds(*wait);
        life.step(number, step);
    }
    life
}

/// A line with the place after the last.
pub fn next(channel: &Channel, at: Instant, body: Body) -> Entry {
    let seq = channel.last_seq().next();
    let origin = Origin { source: "law".into(), id: seq.to_string() };
    Draft { origin, feed: None, happened_at: at, arrived_at: at, body }.at(Seq(seq.0))
}
