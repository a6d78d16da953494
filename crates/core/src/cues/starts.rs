//! Cues to begin with: each is one press away, made of what the channel has.

use super::{Cue, Offer, When};
use crate::record::cue::{Do, Step};
use crate::record::happening::Kind;

/// One to begin with: what it does, in words, and the cue. It is off until somebody has read it.
#[must_use]
pub fn all(offer: &Offer) -> Vec<(String, Cue)> {
    let cue = |name: &str, when: When, steps: Vec<Step>| Cue {
        name: name.to_owned(),
        on: false,
        when,
        on_air: true,
        every_s: 0,
        once_each: false,
        steps,
    };
    let step = |wait_s: u32, what: &Do| Step { wait_s, what: what.clone() };
    let press = |family: &str, action: &str| {
        let of = |what: &Do| match what {
            Do::Press { widget, action: own, .. } => {
                own == action && offer.families.get(widget).is_some_and(|key| *key == family)
            }
            Do::Appear { .. } => false,
        };
        offer.actions.iter().find(|(what, ..)| of(what)).map(|(what, ..)| what)
    };
    let appear = |wanted: bool| {
        offer.actions.iter().find(|(what, ..)| matches!(what, Do::Appear { shown, .. } if *shown == wanted))
    };
    let first = |family: &str| offer.watched.iter().find(|(_, key, _)| *key == family).map(|(id, ..)| *id);
    let mut starts = Vec::new();
    let mut start = |words: &str, cue: Cue| starts.push((words.to_owned(), cue));
    if let Some(add) = press("counter", "add") {
        let tip = When::Entry { kind: Kind::Tip, least: 0 };
        start("Count every tip on a counter", cue("Count tips", tip, vec![step(0, add)]));
        let raid = When::Entry { kind: Kind::Raid, least: 0 };
        start("Count raids on a counter", cue("Count raids", raid, vec![step(0, add)]));
        let word = When::Command { word: "!tea".into() };
        let once = Cue { once_each: true, ..cue("A word counts", word, vec![step(0, add)]) };
        start("Count a word of chat, once for each viewer", once);
    }
    if let Some(begin) = press("clock", "start") {
        start("Start a clock with the show", cue("Clock with the show", When::Begins, vec![step(0, begin)]));
        let gift = When::Entry { kind: Kind::Gift, least: 5 };
        start("Start a clock when five subscriptions are given", cue("A gift starts it", gift, vec![step(0, begin)]));
    }
    if let (Some(widget), Some((show, ..)), Some((hide, ..))) = (first("goal"), appear(true), appear(false)) {
        let steps = vec![step(0, show), step(20, hide)];
        start(
            "Show a piece for 20 seconds when a goal is reached",
            cue("Goal reached", When::Reached { widget }, steps),
        );
    }
    if let (Some((show, ..)), Some((hide, ..))) = (appear(true), appear(false)) {
        let raid = When::Entry { kind: Kind::Raid, least: 0 };
        start("Show a piece for a minute when a raid comes", cue("Welcome", raid, vec![step(0, show), step(60, hide)]));
    }
    if let Some(spin) = press("wheel", "spin") {
        let tip = When::Entry { kind: Kind::Tip, least: 1_000 };
        let rests = Cue { every_s: 30, ..cue("A tip spins the wheel", tip, vec![step(0, spin)]) };
        start("Spin a wheel for a larger tip", rests);
    }
    if let (Some(open), Some(close)) = (press("poll", "open"), press("poll", "close")) {
        let steps = vec![step(0, open), step(120, close)];
        start("Open a poll when the show begins, for two minutes", cue("First question", When::Begins, steps));
    }
    starts
}
