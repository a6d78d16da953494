//! The ledger: what came in, newest first, and where a line that should not count is voided.

use crate::app::App;
use crate::draw::{html, since};
use crate::error::WebError;
use crate::rooms::frame::Frame;
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use std::collections::BTreeMap;
use tally_core::entry::{ACT, Body, CORRECT, Entry, VOID};
use tally_core::happening::Kind;
use tally_core::ids::{Seq, WidgetId};
use tally_core::text;
use tally_engine::Correction;

/// How many lines stand on a page.
const LINES: i64 = 100;

/// A line as it stands on the page.
struct Line {
    seq: u64,
    when: String,
    words: String,
    message: Option<String>,
    from: String,
    /// Of what happened on the channel: whether somebody voided it.
    voided: Option<bool>,
}

#[derive(Template)]
#[template(path = "rooms/ledger_lines.html")]
struct Lines {
    lines: Vec<Line>,
    /// Where the next page begins, if there is one.
    older: Option<u64>,
    kind: &'static str,
}

#[derive(Template)]
#[template(path = "rooms/ledger.html")]
struct Page {
    frame: Frame,
    lines: Lines,
    kinds: Vec<(&'static str, &'static str)>,
    /// Whether the page begins with the newest line, and so follows what comes in.
    is_head: bool,
}

/// Which lines are wanted.
#[derive(Deserialize)]
pub struct Wanted {
    before: Option<u64>,
    kind: Option<String>,
}

/// What the ledger can be narrowed down to: every kind, what was operated, what was corrected.
fn kinds() -> Vec<(&'static str, &'static str)> {
    let happened = Kind::ALL.into_iter().map(|kind| (kind.key(), kind.plural()));
    happened.chain([(ACT, "what you operated"), (VOID, "what you took back"), (CORRECT, "corrections")]).collect()
}

async fn lines(app: &App, owner: &Owner, wanted: &Wanted) -> Result<Lines, WebError> {
    let asked = wanted.kind.as_deref().unwrap_or_default();
    let kind = kinds().into_iter().map(|(key, _)| key).find(|key| *key == asked);
    let store = app.engine.store();
    let entries = store.entries_before(owner.channel.id, kind, wanted.before.map(Seq), LINES).await?;
    let older =
        (entries.len() == usize::try_from(LINES).unwrap_or(usize::MAX)).then(|| entries.last().map(|e| e.seq.0));
    let lines = describe(app, owner, entries).await?;
    Ok(Lines { lines, older: older.flatten(), kind: kind.unwrap_or_default() })
}

async fn describe(app: &App, owner: &Owner, entries: Vec<Entry>) -> Result<Vec<Line>, WebError> {
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let feeds: BTreeMap<u32, String> = feeds.into_iter().map(|feed| (feed.id, feed.name)).collect();
    let lines = owner
        .channel
        .ask(move |channel, now| {
            let title = |id: WidgetId| channel.widget(id).map_or("a widget", |piece| piece.title()).to_owned();
            let line = |entry: Entry| {
                let words = entry.body.words();
                Line {
                    seq: entry.seq.0,
                    when: since(&channel.settings().calendar, entry.happened_at, now),
                    words: entry.body.widget().map_or(words.clone(), |id| format!("{}: {words}", title(id))),
                    message: message(&entry.body),
                    from: match entry.feed.and_then(|feed| feeds.get(&feed.0)) {
                        Some(feed) => feed.clone(),
                        None => "by hand".into(),
                    },
                    voided: matches!(entry.body, Body::Happening(_)).then(|| channel.voided().contains(&entry.seq)),
                }
            };
            entries.into_iter().map(line).collect()
        })
        .await?;
    Ok(lines)
}

fn message(body: &Body) -> Option<String> {
    match body {
        Body::Happening(happening) => happening.message().map(str::to_owned),
        _ => None,
    }
}

/// `GET /ledger`
pub async fn page(app: web::Data<App>, owner: Owner, wanted: web::Query<Wanted>) -> Result<HttpResponse, WebError> {
    let page = Page {
        frame: Frame::new(&app, &owner, "/ledger").await?,
        lines: lines(&app, &owner, &wanted).await?,
        kinds: kinds(),
        is_head: wanted.before.is_none(),
    };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// `GET /ledger/lines`: the lines alone, for a page that follows what comes in.
pub async fn head(app: web::Data<App>, owner: Owner, wanted: web::Query<Wanted>) -> Result<HttpResponse, WebError> {
    let lines = lines(&app, &owner, &wanted).await?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&lines)))
}

/// What becomes of a line, and why.
#[derive(Deserialize)]
pub struct Verdict {
    counts: bool,
    reason: String,
}

/// `POST /ledger/{seq}/correct`: voids a line, or lets it count again.
pub async fn correct(
    app: web::Data<App>,
    owner: Owner,
    seq: web::Path<u64>,
    form: web::Form<Verdict>,
) -> Result<HttpResponse, WebError> {
    let reason = text::message(&form.reason).map_err(|error| WebError::Refused(format!("The reason {error}.")))?;
    let correction = Correction {
        target: Seq(*seq),
        counts: form.counts,
        by: owner.name.clone(),
        reason: Some(reason).filter(|reason| !reason.is_empty()),
        id: tokens::token(&mut rand::rng()),
    };
    owner.channel.correct(correction).await?;
    let entry = app.engine.store().entry(owner.channel.id, Seq(*seq)).await?;
    let lines = Lines { lines: describe(&app, &owner, vec![entry]).await?, older: None, kind: "" };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&lines)))
}
