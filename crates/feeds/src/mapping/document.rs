//! A delivery as a document: one JSON value whatever came in, so that a JSON Pointer can say where anything
//! stands. The message itself is at `/body`; beside it stand the query and the headers of a request, or the
//! event's name of a stream.

use percent_encoding::percent_decode_str;
use serde_json::{Map, Value, json};

/// Most bytes of a document that is kept.
pub const MOST_KEPT: usize = 64 * 1024;
/// What stands in place of a secret.
const MASKED: &str = "•••";
/// Parts of names whose values are secrets.
const SECRET: [&str; 8] = ["auth", "cookie", "token", "secret", "signature", "password", "-key", "apikey"];
/// Headers that say how something was sent, not what.
const NOISE: [&str; 12] = [
    "accept",
    "accept-encoding",
    "accept-language",
    "connection",
    "content-length",
    "content-type",
    "host",
    "transfer-encoding",
    "user-agent",
    "x-forwarded-for",
    "x-forwarded-host",
    "x-forwarded-proto",
];

/// Whether a header or a parameter of this name holds a secret.
fn is_secret(name: &str) -> bool {
    let name = name.to_ascii_lowercase().replace('_', "-");
    SECRET.iter().any(|part| name.contains(part))
}

/// What a request brought.
#[derive(Debug, Clone, Copy)]
pub struct Request<'a> {
    /// Its headers, names in small letters.
    pub headers: &'a [(String, String)],
    /// The query of its address.
    pub query: &'a str,
    /// Its body.
    pub body: &'a [u8],
}

impl Request<'_> {
    /// A header.
    #[must_use]
    pub fn header(&self, name: &str) -> Option<&str> {
        let name = name.trim().to_ascii_lowercase();
        self.headers.iter().find(|(own, _)| *own == name).map(|(_, value)| value.as_str())
    }

    /// A parameter of the query.
    #[must_use]
    pub fn parameter(&self, name: &str) -> Option<String> {
        pairs(self.query).find(|(own, _)| own == name).map(|(_, value)| value)
    }
}

/// The document of a request. It still holds what its sender proves itself by, see [`mask`].
///
/// # Errors
/// The body is neither JSON nor form fields; a sentence.
pub fn of_request(request: &Request<'_>) -> Result<Value, String> {
    let content_type = request.header("content-type").unwrap_or_default();
    let essence = content_type.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
    let body = match essence.as_str() {
        _ if request.body.is_empty() => Value::Null,
        "application/x-www-form-urlencoded" => form(std::str::from_utf8(request.body).map_err(|_| not_utf8())?),
        "multipart/form-data" => {
            return Err("It came as multipart form data; let the service send JSON or plain form fields.".into());
        }
        _ => json_of(request.body)?,
    };
    let told = request.headers.iter().filter(|(name, _)| !NOISE.contains(&name.as_str()));
    let headers: Map<String, Value> = told.map(|(name, value)| (name.clone(), json!(value))).collect();
    let mut document = Map::new();
    document.insert("body".into(), body);
    for (name, value) in [("query", form(request.query)), ("headers", Value::Object(headers))] {
        if value.as_object().is_some_and(|fields| !fields.is_empty()) {
            document.insert(name.into(), value);
        }
    }
    Ok(Value::Object(document))
}

/// Hides what looks like a secret in headers and query, and there and at the top of the body whatever has a name
/// by which the sender is known.
pub fn mask(document: &mut Value, proof: &[&str]) {
    for place in ["body", "query", "headers"] {
        let Some(fields) = document.get_mut(place).and_then(Value::as_object_mut) else { continue };
        for (name, value) in fields.iter_mut() {
            let is_proof = proof.iter().any(|one| one.eq_ignore_ascii_case(name));
            if is_proof || (place != "body" && is_secret(name)) {
                *value = json!(MASKED);
            }
        }
    }
}

/// The document of a message of a stream, or of an item of a list.
///
/// # Errors
/// It is no JSON; a sentence.
pub fn of_message(message: &[u8], event: Option<&str>) -> Result<Value, String> {
    let body = json_of(message)?;
    Ok(match event {
        Some(event) => json!({"body": body, "event": event}),
        None => json!({"body": body}),
    })
}

/// The document of an item of a list.
#[must_use]
pub fn of_item(item: &Value) -> Value {
    json!({ "body": item })
}

fn not_utf8() -> String {
    "It is not UTF-8; let the service send its text so.".into()
}

