//! The desk: a plate for everything that can be operated, and the paper roll.

use crate::app::App;
use crate::draw::{self, ForWhom};
use crate::error::{WebError, press_id};
use crate::live;
use crate::markup::html;
use crate::rooms::frame::Frame;
use crate::rooms::on_picture;
use crate::rooms::sign_in::go_to;
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use chrono::TimeDelta;
use serde::Deserialize;
use serde_json::json;
use tally_core::channel::Desk;
use tally_core::record::ids::WidgetId;
use tally_core::time::{Instant, before};
use tally_engine::Pressed;

/// For how long a press may wait on a phone without a connection.
const LONGEST_WAIT_MS: u32 = 12 * 3_600_000;

#[derive(Template)]
#[template(path = "rooms/desk.html")]
struct Page {
    frame: Frame,
    plates: Vec<(WidgetId, String)>,
    figures: Vec<(WidgetId, String)>,
    muted: bool,
    chimes: bool,
    /// What of the overlays can be shown and hidden.
    on_picture: String,
    /// All widgets in their order, with their titles and whether they stand on the desk.
    all: Vec<(WidgetId, String, bool)>,
}

/// `GET /desk`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let (plates, figures, all, desk) = owner
        .channel
        .ask(|channel, now| {
            let (places, mut plates, mut figures) = (channel.plates(now), Vec::new(), Vec::new());
            for (id, piece, _) in channel.on_desk().filter(|(.., shown)| *shown) {
                let place = places.get(&id).copied();
                let scope = channel.scope(now);
                let attention = piece.attention(&scope);
                let drawn = draw::plate(
                    id,
                    ForWhom::Owner(place),
                    &piece.view(&scope),
                    &piece.levers(&scope),
                    attention.as_deref(),
                );
                if place.is_some() { plates.push((id, drawn)) } else { figures.push((id, drawn)) }
            }
            let all = channel.on_desk().map(|(id, piece, shown)| (id, piece.title().to_owned(), shown)).collect();
            (plates, figures, all, channel.desk().clone())
        })
        .await?;
    let page = Page {
        frame: Frame::new(&app, &owner, "/desk").await?,
        plates,
        figures,
        all,
        muted: desk.muted,
        chimes: desk.chimes,
        on_picture: on_picture::on_picture(&app, &owner).await?,
    };
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
    let desk = owner.channel.ask(|channel, _| channel.desk().clone()).await?;
    owner.channel.arrange_desk(Desk { order, hidden, ..desk }).await?;
    Ok(go_to("/desk"))
}

/// Whether widgets, and the desk, may be heard.
#[derive(Deserialize)]
pub struct Sounds {
    muted: Option<bool>,
    chimes: Option<bool>,
}

/// `POST /desk/sounds`: all sounds of widgets off, or on again; whether the desk chimes when it has to tell something.
pub async fn sounds(owner: Owner, form: web::Form<Sounds>) -> Result<HttpResponse, WebError> {
    let desk = owner.channel.ask(|channel, _| channel.desk().clone()).await?;
    owner
        .channel
        .arrange_desk(Desk {
            muted: form.muted.unwrap_or(desk.muted),
            chimes: form.chimes.unwrap_or(desk.chimes),
            ..desk
        })
        .await?;
    Ok(go_to("/desk"))
}

/// A press as the desk, a scorekeeper's pad and helpers' pages send it.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PressBody {
    action: String,
    value: Option<i64>,
    text: Option<String>,
    side: Option<u8>,
    /// Milliseconds since it was pressed, where it had to wait.
    ago_ms: Option<u32>,
    id: String,
}

impl PressBody {
    /// The press of somebody on a widget.
    ///
    /// # Errors
    /// It has no number of its own, or is too old to be believed.
    pub fn pressed(self, widget: WidgetId, by: String, source: String, now: Instant) -> Result<Pressed, WebError> {
        let Self { action, value, text, side, ago_ms, id } = self;
        let id = press_id(id)?;
        if ago_ms.is_some_and(|ago| ago > LONGEST_WAIT_MS) {
            let why = "That was pressed more than 12 hours ago; press it again if it still holds.";
            return Err(WebError::Refused(why.into()));
        }
        let pressed_at = ago_ms.map(|ago| before(now, TimeDelta::milliseconds(ago.into())));
        Ok(Pressed { widget, action, value, text, side, pressed_at, by, source, id })
    }
}

/// `POST /widgets/{id}/press`
pub async fn press(owner: Owner, id: web::Path<u32>, body: web::Json<PressBody>) -> HttpResponse {
    let pressed = body.into_inner().pressed(WidgetId(*id), owner.name, "desk".into(), owner.channel.now());
    let done = async { Ok(owner.channel.press(pressed?).await?) };
    done.await.map_or_else(|error: WebError| error.problem(), |seq| HttpResponse::Ok().json(json!({"entry": seq})))
}

/// `GET /live`: everything on show in the channel, for all rooms.
pub async fn live(owner: Owner, request: HttpRequest, payload: web::Payload) -> Result<HttpResponse, actix_web::Error> {
    if !live::is_ours(&request) {
        return Err(WebError::StalePage.into());
    }
    live::room(&request, payload, owner.channel)
}
