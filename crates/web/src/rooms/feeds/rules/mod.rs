//! Rules of a feed: what has come in, what it is said to be, and what that would come to, before it counts.

pub mod edits;
pub mod files;
pub mod view;
mod words;

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::sign_in::refusal;
use crate::security::session::Owner;
use actix_web::http::header::{ContentType, HeaderName, HeaderValue};
use actix_web::{HttpResponse, web};
use edits::Edit;
use serde::Deserialize;
use serde_json::Value;
use tally_core::record::ids::FeedId;
use tally_feeds::intake::{Intake, KEPT, Message};
use tally_feeds::mapping::trial::Kept;
use tally_store::feeds::Feed;
use tally_store::mapping::Mapping;
use view::Area;

/// Which message lies open.
#[derive(Debug, Clone, Default, Deserialize)]
pub struct Open {
    open: Option<u64>,
}

/// A feed with rules, and these.
async fn found(app: &App, owner: &Owner, id: u32) -> Result<(Feed, Mapping), WebError> {
    let feed = app.engine.store().feed(owner.channel.id, id).await?;
    let mapping = feed.wiring.mapping().cloned().filter(|_| !feed.removed).ok_or(WebError::NotFound)?;
    Ok((feed, mapping))
}

/// What a feed has kept, newest first.
async fn kept(app: &App, id: u32) -> Result<Vec<Kept>, WebError> {
    let since = app.engine.now() - KEPT;
    let rows = app.engine.store().deliveries(id, since).await?;
    let read = |row: tally_store::deliveries::Kept| {
        let document: Value = serde_json::from_str(&row.document).ok()?;
        Some(Kept { id: row.id, arrived: tally_core::book::instant(row.arrived_us), document })
    };
    Ok(rows.into_iter().filter_map(read).collect())
}

async fn area(app: &App, owner: &Owner, id: u32, open: Option<u64>) -> Result<Area, WebError> {
    let (feed, mapping) = found(app, owner, id).await?;
    let calendar = owner.channel.calendar().await?;
    let url = Some(owner.reach.feed_url(&feed.token));
    Ok(Area::of(app, &feed, &mapping, &kept(app, id).await?, open, &calendar, url))
}

fn shown(template: &impl askama::Template) -> HttpResponse {
    HttpResponse::Ok().insert_header(ContentType::html()).body(html(template))
}

/// A refusal that leaves everything on the page as it is.
fn refused(why: &str) -> HttpResponse {
    let mut answer = refusal(&sentence(why));
    retarget(&mut answer, "#refusal", "innerHTML");
    answer
}

/// Lets an answer go elsewhere than whoever asked meant it to.
fn retarget(answer: &mut HttpResponse, target: &'static str, swap: &'static str) {
    let headers = answer.headers_mut();
    headers.insert(HeaderName::from_static("hx-retarget"), HeaderValue::from_static(target));
    headers.insert(HeaderName::from_static("hx-reswap"), HeaderValue::from_static(swap));
}

/// `GET /feeds/{id}/rules`
pub async fn page(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Query<Open>,
) -> Result<HttpResponse, WebError> {
    let area = area(&app, &owner, *id, open.open).await?;
    let frame = crate::rooms::frame::Frame::new(&app, &owner, "/feeds").await?;
    Ok(shown(&view::Page { frame, area }))
}

/// `GET /feeds/{id}/rules/arrived`: what has come in, for the page to keep up with.
pub async fn arrived(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Query<Open>,
) -> Result<HttpResponse, WebError> {
    let area = area(&app, &owner, *id, open.open).await?;
    if open.open.is_none() && area.has_messages() {
        // The first has come: it lies open from now on.
        let mut answer = shown(&area);
        retarget(&mut answer, "#rules", "outerHTML");
        return Ok(answer);
    }
    Ok(shown(&view::Arrived { area }))
}

/// `GET /feeds/{id}/rules/area`: another message lies open.
pub async fn opened(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Query<Open>,
) -> Result<HttpResponse, WebError> {
    Ok(shown(&area(&app, &owner, *id, open.open).await?))
}

