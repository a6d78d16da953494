//! *When* a tip *of at least* £10 *comes,* at any time*, at most every* minute: *press* “Cups of tea”: +1.

use super::{Cue, MOST_STEPS, When};
use crate::language::unit::Unit;
use crate::record::cue::{Do, Step};
use crate::record::happening::Kind;
use crate::record::ids::WidgetId;
use crate::sentence::{EditError, Editor, MOST_NUMBER, Part, input};
use crate::time::words::digits;
use chrono::TimeDelta;
use std::collections::BTreeMap;

const NAME: &str = "The name";
const WHEN: &str = "The occasion";
const LEAST: &str = "The least size";
const WORD: &str = "The word";
const WIDGET: &str = "The widget";
const VALUE: &str = "The value";
const AIR: &str = "When it may fire";
const EVERY: &str = "The rest between firings";
const EACH: &str = "For whom";
const WAIT: &str = "The wait";
const WHAT: &str = "What is done";
const NUMBER: &str = "The number";
const TEXT: &str = "The text";
const NONE_OF_THEM: &str = "is none of the choices offered; pick one from the list";

/// Kinds that can be waited for.
const KINDS: [Kind; 7] = [Kind::Tip, Kind::Sub, Kind::Gift, Kind::Cheer, Kind::Follow, Kind::Raid, Kind::Purchase];

/// What a channel has that a cue can go by and do.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Offer {
    /// Goals, counters and polls: the widget, the family's word, and its title.
    pub watched: Vec<(WidgetId, &'static str, String)>,
    /// What can be done: in words, and whether a text goes along.
    pub actions: Vec<(Do, String, bool)>,
    /// Of which family each widget is that can be operated.
    pub families: BTreeMap<WidgetId, &'static str>,
    /// Which widget a piece of an overlay is, by the overlay's number and the piece's.
    pub pieces: BTreeMap<(u32, u32), WidgetId>,
    /// In what money is told.
    pub money: Option<Unit>,
}

/// The key of an action among all that are offered.
fn key_of(what: &Do) -> String {
    match what {
        Do::Press { widget, action, value, side, .. } => {
            let some = |number: Option<i64>| number.map(|number| number.to_string()).unwrap_or_default();
            format!("press {widget} {action} {} {}", some(*value), some(side.map(i64::from)))
        }
        Do::Appear { overlay, piece, shown } => format!("appear {overlay} {piece} {shown}"),
    }
}

impl Offer {
    fn of_family(&self, family: &str) -> impl Iterator<Item = &(WidgetId, &'static str, String)> {
        self.watched.iter().filter(move |(_, key, _)| *key == family)
    }

    fn unit(&self, kind: Kind) -> Unit {
        match self.money {
            Some(money) if kind == Kind::Tip || kind == Kind::Purchase => money,
            _ => Unit::Things,
        }
    }

    /// What is offered under the key of an action; its number and its text are the cue's own.
    fn find(&self, what: &Do) -> Option<&(Do, String, bool)> {
        let same = |offered: &Do| match (offered, what) {
            (
                Do::Press { widget, action, side, value, .. },
                Do::Press { widget: own, action: its, side: whose, value: number, .. },
            ) => widget == own && action == its && side == whose && value.is_some() == number.is_some(),
            (one, other) => one == other,
        };
        // Of several that differ in their number the one with the same number is meant, if there is one.
        let exact = self.actions.iter().find(|(offered, ..)| key_of(offered) == key_of(what));
        exact.or_else(|| self.actions.iter().find(|(offered, ..)| same(offered)))
    }
}

/// The family whose widgets an occasion watches.
fn family(when: &When) -> Option<&'static str> {
    match when {
        When::Reached { .. } => Some("goal"),
        When::Passed { .. } => Some("counter"),
        When::Closed { .. } => Some("poll"),
        _ => None,
    }
}

fn widget_of(when: &When) -> Option<WidgetId> {
    match when {
        When::Reached { widget } | When::Passed { widget, .. } | When::Closed { widget } => Some(*widget),
        _ => None,
    }
}

