//! What a helper sees: the door with a link or three words, the plates that the pass allows, and the pads of its boards.
//! Nothing here tells of money, of other passes, or of how something is set up.

use crate::app::App;
use crate::draw::{ForWhom, Operated, since};
use crate::error::{Answer, PassOver, WebError, entered};
use crate::live;
use crate::markup::html;
use crate::rooms::desk::PressBody;
use crate::rooms::drawn::drawn_with;
use crate::rooms::score;
use crate::rooms::sign_in::{go_to, refusal, too_often};
use crate::security::behind::behind;
use crate::security::csrf;
use crate::security::helper::{self, Helper};
use crate::security::spoken::Spoken;
use actix_session::Session;
use actix_web::http::header::{self, ContentType};
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::channel::{Channel, Grant, Job};
use tally_core::record::ids::WidgetId;
use tally_engine::EngineError;
use tally_store::StoreError;
use tally_store::passes::{Admitted, Pass};
use tokio::sync::Semaphore;

#[derive(Template)]
#[template(path = "rooms/pass_door.html")]
struct Door {
    build: &'static str,
    csrf: String,
    link: String,
    name: String,
    channel: String,
    allows: Vec<String>,
    until: Option<String>,
}

/// The pass behind a link. Guessing is slowed down.
async fn linked(app: &App, request: &HttpRequest, link: &str) -> Result<Pass, WebError> {
    match behind(app, request, link, app.engine.store().pass_by_link(link.to_owned())).await {
        Err(WebError::NotFound) => Err(PassOver::None.into()),
        found => found,
    }
}

/// `GET /p/{link}`: what the pass is for. It is opened by a press, since programs that pass links on look at them too.
pub async fn door(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    link: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let link = link.into_inner();
    let pass = linked(&app, &request, &link).await?;
    let now = app.engine.now();
    if !pass.holds(now) {
        return Err(if pass.revoked.is_some() { PassOver::Revoked } else { PassOver::Ended }.into());
    }
    let (channel, grant) = (app.engine.channel(pass.channel).await?, pass.wanted.grant.clone());
    let (allows, calendar) = channel
        .ask(move |channel, _| {
            let one = |piece| Job::of(piece).map(|job| format!("{}: {}", job.words(), piece.title()));
            let allows = channel.granted(&grant).into_iter().filter_map(|(_, piece)| one(piece)).collect();
            (allows, channel.settings().calendar)
        })
        .await?;
    let door = Door {
        build: crate::assets::build(),
        csrf: csrf::token(&session),
        link,
        name: pass.wanted.name,
        channel: app.engine.store().channel(pass.channel).await?.name,
        allows,
        until: pass.wanted.ends.map(|end| since(&calendar, end, now)),
    };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&door)))
}

/// What opens a door, as its form sends it.
async fn through(app: &App, session: &Session, pass: &Pass) -> Result<HttpResponse, WebError> {
    match helper::open(app, session, pass).await {
        Ok(()) => Ok(go_to("/pass")),
        Err(WebError::Pass(why)) => Ok(refusal(&why.to_string())),
        Err(error) => Err(error),
    }
}

/// `POST /p/{link}`: opens the pass on this device.
pub async fn enter(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    link: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let pass = linked(&app, &request, &link).await?;
    through(&app, &session, &pass).await
}

#[derive(Template)]
#[template(path = "rooms/join.html")]
struct Join {
    build: &'static str,
    csrf: String,
}

/// `GET /join`: where three words are typed.
pub async fn join(session: Session) -> HttpResponse {
    let page = Join { build: crate::assets::build(), csrf: csrf::token(&session) };
    HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page))
}

/// Three words as they are typed.
#[derive(Deserialize)]
pub struct Typed {
    words: String,
}

/// Words are looked up one after the other, so that whoever guesses from many addresses keeps the database from nobody.
static LOOKING_UP: Semaphore = Semaphore::const_new(1);

/// `POST /join`
pub async fn speak(
    app: web::Data<App>,
    request: HttpRequest,
    session: Session,
    typed: web::Form<Typed>,
) -> Result<HttpResponse, WebError> {
    const WRONG: &str = "These words open nothing. They hold for an hour: ask for new ones, or check the spelling.";
    if let Err(seconds) = app.limits.words(&app.config.proxies.peer(&request)) {
        return Ok(too_often(seconds));
    }
    let Some(words) = Spoken::read(&typed.words) else {
        return Ok(refusal("Type three words, such as amber-otter-kettle."));
    };
    let found = {
        // It is closed by nobody.
        let _turn = LOOKING_UP.acquire().await;
        app.engine.store().pass_by_words(words.sealed(&app.spoken_key), app.engine.now()).await
    };
    match found {
        Ok(pass) => through(&app, &session, &pass).await,
        Err(StoreError::NotFound) => Ok(refusal(WRONG)),
        Err(error) => Err(error.into()),
    }
}

