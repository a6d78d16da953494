//! CloudEvents 1.0 in its JSON format: structured, batched and binary content mode.

use crate::Problem;
use crate::data;
use chrono::{DateTime, SubsecRound, TimeDelta, Utc};
use percent_encoding::percent_decode_str;
use serde_json_borrow::{ObjectAsVec, Value};
use sha2::{Digest, Sha256};
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::{Actor, Happening};
use tally_core::time::Instant;

/// Most events in a batch.
pub const MOST_EVENTS: usize = 1_000;
/// Most subscriptions for which the gifts of one delivery stand.
pub const MOST_EXPANDED: usize = 2_000;
/// Most characters of `id` and of `source`.
pub(crate) const MOST_ORIGIN: usize = 255;
/// How far ahead of now an event may lie.
pub(crate) const MOST_AHEAD: TimeDelta = TimeDelta::hours(24);

/// How the events stand in a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// `application/cloudevents+json`: one event, its data inside.
    Structured,
    /// `application/cloudevents-batch+json`: an array of such.
    Batch,
    /// `application/json`: attributes in `ce-` headers, the body is the data.
    Binary,
}

impl Mode {
    /// The mode that a content type asks for; none if it is not one of ours.
    #[must_use]
    pub fn of(content_type: &str) -> Option<Self> {
        let (essence, parameters) = content_type.split_once(';').unwrap_or((content_type, ""));
        let charset = parameters.trim().to_ascii_lowercase();
        if charset.starts_with("charset=") && charset.trim_start_matches("charset=").trim_matches('"') != "utf-8" {
            return None;
        }
        match essence.trim().to_ascii_lowercase().as_str() {
            "application/cloudevents+json" => Some(Self::Structured),
            "application/cloudevents-batch+json" => Some(Self::Batch),
            "application/json" => Some(Self::Binary),
            _ => None,
        }
    }
}

