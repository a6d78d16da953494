//! All looks beside each other: one widget in every shape and every look, with its own figures.

use crate::app::App;
use crate::error::WebError;
use crate::rooms::drawn::drawn_with;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::go_to;
use crate::security::session::Owner;
use crate::widgets;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::look::{Base, Look, Shape};
use tally_core::record::ids::WidgetId;
use tally_engine::{Seen, Shaping};

/// One way to show it.
struct Variant {
    look: &'static str,
    name: &'static str,
    shape: &'static str,
    shape_name: &'static str,
    chosen: bool,
    drawing: String,
}

#[derive(Template)]
#[template(path = "rooms/compare.html")]
struct Page {
    frame: Frame,
    id: WidgetId,
    title: String,
    backdrop: &'static str,
    sample: bool,
    variants: Vec<Variant>,
}

impl Page {
    fn is(&self, backdrop: &str) -> bool {
        self.backdrop == backdrop
    }
}

/// Before which picture, and whether with made-up figures.
#[derive(Deserialize)]
pub struct Asked {
    backdrop: Option<String>,
    figures: Option<String>,
}

/// `GET /widgets/{id}/looks`
pub async fn page(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    asked: web::Query<Asked>,
) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let backdrop = asked.backdrop.as_deref().unwrap_or("busy");
    let backdrop = ["busy", "dark", "bright", "checker"].into_iter().find(|one| *one == backdrop).unwrap_or("busy");
    let sample = asked.figures.as_deref() == Some("sample");
    let (title, view, looks) = owner
        .channel
        .ask(move |channel, now| {
            let (piece, scope) = (channel.staged(id)?, channel.scope(now));
            let look = |base: Base, shape: &'static Shape| {
                let (styled, _) = piece.edited("look", base.key(), &scope).ok()?;
                let (styled, _) = styled.edited("shape", shape.key, &scope).ok()?;
                Some((base, shape, styled.look().clone(), styled.look() == piece.look()))
            };
            let shapes = piece.shapes().iter();
            let looks = shapes.flat_map(|shape| Base::ALL.into_iter().filter_map(move |base| look(base, shape)));
            let view = if sample { piece.sample(&scope) } else { piece.view(&scope) };
            Some((piece.title().to_owned(), view, looks.collect::<Vec<_>>()))
        })
        .await?
        .ok_or(WebError::NotFound)?;
    let frame = Frame::new(&app, &owner, "/widgets").await?;
    drawn_with(owner.whose(), move || {
        let variant = |(base, shape, look, chosen): &(Base, &'static Shape, Look, bool)| Variant {
            look: base.key(),
            name: base.words().0,
            shape: shape.key,
            shape_name: shape.words,
            chosen: *chosen,
            drawing: widgets::example(Seen { view: &view, look, celebration: None, muted: false }),
        };
        Page { frame, id, title, backdrop, sample, variants: looks.iter().map(variant).collect() }
    })
    .await
}

/// Which look, and which shape.
#[derive(Deserialize)]
pub struct LookChoice {
    variant: String,
}

/// `POST /widgets/{id}/look`: tried on the stage like any other change.
pub async fn apply_look(
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<LookChoice>,
) -> Result<HttpResponse, WebError> {
    let (look, shape) = form.variant.split_once(' ').ok_or(WebError::NotFound)?;
    for (key, text) in [("look", look), ("shape", shape)] {
        let shaping = Shaping::Edit { key: key.to_owned(), text: text.to_owned() };
        owner.channel.shape(WidgetId(*id), shaping).await?;
    }
    Ok(go_to(&format!("/widgets/{id}")))
}
