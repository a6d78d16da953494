//! What has happened at Saltmarsh Halt: the same for everybody, from a seed.

use chrono::{Datelike, Days, NaiveDate, NaiveTime, Weekday};
use rand::rngs::StdRng;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use serde_json::json;
use tally_core::money::{Currency, Money};
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::{Actor, Happening, Tier};
use tally_core::record::settings::Settings;
use tally_core::time::Instant;
use tally_core::time::calendar::Period;
use tally_feeds::cloudevents::{self, Mode};
use tally_feeds::script::people::REGULARS;
use tally_feeds::script::{Moment, Mood, Script, Stretch, What};

const SEED: u64 = 1930;
/// When a show goes on air, local time.
const SHOW_BEGINS: NaiveTime = match NaiveTime::from_hms_opt(19, 0, 0) {
    Some(time) => time,
    None => NaiveTime::MIN,
};
/// How long the shows of earlier months lasted.
const EVENING_MINUTES: u32 = 100;
/// Further back than this nothing was recorded.
const DAYS: i64 = 20;

/// In minor units: together with a starting amount of £20 they make £212.50.
const TIPS: [(i64, &str, Option<&str>); 13] = [
    (500, "GBP", Some("for the turntable")),
    (1_000, "GBP", None),
    (250, "GBP", Some("one sleeper's worth")),
    (5_000, "GBP", Some("My father drove these. Thank you for the evening.")),
    (300, "GBP", None),
    (1_500, "GBP", Some("more moss green please")),
    // The bank tells no rate for francs, so that there is a line that waits for one.
    (1_200, "CHF", Some("greetings from the mountains")),
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
    let viewer = |random: &mut StdRng| actor(REGULARS.choose(random).unwrap_or(&REGULARS[0]));

    let show = last_show(settings, now);
    let lasted = (show.1 - show.0).num_seconds().max(1);
    let in_show = move |random: &mut StdRng| show.0 + chrono::TimeDelta::seconds(random.random_range(0..lasted));

    let mut tips: Vec<(Instant, Happening)> = Vec::new();
    for (minor, code, message) in TIPS {
        let Ok(currency) = Currency::parse(code) else { continue };
        let tip = Happening::Tip {
            actor: viewer(&mut random),
            amount: Money { minor, currency },
            message: message.map(str::to_owned),
        };
        // The newest came during the last show, unless that was last month.
        let newest = tips.len() + 3 >= TIPS.len() && show.0 >= month;
        let at = if newest { in_show(&mut random) } else { when(&mut random) };
        tips.push((at, tip));
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
        others.push((in_show(&mut random), sub));
    }
    for _ in 0..24 {
        others.push((when(&mut random), Happening::Follow { actor: viewer(&mut random) }));
    }
    [events("tips", tips), events("platform", others)]
}

/// The last evening's show: from seven to ten, local time.
pub fn last_show(settings: &Settings, now: Instant) -> (Instant, Instant) {
    let today = settings.calendar.local(now).date();
    let day = today.pred_opt().unwrap_or(today);
    evening(settings, day, 180)
}

fn evening(settings: &Settings, day: NaiveDate, minutes: i64) -> (Instant, Instant) {
    let from = settings.calendar.instant(day.and_time(SHOW_BEGINS));
    (from, from + chrono::TimeDelta::minutes(minutes))
}

/// One show of earlier months.
pub struct Evening {
    /// When it went on air.
    pub from: Instant,
    /// When it went off air.
    pub to: Instant,
    /// What happened.
    pub events: Vec<Incoming>,
}

/// The shows of earlier months, as far back as asked: three evenings a week.
pub fn evenings(settings: &Settings, now: Instant, days: u32) -> Vec<Evening> {
    let month = settings.calendar.span(Period::ThisMonth, now).from.unwrap_or(now);
    let first_of_month = settings.calendar.local(month).date();
    let begin = settings.calendar.local(now).date() - Days::new(u64::from(days));
    let days = begin.iter_days().take_while(|day| *day + Days::new(1) < first_of_month);
    let shows = days.filter(|day| matches!(day.weekday(), Weekday::Wed | Weekday::Fri | Weekday::Sun));
    shows.map(|day| past_evening(settings, day, now)).collect()
}

fn past_evening(settings: &Settings, day: NaiveDate, now: Instant) -> Evening {
    let number = u64::from(day.num_days_from_ce().unsigned_abs());
    let mood = match number % 29 {
        3 | 17 => Mood::Raid,
        8 => Mood::Gifts,
        21 => Mood::Trolls,
        _ => Mood::Steady,
    };
    let stretch = |from, mood| Stretch { from, mood };
    let script = Script {
        title: String::new(),
        seed: SEED + number,
        minutes: EVENING_MINUTES,
        begins: None,
        stretch: vec![stretch(0, Mood::Steady), stretch(50, mood), stretch(56, Mood::Steady)],
    };
    let (from, to) = evening(settings, day, i64::from(EVENING_MINUTES));
    let event = |(index, moment): (usize, Moment)| {
        let What::Event(kind, data) = moment.what else { return None };
        let at = from + chrono::TimeDelta::milliseconds(i64::try_from(moment.at).unwrap_or_default());
        let event = json!({
            "specversion": "1.0", "id": format!("{day}-{index}"), "source": "/demo/evenings",
            "type": format!("tally.{kind}"), "time": at.to_rfc3339(), "data": data,
        });
        // What the contract would refuse is left out; a test of the scripts says that there is none.
        cloudevents::parse(Mode::Structured, &[], event.to_string().as_bytes(), now).ok()?.pop()
    };
    let events = script.moments().into_iter().enumerate().filter_map(event).collect();
    Evening { from, to, events }
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
        // On the first of a month too, when the last show was in the month before.
        let first: Instant = "2026-12-01T09:00:00Z".parse().expect("an instant");
        let month = settings.calendar.span(Period::ThisMonth, first);
        let [tips, _] = of_this_month(&settings, first);
        assert!(tips.iter().all(|event| event.happened_at.is_some_and(|at| month.contains(at))));
    }

    #[test]
    fn a_year_of_evenings_is_long_and_always_the_same() {
        let settings = crate::demo::settings().expect("the demo's currency is known");
        let now = "2026-11-24T19:00:00Z".parse().expect("an instant");
        let year = evenings(&settings, now, 365);
        let events: usize = year.iter().map(|evening| evening.events.len()).sum();
        assert!(events >= 20_000, "{events}");
        let month = settings.calendar.span(Period::ThisMonth, now).from.expect("a month begins");
        let inside = |evening: &Evening| {
            evening.to < month
                && evening
                    .events
                    .iter()
                    .all(|event| event.happened_at.is_some_and(|at| at >= evening.from && at <= evening.to))
        };
        assert!(year.iter().all(inside));
        let again = evenings(&settings, now, 365);
        assert!(year.iter().zip(&again).all(|(one, other)| one.events == other.events));
        let shows = year.iter().map(|evening| (evening.from, evening.to)).chain([last_show(&settings, now)]);
        assert!(shows.collect::<Vec<_>>().is_sorted_by(|one, next| one.1 < next.0), "shows do not overlap");
    }
}
