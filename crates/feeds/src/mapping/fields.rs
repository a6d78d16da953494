//! The fields that a rule can fill: for each kind of event its blanks, in the order in which its sentence
//! tells them.

use tally_core::record::happening::Kind;

/// What kind of value a field takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// A text.
    Text,
    /// A whole number.
    Whole,
    /// An amount of money.
    Amount,
    /// A currency of ISO 4217.
    Currency,
    /// A tier.
    Tier,
    /// Yes or no.
    YesNo,
    /// An instant.
    Time,
    /// What can be chosen in a poll, with the votes of each.
    Options,
    /// Whether a poll is open.
    PollState,
    /// What tells an event from all others of its kind.
    Id,
}

/// A field of an event.
#[derive(Debug, PartialEq, Eq)]
pub struct Field {
    /// Its key in a rule.
    pub key: &'static str,
    /// The words before it in a sentence.
    pub words: &'static str,
    /// What it is called by itself.
    pub title: &'static str,
    /// Where it stands in an event of the contract with senders (JSON Pointer, RFC 6901).
    pub pointer: &'static str,
    /// What it takes.
    pub shape: Shape,
}

const fn field(
    key: &'static str,
    words: &'static str,
    title: &'static str,
    pointer: &'static str,
    shape: Shape,
) -> Field {
    Field { key, words, title, pointer, shape }
}

const NAME: Field = field("name", "by", "name", "/data/actor/name", Shape::Text);
const PERSON: Field = field("person_id", "who is known as", "the person's id", "/data/actor/id", Shape::Text);
const PICTURE: Field = field("picture", "with the picture", "picture", "/data/actor/avatar", Shape::Text);
const ANONYMOUS: Field =
    field("anonymous", "unnamed if", "whether to leave the name out", "/data/actor/anonymous", Shape::YesNo);
const AMOUNT: Field = field("amount", "of", "amount", "/data/amount", Shape::Amount);
const CURRENCY: Field = field("currency", "in", "currency", "/data/currency", Shape::Currency);
const MESSAGE: Field = field("message", "saying", "message", "/data/message", Shape::Text);
const TIER: Field = field("tier", "of tier", "tier", "/data/tier", Shape::Tier);
const MONTHS: Field = field("months", "for months in all", "months", "/data/months", Shape::Whole);
const GIVER: Field = field("giver", "given by", "who paid", "/data/gifted_by/name", Shape::Text);
const GIVER_ID: Field = field("giver_id", "who is known as", "the id of who paid", "/data/gifted_by/id", Shape::Text);
const COUNT: Field = field("count", "how many:", "how many", "/data/count", Shape::Whole);
const POINTS: Field = field("points", "of points:", "points", "/data/points", Shape::Whole);
const VIEWERS: Field = field("viewers", "with viewers:", "viewers", "/data/viewers", Shape::Whole);
const REWARD: Field = field("reward", "for", "reward", "/data/reward", Shape::Text);
const COST: Field = field("cost", "at a cost of", "cost", "/data/cost", Shape::Whole);
const INPUT: Field = field("input", "saying", "what they typed", "/data/input", Shape::Text);
const ITEM: Field = field("item", "of the thing", "thing bought", "/data/item", Shape::Text);
const QUANTITY: Field = field("quantity", "how many:", "how many", "/data/quantity", Shape::Whole);
const LEVEL: Field = field("level", "called", "name of the level", "/data/name", Shape::Text);
const VALUE: Field = field("value", "standing at", "value", "/data/value", Shape::Whole);
const PLAYER: Field = field("player", "of the player", "player", "/data/player", Shape::Text);
const CHARACTER: Field = field("character", "with the character", "character", "/data/character", Shape::Text);
const STAT: Field = field("stat", "called", "statistic", "/data/stat", Shape::Text);
const TOTAL: Field = field("total", "standing at", "total", "/data/total", Shape::Whole);
const SIGNAL: Field = field("signal", "called", "name of the signal", "/data/name", Shape::Text);
const TEXT: Field = field("text", "saying", "text", "/data/text", Shape::Text);
const WORD: Field = field("word", "called", "word", "/data/word", Shape::Text);
const QUESTION: Field = field("question", "asking", "question", "/data/question", Shape::Text);
const OPTIONS: Field = field("options", "with the options", "options and their votes", "/data/options", Shape::Options);
const STATE: Field = field("state", "standing as", "whether it is open", "/data/state", Shape::PollState);
const OPENED: Field = field("opened_at", "opened at", "when it was opened", "/data/opened_at", Shape::Time);
const CLOSES: Field = field("closes_at", "closing at", "when it closes", "/data/closes_at", Shape::Time);
const POLL: Field = field("poll", "which is poll", "what the poll is known by", "/data/poll", Shape::Text);
const ID: Field = field("id", "known by", "id of the event", "/id", Shape::Id);
const TIME: Field = field("time", "at", "time", "/time", Shape::Time);

/// The fields of a kind of event, in the order of its sentence; none for what cannot be sent.
#[must_use]
pub fn of(kind: Kind) -> &'static [Field] {
    match kind {
        Kind::Follow => &[NAME, PERSON, ID, TIME, PICTURE],
        Kind::Sub => &[NAME, PERSON, TIER, MONTHS, GIVER, GIVER_ID, MESSAGE, ID, TIME, PICTURE],
        Kind::Gift => &[NAME, PERSON, COUNT, TIER, ANONYMOUS, ID, TIME, PICTURE],
        Kind::Tip => &[NAME, PERSON, AMOUNT, CURRENCY, MESSAGE, ANONYMOUS, ID, TIME, PICTURE],
        Kind::Cheer => &[NAME, PERSON, POINTS, MESSAGE, ANONYMOUS, ID, TIME, PICTURE],
        Kind::Raid => &[NAME, PERSON, VIEWERS, ID, TIME, PICTURE],
        Kind::Reward => &[NAME, PERSON, REWARD, COST, INPUT, ID, TIME, PICTURE],
        Kind::Purchase => &[NAME, PERSON, ITEM, QUANTITY, AMOUNT, CURRENCY, ANONYMOUS, ID, TIME, PICTURE],
        Kind::Gauge => &[LEVEL, VALUE, ID, TIME],
        Kind::Stat => &[STAT, PLAYER, CHARACTER, TOTAL, ID, TIME],
        Kind::Signal => &[SIGNAL, VALUE, TEXT, ID, TIME],
        Kind::Command => &[WORD, NAME, PERSON, TEXT, ID, TIME],
        Kind::Poll => &[QUESTION, OPTIONS, STATE, OPENED, CLOSES, POLL, ID, TIME],
        Kind::Adjust => &[],
    }
}

/// The field of a kind by its key.
#[must_use]
pub fn find(kind: Kind, key: &str) -> Option<&'static Field> {
    of(kind).iter().find(|field| field.key == key)
}

/// What a kind of event is called in a sentence.
#[must_use]
pub fn a_kind(kind: Kind) -> &'static str {
    match kind {
        Kind::Follow => "a follow",
        Kind::Sub => "a subscription",
        Kind::Gift => "a gift of subscriptions",
        Kind::Tip => "a tip",
        Kind::Cheer => "a cheer",
        Kind::Raid => "a raid",
        Kind::Reward => "a reward claimed",
        Kind::Purchase => "a purchase",
        Kind::Gauge => "a level",
        Kind::Stat => "a game statistic",
        Kind::Signal => "a signal",
        Kind::Command => "a chat command",
        Kind::Poll => "a poll held elsewhere",
        Kind::Adjust => "an adjustment",
    }
}
