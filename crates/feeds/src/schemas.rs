//! The published JSON Schemas (draft 2020-12) of each event type's data.

use tally_core::record::happening::Kind;

/// The schema of a kind's data; none for what cannot be sent.
#[must_use]
pub fn of(kind: Kind) -> Option<&'static str> {
    Some(match kind {
        Kind::Follow => include_str!("../schemas/tally.follow.json"),
        Kind::Sub => include_str!("../schemas/tally.sub.json"),
        Kind::Gift => include_str!("../schemas/tally.gift.json"),
        Kind::Tip => include_str!("../schemas/tally.tip.json"),
        Kind::Cheer => include_str!("../schemas/tally.cheer.json"),
        Kind::Raid => include_str!("../schemas/tally.raid.json"),
        Kind::Reward => include_str!("../schemas/tally.reward.json"),
        Kind::Purchase => include_str!("../schemas/tally.purchase.json"),
        Kind::Gauge => include_str!("../schemas/tally.gauge.json"),
        Kind::Stat => include_str!("../schemas/tally.stat.json"),
        Kind::Signal => include_str!("../schemas/tally.signal.json"),
        Kind::Command => include_str!("../schemas/tally.command.json"),
        Kind::Poll => include_str!("../schemas/tally.poll.json"),
        Kind::Adjust => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::data;
    use serde_json::Value;

    #[test]
    fn the_schemas_tell_what_the_parser_takes() {
        for kind in Kind::SENT {
            let schema: Value = serde_json::from_str(of(kind).unwrap()).unwrap();
            let event = format!("tally.{}", kind.key());
            assert_eq!(schema["$id"], format!("/schemas/{event}.json"));
            let example = &schema["examples"][0];
            let read = data::happening(&event, &example.into());
            assert_eq!(read.as_ref().map(|one| one.kind()), Ok(kind), "{read:?}");
            for required in schema["required"].as_array().unwrap() {
                let field = required.as_str().unwrap();
                let mut without = example.clone();
                without.as_object_mut().unwrap().remove(field);
                let refused = data::happening(&event, &(&without).into()).unwrap_err();
                assert_eq!(refused.pointer, format!("/data/{field}"), "{event}");
            }
            for (field, shape) in schema["properties"].as_object().unwrap() {
                assert!(example.get(field).is_some(), "{event}: the example shows every field, {field} too");
                let mut wrong = example.clone();
                wrong[field] = if shape["type"] == "string" { Value::from(7) } else { Value::from("x") };
                let refused = data::happening(&event, &(&wrong).into()).unwrap_err();
                assert_eq!(refused.pointer, format!("/data/{field}"), "{event}");
            }
        }
    }
}
