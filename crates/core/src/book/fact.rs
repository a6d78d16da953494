//! One happening as it is kept at hand for counting: small, with each word and name kept once.

use super::Book;
use super::names::{By, Person, Spelling};
use super::words::Word;
use crate::money::Money;
use crate::record::happening::{Actor, Happening, Kind, Standing, Tier};
use crate::record::measure::Measure;
use serde::{Deserialize, Serialize};

/// An amount that has no rate yet.
const UNPRICED: i64 = i64::MIN;

/// See the module. About 100 bytes, so that a million of them stay in memory.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fact {
    /// When it happened, microseconds of Unix time.
    pub at: i64,
    /// Its line in the ledger.
    pub seq: u64,
    /// Through which feed; 0 by hand.
    pub feed: u32,
    /// Who did it.
    pub by: By,
    /// What happened.
    pub what: What,
    /// What somebody said with it.
    pub text: Option<Box<str>>,
    voided: bool,
}

/// What happened, without who did it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub enum What {
    /// See [`Happening::Follow`]; so for all of these.
    Follow,
    /// A subscription.
    Sub {
        /// Its tier.
        tier: Tier,
        /// For how many months by now, where that is told.
        months: Option<u32>,
        /// Who paid for it, where that was somebody else.
        giver: Option<By>,
    },
    /// Subscriptions given away.
    Gift {
        /// Their tier.
        tier: Tier,
        /// How many.
        count: u32,
    },
    /// Money.
    Tip {
        /// How much.
        money: Coins,
    },
    /// Points cheered.
    Cheer {
        /// How many.
        points: u32,
    },
    /// Viewers sent over.
    Raid {
        /// How many.
        viewers: u32,
    },
    /// Something claimed.
    Reward {
        /// What.
        reward: Word,
        /// For how many points, where that is told.
        cost: Option<u32>,
    },
    /// Something bought.
    Purchase {
        /// What.
        item: Word,
        /// How many.
        quantity: u32,
        /// For how much in all, where that is told.
        money: Option<Coins>,
    },
    /// A level read.
    Gauge {
        /// Of what.
        level: Word,
        /// The level.
        value: i64,
    },
    /// A game's total.
    Stat {
        /// Whose.
        player: Word,
        /// Of which character.
        character: Option<Word>,
        /// Of what.
        stat: Word,
        /// The total so far.
        total: i64,
    },
    /// Anything else.
    Signal {
        /// Which.
        signal: Word,
        /// A number with it.
        value: Option<i64>,
    },
    /// A word said in chat.
    Command {
        /// Which.
        word: Word,
    },
    /// How a poll stands that is held elsewhere. The whole of it is the fact's text, as JSON.
    Poll {
        /// What is asked.
        question: Word,
    },
    /// A hand-made plus or minus.
    Adjust {
        /// On which measure.
        measure: Measure,
        /// How much.
        by: Adjusted,
    },
}

/// A hand-made plus or minus: of things, or of money.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Adjusted {
    /// So many things.
    Things(i64),
    /// So much money.
    Money(Coins),
}

/// Money as it came, and what it is worth in the channel's base currency.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Coins {
    /// In the minor units of the currency in which it came.
    minor: i64,
    /// In those of the base currency, or [`UNPRICED`].
    priced: i64,
    /// Which currency: a place among the book's coins.
    coin: u8,
}

impl Coins {
    /// In the base currency's minor units; none where there is no rate yet.
    #[must_use]
    pub fn priced(self) -> Option<i64> {
        (self.priced != UNPRICED).then_some(self.priced)
    }

    /// The currency in which it came, as a place among the book's.
    #[must_use]
    pub fn coin(self) -> u8 {
        self.coin
    }
}

impl Fact {
    /// Its kind.
    #[must_use]
    pub fn kind(&self) -> Kind {
        match self.what {
            What::Follow => Kind::Follow,
            What::Sub { .. } => Kind::Sub,
            What::Gift { .. } => Kind::Gift,
            What::Tip { .. } => Kind::Tip,
            What::Cheer { .. } => Kind::Cheer,
            What::Raid { .. } => Kind::Raid,
            What::Reward { .. } => Kind::Reward,
            What::Purchase { .. } => Kind::Purchase,
            What::Gauge { .. } => Kind::Gauge,
            What::Stat { .. } => Kind::Stat,
            What::Signal { .. } => Kind::Signal,
            What::Adjust { .. } => Kind::Adjust,
            What::Command { .. } => Kind::Command,
            What::Poll { .. } => Kind::Poll,
        }
    }

    /// Somebody took it out of all counts.
    #[must_use]
    pub fn voided(&self) -> bool {
        self.voided
    }