/// Reads the events of a request. `attributes` are the `ce-` headers without that prefix, in small
/// letters; they matter in binary mode only.
///
/// # Errors
/// The first broken rule. All of a batch is well or nothing is.
pub fn parse(mode: Mode, attributes: &[(String, String)], body: &[u8], now: Instant) -> Result<Vec<Incoming>, Problem> {
    let value: Value<'_> =
        serde_json::from_slice(body).map_err(|error| Problem::new("", format!("The body is not JSON: {error}.")))?;
    match (mode, &value) {
        (Mode::Structured, Value::Object(event)) => Ok(vec![one(event, event.get("data"), now)?]),
        (Mode::Structured, _) => Err(Problem::new("", "The body must be one event, a JSON object.")),
        (Mode::Batch, Value::Array(events)) => batch(events, now),
        (Mode::Batch, _) => Err(Problem::new("", "The body of a batch must be a JSON array of events.")),
        (Mode::Binary, data) => {
            let mut named: Vec<(&str, Value<'_>)> = Vec::with_capacity(attributes.len());
            for (name, value) in attributes {
                let value = percent_decode_str(value)
                    .decode_utf8()
                    .map_err(|_| Problem::new(format!("/{name}"), format!("The header ce-{name} is not UTF-8.")))?;
                named.push((name, value.into_owned().into()));
            }
            Ok(vec![one(&named.into(), Some(data), now)?])
        }
    }
}

/// Adds to each gift the subscriptions that it stands for, for services that send only the gift.
/// Each has an origin of its own, so that a second delivery finds all of them known.
///
/// # Errors
/// Gifts of more than [`MOST_EXPANDED`] subscriptions in one delivery.
pub fn expand_gifts(events: Vec<Incoming>) -> Result<Vec<Incoming>, Problem> {
    let mut all = Vec::with_capacity(events.len());
    let mut expanded = 0_usize;
    for (index, event) in events.into_iter().enumerate() {
        if let Happening::Gift { actor, tier, count } = &event.happening {
            expanded = expanded.saturating_add(*count as usize);
            if expanded > MOST_EXPANDED {
                let detail = format!(
                    "This feed expands gifts, and takes at most {MOST_EXPANDED} subscriptions in one delivery; send the rest in another."
                );
                return Err(Problem::new("/data/count", detail).in_event(index));
            }
            let stem = stem(&event.origin.id);
            for number in 1..=*count {
                let id = format!("{stem}#{number}");
                all.push(Incoming {
                    origin: Origin { source: event.origin.source.clone(), id },
                    happened_at: event.happened_at,
                    happening: Happening::Sub {
                        actor: Actor { id: None, name: "Somebody".into(), avatar: None, anonymous: true },
                        tier: *tier,
                        months: None,
                        message: None,
                        gifted_by: Some(actor.clone()),
                    },
                });
            }
        }
        all.push(event);
    }
    Ok(all)
}

/// An id, short enough that a number can stand behind it. A long one is told apart by its digest.
fn stem(id: &str) -> String {
    const LONGEST: usize = 240;
    if id.chars().count() <= LONGEST {
        return id.to_owned();
    }
    let digest: String = Sha256::digest(id.as_bytes()).iter().take(8).map(|byte| format!("{byte:02x}")).collect();
    format!("{}~{digest}", id.chars().take(LONGEST - 17).collect::<String>())
}

fn batch(events: &[Value<'_>], now: Instant) -> Result<Vec<Incoming>, Problem> {
    if events.len() > MOST_EVENTS {
        let detail = format!("A batch holds at most {MOST_EVENTS} events; this one has {}.", events.len());
        return Err(Problem::new("", detail));
    }
    let read = |(index, event): (usize, &Value<'_>)| match event {
        Value::Object(event) => one(event, event.get("data"), now).map_err(|problem| problem.in_event(index)),
        _ => Err(Problem::new("", "An event must be a JSON object.").in_event(index)),
    };
    events.iter().enumerate().map(read).collect()
}

fn one(event: &ObjectAsVec<'_>, data: Option<&Value<'_>>, now: Instant) -> Result<Incoming, Problem> {
    if event.get("specversion").and_then(Value::as_str) != Some("1.0") {
        return Err(Problem::new("/specversion", "The specversion must be \"1.0\"."));
    }
    let origin = Origin { source: origin_part(event, "source")?, id: origin_part(event, "id")? };
    let content = event.get("datacontenttype").and_then(Value::as_str).unwrap_or("application/json");
    if content.split(';').next().is_none_or(|essence| essence.trim() != "application/json") {
        return Err(Problem::new("/datacontenttype", "The datacontenttype must be application/json."));
    }
    let happened_at = match event.get("time") {
        None | Some(Value::Null) => None,
        Some(time) => Some(instant(time, now)?),
    };
    let kind = event.get("type").and_then(Value::as_str).unwrap_or_default();
    Ok(Incoming { origin, happened_at, happening: data::happening(kind, data.unwrap_or(&Value::Null))? })
}

fn origin_part(event: &ObjectAsVec<'_>, name: &str) -> Result<String, Problem> {
    let refuse = |why: &str| Problem::new(format!("/{name}"), format!("The {name} {why}."));
    let text = event.get(name).and_then(Value::as_str).ok_or_else(|| refuse("is missing; send a text"))?;
    if text.trim().is_empty() {
        return Err(refuse("is empty"));
    }
    if text.chars().count() > MOST_ORIGIN {
        return Err(refuse("is longer than 255 characters"));
    }
    if text.chars().any(char::is_control) {
        return Err(refuse("contains a control character"));
    }
    Ok(text.to_owned())
}

fn instant(time: &Value<'_>, now: Instant) -> Result<Instant, Problem> {
    let at = time
        .as_str()
        .and_then(|text| DateTime::parse_from_rfc3339(text).ok())
        .ok_or_else(|| Problem::new("/time", "The time must be as RFC 3339 has it, such as 2026-11-24T19:30:00Z."))?
        .with_timezone(&Utc)
        .trunc_subsecs(6);
    if at > now + MOST_AHEAD {
        return Err(Problem::new("/time", "The time lies more than 24 hours in the future; check your clock."));
    }
    Ok(at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::{Value, json};

    fn now() -> Instant {
        "2026-11-24T19:00:00Z".parse().unwrap()
    }

    fn event(change: impl FnOnce(&mut Value)) -> Vec<u8> {
        let mut event = json!({
            "specversion": "1.0", "id": "t-1", "source": "/tip-jar", "type": "tally.tip",
            "time": "2026-11-24T18:59:58.123456789+00:00",
            "data": {"actor": {"id": "7", "name": "pinecone_ade"}, "amount": "12.50", "currency": "GBP"},
        });
        change(&mut event);
        serde_json::to_vec(&event).unwrap()
    }

    fn refused(change: impl FnOnce(&mut Value)) -> Problem {
        parse(Mode::Structured, &[], &event(change), now()).unwrap_err()
    }

    #[test]
    fn all_three_modes_give_the_same_event() {
        let structured = parse(Mode::Structured, &[], &event(|_| {}), now()).unwrap();
        let batch = [b"[".as_slice(), &event(|_| {}), b"]"].concat();
        assert_eq!(parse(Mode::Batch, &[], &batch, now()).unwrap(), structured);
        let headers = [
            ("specversion", "1.0"),
            ("id", "t%2D1"),
            ("source", "/tip-jar"),
            ("type", "tally.tip"),
            ("time", "2026-11-24T18:59:58.123456Z"),
        ];
        let headers: Vec<_> = headers.iter().map(|(n, v)| ((*n).to_owned(), (*v).to_owned())).collect();
        let body = br#"{"actor": {"id": "7", "name": "pinecone_ade"}, "amount": "12.50", "currency": "GBP"}"#;
        assert_eq!(parse(Mode::Binary, &headers, body, now()).unwrap(), structured);
        assert_eq!(structured[0].happened_at.unwrap().timestamp_subsec_nanos(), 123_456_000);
    }

    #[test]
    fn content_types() {
        assert_eq!(Mode::of("application/cloudevents+json; charset=UTF-8"), Some(Mode::Structured));
        assert_eq!(Mode::of("Application/CloudEvents-Batch+JSON"), Some(Mode::Batch));
        assert_eq!(Mode::of("application/json"), Some(Mode::Binary));
        for other in ["", "text/plain", "application/cloudevents+xml", "application/json; charset=latin1"] {
            assert_eq!(Mode::of(other), None, "{other}");
        }
    }

    #[test]
    fn attributes_that_break_a_rule_are_named() {
        assert_eq!(refused(|e| e["specversion"] = json!("0.3")).pointer, "/specversion");
        assert_eq!(refused(|e| e["id"] = json!("")).pointer, "/id");
        assert_eq!(refused(|e| e["id"] = json!(7)).pointer, "/id");
        assert_eq!(refused(|e| e["source"] = json!("s".repeat(256))).pointer, "/source");
        assert_eq!(refused(|e| e["source"] = json!("a\u{0}b")).pointer, "/source");
        assert_eq!(refused(|e| e["time"] = json!("yesterday")).pointer, "/time");
        assert_eq!(refused(|e| e["time"] = json!("2026-11-25T19:00:01Z")).pointer, "/time");
        assert_eq!(refused(|e| e["type"] = json!("tally.tips")).pointer, "/type");
        assert_eq!(refused(|e| e["type"] = json!("raid")).pointer, "/type");
        assert_eq!(refused(|e| e["datacontenttype"] = json!("text/xml")).pointer, "/datacontenttype");
        assert_eq!(refused(|e| e["data"] = json!([])).pointer, "/data");
        let old = parse(Mode::Structured, &[], &event(|e| e["time"] = json!("1999-01-01T00:00:00Z")), now());
        assert!(old.is_ok(), "the past is welcome");
    }

    #[test]
    fn a_batch_is_taken_whole_or_not_at_all() {
        let good = String::from_utf8(event(|_| {})).unwrap();
        let bad = String::from_utf8(event(|e| e["data"]["amount"] = json!("-1"))).unwrap();
        let problem = parse(Mode::Batch, &[], format!("[{good},{good},{bad}]").as_bytes(), now()).unwrap_err();
        assert_eq!((problem.index, problem.pointer.as_str()), (Some(2), "/data/amount"));
        let many = format!("[{}]", vec![good.as_str(); 1_001].join(","));
        assert!(parse(Mode::Batch, &[], many.as_bytes(), now()).is_err());
        assert_eq!(parse(Mode::Batch, &[], b"[]", now()), Ok(vec![]));
        assert!(parse(Mode::Batch, &[], good.as_bytes(), now()).is_err());
        assert!(parse(Mode::Structured, &[], b"[]", now()).is_err());
    }

    #[test]
    fn a_gift_can_stand_for_its_subscriptions() {
        let gift = |count| {
            event(|e| {
                e["type"] = json!("tally.gift");
                e["data"] = json!({"actor": {"name": "bram"}, "tier": 2, "count": count});
            })
        };
        let read = |count| parse(Mode::Structured, &[], &gift(count), now()).unwrap();
        let all = expand_gifts(read(3)).unwrap();
        let ids: Vec<&str> = all.iter().map(|one| one.origin.id.as_str()).collect();
        assert_eq!(ids, ["t-1#1", "t-1#2", "t-1#3", "t-1"]);
        assert_eq!(all[0].happening.words(), "Somebody was given a subscription by bram, tier 2");
        assert_eq!(expand_gifts(read(2_001)).unwrap_err().pointer, "/data/count");
        let many: Vec<Incoming> = (0..3).flat_map(|_| read(700)).collect();
        let error = expand_gifts(many).unwrap_err();
        assert_eq!((error.index, error.pointer.as_str()), (Some(2), "/data/count"), "all gifts of a delivery together");
        let long = |end: &str| stem(&("x".repeat(250) + end));
        assert!(long("a") != long("b") && long("a").chars().count() <= 240, "long ids stay apart");
        let tip = parse(Mode::Structured, &[], &event(|_| {}), now()).unwrap();
        assert_eq!(expand_gifts(tip.clone()).unwrap(), tip);
    }

    #[test]
    fn what_is_no_json_says_so() {
        let deep = "[".repeat(100_000);
        let digits = format!("{{\"n\": {}}}", "9".repeat(400));
        for body in ["", "{", "nul", deep.as_str(), digits.as_str(), "\u{feff}{}"] {
            assert!(parse(Mode::Structured, &[], body.as_bytes(), now()).is_err());
        }
        assert!(parse(Mode::Structured, &[], b"{\"id\": \"\xff\"}", now()).is_err());
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(body in prop::collection::vec(any::<u8>(), 0..300)) {
            for mode in [Mode::Structured, Mode::Batch, Mode::Binary] {
                let _ = parse(mode, &[("id".into(), "%ff".into())], &body, now());
            }
        }

        #[test]
        fn no_field_makes_it_panic(name in "id|source|time|type|data", text in ".*") {
            let _ = parse(Mode::Structured, &[], &event(|e| e[name.as_str()] = json!(text)), now());
        }

        #[test]
        fn no_data_makes_it_panic(
            field in "actor|amount|currency|message", text in ".*", number in any::<f64>(), as_number in any::<bool>(),
        ) {
            let value = if as_number { json!(number) } else { json!(text) };
            let _ = parse(Mode::Structured, &[], &event(|e| e["data"][field.as_str()] = value), now());
        }
    }
}
