//! One happening as it is kept at hand for counting: small, without the words that no rule looks at.

use super::Book;
use super::names::NOBODY;
use crate::happening::{Actor, Happening, Kind, Tier};
use crate::measure::Measure;
use crate::money::Money;
use serde::{Deserialize, Serialize};

/// An amount that has no rate yet.
const UNPRICED: i64 = i64::MIN;
const ANONYMOUS: u8 = 1;
const GIVEN: u8 = 2;
const FIRST: u8 = 4;
const VOIDED: u8 = 8;

/// See the module. About 80 bytes, so that a million of them stay in memory.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Fact {
    /// When it happened, microseconds of Unix time.
    pub at: i64,
    /// Its line in the ledger.
    pub seq: u64,
    /// Points, viewers, gifts, things bought, a level, a total, a hand-made plus or minus; of a
    /// subscription its months and of a reward its cost, 0 where they are not told; otherwise 1.
    pub number: i64,
    /// Money in the minor units of `coin`; 0 where there is none.
    amount: i64,
    /// The same in the channel's base currency.
    priced: i64,
    /// What somebody said with it; of a game's total, the character.
    pub text: Option<Box<str>>,
    /// Who did it: a place in [`super::names::Names`].
    pub who: u32,
    /// Through which feed; 0 by hand.
    pub feed: u32,
    /// Reward, thing bought, level, statistic, signal or measure: a place among the book's words.
    /// Of a given subscription, the giver: a place among its names.
    pub what: u32,
    /// Which kind.
    pub kind: Kind,
    /// Of a subscription or a gift 1 to 3, else 0.
    pub tier: u8,
    /// Which currency: a place among the book's coins, from 1; 0 for no money.
    coin: u8,
    flags: u8,
}

impl Fact {
    /// Somebody took it out of all counts.
    #[must_use]
    pub fn voided(&self) -> bool {
        self.flags & VOIDED != 0
    }

    pub(super) fn set_voided(&mut self, voided: bool) {
        self.flags = if voided { self.flags | VOIDED } else { self.flags & !VOIDED };
    }

    /// Nobody is named.
    #[must_use]
    pub fn anonymous(&self) -> bool {
        self.flags & ANONYMOUS != 0
    }

    /// A subscription that somebody else paid for.
    #[must_use]
    pub fn given(&self) -> bool {
        self.flags & GIVEN != 0
    }

    /// A subscription in its first month.
    #[must_use]
    pub fn first(&self) -> bool {
        self.flags & FIRST != 0
    }

    /// Whether money came with it.
    #[must_use]
    pub fn has_money(&self) -> bool {
        self.coin != 0
    }

    /// The money in the base currency's minor units; none where there is no rate yet.
    #[must_use]
    pub fn priced(&self) -> Option<i64> {
        (self.priced != UNPRICED).then_some(self.priced)
    }

    pub(super) fn set_priced(&mut self, priced: Option<i64>) {
        self.priced = priced.unwrap_or(UNPRICED);
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
        let mut fact = Fact {
            at,
            seq,
            number: 1,
            amount: 0,
            priced: 0,
            text: happening.message().map(Into::into),
            who: NOBODY,
            feed,
            what: 0,
            kind: happening.kind(),
            tier: 0,
            coin: 0,
            flags: 0,
        };
        let mut money: Option<Money> = None;
        match happening {
            Happening::Follow { actor } => self.by(&mut fact, actor),
            Happening::Sub { actor, tier, months, gifted_by, .. } => {
                self.by(&mut fact, actor);
                (fact.tier, fact.number) = (u8::from(*tier), months.map_or(0, i64::from));
                if let Some(giver) = gifted_by {
                    fact.flags |= GIVEN;
                    fact.what =
                        if giver.anonymous { NOBODY } else { self.cover.names.place(giver.id.as_deref(), &giver.name) };
                }
                if months.unwrap_or(1) <= 1 {
                    fact.flags |= FIRST;
                }
            }
            Happening::Gift { actor, tier, count } => {
                self.by(&mut fact, actor);
                (fact.tier, fact.number) = (u8::from(*tier), i64::from(*count));
            }
            Happening::Tip { actor, amount, .. } => {
                self.by(&mut fact, actor);
                money = Some(*amount);
            }
            Happening::Cheer { actor, points, .. } => {
                self.by(&mut fact, actor);
                fact.number = i64::from(*points);
            }
            Happening::Raid { actor, viewers } => {
                self.by(&mut fact, actor);
                fact.number = i64::from(*viewers);
            }
            Happening::Reward { actor, reward, cost, .. } => {
                self.by(&mut fact, actor);
                fact.number = cost.map_or(0, i64::from);
                fact.what = self.cover.words.place(reward);
            }
            Happening::Purchase { actor, item, quantity, amount } => {
                self.by(&mut fact, actor);
                fact.what = self.cover.words.place(item);
                fact.number = i64::from(*quantity);
                money = *amount;
            }
            Happening::Gauge { name, value } => {
                fact.what = self.cover.words.place(name);
                fact.number = *value;
            }
            Happening::Stat { player, character, stat, total } => {
                fact.who = self.cover.names.place(None, player);
                fact.what = self.cover.words.place(stat);
                fact.number = *total;
                fact.text = character.as_deref().map(Into::into);
            }
            Happening::Signal { name, value, text } => {
                fact.what = self.cover.words.place(name);
                fact.number = value.unwrap_or(1);
                fact.text = text.as_deref().map(Into::into);
            }
            Happening::Adjust { measure, number, amount, .. } => {
                fact.what = self.cover.words.place(measure.key());
                fact.number = *number;
                money = *amount;
            }
        }
        if let Some(money) = money {
            (fact.amount, fact.coin) = (money.minor, self.coin(money.currency));
            let priced = self.price(&fact);
            fact.set_priced(priced);
        }
        fact
    }