#[derive(Template)]
#[template(path = "rooms/pass.html")]
struct Page {
    build: &'static str,
    csrf: String,
    name: String,
    channel: String,
    plates: Vec<(WidgetId, String)>,
}

/// `GET /pass`: the plates that the pass allows; the pad, where that is all.
pub async fn page(app: web::Data<App>, helper: Helper) -> Result<HttpResponse, WebError> {
    let grant = helper.pass.wanted.grant.clone();
    let (shown, boards) = helper
        .channel
        .ask(move |channel, now| {
            let scope = channel.scope(now);
            // What cannot be operated now stands below.
            let mut granted = channel.granted(&grant);
            granted.sort_by_key(|(_, piece)| piece.levers(&scope).is_empty());
            let boards = granted.iter().filter(|(_, piece)| Job::of(piece) == Some(Job::Score)).count();
            (granted.into_iter().map(|(id, piece)| Operated::of(id, piece, &scope)).collect::<Vec<_>>(), boards)
        })
        .await?;
    if let ([one], 1) = (&shown[..], boards) {
        let to = format!("/pass/{}/score", one.id);
        return Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, to)).finish());
    }
    let channel = app.engine.store().channel(helper.pass.channel).await?.name;
    drawn_with(helper.whose(), move || Page {
        build: crate::assets::build(),
        csrf: helper.csrf,
        name: helper.pass.wanted.name,
        channel,
        plates: shown.iter().map(|one| (one.id, one.plate(ForWhom::Helper))).collect(),
    })
    .await
}

/// Whether the pass allows a widget.
fn allows(channel: &Channel, grant: &Grant, id: WidgetId) -> bool {
    channel.granted(grant).iter().any(|(one, _)| *one == id)
}

/// `GET /pass/{id}/score`: the pad of a board.
pub async fn pad_page(helper: Helper, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let (id, grant) = (WidgetId(*id), helper.pass.wanted.grant.clone());
    let (board, alone) = helper
        .channel
        .ask(move |channel, now| {
            let granted = channel.granted(&grant);
            let piece = granted.iter().find(|(one, _)| *one == id).map(|(_, piece)| *piece);
            let scope = channel.scope(now);
            (piece.map(|piece| Operated::of(id, piece, &scope)), granted.len() == 1)
        })
        .await?;
    let board = board.ok_or(PassOver::NotForThat)?;
    score::drawn(helper.whose(), helper.csrf, board, score::Keeper::Helper { alone }).await
}

/// `POST /pass/{id}/press`
pub async fn press(app: web::Data<App>, helper: Helper, id: web::Path<u32>, body: web::Json<PressBody>) -> Answer {
    let (store, pass, id) = (app.engine.store(), &helper.pass, WidgetId(*id));
    let grant = pass.wanted.grant.clone();
    if !helper.channel.ask(move |channel, _| allows(channel, &grant, id)).await? {
        return Err(PassOver::NotForThat.into());
    }
    let now = helper.channel.now();
    let source = format!("pass/{}", pass.id);
    let pressed = body.into_inner().pressed(id, pass.wanted.name.clone(), source, now)?;
    let press = pressed.id.clone();
    if store.note_use(pass.id, press.clone(), now).await? == Admitted::UsedUp {
        return Err(PassOver::UsedUp.into());
    }
    let done = helper.channel.press(pressed).await;
    match &done {
        Ok(seq) => store.settle_use(pass.id, press, Some(*seq)).await?,
        // What the rules refuse was no use of the pass. Of anything else nobody knows whether it is in the ledger
        // yet; the same press is sent again, and counts once.
        Err(EngineError::Refused(_)) => store.settle_use(pass.id, press, None).await?,
        Err(_) => {}
    }
    Ok(entered(done?))
}

/// `GET /pass/live`: what the pass allows, and nothing else, for as long as it holds.
pub async fn live(
    app: web::Data<App>,
    request: HttpRequest,
    payload: web::Payload,
    helper: Result<Helper, WebError>,
) -> Result<HttpResponse, actix_web::Error> {
    if !live::is_ours(&app, &request) {
        return Err(WebError::StalePage.into());
    }
    match helper {
        Ok(helper) => {
            let allowed = helper.allowed().await?;
            live::helper(&request, payload, helper, allowed)
        }
        // It is told so, and loads the page that says why.
        Err(WebError::Pass(_)) => live::void(&request, payload),
        Err(error) => Err(error.into()),
    }
}

/// `POST /pass/leave`: gives the pass back, so that it can be opened elsewhere.
pub async fn leave(session: Session, helper: Helper) -> Result<HttpResponse, WebError> {
    let hub = std::sync::Arc::clone(&helper.channel.hub);
    helper.give_back(&session).await?;
    // Other pages of this device go dark.
    hub.passes_changed();
    Ok(go_to("/join"))
}
