//! *When* !tea *is said by* anyone*, answer* “…”*, then rest for* 5 s*.* And of notices: *Every* 15:00*, after at least* 10 *lines
//! of chat, the next one* in turn *is said* in chat*,* only on air*.*

use super::{BotError, Command, Notices, Order, Place};
use crate::book::chat::Role;
use crate::sentence::{EditError, Editor, Part, input};
use crate::template;
use crate::time::words::digits;
use chrono::TimeDelta;
use std::collections::BTreeMap;

const WORD: &str = "The word";
const WHO: &str = "Who may use it";
const ANSWER: &str = "The answer";
const REST: &str = "The rest";
const REST_EACH: &str = "The rest of each viewer";
const ABOUT: &str = "What it is for";
const EVERY: &str = "The time between notices";
const LINES: &str = "The lines of chat between notices";
const ORDER: &str = "The order";
const PLACE: &str = "Where they are said";
const AIR: &str = "When they are said";
const TEXT: &str = "The notice";
/// The longest that a command says of itself.
const MOST_ABOUT: usize = 160;
const ORDERS: [(&str, &str); 2] = [("in_turn", "in turn"), ("shuffled", "shuffled, each once a round")];
const PLACES: [(&str, &str); 3] = [("chat", "in chat"), ("ticker", "on tickers"), ("both", "in chat and on tickers")];
const AIRS: [(&str, &str); 2] = [("on", "only on air"), ("any", "at any time")];

fn choice(key: &'static str, label: &'static str, options: &[(&str, &str)], chosen: &str) -> Part {
    let options: Vec<(String, String)> = options.iter().map(|(key, words)| ((*key).into(), (*words).into())).collect();
    let shown = options.iter().find(|(key, _)| key == chosen).map(|(_, words)| words.clone()).unwrap_or_default();
    Part::field(key, label, shown, Editor::Choice { options, chosen: chosen.to_owned() })
}

fn rest(key: &'static str, label: &'static str, seconds: u32, none: &str) -> Part {
    Part::rest((key, label), seconds, none, "")
}

/// A line with places for values, checked.
fn line(label: &'static str, text: &str, widgets: &BTreeMap<String, String>) -> Result<String, EditError> {
    let read = input(label, text);
    let line = read.long_line(template::MOST)?;
    template::check_line(&line, widgets).map_err(|error| read.refuse(error.to_string()))?;
    Ok(line)
}

impl Command {
    /// One that says nothing yet.
    #[must_use]
    pub(super) fn new() -> Self {
        Self {
            word: String::new(),
            on: true,
            who: Role::Viewer,
            rest_s: 5,
            rest_each_s: 30,
            answer: String::new(),
            about: String::new(),
        }
    }

    /// Its sentence.
    #[must_use]
    pub fn sentence(&self) -> Vec<Part> {
        let who: Vec<(&str, &str)> = Role::ALL.iter().rev().map(|role| (role.key(), role.at_least())).collect();
        let text = |key, label, value: &String, none: &str| {
            let shown = if value.is_empty() { none.to_owned() } else { format!("“{value}”") };
            Part::field(key, label, shown, Editor::Text { value: value.clone() })
        };
        vec![
            Part::words("When"),
            Part::field("word", WORD, self.word.clone(), Editor::Text { value: self.word.clone() }),
            Part::words("is said by"),
            choice("who", WHO, &who, self.who.key()),
            Part::words(", answer"),
            text("answer", ANSWER, &self.answer, "nothing yet"),
            Part::words(", then rest for"),
            rest("rest", REST, self.rest_s, "no time"),
            Part::words(", and for"),
            rest("rest_each", REST_EACH, self.rest_each_s, "no time"),
            Part::words("with the same viewer. In the list for viewers:"),
            text("about", ABOUT, &self.about, "left out"),
        ]
    }

    /// Changes one part of its sentence.
    ///
    /// # Errors
    /// An unknown part, or a value that it does not take.
    pub(super) fn edit(&mut self, key: &str, text: &str, widgets: &BTreeMap<String, String>) -> Result<(), EditError> {
        match key {
            "on" => self.on = text == "on",
            "word" => self.word = input(WORD, text).word()?,
            "who" => self.who = input(WHO, text).choice(&Role::ALL, Role::key)?,
            "rest" => self.rest_s = input(REST, text).rest()?,
            "rest_each" => self.rest_each_s = input(REST_EACH, text).rest()?,
            "answer" => self.answer = line(ANSWER, text, widgets)?,
            "about" => self.about = input(ABOUT, text).long_line(MOST_ABOUT)?,
            _ => return Err(no_such_part("This command", key)),
        }
        Ok(())
    }
}

impl Notices {
    /// When they come, as a sentence.
    #[must_use]
    pub fn sentence(&self) -> Vec<Part> {
        let every = digits(TimeDelta::seconds(self.every_s.into()));
        let lines = self.least_lines.to_string();
        let order = if self.order == Order::InTurn { "in_turn" } else { "shuffled" };
        let place = match self.place {
            Place::Chat => "chat",
            Place::Ticker => "ticker",
            Place::Both => "both",
        };
        vec![
            Part::words("Every"),
            Part::field("every", EVERY, every.clone(), Editor::Length { value: every }),
            Part::words(", and after at least"),
            Part::field("lines", LINES, lines.clone(), Editor::Number { value: lines, sign: String::new() }),
            Part::words("lines of chat, the next notice"),
            choice("order", ORDER, &ORDERS, order),
            Part::words("is said"),
            choice("place", PLACE, &PLACES, place),
            Part::words(","),
            choice("on_air", AIR, &AIRS, if self.on_air { "on" } else { "any" }),
            Part::words("."),
        ]
    }

    /// Changes one part of that, or of one of the notices (`text:3`, `on:3`).
    ///
    /// # Errors
    /// An unknown part, or a value that it does not take.
    pub(super) fn edit(&mut self, key: &str, text: &str, widgets: &BTreeMap<String, String>) -> Result<(), BotError> {
        match key {
            "notices" => self.on = text == "on",
            "every" => {
                let read = input(EVERY, text);
                let seconds = read.length()?;
                let fits = u32::try_from(seconds).ok().filter(|one| (30..=86_400).contains(one));
                self.every_s = fits.ok_or_else(|| read.refuse("must be between 30 seconds and a day"))?;
            }
            "lines" => self.least_lines = u32::try_from(input(LINES, text).whole(0, 10_000)?).unwrap_or(0),
            "order" => self.order = if text == "shuffled" { Order::Shuffled } else { Order::InTurn },
            "place" => {
                self.place = match text {
                    "ticker" => Place::Ticker,
                    "both" => Place::Both,
                    _ => Place::Chat,
                };
            }
            "on_air" => self.on_air = text == "on",
            _ => {
                let no_part = || BotError::Value(no_such_part("This list", key));
                let (part, id) = key.split_once(':').ok_or_else(no_part)?;
                let id: u32 = id.parse().map_err(|_| no_part())?;
                let notice = self.all.get_mut(&id).ok_or(BotError::Gone)?;
                match part {
                    "text" => {
                        let said = line(TEXT, text, widgets)?;
                        if said.is_empty() {
                            return Err(input(TEXT, text).refuse("must say something").into());
                        }
                        notice.text = said;
                    }
                    "on" => notice.on = text == "on",
                    _ => return Err(no_part()),
                }
            }
        }
        Ok(())
    }
}

fn no_such_part(label: &'static str, key: &str) -> EditError {
    EditError { label, why: format!("has no part called “{}”", key.chars().take(40).collect::<String>()) }
}
