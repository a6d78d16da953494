//! Any service's messages turned into events by rules: a rule says what must be so in a message and where in
//! it the fields of the event stand. What comes out is judged like a CloudEvent of the contract.
//!
//! What a rule yields depends on the message, when it arrived, the rule and the channel's calendar alone.

pub mod document;
pub mod fields;
pub mod file;
pub mod guess;
pub mod sender;
pub mod trial;
mod values;

use crate::cloudevents::{MOST_AHEAD, MOST_EVENTS, MOST_ORIGIN};
use crate::poll;
use crate::{data, words};
use base64::Engine;
use base64::prelude::BASE64_URL_SAFE_NO_PAD;
use fields::{Field, Shape};
use regex::{Regex, RegexBuilder};
use serde_json::{Map, Value};
use sha2::{Digest, Sha256};
use tally_core::money::Currency;
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::Kind;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_store::mapping::{Blank, Condition, Reading, Rule, Source, Test};

/// Most rules of a feed.
pub const MOST_RULES: usize = 30;
/// Most conditions of a rule.
const MOST_CONDITIONS: usize = 10;
/// Most characters of a text in a rule.
const MOST_TEXT: usize = 500;
/// Most bytes that a pattern may take when it is made ready.
const MOST_PATTERN: usize = 256 * 1024;
/// Events without an id that are alike in the same stretch of so many seconds are one.
const ALIKE_SECONDS: i64 = 600;

/// Rules, made ready.
#[derive(Debug)]
pub struct Rules(Vec<Ready>);

#[derive(Debug)]
struct Ready {
    kind: Kind,
    when: Vec<(Source, ReadyTest)>,
    each: Option<String>,
    blanks: Vec<(&'static Field, Blank)>,
}

#[derive(Debug)]
enum ReadyTest {
    OneOf(Vec<String>),
    Present(bool),
    Matches(Regex),
}

/// What is wrong with a rule, and where in it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{why}")]
pub struct RuleError {
    /// Which rule, from 0.
    pub rule: usize,
    /// The key of the field, or none where it is about the conditions or the list.
    pub field: Option<String>,
    /// A sentence.
    pub why: String,
}

/// What became of a message.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Outcome {
    /// Events, each with the rule that made it.
    pub events: Vec<(usize, Incoming)>,
    /// What a rule fits and is refused all the same.
    pub refused: Vec<Refused>,
    /// How many parts of it no rule fits.
    pub unmatched: usize,
}

/// Why something that a rule fits is no event.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refused {
    /// Which rule, from 0.
    pub rule: usize,
    /// The key of the field that caused it; empty where it is none of them.
    pub field: &'static str,
    /// A sentence.
    pub why: String,
}

impl Rules {
    /// Makes rules ready.
    ///
    /// # Errors
    /// The first thing that cannot be followed.
    pub fn ready(rules: &[Rule]) -> Result<Self, RuleError> {
        if rules.len() > MOST_RULES {
            let why = format!("A feed has at most {MOST_RULES} rules.");
            return Err(RuleError { rule: MOST_RULES, field: None, why });
        }
        rules.iter().enumerate().map(|(place, rule)| ready(place, rule)).collect::<Result<_, _>>().map(Self)
    }

    /// Follows the rules. `arrived` is when the message came in.
    #[must_use]
    pub fn follow(&self, document: &Value, arrived: Instant, calendar: &Calendar) -> Outcome {
        let mut outcome = Outcome::default();
        let lists = self.lists();
        let mut has_list = false;
        for list in &lists {
            let Some(items) = document.pointer(list).and_then(Value::as_array) else { continue };
            // A list that is empty for once says that nothing has happened.
            has_list = true;
            for (number, item) in items.iter().take(MOST_EVENTS).enumerate() {
                let rules = self.0.iter().enumerate().filter(|(_, rule)| rule.each.as_deref() == Some(*list));
                let unit = Unit { document, item: Some((number, item)), arrived, calendar };
                outcome.unmatched += usize::from(!unit.take(rules, &mut outcome));
            }
            if items.len() > MOST_EVENTS {
                outcome.unmatched += items.len() - MOST_EVENTS;
            }
        }
        let whole = self.0.iter().enumerate().filter(|(_, rule)| rule.each.is_none());
        let unit = Unit { document, item: None, arrived, calendar };
        let taken = unit.take(whole, &mut outcome);
        outcome.unmatched += usize::from(!taken && !has_list);
        outcome
    }

