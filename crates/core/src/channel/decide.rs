//! What people ask of a channel, and what it comes to as lines for the ledger. Nothing changes here.

use super::Channel;
use crate::Instant;
use crate::book::rates::Table;
use crate::book::shows::ShowAct;
use crate::entry::{Body, Change, Entry};
use crate::happening::{Actor, Happening, Tier};
use crate::ids::{FeedId, Seq, WidgetId};
use crate::money::{Currency, Money};
use crate::text;
use crate::widgets::{Action, Refusal};
use chrono::NaiveDate;
use std::collections::BTreeMap;

/// What somebody asks of a widget.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Press<'a> {
    /// Of which one.
    pub widget: WidgetId,
    /// What: an action of its family, or `undo` with an optional entry in `value`.
    pub action: Action<'a>,
    /// Who asks.
    pub by: &'a str,
}

/// What somebody wants to be true of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Correcting {
    /// It should not count.
    Void,
    /// It should count again.
    Restore,
    /// It should say something else. What is empty stays as it is.
    Amend {
        /// The name of who did it.
        name: String,
        /// A decimal amount.
        amount: String,
        /// A code of ISO 4217.
        currency: String,
        /// 1 to 3.
        tier: String,
        /// Another kind, by its key: a tip that was really a purchase, a follow that was a subscription.
        kind: String,
    },
}

impl Channel {
    /// Decides what a press comes to.
    ///
    /// # Errors
    /// Why it cannot be done, in words for whoever pressed.
    pub fn decide(&self, press: &Press<'_>, now: Instant) -> Result<Body, Refusal> {
        let piece = self.widgets.get(&press.widget).ok_or(Refusal::NoSuchWidget)?;
        let (widget, by) = (press.widget, press.by.to_owned());
        if press.action.name == "undo" {
            let asked = match press.action.value.map(u64::try_from) {
                None => None,
                Some(Ok(seq)) => Some(Seq(seq)),
                Some(Err(_)) => return Err(Refusal::WrongValue("“undo” takes the number of a line".into())),
            };
            let target = piece.undoable(asked).ok_or(Refusal::NotNow("there is nothing to take back"))?;
            return Ok(Body::Void { widget, by, target });
        }
        Ok(Body::Act { widget, by, act: piece.decide(&press.action, now)? })
    }

    /// Decides what a correction of a line comes to.
    ///
    /// # Errors
    /// The line is no happening, is so already, or cannot say that.
    pub fn correct(&self, line: &Entry, wish: &Correcting, by: &str, reason: Option<String>) -> Result<Body, Refusal> {
        let fact = matches!(line.body, Body::Happening(_)).then(|| self.book.find(line.happened_at, line.seq));
        let Some(fact) = fact.flatten() else {
            return Err(Refusal::NotNow("only what happened on the channel can be corrected; use Undo on the desk"));
        };
        let present = self.book.happening(fact);
        let change = match wish {
            Correcting::Void if fact.voided() => return Err(Refusal::NotNow("this line is voided already")),
            Correcting::Restore if !fact.voided() => return Err(Refusal::NotNow("this line counts already")),
            Correcting::Void => Change::Void,
            Correcting::Restore => Change::Restore,
            Correcting::Amend { .. } => {
                let amended = amended(&present, wish)?;
                if amended == present {
                    return Err(Refusal::NotNow("it says that already; change something first"));
                }
                Change::Amend(Box::new(amended))
            }
        };
        Ok(Body::Correct {
            target: line.seq,
            happened_at: line.happened_at,
            about: present.words(),
            by: by.to_owned(),
            reason,
            change,
        })
    }

    /// Decides what somebody says about shows.
    ///
    /// # Errors
    /// It makes no sense now.
    pub fn decide_show(&self, act: ShowAct, by: &str, now: Instant) -> Result<Body, Refusal> {
        self.book.shows().check(&act, now)?;
        Ok(Body::Show { by: by.to_owned(), act })
    }

    /// Decides what undoing an import, or putting it back, comes to.
    ///
    /// # Errors
    /// It is so already.
    pub fn decide_withdraw(&self, feed: FeedId, name: &str, by: &str, withdrawn: bool) -> Result<Body, Refusal> {
        if self.book.is_withdrawn(feed) == withdrawn {
            return Err(Refusal::NotNow(if withdrawn {
                "this import is undone already"
            } else {
                "this import counts already"
            }));
        }
        Ok(Body::Withdraw { feed, name: name.to_owned(), by: by.to_owned(), withdrawn })
    }

