//! Rules in words: where a value stands, and what is done with it.

use tally_feeds::mapping::fields::Shape;
use tally_store::mapping::{Condition, Reading, Source, Test};

/// Where a value stands, as people write it: `donor.nick`.
pub fn place(source: &Source) -> String {
    match source {
        Source::At(pointer) => from_top(pointer),
        Source::Item(pointer) if pointer.is_empty() => "the item".into(),
        Source::Item(pointer) => format!("item.{}", dotted(pointer)),
        Source::Always(text) => format!("“{text}”"),
    }
}

/// A place from the top of a message.
pub fn from_top(pointer: &str) -> String {
    let (first, rest) = pointer
        .strip_prefix('/')
        .unwrap_or(pointer)
        .split_once('/')
        .unwrap_or((pointer.strip_prefix('/').unwrap_or(pointer), ""));
    let rest = dotted(&format!("/{rest}"));
    match (first, rest.as_str()) {
        ("body" | "", "") => "the message".into(),
        ("body", rest) => rest.to_owned(),
        ("headers", rest) => format!("header {rest}"),
        ("query", rest) => format!("parameter {rest}"),
        ("event", _) => "the name of the event".into(),
        _ => dotted(pointer),
    }
}

fn dotted(pointer: &str) -> String {
    let parts = pointer.split('/').skip(1).map(|part| part.replace("~1", "/").replace("~0", "~"));
    parts.collect::<Vec<_>>().join(".")
}

/// A condition in words: what must be so, without where.
pub fn test(condition: &Condition) -> String {
    match &condition.test {
        Test::Is(text) => format!("is “{text}”"),
        Test::OneOf(texts) => format!("is one of “{}”", texts.join("”, “")),
        Test::Present(true) => "is there".into(),
        Test::Present(false) => "is not there".into(),
        Test::Matches(pattern) => format!("matches {pattern}"),
    }
}

/// The key of a test in a form.
pub fn test_key(test: &Test) -> &'static str {
    match test {
        Test::Is(_) => "is",
        Test::OneOf(_) => "one_of",
        Test::Present(true) => "present",
        Test::Present(false) => "absent",
        Test::Matches(_) => "matches",
    }
}

/// What is typed for a test.
pub fn test_text(test: &Test) -> String {
    match test {
        Test::Is(text) | Test::Matches(text) => text.clone(),
        Test::OneOf(texts) => texts.join(", "),
        Test::Present(_) => String::new(),
    }
}

/// Ways of reading a value of a shape: the key, and the words after the place.
pub fn readings(shape: Shape) -> &'static [(&'static str, &'static str)] {
    match shape {
        Shape::Amount => &[
            ("plain", "as it is written, such as 12.50"),
            ("hundredths", "in hundredths"),
            ("with_sign", "with its currency in the same text"),
        ],
        Shape::Time => &[
            ("plain", "by RFC 3339, such as 2026-11-24T19:30:00Z"),
            ("seconds", "in seconds since 1970"),
            ("milliseconds", "in milliseconds since 1970"),
            ("local", "without a zone, by the channel's clock"),
        ],
        Shape::Tier => &[("plain", "as a number, 1 to 3"), ("tiers", "by words, a tier for each")],
        _ => &[],
    }
}

/// The key of a reading in a form.
pub fn reading_key(reading: &Reading) -> &'static str {
    match reading {
        Reading::Plain => "plain",
        Reading::Hundredths => "hundredths",
        Reading::WithSign => "with_sign",
        Reading::Seconds => "seconds",
        Reading::Milliseconds => "milliseconds",
        Reading::Local => "local",
        Reading::Tiers(_) => "tiers",
    }
}

/// How a value is read, as it stands in a sentence; nothing where it stands as it is.
pub fn reading(reading: &Reading) -> String {
    match reading {
        Reading::Plain => String::new(),
        Reading::Hundredths => "in hundredths".into(),
        Reading::WithSign => "with its currency".into(),
        Reading::Seconds => "in seconds".into(),
        Reading::Milliseconds => "in milliseconds".into(),
        Reading::Local => "by the channel's clock".into(),
        Reading::Tiers(words) => {
            format!("({})", words.iter().map(|(word, tier)| format!("{word}: {tier}")).collect::<Vec<_>>().join(", "))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_read_like_paths() {
        for (pointer, words) in [
            ("/body/donor/nick", "donor.nick"),
            ("/body", "the message"),
            ("/headers/x-event", "header x-event"),
            ("/query/page", "parameter page"),
            ("/event", "the name of the event"),
            ("/body/a~1b/0", "a/b.0"),
        ] {
            assert_eq!(from_top(pointer), words, "{pointer}");
        }
        assert_eq!(place(&Source::Item("/1/who".into())), "item.1.who");
        assert_eq!(place(&Source::Always("GBP".into())), "“GBP”");
    }
}
