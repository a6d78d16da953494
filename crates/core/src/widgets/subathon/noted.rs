//! Which happenings bear on a subathon, so small that years of them are kept: each as its difference from the one before, in Postcard's
//! variable lengths. That makes about eight bytes of each.

use crate::book::instant;
use crate::record::ids::Seq;
use crate::time::Instant;
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde::{Deserialize, Deserializer, Serialize, Serializer, de};

/// A happening that may bear on the clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Noted {
    pub seq: Seq,
    pub happened_at: Instant,
    /// When it arrived, in milliseconds of Unix time.
    pub arrived: i64,
}

/// The line, when it happened in microseconds and when it arrived in milliseconds.
type Numbers = [i64; 3];

impl Noted {
    fn numbers(self) -> Numbers {
        [self.seq.0.cast_signed(), self.happened_at.timestamp_micros(), self.arrived]
    }

    fn of([seq, happened, arrived]: Numbers) -> Self {
        Self { seq: Seq(seq.cast_unsigned()), happened_at: instant(happened), arrived }
    }
}

/// All that were noted, in the order of their lines.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(super) struct NotedLines {
    last: Numbers,
    #[serde(serialize_with = "as_base64", deserialize_with = "from_base64")]
    bytes: Vec<u8>,
}

/// RFC 4648.
fn as_base64<S: Serializer>(bytes: &[u8], to: S) -> Result<S::Ok, S::Error> {
    to.serialize_str(&BASE64_STANDARD.encode(bytes))
}

fn from_base64<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<u8>, D::Error> {
    BASE64_STANDARD.decode(String::deserialize(from)?).map_err(de::Error::custom)
}

impl NotedLines {
    pub(super) fn push(&mut self, noted: Noted) {
        let new = noted.numbers();
        let difference: Numbers = std::array::from_fn(|place| new[place].wrapping_sub(self.last[place]));
        // Writing three numbers into memory fails for nothing.
        if let Ok(bytes) = postcard::to_extend(&difference, std::mem::take(&mut self.bytes)) {
            (self.bytes, self.last) = (bytes, new);
        }
    }

    pub(super) fn iter(&self) -> impl Iterator<Item = Noted> + '_ {
        let (mut rest, mut last) = (self.bytes.as_slice(), Numbers::default());
        std::iter::from_fn(move || {
            let (difference, after): (Numbers, _) = postcard::take_from_bytes(rest).ok()?;
            rest = after;
            last = std::array::from_fn(|place| last[place].wrapping_add(difference[place]));
            Some(Noted::of(last))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_was_noted_comes_back_after_writing_too(all in prop::collection::vec(
            (any::<u64>(), -8_000_000_000_000_000_i64..8_000_000_000_000_000, any::<i64>()), 0..40)) {
            let of = |(seq, happened, arrived): &(u64, i64, i64)| {
                Noted { seq: Seq(*seq), happened_at: instant(*happened), arrived: *arrived }
            };
            let mut lines = NotedLines::default();
            all.iter().map(of).for_each(|noted| lines.push(noted));
            let mut again: NotedLines = serde_json::from_str(&serde_json::to_string(&lines).unwrap()).unwrap();
            prop_assert_eq!(&again, &lines);
            let one_more = (7, 11, 13);
            again.push(of(&one_more));
            let expected: Vec<Noted> = all.iter().chain([&one_more]).map(of).collect();
            prop_assert_eq!(again.iter().collect::<Vec<_>>(), expected);
        }
    }

    #[test]
    fn a_busy_year_is_small() {
        let mut lines = NotedLines::default();
        for number in 0..100_000_i64 {
            let arrived = 1_790_000_000_000 + number * 31_000;
            let happened_at = instant((arrived - 400 - number % 900) * 1_000);
            lines.push(Noted { seq: Seq(number.cast_unsigned() * 3), happened_at, arrived });
        }
        assert!(lines.bytes.len() < 900_000, "{}", lines.bytes.len());
    }
}
