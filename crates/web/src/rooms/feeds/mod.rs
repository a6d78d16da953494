//! Feeds: where happenings come from; wiring one, seeing how it fares, pausing and removing it.

pub mod import;
mod known;
pub mod probe;
pub mod rules;
pub mod sender;
pub mod wire;

use crate::app::App;
use crate::draw::{Lamp, since};
use crate::error::{WebError, sentence};
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{refreshed, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::TimeDelta;
use tally_core::book::search::Search;
use tally_core::channel::Channel;
use tally_core::money::group;
use tally_core::record::ids::FeedId;
use tally_engine::{EngineError, Hearing};
use tally_store::feeds::{Feed, FeedChange, Wiring};
use tally_store::mapping::{Mapping, Sender};
use wire::Typed;

/// For how long the previous secret stays good after a rotation.
const OVERLAP_HOURS: i64 = 24;
/// For how long it is told what went wrong with something that came through a feed.
const TROUBLE_HOURS: i64 = 24;
/// How many of a feed's newest lines stand beside it.
const NEWEST: usize = 4;

/// A webhook's address and secret.
struct Signing {
    url: String,
    /// None where something else than our own signature tells who sent it.
    secret: Option<String>,
    previous_until: Option<String>,
    /// Whether a gift stands for its subscriptions; none where rules say what comes.
    expand_gifts: Option<bool>,
}

struct Row {
    id: u32,
    lamp: Lamp,
    kind: &'static str,
    wired: String,
    failing: Option<String>,
    /// What went wrong last with something that came through it, and when.
    trouble: Option<(String, String)>,
    /// Whether it has rules.
    has_rules: bool,
    /// Of a webhook of any shape: who may send, and how it is answered.
    sender: Option<sender::Typed>,
    paused: bool,
    signing: Option<Signing>,
    /// How it is wired, to be edited.
    typed: Option<Typed>,
    /// Of an import: whether it was undone.
    withdrawn: Option<bool>,
    newest: Vec<(String, String)>,
}

#[derive(Template)]
#[template(path = "rooms/feeds.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
    imports: Vec<Row>,
}

/// How a kind of feed is called, and how this one is wired, in words without secrets.
fn words(wiring: &Wiring) -> (&'static str, String) {
    match wiring {
        Wiring::Webhook { .. } => ("signed webhook", String::new()),
        Wiring::Chat(chat) => {
            let line = if chat.tls { "encrypted" } else { "not encrypted" };
            ("chat", format!("{} at {}:{}, {line}, as {}", chat.room, chat.host, chat.port, chat.nick))
        }
        Wiring::Poll(poll) => {
            let host = bare(&poll.url);
            let levels: Vec<&str> = poll.levels.keys().map(String::as_str).collect();
            ("polled numbers", format!("{} from {host}, every {} s", levels.join(" and "), poll.every))
        }
        Wiring::AnyWebhook(webhook) => ("webhook of any shape", rules_words(&webhook.mapping)),
        Wiring::Stream(stream) => ("stream", format!("{}, {}", bare(&stream.url), rules_words(&stream.mapping))),
        Wiring::List(list) => {
            let words = format!("{} every {} s, {}", bare(&list.url), list.every, rules_words(&list.mapping));
            ("polled list", words)
        }
        Wiring::Rates { url } => ("exchange rates", format!("from {}", bare(url))),
        Wiring::Import { lines } => ("file", format!("{} lines", group(*lines))),
    }
}

/// An address without what may hold a secret.
fn bare(url: &str) -> &str {
    url.split(['?', '#']).next().unwrap_or_default()
}

fn rules_words(mapping: &Mapping) -> String {
    match (mapping.counts, mapping.rules.len()) {
        (false, _) => "listening, nothing counts yet".into(),
        (true, 1) => "counts by one rule".into(),
        (true, rules) => format!("counts by {rules} rules"),
    }
}

fn newest(channel: &Channel, feed: &Feed, now: tally_core::time::Instant) -> Vec<(String, String)> {
    let calendar = &channel.settings().calendar;
    let id = FeedId(feed.id);
    match feed.wiring {
        Wiring::Chat(_) => channel
            .chat()
            .newest()
            .filter(|(_, from, _)| *from == id)
            .take(NEWEST)
            .map(|(_, _, line)| (since(calendar, line.at, now), format!("{}: {}", line.name, line.text)))
            .collect(),
        Wiring::Rates { .. } => channel
            .book()
            .rates()
            .tables()
            .rev()
            .take(1)
            .map(|(date, table)| {
                let told = ["GBP", "USD", "PLN", "JPY"]
                    .iter()
                    .filter_map(|code| Some(format!("{code} {}", table.get(*code)?)));
                (date.format("%-d %b").to_string(), format!("1 € = {}", told.collect::<Vec<_>>().join(", ")))
            })
            .collect(),
        _ => {
            let search = Search { feed: Some(id), ..Search::default() };
            let line = |fact: &tally_core::book::Fact| {
                let at = tally_core::book::instant(fact.at);
                (since(calendar, at, now), channel.book().happening(fact).words())
            };
            channel.book().all(&search).rev().take(NEWEST).map(line).collect()
        }
    }
}

