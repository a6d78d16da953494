//! Asking an address once while a feed is wired, to show what it answers.

use crate::outside::{Asked, Outside};
use crate::poll::{self, levels};
use crate::rates;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use serde_json::Value;
use std::collections::BTreeMap;

/// Most bytes of an answer that is shown.
const MOST_BYTES: usize = 256 * 1024;
/// Most places of it, and how deep they may lie.
const MOST_LEAVES: usize = 300;
const DEEPEST: usize = 12;
/// Most characters of a value.
const MOST_CHARS: usize = 60;

/// One place in an answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leaf {
    /// How deep it lies; 0 at the top.
    pub depth: usize,
    /// Its own name, or its number in a list.
    pub key: String,
    /// Where it lies: a JSON Pointer (RFC 6901).
    pub pointer: String,
    /// Its value, shortened; empty for one that holds others.
    pub shown: String,
    /// Whether a level can be read there.
    pub is_level: bool,
    /// Whether it is a list that holds something.
    pub is_list: bool,
    /// Whether it holds other values.
    pub holds: bool,
}

/// The places of a JSON answer, in its order.
///
/// # Errors
/// The address does not answer, or not in JSON; in words.
pub fn tree<'a>(
    url: &'a str,
    headers: &'a [(String, String)],
    outside: Outside,
) -> BoxFuture<'a, Result<Vec<Leaf>, String>> {
    async move {
        let body = ask(url, headers, outside, MOST_BYTES).await?;
        let answer: Value =
            serde_json::from_slice(&body).map_err(|error| format!("its answer is not JSON ({error})"))?;
        Ok(leaves(&answer))
    }
    .boxed()
}

/// What a table of exchange rates holds: for how many days, the newest day, and some of its rates.
///
/// # Errors
/// The address does not answer, or not with a table; in words.
pub fn table(url: &str, outside: Outside) -> BoxFuture<'_, Result<String, String>> {
    async move {
        let body = ask(url, &[], outside, rates::MOST_BYTES).await?;
        let read = tokio::task::spawn_blocking(move || {
            let text = std::str::from_utf8(&body).map_err(|_| "its answer is not UTF-8".to_owned())?;
            rates::parse(text).map_err(|error| error.to_string())
        });
        let days = read.await.unwrap_or_else(|error| Err(error.to_string()))?;
        let Some((day, table)) = days.last_key_value() else { return Err("its table holds no day".into()) };
        let some = table.iter().take(4).map(|(code, rate)| format!("{code} {rate}")).collect::<Vec<_>>().join(", ");
        Ok(format!("{} days, the newest {day}: 1 € is {some} and {} more", days.len(), table.len().saturating_sub(4)))
    }
    .boxed()
}

async fn ask(url: &str, headers: &[(String, String)], outside: Outside, most: usize) -> Result<Vec<u8>, String> {
    let asked = Asked::new(url, outside).map_err(|error| error.to_string())?;
    let mut asked = asked.with_headers(headers.to_vec());
    let body = asked.ask(most).await.map_err(|error| error.to_string())?;
    body.ok_or_else(|| "it says that nothing has changed, though it was asked for the first time".into())
}

/// The places of a JSON value, in its order.
#[must_use]
pub fn leaves(answer: &Value) -> Vec<Leaf> {
    let mut all = Vec::new();
    gather(answer, "", "", 0, &mut all);
    all
}

fn gather(value: &Value, key: &str, pointer: &str, depth: usize, into: &mut Vec<Leaf>) {
    if into.len() >= MOST_LEAVES || depth > DEEPEST {
        return;
    }
    let named: Vec<(String, &Value)> = match value {
        Value::Object(fields) => fields.iter().map(|(key, value)| (key.clone(), value)).collect(),
        Value::Array(items) => items.iter().enumerate().map(|(place, value)| (place.to_string(), value)).collect(),
        _ => Vec::new(),
    };
    let shown = match value {
        Value::Object(_) | Value::Array(_) => String::new(),
        Value::String(text) => text.chars().take(MOST_CHARS).collect(),
        other => other.to_string(),
    };
    // Whatever is offered can be read by the feed itself.
    let here = BTreeMap::from([(String::new(), String::new())]);
    let is_level =
        !shown.is_empty() && poll::pointer(pointer).is_ok() && levels(value.to_string().as_bytes(), &here).is_ok();
    if depth > 0 || named.is_empty() {
        into.push(Leaf {
            depth: depth.saturating_sub(1),
            key: key.to_owned(),
            pointer: pointer.to_owned(),
            shown,
            is_level,
            is_list: value.as_array().is_some_and(|items| !items.is_empty()),
            holds: !named.is_empty(),
        });
    }
    for (key, value) in named {
        gather(value, &key, &poll::within(pointer, &key), depth + 1, into);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    #[test]
    fn every_place_is_named_and_levels_are_what_the_feed_can_read() {
        let answer = json!({"stats": {"viewers": 213, "note/now": "live"}, "list": [1.5, "7", true]});
        let told: Vec<(usize, String, String, bool)> =
            leaves(&answer).into_iter().map(|one| (one.depth, one.pointer, one.shown, one.is_level)).collect();
        let expected = [
            (0, "/list", "", false),
            (1, "/list/0", "1.5", true),
            (1, "/list/1", "7", true),
            (1, "/list/2", "true", false),
            (0, "/stats", "", false),
            (1, "/stats/note~1now", "live", false),
            (1, "/stats/viewers", "213", true),
        ];
        let expected: Vec<_> =
            expected.map(|(depth, at, shown, is)| (depth, at.to_owned(), shown.to_owned(), is)).into();
        assert_eq!(told, expected);
        assert_eq!(leaves(&json!(7))[0].pointer, "", "a number alone is one place");
    }

    proptest! {
        #[test]
        fn no_answer_makes_it_panic(text in "[\\[\\]{}\":,a1./~ ]{0,80}") {
            if let Ok(answer) = serde_json::from_str::<Value>(&text) {
                for leaf in leaves(&answer) {
                    prop_assert!(answer.pointer(&leaf.pointer).is_some());
                }
            }
        }
    }
}
