//! Overlays: the list of them, and the layout room, where one is arranged.

use crate::app::App;
use crate::error::{Answer, WebError, sentence};
use crate::markup::html;
use crate::overlay::{self, For, Laid, titles, words};
use crate::own_style;
use crate::rooms::drawn::{drawn, in_turn};
use crate::rooms::frame::Frame;
use crate::rooms::layout_tools;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use serde_json::json;
use std::collections::BTreeSet;
use tally_core::look::Sort;
use tally_core::overlay::{Edit, Entrance, Fit, Overlay, Piece, advice};
use tally_core::record::ids::WidgetId;
use tally_store::clips::Clip;
use tally_store::overlays::{OverlayRecord, Stepped};

/// Most overlays of a channel.
const MOST: usize = 60;
/// Boards that are offered.
const SIZES: [(u32, u32, &str); 4] = [
    (1_920, 1_080, "1920 × 1080, wide"),
    (1_280, 720, "1280 × 720, wide and small"),
    (1_080, 1_920, "1080 × 1920, tall"),
    (2_560, 1_440, "2560 × 1440, wide and large"),
];

/// An overlay in the list.
struct Listed {
    record: OverlayRecord,
    url: String,
    /// What is arranged and not on air yet.
    waits: bool,
    /// In which windows it is open, and what to do about it.
    windows: String,
}

#[derive(Template)]
#[template(path = "rooms/overlays.html")]
struct List {
    frame: Frame,
    overlays: Vec<Listed>,
    sizes: [(u32, u32, &'static str); 4],
}

/// `GET /overlays`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let listed = |record: OverlayRecord| Listed {
        url: owner.reach.overlay_url(&record.token),
        waits: record.layout != record.air,
        windows: windows(&owner, &record),
        record,
    };
    let overlays = app.engine.store().overlays(owner.channel.id).await?.into_iter().map(listed).collect();
    let page = List { frame: Frame::new(&app, &owner, "/overlays").await?, overlays, sizes: SIZES };
    drawn(owner.whose(), page).await
}

/// A new overlay as it is typed: its name, and one of the sizes or another.
#[derive(Deserialize)]
pub struct New {
    name: String,
    size: String,
}

/// `POST /overlays`
pub async fn create(app: web::Data<App>, owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let sides = form
        .size
        .split_once(['x', '×'])
        .and_then(|(width, height)| Some((width.trim().parse::<u32>().ok()?, height.trim().parse::<u32>().ok()?)));
    let Some((width, height)) = sides else {
        return Ok(refusal("A size is written as width and height in pixels, such as 1920x1080."));
    };
    let layout = match Overlay::new(&form.name, width, height) {
        Ok(layout) => layout,
        Err(why) => return Ok(refusal(&sentence(&why.to_string()))),
    };
    let store = app.engine.store();
    if store.overlays(owner.channel.id).await?.len() >= MOST {
        return Ok(refusal(&format!("There are {MOST} overlays; remove one first.")));
    }
    let made = store.create_overlay(owner.channel.id, layout, tokens::token(&mut rand::rng())).await?;
    Ok(go_to(&format!("/overlays/{}", made.id)))
}

/// What the layout room shows of a layout, drawn anew with every step.
#[derive(Template)]
#[template(path = "rooms/layout_pieces.html")]
struct Rows<'a> {
    rows: Vec<(&'a Piece, String)>,
}

#[derive(Template)]
#[template(path = "rooms/layout.html")]
struct Room {
    frame: Frame,
    id: u32,
    name: String,
    url: String,
    /// The board with its pieces.
    stage: Laid,
    css: String,
    rows: String,
    windows: String,
    step: u32,
    past: bool,
    future: bool,
    waits: bool,
    at_once: bool,
    /// The drawn set: the word of each, and its name.
    icons: Vec<(&'static str, &'static str)>,
    tools: &'static [layout_tools::Row],
    /// The ways in which pieces come and go.
    entrances: [(&'static str, &'static str); 4],
    /// Pictures of the streamer's own.
    pictures: Vec<Clip>,
    /// Each way of showing it in another window, its words, and whether it is the chosen one.
    fits: [(&'static str, &'static str, bool); 3],
    width: u32,
    height: u32,
    /// Widgets that can be put on the board, with the size at which each is at its best.
    widgets: Vec<(WidgetId, String, (u32, u32))>,
}

