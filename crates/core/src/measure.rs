//! What can be counted, and how much one happening adds to it.

use crate::happening::{Happening, Kind};
use crate::money::{Currency, Money, group};
use serde::{Deserialize, Serialize};

/// What a widget counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Measure {
    /// Money tipped, in the channel's base currency.
    AmountOfTips,
    /// One for every follow.
    CountOfFollows,
    /// The weight of each subscription's tier, see [`Weights`].
    SubscriberWeight,
}

/// How much a subscription of each tier weighs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Weights(pub [u16; 3]);

impl Default for Weights {
    fn default() -> Self {
        Self([1, 2, 5])
    }
}

/// In what a measure is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unit {
    /// Minor units of this currency.
    Money(Currency),
    /// Whole things.
    Things,
}

impl Unit {
    /// The number as people read it: `£212.50`, `1,204`.
    #[must_use]
    pub fn show(self, value: i64) -> String {
        match self {
            Self::Money(currency) => Money { minor: value, currency }.to_string(),
            Self::Things if value < 0 => format!("−{}", group(value.unsigned_abs())),
            Self::Things => group(value.unsigned_abs()),
        }
    }

    /// The number as typed into a field: `212.50`, `1204`.
    #[must_use]
    pub fn plain(self, value: i64) -> String {
        match self {
            Self::Money(currency) => {
                let text = Money { minor: value, currency }.to_plain();
                let bare = text.split_once('.').filter(|(_, rest)| rest.bytes().all(|b| b == b'0'));
                bare.map_or(text.clone(), |(whole, _)| whole.to_owned())
            }
            Self::Things => value.to_string(),
        }
    }

    /// How many of the smallest steps make one whole: 100 for pounds, 1 for things.
    #[must_use]
    pub fn whole(self) -> i64 {
        match self {
            Self::Money(currency) => 10_i64.pow(u32::from(currency.decimals())),
            Self::Things => 1,
        }
    }
}

/// What one happening comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Worth {
    /// It adds this much.
    Adds(i64),
    /// It is of another kind.
    OtherKind,
    /// It is money in a currency for which there is no rate.
    Unpriced(Currency),
}

impl Measure {
    /// All measures, in the order in which they are offered.
    pub const ALL: [Self; 3] = [Self::AmountOfTips, Self::CountOfFollows, Self::SubscriberWeight];

    /// The word for definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::AmountOfTips => "amount_of_tips",
            Self::CountOfFollows => "count_of_follows",
            Self::SubscriberWeight => "subscriber_weight",
        }
    }

    /// The words in a sentence.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::AmountOfTips => "tips",
            Self::CountOfFollows => "follows",
            Self::SubscriberWeight => "subscribers by weight",
        }
    }

    /// The kind of happening that it counts.
    #[must_use]
    pub fn kind(self) -> Kind {
        match self {
            Self::AmountOfTips => Kind::Tip,
            Self::CountOfFollows => Kind::Follow,
            Self::SubscriberWeight => Kind::Sub,
        }
    }

    /// In what it is told, for a channel with this base currency.
    #[must_use]
    pub fn unit(self, base: Currency) -> Unit {
        match self {
            Self::AmountOfTips => Unit::Money(base),
            Self::CountOfFollows | Self::SubscriberWeight => Unit::Things,
        }
    }

    /// What a happening adds.
    #[must_use]
    pub fn worth(self, happening: &Happening, base: Currency, weights: Weights) -> Worth {
        match (self, happening) {
            (Self::AmountOfTips, Happening::Tip { amount, .. }) if amount.currency == base => Worth::Adds(amount.minor),
            (Self::AmountOfTips, Happening::Tip { amount, .. }) => Worth::Unpriced(amount.currency),
            (Self::CountOfFollows, Happening::Follow { .. }) => Worth::Adds(1),
            (Self::SubscriberWeight, Happening::Sub { tier, .. }) => Worth::Adds(i64::from(weights.0[tier.index()])),
            _ => Worth::OtherKind,
        }
    }
}
