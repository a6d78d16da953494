//! What is drawn only when something says so (an entry touches it, its own alarm rings) is what stands
//! there at every instant.

use crate::LIVES;
use crate::life::{CLOCK, Life, live, step};
use chrono::TimeDelta;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::channel::Alarms;
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::widgets::view::View;

/// What pages show.
struct Pages {
    shown: BTreeMap<WidgetId, View>,
    alarms: Alarms,
}

impl Pages {
    fn of(life: &Life) -> Self {
        let mut pages = Self { shown: BTreeMap::new(), alarms: Alarms::default() };
        pages.draw(life, life.channel.widgets().map(|(id, _)| id).collect(), life.now);
        pages
    }

    /// As the engine does: figures are brought to the instant, then what was touched is drawn.
    fn draw(&mut self, life: &Life, touched: BTreeSet<WidgetId>, now: Instant) {
        for id in touched {
            self.shown.insert(id, life.channel.view(id, now).unwrap());
            self.alarms.ask(&life.channel, id, now);
        }
    }

    /// Sleeps up to an instant, looking up at each alarm on the way.
    fn sleep(&mut self, life: &mut Life, until: Instant) {
        while let Some(at) = self.alarms.first().filter(|at| *at <= until) {
            life.channel.turn(at);
            let rung = self.alarms.ring(at);
            self.draw(life, rung.into_iter().collect(), at);
        }
    }
}

proptest! {
    // Some thousand alarms ring in each life.
    #![proptest_config(ProptestConfig { cases: LIVES / 4, ..ProptestConfig::default() })]

    #[test]
    fn alarms_alone_show_what_every_instant_would(
        steps in prop::collection::vec(step(), 0..25),
        looks in prop::collection::vec(0_i64..400_000, 1..4),
    ) {
        let mut life = Life::begun();
        life.channel.turn(life.now);
        let mut pages = Pages::of(&life);
        let mut number = 0;
        let mut waits: Vec<_> = steps.iter().map(|(step, wait)| (Some(step), *wait)).collect();
        waits.extend(looks.iter().map(|wait| (None, *wait)));
        for (step, wait) in waits {
            // Somewhere on the way, and at its end, the pages are looked at.
            for part in [wait / 3, wait - wait / 3] {
                let until = life.now + TimeDelta::seconds(part);
                pages.sleep(&mut life, until);
                life.now = until;
                for (id, _) in life.channel.widgets().filter(|(id, _)| id.0 != CLOCK) {
                    let fresh = life.channel.view(id, life.now).unwrap();
                    prop_assert_eq!(&pages.shown[&id], &fresh, "widget {} at {}", id, life.now);
                }
            }
            if let Some(step) = step {
                let touched = life.step(number, step);
                number += 1;
                life.channel.turn(life.now);
                let now = life.now;
                pages.draw(&life, touched, now);
            }
        }
    }

    #[test]
    fn an_alarm_lies_ahead_and_nothing_changes_before_it(steps in prop::collection::vec(step(), 0..30)) {
        let Life { channel: lived, now, .. } = live(&steps);
        let mut alarms = Alarms::default();
        lived.widgets().for_each(|(id, _)| alarms.ask(&lived, id, now));
        let Some(at) = alarms.first() else { return Ok(()) };
        prop_assert!(at > now);
        let just_before = at - TimeDelta::microseconds(1);
        for (id, _) in lived.widgets().filter(|(id, _)| id.0 != CLOCK) {
            prop_assert_eq!(lived.view(id, now), lived.view(id, just_before));
        }
    }
}
