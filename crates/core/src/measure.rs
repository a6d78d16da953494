//! What can be counted, and how much one happening adds to it.

use crate::book::{Fact, What};
use crate::happening::{Kind, Tier};
use crate::language::unit::Unit;
use crate::money::Currency;
use crate::time::Instant;
use serde::{Deserialize, Serialize};

/// What a widget counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
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
    /// Different people who followed, subscribed, gave, tipped, cheered, raided, claimed or bought.
    DifferentSupporters,
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

/// What one happening comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Worth {
    /// It adds this much.
    Adds(i64),
    /// It is of another kind, or has nothing of what is counted.
    OtherKind,
    /// It is money in a currency for which there is no rate yet.
    Unpriced,
}

/// How what happenings come to makes a figure.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Adding {
    /// Each adds what it comes to.
    Each,
    /// Each supporter adds one, with the first of theirs.
    Supporters,
}

impl Measure {
    /// All measures, in the order in which they are offered.
    pub const ALL: [Self; 16] = [
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
        Self::DifferentSupporters,
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
            Self::DifferentSupporters => "different_supporters",
        }
    }

    /// The measure of that word.
    #[must_use]
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|measure| measure.key() == key)
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
            Self::DifferentSupporters => "different supporters",
        }
    }

    /// The kinds of happenings that it counts.
    #[must_use]
    pub fn kinds(self) -> &'static [Kind] {
        match self {
            Self::AmountOfTips | Self::CountOfTips => &[Kind::Tip],
            Self::CountOfFollows => &[Kind::Follow],
            Self::CountOfSubs | Self::CountOfNewSubs | Self::SubscriberWeight => &[Kind::Sub],
            Self::CountOfGifts => &[Kind::Gift],
            Self::PointsOfCheers | Self::CountOfCheers => &[Kind::Cheer],
            Self::ViewersOfRaids | Self::CountOfRaids => &[Kind::Raid],
            Self::CountOfRewards => &[Kind::Reward],
            Self::AmountOfPurchases | Self::CountOfPurchases => &[Kind::Purchase],
            Self::CountOfSignals => &[Kind::Signal],
            Self::DifferentSupporters => {
                &[Kind::Follow, Kind::Sub, Kind::Gift, Kind::Tip, Kind::Cheer, Kind::Raid, Kind::Reward, Kind::Purchase]
            }
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

    /// Whether it is told in money.
    #[must_use]
    pub fn is_money(self) -> bool {
        matches!(self, Self::AmountOfTips | Self::AmountOfPurchases)
    }

    /// How what happenings come to makes its figure.
    #[must_use]
    pub fn adding(self) -> Adding {
        if self == Self::DifferentSupporters { Adding::Supporters } else { Adding::Each }
    }

    /// Whether it counts subscriptions, in whatever way.
    #[must_use]
    pub fn is_of_subs(self) -> bool {
        self.kinds() == [Kind::Sub]
    }

    /// What a fact comes to.
    #[must_use]
    pub fn worth(self, fact: &Fact, weights: &Weights) -> Worth {
        let money = |coins: crate::book::Coins| coins.priced().map_or(Worth::Unpriced, Worth::Adds);
        match (self, &fact.what) {
            (Self::AmountOfTips, What::Tip { money: coins }) => money(*coins),
            (Self::AmountOfPurchases, What::Purchase { money: Some(coins), .. }) => money(*coins),
            (Self::CountOfSubs, What::Sub { .. })
            | (Self::CountOfTips, What::Tip { .. })
            | (Self::CountOfFollows, What::Follow)
            | (Self::CountOfCheers, What::Cheer { .. })
            | (Self::CountOfRaids, What::Raid { .. })
            | (Self::CountOfRewards, What::Reward { .. })
            | (Self::CountOfSignals, What::Signal { .. }) => Worth::Adds(1),
            (Self::CountOfNewSubs, What::Sub { months, .. }) if months.unwrap_or(1) <= 1 => Worth::Adds(1),
            (Self::SubscriberWeight, What::Sub { tier, .. }) => Worth::Adds(weights.at(fact.at, *tier)),
            (Self::CountOfGifts, What::Gift { count, .. }) => Worth::Adds((*count).into()),
            (Self::PointsOfCheers, What::Cheer { points }) => Worth::Adds((*points).into()),
            (Self::ViewersOfRaids, What::Raid { viewers }) => Worth::Adds((*viewers).into()),
            (Self::CountOfPurchases, What::Purchase { quantity, .. }) => Worth::Adds((*quantity).into()),
            (Self::DifferentSupporters, _) if fact.person().is_some() => Worth::Adds(1),
            _ => Worth::OtherKind,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::happening::{Actor, Happening, Tier};
    use crate::money::Money;

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
        let settings = crate::fixtures::settings();
        let mut book = crate::book::Book::new(&settings);
        let at: Instant = "2026-11-24T19:00:00Z".parse().unwrap();
        for (seq, one) in (1..).zip(&happenings) {
            book.add(at, crate::ids::Seq(seq), None, one);
        }
        let sum = |measure: Measure| -> i64 {
            let kinds = measure.kinds().iter().fold(0, |bits, kind| bits | kind.bit());
            book.facts(crate::time::calendar::Span::ALL, kinds)
                .filter_map(|fact| match measure.worth(fact, &settings.weights) {
                    Worth::Adds(amount) => Some(amount),
                    _ => None,
                })
                .sum()
        };
        // A gifted subscription counts once for its receiver and once for its giver, in measures of their own.
        let sums: Vec<i64> = Measure::ALL.into_iter().map(sum).collect();
        assert_eq!(sums, [350, 1, 1, 2, 1, 10, 20, 500, 1, 77, 1, 1, 1_200, 8, 1, 10]);
    }

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
