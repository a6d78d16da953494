//! One line opened: what it counted for, where it came from, and what can be mended.

use super::{Line, Lines, Standing, describe, feeds, folded, line_of};
use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use std::collections::BTreeMap;
use tally_core::book::{Book, Fact};
use tally_core::channel::{Channel, Correcting};
use tally_core::count::Verdict;
use tally_core::language::text;
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::{Happening, Kind};
use tally_core::record::ids::{FeedId, Seq};
use tally_engine::EngineError;
use tally_store::rows::{Namespace, origin_key};

/// What a line came to in one widget.
struct Bearing {
    widget: u32,
    title: String,
    effect: String,
    counts: bool,
}

/// What can be amended, with what stands now.
struct Amendable {
    name: Option<String>,
    amount: Option<(String, String)>,
    tier: Option<u8>,
    /// What it is a number of, and how many.
    number: Option<(&'static str, u32)>,
    kind: &'static str,
    kinds: Vec<(&'static str, &'static str)>,
}

/// Whose a line is, and who else might be meant.
struct Whose {
    key: String,
    name: String,
    /// Whom they count as, and whether somebody said so.
    counts_as: Option<(String, bool)>,
    /// The keys of other supporters of that name, with how many lines each has.
    namesakes: Vec<(String, usize)>,
}

#[derive(Template)]
#[template(path = "rooms/ledger_open.html")]
struct Open {
    line: Line,
    facts: Vec<(&'static str, String)>,
    bearings: Vec<Bearing>,
    amendable: Option<Amendable>,
    whose: Option<Whose>,
    refused: Option<String>,
}

fn amendable(happening: &Happening) -> Amendable {
    let mut happening = happening.clone();
    let kind = happening.kind();
    let kinds: &[Kind] = match kind {
        Kind::Follow | Kind::Sub => &[Kind::Follow, Kind::Sub],
        Kind::Tip | Kind::Purchase => &[Kind::Tip, Kind::Purchase],
        _ => &[],
    };
    Amendable {
        name: happening.actor_mut().map(|actor| actor.name.clone()),
        amount: happening.money_mut().map(|money| (money.to_plain(), money.currency.code().to_owned())),
        tier: match &happening {
            Happening::Sub { tier, .. } | Happening::Gift { tier, .. } => Some(u8::from(*tier)),
            _ => None,
        },
        number: match (kind, happening.number_mut()) {
            (Kind::Gift, Some(number)) => Some(("Subscriptions", *number)),
            (Kind::Cheer, Some(number)) => Some(("Points", *number)),
            (Kind::Raid, Some(number)) => Some(("Viewers", *number)),
            (_, number) => number.map(|number| ("How many", *number)),
        },
        kind: kind.key(),
        kinds: kinds.iter().map(|kind| (kind.key(), kind.plural())).collect(),
    }
}

fn whose(book: &Book, fact: &Fact) -> Option<Whose> {
    let (person, spelling) = fact.by.named()?;
    let names = book.names();
    let own = names.get(person)?;
    let counted = names.person(person);
    let counts_as = names.get(counted).filter(|_| counted != person);
    let lines = |one| book.lines_of(Some(one), (i64::MAX, u64::MAX)).count();
    let namesakes = names.called(names.spelled(spelling)).into_iter().filter(|one| *one != counted);
    Some(Whose {
        key: own.exactly(),
        name: names.spelled(spelling).to_owned(),
        counts_as: counts_as.map(|one| (one.name.clone(), names.merged_at(person).is_some())),
        namesakes: namesakes.filter_map(|one| Some((names.get(one)?.exactly(), lines(one)))).collect(),
    })
}

fn opened(channel: &Channel, line: Line, entry: &Entry, now: tally_core::time::Instant) -> Open {
    let (settings, book) = (channel.settings(), channel.book());
    let local = |at| settings.calendar.local(at).format("%-d %b %Y, %H:%M:%S").to_string();
    let mut facts = vec![("Happened", local(entry.happened_at)), ("Arrived", local(entry.arrived_at))];
    let (mut bearings, mut amend, mut by) = (Vec::new(), None, None);
    if let Some(fact) = book.find(entry.happened_at, entry.seq)
        && let Body::Happening(first) = &entry.body
    {
        let present = book.happening(fact);
        if first.words() != present.words() {
            facts.push(("Said at first", first.words()));
        }
        if let Some(money) = book.money(fact)
            && money.currency != settings.currency
        {
            let converted = book.rates().convert(money, settings.currency, book.rate_day(fact));
            facts.push((
                "Converted",
                match converted {
                    Some(one) => format!(
                        "{money} at {} of {} is {}",
                        one.rate.round_dp(5).normalize(),
                        one.date.format("%-d %b %Y"),
                        tally_core::money::Money { minor: one.minor, currency: settings.currency }
                    ),
                    None => {
                        format!("no rate for {} up to that day yet, so it counts for nothing in money", money.currency)
                    }
                },
            ));
        }
        let scope = channel.scope(now);
        for (id, piece) in channel.widgets() {
            for count in piece.counts(settings) {
                let effect = match count.judge(fact, scope.span(&count), book, settings) {
                    Verdict::LeftOut(tally_core::count::Reason::OtherKind) => continue,
                    Verdict::LeftOut(reason) => (reason.words().to_owned(), false),
                    Verdict::Counts(worth) => (format!("counts {}", count.unit(settings).show(worth)), true),
                };
                let (effect, counts) = effect;
                bearings.push(Bearing { widget: id.0, title: piece.title().to_owned(), effect, counts });
            }
        }
        amend = Some(amendable(&present));
        by = whose(book, fact);
    }
    facts.push(("Known by", format!("{} · {}", entry.origin.source, entry.origin.id)));
    Open { line, facts, bearings, amendable: amend, whose: by, refused: None }
}

/// The other feeds through which an event of the same source and id came: two services may number alike, or
/// one is wired twice.
async fn also_through(
    app: &App,
    owner: &Owner,
    entry: &Entry,
    feeds: &BTreeMap<u32, String>,
) -> Result<Vec<String>, WebError> {
    let Some(own) = entry.feed else { return Ok(Vec::new()) };
    let key = |feed: u32| origin_key(Namespace::Feed(FeedId(feed)), &entry.origin);
    let others: Vec<(&String, Vec<u8>)> =
        feeds.iter().filter(|(id, _)| **id != own.0).map(|(id, name)| (name, key(*id))).collect();
    let keys = others.iter().map(|(_, key)| key.clone()).collect();
    let there = app.engine.store().known_origins(owner.channel.id, keys).await?;
    Ok(others.into_iter().filter(|(_, key)| there.contains(key)).map(|(name, _)| name.clone()).collect())
}

async fn open_line(app: &App, owner: &Owner, seq: u64, refused: Option<String>) -> Result<String, WebError> {
    let entry = app.engine.store().entry(owner.channel.id, Seq(seq)).await?;
    let feeds = feeds(app, owner).await?;
    let also = also_through(app, owner, &entry, &feeds).await?;
    let open = owner
        .channel
        .ask(move |channel, now| opened(channel, line_of(channel, &feeds, &entry, now), &entry, now))
        .await?;
    let mut open = Open { refused, ..open };
    if !also.is_empty() {
        open.facts.push((
            "The same came through",
            format!("{}; if that is one service wired twice, void one", also.join(", ")),
        ));
    }
    Ok(html(&open))
}

/// `GET /ledger/{seq}`: the line opened.
pub async fn open(app: web::Data<App>, owner: Owner, seq: web::Path<u64>) -> Result<HttpResponse, WebError> {
    let body = open_line(&app, &owner, *seq, None).await?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(body))
}

/// `GET /ledger/{seq}/shut`: the line shut again.
pub async fn shut(app: web::Data<App>, owner: Owner, seq: web::Path<u64>) -> Result<HttpResponse, WebError> {
    let entry = app.engine.store().entry(owner.channel.id, Seq(*seq)).await?;
    let lines = Lines { rows: folded(describe(&app, &owner, vec![entry]).await?), older: None, refused: None };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&lines)))
}