/// `POST /feeds/{id}/rules/edit`: one thing about the rules as they are being written.
pub async fn edit(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    edit: web::Form<Edit>,
) -> Result<HttpResponse, WebError> {
    // What was kept is the owner's alone.
    found(&app, &owner, *id).await?;
    let kept = kept(&app, *id).await?;
    let edit = edit.into_inner();
    let open = Open { open: edit.open };
    let message = kept.into_iter().find(|one| open.open.is_none_or(|open| open == one.id)).map(|one| one.document);
    changed(&app, &owner, *id, open, move |mapping| {
        let new = edits::edited(mapping.written(), &edit, message.as_ref())?;
        mapping.write(new);
        Ok(())
    })
    .await
}

/// Changes the rules of a feed as they stand now; what is refused is given back.
async fn save(
    app: &App,
    owner: &Owner,
    id: u32,
    change: impl FnOnce(&mut Mapping) -> Result<(), String> + Send + 'static,
) -> Result<Result<(), String>, WebError> {
    found(app, owner, id).await?;
    let saved = app.engine.store().change_mapping(owner.channel.id, id, change).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    Ok(saved)
}

/// Changes the rules, and shows them as they are then.
async fn changed(
    app: &App,
    owner: &Owner,
    id: u32,
    open: Open,
    change: impl FnOnce(&mut Mapping) -> Result<(), String> + Send + 'static,
) -> Result<HttpResponse, WebError> {
    match save(app, owner, id, change).await? {
        Ok(()) => Ok(shown(&area(app, owner, id, open.open).await?)),
        Err(why) => Ok(refused(&why)),
    }
}

/// `POST /feeds/{id}/rules/use`: the rules as they are written count from now on.
pub async fn put_in_force(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Form<Open>,
) -> Result<HttpResponse, WebError> {
    changed(&app, &owner, *id, open.into_inner(), |mapping| {
        if mapping.written().is_empty() {
            return Err("There is no rule yet; press a message and say what it is.".into());
        }
        if let Some(draft) = mapping.draft.take() {
            mapping.rules = draft;
        }
        mapping.rules.iter_mut().for_each(|rule| rule.guessed = false);
        mapping.counts = true;
        Ok(())
    })
    .await
}

/// `POST /feeds/{id}/rules/listen`: nothing counts until the rules are put in force again.
pub async fn listen(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Form<Open>,
) -> Result<HttpResponse, WebError> {
    changed(&app, &owner, *id, open.into_inner(), |mapping| {
        mapping.counts = false;
        Ok(())
    })
    .await
}

/// `POST /feeds/{id}/rules/discard`: the rules are again those in force.
pub async fn discard(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Form<Open>,
) -> Result<HttpResponse, WebError> {
    changed(&app, &owner, *id, open.into_inner(), |mapping| {
        mapping.draft = None;
        Ok(())
    })
    .await
}

/// `POST /feeds/{id}/rules/count`: messages that came in before a rule was there count too, each once.
pub async fn count(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    open: web::Form<Open>,
) -> Result<HttpResponse, WebError> {
    let (feed, mapping) = found(&app, &owner, *id).await?;
    let kept = kept(&app, *id).await?;
    if !mapping.counts || mapping.draft.is_some() {
        return Ok(refused("Put the rules in force first."));
    }
    let again = matches!(feed.wiring, tally_store::feeds::Wiring::List(_));
    let intake = Intake::new(FeedId(feed.id), &mapping, again).map_err(|error| WebError::Refused(error.to_string()))?;
    // Oldest first, as they came. What still fits no rule is kept on, and forgotten only when all is done.
    let messages = kept.iter().rev().map(|one| Message { arrived: one.arrived, document: one.document.clone() });
    intake.take(&app.engine, &owner.channel, messages.collect()).await?;
    let calendar = owner.channel.calendar().await?;
    let fit = intake.fitting(&kept, &calendar);
    app.engine.store().forget_deliveries(feed.id, fit).await?;
    Ok(shown(&area(&app, &owner, *id, open.open).await?))
}
