//! What the owner has said of a service's messages: which of them are events, and where in them what stands.
//! Here is only what is kept; `tally_feeds::mapping` follows it.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use tally_core::record::happening::Kind;

/// The rules of a feed.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Mapping {
    /// Whether what comes in counts. Before that the feed listens.
    pub counts: bool,
    /// The rules in force.
    pub rules: Vec<Rule>,
    /// The rules that are being written, if they differ.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub draft: Option<Vec<Rule>>,
}

impl Mapping {
    /// The rules as they are being written.
    #[must_use]
    pub fn written(&self) -> &[Rule] {
        self.draft.as_deref().unwrap_or(&self.rules)
    }

    /// Takes other rules as they are being written.
    pub fn write(&mut self, rules: Vec<Rule>) {
        self.draft = Some(rules).filter(|draft| *draft != self.rules);
    }
}

/// One rule: what must be so for a message to be an event, and where its fields stand.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Rule {
    /// Which event.
    pub event: Kind,
    /// What must be so, all of it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub when: Vec<Condition>,
    /// JSON Pointer (RFC 6901) of a list in the message, each item of which is an event.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub each: Option<String>,
    /// The fields of the event, by the keys of `tally_feeds::mapping::Field`.
    pub fields: BTreeMap<String, Blank>,
    /// Whether it was guessed and nobody has looked at it yet.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub guessed: bool,
}

/// Where a value comes from.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Source {
    /// A JSON Pointer from the top of the message.
    At(String),
    /// A JSON Pointer from the item of the rule's list.
    Item(String),
    /// Always this text.
    Always(String),
}

/// A field of an event: where its value comes from, and how to read it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Blank {
    /// Where it comes from.
    #[serde(flatten)]
    pub from: Source,
    /// How it is read.
    #[serde(rename = "as", default, skip_serializing_if = "Reading::is_plain")]
    pub reading: Reading,
}

/// How a value is read.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Reading {
    /// As it stands: a text, a number, a decimal amount, an instant by RFC 3339.
    #[default]
    Plain,
    /// An amount in hundredths, or in the smallest unit that the currency has.
    Hundredths,
    /// An amount with its currency's sign or code in one text.
    WithSign,
    /// Seconds since 1970.
    Seconds,
    /// Milliseconds since 1970.
    Milliseconds,
    /// A date and time without a zone: by the channel's clock.
    Local,
    /// A word for each tier.
    Tiers(BTreeMap<String, u8>),
}

impl Reading {
    fn is_plain(&self) -> bool {
        *self == Self::Plain
    }
}

/// Something that must be so.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Condition {
    /// Of which value.
    #[serde(flatten)]
    pub of: Source,
    /// What.
    #[serde(flatten)]
    pub test: Test,
}

/// What a value must be.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Test {
    /// This text or number.
    Is(String),
    /// One of these.
    OneOf(Vec<String>),
    /// There, if true; absent or null, if not.
    Present(bool),
    /// It matches a pattern of the `regex` crate, somewhere.
    Matches(String),
}

/// Who may send to a webhook of any shape.
#[derive(Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Sender {
    /// Whoever knows the address.
    #[default]
    Address,
    /// Whoever sends a token along.
    Token {
        /// Where it stands.
        place: TokenPlace,
        /// Of which header, query or field.
        name: String,
        /// The token.
        token: String,
    },
    /// Whoever signs with an HMAC (RFC 2104).
    Hmac(Hmac),
    /// HTTP Basic (RFC 7617).
    Basic {
        /// Name.
        user: String,
        /// Password.
        password: String,
    },
    /// Whoever signs as Standard Webhooks does, with the feed's secret.
    Signed,
}

/// Where a token stands.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum TokenPlace {
    /// In a header.
    #[default]
    Header,
    /// In the query of the address.
    Query,
    /// In a field at the top of the body.
    Field,
}

/// How a sender signs.
#[derive(Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Hmac {
    /// Which digest.
    pub digest: Digest,
    /// How the signature is written.
    pub encoding: Encoding,
    /// The header with the signature.
    pub header: String,
    /// What stands before the signature in it, such as `sha256=`.
    pub prefix: String,
    /// The key, as the sender uses its bytes.
    pub secret: String,
    /// What else is signed, if anything.
    pub timestamp: Option<Stamp>,
}

/// A timestamp that is signed before the body.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stamp {
    /// The header with it: seconds since 1970.
    pub header: String,
    /// What stands between it and the body when it is signed.
    pub separator: String,
    /// How many seconds it may be off.
    pub tolerance_s: u32,
}

/// A digest for an HMAC.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Digest {
    /// SHA-1.
    Sha1,
    /// SHA-256.
    #[default]
    Sha256,
    /// SHA-512.
    Sha512,
}

/// How a signature is written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Encoding {
    /// Hexadecimal.
    #[default]
    Hex,
    /// Base64.
    Base64,
}

/// How a webhook of any shape answers, and whom it trusts.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Webhook {
    /// Who may send.
    pub sender: Sender,
    /// The status of the answer to what was taken.
    pub status: u16,
    /// The text of that answer.
    pub answer: String,
    /// A value that is echoed when the sender asks whether we are there: the name of a query parameter, or
    /// a JSON Pointer into the body. Empty for none.
    pub challenge: String,
    /// Its rules.
    pub mapping: Mapping,
}

impl Default for Webhook {
    fn default() -> Self {
        Self {
            sender: Sender::default(),
            status: 200,
            answer: "ok".into(),
            challenge: String::new(),
            mapping: Mapping::default(),
        }
    }
}

/// A connection that is held open and read along.
#[derive(Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Stream {
    /// The address: `wss:` or `ws:` for a WebSocket, `https:` or `http:` for server-sent events.
    pub url: String,
    /// Headers sent along.
    pub headers: Vec<(String, String)>,
    /// The first message to a WebSocket; empty for none.
    pub first: String,
    /// Its rules.
    pub mapping: Mapping,
}

/// An address that is asked for a list again and again.
#[derive(Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct List {
    /// The address.
    pub url: String,
    /// Headers sent along.
    pub headers: Vec<(String, String)>,
    /// Seconds from one question to the next.
    pub every: u32,
    /// JSON Pointer of the list in the answer; empty where the answer is the list.
    pub items: String,
    /// JSON Pointer of the address of the next page; empty for one page.
    pub next: String,
    /// Its rules.
    pub mapping: Mapping,
}
