//! Moods: how often what happens.

use super::people::{actor, hard_name, message, name, saying};
use super::{Moment, What};
use rand::Rng;
use rand::rngs::StdRng;
use rand::seq::IndexedRandom;
use serde::Deserialize;
use serde_json::{Value, json};
use std::ops::Range;

/// How an evening goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Mood {
    /// A few people, little happens.
    Quiet,
    /// A good evening.
    Steady,
    /// Another channel's viewers arrive, all at once.
    Raid,
    /// Subscriptions are given away by the dozen.
    Gifts,
    /// Bots, odd names, and pennies.
    Trolls,
    /// As steady, but nothing is delivered until it is over; then all of it, late.
    Outage,
}

/// How often things happen, a minute.
#[derive(Default)]
struct Pace {
    chat: f64,
    follow: f64,
    sub: f64,
    tip: f64,
    cheer: f64,
    reward: f64,
    gift: f64,
    purchase: f64,
}

impl Mood {
    fn pace(self) -> Pace {
        let steady =
            Pace { chat: 20.0, follow: 0.5, sub: 0.2, tip: 0.22, cheer: 0.3, reward: 0.35, gift: 0.02, purchase: 0.03 };
        match self {
            Self::Quiet => Pace { chat: 4.0, follow: 0.12, sub: 0.04, tip: 0.05, cheer: 0.06, ..Pace::default() },
            Self::Steady | Self::Outage => steady,
            Self::Raid => Pace { chat: 90.0, follow: 7.0, ..steady },
            Self::Gifts => Pace { chat: 45.0, gift: 1.2, ..steady },
            Self::Trolls => Pace { chat: 130.0, follow: 9.0, tip: 1.5, ..Pace::default() },
        }
    }

    /// Fills a stretch of milliseconds.
    pub(super) fn fill(self, span: Range<u64>, random: &mut StdRng, all: &mut Vec<Moment>) {
        let (pace, trouble) = (self.pace(), self == Self::Trolls);
        if span.is_empty() {
            return;
        }
        match self {
            Self::Raid => {
                let who = name(random);
                let data = json!({"actor": actor(&who), "viewers": random.random_range(40..400)});
                all.push(Moment { at: span.start, what: What::Event("raid", data) });
            }
            Self::Outage => {
                all.push(Moment { at: span.start, what: What::Outage(true) });
                all.push(Moment { at: span.end, what: What::Outage(false) });
            }
            _ => {}
        }
        each(pace.chat, &span, random, |at, random| {
            let name = if trouble { hard_name(random) } else { name(random) };
            all.push(Moment { at, what: What::Chat { name, text: saying(random, trouble).into() } });
        });
        let mut event = |rate, kind, data: fn(&mut StdRng, bool) -> Value| {
            each(rate, &span, random, |at, random| {
                all.push(Moment { at, what: What::Event(kind, data(random, trouble)) });
            });
        };
        event(
            pace.follow,
            "follow",
            |random, trouble| json!({"actor": actor(&if trouble { hard_name(random) } else { name(random) })}),
        );
        event(pace.sub, "sub", |random, _| {
            let mut data =
                json!({"actor": actor(&name(random)), "tier": tier(random), "months": random.random_range(1..30)});
            if let Some(message) = message(random) {
                data["message"] = json!(message);
            }
            data
        });
        event(pace.tip, "tip", tip);
        event(
            pace.cheer,
            "cheer",
            |random, _| json!({"actor": actor(&name(random)), "points": random.random_range(1..21) * 50}),
        );
        event(pace.reward, "reward", |random, _| {
            let reward = ["Whistle the timetable", "Tea break", "Ballast with tweezers"].choose(random);
            json!({"actor": actor(&name(random)), "reward": reward, "cost": random.random_range(1..8) * 100})
        });
        event(pace.purchase, "purchase", |random, _| {
            let quantity = random.random_range(1..3);
            let amount = format!("{}.00", 14 * quantity);
            json!({"actor": actor(&name(random)), "item": "enamel mug", "quantity": quantity, "amount": amount, "currency": "GBP"})
        });
        each(pace.gift, &span, random, |at, random| gift(at, random, all));
    }
}

/// Calls at random moments, so many a minute on average.
fn each(rate: f64, span: &Range<u64>, random: &mut StdRng, mut call: impl FnMut(u64, &mut StdRng)) {
    if rate <= 0.0 {
        return;
    }
    #[allow(clippy::cast_precision_loss, reason = "two days of milliseconds are few")]
    let (mut at, end) = (span.start as f64, span.end as f64);
    loop {
        // Waiting times between things that happen independently of one another.
        at += -(1.0 - random.random::<f64>()).ln() * 60_000.0 / rate;
        if at >= end {
            return;
        }
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it lies within the span")]
        call(at as u64, random);
    }
}

fn tier(random: &mut StdRng) -> u8 {
    match random.random_range(0..20) {
        0 => 3,
        1..=3 => 2,
        _ => 1,
    }
}

fn tip(random: &mut StdRng, trouble: bool) -> Value {
    let currency =
        ["GBP", "GBP", "GBP", "EUR", "EUR", "USD", "USD", "PLN", "JPY"].choose(random).copied().unwrap_or("GBP");
    let whole = [1, 2, 3, 5, 5, 5, 7, 10, 10, 20, 50].choose(random).copied().unwrap_or(5);
    let amount = match currency {
        _ if trouble => format!("0.{:02}", random.random_range(1..40)),
        "JPY" => (whole * 150).to_string(),
        "PLN" => format!("{}.00", whole * 4),
        _ => format!("{whole}.{}", ["00", "00", "50"].choose(random).unwrap_or(&"00")),
    };
    let currency = if trouble { "GBP" } else { currency };
    let who = if trouble { hard_name(random) } else { name(random) };
    let mut data = json!({"actor": actor(&who), "amount": amount, "currency": currency});
    if random.random_bool(0.06) {
        data["actor"] = json!({"name": "Somebody", "anonymous": true});
    }
    if let Some(message) = message(random) {
        data["message"] = json!(message);
    }
    data
}

/// A gift and the subscriptions that it stands for, shortly after one another.
fn gift(at: u64, random: &mut StdRng, all: &mut Vec<Moment>) {
    let (giver, tier) = (name(random), tier(random));
    let count = [1_u64, 1, 5, 5, 10, 20].choose(random).copied().unwrap_or(1);
    let data = json!({"actor": actor(&giver), "tier": tier, "count": count});
    all.push(Moment { at, what: What::Event("gift", data) });
    for _ in 0..count {
        let data = json!({"actor": actor(&name(random)), "tier": tier, "gifted_by": actor(&giver)});
        all.push(Moment { at, what: What::Event("sub", data) });
    }
}
