//! History from a file: matched column by column, tried without adding anything, then added.

use super::known::Known;
use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::received::{self, Named};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use crate::uploads::{Shape, Upload};
use actix_web::http::header::ContentType;
use actix_web::web::Payload;
use actix_web::{HttpResponse, web};
use askama::Template;
use futures_util::{StreamExt, TryStreamExt, stream};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::ControlFlow;
use std::sync::Arc;
use tally_core::money::{Currency, group};
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::Kind;
use tally_core::record::ids::FeedId;
use tally_core::time::calendar::Calendar;
use tally_feeds::rates;
use tally_feeds::table::{self, Field, Look, Matching};
use tally_store::feeds::{FeedChange, Wiring};
use tokio::sync::mpsc;

/// How many refused lines are listed.
const LISTED: usize = 40;
/// Lines in one append.
const BATCH: usize = 1_000;
/// Appends on their way at the same time.
const AT_ONCE: usize = 8;

/// `POST /imports?name=…`: takes a file. Answers with the page on which to go on.
pub async fn receive(
    app: web::Data<App>,
    owner: Owner,
    named: web::Query<Named>,
    payload: Payload,
) -> Result<HttpResponse, WebError> {
    let body = match received::file(payload, table::MOST_BYTES).await? {
        Ok(body) => body,
        Err(why) => return Ok(refusal(&sentence(&why))),
    };
    let looked = aside(move || {
        let text = table::text(&body).map_err(|error| error.to_string())?.to_owned();
        let shape = if text.trim_start().starts_with('<') {
            rates::parse(&text).map_err(|error| format!("This looks like exchange rates, but {error}."))?;
            Shape::Rates
        } else if table::is_ndjson(&text) {
            Shape::Events
        } else {
            Shape::Table(table::look(&text).map_err(|error| error.to_string())?)
        };
        Ok::<_, String>((text, shape))
    })
    .await?;
    match looked {
        Err(why) => Ok(refusal(&why)),
        Ok((text, shape)) => {
            let name = named.tidy();
            let (keeper, channel) = (app.clone(), owner.channel.id);
            let kept = aside(move || keeper.uploads.put(channel, name, &text, shape)).await?;
            let token = kept.map_err(|error| WebError::Inside(format!("a file cannot be kept: {error}")))?;
            Ok(go_to(&format!("/imports/{token}")))
        }
    }
}

/// Reads files away from the threads that serve pages.
async fn aside<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, WebError> {
    tokio::task::spawn_blocking(work).await.map_err(|error| WebError::Inside(error.to_string()))
}

/// One thing that can be matched to a column.
struct Match {
    key: &'static str,
    words: &'static str,
    column: Option<usize>,
}

#[derive(Template)]
#[template(path = "rooms/import.html")]
struct Page {
    frame: Frame,
    token: String,
    name: String,
    lines: String,
    matches: Vec<Match>,
    headings: Vec<String>,
    sample: Vec<Vec<String>>,
    kinds: Vec<(&'static str, &'static str)>,
    currency: String,
    is_table: bool,
    is_rates: bool,
}

/// `GET /imports/{token}`
pub async fn page(app: web::Data<App>, owner: Owner, token: web::Path<String>) -> Result<HttpResponse, WebError> {
    let upload = app.uploads.get(&token, owner.channel.id)?;
    let currency = owner.channel.ask(|channel, _| channel.settings().currency.code().to_owned()).await?;
    let mut page = Page {
        frame: Frame::new(&app, &owner, "/feeds").await?,
        token: token.into_inner(),
        name: upload.name.clone(),
        lines: group(upload.lines as u64),
        matches: Vec::new(),
        headings: Vec::new(),
        sample: Vec::new(),
        kinds: Kind::SENT.into_iter().map(|kind| (kind.key(), kind.plural())).collect(),
        currency,
        is_table: false,
        is_rates: matches!(upload.shape, Shape::Rates),
    };
    if let Shape::Table(look) = &upload.shape {
        let guess = table::guess(look);
        let place = |(field, key, words, _): (Field, &'static str, &'static str, _)| Match {
            key,
            words,
            column: guess.columns.get(&field).copied(),
        };
        page.matches = Field::ALL.into_iter().map(place).collect();
        page.headings.clone_from(&look.headings);
        page.sample.clone_from(&look.sample);
        page.is_table = true;
    }
    drawn(owner.whose(), page).await
}

