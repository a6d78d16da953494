//! What happens on a channel: follows, subscriptions, tips.

mod kind;
mod standing;

pub use kind::Kind;
pub use standing::{Choice, PollState, Standing};

use crate::money::{Money, group};
use crate::record::measure::Measure;
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(try_from = "u8", into = "u8")]
pub struct Tier(u8);

impl Default for Tier {
    fn default() -> Self {
        Self(1)
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
    /// Somebody gives subscriptions away. This is the giver's credit alone; the subscriptions
    /// themselves come as [`Happening::Sub`], so neither is counted twice.
    Gift {
        /// The giver.
        actor: Actor,
        /// Which tier.
        tier: Tier,
        /// How many.
        count: u32,
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
    /// Somebody spends a platform's paid points in chat.
    Cheer {
        /// Who.
        actor: Actor,
        /// How many points.
        points: u32,
        /// What they said with it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        message: Option<String>,
    },
    /// Another channel sends its viewers over.
    Raid {
        /// The other channel.
        actor: Actor,
        /// How many came.
        viewers: u32,
    },
    /// Somebody claims something with points that they earned.
    Reward {
        /// Who.
        actor: Actor,
        /// What.
        reward: String,
        /// For how many points.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        cost: Option<u32>,
        /// What they typed with it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        input: Option<String>,
    },
    /// Somebody buys something.
    Purchase {
        /// Who.
        actor: Actor,
        /// What.
        item: String,
        /// How many.
        quantity: u32,
        /// For how much in all.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        amount: Option<Money>,
    },
    /// A level was read, such as viewers now or the follower total.
    Gauge {
        /// Of what.
        name: String,
        /// The level.
        value: i64,
    },
    /// A game tells a running total.
    Stat {
        /// Whose.
        player: String,
        /// Of which character.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        character: Option<String>,
        /// Of what.
        stat: String,
        /// The total so far.
        total: i64,
    },
    /// A hand-made plus or minus on one measure.
    Adjust {
        /// On which.
        measure: Measure,
        /// How many, of a measure of things.
        number: i64,
        /// How much, of a measure of money.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        amount: Option<Money>,
        /// Why.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        message: Option<String>,
    },
    /// Somebody says a word in chat for which the channel listens.
    Command {
        /// Who.
        actor: Actor,
        /// The word, as the channel writes it.
        word: String,
        /// What they said after it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        text: Option<String>,
    },
    /// How a poll stands that is held elsewhere.
    Poll(Standing),
    /// Anything else.
    Signal {
        /// Which.
        name: String,
        /// A number with it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        value: Option<i64>,
        /// A text with it.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        text: Option<String>,
    },
}

impl Happening {
    /// Which kind it is.
    #[must_use]
    pub fn kind(&self) -> Kind {
        match self {
            Self::Follow { .. } => Kind::Follow,
            Self::Sub { .. } => Kind::Sub,
            Self::Gift { .. } => Kind::Gift,
            Self::Tip { .. } => Kind::Tip,
            Self::Cheer { .. } => Kind::Cheer,
            Self::Raid { .. } => Kind::Raid,
            Self::Reward { .. } => Kind::Reward,
            Self::Purchase { .. } => Kind::Purchase,
            Self::Gauge { .. } => Kind::Gauge,
            Self::Stat { .. } => Kind::Stat,
            Self::Signal { .. } => Kind::Signal,
            Self::Adjust { .. } => Kind::Adjust,
            Self::Command { .. } => Kind::Command,
            Self::Poll(_) => Kind::Poll,
        }
    }

    /// Who did it, where somebody did.
    #[must_use]
    pub fn actor(&self) -> Option<&Actor> {
        match self {
            Self::Follow { actor }
            | Self::Sub { actor, .. }
            | Self::Gift { actor, .. }
            | Self::Tip { actor, .. }
            | Self::Cheer { actor, .. }
            | Self::Raid { actor, .. }
            | Self::Reward { actor, .. }
            | Self::Purchase { actor, .. }
            | Self::Command { actor, .. } => Some(actor),
            Self::Gauge { .. } | Self::Stat { .. } | Self::Signal { .. } | Self::Adjust { .. } | Self::Poll(_) => None,
        }
    }

    /// The name of who did it, or of what it is about where nobody did.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Self::Stat { player, .. } => player,
            Self::Gauge { name, .. } | Self::Signal { name, .. } => name,
            Self::Poll(standing) => &standing.question,
            Self::Adjust { measure, .. } => measure.words(),
            _ => self.actor().map_or("", |actor| &actor.name),
        }
    }

