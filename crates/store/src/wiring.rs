//! Of which kind a feed is, and how it is wired.

use crate::mapping::{List, Mapping, Stream, Webhook};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt;
use tally_core::record::happening::Kind;

/// Of which kind a feed is, and how it is wired.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Wiring {
    /// Signed CloudEvents, see the contract with senders.
    Webhook {
        /// Whether a gift stands for its subscriptions too: for services that do not send them.
        #[serde(default)]
        expand_gifts: bool,
    },
    /// A chat that speaks IRC.
    Chat(Chat),
    /// Numbers from an address that is asked again and again.
    Poll(Poll),
    /// A webhook of any shape, with rules.
    AnyWebhook(Webhook),
    /// A stream, with rules.
    Stream(Stream),
    /// A list that is asked for again and again, with rules.
    List(List),
    /// Exchange rates from an address.
    Rates {
        /// The address of the table.
        url: String,
    },
    /// Lines of a file.
    Import {
        /// How many lines came with it.
        lines: u64,
    },
}

fn bits(kinds: impl IntoIterator<Item = Kind>) -> u16 {
    kinds.into_iter().fold(0, |bits, kind| bits | kind.bit())
}

/// How a chat is wired.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Chat {
    /// Host name or address.
    pub host: String,
    /// Port.
    pub port: u16,
    /// Whether the line is encrypted.
    pub tls: bool,
    /// The name under which to read along.
    pub nick: String,
    /// Its password; empty for none.
    pub password: String,
    /// The room, such as `#saltmarsh`.
    pub room: String,
    /// A certificate to trust besides the machine's, in PEM form; empty for none.
    #[serde(default)]
    pub certificate: String,
}

/// How a polled address is wired.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Poll {
    /// The address.
    pub url: String,
    /// Seconds from one question to the next.
    pub every: u32,
    /// Level by level: its name, and the JSON Pointer (RFC 6901) of its value in the answer.
    pub levels: BTreeMap<String, String>,
}

impl Wiring {
    /// What kinds of happenings it can bring, as the bits of [`Kind`].
    #[must_use]
    pub fn brings(&self) -> u16 {
        match self {
            Self::Webhook { .. } => bits(Kind::SENT),
            Self::Poll(_) => Kind::Gauge.bit(),
            Self::AnyWebhook(Webhook { mapping, .. })
            | Self::Stream(Stream { mapping, .. })
            | Self::List(List { mapping, .. }) => {
                bits(mapping.rules.iter().filter(|_| mapping.counts).map(|rule| rule.event))
            }
            Self::Chat(_) => Kind::Command.bit(),
            Self::Rates { .. } | Self::Import { .. } => 0,
        }
    }

    /// The word for its kind.
    #[must_use]
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Webhook { .. } => "webhook",
            Self::Chat(_) => "chat",
            Self::Poll(_) => "poll",
            Self::AnyWebhook(_) => "any_webhook",
            Self::Stream(_) => "stream",
            Self::List(_) => "list",
            Self::Rates { .. } => "rates",
            Self::Import { .. } => "import",
        }
    }

    /// The rules, where it has any.
    #[must_use]
    pub fn mapping(&self) -> Option<&Mapping> {
        match self {
            Self::AnyWebhook(Webhook { mapping, .. })
            | Self::Stream(Stream { mapping, .. })
            | Self::List(List { mapping, .. }) => Some(mapping),
            _ => None,
        }
    }

    /// The same wiring with the rules of another.
    #[must_use]
    pub(crate) fn with_rules_of(mut self, other: &Self) -> Self {
        if let (Some(mapping), Some(rules)) = (self.mapping_mut(), other.mapping()) {
            mapping.clone_from(rules);
        }
        self
    }

    /// The rules, to be changed.
    pub fn mapping_mut(&mut self) -> Option<&mut Mapping> {
        match self {
            Self::AnyWebhook(Webhook { mapping, .. })
            | Self::Stream(Stream { mapping, .. })
            | Self::List(List { mapping, .. }) => Some(mapping),
            _ => None,
        }
    }
}

/// Secrets, passwords and addresses never reach a log by way of `{:?}`.
impl fmt::Debug for Wiring {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.kind())
    }
}