async fn rows(owner: &Owner, layout: &Overlay) -> Result<String, WebError> {
    let titles = titles(&owner.channel, layout).await?;
    // The topmost first, as they lie on each other.
    Ok(html(&Rows { rows: layout.pieces.iter().rev().map(|piece| (piece, words(piece, &titles))).collect() }))
}

/// `GET /overlays/{id}`
pub async fn room(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let record = store.overlay(owner.channel.id, *id).await?;
    let widgets = owner
        .channel
        .ask(|channel, _| {
            let one = |(id, piece): (WidgetId, &tally_core::widgets::Piece)| {
                (id, piece.title().to_owned(), crate::widgets::size(piece))
            };
            channel.widgets().map(one).collect()
        })
        .await?;
    let layout = &record.layout;
    let room = Room {
        frame: Frame::new(&app, &owner, "/overlays").await?,
        id: record.id,
        name: layout.name.clone(),
        url: owner.reach.overlay_url(&record.token),
        stage: Laid::of(&owner.channel, layout.clone(), For::Arranging, record.id, None).await?,
        css: layout.css.clone(),
        rows: rows(&owner, layout).await?,
        windows: windows(&owner, &record),
        at_once: record.at_once,
        icons: tally_core::look::icons().collect(),
        tools: &layout_tools::ROWS,
        entrances: Entrance::ALL.map(Entrance::about),
        pictures: store.clips(owner.channel.id).await?.into_iter().filter(|clip| clip.sort == Sort::Picture).collect(),
        step: record.step,
        past: record.past,
        future: record.future,
        waits: record.layout != record.air,
        fits: Fit::ALL.map(|fit| (fit.about().0, fit.about().1, fit == layout.fit)),
        width: layout.width,
        height: layout.height,
        widgets,
    };
    drawn(owner.whose(), room).await
}

/// What the room gets after a step: everything that has changed with it.
async fn after(owner: &Owner, stepped: Stepped) -> Answer {
    let (record, meanwhile) = match stepped {
        Stepped::Done(record) => (record, false),
        Stepped::Meanwhile(record) => (record, true),
    };
    let laid = Laid::of(&owner.channel, record.layout.clone(), For::Arranging, record.id, None).await?;
    Ok(HttpResponse::Ok().json(json!({
        "meanwhile": meanwhile,
        "step": record.step,
        "past": record.past,
        "future": record.future,
        "waits": record.layout != record.air,
        "name": record.layout.name,
        "board": overlay::board(&record.layout),
        "style": overlay::style(&record.layout).map(|style| json!({"class": style.class, "css": style.css})),
        "pieces": in_turn(owner.whose(), move || laid.pieces()).await?,
        "rows": rows(owner, &record.layout).await?,
    })))
}

/// In which windows an overlay is open, and what to do about it.
#[derive(Template)]
#[template(path = "rooms/layout_windows.html")]
struct Windows {
    open: usize,
    /// How many of them nobody sees.
    hidden: usize,
    /// How many times a second the slowest is drawn.
    frames: Option<u16>,
    advice: Vec<String>,
}

fn windows(owner: &Owner, record: &OverlayRecord) -> String {
    let open = owner.channel.hub.open_pages(record.id);
    // Places of one size are told of once. The layout may have changed since they told of themselves.
    let reports: BTreeSet<_> = open.iter().map(|page| page.report).collect();
    let advice: BTreeSet<String> = reports.iter().filter_map(|report| advice(&record.air, report)).collect();
    let hidden = open.iter().filter(|page| page.report.hidden).count();
    let frames = open.iter().map(|page| page.report.frames).filter(|frames| *frames > 0).min();
    html(&Windows { open: open.len(), hidden, frames, advice: advice.iter().map(|one| sentence(one)).collect() })
}

/// `GET /overlays/{id}/windows`
pub async fn seen(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let record = app.engine.store().overlay(owner.channel.id, *id).await?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(windows(&owner, &record)))
}

/// A step as the room sends it, with the one on which it stands.
#[derive(Deserialize)]
pub struct Step {
    step: u32,
    edit: Edit,
}

/// `POST /overlays/{id}/edit`
pub async fn edit(app: web::Data<App>, owner: Owner, id: web::Path<u32>, body: web::Json<Step>) -> Answer {
    let (store, channel) = (app.engine.store(), owner.channel.id);
    let record = store.overlay(channel, *id).await?;
    if record.step != body.step {
        return after(&owner, Stepped::Meanwhile(Box::new(record))).await;
    }
    let edited = record.layout.edited(&body.edit);
    let layout = edited.map_err(|why| WebError::Refused(sentence(&why.to_string())))?;
    let stepped = store.step_overlay(channel, *id, body.step, layout).await?;
    aired(&owner, &record.air, &stepped).await?;
    after(&owner, stepped).await
}

