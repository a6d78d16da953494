//! The shelf: all widgets, each really drawn.

use crate::app::App;
use crate::draw::html;
use crate::error::WebError;
use crate::rooms::frame::Frame;
use crate::rooms::readiness::{self, Readiness};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use crate::widgets;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::ids::WidgetId;
use tally_core::sentence;
use tally_core::widgets::Definition;

/// One widget on the shelf.
struct Row {
    id: WidgetId,
    family: &'static str,
    title: String,
    sentence: String,
    drawing: String,
    readiness: Readiness,
}

#[derive(Template)]
#[template(path = "rooms/shelf.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
    families: &'static [(&'static str, &'static str, &'static str)],
}

/// `GET /`: to the desk, or to wherever one gets there from.
pub async fn home(app: web::Data<App>) -> Result<HttpResponse, WebError> {
    let path = if app.engine.store().has_owner().await? { "/desk" } else { "/first-visit" };
    Ok(HttpResponse::SeeOther().insert_header(("Location", path)).finish())
}

/// `GET /widgets`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let rows = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let scope = channel.scope(now);
            let row = |(id, piece): (WidgetId, &tally_core::widgets::Piece)| {
                Some(Row {
                    id,
                    family: piece.key(),
                    title: piece.title().to_owned(),
                    sentence: sentence::plain(&piece.sentence(&scope)),
                    drawing: widgets::draw(&piece.view(&scope)),
                    readiness: readiness::of(channel, hearing, id, &feeds, now)?,
                })
            };
            channel.widgets().filter_map(row).collect()
        })
        .await?;
    let page = Page { frame: Frame::new(&app, &owner, "/widgets").await?, rows, families: &Definition::FAMILIES };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// Which family is wanted.
#[derive(Deserialize)]
pub struct New {
    family: String,
}

/// `POST /widgets`: a new widget, and on to its bench.
pub async fn create(owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let family = form.into_inner().family;
    let definition = owner.channel.ask(move |channel, _| Definition::standard(&family, channel.settings())).await?;
    let Some(definition) = definition else {
        return Ok(refusal("There is no such family of widgets; choose one from the shelf."));
    };
    let id = owner.channel.create(definition, tokens::token(&mut rand::rng())).await?;
    Ok(go_to(&format!("/widgets/{id}")))
}