    pub(super) fn set_voided(&mut self, voided: bool) {
        self.voided = voided;
    }

    /// Who did it, where somebody is named.
    #[must_use]
    pub fn person(&self) -> Option<Person> {
        self.by.person()
    }

    /// Of a subscription that somebody else paid for, who that was.
    #[must_use]
    pub fn giver(&self) -> Option<By> {
        match self.what {
            What::Sub { giver, .. } => giver,
            _ => None,
        }
    }

    /// Whoever is named in it: who did it, and who paid.
    pub(super) fn people(&self) -> impl Iterator<Item = (Person, Spelling)> + use<> {
        [Some(self.by), self.giver()].into_iter().flatten().filter_map(By::named)
    }

    /// Of a subscription or a gift, its tier.
    #[must_use]
    pub fn tier(&self) -> Option<Tier> {
        match self.what {
            What::Sub { tier, .. } | What::Gift { tier, .. } => Some(tier),
            _ => None,
        }
    }

    /// The money that came with it.
    #[must_use]
    pub fn coins(&self) -> Option<Coins> {
        match self.what {
            What::Tip { money } | What::Adjust { by: Adjusted::Money(money), .. } => Some(money),
            What::Purchase { money, .. } => money,
            _ => None,
        }
    }

    /// The same, to be priced.
    fn coins_mut(&mut self) -> Option<&mut Coins> {
        match &mut self.what {
            What::Tip { money } | What::Adjust { by: Adjusted::Money(money), .. } => Some(money),
            What::Purchase { money, .. } => money.as_mut(),
            _ => None,
        }
    }

    pub(super) fn set_priced(&mut self, priced: Option<i64>) {
        if let Some(coins) = self.coins_mut() {
            coins.priced = priced.unwrap_or(UNPRICED);
        }
    }

    /// How many: points, viewers, gifts, things bought, a level, a total, a plus or minus of things.
    /// None of what comes one at a time.
    #[must_use]
    pub fn number(&self) -> Option<i64> {
        match self.what {
            What::Gift { count, .. } => Some(count.into()),
            What::Cheer { points } => Some(points.into()),
            What::Raid { viewers } => Some(viewers.into()),
            What::Purchase { quantity, .. } => Some(quantity.into()),
            What::Gauge { value, .. } => Some(value),
            What::Stat { total, .. } => Some(total),
            What::Signal { value, .. } => value,
            What::Adjust { by: Adjusted::Things(number), .. } => Some(number),
            What::Reward { cost, .. } => cost.map(i64::from),
            What::Follow
            | What::Sub { .. }
            | What::Tip { .. }
            | What::Adjust { .. }
            | What::Command { .. }
            | What::Poll { .. } => None,
        }
    }

    /// What it is about: a reward, a thing bought, a level, a statistic or a signal.
    #[must_use]
    pub fn word(&self) -> Option<Word> {
        match self.what {
            What::Reward { reward: word, .. }
            | What::Purchase { item: word, .. }
            | What::Gauge { level: word, .. }
            | What::Stat { stat: word, .. }
            | What::Command { word }
            | What::Poll { question: word }
            | What::Signal { signal: word, .. } => Some(word),
            _ => None,
        }
    }

    /// Where it stands among all: by when it happened, then by its line.
    #[must_use]
    pub fn place(&self) -> (i64, u64) {
        (self.at, self.seq)
    }
}

