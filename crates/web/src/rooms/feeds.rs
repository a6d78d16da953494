//! Feeds: where happenings come from, and what a sender needs to know.

use crate::app::App;
use crate::draw::{Lamp, html};
use crate::error::WebError;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::refusal;
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::TimeDelta;
use serde::Deserialize;
use tally_core::ids::FeedId;
use tally_core::text;

/// For how long the previous secret stays good after a rotation.
const OVERLAP_HOURS: i64 = 24;

struct Row {
    id: u32,
    lamp: Lamp,
    url: String,
    secret: String,
    previous_until: Option<String>,
}

#[derive(Template)]
#[template(path = "rooms/feeds.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
}

/// `GET /feeds`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let urls: Vec<String> = feeds.iter().map(|feed| app.feed_url(&feed.token)).collect();
    let rows = owner
        .channel
        .ask(move |channel, now| {
            let calendar = &channel.settings().calendar;
            let row = |(feed, url): (tally_store::feeds::Feed, String)| Row {
                id: feed.id,
                lamp: Lamp::of(&feed.name, channel.pulse(FeedId(feed.id)), calendar, now),
                url,
                previous_until: feed
                    .previous_until_us
                    .and_then(chrono::DateTime::from_timestamp_micros)
                    .filter(|until| *until > now)
                    .map(|until| crate::draw::since(calendar, until, now)),
                secret: feed.secret,
            };
            feeds.into_iter().zip(urls).map(row).collect()
        })
        .await?;
    let page = Page { frame: Frame::new(&app, &owner, "/feeds").await?, rows };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// What is typed in.
#[derive(Deserialize)]
pub struct New {
    name: String,
}

/// `POST /feeds`: wires a signed webhook.
pub async fn create(app: web::Data<App>, owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let name = match text::name(&form.name) {
        Ok(name) if name.chars().count() <= 80 => name,
        Ok(_) => return Ok(refusal("The name is longer than 80 characters.")),
        Err(error) => return Ok(refusal(&format!("The name {error}."))),
    };
    let (token, secret) = (tokens::token(&mut rand::rng()), tokens::webhook_secret(&mut rand::rng()));
    app.engine.store().create_feed(owner.channel.id, name, token, secret).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    Ok(refresh())
}

/// `POST /feeds/{id}/rotate`: another secret; the present one stays good for a day.
pub async fn rotate(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let until = app.engine.now() + TimeDelta::hours(OVERLAP_HOURS);
    let secret = tokens::webhook_secret(&mut rand::rng());
    app.engine.store().rotate_secret(owner.channel.id, *id, secret, until).await?;
    app.engine.feeds_changed(owner.channel.id).await?;
    Ok(refresh())
}

fn refresh() -> HttpResponse {
    HttpResponse::Ok().insert_header(("HX-Refresh", "true")).finish()
}
