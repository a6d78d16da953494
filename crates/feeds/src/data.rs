//! The `data` of each event type.

use crate::Problem;
use chrono::{DateTime, SubsecRound, Utc};
use serde_json_borrow::{ObjectAsVec, Value};
use tally_core::language::text;
use tally_core::money::{Currency, Money};
use tally_core::record::happening::{Actor, Choice, Happening, Kind, PollState, Standing, Tier};
use tally_core::time::Instant;

/// Most months of a subscription: a hundred years.
const MOST_MONTHS: i64 = 1_200;
/// Most options of a poll that is held elsewhere.
const MOST_OPTIONS: usize = 20;
/// The largest number that a field takes, either way. Sums of millions of such stay within 64 bits.
const MOST: i64 = 1_000_000_000_000;

/// Reads the data of an event of a type.
///
/// # Errors
/// An unknown type, or the first field that breaks a rule.
pub(crate) fn happening(kind: &str, data: &Value<'_>) -> Result<Happening, Problem> {
    let Some(kind) = kind.strip_prefix("tally.").and_then(Kind::of_key).filter(|kind| Kind::SENT.contains(kind)) else {
        let known: Vec<String> = Kind::SENT.iter().map(|kind| format!("tally.{}", kind.key())).collect();
        return Err(Problem::new("/type", format!("The type must be one of {}.", known.join(", "))));
    };
    let Value::Object(data) = data else {
        return Err(Problem::new("/data", "The data must be a JSON object."));
    };
    let data = Fields { fields: data, path: "/data" };
    Ok(match kind {
        Kind::Follow => Happening::Follow { actor: data.actor("actor")? },
        Kind::Sub => Happening::Sub {
            actor: data.actor("actor")?,
            tier: data.tier()?,
            months: data.months()?,
            message: data.message("message")?,
            gifted_by: if data.present("gifted_by") { Some(data.actor("gifted_by")?) } else { None },
        },
        Kind::Gift => {
            Happening::Gift { actor: data.actor("actor")?, tier: data.tier()?, count: data.count("count", 1)? }
        }
        Kind::Tip => {
            Happening::Tip { actor: data.actor("actor")?, amount: data.amount()?, message: data.message("message")? }
        }
        Kind::Cheer => Happening::Cheer {
            actor: data.actor("actor")?,
            points: data.count("points", 1)?,
            message: data.message("message")?,
        },
        Kind::Raid => Happening::Raid { actor: data.actor("actor")?, viewers: data.count("viewers", 0)? },
        Kind::Reward => Happening::Reward {
            actor: data.actor("actor")?,
            reward: data.name("reward")?,
            cost: if data.present("cost") { Some(data.count("cost", 0)?) } else { None },
            input: data.message("input")?,
        },
        Kind::Purchase => Happening::Purchase {
            actor: data.actor("actor")?,
            item: data.name("item")?,
            quantity: data.count("quantity", 1)?,
            amount: if data.present("amount") || data.present("currency") { Some(data.amount()?) } else { None },
        },
        Kind::Gauge => Happening::Gauge { name: data.name("name")?, value: data.whole("value", -MOST)? },
        Kind::Stat => Happening::Stat {
            player: data.name("player")?,
            character: if data.present("character") { Some(data.name("character")?) } else { None },
            stat: data.name("stat")?,
            total: data.whole("total", 0)?,
        },
        Kind::Signal => Happening::Signal {
            name: data.name("name")?,
            value: if data.present("value") { Some(data.whole("value", -MOST)?) } else { None },
            text: data.message("text")?,
        },
        Kind::Command => {
            Happening::Command { actor: data.actor("actor")?, word: data.name("word")?, text: data.message("text")? }
        }
        Kind::Poll => Happening::Poll(data.standing()?),
        // Made by hand only; refused above.
        Kind::Adjust => return Err(Problem::new("/type", "An adjustment cannot be sent.")),
    })
}

/// A JSON object and where it stands.
struct Fields<'a> {
    fields: &'a ObjectAsVec<'a>,
    path: &'a str,
}