/// Which column is what, as the form says it.
type Form = HashMap<String, String>;

fn matching(form: &Form, look: &Look) -> Result<Matching, String> {
    let mut matching = Matching::default();
    for (key, place) in form {
        if let Some(field) = Field::of_key(key)
            && !place.is_empty()
        {
            let place = place.parse().ok().filter(|place| *place < look.headings.len());
            matching.columns.insert(field, place.ok_or("Choose the columns from the lists.")?);
        }
    }
    let all = form.get("all_kind").map(String::as_str).unwrap_or_default();
    matching.kind = Kind::of_key(all).filter(|kind| Kind::SENT.contains(kind));
    if matching.kind.is_none() && !matching.columns.contains_key(&Field::Kind) {
        return Err("Say what the lines are: choose one kind for all, or the column that tells it.".into());
    }
    if !matching.columns.contains_key(&Field::Time) {
        return Err("Choose the column that tells when it happened.".into());
    }
    let currency = form.get("all_currency").map(|code| code.trim().to_uppercase()).unwrap_or_default();
    if !currency.is_empty() && Currency::parse(&currency).is_err() {
        return Err(format!("“{currency}” is no currency code; write three letters such as GBP."));
    }
    matching.currency = currency;
    Ok(matching)
}

/// What a file comes to.
#[derive(Default)]
struct Read {
    events: Vec<(u64, Incoming)>,
    refused: Vec<(u64, String)>,
    refused_all: u64,
}

/// Hands over every line of a file, in order, until the taker has had enough.
fn each_line(
    upload: &Upload,
    form: &Form,
    calendar: &Calendar,
    now: tally_core::time::Instant,
    mut take: impl FnMut(table::Row) -> ControlFlow<()>,
) -> Result<(), String> {
    let text = upload.text()?;
    // Whoever stops early does so because nobody waits for the rest.
    let _ = match &upload.shape {
        Shape::Table(look) => {
            let matching = matching(form, look)?;
            table::read(&text, look, &matching, calendar, now).try_for_each(&mut take)
        }
        Shape::Events => table::ndjson(&text, now).try_for_each(&mut take),
        Shape::Rates => ControlFlow::Continue(()),
    };
    Ok(())
}

fn read(upload: &Upload, form: &Form, calendar: &Calendar, now: tally_core::time::Instant) -> Result<Read, String> {
    let mut read = Read::default();
    each_line(upload, form, calendar, now, |(line, row)| {
        match row {
            Ok(event) => read.events.push((line, event)),
            Err(why) => {
                read.refused_all += 1;
                if read.refused.len() < LISTED {
                    read.refused.push((line, why));
                }
            }
        }
        ControlFlow::Continue(())
    })?;
    Ok(read)
}

/// Reads a file and hands over what is well in batches, while they are being recorded.
fn read_batches(
    upload: &Upload,
    form: &Form,
    calendar: &Calendar,
    now: tally_core::time::Instant,
    batches: &mpsc::Sender<Vec<Incoming>>,
) -> Result<(), String> {
    let mut batch = Vec::with_capacity(BATCH);
    each_line(upload, form, calendar, now, |(_, row)| {
        batch.extend(row);
        if batch.len() == BATCH && batches.blocking_send(std::mem::take(&mut batch)).is_err() {
            return ControlFlow::Break(());
        }
        ControlFlow::Continue(())
    })?;
    if !batch.is_empty() {
        // Nobody waiting means that recording has failed, which is told there.
        let _ = batches.blocking_send(batch);
    }
    Ok(())
}

