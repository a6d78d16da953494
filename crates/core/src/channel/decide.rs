//! What people ask of a channel, and what it comes to as lines for the ledger. Nothing changes here.

use super::Channel;
use crate::book::names::{Person, Supporter};
use crate::language::text;
use crate::money::rates::Table;
use crate::money::{self, Currency, Money};
use crate::overlay::Overlay;
use crate::record::acts::ShowAct;
use crate::record::entry::{Body, Change, Entry};
use crate::record::happening::{Actor, Happening, Tier};
use crate::record::ids::{FeedId, Seq, WidgetId};
use crate::record::refusal::Refusal;
use crate::time::Instant;
use crate::widgets::Action;
use chrono::NaiveDate;
use std::collections::{BTreeMap, BTreeSet};

/// Most points, viewers, gifts or things that one line tells of.
const MOST_COUNT: u32 = 1_000_000_000;

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

/// What somebody wants to be seen of an overlay, or not to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Appear<'a> {
    /// The number of the overlay.
    pub overlay: u32,
    /// Its layout on air.
    pub layout: &'a Overlay,
    /// Which pieces; whoever belongs to their groups comes and goes with them.
    pub pieces: &'a BTreeSet<u32>,
    /// What they are, in words.
    pub about: &'a str,
    /// Whether they are to be seen.
    pub shown: bool,
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
        /// Points, viewers, gifts or things bought.
        number: String,
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
        if press.action.name == "redo" {
            let target = piece.redoable().ok_or(Refusal::NotNow("there is nothing to put back"))?;
            return Ok(Body::Void { widget, by, target });
        }
        Ok(Body::Act { widget, by, act: piece.decide(&press.action, &self.scope(now))? })
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
        let Body::Happening(first) = &line.body else { return Err(Refusal::NotNow("this line cannot be corrected")) };
        let change = match wish {
            Correcting::Void if fact.voided() => return Err(Refusal::NotNow("this line is voided already")),
            Correcting::Restore if !fact.voided() => return Err(Refusal::NotNow("this line counts already")),
            Correcting::Void => Change::Void,
            Correcting::Restore => Change::Restore,
            Correcting::Amend { .. } => {
                let amended = amended(first, &present, wish)?;
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

    /// Decides what showing or hiding pieces of an overlay comes to.
    ///
    /// # Errors
    /// There are no such pieces, or they are all so already.
    pub fn decide_appear(&self, asked: &Appear<'_>, by: &str) -> Result<Body, Refusal> {
        let Appear { overlay, layout, pieces, about, shown } = *asked;
        let pieces = layout.meant(pieces).map_err(|_| {
            Refusal::NotNow("that piece is not on the picture any more; the layout has changed meanwhile")
        })?;
        let said = self.appearances(overlay);
        let so_already = |id: &u32| layout.piece(*id).is_some_and(|piece| layout.shows(piece, &said) == shown);
        if pieces.iter().all(so_already) {
            return Err(Refusal::SoAlready(if shown { "it is shown already" } else { "it is hidden already" }));
        }
        let (by, name, about) = (by.to_owned(), layout.name.clone(), about.to_owned());
        Ok(Body::Appear { by, overlay, name, pieces, about, shown })
    }

    /// Decides what hiding everything on air, or bringing it back, comes to.
    ///
    /// # Errors
    /// It is so already.
    pub fn decide_cover(&self, covered: bool, by: &str) -> Result<Body, Refusal> {
        if self.covered == covered {
            let words = if covered { "the picture is covered already" } else { "the picture is not covered" };
            return Err(Refusal::SoAlready(words));
        }
        Ok(Body::Cover { by: by.to_owned(), covered })
    }

    /// Decides what somebody says about shows.
    ///
    /// # Errors
    /// It makes no sense now.
    pub fn decide_show(&self, act: ShowAct, by: &str, now: Instant) -> Result<Body, Refusal> {
        // Whoever goes on air while it is asked whether to go off wants to stay there.
        let is_asked = self.book.shows().ending().is_some();
        let act = if act == ShowAct::Begin && is_asked { ShowAct::Stay } else { act };
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
        for table in days.values_mut() {
            // A rate of nothing says nothing.
            table.retain(|_, rate| rate.is_sign_positive() && !rate.is_zero());
        }
        days.retain(|day, table| !table.is_empty() && self.book.rates().of(*day) != Some(table));
        if days.is_empty() { Err(Refusal::NothingNew) } else { Ok(Body::Rates { days }) }
    }

    /// Decides that one supporter counts as another from now on, or as themselves again with no other.
    /// Each is told by a name, or by what [`Supporter::exactly`] gives.
    ///
    /// # Errors
    /// Nobody, or more than one, has such a name; or it is so already.
    pub fn decide_merge(&self, from: &str, into: Option<&str>, by: &str) -> Result<Body, Refusal> {
        let names = self.book.names();
        let by = by.to_owned();
        let key = |person| names.get(person).map(|one| one.key.clone()).unwrap_or_default();
        let Some(into) = into else {
            let one = names.find(from.trim_start_matches('=')).map_or_else(|| self.one_called(from), Ok)?;
            return match names.merged_at(one) {
                Some(at) => Ok(Body::Merge { by, from: key(at), into: None }),
                None if names.person(one) == one => Err(Refusal::NotNow("this name counts as itself already")),
                None => Err(Refusal::NotNow(
                    "a feed tells this name with an id, and nobody else has borne it; if it was somebody else, amend the line's name",
                )),
            };
        };
        let (from, into) = (self.one_called(from)?, self.one_called(into)?);
        if from == into {
            return Err(Refusal::NotNow("these two are one supporter already"));
        }
        Ok(Body::Merge { by, from: key(from), into: Some(key(into)) })
    }

    /// The one supporter of a name or a key.
    fn one_called(&self, name: &str) -> Result<Person, Refusal> {
        let names = self.book.names();
        let all = names.called(name);
        let mut every = all.iter().copied();
        match (every.next(), every.next()) {
            (Some(one), None) => Ok(one),
            (None, _) => Err(Refusal::WrongValue(format!("nobody here is called “{name}”; copy the name from a line"))),
            _ => {
                let keys: Vec<String> = all.iter().filter_map(|one| names.get(*one)).map(Supporter::exactly).collect();
                Err(Refusal::WrongValue(format!(
                    "{} supporters are called “{name}”; write which one you mean: {}",
                    keys.len(),
                    keys.join(", ")
                )))
            }
        }
    }
}

/// A happening with some of its fields said otherwise.
fn amended(first: &Happening, present: &Happening, wish: &Correcting) -> Result<Happening, Refusal> {
    let Correcting::Amend { name, amount, currency, tier, number, kind } = wish else { return Ok(present.clone()) };
    let refuse = |what: &str, why: &dyn std::fmt::Display| Refusal::WrongValue(format!("the {what} {why}"));
    let mut new = of_kind(first, present, kind.trim())?;
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
    if !number.trim().is_empty() {
        let old =
            new.number_mut().ok_or(Refusal::NotNow("only points, viewers, gifts and things bought have a number"))?;
        let plain = money::plain(number.trim(), 0).map_err(|error| refuse("number", &error))?;
        let whole = plain.parse().ok().filter(|number| (1..=MOST_COUNT).contains(number));
        *old = whole.ok_or_else(|| refuse("number", &format!("must be a whole number between 1 and {MOST_COUNT}")))?;
    }
    if !amount.trim().is_empty() || !currency.trim().is_empty() {
        let old = new.money_mut().ok_or(Refusal::NotNow("no money came with this line"))?;
        let code = currency.trim();
        let unit = if code.is_empty() { Ok(old.currency) } else { Currency::parse(code) };
        let unit = unit.map_err(|error| refuse("currency", &error))?;
        let plain = old.to_plain();
        let typed = if amount.trim().is_empty() { plain.as_str() } else { amount.trim() };
        let money = Money::typed(typed, unit).map_err(|error| refuse("amount", &error))?;
        if money.minor <= 0 {
            return Err(refuse("amount", &"must be more than 0"));
        }
        *old = money;
    }
    Ok(new)
}

/// The same as another kind, as far as the two have the same to say. What the line said at first and the
/// other kind cannot say (who gave it, for how many months, how many things) comes back with the first kind.
fn of_kind(first: &Happening, present: &Happening, key: &str) -> Result<Happening, Refusal> {
    if key.is_empty() || key == present.kind().key() {
        return Ok(present.clone());
    }
    if key == first.kind().key() {
        let mut back = first.clone();
        if let (Some(then), Some(now)) = (back.actor_mut(), present.actor())
            && (then.name != now.name || then.id != now.id)
        {
            now.clone_into(then);
        }
        let mut now = present.clone();
        if let (Some(then), Some(now)) = (back.money_mut(), now.money_mut()) {
            *then = *now;
        }
        return Ok(back);
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
