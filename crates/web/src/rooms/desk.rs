//! The desk: a plate for everything that can be operated, and the paper roll.

use crate::app::App;
use crate::draw;
use crate::error::WebError;
use crate::live;
use crate::markup::html;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::go_to;
use crate::security::session::Owner;
use actix_web::http::header::{self, ContentType};
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use serde_json::json;
use tally_core::channel::Desk;
use tally_core::record::ids::WidgetId;
use tally_engine::Pressed;

#[derive(Template)]
#[template(path = "rooms/desk.html")]
struct Page {
    frame: Frame,
    plates: Vec<(WidgetId, String)>,
    figures: Vec<(WidgetId, String)>,
    muted: bool,
    /// All widgets in their order, with their titles and whether they stand on the desk.
    all: Vec<(WidgetId, String, bool)>,
}

/// `GET /desk`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let (plates, figures, all, muted) = owner
        .channel
        .ask(|channel, now| {
            let (places, mut plates, mut figures) = (channel.plates(now), Vec::new(), Vec::new());
            for (id, piece, _) in channel.on_desk().filter(|(.., shown)| *shown) {
                let place = places.get(&id).copied();
                let drawn =
                    draw::plate(id, place, &piece.view(&channel.scope(now)), &piece.levers(&channel.scope(now)));
                if place.is_some() { plates.push((id, drawn)) } else { figures.push((id, drawn)) }
            }
            let all = channel.on_desk().map(|(id, piece, shown)| (id, piece.title().to_owned(), shown)).collect();
            (plates, figures, all, channel.desk().muted)
        })
        .await?;
    let page = Page { frame: Frame::new(&app, &owner, "/desk").await?, plates, figures, all, muted };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

/// `POST /desk`: what stands on the desk from now on; `order` names every widget in its order, `shown` those
/// that stand there.
pub async fn arrange(owner: Owner, fields: web::Form<Vec<(String, String)>>) -> Result<HttpResponse, WebError> {
    let named = |wanted: &str| {
        let own = fields.iter().filter(|(name, _)| name == wanted);
        let ids: Result<Vec<WidgetId>, _> = own.map(|(_, id)| id.parse().map(WidgetId)).collect();
        ids.map_err(|_| WebError::Refused("The desk takes numbers of widgets.".into()))
    };
    let (order, shown) = (named("order")?, named("shown")?);
    let hidden = order.iter().copied().filter(|id| !shown.contains(id)).collect();
    let muted = owner.channel.ask(|channel, _| channel.desk().muted).await?;
    owner.channel.arrange_desk(Desk { order, hidden, muted }).await?;
    Ok(go_to("/desk"))
}

/// Whether widgets may be heard.
#[derive(Deserialize)]
pub struct Sounds {
    muted: bool,
}

/// `POST /desk/sounds`: all sounds of widgets off, or on again.
pub async fn sounds(owner: Owner, form: web::Form<Sounds>) -> Result<HttpResponse, WebError> {
    let desk = owner.channel.ask(|channel, _| channel.desk().clone()).await?;
    owner.channel.arrange_desk(Desk { muted: form.muted, ..desk }).await?;
    Ok(go_to("/desk"))
}

/// A press as the desk sends it.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PressBody {
    action: String,
    value: Option<i64>,
    id: String,
}

/// `POST /widgets/{id}/press`
pub async fn press(owner: Owner, id: web::Path<u32>, body: web::Json<PressBody>) -> HttpResponse {
    let PressBody { action, value, id: press } = body.into_inner();
    if press.is_empty() || press.len() > 100 {
        return WebError::Refused("A press needs an id of its own.".into()).problem();
    }
    let press = Pressed { widget: WidgetId(*id), action, value, by: owner.name, source: "desk".into(), id: press };
    match owner.channel.press(press).await {
        Ok(seq) => HttpResponse::Ok().json(json!({"entry": seq})),
        Err(error) => WebError::from(error).problem(),
    }
}

/// `GET /live`: everything on show in the channel, for all rooms.
pub async fn live(owner: Owner, request: HttpRequest, payload: web::Payload) -> Result<HttpResponse, actix_web::Error> {
    // Another site's page could open this with our cookie, and a WebSocket asks nobody for leave.
    let origin = request.headers().get(header::ORIGIN).and_then(|value| value.to_str().ok()).unwrap_or_default();
    let host = request.connection_info().host().to_owned();
    if origin.split_once("://").map(|(_, rest)| rest) != Some(host.as_str()) {
        return Err(WebError::StalePage.into());
    }
    live::room(&request, payload, owner.channel)
}