    fn lists(&self) -> Vec<&str> {
        let mut lists: Vec<&str> = self.0.iter().filter_map(|rule| rule.each.as_deref()).collect();
        lists.sort_unstable();
        lists.dedup();
        lists
    }
}

fn pointer(text: &str) -> Result<(), String> {
    match text.chars().count() {
        0..=MOST_TEXT => poll::pointer(text).map(drop).map_err(|why| format!("“{}” {why}.", values::short(text))),
        _ => Err(format!("A JSON Pointer has at most {MOST_TEXT} characters here.")),
    }
}

fn source(source: &Source, each: bool) -> Result<(), String> {
    match source {
        Source::At(at) => pointer(at),
        Source::Item(_) if !each => Err("There is no list whose item could be meant; choose the value anew.".into()),
        Source::Item(at) => pointer(at),
        Source::Always(text) if text.chars().count() > MOST_TEXT => {
            Err(format!("A text in a rule has at most {MOST_TEXT} characters."))
        }
        Source::Always(_) => Ok(()),
    }
}

fn ready(place: usize, rule: &Rule) -> Result<Ready, RuleError> {
    let wrong = |field: Option<&str>, why: String| RuleError { rule: place, field: field.map(str::to_owned), why };
    if fields::of(rule.event).is_empty() {
        return Err(wrong(None, "A rule cannot make adjustments.".into()));
    }
    if rule.when.len() > MOST_CONDITIONS {
        return Err(wrong(None, format!("A rule has at most {MOST_CONDITIONS} conditions.")));
    }
    if let Some(each) = &rule.each {
        pointer(each).map_err(|why| wrong(None, why))?;
    }
    let condition = |condition: &Condition| {
        source(&condition.of, rule.each.is_some())?;
        let test = match &condition.test {
            Test::Is(text) => ReadyTest::OneOf(vec![text.clone()]),
            Test::OneOf(texts) => ReadyTest::OneOf(texts.clone()),
            Test::Present(present) => ReadyTest::Present(*present),
            Test::Matches(pattern) => ReadyTest::Matches(matcher(pattern)?),
        };
        if let ReadyTest::OneOf(texts) = &test
            && texts.iter().map(|text| text.chars().count()).sum::<usize>() > 4 * MOST_TEXT
        {
            return Err("The words of a condition are too long together.".to_owned());
        }
        Ok((condition.of.clone(), test))
    };
    let when = rule.when.iter().map(condition).collect::<Result<_, String>>().map_err(|why| wrong(None, why))?;
    let mut blanks = Vec::with_capacity(rule.fields.len());
    for (key, blank) in &rule.fields {
        let field = fields::find(rule.event, key).ok_or_else(|| {
            wrong(None, format!("{} has no field “{}”.", fields::a_kind(rule.event), values::short(key)))
        })?;
        source(&blank.from, rule.each.is_some()).map_err(|why| wrong(Some(key), why))?;
        blanks.push((field, blank.clone()));
    }
    // The currency is read before the amount, which may need it.
    blanks.sort_by_key(|(field, _)| field.shape != Shape::Currency);
    Ok(Ready { kind: rule.event, when, each: rule.each.clone(), blanks })
}

fn matcher(pattern: &str) -> Result<Regex, String> {
    if pattern.chars().count() > MOST_TEXT {
        return Err(format!("A pattern has at most {MOST_TEXT} characters."));
    }
    RegexBuilder::new(pattern).size_limit(MOST_PATTERN).dfa_size_limit(MOST_PATTERN).build().map_err(
        |error| match error {
            regex::Error::CompiledTooBig(_) => "The pattern would take too much memory; make it simpler.".to_owned(),
            other => format!(
                "The pattern is not well-formed: {}",
                values::short(other.to_string().lines().last().unwrap_or_default())
            ),
        },
    )
}

