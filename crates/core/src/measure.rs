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
    /// One for every tip, priced or not.
    CountOfTips,
    /// One for every follow.
    CountOfFollows,
    /// One for every subscription, given or not.
    CountOfSubs,
    /// One for every subscription in its first month.
    CountOfNewSubs,
    /// The weight of each subscription's tier, see [`Weights`].
    SubscriberWeight,
    /// Subscriptions given away, for their givers.
    CountOfGifts,
    /// Points cheered.
    PointsOfCheers,
    /// One for every cheer.
    CountOfCheers,
    /// Viewers who came with raids.
    ViewersOfRaids,
    /// One for every raid.
    CountOfRaids,
    /// One for every reward claimed.
    CountOfRewards,
    /// Money for purchases, in the channel's base currency.
    AmountOfPurchases,
    /// Things bought.
    CountOfPurchases,
    /// One for every signal.
    CountOfSignals,
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
    /// It is of another kind, or has nothing of what is counted.
    OtherKind,
    /// It is money in a currency for which there is no rate.
    Unpriced(Currency),
}

impl Measure {
    /// All measures, in the order in which they are offered.
    pub const ALL: [Self; 15] = [
        Self::AmountOfTips,
        Self::CountOfTips,
        Self::CountOfFollows,
        Self::CountOfSubs,
        Self::CountOfNewSubs,
        Self::SubscriberWeight,
        Self::CountOfGifts,
        Self::PointsOfCheers,
        Self::CountOfCheers,
        Self::ViewersOfRaids,
        Self::CountOfRaids,
        Self::CountOfRewards,
        Self::AmountOfPurchases,
        Self::CountOfPurchases,
        Self::CountOfSignals,
    ];

