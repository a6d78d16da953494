//! Pages for the broadcasting software.

use crate::app::App;
use crate::error::WebError;
use crate::heavy::{ROOMS, Whose};
use crate::markup::html;
use crate::security::behind::behind;
use crate::security::headers::AIR_POLICY;
use crate::widgets::Drawable;
use crate::{fonts, live};
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::record::ids::WidgetId;
use tally_core::widgets::Family;
use tally_core::widgets::scoreboard::Scoreboard;
use tally_engine::{ChannelHandle, EngineError};

#[derive(Template)]
#[template(path = "air.html")]
struct AirPage<'a> {
    build: &'a str,
    token: &'a str,
    id: WidgetId,
    family: &'a str,
    drawing: String,
    /// The design in which this page shows its board.
    design: Option<&'static str>,
    /// Whether nothing is seen on air.
    covered: bool,
    /// Files of fonts that are fetched at once.
    fonts: Vec<&'static str>,
}

/// In which design a page shows its board, where that is another than the look's: several pages may show one board, in step.
#[derive(Deserialize)]
pub struct Design {
    design: Option<String>,
}

impl Design {
    /// The shape of that name; none where the address names none. What is drawn of a board is the same in every shape, and
    /// styles do the rest, so only boards have designs.
    fn shape(self, family: &str) -> Result<Option<&'static str>, WebError> {
        let Some(wanted) = self.design else { return Ok(None) };
        let designs = if family == Scoreboard::KEY { Scoreboard::SHAPES } else { &[] };
        let found = designs.iter().find(|shape| shape.key == wanted).map(|shape| Some(shape.key));
        found.ok_or_else(|| {
            let all: Vec<&str> = designs.iter().map(|shape| shape.key).collect();
            WebError::Refused(format!("There is no such design. A board has: {}.", all.join(", ")))
        })
    }
}

/// Finds the widget behind an address. Guessing is slowed down.
pub(crate) async fn find(app: &App, request: &HttpRequest, token: &str) -> Result<(ChannelHandle, WidgetId), WebError> {
    let look_up = async {
        let (channel, id) = app.engine.by_page_token(token).await?;
        if channel.hub.widget(id, token).is_some() { Ok((channel, id)) } else { Err(EngineError::NotFound) }
    };
    behind(app, request, token, look_up).await
}

/// `GET /w/{token}`: one widget alone, transparent, at any size.
pub async fn page(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
    design: web::Query<Design>,
) -> Result<HttpResponse, WebError> {
    let (channel, id) = find(&app, &request, &token).await?;
    let (family, seen) = look(&channel, id).await?.ok_or(WebError::NotFound)?;
    let drawing = ROOMS.run(Whose::Channel(channel.id), move || seen.to_string()).await?;
    let design = design.into_inner().shape(family)?;
    let drawing = design.map_or_else(|| drawing.clone(), |design| in_design(&drawing, design));
    let covered = *channel.hub.cover_watch().borrow();
    let fonts = fonts::ahead(&drawing);
    let page = AirPage { build: crate::assets::build(), token: &token, id, family, drawing, design, covered, fonts };
    Ok(HttpResponse::Ok()
        .content_type(header::ContentType::html())
        .insert_header((header::CONTENT_SECURITY_POLICY, AIR_POLICY))
        .body(html(&page)))
}

/// A board's drawing in another design, as `live.js` makes it of those that come later.
fn in_design(drawing: &str, design: &str) -> String {
    match drawing.split_once(" shape-") {
        Some((before, rest)) => {
            let rest = rest.trim_start_matches(|letter: char| letter.is_ascii_lowercase());
            format!("{before} shape-{design}{rest}")
        }
        None => drawing.to_owned(),
    }
}

/// `GET /w/{token}/live`: its live connection.
pub async fn page_live(
    app: web::Data<App>,
    request: HttpRequest,
    payload: web::Payload,
    token: web::Path<String>,
) -> Result<HttpResponse, actix_web::Error> {
    match find(&app, &request, &token).await {
        Ok((channel, id)) => match channel.hub.widget(id, &token) {
            Some(widget) => live::widget(&request, payload, widget, channel),
            None => live::void(&request, payload),
        },
        Err(WebError::NotFound) => live::void(&request, payload),
        Err(error) => Err(error.into()),
    }
}

/// A widget's family, and what it shows.
async fn look(channel: &ChannelHandle, id: WidgetId) -> Result<Option<(&'static str, Drawable)>, WebError> {
    let seen = channel.ask(move |channel, now| {
        let piece = channel.widget(id)?;
        Some((piece.key(), Drawable::of(piece, &channel.scope(now))))
    });
    Ok(seen.await?)
}