fn when_key(when: &When) -> String {
    match when {
        When::Entry { kind, .. } => kind.key().to_owned(),
        When::Command { .. } => "command".into(),
        When::Reward { .. } => "reward".into(),
        When::Signal { .. } => "signal".into(),
        When::Reached { .. } => "reached".into(),
        When::Passed { .. } => "passed".into(),
        When::Closed { .. } => "closed".into(),
        When::Begins => "begins".into(),
        When::Ends => "ends".into(),
        When::ByHand => "hand".into(),
    }
}

fn occasions(offer: &Offer) -> Vec<(String, String)> {
    let entry = |kind: Kind| {
        let words = match kind {
            Kind::Tip => "a tip comes",
            Kind::Sub => "somebody subscribes",
            Kind::Gift => "subscriptions are given",
            Kind::Cheer => "somebody cheers",
            Kind::Follow => "somebody follows",
            Kind::Raid => "a raid comes",
            _ => "something is bought",
        };
        (kind.key().to_owned(), words.to_owned())
    };
    let mut all: Vec<(String, String)> = KINDS.map(entry).into();
    let has = |family: &str| offer.of_family(family).next().is_some();
    let mut more = |key: &str, words: &str| all.push((key.to_owned(), words.to_owned()));
    more("command", "somebody says a word in chat");
    more("reward", "somebody takes a reward");
    more("signal", "a signal comes");
    for (family, key, words) in [
        ("goal", "reached", "a goal is reached"),
        ("counter", "passed", "a counter comes to a value"),
        ("poll", "closed", "a poll is closed"),
    ] {
        if has(family) {
            more(key, words);
        }
    }
    more("begins", "the show begins");
    more("ends", "the show ends");
    more("hand", "you press it");
    all
}

/// A choice whose present value may be gone: then it says so.
fn choice(
    key: impl Into<std::borrow::Cow<'static, str>>,
    label: &'static str,
    mut options: Vec<(String, String)>,
    chosen: String,
    gone: &str,
) -> Part {
    let shown = options.iter().find(|(key, _)| *key == chosen).map(|(_, words)| words.clone());
    if shown.is_none() {
        options.insert(0, (chosen.clone(), gone.to_owned()));
    }
    Part::field(key, label, shown.unwrap_or_else(|| gone.to_owned()), Editor::Choice { options, chosen })
}

/// A length of time that may be none, as it reads after some words.
fn length(
    key: impl Into<std::borrow::Cow<'static, str>>,
    label: &'static str,
    seconds: u32,
    none: &str,
    before: &str,
) -> Part {
    let digits = digits(TimeDelta::seconds(i64::from(seconds)));
    let shown = match seconds {
        0 => none.to_owned(),
        1..60 => format!("{before} {seconds} s"),
        _ => format!("{before} {digits}"),
    };
    Part::field(key, label, shown, Editor::MaybeLength { value: if seconds == 0 { String::new() } else { digits } })
}

