//! What has happened at Saltmarsh Halt this month: the same for everybody, from a seed.

use rand::rngs::StdRng;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use tally_core::Instant;
use tally_core::calendar::Period;
use tally_core::entry::{Incoming, Origin};
use tally_core::happening::{Actor, Happening, Tier};
use tally_core::money::{Currency, Money};
use tally_core::widgets::Settings;

const SEED: u64 = 1930;
/// Further back than this nothing was recorded.
const DAYS: i64 = 20;

const VIEWERS: [&str; 14] = [
    "pinecone_ade",
    "quietferry",
    "moss_and_marl",
    "tinplate_ruth",
    "ninepins",
    "kestrel_oak",
    "oatcake_jo",
    "lamplit_sam",
    "semaphore_sue",
    "dusty_bogie",
    "żółta_semafora",
    "駅長ミケ",
    "σιδηρόδρομος",
    "tea_at_ten ☕",
];

/// In minor units: together with a starting amount of £20 they make £212.50.
const TIPS: [(i64, &str, Option<&str>); 13] = [
    (500, "GBP", Some("for the turntable")),
    (1_000, "GBP", None),
    (250, "GBP", Some("one sleeper's worth")),
    (5_000, "GBP", Some("My father drove these. Thank you for the evening.")),
    (300, "GBP", None),
    (1_500, "GBP", Some("more moss green please")),
    (1_200, "EUR", Some("greetings from the other side of the water")),
    (2_000, "GBP", None),
    (700, "GBP", Some("choo")),
    (2_500, "GBP", Some("ballast fund")),
    (1_000, "GBP", None),
    (4_000, "GBP", Some("for the motor, get it spinning")),
    (500, "GBP", None),
];

fn actor(name: &str) -> Actor {
    Actor { id: Some(format!("v-{name}")), name: name.into(), avatar: None, anonymous: false }
}

/// Tips for the first feed, follows and subscriptions for the second.
pub fn of_this_month(settings: &Settings, now: Instant) -> [Vec<Incoming>; 2] {
    let mut random = StdRng::seed_from_u64(SEED);
    let month = settings.calendar.span(Period::ThisMonth, now).from.unwrap_or(now);
    let from = month.max(now - chrono::TimeDelta::days(DAYS));
    let length = (now - from).num_seconds().max(1);
    let when = move |random: &mut StdRng| from + chrono::TimeDelta::seconds(random.random_range(0..length));
    let viewer = |random: &mut StdRng| actor(VIEWERS.choose(random).unwrap_or(&VIEWERS[0]));

    let mut tips: Vec<(Instant, Happening)> = Vec::new();
    for (minor, code, message) in TIPS {
        let Ok(currency) = Currency::parse(code) else { continue };
        let tip = Happening::Tip {
            actor: viewer(&mut random),
            amount: Money { minor, currency },
            message: message.map(str::to_owned),
        };
        tips.push((when(&mut random), tip));
    }
    let mut others: Vec<(Instant, Happening)> = Vec::new();
    for number in 0..11_u32 {
        let Ok(tier) = Tier::try_from(if number % 5 == 4 { 2 } else { 1 }) else { continue };
        let sub = Happening::Sub {
            actor: viewer(&mut random),
            tier,
            months: Some(number + 1),
            message: None,
            gifted_by: (number % 4 == 3).then(|| viewer(&mut random)),
        };
        others.push((when(&mut random), sub));
    }
    for _ in 0..24 {
        others.push((when(&mut random), Happening::Follow { actor: viewer(&mut random) }));
    }
    [events("tips", tips), events("platform", others)]
}

fn events(what: &str, mut happenings: Vec<(Instant, Happening)>) -> Vec<Incoming> {
    happenings.sort_by_key(|(at, _)| *at);
    let event = |(number, (at, happening))| Incoming {
        origin: Origin { source: format!("/demo/{what}"), id: format!("{number}") },
        happened_at: Some(at),
        happening,
    };
    happenings.into_iter().enumerate().map(event).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_history_makes_the_figure_that_the_pictures_show() {
        let pounds: i64 = TIPS.iter().filter(|(_, code, _)| *code == "GBP").map(|(minor, ..)| minor).sum();
        assert_eq!(pounds, 19_250);
        let settings = crate::demo::settings().expect("the demo's currency is known");
        let now = "2026-11-24T19:00:00Z".parse().expect("an instant");
        let [tips, others] = of_this_month(&settings, now);
        assert_eq!((tips.len(), others.len()), (13, 35));
        assert!(tips.iter().chain(&others).all(|event| event.happened_at.is_some_and(|at| at < now)));
        assert_eq!(of_this_month(&settings, now), [tips, others]);
    }
}