/// What trying says.
#[derive(Template)]
#[template(path = "rooms/import_tried.html")]
struct Tried {
    token: String,
    fresh: u64,
    duplicates: u64,
    refused: u64,
    listed: Vec<(u64, String)>,
    by_kind: Vec<(&'static str, u64)>,
    sample: Vec<(u64, String)>,
    duplicate_lines: Vec<u64>,
}

async fn reading(app: &App, owner: &Owner, token: &str, form: Form) -> Result<Result<Read, String>, WebError> {
    let upload = app.uploads.get(token, owner.channel.id)?;
    let calendar = owner.channel.ask(|channel, _| channel.settings().calendar).await?;
    let now = app.engine.now();
    aside(move || read(&upload, &form, &calendar, now)).await
}

/// `POST /imports/{token}/try`: what would be added, what is known already, what is refused.
pub async fn dry(
    app: web::Data<App>,
    owner: Owner,
    token: web::Path<String>,
    form: web::Form<Form>,
) -> Result<HttpResponse, WebError> {
    let read = match reading(&app, &owner, &token, form.into_inner()).await {
        Ok(Ok(read)) => read,
        Ok(Err(why)) | Err(WebError::Refused(why)) => return Ok(refusal(&why)),
        Err(error) => return Err(error),
    };
    let origins: Vec<&Origin> = read.events.iter().map(|(_, event)| &event.origin).collect();
    let known = Known::new(&app, owner.channel.id).await?.of(&app, owner.channel.id, &origins).await?;
    let mut seen = HashSet::new();
    let (mut by_kind, mut fresh, mut sample, mut duplicate_lines) = (BTreeMap::new(), 0, Vec::new(), Vec::new());
    for ((line, event), known) in read.events.iter().zip(known) {
        if known || !seen.insert(&event.origin) {
            if duplicate_lines.len() < LISTED {
                duplicate_lines.push(*line);
            }
            continue;
        }
        fresh += 1;
        *by_kind.entry(event.happening.kind()).or_insert(0) += 1;
        if sample.len() < 5 {
            sample.push((*line, event.happening.words()));
        }
    }
    let tried = Tried {
        token: token.into_inner(),
        fresh,
        duplicates: read.events.len() as u64 - fresh,
        refused: read.refused_all,
        listed: read.refused,
        by_kind: by_kind.into_iter().map(|(kind, count)| (kind.plural(), count)).collect(),
        sample,
        duplicate_lines,
    };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&tried)))
}

/// `POST /imports/{token}/add`: adds every line that is well and not known yet.
pub async fn add(
    app: web::Data<App>,
    owner: Owner,
    token: web::Path<String>,
    form: web::Form<Form>,
) -> Result<HttpResponse, WebError> {
    let upload = match app.uploads.get(&token, owner.channel.id) {
        Ok(upload) => upload,
        Err(error) => return Ok(refusal(&error.to_string())),
    };
    if matches!(upload.shape, Shape::Rates) {
        let file = Arc::clone(&upload);
        let days = aside(move || rates::parse(&file.text()?).map_err(|error| error.to_string())).await?;
        let days = days.map_err(WebError::Refused)?;
        owner.channel.rates(days).await?;
        app.uploads.drop(&token);
        return Ok(go_to("/ledger?kind=rates"));
    }
    let calendar = owner.channel.ask(|channel, _| channel.settings().calendar).await?;
    let (now, form) = (app.engine.now(), form.into_inner());
    let (sender, mut batches) = mpsc::channel::<Vec<Incoming>>(AT_ONCE);
    let (file, name) = (Arc::clone(&upload), upload.name.clone());
    let reading = aside(move || read_batches(&file, &form, &calendar, now, &sender));
    let reading = tokio::spawn(reading);
    let Some(first) = batches.recv().await else {
        let read = reading.await.map_err(|error| WebError::Inside(error.to_string()))??;
        let none = "There is no line that could be added; mend the file or match its columns otherwise.";
        return Ok(refusal(&read.err().unwrap_or_else(|| none.into())));
    };
    let store = app.engine.store();
    let (feed_token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
    let wiring = Wiring::Import { lines: 0 };
    let feed = store.create_feed(owner.channel.id, name, wiring, feed_token, secret).await?;
    let rest = stream::unfold(batches, |mut batches| async { Some((batches.recv().await?, batches)) });
    let all = stream::once(async { first }).chain(rest);
    let (id, feed_id) = (owner.channel.id, FeedId(feed.id));
    let known = Known::new(&app, id).await?;
    let sent = all.map(|batch| async {
        let origins: Vec<&Origin> = batch.iter().map(|event| &event.origin).collect();
        let known = known.of(&app, id, &origins).await?;
        let fresh = batch.into_iter().zip(known).filter(|(_, known)| !known).map(|(event, _)| event).collect();
        Ok::<_, WebError>(owner.channel.ingest_file(feed_id, fresh).await?)
    });
    let added = sent.buffered(AT_ONCE).try_fold(0_u64, async |sum, done| Ok(sum + done.accepted as u64)).await?;
    store.change_feed(id, feed.id, FeedChange::Wire(Wiring::Import { lines: added })).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    app.uploads.drop(&token);
    Ok(go_to("/feeds#files"))
}
