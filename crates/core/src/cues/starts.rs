//! Cues to begin with: each is one press away, made of what the channel has.

use super::{Cue, Offer, When};
use crate::record::cue::{Do, Step};
use crate::record::happening::Kind;
use crate::widgets::Watched;

/// Those to begin with: what each does, in words, and its cues. They are off until somebody has read them.
#[must_use]
pub fn all(offer: &Offer) -> Vec<(String, Vec<Cue>)> {
    let cue = |name: &str, when: When, steps: Vec<Step>| Cue {
        name: name.to_owned(),
        on: false,
        when,
        on_air: true,
        every_s: 0,
        once_each: false,
        while_shown: None,
        steps,
        since: None,
    };
    let step = |wait_s: u32, what: &Do| Step { wait_s, what: what.clone() };
    let press = |family: &str, action: &str| {
        let of = |what: &Do| match what {
            Do::Press { widget, action: own, .. } => {
                own == action && offer.families.get(widget).is_some_and(|key| *key == family)
            }
            _ => false,
        };
        offer.actions.iter().find(|(what, ..)| of(what)).map(|(what, ..)| what)
    };
    let appear = |wanted: bool| {
        offer.actions.iter().find(|(what, ..)| matches!(what, Do::Appear { shown, .. } if *shown == wanted))
    };
    let first = |watched: Watched| offer.watched.iter().find(|(_, own, _)| *own == watched).map(|(id, ..)| *id);
    let sound = offer.actions.iter().find(|(what, ..)| matches!(what, Do::Sound { .. })).map(|(what, ..)| what);
    let say = |text: &str| Step { wait_s: 0, what: Do::Say { text: text.to_owned() } };
    let comes = |kind: Kind, least: i64| When::Entry { kind, least };
    let mut starts = Vec::new();
    let mut start = |words: &str, cue: Cue| starts.push((words.to_owned(), vec![cue]));
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
                _ => false,
            };
            offer.actions.iter().find(|(what, ..)| own(what)).map(|(what, ..)| what)
        };
        Some((*widget, begin, shows(true)?, shows(false)?))
    });
    if let Some((widget, begin, show, hide)) = on_picture {
        let reset =
            offer.actions.iter().map(|(what, ..)| what).find(
                |what| matches!(what, Do::Press { widget: own, action, .. } if *own == widget && action == "reset"),
            );
        let reward = When::Reward { name: String::new() };
        let steps = reset.into_iter().chain([show, begin]).map(|what| step(0, what)).collect();
        let runs = cue("A reward runs a clock", reward, steps);
        let over = When::Left { widget, seconds: 0 };
        let steps = sound.into_iter().map(|what| step(0, what)).chain([step(5, hide)]).collect();
        let hides = Cue { while_shown: Some(widget), ..cue("Its time is over", over, steps) };
        let words = "A reward shows a clock and starts it; when it is done, a sound plays and it is hidden";
        starts.push((words.to_owned(), vec![runs, hides]));
    }
    let mut start = |words: &str, cue: Cue| starts.push((words.to_owned(), vec![cue]));
    if let Some(widget) = first(Watched::Left) {
        let minute = When::Left { widget, seconds: 60 };
        start("Say in chat when a clock has a minute left", cue("One minute", minute, vec![say("One minute left!")]));
    }
    if let Some(widget) = first(Watched::Rested) {
        let rested = When::Rested { widget, on: String::new() };
        start("Say in chat what a wheel has drawn", cue("The wheel has spoken", rested, vec![say("{{ message }}")]));
    }
    let air = |on: bool| Step { wait_s: 0, what: Do::Air { on } };
    let evening = When::At { minute: 19 * 60, days: super::Days::One(4) };
    start("Go on air on Fridays at seven", Cue { on_air: false, ..cue("Friday show", evening, vec![air(true)]) });
    let over = When::Signal { name: "the-end".into() };
    start(
        "A signal says goodbye in chat, and goes off air after a minute",
        cue("The end", over, vec![say("That was it for tonight. Thank you!"), Step { wait_s: 60, ..air(false) }]),
    );
    start("Thank in chat for a raid", cue("Raid", comes(Kind::Raid, 0), vec![say("Welcome, {{ name }} and friends!")]));
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
        if let Some(widget) = first(Watched::Reached) {
            let steps = vec![step(0, show), step(20, hide)];
            let reached = cue("Goal reached", When::Reached { widget }, steps);
            start("Show a piece for 20 seconds when a goal is reached", reached);
        }
    }
    if let Some(spin) = press("wheel", "spin") {
        let rests = Cue { every_s: 30, ..cue("A tip spins the wheel", comes(Kind::Tip, 1_000), vec![step(0, spin)]) };
        start("Spin a wheel for a larger tip", rests);
        if let Some(widget) = first(Watched::Closed) {
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
        if let Some(widget) = first(Watched::Reached) {
            let next = cue("What next?", When::Reached { widget }, vec![step(10, open), step(120, close)]);
            start("Ask what comes next when a goal is reached", next);
        }
    }
    starts
}