impl Fields<'_> {
    fn get(&self, name: &str) -> Option<&Value<'_>> {
        self.fields.get(name).filter(|value| !value.is_null())
    }

    fn present(&self, name: &str) -> bool {
        self.get(name).is_some()
    }

    fn refuse(&self, name: &str, why: impl std::fmt::Display) -> Problem {
        Problem::new(format!("{}/{name}", self.path), format!("The {name} {why}."))
    }

    fn text(&self, name: &str) -> Result<&str, Problem> {
        match self.get(name) {
            None => Err(self.refuse(name, "is missing")),
            Some(Value::Str(text)) => Ok(text),
            Some(_) => Err(self.refuse(name, "must be a text in quotation marks")),
        }
    }

    fn actor(&self, name: &str) -> Result<Actor, Problem> {
        let fields = match self.get(name) {
            None => return Err(self.refuse(name, "is missing; send {\"id\": …, \"name\": …}")),
            Some(Value::Object(fields)) => fields,
            Some(_) => return Err(self.refuse(name, "must be an object: {\"id\": …, \"name\": …}")),
        };
        let path = format!("{}/{name}", self.path);
        let actor = Fields { fields, path: &path };
        let optional = |field: &str| {
            if !actor.present(field) {
                return Ok(None);
            }
            text::name(actor.text(field)?).map(Some).map_err(|error| actor.refuse(field, error))
        };
        Ok(Actor {
            id: optional("id")?,
            name: text::name(actor.text("name")?).map_err(|error| actor.refuse("name", error))?,
            avatar: optional("avatar")?,
            anonymous: match actor.get("anonymous") {
                None => false,
                Some(Value::Bool(anonymous)) => *anonymous,
                Some(_) => return Err(actor.refuse("anonymous", "must be true or false")),
            },
        })
    }

    fn name(&self, name: &str) -> Result<String, Problem> {
        text::name(self.text(name)?).map_err(|error| self.refuse(name, error))
    }

    fn message(&self, name: &str) -> Result<Option<String>, Problem> {
        if !self.present(name) {
            return Ok(None);
        }
        let message = text::message(self.text(name)?).map_err(|error| self.refuse(name, error))?;
        Ok(Some(message).filter(|message| !message.is_empty()))
    }

    fn whole(&self, name: &str, least: i64) -> Result<i64, Problem> {
        self.get(name)
            .and_then(Value::as_i64)
            .filter(|number| (least..=MOST).contains(number))
            .ok_or_else(|| self.refuse(name, format!("must be a whole number from {least} to {MOST}")))
    }

    fn count(&self, name: &str, least: u32) -> Result<u32, Problem> {
        self.get(name)
            .and_then(Value::as_i64)
            .and_then(|count| u32::try_from(count).ok())
            .filter(|count| *count >= least)
            .ok_or_else(|| self.refuse(name, format!("must be a whole number from {least} to {}", u32::MAX)))
    }

    fn tier(&self) -> Result<Tier, Problem> {
        self.get("tier")
            .and_then(Value::as_i64)
            .and_then(|tier| u8::try_from(tier).ok())
            .and_then(|tier| Tier::try_from(tier).ok())
            .ok_or_else(|| self.refuse("tier", "must be the number 1, 2 or 3"))
    }

    fn months(&self) -> Result<Option<u32>, Problem> {
        let Some(value) = self.get("months") else { return Ok(None) };
        value
            .as_i64()
            .filter(|months| *months <= MOST_MONTHS)
            .and_then(|months| u32::try_from(months).ok())
            .map(Some)
            .ok_or_else(|| self.refuse("months", format!("must be a whole number from 0 to {MOST_MONTHS}")))
    }

    fn instant(&self, name: &str) -> Result<Instant, Problem> {
        DateTime::parse_from_rfc3339(self.text(name)?)
            .map(|at| at.with_timezone(&Utc).trunc_subsecs(6))
            .map_err(|_| self.refuse(name, "must be an instant of RFC 3339, such as 2026-11-24T19:00:00Z"))
    }

    fn options(&self) -> Result<Vec<Choice>, Problem> {
        let wrong = || self.refuse("options", "must be a list of {\"text\": …, \"votes\": …}");
        let Some(Value::Array(options)) = self.get("options") else { return Err(wrong()) };
        if !(1..=MOST_OPTIONS).contains(&options.len()) {
            return Err(self.refuse("options", format!("must be between 1 and {MOST_OPTIONS}")));
        }
        let option = |(index, option): (usize, &Value<'_>)| {
            let Value::Object(fields) = option else { return Err(wrong()) };
            let path = format!("{}/options/{index}", self.path);
            let option = Fields { fields, path: &path };
            Ok(Choice { text: option.name("text")?, votes: option.count("votes", 0)? })
        };
        options.iter().enumerate().map(option).collect()
    }

    fn standing(&self) -> Result<Standing, Problem> {
        let state = self.text("state")?;
        Ok(Standing {
            poll: self.name("poll")?,
            question: self.name("question")?,
            options: self.options()?,
            opened_at: self.instant("opened_at")?,
            closes_at: if self.present("closes_at") { Some(self.instant("closes_at")?) } else { None },
            state: PollState::ALL
                .into_iter()
                .find(|one| one.key() == state)
                .ok_or_else(|| self.refuse("state", "must be “open”, “closed” or “cancelled”"))?,
        })
    }

    fn amount(&self) -> Result<Money, Problem> {
        let currency = Currency::parse(self.text("currency")?).map_err(|error| self.refuse("currency", error))?;
        let amount = match self.get("amount") {
            Some(Value::Number(_)) => {
                return Err(self.refuse("amount", "must be in quotation marks, such as \"12.50\""));
            }
            _ => self.text("amount")?,
        };
        let money = Money::parse(amount, currency).map_err(|error| self.refuse("amount", error))?;
        if money.minor <= 0 {
            return Err(self.refuse("amount", "must be more than 0"));
        }
        Ok(money)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[allow(clippy::needless_pass_by_value, reason = "each is written where it is read")]
    fn happening(kind: &str, data: serde_json::Value) -> Result<Happening, Problem> {
        super::happening(kind, &(&data).into())
    }

    fn refused(kind: &str, data: serde_json::Value) -> String {
        happening(kind, data).unwrap_err().pointer
    }

    #[test]
    fn each_type_is_read_whole() {
        let actor = json!({"id": "7", "name": " quietferry ", "avatar": "https://pictures.example/7.png"});
        let sub = happening(
            "tally.sub",
            json!({"actor": actor, "tier": 2, "months": 14, "message": "hello", "gifted_by": {"name": "ninepins"}}),
        );
        let Ok(Happening::Sub { actor, tier, months, message, gifted_by }) = sub else { panic!("{sub:?}") };
        assert_eq!((actor.name.as_str(), u8::from(tier), months), ("quietferry", 2, Some(14)));
        assert_eq!((message.as_deref(), gifted_by.unwrap().id), (Some("hello"), None));
        let tip = happening(
            "tally.tip",
            json!({"actor": {"name": "Somebody", "anonymous": true}, "amount": "500", "currency": "JPY", "message": ""}),
        );
        let Ok(Happening::Tip { actor, amount, message: None }) = tip else { panic!("{tip:?}") };
        assert!(actor.anonymous);
        assert_eq!(amount.to_string(), "¥500");
    }

    #[test]
    fn the_other_types_are_read_too() {
        let actor = json!({"id": "7", "name": "quietferry"});
        let cases = [
            ("gift", json!({"actor": actor, "tier": 1, "count": 20}), "quietferry gave 20 subscriptions, tier 1"),
            ("cheer", json!({"actor": actor, "points": 500, "message": "whistle"}), "quietferry cheered 500 points"),
            ("raid", json!({"actor": actor, "viewers": 1}), "quietferry raided with 1 viewer"),
            ("reward", json!({"actor": actor, "reward": "Tea break", "cost": 300}), "quietferry claimed “Tea break”"),
            (
                "purchase",
                json!({"actor": actor, "item": "mug", "quantity": 2, "amount": "24", "currency": "EUR"}),
                "quietferry bought 2 × mug for €24",
            ),
            ("purchase", json!({"actor": actor, "item": "mug", "quantity": 1}), "quietferry bought 1 × mug"),
            ("gauge", json!({"name": "viewers", "value": 312}), "viewers stands at 312"),
            (
                "stat",
                json!({"player": "odile", "character": "No. 7", "stat": "deliveries", "total": 41}),
                "odile with No. 7: deliveries at 41",
            ),
            ("command", json!({"actor": actor, "word": "!coal", "text": "now"}), "quietferry says !coal now"),
            (
                "poll",
                json!({
                    "poll": "p", "question": "Which?", "opened_at": "2026-11-24T19:00:00Z", "state": "closed",
                    "options": [{"text": "Green", "votes": 1_200}, {"text": "Black", "votes": 0}],
                }),
                "poll “Which?”: Green 1,200, Black 0, closed",
            ),
            ("signal", json!({"name": "bell", "value": -3, "text": "ding"}), "signal bell -3 “ding”"),
            ("signal", json!({"name": "bell"}), "signal bell"),
        ];
        for (kind, data, words) in cases {
            assert_eq!(happening(&format!("tally.{kind}"), data).map(|one| one.words()).as_deref(), Ok(words));
        }
    }

    #[test]
    fn numbers_out_of_bounds_are_refused_where_they_stand() {
        let cases = [
            ("gift", json!({"actor": {"name": "x"}, "tier": 1, "count": 0}), "/data/count"),
            ("cheer", json!({"actor": {"name": "x"}, "points": 1.5}), "/data/points"),
            ("raid", json!({"actor": {"name": "x"}, "viewers": -1}), "/data/viewers"),
            ("raid", json!({"actor": {"name": "x"}, "viewers": 5_000_000_000_u64}), "/data/viewers"),
            ("reward", json!({"actor": {"name": "x"}, "reward": ""}), "/data/reward"),
            (
                "purchase",
                json!({"actor": {"name": "x"}, "item": "mug", "quantity": 1, "amount": "5"}),
                "/data/currency",
            ),
            (
                "purchase",
                json!({"actor": {"name": "x"}, "item": "mug", "quantity": 1, "currency": "GBP"}),
                "/data/amount",
            ),
            ("gauge", json!({"name": "viewers", "value": "many"}), "/data/value"),
            ("stat", json!({"player": "x", "stat": "deliveries", "total": -1}), "/data/total"),
            ("signal", json!({"name": "bell", "value": 2_000_000_000_000_i64}), "/data/value"),
        ];
        for (kind, data, pointer) in cases {
            assert_eq!(refused(&format!("tally.{kind}"), data.clone()), pointer, "{data}");
        }
    }

    #[test]
    fn absurd_values_are_refused_where_they_stand() {
        let tip = |amount: serde_json::Value, currency: &str| json!({"actor": {"name": "x"}, "amount": amount, "currency": currency});
        let cases = [
            (tip(json!("-5"), "GBP"), "/data/amount"),
            (tip(json!("0.00"), "GBP"), "/data/amount"),
            (tip(json!("1000000000000000000000000000000"), "GBP"), "/data/amount"),
            (tip(json!("1e30"), "GBP"), "/data/amount"),
            (tip(json!("3.141"), "GBP"), "/data/amount"),
            (tip(json!(12.5), "GBP"), "/data/amount"),
            (tip(json!("5"), "QQQ"), "/data/currency"),
            (tip(json!("5"), "gbp"), "/data/currency"),
            (json!({"actor": {"name": "x"}, "currency": "GBP"}), "/data/amount"),
            (json!({"actor": "x", "amount": "1", "currency": "GBP"}), "/data/actor"),
            (json!({"actor": {"name": ""}, "amount": "1", "currency": "GBP"}), "/data/actor/name"),
            (json!({"actor": {"name": "a\u{202e}b"}, "amount": "1", "currency": "GBP"}), "/data/actor/name"),
            (json!({"actor": {"name": "a\u{1b}[31m"}, "amount": "1", "currency": "GBP"}), "/data/actor/name"),
            (json!({"actor": {"name": "x", "anonymous": "yes"}}), "/data/actor/anonymous"),
        ];
        for (data, pointer) in cases {
            assert_eq!(refused("tally.tip", data.clone()), pointer, "{data}");
        }
        for tier in [json!(0), json!(4), json!("1"), json!(1.5), json!(null)] {
            assert_eq!(refused("tally.sub", json!({"actor": {"name": "x"}, "tier": tier})), "/data/tier");
        }
        assert_eq!(refused("tally.follow", json!({})), "/data/actor");
    }
}
