//! The bench: one widget, its stage, its sentence, its address, its readiness, and why it says what it says.

use crate::app::App;
use crate::draw::html;
use crate::error::WebError;
use crate::rooms::frame::Frame;
use crate::rooms::readiness::{self, Readiness};
use crate::security::session::Owner;
use crate::security::tokens;
use crate::widgets;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::count::Count;
use tally_core::explain::{Effect, Slip, SlipLine};
use tally_core::happening::Happening;
use tally_core::ids::{Seq, WidgetId};
use tally_core::sentence::{Editor, Part, instant_words};
use tally_core::widgets::Scope;
use tally_engine::{EngineError, Hearing};
use tally_store::feeds::Feed;
use tally_store::widgets::WidgetRecord;

/// The sentence, with what was refused where something was.
#[derive(Template)]
#[template(path = "rooms/sentence.html")]
struct Sentence {
    id: WidgetId,
    parts: Vec<Part>,
    refused: Option<Refused>,
}

/// An edit that was refused: nothing typed is lost.
struct Refused {
    key: String,
    text: String,
    message: String,
}

impl Sentence {
    /// What was typed into a part that was refused.
    fn typed(&self, key: &str) -> Option<&str> {
        self.refused.as_ref().filter(|refused| refused.key == key).map(|refused| refused.text.as_str())
    }
}

/// What follows every change: the sample drawing, readiness and the slip.
#[derive(Template)]
#[template(path = "rooms/bench_aside.html")]
struct Aside {
    sample: String,
    readiness: Readiness,
    slip: Slip,
    /// Whether the sample and the slip stand apart on the page, so that they must say where they go.
    apart: bool,
}

#[derive(Template)]
#[template(path = "rooms/bench.html")]
struct Page {
    frame: Frame,
    id: WidgetId,
    family: &'static str,
    title: String,
    drawing: String,
    sentence: Sentence,
    aside: Aside,
    page_url: String,
    read_url: String,
    /// Whether it counts what happens, so that something can be rehearsed.
    counts: bool,
    /// What it shows while nothing was rehearsed.
    rehearsal: String,
}

struct Looked {
    family: &'static str,
    title: String,
    drawing: String,
    parts: Vec<Part>,
    aside: Aside,
    counts: bool,
    rehearsal: String,
}

async fn record(app: &App, owner: &Owner, id: WidgetId) -> Result<WidgetRecord, WebError> {
    let all = app.engine.store().widgets(owner.channel.id).await?;
    all.into_iter().find(|one| one.id == id).ok_or(WebError::NotFound)
}

async fn look(app: &App, owner: &Owner, id: WidgetId, apart: bool) -> Result<Looked, WebError> {
    let feeds: Vec<Feed> = app.engine.store().feeds(owner.channel.id).await?;
    let looked = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let (piece, scope) = (channel.widget(id)?, channel.scope(now));
            // What follows a change leaves the stage alone.
            let rehearsal = if apart { None } else { channel.rehearsal().view(id, now) };
            Some(Looked {
                counts: !piece.counts(channel.settings()).is_empty(),
                rehearsal: rehearsal.map(|view| widgets::draw(&view)).unwrap_or_default(),
                family: piece.key(),
                title: piece.title().to_owned(),
                drawing: widgets::draw(&piece.view(&scope)),
                parts: piece.sentence(&scope),
                aside: Aside {
                    sample: widgets::draw(&piece.sample(&scope)),
                    readiness: readiness::of(channel, hearing, id, &feeds, now)?,
                    slip: with_rehearsals(piece.explain(&scope), &piece.counts(scope.settings), hearing, &scope),
                    apart,
                },
            })
        })
        .await?;
    looked.ok_or(WebError::NotFound)
}

/// The slip with what was only rehearsed in front, among what was left out.
fn with_rehearsals(mut slip: Slip, counts: &[Count], hearing: &Hearing, scope: &Scope<'_>) -> Slip {
    let kinds = counts.iter().fold(0, |kinds, count| kinds | count.kinds());
    let rehearsed = hearing.rehearsals().filter(|(_, one)| one.kind().bit() & kinds != 0);
    let line = |(at, happening): &(tally_core::Instant, Happening)| SlipLine {
        seq: Seq(0),
        when: instant_words(&scope.settings.calendar, *at),
        words: happening.words(),
        effect: Effect::LeftOut("a rehearsal".into()),
    };
    slip.lines.splice(0..0, rehearsed.map(line).collect::<Vec<_>>());
    slip
}

/// `GET /widgets/{id}`
pub async fn page(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let record = record(&app, &owner, id).await?;
    let looked = look(&app, &owner, id, false).await?;
    let page = Page {
        frame: Frame::new(&app, &owner, "/widgets").await?,
        id,
        family: looked.family,
        title: looked.title,
        drawing: looked.drawing,
        sentence: Sentence { id, parts: looked.parts, refused: None },
        aside: looked.aside,
        page_url: app.page_url(&record.page_token),
        read_url: app.read_url(&record.page_token),
        counts: looked.counts,
        rehearsal: looked.rehearsal,
    };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// One part of the sentence, as its form sends it.
#[derive(Deserialize)]
pub struct Edit {
    key: String,
    text: String,
}

/// `POST /widgets/{id}/sentence`: on air at once.
pub async fn edit(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<Edit>,
) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let Edit { key, text } = form.into_inner();
    let refused = match owner.channel.edit(id, key.clone(), text.clone()).await {
        Ok(()) => None,
        Err(EngineError::Edit(error)) => {
            Some(Refused { key, text, message: crate::error::sentence(&error.to_string()) })
        }
        Err(error) => return Err(error.into()),
    };
    let looked = look(&app, &owner, id, true).await?;
    let mut answer = if refused.is_some() { HttpResponse::UnprocessableEntity() } else { HttpResponse::Ok() };
    let body = html(&Sentence { id, parts: looked.parts, refused }) + &html(&looked.aside);
    Ok(answer.insert_header(ContentType::html()).body(body))
}

/// `GET /widgets/{id}/aside`: readiness and the slip as they are now.
pub async fn aside(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let looked = look(&app, &owner, WidgetId(*id), true).await?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&looked.aside)))
}

/// `POST /widgets/{id}/readdress`: another address; pages at the old one go blank.
pub async fn readdress(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    app.engine.readdress(owner.channel.id, WidgetId(*id), tokens::token(&mut rand::rng())).await?;
    Ok(HttpResponse::Ok().insert_header(("HX-Refresh", "true")).finish())
}
