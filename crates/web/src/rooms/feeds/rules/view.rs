//! What the room of a feed's rules shows.

use super::words;
use crate::app::App;
use crate::draw::since;
use crate::rooms::frame::Frame;
use askama::Template;
use tally_core::record::happening::Kind;
use tally_core::time::calendar::Calendar;
use tally_feeds::mapping::fields::{self, Field, Shape};
use tally_feeds::mapping::trial::{Kept, Trial};
use tally_feeds::mapping::{Outcome, Rules};
use tally_feeds::probe::{self, Leaf};
use tally_store::feeds::{Feed, Wiring};
use tally_store::mapping::{Mapping, Rule, Source};

/// How many messages are listed.
const LISTED: usize = 20;

/// The room.
#[derive(Template)]
#[template(path = "rooms/rules.html")]
pub struct Page {
    pub frame: Frame,
    pub area: Area,
}

/// What has come in, and what the rules make of it: the part that keeps up by itself.
#[derive(Template)]
#[template(path = "rooms/rules_arrived.html")]
pub struct Arrived {
    pub area: Area,
}

/// Everything that follows a change.
#[derive(Template)]
#[template(path = "rooms/rules_area.html")]
pub struct Area {
    id: u32,
    name: String,
    /// The address of a webhook.
    url: Option<String>,
    counts: bool,
    /// Whether the rules differ from those in force.
    differs: bool,
    /// What the rules would make of what was kept.
    trial: String,
    /// How many events would come of it.
    events: usize,
    rules: Vec<RuleView>,
    /// Why the rules cannot be followed, if they cannot.
    wrong: Option<String>,
    messages: Vec<MessageView>,
    /// The message that lies open, and its places.
    open: Option<u64>,
    tree: Vec<Leaf>,
}

/// One rule.
struct RuleView {
    /// From 0.
    number: usize,
    kind: Kind,
    guessed: bool,
    conditions: Vec<ConditionView>,
    each: Option<(String, String)>,
    blanks: Vec<BlankView>,
    /// Whether it names what its events are known by.
    known: bool,
    /// Why something is refused that is no matter of one blank.
    refused: Option<String>,
}

impl RuleView {
    /// The events that it could make: the key, the words, and whether it does.
    fn kinds(&self) -> impl Iterator<Item = (&'static str, &'static str, bool)> {
        Kind::SENT.iter().map(|kind| (kind.key(), fields::a_kind(*kind), *kind == self.kind))
    }
}

/// Where a value comes from, as its form shows it.
struct FormView {
    pointer: String,
    item: String,
    always: String,
}

/// A condition, or the place for one more.
struct ConditionView {
    /// What its ids on the page begin with.
    at: String,
    /// Of which rule, and which of it, from 0.
    rule: usize,
    number: usize,
    is_new: bool,
    place: String,
    words: String,
    form: FormView,
    test: &'static str,
    text: String,
}

/// A blank of a sentence.
struct BlankView {
    /// What its ids on the page begin with.
    at: String,
    /// Of which rule, from 0.
    rule: usize,
    field: &'static Field,
    /// Where its value comes from, in words; none if it is left out.
    filled: Option<String>,
    reading: String,
    form: FormView,
    readings: Vec<(&'static str, &'static str, bool)>,
    tiers: String,
    /// Why the newest message was refused because of it.
    refused: Option<String>,
}