/// Back, or forth.
#[derive(Deserialize)]
pub struct Turn {
    step: u32,
    #[serde(default)]
    back: bool,
}

/// `POST /overlays/{id}/turn`: undo and redo.
pub async fn turn(app: web::Data<App>, owner: Owner, id: web::Path<u32>, body: web::Json<Turn>) -> Answer {
    let store = app.engine.store();
    let before = store.overlay(owner.channel.id, *id).await?.air;
    let stepped = store.turn_overlay(owner.channel.id, *id, body.step, body.back).await?;
    aired(&owner, &before, &stepped).await?;
    after(&owner, stepped).await
}

/// `POST /overlays/{id}/air`: the layout as it is arranged goes on air, as a whole.
pub async fn air(app: web::Data<App>, owner: Owner, id: web::Path<u32>, body: web::Json<Turn>) -> Answer {
    let store = app.engine.store();
    let before = store.overlay(owner.channel.id, *id).await?.air;
    let stepped = store.air_overlay(owner.channel.id, *id, body.step).await?;
    aired(&owner, &before, &stepped).await?;
    after(&owner, stepped).await
}

/// Tells the pages of another layout on air, and says in the ledger what it shows or hides that it did not before.
async fn aired(owner: &Owner, before: &Overlay, stepped: &Stepped) -> Result<(), WebError> {
    let Stepped::Done(record) = stepped else { return Ok(()) };
    if record.air == *before {
        return Ok(());
    }
    let (id, air, old) = (record.id, record.air.clone(), before.clone());
    let (show, hide) = owner.channel.ask(move |channel, _| air.to_say(&old, &channel.appearances(id))).await?;
    for (pieces, shown) in [(show, true), (hide, false)] {
        if !pieces.is_empty() {
            let by = owner.by();
            owner.channel.appear((id, record.air.clone()), pieces, shown, by).await?;
        }
    }
    owner.channel.hub.overlays_changed();
    Ok(())
}

/// A style for all of an overlay, as it is written.
#[derive(Deserialize)]
pub struct Styled {
    css: String,
}

/// `POST /overlays/{id}/style`
pub async fn style(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<Styled>,
) -> Result<HttpResponse, WebError> {
    let css = form.into_inner().css.replace("\r\n", "\n");
    if let Err(why) = own_style::check(&css) {
        return Ok(refusal(&sentence(&why.to_string())));
    }
    let store = app.engine.store();
    let record = store.overlay(owner.channel.id, *id).await?;
    let layout = match record.layout.edited(&Edit::Style { css }) {
        Ok(layout) => layout,
        Err(why) => return Ok(refusal(&sentence(&why.to_string()))),
    };
    match store.step_overlay(owner.channel.id, *id, record.step, layout).await? {
        Stepped::Meanwhile(_) => Ok(refusal("The layout was changed at this very moment; press Apply again.")),
        stepped @ Stepped::Done(_) => {
            aired(&owner, &record.air, &stepped).await?;
            Ok(go_to(&format!("/overlays/{id}")))
        }
    }
}

/// Whether every step goes on air at once.
#[derive(Deserialize)]
pub struct AtOnce {
    #[serde(default)]
    at_once: bool,
}

/// `POST /overlays/{id}/at-once`
pub async fn at_once(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<AtOnce>,
) -> Result<HttpResponse, WebError> {
    app.engine.store().set_at_once(owner.channel.id, *id, form.at_once).await?;
    Ok(go_to(&format!("/overlays/{id}")))
}

/// `POST /overlays/reload`: every open page on air loads itself anew.
pub async fn reload(owner: Owner) -> HttpResponse {
    owner.channel.hub.reload_pages();
    go_to("/overlays")
}

/// `POST /overlays/{id}/readdress`: another address; pages at the old one go blank.
pub async fn readdress(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let token = tokens::token(&mut rand::rng());
    app.engine.store().readdress_overlay(owner.channel.id, *id, token).await?;
    owner.channel.hub.overlays_changed();
    Ok(go_to(&format!("/overlays/{id}")))
}

/// `POST /overlays/{id}/remove`
pub async fn remove(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    app.engine.store().remove_overlay(owner.channel.id, *id).await?;
    owner.channel.hub.overlays_changed();
    Ok(go_to("/overlays"))
}