    /// Decides what of some tables of rates is new.
    ///
    /// # Errors
    /// Nothing is.
    pub fn decide_rates(&self, mut days: BTreeMap<NaiveDate, Table>) -> Result<Body, Refusal> {
        days.retain(|day, table| self.book.rates().of(*day) != Some(table));
        if days.is_empty() { Err(Refusal::NothingNew) } else { Ok(Body::Rates { days }) }
    }

    /// Decides that one name counts as another from now on, or as itself again with no other.
    ///
    /// # Errors
    /// Nobody, or more than one, has such a name.
    pub fn decide_merge(&self, from: &str, into: Option<&str>, by: &str) -> Result<Body, Refusal> {
        let key = |name: &str| {
            let names = self.book.names();
            let mut named = names.named(name);
            let place = named.next().ok_or_else(|| {
                Refusal::WrongValue(format!("nobody here is called “{name}”; copy the name from a line"))
            })?;
            Ok::<_, Refusal>((place, names.get(place).map(|one| one.key.clone()).unwrap_or_default()))
        };
        let (place, from) = key(from)?;
        let into = into.map(key).transpose()?;
        let names = self.book.names();
        match &into {
            Some((other, _)) if names.person(*other) == names.person(place) => {
                Err(Refusal::NotNow("these two are one supporter already"))
            }
            None if names.person(place) == place => Err(Refusal::NotNow("this name counts as itself already")),
            _ => Ok(Body::Merge { by: by.to_owned(), from, into: into.map(|(_, key)| key) }),
        }
    }
}

/// A happening with some of its fields said otherwise.
fn amended(present: &Happening, wish: &Correcting) -> Result<Happening, Refusal> {
    let Correcting::Amend { name, amount, currency, tier, kind } = wish else { return Ok(present.clone()) };
    let refuse = |what: &str, why: &dyn std::fmt::Display| Refusal::WrongValue(format!("the {what} {why}"));
    let mut new = of_kind(present, kind.trim())?;
    if !name.trim().is_empty() {
        let name = text::name(name).map_err(|error| refuse("name", &error))?;
        let actor = new.actor_mut().ok_or(Refusal::NotNow("nobody is named in this line"))?;
        if actor.name != name {
            *actor = Actor { id: None, name, avatar: None, anonymous: false };
        }
    }
    if !tier.trim().is_empty() {
        let tier = tier.trim().parse().ok().and_then(|tier: u8| Tier::try_from(tier).ok());
        let tier = tier.ok_or_else(|| refuse("tier", &"must be 1, 2 or 3"))?;
        match &mut new {
            Happening::Sub { tier: old, .. } | Happening::Gift { tier: old, .. } => *old = tier,
            _ => return Err(Refusal::NotNow("only subscriptions and gifts have a tier")),
        }
    }
    if !amount.trim().is_empty() || !currency.trim().is_empty() {
        let old = new.money_mut().ok_or(Refusal::NotNow("no money came with this line"))?;
        let code = currency.trim();
        let unit = if code.is_empty() { Ok(old.currency) } else { Currency::parse(code) };
        let unit = unit.map_err(|error| refuse("currency", &error))?;
        let plain = old.to_plain();
        let typed = if amount.trim().is_empty() { plain.as_str() } else { amount.trim() };
        let money = Money::parse(typed, unit).map_err(|error| refuse("amount", &error))?;
        if money.minor <= 0 {
            return Err(refuse("amount", &"must be more than 0"));
        }
        *old = money;
    }
    Ok(new)
}

/// The same as another kind, as far as the two have the same to say.
fn of_kind(present: &Happening, key: &str) -> Result<Happening, Refusal> {
    if key.is_empty() || key == present.kind().key() {
        return Ok(present.clone());
    }
    let never = Refusal::NotNow(
        "a line can be amended among follows and subscriptions, or among tips and purchases; otherwise void it and write another by hand",
    );
    match (present.clone(), key) {
        (Happening::Sub { actor, .. }, "follow") => Ok(Happening::Follow { actor }),
        (Happening::Follow { actor }, "sub") => {
            Ok(Happening::Sub { actor, tier: Tier::default(), months: None, message: None, gifted_by: None })
        }
        (Happening::Tip { actor, amount, message }, "purchase") => Ok(Happening::Purchase {
            actor,
            item: message.unwrap_or_else(|| "something".into()),
            quantity: 1,
            amount: Some(amount),
        }),
        (Happening::Purchase { actor, amount: Some(amount), item, .. }, "tip") => {
            Ok(Happening::Tip { actor, amount, message: Some(item) })
        }
        _ => Err(never),
    }
}