    fn by(&mut self, fact: &mut Fact, actor: &Actor) {
        if actor.anonymous {
            fact.flags |= ANONYMOUS;
        } else {
            fact.who = self.cover.names.place(actor.id.as_deref(), &actor.name);
        }
    }

    /// The money that came with a fact, as it came.
    #[must_use]
    pub fn money(&self, fact: &Fact) -> Option<Money> {
        let currency = *self.cover.coins.get(usize::from(fact.coin).checked_sub(1)?)?;
        Some(Money { minor: fact.amount, currency })
    }

    /// The happening of a fact, as far as the book remembers it: all but pictures.
    #[must_use]
    pub fn happening(&self, fact: &Fact) -> Happening {
        let word = || self.cover.words.get(fact.what).unwrap_or_default().to_owned();
        let text = || fact.text.as_deref().map(str::to_owned);
        let count = |number: i64| u32::try_from(number).unwrap_or_default();
        let maybe = |number: i64| u32::try_from(number).ok().filter(|number| *number > 0);
        let tier = || Tier::try_from(fact.tier).unwrap_or_default();
        let actor = self.actor(fact.who);
        match fact.kind {
            Kind::Follow => Happening::Follow { actor },
            Kind::Sub => Happening::Sub {
                actor,
                tier: tier(),
                months: maybe(fact.number),
                message: text(),
                gifted_by: fact.given().then(|| self.actor(fact.what)),
            },
            Kind::Gift => Happening::Gift { actor, tier: tier(), count: count(fact.number) },
            Kind::Tip => match self.money(fact) {
                Some(amount) => Happening::Tip { actor, amount, message: text() },
                None => Happening::Follow { actor },
            },
            Kind::Cheer => Happening::Cheer { actor, points: count(fact.number), message: text() },
            Kind::Raid => Happening::Raid { actor, viewers: count(fact.number) },
            Kind::Reward => Happening::Reward { actor, reward: word(), cost: maybe(fact.number), input: text() },
            Kind::Purchase => {
                Happening::Purchase { actor, item: word(), quantity: count(fact.number), amount: self.money(fact) }
            }
            Kind::Gauge => Happening::Gauge { name: word(), value: fact.number },
            Kind::Stat => Happening::Stat { player: actor.name, character: text(), stat: word(), total: fact.number },
            Kind::Signal => Happening::Signal { name: word(), value: Some(fact.number), text: text() },
            Kind::Adjust => Happening::Adjust {
                measure: Measure::of_key(&word()).unwrap_or(Measure::CountOfSignals),
                number: fact.number,
                amount: self.money(fact),
                message: text(),
            },
        }
    }

    fn actor(&self, who: u32) -> Actor {
        match self.cover.names.get(who) {
            Some(one) => Actor {
                id: one.key.strip_prefix('#').map(str::to_owned),
                name: one.name.clone(),
                avatar: None,
                anonymous: false,
            },
            None => Actor { id: None, name: "Somebody".into(), avatar: None, anonymous: true },
        }
    }
}