impl Book {
    /// The fact of a happening, with its names and words noted and its money priced.
    pub(super) fn fact(&mut self, at: i64, seq: u64, feed: u32, happening: &Happening) -> Fact {
        let by = happening.actor().map_or(By::Nobody, |actor| self.cover.names.by(actor));
        let standing = match happening {
            Happening::Poll(standing) => serde_json::to_string(standing).ok(),
            _ => None,
        };
        let text = match happening {
            Happening::Signal { text, .. } => text.as_deref(),
            other => other.message().or(standing.as_deref()),
        };
        let what = match happening {
            Happening::Follow { .. } => What::Follow,
            Happening::Sub { tier, months, gifted_by, .. } => What::Sub {
                tier: *tier,
                months: *months,
                giver: gifted_by.as_ref().map(|giver| self.cover.names.by(giver)),
            },
            Happening::Gift { tier, count, .. } => What::Gift { tier: *tier, count: *count },
            Happening::Tip { amount, .. } => What::Tip { money: self.coins(*amount) },
            Happening::Cheer { points, .. } => What::Cheer { points: *points },
            Happening::Raid { viewers, .. } => What::Raid { viewers: *viewers },
            Happening::Reward { reward, cost, .. } => {
                What::Reward { reward: self.cover.words.place(reward), cost: *cost }
            }
            Happening::Purchase { item, quantity, amount, .. } => What::Purchase {
                item: self.cover.words.place(item),
                quantity: *quantity,
                money: amount.map(|amount| self.coins(amount)),
            },
            Happening::Gauge { name, value } => What::Gauge { level: self.cover.words.place(name), value: *value },
            Happening::Stat { player, character, stat, total } => What::Stat {
                player: self.cover.words.place(player),
                character: character.as_ref().map(|one| self.cover.words.place(one)),
                stat: self.cover.words.place(stat),
                total: *total,
            },
            Happening::Signal { name, value, .. } => {
                What::Signal { signal: self.cover.words.place(name), value: *value }
            }
            Happening::Command { word, .. } => What::Command { word: self.cover.words.place(word) },
            Happening::Poll(standing) => What::Poll { question: self.cover.words.place(&standing.question) },
            Happening::Adjust { measure, number, amount, .. } => What::Adjust {
                measure: *measure,
                by: match amount {
                    Some(amount) => Adjusted::Money(self.coins(*amount)),
                    None => Adjusted::Things(*number),
                },
            },
        };
        let mut fact = Fact { at, seq, feed, by, what, text: text.map(Into::into), voided: false };
        let priced = self.price(&fact);
        fact.set_priced(priced);
        fact
    }

    /// What the fact of a poll that is held elsewhere tells.
    #[must_use]
    pub fn standing(fact: &Fact) -> Option<Standing> {
        let What::Poll { .. } = fact.what else { return None };
        serde_json::from_str(fact.text.as_deref()?).ok()
    }

    fn coins(&mut self, money: Money) -> Coins {
        Coins { minor: money.minor, priced: UNPRICED, coin: self.coin(money.currency) }
    }

    /// The money that came with a fact, as it came.
    #[must_use]
    pub fn money(&self, fact: &Fact) -> Option<Money> {
        fact.coins().and_then(|coins| self.as_money(coins))
    }

    fn as_money(&self, coins: Coins) -> Option<Money> {
        let currency = *self.cover.coins.get(usize::from(coins.coin))?;
        Some(Money { minor: coins.minor, currency })
    }

    /// The happening of a fact, as far as the book remembers it: all but pictures.
    #[must_use]
    pub fn happening(&self, fact: &Fact) -> Happening {
        let word = |word: Word| self.cover.words.get(word).to_owned();
        let message = fact.text.as_deref().map(str::to_owned);
        let actor = self.actor(fact.by);
        match fact.what {
            What::Follow => Happening::Follow { actor },
            What::Sub { tier, months, giver } => {
                Happening::Sub { actor, tier, months, message, gifted_by: giver.map(|giver| self.actor(giver)) }
            }
            What::Gift { tier, count } => Happening::Gift { actor, tier, count },
            What::Tip { money } => match self.as_money(money) {
                Some(amount) => Happening::Tip { actor, amount, message },
                None => Happening::Follow { actor },
            },
            What::Cheer { points } => Happening::Cheer { actor, points, message },
            What::Raid { viewers } => Happening::Raid { actor, viewers },
            What::Reward { reward, cost } => Happening::Reward { actor, reward: word(reward), cost, input: message },
            What::Purchase { item, quantity, money } => Happening::Purchase {
                actor,
                item: word(item),
                quantity,
                amount: money.and_then(|money| self.as_money(money)),
            },
            What::Gauge { level, value } => Happening::Gauge { name: word(level), value },
            What::Stat { player, character, stat, total } => {
                Happening::Stat { player: word(player), character: character.map(word), stat: word(stat), total }
            }
            What::Command { word: one } => Happening::Command { actor, word: word(one), text: message },
            What::Poll { question } => match Self::standing(fact) {
                Some(standing) => Happening::Poll(standing),
                None => Happening::Signal { name: word(question), value: None, text: message },
            },
            What::Signal { signal, value } => Happening::Signal { name: word(signal), value, text: message },
            What::Adjust { measure, by } => {
                let (number, amount) = match by {
                    Adjusted::Things(number) => (number, None),
                    Adjusted::Money(money) => (0, self.as_money(money)),
                };
                Happening::Adjust { measure, number, amount, message }
            }
        }
    }

    fn actor(&self, by: By) -> Actor {
        match by.named() {
            Some((person, spelling)) => Actor {
                id: self.cover.names.get(person).and_then(|one| one.id()).map(str::to_owned),
                name: self.cover.names.spelled(spelling).to_owned(),
                avatar: None,
                anonymous: false,
            },
            None => Actor { id: None, name: "Somebody".into(), avatar: None, anonymous: true },
        }
    }
}
