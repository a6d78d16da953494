//! A first draft of a rule, from the names and the shapes of what stands in one message. It is a guess, and
//! marked as one.

use super::fields::{self, Field, Shape};
use crate::poll;
use serde_json::Value;
use std::collections::BTreeMap;
use tally_core::money::Currency;
use tally_core::record::happening::Kind;
use tally_store::mapping::{Blank, Condition, Reading, Rule, Source, Test};

/// How deep it looks, and at how many places.
const DEEPEST: usize = 8;
const MOST: usize = 400;

/// A place in a message that holds a value of its own.
struct Leaf<'a> {
    source: Source,
    /// Its own name and those above it, in small letters, the nearest first.
    names: Vec<String>,
    value: &'a Value,
}

/// Words in the name of an event that tell its kind, the most telling first.
const KINDS: [(Kind, &[&str]); 9] = [
    (Kind::Poll, &["poll", "survey", "ballot"]),
    (Kind::Gift, &["gift"]),
    (Kind::Raid, &["raid", "party", "arrival"]),
    (Kind::Follow, &["follow"]),
    (Kind::Sub, &["subscri", "member", "patron", "renew"]),
    (Kind::Reward, &["reward", "redeem", "claim"]),
    (Kind::Purchase, &["order", "purchase", "sale", "shop", "checkout"]),
    (Kind::Cheer, &["cheer", "applause", "points"]),
    (Kind::Tip, &["tip", "donat", "payment", "support", "settled", "coin", "pledge"]),
];

/// The names under which a field's value is likely to stand, the likeliest first.
fn names(key: &str) -> &'static [&'static str] {
    match key {
        "name" => &[
            "nick",
            "nickname",
            "display_name",
            "username",
            "user_name",
            "donor",
            "supporter",
            "customer",
            "buyer",
            "sender",
            "viewer",
            "who",
            "from",
            "by",
            "user",
            "login",
            "handle",
            "name",
        ],
        "person_id" => &["user_id", "viewer_id", "customer_id", "person_id", "account", "uid"],
        "picture" => &["avatar", "picture", "image", "photo"],
        "anonymous" => &["anonymous", "anon", "hidden", "nameless", "private"],
        "amount" => &["amount", "cents", "pence", "minor", "value", "total", "sum", "price", "gross", "paid"],
        "currency" => &["currency", "cur", "ccy", "iso"],
        "message" => &["message", "note", "comment", "words", "text", "msg"],
        "tier" => &["tier", "level", "plan", "grade", "rank"],
        "months" => &["months", "month", "streak", "since_months"],
        "giver" => &["giver", "gifted_by", "gifter", "given_by"],
        "count" => &["count", "quantity", "qty", "number", "amount", "total"],
        "points" => &["points", "amount", "count", "value"],
        "viewers" => &["viewers", "party", "size", "count", "people"],
        "reward" => &["reward", "title", "prize", "name"],
        "cost" => &["cost", "price", "points"],
        "input" => &["input", "typed", "message", "text"],
        "item" => &["item", "product", "thing", "title", "article", "sku"],
        "quantity" => &["quantity", "qty", "pieces", "count"],
        "id" => &["id", "ref", "reference", "uuid", "number", "no", "transaction", "order"],
        "time" => &["time", "ts", "timestamp", "at", "created", "created_at", "date", "when", "paid_at", "placed"],
        "word" => &["word", "command", "keyword"],
        "question" => &["question", "title", "prompt", "subject"],
        "options" => &["options", "choices", "answers", "outcomes"],
        "state" => &["state", "status", "phase"],
        "opened_at" => &["opened_at", "started_at", "opened", "created_at", "begins_at"],
        "closes_at" => &["closes_at", "ends_at", "closes", "ended_at", "expires_at"],
        "poll" => &["poll_id", "poll", "id"],
        "signal" => &["event", "type", "kind", "name"],
        "value" => &["value", "count"],
        "text" => &["text", "message"],
        _ => &[],
    }
}

/// Names whose value says what kind of event it is.
const TYPES: [&str; 8] = ["type", "event", "kind", "event_type", "topic", "action", "what", "t"];

/// Guesses a rule for a message.
#[must_use]
pub fn rule(document: &Value) -> Rule {
    let each = list(document);
    let leaves = leaves(document, each.as_deref());
    let says = leaves.iter().find(|leaf| is_type(leaf));
    let kind = kind(says, &leaves);
    let when = says.map(|leaf| Condition {
        of: leaf.source.clone(),
        test: Test::Is(leaf.value.as_str().unwrap_or_default().to_owned()),
    });
    let mut rule = Rule { event: kind, when: when.into_iter().collect(), each, fields: BTreeMap::new(), guessed: true };
    fill(&mut rule, document);
    if kind == Kind::Signal && !rule.fields.contains_key("signal") {
        let from = Source::Always("message".into());
        rule.fields.insert("signal".into(), Blank { from, reading: Reading::Plain });
    }
    rule
}

