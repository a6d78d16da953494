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
    let comes = |kind: Kind, least: i64| When::Entry { kind, least };
    let mut starts = Vec::new();
    let mut start = |words: &str, cue: Cue| starts.push((words.to_owned(), cue));
    if let Some(add) = press("counter", "add") {
        start("Count every tip on a counter", cue("Count tips", comes(Kind::Tip, 0), vec![step(0, add)]));
        start("Count subscriptions on a counter", cue("Count subscriptions", comes(Kind::Sub, 0), vec![step(0, add)]));
        start("Count raids on a counter", cue("Count raids", comes(Kind::Raid, 0), vec![step(0, add)]));
        let word = When::Command { word: "!tea".into() };
        let once = Cue { once_each: true, ..cue("A word counts", word, vec![step(0, add)]) };
        start("Count a word of chat, once for each viewer", once);
    }
    if let Some(reset) = press("counter", "reset") {
        start("Reset a counter when the show begins", cue("From nothing", When::Begins, vec![step(0, reset)]));
    }
    if let Some(begin) = press("clock", "start") {
        start("Start a clock with the show", cue("Clock with the show", When::Begins, vec![step(0, begin)]));
        let five = comes(Kind::Gift, 5);
        start("Start a clock when five subscriptions are given", cue("A gift starts it", five, vec![step(0, begin)]));
    }
    // The first clock that stands on an overlay, with how it is shown and hidden.
    let on_picture = offer.actions.iter().find_map(|(begin, ..)| {
        let Do::Press { widget, action, .. } = begin else { return None };
        if action != "start" || offer.families.get(widget).is_none_or(|key| *key != "clock") {
            return None;
        }
        let shows = |wanted: bool| {
            let own = |what: &Do| match what {
                Do::Appear { overlay, piece, shown } => {
                    *shown == wanted && offer.pieces.get(&(*overlay, *piece)) == Some(widget)
                }
                Do::Press { .. } => false,
            };
            offer.actions.iter().find(|(what, ..)| own(what)).map(|(what, ..)| what)
        };
        Some((begin, shows(true)?, shows(false)?))
    });
    if let Some((begin, show, hide)) = on_picture {
        let reward = When::Reward { name: String::new() };
        let steps = vec![step(0, show), step(0, begin), step(600, hide)];
        let rests = Cue { every_s: 600, ..cue("A reward runs a clock", reward, steps) };
        start("A reward shows a clock, starts it, and hides it when its time is over", rests);
    }
    if let Some(pause) = press("subathon", "pause") {
        start("Pause the subathon when the show ends", cue("Good night", When::Ends, vec![step(0, pause)]));
    }
    if let Some(add) = press("subathon", "add") {
        let raid = comes(Kind::Raid, 10);
        start(
            "Add five minutes to the subathon for a raid of ten",
            cue("A raid is worth it", raid, vec![step(0, add)]),
        );
    }
    if let (Some((show, ..)), Some((hide, ..))) = (appear(true), appear(false)) {
        let minute = vec![step(0, show), step(60, hide)];
        start("Show a piece for a minute when a raid comes", cue("Welcome", comes(Kind::Raid, 0), minute));
        let signal = When::Signal { name: "look".into() };
        start("A signal shows a piece for ten seconds", cue("Look here", signal, vec![step(0, show), step(10, hide)]));
        if let Some(widget) = first("goal") {
            let steps = vec![step(0, show), step(20, hide)];
            let reached = cue("Goal reached", When::Reached { widget }, steps);
            start("Show a piece for 20 seconds when a goal is reached", reached);
        }
    }
    if let Some(spin) = press("wheel", "spin") {
        let rests = Cue { every_s: 30, ..cue("A tip spins the wheel", comes(Kind::Tip, 1_000), vec![step(0, spin)]) };
        start("Spin a wheel for a larger tip", rests);
        if let Some(widget) = first("poll") {
            let closed = cue("The wheel has the last word", When::Closed { widget }, vec![step(5, spin)]);
            start("Spin a wheel five seconds after a poll is closed", closed);
        }
    }
    if let Some(open) = press("wheel", "open_pot") {
        start("Let viewers enter a wheel when the show begins", cue("Come in", When::Begins, vec![step(0, open)]));
    }
    if let (Some(open), Some(close)) = (press("poll", "open"), press("poll", "close")) {
        let steps = vec![step(0, open), step(120, close)];
        start("Open a poll when the show begins, for two minutes", cue("First question", When::Begins, steps));
        if let Some(widget) = first("goal") {
            let next = cue("What next?", When::Reached { widget }, vec![step(10, open), step(120, close)]);
            start("Ask what comes next when a goal is reached", next);
        }
    }
    starts
}
