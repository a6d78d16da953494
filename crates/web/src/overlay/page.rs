//! Overlays on air: a page with a whole layout on it, and the one connection that feeds all its widgets.

use crate::app::App;
use crate::error::WebError;
use crate::markup::html;
use crate::overlay::live::{OnAir, connect};
use crate::overlay::{mark, stage};
use crate::security::behind::behind;
use crate::security::headers::AIR_POLICY;
use crate::{fonts, live};
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use bytestring::ByteString;
use serde::Deserialize;

#[derive(Template)]
#[template(path = "overlay.html")]
struct Page<'a> {
    build: &'a str,
    token: &'a str,
    name: &'a str,
    stage: ByteString,
    /// By which its live connection says that it has this stage.
    mark: String,
    /// Whether nothing is seen on air.
    covered: bool,
    /// Files of fonts that are fetched at once.
    fonts: Vec<&'static str>,
}

/// Finds the overlay behind an address. Guessing is slowed down.
async fn find(app: &App, request: &HttpRequest, token: &str) -> Result<OnAir, WebError> {
    let record = behind(app, request, token, app.engine.store().overlay_by_token(token.to_owned())).await?;
    let real = app.engine.channel(record.channel).await?;
    let rehearsed = real.hub.rehearsal().filter(|running| running.shows_on(record.id));
    let shown = rehearsed.map_or_else(|| real.clone(), |running| running.channel.clone());
    Ok(OnAir { real, shown, record })
}

/// `GET /o/{token}`: an overlay, transparent, at any size.
pub async fn page(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let OnAir { shown, record, .. } = find(&app, &request, &token).await?;
    let mark = mark(&shown, &record).await?;
    let stage = stage(&app, &shown, &record, &mark).await?;
    let covered = *shown.hub.cover_watch().borrow();
    let fonts = fonts::ahead(&stage);
    let page =
        Page { build: crate::assets::build(), token: &token, name: &record.air.name, stage, mark, covered, fonts };
    Ok(HttpResponse::Ok()
        .content_type(header::ContentType::html())
        .insert_header((header::CONTENT_SECURITY_POLICY, AIR_POLICY))
        .body(html(&page)))
}

/// What a page has already, when it connects for the first time.
#[derive(Deserialize)]
pub struct Has {
    have: Option<String>,
}

/// `GET /o/{token}/live`: the one connection for all its widgets.
pub async fn page_live(
    app: web::Data<App>,
    request: HttpRequest,
    payload: web::Payload,
    token: web::Path<String>,
    has: web::Query<Has>,
) -> Result<HttpResponse, actix_web::Error> {
    match find(&app, &request, &token).await {
        Ok(on_air) => connect(&request, payload, on_air, app, has.into_inner().have),
        Err(WebError::NotFound) => live::void(&request, payload),
        Err(error) => Err(error.into()),
    }
}