/// Fills what is left out of a rule, as far as a message suggests it.
pub fn fill(rule: &mut Rule, document: &Value) {
    let leaves = leaves(document, rule.each.as_deref());
    let conditions = rule.when.iter().map(|condition| condition.of.clone());
    let mut taken: Vec<Source> = conditions.chain(rule.fields.values().map(|blank| blank.from.clone())).collect();
    for field in fields::of(rule.event) {
        if rule.fields.contains_key(field.key) {
            continue;
        }
        if let Some((from, reading)) = best(field, &leaves, &taken) {
            taken.push(from.clone());
            rule.fields.insert(field.key.into(), Blank { from, reading });
        }
    }
}

/// The places of a message, and those of the first item of its list.
fn leaves<'a>(document: &'a Value, each: Option<&str>) -> Vec<Leaf<'a>> {
    let item = each.and_then(|at| document.pointer(at)).and_then(|list| list.get(0));
    let mut leaves = Vec::new();
    if let Some(item) = item {
        gather(item, "", &mut Vec::new(), true, &mut leaves);
    }
    gather(document, "", &mut Vec::new(), false, &mut leaves);
    // What stands in a list that is told item by item is told by the items.
    if let Some(each) = each {
        let inside = format!("{each}/");
        leaves.retain(|leaf| !matches!(&leaf.source, Source::At(at) if at.starts_with(&inside)));
    }
    leaves
}

/// The list in a message that is likely to hold an event in each item.
fn list(document: &Value) -> Option<String> {
    let body = document.get("body")?;
    let of_events = |value: &Value| {
        value
            .as_array()
            .is_some_and(|items| !items.is_empty() && items.iter().all(|item| item.is_object() || item.is_array()))
    };
    if of_events(body) {
        return Some("/body".into());
    }
    // What can be chosen in a poll is told as a whole.
    let told_whole = |key: &str| names("options").contains(&key.to_lowercase().as_str());
    let mut lists = body.as_object()?.iter().filter(|(key, value)| of_events(value) && !told_whole(key));
    // Where something is paid for at the top, the list tells what, and is no list of events.
    let paid = body.as_object()?.keys().any(|key| names("amount").contains(&key.to_lowercase().as_str()));
    match (lists.next(), lists.next()) {
        (Some((key, _)), None) if !paid => Some(poll::within("/body", key)),
        _ => None,
    }
}

fn gather<'a>(value: &'a Value, at: &str, above: &mut Vec<String>, item: bool, leaves: &mut Vec<Leaf<'a>>) {
    if above.len() > DEEPEST || leaves.len() >= MOST {
        return;
    }
    if value.is_array() && above.last().is_some_and(|name| names("options").contains(&name.as_str())) {
        let source = if item { Source::Item(at.to_owned()) } else { Source::At(at.to_owned()) };
        leaves.push(Leaf { source, names: above.iter().rev().cloned().collect(), value });
        return;
    }
    let mut go = |key: &str, inner: &'a Value, above: &mut Vec<String>| {
        above.push(key.to_lowercase());
        gather(inner, &poll::within(at, key), above, item, leaves);
        above.pop();
    };
    match value {
        Value::Object(fields) => fields.iter().for_each(|(key, inner)| go(key, inner, above)),
        Value::Array(items) => items.iter().take(4).enumerate().for_each(|(n, inner)| go(&n.to_string(), inner, above)),
        Value::Null => {}
        value => {
            let source = if item { Source::Item(at.to_owned()) } else { Source::At(at.to_owned()) };
            leaves.push(Leaf { source, names: above.iter().rev().cloned().collect(), value });
        }
    }
}

fn is_type(leaf: &Leaf<'_>) -> bool {
    let word = |text: &str| {
        !text.is_empty() && text.len() <= 40 && text.chars().all(|c| c.is_ascii_alphanumeric() || "._-:/".contains(c))
    };
    let named = leaf.names.first().is_some_and(|name| TYPES.contains(&name.as_str()) || name.ends_with("-event"));
    // In a pair such as ["tip", {…}] the word stands first.
    let paired = leaf.source == Source::Item("/0".into());
    (named || paired) && leaf.value.as_str().is_some_and(word)
}

