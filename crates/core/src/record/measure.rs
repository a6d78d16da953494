//! What can be counted, and how much one happening adds to it.

use crate::language::unit::Unit;
use crate::money::Currency;
use crate::record::happening::Kind;
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
    /// The weight of each subscription's tier, see [`Weights`](super::settings::Weights).
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
    /// One for every word said in chat for which the channel listens.
    CountOfCommands,
    /// Different people who followed, subscribed, gave, tipped, cheered, raided, claimed or bought.
    DifferentSupporters,
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
    pub const ALL: [Self; 17] = [
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
        Self::CountOfCommands,
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
            Self::CountOfCommands => "count_of_commands",
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
            Self::CountOfCommands => "chat commands",
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
            Self::CountOfCommands => &[Kind::Command],
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
}
