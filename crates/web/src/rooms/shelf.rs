//! The shelf: all widgets, each really drawn.

use crate::app::App;
use crate::error::WebError;
use crate::rooms::drawn::{drawn, drawn_with};
use crate::rooms::frame::Frame;
use crate::rooms::readiness::{self, Readiness};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use crate::widgets::{self, Drawable};
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::channel::starts::{STARTS, Start};
use tally_core::record::ids::WidgetId;
use tally_core::sentence;
use tally_core::widgets::{Definition, Piece, Setup};
use tally_engine::Shaping;

/// One widget on the shelf.
struct Row {
    id: WidgetId,
    family: &'static str,
    title: String,
    sentence: String,
    drawing: Drawable,
    trying: bool,
    readiness: Readiness,
}

/// One widget in the archive.
struct Away {
    id: WidgetId,
    family: &'static str,
    title: String,
}

#[derive(Template)]
#[template(path = "rooms/shelf.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
    away: Vec<Away>,
    families: &'static [(&'static str, &'static str, &'static str)],
    starts: &'static [Start],
}

/// A start really drawn, with made-up figures.
#[derive(Template)]
#[template(path = "rooms/starts.html")]
struct Starts {
    starts: Vec<(Start, &'static str, String)>,
}

/// The name of a family.
fn family_name(key: &str) -> &'static str {
    Definition::FAMILIES.iter().find(|(family, ..)| *family == key).map_or("", |(_, name, _)| name)
}

/// `GET /`: to the desk, or to wherever one gets there from.
pub async fn home(app: web::Data<App>) -> Result<HttpResponse, WebError> {
    let path = if app.engine.store().has_owner().await? { "/desk" } else { "/first-visit" };
    Ok(HttpResponse::SeeOther().insert_header(("Location", path)).finish())
}

/// `GET /widgets`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let all = app.engine.store().widgets(owner.channel.id).await?;
    let away = all.into_iter().filter(|one| one.archived).map(|one| {
        let piece = one.setup.unfolded();
        Away { id: one.id, family: family_name(piece.key()), title: piece.title().to_owned() }
    });
    let away = away.collect();
    let rows: Vec<Row> = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let scope = channel.scope(now);
            let row = |(id, piece): (WidgetId, &Piece)| {
                Some(Row {
                    id,
                    family: family_name(piece.key()),
                    title: piece.title().to_owned(),
                    sentence: sentence::plain(&piece.sentence(&scope)),
                    drawing: Drawable::of(piece, &scope),
                    trying: channel.draft(id).is_some(),
                    readiness: readiness::of(channel, hearing, id, &feeds, now)?,
                })
            };
            channel.widgets().filter_map(row).collect()
        })
        .await?;
    let frame = Frame::new(&app, &owner, "/widgets").await?;
    drawn(owner.whose(), Page { frame, rows, away, families: Definition::FAMILIES, starts: &STARTS }).await
}

/// `GET /widgets/starts`: the ready-made starts, drawn.
pub async fn starts(owner: Owner) -> Result<HttpResponse, WebError> {
    let samples: Vec<(Start, Drawable)> = owner
        .channel
        .ask(|channel, now| {
            let scope = channel.scope(now);
            let sample = |start: Start| {
                let piece = start.piece(channel.settings(), now).ok()??;
                Some((start, Drawable::showing(&piece, piece.sample(&scope))))
            };
            STARTS.into_iter().filter_map(sample).collect()
        })
        .await?;
    drawn_with(owner.whose(), move || {
        let draw =
            |(start, sample): (Start, Drawable)| (start, family_name(start.family), widgets::example(sample.seen()));
        Starts { starts: samples.into_iter().map(draw).collect() }
    })
    .await
}

/// Which family, or which start, is wanted.
#[derive(Deserialize)]
pub struct New {
    #[serde(default)]
    family: String,
    #[serde(default)]
    start: String,
}

/// `POST /widgets`: a new widget, and on to its bench.
pub async fn create(owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let New { family, start } = form.into_inner();
    let setup = owner
        .channel
        .ask(move |channel, now| match Start::of_key(&start) {
            Some(start) => start.piece(channel.settings(), now).ok().flatten().map(|piece| piece.setup()),
            None => Definition::standard(&family, channel.settings()).map(Setup::from),
        })
        .await?;
    match setup {
        Some(setup) => make(&owner, setup).await,
        None => Ok(refusal("There is no such family of widgets; choose one from the shelf.")),
    }
}

async fn make(owner: &Owner, setup: Setup) -> Result<HttpResponse, WebError> {
    let id = owner.channel.create(setup, tokens::token(&mut rand::rng())).await?;
    Ok(go_to(&format!("/widgets/{id}")))
}

/// `POST /widgets/{id}/duplicate`: the same again, with an address of its own.
pub async fn duplicate(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let setup = owner
        .channel
        .ask(move |channel, now| {
            let piece = channel.staged(id)?;
            // Eighty characters is the most that a title takes.
            let title: String = format!("{}, again", piece.title().chars().take(70).collect::<String>());
            let named = piece.edited("title", &title, &channel.scope(now));
            Some(named.map_or_else(|_| piece.setup(), |(piece, _)| piece.setup()))
        })
        .await?
        .ok_or(WebError::NotFound)?;
    make(&owner, setup).await
}

/// `POST /widgets/{id}/archive`: off the shelf; its page goes blank.
pub async fn archive(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    owner.channel.shape(WidgetId(*id), Shaping::Archive).await?;
    Ok(go_to("/widgets"))
}

/// `POST /widgets/{id}/restore`: back on the shelf, at its old address.
pub async fn restore(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    owner.channel.shape(WidgetId(*id), Shaping::Restore).await?;
    Ok(go_to("/widgets"))
}
