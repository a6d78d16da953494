//! What happens on a channel: follows, subscriptions, tips.

use crate::money::Money;
use serde::{Deserialize, Serialize};

/// Who did it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Actor {
    /// The platform's own identifier, where one is given.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub id: Option<String>,
    /// The name as shown.
    pub name: String,
    /// Address of a picture, as given.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub avatar: Option<String>,
    /// Nobody is named.
    #[serde(skip_serializing_if = "std::ops::Not::not", default)]
    pub anonymous: bool,
}

/// The tier of a subscription, 1 to 3.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub struct Tier(u8);

impl Tier {
    /// 0 to 2, for tables with a line a tier.
    #[must_use]
    pub fn index(self) -> usize {
        usize::from(self.0 - 1)
    }
}

impl TryFrom<u8> for Tier {
    type Error = &'static str;
    fn try_from(tier: u8) -> Result<Self, Self::Error> {
        if (1..=3).contains(&tier) { Ok(Self(tier)) } else { Err("is not a tier; send 1, 2 or 3") }
    }
}

impl From<Tier> for u8 {
    fn from(tier: Tier) -> Self {
        tier.0
    }
}

/// One happening.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Happening {
    /// Somebody follows the channel.
    Follow {
        /// Who.
        actor: Actor,
    },
    /// Somebody subscribes, goes on subscribing, or is given a subscription.
    Sub {
        /// The subscriber; of a gift, its receiver.
        actor: Actor,
        /// Which tier.
        tier: Tier,
        /// For how many months by now.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        months: Option<u32>,
        /// What they said with it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        message: Option<String>,
        /// Who paid, where that was somebody else.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        gifted_by: Option<Actor>,
    },
    /// Somebody gives money.
    Tip {
        /// Who.
        actor: Actor,
        /// How much.
        amount: Money,
        /// What they said with it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        message: Option<String>,
    },
}

/// The kind of a happening, without what came with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// See [`Happening::Follow`].
    Follow,
    /// See [`Happening::Sub`].
    Sub,
    /// See [`Happening::Tip`].
    Tip,
}

impl Kind {
    /// All kinds.
    pub const ALL: [Self; 3] = [Self::Follow, Self::Sub, Self::Tip];

    /// The word in the ledger.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Follow => "follow",
            Self::Sub => "sub",
            Self::Tip => "tip",
        }
    }

    /// Many of them, in words.
    #[must_use]
    pub fn plural(self) -> &'static str {
        match self {
            Self::Follow => "follows",
            Self::Sub => "subscriptions",
            Self::Tip => "tips",
        }
    }
}

impl Happening {
    /// Which kind it is.
    #[must_use]
    pub fn kind(&self) -> Kind {
        match self {
            Self::Follow { .. } => Kind::Follow,
            Self::Sub { .. } => Kind::Sub,
            Self::Tip { .. } => Kind::Tip,
        }
    }

    /// Who did it.
    #[must_use]
    pub fn actor(&self) -> &Actor {
        match self {
            Self::Follow { actor } | Self::Sub { actor, .. } | Self::Tip { actor, .. } => actor,
        }
    }

    /// One line of words: `pinecone_ade tipped £12.50`.
    #[must_use]
    pub fn words(&self) -> String {
        let name = &self.actor().name;
        match self {
            Self::Follow { .. } => format!("{name} follows"),
            Self::Sub { tier, gifted_by: None, .. } => format!("{name} subscribed, tier {}", tier.0),
            Self::Sub { tier, gifted_by: Some(giver), .. } => {
                format!("{name} was given a subscription by {}, tier {}", giver.name, tier.0)
            }
            Self::Tip { amount, .. } => format!("{name} tipped {amount}"),
        }
    }
}