/// What a rule is tried on: a message, or an item of a list in it.
#[derive(Clone, Copy)]
struct Unit<'a> {
    document: &'a Value,
    item: Option<(usize, &'a Value)>,
    arrived: Instant,
    calendar: &'a Calendar,
}

impl<'a> Unit<'a> {
    fn get(&self, source: &'a Source) -> Option<&'a Value> {
        match source {
            Source::At(at) => self.document.pointer(at),
            Source::Item(at) => self.item.and_then(|(_, item)| item.pointer(at)),
            Source::Always(_) => None,
        }
        .filter(|value| !value.is_null())
    }

    /// Lets the first rule that fits make an event. False if none does.
    fn take(&self, rules: impl Iterator<Item = (usize, &'a Ready)>, outcome: &mut Outcome) -> bool {
        for (place, rule) in rules {
            if rule.when.iter().all(|(source, test)| self.holds(source, test)) {
                match self.event(rule) {
                    Ok(event) => outcome.events.push((place, event)),
                    Err((field, why)) => outcome.refused.push(Refused { rule: place, field, why }),
                }
                return true;
            }
        }
        false
    }

    fn holds(&self, source: &'a Source, test: &ReadyTest) -> bool {
        let value = self.get(source);
        let text = || value.and_then(|value| values::plain(value).ok());
        match test {
            ReadyTest::Present(present) => value.is_some() == *present,
            ReadyTest::OneOf(texts) => text().is_some_and(|text| texts.contains(&text)),
            ReadyTest::Matches(pattern) => text().is_some_and(|text| pattern.is_match(&text)),
        }
    }

    fn event(&self, rule: &'a Ready) -> Result<Incoming, (&'static str, String)> {
        let mut data = Map::new();
        let (mut id, mut happened_at, mut currency) = (None, None, None);
        for (field, blank) in &rule.blanks {
            let always;
            let value = match &blank.from {
                Source::Always(text) => {
                    always = Value::String(text.clone());
                    Some(&always)
                }
                from => self.get(from),
            };
            let Some(value) = value else { continue };
            let wrong = |why: String| (field.key, format!("The {} {why}.", field.title));
            match (field.shape, &blank.reading) {
                (Shape::Amount, reading) => {
                    if value.as_str().is_some_and(|text| text.trim().is_empty()) {
                        continue;
                    }
                    let (amount, told) = values::amount(value, reading, currency).map_err(wrong)?;
                    put(&mut data, field.pointer, Value::String(amount));
                    if let Some(told) = told {
                        put(&mut data, "/data/currency", Value::String(told.code().into()));
                    }
                }
                (Shape::Time, reading) => {
                    let at = values::time(value, reading, self.calendar).map_err(wrong)?;
                    if field.pointer != "/time" {
                        put(&mut data, field.pointer, rfc3339(at));
                        continue;
                    }
                    if at > tally_core::time::after(self.arrived, MOST_AHEAD) {
                        return Err(wrong("lies more than a day ahead; is it read as it is meant?".into()));
                    }
                    happened_at = Some(at);
                }
                (Shape::Tier, Reading::Tiers(words)) => {
                    put(&mut data, field.pointer, values::tier(value, words).map_err(wrong)?);
                }
                (shape, _) => {
                    let value = values::read(shape, value).map_err(wrong)?;
                    match shape {
                        _ if value.is_null() => {}
                        Shape::Id => id = value.as_str().map(|id| self.id(&blank.from, id)),
                        _ => {
                            if shape == Shape::Currency {
                                currency = value.as_str().and_then(|code| Currency::parse(code).ok());
                            }
                            put(&mut data, field.pointer, value);
                        }
                    }
                }
            }
        }
        if rule.kind == Kind::Poll {
            data.entry("opened_at").or_insert_with(|| rfc3339(happened_at.unwrap_or(self.arrived)));
        }
        let data = finished(rule.kind, data);
        let origin = match id {
            Some(id) if id.chars().count() > MOST_ORIGIN => {
                return Err(("id", format!("The id of the event is longer than {MOST_ORIGIN} characters.")));
            }
            Some(id) => Origin { source: rule.kind.key().into(), id },
            None => self.alike(rule.kind, &data, happened_at),
        };
        let happening = data::happening(&format!("tally.{}", rule.kind.key()), &(&data).into()).map_err(|problem| {
            let caused = |field: &&Field| {
                problem.pointer.starts_with(field.pointer) || field.pointer.starts_with(&problem.pointer)
            };
            let field = fields::of(rule.kind).iter().filter(|field| field.pointer.starts_with("/data")).find(caused);
            (field.map_or("", |field| field.key), problem.detail)
        })?;
        Ok(Incoming { origin, happened_at, happening })
    }

    /// The id of an item whose message has one for all of them.
    fn id(&self, from: &Source, id: &str) -> String {
        match (from, self.item) {
            (Source::Item(_), _) | (_, None) => id.trim().to_owned(),
            (_, Some((number, _))) => format!("{}#{number}", id.trim()),
        }
    }

    /// What an event is known by that has no id: a digest of what it says, within a stretch of ten minutes.
    fn alike(&self, kind: Kind, data: &Value, happened_at: Option<Instant>) -> Origin {
        let stretch = match happened_at {
            Some(at) => format!("at {}", at.timestamp_micros()),
            None => format!("in {}", self.arrived.timestamp().div_euclid(ALIKE_SECONDS)),
        };
        let mut digest = Sha256::new();
        digest.update(data.to_string());
        digest.update(stretch);
        Origin { source: format!("{}, alike", kind.key()), id: BASE64_URL_SAFE_NO_PAD.encode(digest.finalize()) }
    }
}

/// An instant as the contract with senders has it.
fn rfc3339(at: Instant) -> Value {
    at.to_rfc3339_opts(chrono::SecondsFormat::AutoSi, true).into()
}

/// Puts a value where it stands in an event.
fn put(data: &mut Map<String, Value>, pointer: &str, value: Value) {
    let Some(path) = pointer.strip_prefix("/data/") else { return };
    match path.split_once('/') {
        None => {
            data.insert(path.into(), value);
        }
        Some((outer, inner)) => {
            let outer = data.entry(outer).or_insert_with(|| Value::Object(Map::new()));
            if let Some(outer) = outer.as_object_mut() {
                outer.insert(inner.into(), value);
            }
        }
    }
}

/// What is left to say when the blanks are filled: somebody unnamed has a name to stand there, and one thing is
/// bought where nobody says how many.
fn finished(kind: Kind, mut data: Map<String, Value>) -> Value {
    if fields::find(kind, "name").is_some() {
        let told = data.remove("actor").unwrap_or_default();
        let word = |key: &str| told[key].as_str().filter(|_| told["anonymous"] != true).unwrap_or_default();
        let mut actor = words::actor(word("name"), word("id"));
        if !word("avatar").is_empty() && actor["anonymous"] != true {
            actor["avatar"] = word("avatar").into();
        }
        data.insert("actor".into(), actor);
    }
    if kind == Kind::Poll {
        // A service that tells of one poll alone need not name it, and one that says nothing tells of an open one.
        let question = data.get("question").cloned().unwrap_or_default();
        data.entry("poll").or_insert(question);
        data.entry("state").or_insert("open".into());
    }
    if kind == Kind::Purchase {
        data.entry("quantity").or_insert(Value::from(1));
    }
    if matches!(kind, Kind::Sub | Kind::Gift) {
        data.entry("tier").or_insert(Value::from(1));
    }
    Value::Object(data)
}

#[cfg(test)]
mod tests;