    /// The same, to be amended.
    pub fn actor_mut(&mut self) -> Option<&mut Actor> {
        match self {
            Self::Follow { actor }
            | Self::Sub { actor, .. }
            | Self::Gift { actor, .. }
            | Self::Tip { actor, .. }
            | Self::Cheer { actor, .. }
            | Self::Raid { actor, .. }
            | Self::Reward { actor, .. }
            | Self::Purchase { actor, .. }
            | Self::Command { actor, .. } => Some(actor),
            Self::Gauge { .. } | Self::Stat { .. } | Self::Signal { .. } | Self::Adjust { .. } | Self::Poll(_) => None,
        }
    }

    /// The money that came with it.
    pub fn money_mut(&mut self) -> Option<&mut Money> {
        match self {
            Self::Tip { amount, .. } => Some(amount),
            Self::Purchase { amount, .. } | Self::Adjust { amount, .. } => amount.as_mut(),
            _ => None,
        }
    }

    /// How many points, viewers, gifts or things, to be amended.
    pub fn number_mut(&mut self) -> Option<&mut u32> {
        match self {
            Self::Gift { count: number, .. }
            | Self::Cheer { points: number, .. }
            | Self::Raid { viewers: number, .. }
            | Self::Purchase { quantity: number, .. } => Some(number),
            _ => None,
        }
    }

    /// What somebody said with it.
    #[must_use]
    pub fn message(&self) -> Option<&str> {
        match self {
            Self::Sub { message, .. } | Self::Tip { message, .. } | Self::Cheer { message, .. } => message.as_deref(),
            Self::Reward { input, .. } => input.as_deref(),
            Self::Command { text, .. } => text.as_deref(),
            Self::Adjust { message, .. } => message.as_deref(),
            _ => None,
        }
    }

    /// One line of words: `pinecone_ade tipped £12.50`.
    #[must_use]
    pub fn words(&self) -> String {
        let name = self.name();
        let many = |count: u32, one: &str, more: &str| {
            format!("{} {}", group(u64::from(count)), if count == 1 { one } else { more })
        };
        match self {
            Self::Follow { .. } => format!("{name} follows"),
            Self::Sub { tier, gifted_by: None, .. } => format!("{name} subscribed, tier {}", tier.0),
            Self::Sub { tier, gifted_by: Some(giver), .. } => {
                format!("{name} was given a subscription by {}, tier {}", giver.name, tier.0)
            }
            Self::Gift { tier, count, .. } => {
                format!("{name} gave {}, tier {}", many(*count, "subscription", "subscriptions"), tier.0)
            }
            Self::Tip { amount, .. } => format!("{name} tipped {amount}"),
            Self::Cheer { points, .. } => format!("{name} cheered {}", many(*points, "point", "points")),
            Self::Raid { viewers, .. } => format!("{name} raided with {}", many(*viewers, "viewer", "viewers")),
            Self::Reward { reward, .. } => format!("{name} claimed “{reward}”"),
            Self::Purchase { item, quantity, amount, .. } => {
                let price = amount.map(|amount| format!(" for {amount}")).unwrap_or_default();
                format!("{name} bought {} × {item}{price}", group(u64::from(*quantity)))
            }
            Self::Gauge { value, .. } if *value < 0 => format!("{name} stands at -{}", group(value.unsigned_abs())),
            Self::Gauge { value, .. } => format!("{name} stands at {}", group(value.unsigned_abs())),
            Self::Stat { character, stat, total, .. } => {
                let with = character.as_ref().map(|one| format!(" with {one}")).unwrap_or_default();
                format!("{name}{with}: {stat} at {total}")
            }
            Self::Adjust { amount: Some(amount), .. } => {
                let sign = if amount.minor < 0 { "" } else { "+" };
                format!("{name}: {sign}{amount} by hand")
            }
            Self::Adjust { number, .. } => {
                let sign = if *number < 0 { "-" } else { "+" };
                format!("{name}: {sign}{} by hand", group(number.unsigned_abs()))
            }
            Self::Command { word, text, .. } => {
                let text = text.as_ref().map(|text| format!(" {text}")).unwrap_or_default();
                format!("{name} says {word}{text}")
            }
            Self::Poll(standing) => standing.words(),
            Self::Signal { value, text, .. } => {
                let value = value.map(|value| format!(" {value}")).unwrap_or_default();
                let text = text.as_ref().map(|text| format!(" “{text}”")).unwrap_or_default();
                format!("signal {name}{value}{text}")
            }
        }
    }
}
