//! Happenings as CloudEvents again, for exports and copies: what [`crate::cloudevents`] reads.

use serde_json::{Map, Value, json};
use tally_core::money::Money;
use tally_core::record::entry::Origin;
use tally_core::record::happening::{Actor, Happening};
use tally_core::time::Instant;

/// A happening as a CloudEvent in its JSON format.
#[must_use]
pub fn event(origin: &Origin, at: Instant, happening: &Happening) -> Value {
    json!({
        "specversion": "1.0",
        "id": origin.id,
        "source": origin.source,
        "type": format!("tally.{}", happening.kind().key()),
        "time": at.to_rfc3339_opts(chrono::SecondsFormat::Micros, true),
        "data": data(happening),
    })
}

fn actor(actor: &Actor) -> Value {
    let mut fields = Map::new();
    if let Some(id) = &actor.id {
        fields.insert("id".into(), json!(id));
    }
    fields.insert("name".into(), json!(actor.name));
    if let Some(avatar) = &actor.avatar {
        fields.insert("avatar".into(), json!(avatar));
    }
    if actor.anonymous {
        fields.insert("anonymous".into(), json!(true));
    }
    Value::Object(fields)
}

fn data(happening: &Happening) -> Value {
    let mut data = Map::new();
    let mut put = |name: &str, value: Value| {
        if !value.is_null() {
            data.insert(name.to_owned(), value);
        }
    };
    let money = |amount: &Money| (json!(amount.to_plain()), json!(amount.currency.code()));
    match happening {
        Happening::Follow { actor: who } => put("actor", actor(who)),
        Happening::Sub { actor: who, tier, months, message, gifted_by } => {
            put("actor", actor(who));
            put("tier", json!(u8::from(*tier)));
            put("months", json!(months));
            put("message", json!(message));
            put("gifted_by", gifted_by.as_ref().map_or(Value::Null, actor));
        }
        Happening::Gift { actor: who, tier, count } => {
            put("actor", actor(who));
            put("tier", json!(u8::from(*tier)));
            put("count", json!(count));
        }
        Happening::Tip { actor: who, amount, message } => {
            let (amount, currency) = money(amount);
            put("actor", actor(who));
            put("amount", amount);
            put("currency", currency);
            put("message", json!(message));
        }
        Happening::Cheer { actor: who, points, message } => {
            put("actor", actor(who));
            put("points", json!(points));
            put("message", json!(message));
        }
        Happening::Raid { actor: who, viewers } => {
            put("actor", actor(who));
            put("viewers", json!(viewers));
        }
        Happening::Reward { actor: who, reward, cost, input } => {
            put("actor", actor(who));
            put("reward", json!(reward));
            put("cost", json!(cost));
            put("input", json!(input));
        }
        Happening::Purchase { actor: who, item, quantity, amount } => {
            put("actor", actor(who));
            put("item", json!(item));
            put("quantity", json!(quantity));
            if let Some(amount) = amount {
                let (amount, currency) = money(amount);
                put("amount", amount);
                put("currency", currency);
            }
        }
        Happening::Gauge { name, value } => {
            put("name", json!(name));
            put("value", json!(value));
        }
        Happening::Stat { player, character, stat, total } => {
            put("player", json!(player));
            put("character", json!(character));
            put("stat", json!(stat));
            put("total", json!(total));
        }
        Happening::Signal { name, value, text } => {
            put("name", json!(name));
            put("value", json!(value));
            put("text", json!(text));
        }
        Happening::Command { actor: who, word, text } => {
            put("actor", actor(who));
            put("word", json!(word));
            put("text", json!(text));
        }
        Happening::Poll(standing) => {
            let at = |at: Instant| json!(at.to_rfc3339_opts(chrono::SecondsFormat::AutoSi, true));
            put("poll", json!(standing.poll));
            put("question", json!(standing.question));
            put("options", json!(standing.options));
            put("opened_at", at(standing.opened_at));
            put("closes_at", standing.closes_at.map_or(Value::Null, at));
            put("state", json!(standing.state.key()));
        }
        Happening::Adjust { measure, number, amount, message } => {
            put("measure", json!(measure.key()));
            put("number", json!(number));
            if let Some(amount) = amount {
                let (amount, currency) = money(amount);
                put("amount", amount);
                put("currency", currency);
            }
            put("message", json!(message));
        }
    }
    Value::Object(data)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cloudevents::{Mode, parse};
    use crate::schemas;
    use tally_core::record::happening::Kind;

    #[test]
    fn what_is_written_is_read_back_as_it_was() {
        let at: Instant = "2026-11-24T19:00:00.123456Z".parse().unwrap();
        for kind in Kind::SENT {
            let schema: Value = serde_json::from_str(schemas::of(kind).unwrap()).unwrap();
            let example = &schema["examples"][0];
            let event_type = format!("tally.{}", kind.key());
            let sent = json!({"specversion": "1.0", "id": "1", "source": "/x", "type": event_type, "time": at, "data": example});
            let read =
                |event: &Value| parse(Mode::Structured, &[], event.to_string().as_bytes(), at).unwrap().remove(0);
            let first = read(&sent);
            let written = event(&first.origin, at, &first.happening);
            assert_eq!(read(&written), first, "{written}");
            assert_eq!(&written["data"], example, "{kind:?}");
        }
    }
}
