//! What is typed into a cue's sentence, see `sentence.rs`.

use super::sentence::{
    ADDRESS, DAYS, EVERY, KINDS, LEAST, LEFT, LINE, NAME, NONE_OF_THEM, NUMBER, Offer, SHOWN, TEXT, TIME, VALUE, WAIT,
    WHAT, WHEN, WIDGET, WORD, key_of,
};
use super::{Cue, Days, MOST_STEPS, When};
use crate::record::cue::{Do, Step};
use crate::sentence::{EditError, MOST_NUMBER, input};
use crate::template;
use crate::widgets::Watched;
use chrono::{NaiveTime, Timelike};

/// The longest address that is called.
const MOST_ADDRESS: usize = 400;

impl Cue {
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
            "every" => self.every_s = input(EVERY, text).rest()?,
            "least" => {
                let When::Entry { kind, least } = &mut self.when else { return Err(no_such_part(key)) };
                let read = input(LEAST, text);
                *least = if text.trim().is_empty() { 0 } else { read.in_unit(offer.unit(*kind), 0)? };
            }
            "word" => match &mut self.when {
                When::Command { word } => *word = input(WORD, text).maybe_word()?,
                When::Reward { name } | When::Signal { name } => *name = input(WORD, text).line()?,
                When::Rested { on, .. } => *on = input(WORD, text).line()?,
                _ => return Err(no_such_part(key)),
            },
            "left" => {
                let When::Left { seconds: left, .. } = &mut self.when else { return Err(no_such_part(key)) };
                *left = input(LEFT, text).rest()?.into();
            }
            "time" => {
                let When::At { minute, .. } = &mut self.when else { return Err(no_such_part(key)) };
                let time = NaiveTime::parse_from_str(text.trim(), "%H:%M");
                let time = time.map_err(|_| input(TIME, text).refuse("is not a time of day such as 18:30"))?;
                *minute = u16::try_from(time.num_seconds_from_midnight() / 60).unwrap_or_default();
            }
            "days" => {
                let When::At { days, .. } = &mut self.when else { return Err(no_such_part(key)) };
                let found = Days::ALL.iter().find(|(_, key, _)| *key == text);
                *days = found.map(|(days, ..)| *days).ok_or_else(|| input(DAYS, text).refuse(NONE_OF_THEM))?;
            }
            "shown" => {
                let found = offer.titles.keys().find(|id| id.to_string() == text).copied();
                if found.is_none() && !text.is_empty() {
                    return Err(input(SHOWN, text).refuse(NONE_OF_THEM));
                }
                self.while_shown = found;
            }
            "widget" => {
                let (watched, _) = self.when.watches().ok_or_else(|| no_such_part(key))?;
                let found = offer.of(watched).find(|(id, ..)| id.to_string() == text);
                let (id, ..) = found.ok_or_else(|| input(WIDGET, text).refuse(NONE_OF_THEM))?;
                match &mut self.when {
                    When::Reached { widget }
                    | When::Passed { widget, .. }
                    | When::Closed { widget }
                    | When::Left { widget, .. }
                    | When::Rested { widget, .. } => *widget = *id,
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
            ("wait", _) => step.wait_s = input(WAIT, text).rest()?,
            ("what", what) => *what = action(text, offer)?,
            ("value", Do::Press { value: Some(value), .. }) => {
                *value = input(NUMBER, text).whole(-MOST_NUMBER, MOST_NUMBER)?;
            }
            ("line", Do::Say { text: own }) => {
                let line = input(LINE, text).long_line(template::MOST)?;
                template::check_line(&line, &offer.texts)
                    .map_err(|error| input(LINE, text).refuse(error.to_string()))?;
                *own = line;
            }
            ("address", Do::Call { address }) => {
                let typed = text.trim();
                if !typed.is_empty() && (!typed.starts_with("https://") && !typed.starts_with("http://")) {
                    return Err(input(ADDRESS, text).refuse("must begin with https:// (or http://)"));
                }
                if typed.contains(|letter: char| letter.is_whitespace() || letter.is_control()) {
                    return Err(input(ADDRESS, text).refuse("must be one web address, without spaces or line breaks"));
                }
                *address = input(ADDRESS, typed).long_line(MOST_ADDRESS)?;
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

fn action(text: &str, offer: &Offer) -> Result<Do, EditError> {
    match text {
        "say" => return Ok(Do::Say { text: String::new() }),
        "call" => return Ok(Do::Call { address: String::new() }),
        "air true" => return Ok(Do::Air { on: true }),
        "air false" => return Ok(Do::Air { on: false }),
        _ => {}
    }
    let found = offer.actions.iter().find(|(what, ..)| key_of(what) == text);
    found.map(|(what, ..)| what.clone()).ok_or_else(|| input(WHAT, text).refuse(NONE_OF_THEM))
}

fn occasion(text: &str, offer: &Offer) -> Result<When, EditError> {
    let refuse = || input(WHEN, text).refuse(NONE_OF_THEM);
    if let Some(kind) = KINDS.into_iter().find(|kind| kind.key() == text) {
        return Ok(When::Entry { kind, least: 0 });
    }
    let first = |watched: Watched| offer.of(watched).next().map(|(id, ..)| *id).ok_or_else(refuse);
    Ok(match text {
        "command" => When::Command { word: String::new() },
        "reward" => When::Reward { name: String::new() },
        "signal" => When::Signal { name: String::new() },
        "reached" => When::Reached { widget: first(Watched::Reached)? },
        "passed" => When::Passed { widget: first(Watched::Passed)?, value: 10 },
        "closed" => When::Closed { widget: first(Watched::Closed)? },
        "left" => When::Left { widget: first(Watched::Left)?, seconds: 0 },
        "rested" => When::Rested { widget: first(Watched::Rested)?, on: String::new() },
        "at" => When::At { minute: 18 * 60, days: Days::Every },
        "begins" => When::Begins,
        "ends" => When::Ends,
        "hand" => When::ByHand,
        _ => return Err(refuse()),
    })
}