    /// The word for definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::AmountOfTips => "amount_of_tips",
            Self::CountOfTips => "count_of_tips",
            Self::CountOfFollows => "count_of_follows",
            Self::CountOfSubs => "count_of_subs",
            Self::CountOfNewSubs => "count_of_new_subs",
            Self::SubscriberWeight => "subscriber_weight",
            Self::CountOfGifts => "count_of_gifts",
            Self::PointsOfCheers => "points_of_cheers",
            Self::CountOfCheers => "count_of_cheers",
            Self::ViewersOfRaids => "viewers_of_raids",
            Self::CountOfRaids => "count_of_raids",
            Self::CountOfRewards => "count_of_rewards",
            Self::AmountOfPurchases => "amount_of_purchases",
            Self::CountOfPurchases => "count_of_purchases",
            Self::CountOfSignals => "count_of_signals",
        }
    }

    /// The words in a sentence.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::AmountOfTips => "tips",
            Self::CountOfTips => "the number of tips",
            Self::CountOfFollows => "follows",
            Self::CountOfSubs => "subscriptions",
            Self::CountOfNewSubs => "new subscriptions",
            Self::SubscriberWeight => "subscribers by weight",
            Self::CountOfGifts => "subscriptions given away",
            Self::PointsOfCheers => "points cheered",
            Self::CountOfCheers => "the number of cheers",
            Self::ViewersOfRaids => "viewers from raids",
            Self::CountOfRaids => "raids",
            Self::CountOfRewards => "rewards claimed",
            Self::AmountOfPurchases => "money for purchases",
            Self::CountOfPurchases => "things bought",
            Self::CountOfSignals => "signals",
        }
    }

    /// The kind of happening that it counts.
    #[must_use]
    pub fn kind(self) -> Kind {
        match self {
            Self::AmountOfTips | Self::CountOfTips => Kind::Tip,
            Self::CountOfFollows => Kind::Follow,
            Self::CountOfSubs | Self::CountOfNewSubs | Self::SubscriberWeight => Kind::Sub,
            Self::CountOfGifts => Kind::Gift,
            Self::PointsOfCheers | Self::CountOfCheers => Kind::Cheer,
            Self::ViewersOfRaids | Self::CountOfRaids => Kind::Raid,
            Self::CountOfRewards => Kind::Reward,
            Self::AmountOfPurchases | Self::CountOfPurchases => Kind::Purchase,
            Self::CountOfSignals => Kind::Signal,
        }
    }

    /// In what it is told, for a channel with this base currency.
    #[must_use]
    pub fn unit(self, base: Currency) -> Unit {
        match self {
            Self::AmountOfTips | Self::AmountOfPurchases => Unit::Money(base),
            _ => Unit::Things,
        }
    }

    /// What a happening adds.
    #[must_use]
    pub fn worth(self, happening: &Happening, base: Currency, weights: Weights) -> Worth {
        let of_money = |amount: &Money| {
            if amount.currency == base { Worth::Adds(amount.minor) } else { Worth::Unpriced(amount.currency) }
        };
        match (self, happening) {
            (Self::AmountOfTips, Happening::Tip { amount, .. }) => of_money(amount),
            (Self::CountOfTips, Happening::Tip { .. })
            | (Self::CountOfFollows, Happening::Follow { .. })
            | (Self::CountOfSubs, Happening::Sub { .. })
            | (Self::CountOfCheers, Happening::Cheer { .. })
            | (Self::CountOfRaids, Happening::Raid { .. })
            | (Self::CountOfRewards, Happening::Reward { .. })
            | (Self::CountOfSignals, Happening::Signal { .. }) => Worth::Adds(1),
            (Self::CountOfNewSubs, Happening::Sub { months, .. }) if months.unwrap_or(1) <= 1 => Worth::Adds(1),
            (Self::SubscriberWeight, Happening::Sub { tier, .. }) => Worth::Adds(i64::from(weights.0[tier.index()])),
            (Self::CountOfGifts, Happening::Gift { count, .. }) => Worth::Adds(i64::from(*count)),
            (Self::PointsOfCheers, Happening::Cheer { points, .. }) => Worth::Adds(i64::from(*points)),
            (Self::ViewersOfRaids, Happening::Raid { viewers, .. }) => Worth::Adds(i64::from(*viewers)),
            (Self::AmountOfPurchases, Happening::Purchase { amount: Some(amount), .. }) => of_money(amount),
            (Self::CountOfPurchases, Happening::Purchase { quantity, .. }) => Worth::Adds(i64::from(*quantity)),
            _ => Worth::OtherKind,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::happening::{Actor, Tier};

    #[test]
    fn every_measure_counts_its_own_kind_and_nothing_else() {
        let base = Currency::parse("GBP").unwrap();
        let actor = || Actor { id: None, name: "ninepins".into(), avatar: None, anonymous: false };
        let tier = Tier::try_from(3).unwrap();
        let pounds = |minor| Money { minor, currency: base };
        let sub = |months, gifted: bool| Happening::Sub {
            actor: actor(),
            tier,
            months,
            message: None,
            gifted_by: gifted.then(actor),
        };
        let purchase = |amount| Happening::Purchase { actor: actor(), item: "mug".into(), quantity: 4, amount };
        let happenings = [
            Happening::Follow { actor: actor() },
            sub(None, true),
            sub(Some(9), false),
            Happening::Gift { actor: actor(), tier, count: 20 },
            Happening::Tip { actor: actor(), amount: pounds(350), message: None },
            Happening::Cheer { actor: actor(), points: 500, message: None },
            Happening::Raid { actor: actor(), viewers: 77 },
            Happening::Reward { actor: actor(), reward: "whistle".into(), cost: None, input: None },
            purchase(Some(pounds(1_200))),
            purchase(None),
            Happening::Gauge { name: "viewers".into(), value: 9 },
            Happening::Stat { player: "odile".into(), character: None, stat: "deliveries".into(), total: 9 },
            Happening::Signal { name: "bell".into(), value: Some(9), text: None },
        ];
        let sum = |measure: Measure| -> i64 {
            happenings
                .iter()
                .filter_map(|one| match measure.worth(one, base, Weights::default()) {
                    Worth::Adds(amount) => {
                        assert_eq!(measure.kind(), one.kind());
                        Some(amount)
                    }
                    _ => None,
                })
                .sum()
        };
        // A gifted subscription counts once for its receiver and once for its giver, in measures of their own.
        let sums: Vec<i64> = Measure::ALL.into_iter().map(sum).collect();
        assert_eq!(sums, [350, 1, 1, 2, 1, 10, 20, 500, 1, 77, 1, 1, 1_200, 8, 1]);
    }
}
