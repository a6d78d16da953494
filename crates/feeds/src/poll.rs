//! Picking numbers out of a JSON answer by JSON Pointer (RFC 6901).

use serde_json::Value;
use std::collections::BTreeMap;

/// The largest level, either way.
const MOST: i64 = 1_000_000_000_000;

/// The levels that an answer tells: each by its name, at its pointer.
///
/// # Errors
/// Not JSON, nothing at a pointer, or no number there; in words that say what to change.
pub fn levels(body: &[u8], pointers: &BTreeMap<String, String>) -> Result<BTreeMap<String, i64>, String> {
    let answer: Value = serde_json::from_slice(body).map_err(|error| format!("its answer is not JSON ({error})"))?;
    let level = |(name, pointer): (&String, &String)| {
        let value = answer.pointer(pointer).ok_or_else(|| format!("there is nothing at {pointer} in its answer"))?;
        let number = match value {
            Value::Number(number) => number.as_i64().or_else(|| number.as_f64().and_then(rounded)),
            Value::String(text) => text.trim().parse().ok(),
            _ => None,
        };
        let number = number.filter(|number| (-MOST..=MOST).contains(number));
        Ok((
            name.clone(),
            number.ok_or_else(|| format!("what stands at {pointer} is no whole number of sensible size"))?,
        ))
    };
    pointers.iter().map(level).collect()
}

#[allow(clippy::cast_possible_truncation, reason = "the bounds are checked first")]
fn rounded(number: f64) -> Option<i64> {
    (number.abs() < 1e15).then(|| number.round() as i64)
}

/// The pointer of a value by its name within what stands at another (RFC 6901, section 3).
#[must_use]
pub fn within(pointer: &str, name: &str) -> String {
    format!("{pointer}/{}", name.replace('~', "~0").replace('/', "~1"))
}

/// Checks a pointer as it is typed in.
///
/// # Errors
/// What to write instead.
pub fn pointer(text: &str) -> Result<String, String> {
    let text = text.trim();
    if text.is_empty() || (text.starts_with('/') && text.len() <= 200 && !text.chars().any(char::is_control)) {
        return Ok(text.to_owned());
    }
    Err("must be a JSON Pointer such as /stats/viewers, beginning with a slash".into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn pointers(list: &[(&str, &str)]) -> BTreeMap<String, String> {
        list.iter().map(|(name, pointer)| ((*name).to_owned(), (*pointer).to_owned())).collect()
    }

    #[test]
    fn numbers_are_picked_where_the_pointers_say() {
        let body = br#"{"stats": {"viewers": 312, "a/b": ["x", "1004"]}, "load": 0.6}"#;
        let found = levels(
            body,
            &pointers(&[("viewers", "/stats/viewers"), ("followers", "/stats/a~1b/1"), ("load", "/load")]),
        );
        assert_eq!(found, Ok([("followers".into(), 1_004), ("load".into(), 1), ("viewers".into(), 312)].into()));
        let refused = |body: &[u8], pointer| levels(body, &pointers(&[("x", pointer)])).unwrap_err();
        assert!(refused(body, "/stats/likes").contains("nothing at /stats/likes"));
        assert!(refused(body, "/stats").contains("no whole number"));
        assert!(refused(b"<html>", "/x").contains("not JSON"));
        let digits = format!("{{\"x\": {}}}", "9".repeat(400));
        assert!(!refused(digits.as_bytes(), "/x").is_empty());
        assert!(refused(b"{\"x\": 1e300}", "/x").contains("sensible size"));
        assert!(pointer("stats").is_err());
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(body in prop::collection::vec(any::<u8>(), 0..200), at in ".*") {
            let _ = levels(&body, &pointers(&[("x", &at)]));
        }
    }
}
