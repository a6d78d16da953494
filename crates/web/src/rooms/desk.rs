//! The desk: a plate for everything that can be operated, and the paper roll.

use crate::app::App;
use crate::draw::{ForWhom, Operated};
use crate::error::{Answer, WebError, entered, press_id, sentence};
use crate::live;
use crate::rooms::drawn::drawn_with;
use crate::rooms::frame::Frame;
use crate::rooms::on_picture;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use chrono::TimeDelta;
use serde::Deserialize;
use std::sync::Arc;
use tally_core::channel::{Bound, Channel, DeskEdit};
use tally_core::record::ids::WidgetId;
use tally_core::time::{Instant, before};
use tally_core::widgets::Piece;
use tally_engine::{EngineError, Pressed};

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
    /// Desks for a purpose, and which of them it is; 0 for the main one.
    desks: Vec<(u32, String)>,
    desk: u32,
    /// All widgets in their order, with their titles and whether they stand on this desk.
    all: Vec<(WidgetId, String, bool)>,
}

impl Page {
    /// What this desk is called.
    fn name(&self) -> &str {
        self.desks.iter().find(|(id, _)| *id == self.desk).map_or("the desk", |(_, name)| name)
    }
}

/// Which desk is looked at.
#[derive(Deserialize)]
pub struct Looked {
    #[serde(default)]
    desk: u32,
}

/// Everything in the order of a desk, and whether it stands there; of one that is gone, the main one.
fn on_desk(channel: &Channel, desk: u32) -> Vec<(WidgetId, &Piece, bool)> {
    match channel.desk().more.get(&desk) {
        Some(one) => channel.on_one_desk(one),
        None => channel.on_desk().collect(),
    }
}

/// `GET /desk?desk=…`
pub async fn page(app: web::Data<App>, owner: Owner, looked: web::Query<Looked>) -> Result<HttpResponse, WebError> {
    let wanted = looked.desk;
    let (shown, all, desk) = owner
        .channel
        .ask(move |channel, now| {
            let (all, scope) = (on_desk(channel, wanted), channel.scope(now));
            let shown = all.iter().filter(|(.., shown)| *shown);
            let shown: Vec<(Operated, bool)> =
                shown.map(|(id, piece, _)| (Operated::of(*id, piece, &scope), channel.is_operated(*id, now))).collect();
            let all = all.into_iter().map(|(id, piece, shown)| (id, piece.title().to_owned(), shown)).collect();
            (shown, all, Arc::clone(channel.desk()))
        })
        .await?;
    let frame = Frame::new(&app, &owner, "/desk").await?;
    let on_picture = on_picture::on_picture(&app, &owner).await?;
    drawn_with(owner.whose(), move || {
        let (plates, figures): (Vec<_>, Vec<_>) = shown.into_iter().partition(|(_, operated)| *operated);
        let draw = |all: Vec<(Operated, bool)>| {
            all.iter().map(|(one, _)| (one.id, one.plate(ForWhom::Owner(&desk)))).collect::<Vec<_>>()
        };
        Page {
            frame,
            plates: draw(plates),
            figures: draw(figures),
            all,
            muted: desk.muted,
            chimes: desk.chimes,
            on_picture,
            desk: if desk.more.contains_key(&wanted) { wanted } else { 0 },
            desks: desk.more.iter().map(|(id, one)| (*id, one.name.clone())).collect(),
        }
    })
    .await
}

/// `POST /desk`: what stands on a desk from now on; `order` names every widget in its order, `shown` those
/// that stand there, `desk` which desk it is.
pub async fn arrange(owner: Owner, fields: web::Form<Vec<(String, String)>>) -> Result<HttpResponse, WebError> {
    let named = |wanted: &str| {
        let own = fields.iter().filter(|(name, _)| name == wanted);
        let ids: Result<Vec<WidgetId>, _> = own.map(|(_, id)| id.parse().map(WidgetId)).collect();
        ids.map_err(|_| WebError::Refused("The desk takes numbers of widgets.".into()))
    };
    let (order, shown, which) = (named("order")?, named("shown")?, named("desk")?);
    let desk = which.first().map_or(0, |id| id.0);
    owner.channel.edit_desk(DeskEdit::Arrange { desk, order, shown: shown.into_iter().collect() }).await?;
    Ok(go_to(&address(desk)))
}

/// The address of a desk.
fn address(desk: u32) -> String {
    if desk == 0 { "/desk".into() } else { format!("/desk?desk={desk}") }
}

/// A new desk as its name is typed.
#[derive(Deserialize)]
pub struct NewDesk {
    name: String,
}

/// `POST /desk/more`: one more desk, for a purpose.
pub async fn add(owner: Owner, form: web::Form<NewDesk>) -> Result<HttpResponse, WebError> {
    match owner.channel.edit_desk(DeskEdit::Add { name: form.into_inner().name }).await {
        Ok(new) => Ok(go_to(&address(new.unwrap_or_default()))),
        Err(EngineError::Desk(why)) => Ok(refusal(&sentence(&why.to_string()))),
        Err(error) => Err(error.into()),
    }
}

/// `POST /desk/more/{desk}/remove`: it is gone; what stood on it stays.
pub async fn remove(owner: Owner, which: web::Path<u32>) -> Result<HttpResponse, WebError> {
    owner.channel.edit_desk(DeskEdit::Remove { desk: *which }).await?;
    Ok(go_to("/desk"))
}

/// A key for a lever; none where the code is empty.
#[derive(Deserialize)]
pub struct NewKey {
    code: String,
    #[serde(flatten)]
    lever: Bound,
}

/// `POST /desk/keys`
pub async fn key(owner: Owner, body: web::Json<NewKey>) -> Answer {
    let NewKey { code, lever } = body.into_inner();
    owner.channel.edit_desk(DeskEdit::Key { code, lever }).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Whether widgets, and the desk, may be heard.
#[derive(Deserialize)]
pub struct Sounds {
    muted: Option<bool>,
    chimes: Option<bool>,
}

/// `POST /desk/sounds`: all sounds of widgets off, or on again; whether the desk chimes when it has to tell something.
pub async fn sounds(owner: Owner, form: web::Form<Sounds>) -> Result<HttpResponse, WebError> {
    let Sounds { muted, chimes } = form.into_inner();
    owner.channel.edit_desk(DeskEdit::Sounds { muted, chimes }).await?;
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
pub async fn press(owner: Owner, id: web::Path<u32>, body: web::Json<PressBody>) -> Answer {
    let pressed = body.into_inner().pressed(WidgetId(*id), owner.name, "desk".into(), owner.channel.now())?;
    Ok(entered(owner.channel.press(pressed).await?))
}

/// `POST /clock/follow`: the record goes by the computer's clock again, which has jumped.
pub async fn follow_clock(app: web::Data<App>, _owner: Owner) -> HttpResponse {
    app.engine.follow_machine();
    HttpResponse::NoContent().finish()
}

/// `GET /live`: everything on show in the channel, for all rooms.
pub async fn live(
    app: web::Data<App>,
    owner: Owner,
    request: HttpRequest,
    payload: web::Payload,
) -> Result<HttpResponse, actix_web::Error> {
    if !live::is_ours(&app, &request) {
        return Err(WebError::StalePage.into());
    }
    live::room(&request, payload, &app, owner)
}
