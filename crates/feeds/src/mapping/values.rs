//! Reading a value of a message as a field takes it. What comes out is JSON as the contract with senders
//! wants it, so that everything is judged by the same rules.

use super::fields::Shape;
use chrono::{DateTime, NaiveDate, NaiveDateTime, SubsecRound, Utc};
use rust_decimal::Decimal;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use tally_core::language::text;
use tally_core::money::{self, Currency, Money};
use tally_core::record::happening::PollState;
use tally_core::time::Instant;
use tally_core::time::calendar::Calendar;
use tally_store::mapping::Reading;

/// Ways of writing a date and time without a zone.
const LOCAL: [&str; 4] = ["%Y-%m-%dT%H:%M:%S%.f", "%Y-%m-%d %H:%M:%S%.f", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M"];

/// Reads a value; null where there is nothing to read.
///
/// # Errors
/// What is wrong with it, as the end of a sentence that begins with the field.
pub(super) fn read(shape: Shape, value: &Value) -> Result<Value, String> {
    if value.is_null() || value.as_str().is_some_and(|text| text.trim().is_empty()) {
        return Ok(Value::Null);
    }
    match shape {
        Shape::Text | Shape::Id => plain(value).map(Value::from),
        Shape::Whole | Shape::Tier => Ok(whole(value)),
        Shape::Currency => Ok(json!(plain(value)?.trim().to_uppercase())),
        Shape::YesNo => yes_no(value).map(Value::from),
        Shape::Options => options(value),
        Shape::PollState => poll_state(value).map(|state| state.key().into()),
        // These two need to know how they are written.
        Shape::Amount | Shape::Time => Ok(value.clone()),
    }
}

/// A text, or a number or yes and no as they are written.
pub(super) fn plain(value: &Value) -> Result<String, String> {
    match value {
        Value::String(text) => Ok(text.clone()),
        Value::Number(number) => Ok(number.to_string()),
        Value::Bool(yes) => Ok(yes.to_string()),
        Value::Null => Ok(String::new()),
        Value::Array(_) | Value::Object(_) => Err("holds other values; choose one of them".into()),
    }
}

/// A whole number as JSON, or the value as it is, to be refused in the contract's words.
fn whole(value: &Value) -> Value {
    let text = match value {
        Value::String(text) => text.trim().to_owned(),
        Value::Number(number) if number.as_i64().is_none() => number.to_string(),
        _ => return value.clone(),
    };
    let number = text.parse::<Decimal>().ok().filter(|number| number.fract().is_zero());
    number.and_then(|number| i64::try_from(number).ok()).map_or_else(|| value.clone(), Value::from)
}

fn yes_no(value: &Value) -> Result<bool, String> {
    let text = plain(value)?;
    match text::fold(&text).as_str() {
        "true" | "yes" | "y" | "1" | "on" => Ok(true),
        "false" | "no" | "n" | "0" | "off" => Ok(false),
        _ => Err(format!("is neither yes nor no: “{}”", short(&text))),
    }
}

/// What can be chosen in a poll: a list of objects with a text and a number, whatever their names are, or an object
/// with a number for each text.
fn options(value: &Value) -> Result<Value, String> {
    const TEXTS: [&str; 7] = ["text", "title", "label", "name", "option", "choice", "answer"];
    const VOTES: [&str; 6] = ["votes", "count", "total", "vote_count", "value", "number"];
    let wrong = || "is no list of options with the votes of each".to_owned();
    let named = |fields: &serde_json::Map<String, Value>, names: &[&str]| {
        names
            .iter()
            .find_map(|name| fields.iter().find(|(key, _)| text::fold(key) == *name))
            .map(|(_, value)| value.clone())
    };
    match value {
        Value::Array(items) => items
            .iter()
            .map(|item| {
                let fields = item.as_object().ok_or_else(wrong)?;
                let told = named(fields, &TEXTS).ok_or_else(wrong)?;
                let votes = named(fields, &VOTES).map_or_else(|| json!(0), |votes| whole(&votes));
                Ok(json!({"text": plain(&told)?, "votes": votes}))
            })
            .collect(),
        Value::Object(fields) => {
            Ok(fields.iter().map(|(text, votes)| json!({"text": text, "votes": whole(votes)})).collect())
        }
        _ => Err(wrong()),
    }
}

/// How far a poll has come, by the usual words.
pub(super) fn poll_state(value: &Value) -> Result<PollState, String> {
    let text = plain(value)?;
    match text::fold(&text).as_str() {
        "open" | "opened" | "active" | "running" | "begin" | "begun" | "start" | "started" | "progress" | "live"
        | "true" => Ok(PollState::Open),
        "closed" | "close" | "ended" | "end" | "completed" | "complete" | "finished" | "done" | "over" | "false" => {
            Ok(PollState::Closed)
        }
        "cancelled" | "canceled" | "cancel" | "aborted" | "withdrawn" | "deleted" => Ok(PollState::Cancelled),
        _ => Err(format!("is “{}”, which is neither open, closed nor cancelled", short(&text))),
    }
}

/// A tier by its word.
pub(super) fn tier(value: &Value, words: &BTreeMap<String, u8>) -> Result<Value, String> {
    let text = plain(value)?;
    let found = words.iter().find(|(word, _)| text::fold(word) == text::fold(&text));
    found.map(|(_, tier)| json!(tier)).ok_or_else(|| format!("is “{}”, for which no tier is named", short(&text)))
}

/// An amount as decimal text, and its currency where the text tells one.
pub(super) fn amount(
    value: &Value,
    reading: &Reading,
    currency: Option<Currency>,
) -> Result<(String, Option<Currency>), String> {
    let text = plain(value)?;
    let text = text.trim();
    match reading {
        Reading::Hundredths => {
            let number: Decimal = text.parse().map_err(|_| format!("is no whole number: “{}”", short(text)))?;
            let minor = Some(number).filter(|number| number.fract().is_zero()).and_then(|one| i64::try_from(one).ok());
            let minor = minor.ok_or_else(|| format!("is no whole number of sensible size: “{}”", short(text)))?;
            let currency = currency.ok_or("needs a currency, to know what its smallest unit is")?;
            Ok((Money { minor, currency }.to_plain(), None))
        }
        Reading::WithSign => {
            let (number, told) =
                with_sign(text).ok_or_else(|| format!("is no amount with a known currency: “{}”", short(text)))?;
            let decimals = told.or(currency).map_or(2, |currency| currency.decimals());
            let number = money::plain(&number, decimals).map_err(|error| error.to_string())?;
            Ok((number, told.filter(|_| currency.is_none())))
        }
        // 12.3 as a number of JSON is 12.30 of most currencies; the contract judges it.
        _ => match value {
            Value::Number(_) => Ok((text.parse::<Decimal>().map_or_else(|_| text.to_owned(), |n| n.to_string()), None)),
            _ => Ok((text.to_owned(), None)),
        },
    }
}

/// Splits a text into the number and the currency whose sign or code stands before or after it.
fn with_sign(text: &str) -> Option<(String, Option<Currency>)> {
    let number = |c: char| c.is_ascii_digit() || matches!(c, '.' | ',' | '\'' | '-' | ' ' | '\u{a0}' | '\u{202f}');
    let digits = text.trim_matches(|c: char| !c.is_ascii_digit() && c != '-').trim();
    if digits.is_empty() || !digits.chars().all(number) {
        return None;
    }
    let sign = text.replacen(digits, "", 1);
    let sign = sign.trim();
    if sign.is_empty() {
        return Some((digits.to_owned(), None));
    }
    let currency = Currency::parse(&sign.to_uppercase()).ok().or_else(|| Currency::of_sign(sign))?;
    Some((digits.to_owned(), Some(currency)))
}

/// An instant.
pub(super) fn time(value: &Value, reading: &Reading, calendar: &Calendar) -> Result<Instant, String> {
    let text = plain(value)?;
    let text = text.trim();
    let unix = |per_second: i64| {
        let number: Decimal = text.parse().map_err(|_| format!("is no number: “{}”", short(text)))?;
        let us =
            number.checked_mul(Decimal::from(1_000_000 / per_second)).and_then(|us| i64::try_from(us.trunc()).ok());
        us.and_then(DateTime::<Utc>::from_timestamp_micros)
            .filter(|at| (1970..10_000).contains(&chrono::Datelike::year(at)))
            .ok_or_else(|| format!("lies beyond the calendar: “{}”", short(text)))
    };
    match reading {
        Reading::Seconds => unix(1),
        Reading::Milliseconds => unix(1_000),
        Reading::Local => {
            let local = local(text)
                .ok_or_else(|| format!("is no date and time such as 2026-11-24 19:30: “{}”", short(text)))?;
            Ok(calendar.instant(local))
        }
        _ => {
            let at = DateTime::parse_from_rfc3339(text)
                .map_err(|_| format!("is no instant by RFC 3339, such as 2026-11-24T19:30:00Z: “{}”", short(text)))?;
            Ok(at.with_timezone(&Utc).trunc_subsecs(6))
        }
    }
}

fn local(text: &str) -> Option<NaiveDateTime> {
    let whole_day = || NaiveDate::parse_from_str(text, "%Y-%m-%d").ok().and_then(|day| day.and_hms_opt(0, 0, 0));
    LOCAL.iter().find_map(|form| NaiveDateTime::parse_from_str(text, form).ok()).or_else(whole_day)
}

/// Whether a text is a date and time without a zone.
pub(super) fn is_local(text: &str) -> bool {
    local(text.trim()).is_some()
}

/// Whether a text tells an amount with its currency.
pub(super) fn tells_money(text: &str) -> bool {
    with_sign(text.trim()).is_some_and(|(_, currency)| currency.is_some())
}

/// A value as it is quoted.
pub(super) fn short(text: &str) -> String {
    text::tamed(text, 40)
}