impl Cue {
    /// Its sentence.
    #[must_use]
    pub fn sentence(&self, offer: &Offer) -> Vec<Part> {
        let mut parts = vec![
            Part::words("When"),
            choice("when", WHEN, occasions(offer), when_key(&self.when), "something that is gone"),
        ];
        match &self.when {
            When::Entry { kind, least } if !matches!(kind, Kind::Follow | Kind::Sub) => {
                let unit = offer.unit(*kind);
                let shown = if *least == 0 { "any size".to_owned() } else { format!("at least {}", unit.show(*least)) };
                let value = if *least == 0 { String::new() } else { unit.plain(*least) };
                parts.push(Part::words("of"));
                parts.push(Part::field("least", LEAST, shown, Editor::MaybeNumber { value }));
            }
            When::Reward { name } => parts.push(Part::field(
                "word",
                WORD,
                if name.is_empty() { "whichever".to_owned() } else { format!("“{name}”") },
                Editor::Text { value: name.clone() },
            )),
            When::Command { word } => parts.push(Part::field(
                "word",
                WORD,
                if word.is_empty() { "no word yet".to_owned() } else { word.clone() },
                Editor::Text { value: word.clone() },
            )),
            When::Signal { name } => parts.push(Part::field(
                "word",
                WORD,
                if name.is_empty() { "no name yet".to_owned() } else { format!("“{name}”") },
                Editor::Text { value: name.clone() },
            )),
            _ => {}
        }
        if let (Some(family), Some(widget)) = (family(&self.when), widget_of(&self.when)) {
            let options =
                offer.of_family(family).map(|(id, _, title)| (id.to_string(), format!("“{title}”"))).collect();
            parts.push(Part::words("in"));
            parts.push(choice("widget", WIDGET, options, widget.to_string(), "a widget that is gone"));
        }
        if let When::Passed { value, .. } = self.when {
            let editor = Editor::Number { value: value.to_string(), sign: String::new() };
            parts.extend([Part::words("at"), Part::field("value", VALUE, value.to_string(), editor)]);
        }
        let plain = |options: &[(&str, &str)]| -> Vec<(String, String)> {
            options.iter().map(|(key, words)| ((*key).to_owned(), (*words).to_owned())).collect()
        };
        let air = if self.on_air { "on" } else { "any" };
        parts.extend([
            Part::words(","),
            choice("on_air", AIR, plain(&[("any", "at any time"), ("on", "only on air")]), air.to_owned(), ""),
            Part::words(", with"),
            length("every", EVERY, self.every_s, "no rest between", "a rest of"),
            Part::words(","),
            choice(
                "each",
                EACH,
                plain(&[("all", "every time"), ("first", "only the first time of each supporter in a show")]),
                if self.once_each { "first" } else { "all" }.to_owned(),
                "",
            ),
        ]);
        let actions: Vec<(String, String)> =
            offer.actions.iter().map(|(what, words, _)| (key_of(what), words.clone())).collect();
        for (place, step) in self.steps.iter().enumerate() {
            let found = offer.find(&step.what);
            parts.push(Part::words(if place == 0 { ":" } else { ", then" }));
            parts.push(length(format!("do:{place}:wait"), WAIT, step.wait_s, "at once", "after"));
            let mut options = actions.clone();
            options.push(("remove".into(), "nothing (leave this step out)".into()));
            let chosen = found.map_or_else(|| key_of(&step.what), |(offered, ..)| key_of(offered));
            parts.push(choice(format!("do:{place}:what"), WHAT, options, chosen, "something that is gone"));
            if let Do::Press { value: Some(value), .. } = step.what {
                let editor = Editor::Number { value: value.to_string(), sign: String::new() };
                parts.push(Part::words("by"));
                parts.push(Part::field(format!("do:{place}:value"), NUMBER, value.to_string(), editor));
            }
            if let (Do::Press { text, .. }, true) = (&step.what, found.is_some_and(|(.., takes_text)| *takes_text)) {
                let value = text.clone().unwrap_or_default();
                let shown = if value.is_empty() { "no text".to_owned() } else { format!("“{value}”") };
                parts.push(Part::words("with"));
                parts.push(Part::field(format!("do:{place}:text"), TEXT, shown, Editor::Text { value }));
            }
        }
        if self.steps.len() < MOST_STEPS {
            parts.push(Part::words(if self.steps.is_empty() { ":" } else { ", then" }));
            parts.push(choice("do:add", WHAT, actions, String::new(), "add a step"));
        }
        parts
    }

