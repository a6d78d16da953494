//! How a channel reckons.

use super::happening::Tier;
use crate::money::Currency;
use crate::time::Instant;
use crate::time::calendar::Calendar;
use serde::{Deserialize, Serialize};

/// What all widgets of a channel share.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Settings {
    /// Base currency: everything in money is told in it.
    pub currency: Currency,
    /// Local time.
    pub calendar: Calendar,
    /// How much a subscription of each tier weighs.
    pub weights: Weights,
}

/// How much a subscription of each tier weighs, and since when: the owner may change it for the
/// future only, or throughout.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Weights(Vec<(i64, [u16; 3])>);

impl Default for Weights {
    fn default() -> Self {
        Self::throughout([1, 2, 5])
    }
}

impl Weights {
    /// The same weights at all times.
    #[must_use]
    pub fn throughout(weights: [u16; 3]) -> Self {
        Self(vec![(i64::MIN, weights)])
    }

    /// These weights from an instant on.
    #[must_use]
    pub fn then(mut self, from: Instant, weights: [u16; 3]) -> Self {
        let from = from.timestamp_micros();
        self.0.retain(|(since, _)| *since < from);
        self.0.push((from, weights));
        self
    }

    /// The newest weights.
    #[must_use]
    pub fn newest(&self) -> [u16; 3] {
        self.0.last().map_or([1, 2, 5], |(_, weights)| *weights)
    }

    /// The weight of a tier at a time, in microseconds of Unix time.
    #[must_use]
    pub fn at(&self, at: i64, tier: Tier) -> i64 {
        let weights = self.0.iter().rev().find(|(since, _)| *since <= at).map_or([1, 2, 5], |(_, weights)| *weights);
        weights.get(usize::from(u8::from(tier)).wrapping_sub(1)).copied().map_or(0, i64::from)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn weights_change_for_the_future_or_throughout() {
        let at = |text: &str| text.parse::<Instant>().unwrap();
        let change = at("2026-11-20T05:00:00Z");
        let weights = Weights::default().then(change, [2, 3, 4]);
        let on = |weights: &Weights, text: &str, tier: u8| {
            weights.at(at(text).timestamp_micros(), Tier::try_from(tier).unwrap())
        };
        assert_eq!(on(&weights, "2026-11-20T04:59:59Z", 3), 5);
        assert_eq!(on(&weights, "2026-11-20T05:00:00Z", 3), 4);
        assert_eq!(on(&Weights::throughout([7, 8, 9]), "1970-01-01T00:00:00Z", 2), 8);
        assert_eq!(weights.then(change, [1, 1, 1]).newest(), [1, 1, 1]);
    }
}
