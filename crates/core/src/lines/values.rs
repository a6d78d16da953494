//! What is told of entries in the places of a template.

use super::{LineValues, words};
use crate::book::names::By;
use crate::book::{What, instant};
use crate::count::Scope;
use crate::count::recent::{Burst, whose};
use crate::language::unit::Unit;
use crate::money::Money;
use crate::record::happening::Kind;
use crate::template::{self, Values};

/// What stands in the places of a line about entries that the book still has.
pub(super) fn of(burst: &Burst, scope: &Scope<'_>) -> Option<LineValues> {
    let (first, fact) = (burst.first(scope.book)?, burst.newest(scope.book)?);
    let by_giver = burst.by_giver();
    let kind = if by_giver { Kind::Gift } else { first.kind() };
    let number = if by_giver { burst.gifts() } else { burst.number };
    let name = |by: By| match by.person() {
        Some(person) => scope.name(scope.book.names().person(person)),
        None => scope.language.on_air().somebody.to_owned(),
    };
    let giver = fact.giver().filter(|_| !by_giver).map(name).unwrap_or_default();
    let money = burst.same.or(burst.priced.map(|minor| Money { minor, currency: scope.settings.currency }));
    let amount = match (money, kind) {
        (Some(money), _) => scope.language.money(money),
        (None, Kind::Gift | Kind::Cheer | Kind::Raid) => scope.language.number(number),
        _ => String::new(),
    };
    let figure = match money {
        Some(money) => template::figure(Unit::Money(money.currency), money.minor),
        None => template::figure(Unit::Things, number),
    };
    let of = |wanted: &[Kind]| if wanted.contains(&kind) { number } else { 0 };
    let item =
        |wanted: &[Kind]| fact.word().filter(|_| wanted.contains(&kind)).map(|word| scope.book.words().get(word));
    let months = match fact.what {
        What::Sub { months, .. } if !by_giver => months.unwrap_or(0),
        _ => 0,
    };
    Some(LineValues {
        key: burst.key,
        kind,
        at: instant(fact.at),
        values: Values {
            name: if by_giver { name(whose(first)) } else { name(fact.by) },
            amount,
            figure,
            count: of(&[Kind::Gift, Kind::Purchase]),
            points: of(&[Kind::Cheer, Kind::Reward]),
            viewers: of(&[Kind::Raid]),
            tier: fact.tier().map_or(0, u8::from),
            months: months.into(),
            message: fact.text.as_deref().unwrap_or_default().to_owned(),
            item: item(&[Kind::Reward, Kind::Purchase]).unwrap_or_default().to_owned(),
            giver,
            kind: words::kind(scope.language, kind).to_owned(),
            times: burst.times,
            ago: scope.language.ago(scope.now.signed_duration_since(instant(fact.at)).num_seconds()),
            ..Values::default()
        },
    })
}