/// Reads JSON and says in plain words what is wrong with it.
pub(super) fn json_of(bytes: &[u8]) -> Result<Value, String> {
    let text = std::str::from_utf8(bytes).map_err(|_| not_utf8())?;
    serde_json::from_str(text.trim_start_matches('\u{feff}')).map_err(|error| {
        let why = error.to_string();
        if why.starts_with("recursion limit") {
            "Its values lie more than 128 deep, and nobody reads so far down.".into()
        } else {
            format!("It is not JSON: {why}.")
        }
    })
}

/// Names and values as a form or a query has them.
fn pairs(text: &str) -> impl Iterator<Item = (String, String)> {
    let decoded = |part: &str| percent_decode_str(&part.replace('+', " ")).decode_utf8_lossy().into_owned();
    let pairs = text.split('&').filter(|pair| !pair.is_empty());
    pairs
        .map(|pair| pair.split_once('=').unwrap_or((pair, "")))
        .map(move |(name, value)| (decoded(name), decoded(value)))
}

/// Form fields. One that comes several times is a list; one that holds JSON is read.
fn form(text: &str) -> Value {
    let mut fields: Map<String, Value> = Map::new();
    for (name, value) in pairs(text).take(1_000) {
        let looks_json = value.starts_with(['{', '[']);
        let value = looks_json.then(|| json_of(value.as_bytes()).ok()).flatten().unwrap_or(Value::String(value));
        match fields.get_mut(&name) {
            None => {
                fields.insert(name, value);
            }
            Some(Value::Array(all)) => all.push(value),
            Some(one) => *one = Value::Array(vec![one.take(), value]),
        }
    }
    Value::Object(fields)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn read(content_type: &str, query: &str, more: &[(&str, &str)], body: &[u8]) -> Result<Value, String> {
        let all = [&[("content-type", content_type)], more].concat();
        let headers: Vec<_> = all.into_iter().map(|(name, value)| (name.to_owned(), value.to_owned())).collect();
        of_request(&Request { headers: &headers, query, body })
    }

    #[test]
    fn json_and_forms_become_documents_and_secrets_do_not() {
        let headers = [
            ("x-event", "sale"),
            ("x-shop-signature", "abc"),
            ("authorization", "Bearer abc"),
            ("user-agent", "shop/1"),
            ("x-pass", "hunter2"),
        ];
        let body = br#"{"ref": "7", "key_for_us": "hunter2"}"#;
        let mut whole = read("application/json", "token=abc&page=2", &headers, body).unwrap();
        mask(&mut whole, &["key_for_us", "X-Pass"]);
        assert_eq!(
            whole,
            json!({
                "body": {"ref": "7", "key_for_us": "•••"},
                "query": {"token": "•••", "page": "2"},
                "headers": {"x-event": "sale", "x-shop-signature": "•••", "authorization": "•••", "x-pass": "•••"},
            })
        );
        let form = read(
            "application/x-www-form-urlencoded; charset=utf-8",
            "",
            &[],
            b"who=Ada+L&sum=12%2C50&thing=mug&thing=cap&data=%7B%22a%22%3A1%7D",
        );
        let expected = json!({"who": "Ada L", "sum": "12,50", "thing": ["mug", "cap"], "data": {"a": 1}});
        assert_eq!(form.unwrap()["body"], expected);
        assert_eq!(read("", "", &[], b"").unwrap(), json!({"body": null}), "a plain GET");
    }

    #[test]
    fn what_cannot_be_read_is_told_in_words() {
        let deep = format!("{}1{}", "[".repeat(200), "]".repeat(200));
        let digits = "9".repeat(400);
        for (body, said) in [
            (deep.as_bytes(), "128 deep"),
            (digits.as_bytes(), "not JSON: number out of range"),
            (br#"{"a": "\ud800"}"#, "not JSON"),
            (b"\xff\xfe", "not UTF-8"),
            (b"{", "not JSON"),
        ] {
            let why = of_message(body, None).unwrap_err();
            assert!(why.contains(said), "{why}");
        }
        assert_eq!(of_message(br#"{"a": 1, "a": 2}"#, Some("x")).unwrap(), json!({"body": {"a": 2}, "event": "x"}));
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(body in prop::collection::vec(any::<u8>(), 0..200), query in ".{0,40}") {
            for content_type in ["", "application/json", "application/x-www-form-urlencoded", "multipart/form-data"] {
                let _ = read(content_type, &query, &[], &body).map(|mut document| mask(&mut document, &["a"]));
            }
        }
    }
}