fn row(channel: &Channel, hearing: &Hearing, feed: Feed, url: String, now: tally_core::time::Instant) -> Row {
    let calendar = &channel.settings().calendar;
    let heard = hearing.of(&feed, channel.pulse(FeedId(feed.id)));
    let (kind, mut wired) = words(&feed.wiring);
    if matches!(feed.wiring, Wiring::Chat(_)) {
        wired += &format!(", {} lines heard", group(hearing.chat_lines(FeedId(feed.id))));
    }
    let previous_until = feed
        .previous_until_us
        .and_then(chrono::DateTime::from_timestamp_micros)
        .filter(|until| *until > now)
        .map(|until| since(calendar, until, now));
    let typed = Typed::of(&feed);
    Row {
        id: feed.id,
        typed,
        lamp: Lamp::of(&feed.name, &heard, calendar, now),
        kind,
        wired,
        newest: newest(channel, &feed, now),
        signing: match &feed.wiring {
            Wiring::Webhook { expand_gifts } => {
                Some(Signing { url, secret: Some(feed.secret), previous_until, expand_gifts: Some(*expand_gifts) })
            }
            Wiring::AnyWebhook(webhook) => {
                let secret = Some(feed.secret).filter(|_| webhook.sender == Sender::Signed);
                Some(Signing { url, secret, previous_until, expand_gifts: None })
            }
            _ => None,
        },
        withdrawn: matches!(feed.wiring, Wiring::Import { .. }).then(|| channel.book().is_withdrawn(FeedId(feed.id))),
        trouble: hearing
            .trouble(FeedId(feed.id))
            .filter(|(at, _)| now - *at < TimeDelta::hours(TROUBLE_HOURS))
            .map(|(at, what)| (since(calendar, *at, now), sentence(what))),
        has_rules: feed.wiring.mapping().is_some(),
        sender: sender::Typed::of(&feed.wiring),
        failing: heard.failing.map(|why| sentence(&why)),
        paused: feed.paused,
    }
}

/// `GET /feeds`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let urls: Vec<String> = feeds.iter().map(|feed| owner.reach.feed_url(&feed.token)).collect();
    let rows: Vec<Row> = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let kept = feeds.into_iter().zip(urls).filter(|(feed, _)| !feed.removed);
            kept.map(|(feed, url)| row(channel, hearing, feed, url, now)).collect()
        })
        .await?;
    let (mut imports, rows): (Vec<Row>, Vec<Row>) = rows.into_iter().partition(|row| row.withdrawn.is_some());
    imports.reverse();
    let page = Page { frame: Frame::new(&app, &owner, "/feeds").await?, rows, imports };
    drawn(owner.whose(), page).await
}

async fn change(app: &App, owner: &Owner, id: u32, change: FeedChange) -> Result<HttpResponse, WebError> {
    app.engine.store().change_feed(owner.channel.id, id, change).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    Ok(refreshed())
}

/// `POST /feeds/{id}/rotate`: another secret; the present one stays good for a day.
pub async fn rotate(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let previous_until = app.engine.now() + TimeDelta::hours(OVERLAP_HOURS);
    let secret = tokens::webhook_secret(&mut rand::rng());
    change(&app, &owner, *id, FeedChange::Rotate { secret, previous_until }).await
}

/// `POST /feeds/{id}/readdress`: another address; the present one is void at once.
pub async fn readdress(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    change(&app, &owner, *id, FeedChange::Readdress(tokens::token(&mut rand::rng()))).await
}

/// `POST /feeds/{id}/pause`: lets it stand still, or go on.
pub async fn pause(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    change(&app, &owner, *id, FeedChange::Pause).await
}

/// `POST /feeds/{id}/remove`: what came through it stays.
pub async fn remove(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    change(&app, &owner, *id, FeedChange::Remove).await
}

/// `POST /feeds/{id}/gifts`: whether a gift stands for its subscriptions too.
pub async fn gifts(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    change(&app, &owner, *id, FeedChange::ExpandGifts).await
}

/// `POST /feeds/{id}/withdraw`: undoes an import, or puts it back.
pub async fn withdraw(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let feed = app.engine.store().feed(owner.channel.id, *id).await?;
    let id = FeedId(feed.id);
    let withdrawn = owner.channel.ask(move |channel, _| channel.book().is_withdrawn(id)).await?;
    match owner.channel.withdraw(id, feed.name, !withdrawn, owner.by()).await {
        Ok(_) => Ok(refreshed()),
        Err(EngineError::Refused(why)) => Ok(refusal(&sentence(&why.to_string()))),
        Err(error) => Err(error.into()),
    }
}