fn kind(says: Option<&Leaf<'_>>, leaves: &[Leaf<'_>]) -> Kind {
    let told = says.and_then(|leaf| leaf.value.as_str()).unwrap_or_default().to_lowercase();
    let by_word = KINDS.iter().find(|(_, words)| words.iter().any(|word| told.contains(word)));
    let amount = fields::find(Kind::Tip, "amount").is_some_and(|field| best(field, leaves, &[]).is_some());
    let thing = |name: &String| ["item", "product", "thing", "article", "sku"].contains(&name.as_str());
    let bought = leaves.iter().any(|leaf| leaf.names.iter().any(thing));
    match by_word {
        Some((kind, _)) => *kind,
        None if bought => Kind::Purchase,
        None if amount => Kind::Tip,
        None => Kind::Signal,
    }
}

/// Where a field's value most likely stands, and how it is written there.
fn best(field: &Field, leaves: &[Leaf<'_>], taken: &[Source]) -> Option<(Source, Reading)> {
    let wanted = names(field.key);
    let fits = leaves.iter().filter(|leaf| !taken.contains(&leaf.source)).filter_map(|leaf| {
        let reading = reading(field, leaf)?;
        let place = |name: &String| wanted.iter().position(|one| one == name);
        // Its own name counts most; then that of what holds it, for a name such as donor.name.
        let own = leaf.names.first().and_then(place);
        let outer = leaf.names.get(1).and_then(place);
        let score = match (own, outer) {
            (Some(own), Some(outer)) => own.min(outer) * 2,
            (Some(own), None) => own * 2 + 1,
            (None, Some(outer)) if field.shape == Shape::Amount || field.key == "name" => 40 + outer,
            // A currency, an instant and a number of pence look like themselves, whatever they are called.
            _ if field.shape == Shape::Currency => 60,
            _ if field.shape == Shape::Amount && reading == Reading::Hundredths => 61,
            _ if field.shape == Shape::Time && reading != Reading::Plain => 62,
            _ => return None,
        };
        Some((score, leaf.source.clone(), reading))
    });
    fits.min_by_key(|(score, ..)| *score).map(|(_, source, reading)| (source, reading))
}

/// How a field's value is written where it was pressed; none if it does not look like one.
#[must_use]
pub fn reading_at(field: &Field, pointer: &str, value: &Value) -> Option<Reading> {
    let names = pointer.rsplit('/').map(str::to_lowercase).collect();
    reading(field, &Leaf { source: Source::At(pointer.to_owned()), names, value })
}

/// How a value of that shape is written at a place; none if it cannot be one.
fn reading(field: &Field, leaf: &Leaf<'_>) -> Option<Reading> {
    let (value, text) = (leaf.value, leaf.value.as_str().unwrap_or_default());
    let number = value.is_number() || (!text.is_empty() && text.parse::<f64>().is_ok());
    let in_small = leaf
        .names
        .iter()
        .take(2)
        .any(|name| ["cent", "pence", "penn", "minor", "hundredth"].iter().any(|word| name.contains(word)));
    match field.shape {
        Shape::Amount if number && in_small => Some(Reading::Hundredths),
        Shape::Amount if number => Some(Reading::Plain),
        Shape::Amount => {
            let signed =
                text.len() <= 30 && text.chars().any(|c| c.is_ascii_digit()) && super::values::tells_money(text);
            signed.then_some(Reading::WithSign)
        }
        Shape::Currency => Currency::parse(&text.to_uppercase()).is_ok().then_some(Reading::Plain),
        Shape::Whole => number.then_some(Reading::Plain),
        Shape::Tier if number => text.is_empty().then_some(Reading::Plain),
        Shape::Tier => (!text.is_empty()).then(|| Reading::Tiers([(text.to_owned(), 1)].into())),
        Shape::YesNo => value.is_boolean().then_some(Reading::Plain),
        Shape::Options => value.is_array().then_some(Reading::Plain),
        Shape::PollState => text_is_state(text).then_some(Reading::Plain),
        Shape::Time => time(value, text),
        Shape::Id => ((value.is_string() && !text.contains(' ')) || value.is_u64()).then_some(Reading::Plain),
        Shape::Text => (value.is_string() || (field.key != "message" && value.is_u64())).then_some(Reading::Plain),
    }
}

fn text_is_state(text: &str) -> bool {
    super::values::poll_state(&Value::from(text)).is_ok()
}

fn time(value: &Value, text: &str) -> Option<Reading> {
    let number = value.as_f64().or_else(|| text.parse().ok());
    match number {
        Some(number) if (1e12..1e14).contains(&number) => Some(Reading::Milliseconds),
        Some(number) if (1e9..1e11).contains(&number) => Some(Reading::Seconds),
        Some(_) => None,
        None if chrono::DateTime::parse_from_rfc3339(text).is_ok() => Some(Reading::Plain),
        None => super::values::is_local(text).then_some(Reading::Local),
    }
}
