//! How much one fact adds to a measure.

use crate::book::{Coins, Fact, What};
use crate::record::measure::Measure;
use crate::record::settings::Weights;

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

impl Measure {
    /// What a fact comes to.
    #[must_use]
    pub fn worth(self, fact: &Fact, weights: &Weights) -> Worth {
        let money = |coins: Coins| coins.priced().map_or(Worth::Unpriced, Worth::Adds);
        match (self, &fact.what) {
            (Self::AmountOfTips, What::Tip { money: coins }) => money(*coins),
            (Self::AmountOfPurchases, What::Purchase { money: Some(coins), .. }) => money(*coins),
            (Self::CountOfSubs, What::Sub { .. })
            | (Self::CountOfTips, What::Tip { .. })
            | (Self::CountOfFollows, What::Follow)
            | (Self::CountOfCheers, What::Cheer { .. })
            | (Self::CountOfRaids, What::Raid { .. })
            | (Self::CountOfRewards, What::Reward { .. })
            | (Self::CountOfSignals, What::Signal { .. })
            | (Self::CountOfCommands, What::Command { .. }) => Worth::Adds(1),
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
    use crate::money::{Currency, Money};
    use crate::record::happening::{Actor, Happening, Tier};

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
            Happening::Command { actor: actor(), word: "!coal".into(), text: None },
        ];
        let settings = crate::fixtures::settings();
        let mut book = crate::book::Book::new(&settings);
        let at: crate::time::Instant = "2026-11-24T19:00:00Z".parse().unwrap();
        for (seq, one) in (1..).zip(&happenings) {
            book.add(at, crate::record::ids::Seq(seq), None, one);
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
        assert_eq!(sums, [350, 1, 1, 2, 1, 10, 20, 500, 1, 77, 1, 1, 1_200, 8, 1, 1, 10]);
    }
}