/// What becomes of a line, and why.
#[derive(Deserialize)]
pub struct Verdicts {
    what: String,
    #[serde(default)]
    reason: String,
    #[serde(default)]
    name: String,
    #[serde(default)]
    amount: String,
    #[serde(default)]
    currency: String,
    #[serde(default)]
    tier: String,
    #[serde(default)]
    number: String,
    #[serde(default)]
    kind: String,
    /// Of a merge: whom the name counts as.
    #[serde(default)]
    into: String,
}

/// `POST /ledger/{seq}/correct`: voids a line, lets it count again, amends it, or merges its name.
pub async fn correct(
    app: web::Data<App>,
    owner: Owner,
    seq: web::Path<u64>,
    form: web::Form<Verdicts>,
) -> Result<HttpResponse, WebError> {
    let line = app.engine.store().entry(owner.channel.id, Seq(*seq)).await?;
    let by = owner.by();
    let Verdicts { what, reason, name, amount, currency, tier, number, kind, into } = form.into_inner();
    let reason = match text::message(&reason) {
        Ok(reason) => Some(reason).filter(|reason| !reason.is_empty()),
        Err(error) => return refused(&app, &owner, *seq, format!("The reason {error}.")).await,
    };
    let done = match what.as_str() {
        "void" => owner.channel.correct(line, Correcting::Void, by, reason).await,
        "restore" => owner.channel.correct(line, Correcting::Restore, by, reason).await,
        "amend" => {
            let wish = Correcting::Amend { name, amount, currency: currency.to_uppercase(), tier, number, kind };
            owner.channel.correct(line, wish, by, reason).await
        }
        "merge" => owner.channel.merge(name, Some(into).filter(|into| !into.trim().is_empty()), by).await,
        _ => return Err(WebError::NotFound),
    };
    match done {
        Ok(_) => open(app, owner, seq).await,
        Err(EngineError::Refused(why)) => refused(&app, &owner, *seq, sentence(&why.to_string())).await,
        Err(error) => Err(error.into()),
    }
}

async fn refused(app: &App, owner: &Owner, seq: u64, why: String) -> Result<HttpResponse, WebError> {
    let body = open_line(app, owner, seq, Some(why)).await?;
    Ok(HttpResponse::UnprocessableEntity().insert_header(ContentType::html()).body(body))
}