    /// Changes one part of its sentence.
    ///
    /// # Errors
    /// An unknown part, or a value that it does not take.
    pub fn edit(&mut self, key: &str, text: &str, offer: &Offer) -> Result<(), EditError> {
        match key {
            "name" => self.name = input(NAME, text).title()?,
            "on" => self.on = text == "on",
            "when" => self.when = occasion(text, offer)?,
            "on_air" => self.on_air = text == "on",
            "each" => self.once_each = text == "first",
            "every" => self.every_s = seconds(EVERY, text)?,
            "least" => {
                let When::Entry { kind, least } = &mut self.when else { return Err(no_such_part(key)) };
                let read = input(LEAST, text);
                *least = if text.trim().is_empty() { 0 } else { read.in_unit(offer.unit(*kind), 0)? };
            }
            "word" => match &mut self.when {
                When::Command { word } => *word = input(WORD, text).maybe_word()?,
                When::Reward { name } | When::Signal { name } => *name = input(WORD, text).line()?,
                _ => return Err(no_such_part(key)),
            },
            "widget" => {
                let family = family(&self.when).ok_or_else(|| no_such_part(key))?;
                let found = offer.of_family(family).find(|(id, ..)| id.to_string() == text);
                let (id, ..) = found.ok_or_else(|| input(WIDGET, text).refuse(NONE_OF_THEM))?;
                match &mut self.when {
                    When::Reached { widget } | When::Passed { widget, .. } | When::Closed { widget } => *widget = *id,
                    _ => {}
                }
            }
            "value" => {
                let When::Passed { value, .. } = &mut self.when else { return Err(no_such_part(key)) };
                *value = input(VALUE, text).whole(-MOST_NUMBER, MOST_NUMBER)?;
            }
            "do:add" => {
                if self.steps.len() >= MOST_STEPS {
                    return Err(input(WHAT, "").refuse("is full: a cue has at most 20 steps"));
                }
                self.steps.push(Step { wait_s: 0, what: action(text, offer)? });
            }
            _ => return self.edit_step(key, text, offer),
        }
        Ok(())
    }

    fn edit_step(&mut self, key: &str, text: &str, offer: &Offer) -> Result<(), EditError> {
        let (place, part) = key
            .strip_prefix("do:")
            .and_then(|rest| rest.split_once(':'))
            .and_then(|(place, part)| Some((place.parse::<usize>().ok()?, part)))
            .filter(|(place, _)| *place < self.steps.len())
            .ok_or_else(|| no_such_part(key))?;
        if (part, text) == ("what", "remove") {
            self.steps.remove(place);
            return Ok(());
        }
        let step = self.steps.get_mut(place).ok_or_else(|| no_such_part(key))?;
        match (part, &mut step.what) {
            ("wait", _) => step.wait_s = seconds(WAIT, text)?,
            ("what", what) => *what = action(text, offer)?,
            ("value", Do::Press { value: Some(value), .. }) => {
                *value = input(NUMBER, text).whole(-MOST_NUMBER, MOST_NUMBER)?;
            }
            ("text", Do::Press { text: own, .. }) => {
                let line = input(TEXT, text).line()?;
                *own = (!line.is_empty()).then_some(line);
            }
            _ => return Err(no_such_part(key)),
        }
        Ok(())
    }
}

fn no_such_part(key: &str) -> EditError {
    EditError {
        label: "This cue", why: format!("has no part called “{}”", key.chars().take(40).collect::<String>())
    }
}

/// A length of at most a day, in seconds; 0 for none.
fn seconds(label: &'static str, text: &str) -> Result<u32, EditError> {
    let read = input(label, text);
    let seconds = read.maybe_length()?.unwrap_or(0);
    u32::try_from(seconds).ok().filter(|one| *one <= 86_400).ok_or_else(|| read.refuse("must be a day at most"))
}

fn action(text: &str, offer: &Offer) -> Result<Do, EditError> {
    let found = offer.actions.iter().find(|(what, ..)| key_of(what) == text);
    found.map(|(what, ..)| what.clone()).ok_or_else(|| input(WHAT, text).refuse(NONE_OF_THEM))
}

fn occasion(text: &str, offer: &Offer) -> Result<When, EditError> {
    let refuse = || input(WHEN, text).refuse(NONE_OF_THEM);
    if let Some(kind) = KINDS.into_iter().find(|kind| kind.key() == text) {
        return Ok(When::Entry { kind, least: 0 });
    }
    let first = |family: &str| offer.of_family(family).next().map(|(id, ..)| *id).ok_or_else(refuse);
    Ok(match text {
        "command" => When::Command { word: String::new() },
        "reward" => When::Reward { name: String::new() },
        "signal" => When::Signal { name: String::new() },
        "reached" => When::Reached { widget: first("goal")? },
        "passed" => When::Passed { widget: first("counter")?, value: 10 },
        "closed" => When::Closed { widget: first("poll")? },
        "begins" => When::Begins,
        "ends" => When::Ends,
        "hand" => When::ByHand,
        _ => return Err(refuse()),
    })
}
