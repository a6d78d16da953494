//! A happening from plain words, as they stand in a form or in the cells of a table. The same
//! checks apply as to what outside programs send.

use crate::{Problem, data};
use serde_json::{Value, json};
use tally_core::money::{self, Currency};
use tally_core::record::happening::{Happening, Kind};

/// The words. What is empty was not told.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Words<'a> {
    /// Who did it; nobody named if empty.
    pub name: &'a str,
    /// The platform's identifier for them.
    pub id: &'a str,
    /// A decimal amount.
    pub amount: &'a str,
    /// A code of ISO 4217.
    pub currency: &'a str,
    /// 1 to 3.
    pub tier: &'a str,
    /// Months of a subscription.
    pub months: &'a str,
    /// Points, viewers, gifts, things bought, a level, a total.
    pub number: &'a str,
    /// The name of a reward, a thing bought, a level, a statistic, a signal.
    pub what: &'a str,
    /// What they said with it.
    pub message: &'a str,
    /// Who paid for a subscription, if somebody else did.
    pub given_by: &'a str,
}

/// A whole number as JSON, or the words as they are, for the parser to refuse in its own words.
fn whole(text: &str) -> Value {
    if text.trim().is_empty() {
        return Value::Null;
    }
    let number = money::plain(text.trim(), 0).ok().and_then(|plain| plain.parse::<i64>().ok());
    number.map_or_else(|| json!(text), Value::from)
}

fn text(text: &str) -> Value {
    if text.trim().is_empty() { Value::Null } else { json!(text) }
}

/// Somebody by name and id; nobody named where both are empty.
pub(crate) fn actor(name: &str, id: &str) -> Value {
    match (name.trim(), id.trim()) {
        ("", "") => json!({"name": "Somebody", "anonymous": true}),
        ("", id) => json!({"id": id, "name": id}),
        (name, "") => json!({"name": name}),
        (name, id) => json!({"id": id, "name": name}),
    }
}

/// Reads a happening of a kind.
///
/// # Errors
/// The first thing that is missing or breaks a rule, with a pointer to its field.
pub fn happening(kind: Kind, words: &Words<'_>) -> Result<Happening, Problem> {
    let who = actor(words.name, words.id);
    let tier = if words.tier.trim().is_empty() { json!(1) } else { whole(words.tier) };
    let one = if words.number.trim().is_empty() { json!(1) } else { whole(words.number) };
    let (number, what, message) = (whole(words.number), text(words.what), text(words.message));
    let with_money = |mut data: Value| {
        let (amount, code) = (words.amount.trim(), words.currency.trim().to_uppercase());
        // What cannot be read in one way alone stays as it is, for the parser to refuse in its own words.
        let decimals = Currency::parse(&code).map_or(2, |currency| currency.decimals());
        data["amount"] = json!(money::plain(amount, decimals).unwrap_or_else(|_| amount.to_owned()));
        data["currency"] = json!(code);
        data
    };
    let read = match kind {
        Kind::Follow => json!({"actor": who}),
        Kind::Sub => {
            let giver = words.given_by.trim();
            let gifted_by = if giver.is_empty() { Value::Null } else { actor(giver, "") };
            json!({"actor": who, "tier": tier, "months": whole(words.months), "message": message, "gifted_by": gifted_by})
        }
        Kind::Gift => json!({"actor": who, "tier": tier, "count": one}),
        Kind::Tip => with_money(json!({"actor": who, "message": message})),
        Kind::Cheer => json!({"actor": who, "points": number, "message": message}),
        Kind::Raid => json!({"actor": who, "viewers": number}),
        Kind::Reward => json!({"actor": who, "reward": what, "cost": number, "input": message}),
        Kind::Purchase => {
            let data = json!({"actor": who, "item": what, "quantity": one});
            if words.amount.trim().is_empty() { data } else { with_money(data) }
        }
        Kind::Gauge => json!({"name": what, "value": number}),
        Kind::Stat => json!({"player": words.name, "character": text(words.message), "stat": what, "total": number}),
        Kind::Signal => json!({"name": what, "value": number, "text": message}),
        Kind::Command => json!({"actor": who, "word": what, "text": message}),
        Kind::Poll => return Err(Problem::new("/type", "A poll that is held elsewhere is told by its service alone.")),
        Kind::Adjust => return Err(Problem::new("/type", "An adjustment is made by hand, not read.")),
    };
    data::happening(&format!("tally.{}", kind.key()), &(&read).into())
}
