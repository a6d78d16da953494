//! What of the overlays is on the picture now, and showing and hiding it during the show.

use crate::app::App;
use crate::error::{Answer, WebError, entered, press_id};
use crate::markup::html;
use crate::overlay::{titles, words};
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use serde_json::json;
use std::collections::BTreeSet;
use tally_core::overlay::Chosen;
use tally_engine::By;

/// Pieces that are to be shown or hidden.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Appearing {
    pieces: BTreeSet<u32>,
    shown: bool,
    id: String,
}

/// `POST /overlays/{id}/appear`: shows pieces, or hides them, on the picture that is on air.
pub async fn appear(app: web::Data<App>, owner: Owner, id: web::Path<u32>, body: web::Json<Appearing>) -> Answer {
    let record = app.engine.store().overlay(owner.channel.id, *id).await?;
    let Appearing { pieces, shown, id } = body.into_inner();
    Ok(entered(owner.channel.appear((record.id, record.air), pieces, shown, by(&owner, id)?).await?))
}

/// Who presses, with the press's own id.
fn by(owner: &Owner, id: String) -> Result<By, WebError> {
    Ok(By { name: owner.name.clone(), id: press_id(id)? })
}

/// Whether everything on air is to be hidden.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Covering {
    covered: bool,
    id: String,
}

/// `POST /desk/cover`: hides everything on air, or brings it back.
pub async fn cover(owner: Owner, body: web::Json<Covering>) -> Answer {
    let Covering { covered, id } = body.into_inner();
    Ok(entered(owner.channel.cover(covered, by(&owner, id)?).await?))
}

/// What can be shown and hidden of each overlay, for the desk.
#[derive(Template)]
#[template(path = "rooms/desk_overlays.html")]
struct OnPicture {
    /// Whether everything on air is hidden.
    covered: bool,
    overlays: Vec<(u32, String, Vec<Choice>)>,
}

/// One thing that can be shown and hidden.
struct Choice {
    /// Its pieces, as JSON.
    pieces: String,
    words: String,
    shown: bool,
}

/// What of the channel's overlays can be shown and hidden now, as the desk draws it.
///
/// # Errors
/// The database is away, or the channel is being let go.
pub async fn on_picture(app: &App, owner: &Owner) -> Result<String, WebError> {
    let mut overlays = Vec::new();
    for record in app.engine.store().overlays(owner.channel.id).await? {
        let titles = titles(&owner.channel, &record.air).await?;
        let id = record.id;
        let said = owner.channel.ask(move |channel, _| channel.appearances(id)).await?;
        let choice = |choice: Chosen<'_>| Choice {
            pieces: json!(choice.pieces.iter().map(|piece| piece.id).collect::<Vec<_>>()).to_string(),
            words: choice.pieces.iter().map(|piece| words(piece, &titles)).collect::<Vec<_>>().join(", "),
            shown: choice.shown,
        };
        let choices = record.air.choices(&said).into_iter().map(choice).collect();
        overlays.push((id, record.air.name.clone(), choices));
    }
    let covered = owner.channel.ask(|channel, _| channel.is_covered()).await?;
    Ok(html(&OnPicture { covered, overlays }))
}

/// `GET /desk/overlays`
pub async fn seen(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(on_picture(&app, &owner).await?))
}