/// A message in the list.
struct MessageView {
    id: u64,
    is_open: bool,
    when: String,
    /// What becomes of it: the words, and whether it is well.
    outcome: Vec<(String, &'static str)>,
}

fn form(source: Option<&Source>) -> FormView {
    let (mut pointer, mut item, mut always) = (String::new(), String::new(), String::new());
    match source {
        Some(Source::At(at)) => pointer.clone_from(at),
        Some(Source::Item(at)) => item.clone_from(at),
        Some(Source::Always(text)) => always.clone_from(text),
        None => {}
    }
    FormView { pointer, item, always }
}

fn blank(number: usize, rule: &Rule, field: &'static Field, refused: Option<&str>) -> BlankView {
    let blank = rule.fields.get(field.key);
    let reading = blank.map(|blank| blank.reading.clone()).unwrap_or_default();
    let tiers = match &reading {
        tally_store::mapping::Reading::Tiers(words) => {
            words.iter().map(|(word, tier)| format!("{word} {tier}\n")).collect()
        }
        _ => String::new(),
    };
    let present = words::reading_key(&reading);
    BlankView {
        at: format!("rule-{number}-{}", field.key),
        rule: number,
        field,
        filled: blank.map(|blank| words::place(&blank.from)),
        reading: words::reading(&reading),
        form: form(blank.map(|blank| &blank.from)),
        readings: words::readings(field.shape).iter().map(|(key, words)| (*key, *words, *key == present)).collect(),
        tiers,
        refused: refused.map(str::to_owned),
    }
}

fn rule(number: usize, rule: &Rule, trial: Option<&Trial>) -> RuleView {
    let all = trial.into_iter().flat_map(|trial| &trial.outcomes).flat_map(|outcome| &outcome.refused);
    let refused: Vec<_> = all.filter(|refused| refused.rule == number).collect();
    let of = |key: &str| refused.iter().find(|refused| refused.field == key).map(|refused| refused.why.as_str());
    let one_more = ConditionView {
        at: format!("rule-{number}-when-{}", rule.when.len()),
        rule: number,
        number: rule.when.len(),
        is_new: true,
        place: String::new(),
        words: String::new(),
        form: form(None),
        test: "is",
        text: String::new(),
    };
    let condition = |(place, condition): (usize, &tally_store::mapping::Condition)| ConditionView {
        at: format!("rule-{number}-when-{place}"),
        rule: number,
        number: place,
        is_new: false,
        place: words::place(&condition.of),
        words: words::test(condition),
        form: form(Some(&condition.of)),
        test: words::test_key(&condition.test),
        text: words::test_text(&condition.test),
    };
    RuleView {
        number,
        kind: rule.event,
        guessed: rule.guessed,
        conditions: rule.when.iter().enumerate().map(condition).chain([one_more]).collect(),
        each: rule.each.as_ref().map(|each| (each.clone(), words::from_top(each))),
        blanks: fields::of(rule.event).iter().map(|field| blank(number, rule, field, of(field.key))).collect(),
        known: rule.fields.contains_key("id"),
        refused: of("").map(str::to_owned),
    }
}

fn outcome(outcome: &Outcome) -> Vec<(String, &'static str)> {
    let events = outcome.events.iter().map(|(_, event)| (event.happening.words(), "well"));
    let refused = outcome.refused.iter().map(|refused| (format!("Refused: {}", refused.why), "wrong"));
    let unmatched = match outcome.unmatched {
        0 => None,
        1 => Some(("Matches no rule".to_owned(), "open")),
        some => Some((format!("{some} parts match no rule"), "open")),
    };
    let all: Vec<_> = events.chain(refused).chain(unmatched).take(4).collect();
    if all.is_empty() { vec![("Says that nothing has happened".into(), "open")] } else { all }
}

impl Area {
    /// Whether anything has come in.
    pub fn has_messages(&self) -> bool {
        !self.messages.is_empty()
    }

    /// Puts it together. `kept` is newest first; `url` is where its messages are sent.
    pub fn of(
        app: &App,
        feed: &Feed,
        mapping: &Mapping,
        kept: &[Kept],
        open: Option<u64>,
        calendar: &Calendar,
        url: Option<String>,
    ) -> Self {
        let now = app.engine.now();
        let written = mapping.written();
        let ready = Rules::ready(written);
        let trial = ready.as_ref().ok().map(|rules| Trial::of(rules, kept, calendar));
        let lies_open = kept.iter().find(|one| open == Some(one.id)).or_else(|| kept.first());
        let message = |(place, one): (usize, &Kept)| MessageView {
            id: one.id,
            is_open: lies_open.is_some_and(|open| open.id == one.id),
            when: since(calendar, one.arrived, now),
            outcome: trial.as_ref().and_then(|trial| trial.outcomes.get(place)).map(outcome).unwrap_or_default(),
        };
        Self {
            id: feed.id,
            name: feed.name.clone(),
            url: url.filter(|_| matches!(feed.wiring, Wiring::AnyWebhook(_))),
            counts: mapping.counts,
            differs: mapping.draft.is_some(),
            trial: match &trial {
                Some(_) if mapping.counts && kept.is_empty() => "No message waits.".into(),
                Some(trial) => trial.words(),
                None => String::new(),
            },
            events: trial.as_ref().map_or(0, Trial::events),
            rules: written.iter().enumerate().map(|(number, one)| rule(number, one, trial.as_ref())).collect(),
            wrong: ready.err().map(|error| format!("Rule {}: {}", error.rule + 1, error.why)),
            messages: kept.iter().enumerate().take(LISTED).map(message).collect(),
            open: lies_open.map(|one| one.id),
            tree: lies_open.map(|one| probe::leaves(&one.document)).unwrap_or_default(),
        }
    }
}
