//! The looks room: all looks, each on six widgets; one of one's own edited, tried on an overlay, and taken along as a file.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::attachment;
use crate::overlay::{For, Laid};
use crate::rooms::control::Control;
use crate::rooms::drawn::{drawn, drawn_with};
use crate::rooms::frame::Frame;
use crate::rooms::received::{self, Named};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::widgets;
use actix_web::web::Payload;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use std::collections::BTreeSet;
use tally_core::channel::Channel;
use tally_core::look::{Base, Drawer, Form, Look, LookEdit, Looks, OWN_LOOK, OwnLook, Token, from_file, to_file};
use tally_core::record::ids::WidgetId;
use tally_core::time::Instant;
use tally_core::widgets::Definition;
use tally_core::widgets::view::View;
use tally_engine::{EngineError, Seen, Shaping};

/// Largest file of tokens that is taken, in bytes.
const MOST_BYTES: usize = 1024 * 1024;
/// The families on which a look is shown, in that order.
const SHOWN: [&str; 6] = ["goal", "event_list", "subathon", "counter", "label", "leaderboard"];

/// A look with the widgets on which it is shown.
struct Shown {
    /// By which it is chosen: a shipped look's word, or that of one's own.
    key: String,
    /// The number of one of one's own.
    id: Option<u32>,
    name: String,
    words: String,
    drawings: Vec<String>,
}

#[derive(Template)]
#[template(path = "rooms/looks.html")]
struct Page {
    frame: Frame,
    looks: Vec<Shown>,
    night: bool,
}

/// What six widgets show, the channel's own where it has one of that family, or else a sample; and how each looks by each of
/// some keys of looks.
fn shown(channel: &Channel, keys: &[String], looks: &Looks, now: Instant) -> Vec<(View, Vec<Look>)> {
    let scope = channel.scope(now);
    let family = |family: &&str| {
        let own = channel.widgets().find(|(_, piece)| piece.key() == *family).map(|(_, piece)| piece.clone());
        let sample = own.is_none();
        let piece = own.or_else(|| Some(Definition::standard(family, channel.settings())?.unfolded()))?;
        let view = if sample { piece.sample(&scope) } else { piece.view(&scope) };
        let look = |key: &String| {
            let (mut piece, _) = piece.edited("look", key, &scope).ok()?;
            piece.apply_looks(looks);
            Some(piece.look().clone())
        };
        Some((view, keys.iter().map(look).collect::<Option<_>>()?))
    };
    SHOWN.iter().filter_map(family).collect()
}

/// Six widgets in the look that has this place among those for which they were asked.
fn drawings(shown: &[(View, Vec<Look>)], place: usize) -> Vec<String> {
    let drawing = |(view, looks): &(View, Vec<Look>)| {
        let seen = Seen { view, look: looks.get(place)?, celebration: None, muted: false };
        Some(widgets::example(seen))
    };
    shown.iter().filter_map(drawing).collect()
}

/// `GET /looks`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let (named, shown, night) = owner
        .channel
        .ask(|channel, now| {
            let looks = channel.looks();
            let own = looks.all.iter().map(|(id, look)| {
                let words = format!("your own, from {}", look.base.words().0);
                (format!("{OWN_LOOK}{id}"), Some(*id), look.name.clone(), words)
            });
            let shipped = Base::ALL.map(|base| {
                let (name, words) = base.words();
                (base.key().to_owned(), None, name.to_owned(), words.to_owned())
            });
            let named: Vec<_> = own.chain(shipped).collect();
            let keys: Vec<String> = named.iter().map(|(key, ..)| key.clone()).collect();
            let shown = shown(channel, &keys, looks, now);
            (named, shown, looks.night)
        })
        .await?;
    let frame = Frame::new(&app, &owner, "/looks").await?;
    drawn_with(owner.whose(), move || {
        let one = |(place, (key, id, name, words)): (usize, (String, Option<u32>, String, String))| {
            let drawings = drawings(&shown, place);
            Shown { key, id, name, words, drawings }
        };
        Page { frame, looks: named.into_iter().enumerate().map(one).collect(), night }
    })
    .await
}

/// A new look as it is typed: its name, and from which one it is derived.
#[derive(Deserialize)]
pub struct New {
    name: String,
    from: String,
}

async fn edit(owner: &Owner, edit: LookEdit) -> Result<Result<Option<u32>, HttpResponse>, WebError> {
    match owner.channel.edit_looks(edit).await {
        Ok(id) => Ok(Ok(id)),
        Err(EngineError::Look(why)) => Ok(Err(refusal(&sentence(&why.to_string())))),
        Err(error) => Err(error.into()),
    }
}

fn opened(edited: Result<Option<u32>, HttpResponse>) -> HttpResponse {
    match edited {
        Ok(Some(id)) => go_to(&format!("/looks/{id}")),
        Ok(None) => go_to("/looks"),
        Err(refused) => refused,
    }
}

/// `POST /looks`: derives a look from another one.
pub async fn derive(owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let New { name, from } = form.into_inner();
    let looks = owner.channel.ask(|channel, _| channel.looks().clone()).await?;
    let own = from.strip_prefix(OWN_LOOK).and_then(|id| looks.all.get(&id.parse().ok()?)).cloned();
    let shipped = Base::ALL.into_iter().find(|base| base.key() == from);
    let Some(from) = own.or(shipped.map(|base| OwnLook { base, ..OwnLook::default() })) else {
        return Ok(refusal("There is no such look to derive from; it may have been removed meanwhile."));
    };
    Ok(opened(edit(&owner, LookEdit::Add(Box::new(OwnLook { name, ..from }))).await?))
}

/// `POST /looks/import?name=…`: a look from a file of design tokens.
pub async fn import(owner: Owner, named: web::Query<Named>, payload: Payload) -> Result<HttpResponse, WebError> {
    let body = match received::file(payload, MOST_BYTES).await? {
        Ok(body) => body,
        Err(why) => return Ok(refusal(&sentence(&why))),
    };
    let file = match serde_json::from_slice(&body) {
        Ok(file) => file,
        Err(error) => return Ok(refusal(&format!("{} is no JSON: {error}.", named.tidy()))),
    };
    match from_file(&file) {
        Ok(mut look) => {
            let wanted = look.name;
            look.name = owner.channel.ask(move |channel, _| channel.looks().free_name(&wanted)).await?;
            Ok(opened(edit(&owner, LookEdit::Add(Box::new(look))).await?))
        }
        Err(why) => Ok(refusal(&sentence(&why.to_string()))),
    }
}

/// Whether it is night.
#[derive(Deserialize)]
pub struct Half {
    #[serde(default)]
    night: bool,
}

/// `POST /looks/night`: all widgets use the night's half of their looks, or the day's.
pub async fn night(owner: Owner, form: web::Form<Half>) -> Result<HttpResponse, WebError> {
    owner.channel.edit_looks(LookEdit::Night(form.night)).await?;
    Ok(go_to("/looks"))
}

/// What a widget that uses the look says otherwise.
struct UsedBy {
    id: WidgetId,
    title: String,
    /// Its own parts: the word and the label of each.
    own: Vec<(&'static str, &'static str)>,
}

#[derive(Template)]
#[template(path = "rooms/look.html")]
struct Room {
    frame: Frame,
    id: u32,
    name: String,
    base: &'static str,
    edited: Edited,
    overlays: Vec<(u32, String)>,
}

/// What changes with every edit.
#[derive(Template)]
#[template(path = "rooms/look_edited.html")]
struct Edited {
    id: u32,
    /// To which address what is set is sent.
    path: String,
    night: bool,
    shown: Vec<(View, Vec<Look>)>,
    /// The overlay on which it is tried: its number, its name and its stage.
    tried: Option<(u32, String, Laid)>,
    /// Whether all widgets of that overlay use it.
    applied: bool,
    drawers: Vec<(Drawer, Vec<Control>)>,
    used_by: Vec<UsedBy>,
}

impl Edited {
    fn drawings(&self) -> Vec<String> {
        drawings(&self.shown, 0)
    }
}

/// On which overlay it is tried, and which half is edited.
#[derive(Deserialize)]
pub struct Asked {
    on: Option<u32>,
    #[serde(default)]
    night: bool,
}

async fn edited(app: &App, owner: &Owner, id: u32, asked: &Asked) -> Result<Edited, WebError> {
    let (store, night) = (app.engine.store(), asked.night);
    let clips = store.clips(owner.channel.id).await?;
    let key = format!("{OWN_LOOK}{id}");
    let record = match asked.on {
        Some(on) => Some(store.overlay(owner.channel.id, on).await?),
        None => None,
    };
    let on: BTreeSet<WidgetId> = record.iter().flat_map(|record| record.air.widgets()).collect();
    let (looks, shown, used_by, applied) = owner
        .channel
        .ask(move |channel, now| {
            let looks = Looks { night, ..channel.looks().clone() };
            let shown = shown(channel, &[key], &looks, now);
            let uses = |(_, piece): &(WidgetId, &tally_core::widgets::Piece)| piece.look().of == Some(id);
            let user = |(id, piece): (WidgetId, &tally_core::widgets::Piece)| UsedBy {
                id,
                title: piece.title().to_owned(),
                own: piece.look().own.keys().map(|token| (token.about().0, token.about().1)).collect(),
            };
            let applied = !on.is_empty() && channel.widgets().filter(|(own, _)| on.contains(own)).all(|one| uses(&one));
            (looks, shown, channel.widgets().filter(uses).map(user).collect(), applied)
        })
        .await?;
    let look = looks.all.get(&id).ok_or(WebError::NotFound)?;
    let tried = match record {
        Some(record) => {
            let (name, tried_on) = (record.air.name.clone(), Some((id, looks.clone())));
            let stage = Laid::of(&owner.channel, record.air, For::Air, record.id, tried_on).await?;
            Some((record.id, name, stage))
        }
        None => None,
    };
    let in_drawer = |drawer: Drawer| {
        let of_drawer = Token::ALL.into_iter().filter(|token| token.about().2 == drawer);
        (drawer, of_drawer.map(|token| Control::of_own(look, token, night, &clips)).collect::<Vec<_>>())
    };
    let drawers = Drawer::ALL.map(in_drawer).into_iter().filter(|(_, controls)| !controls.is_empty()).collect();
    Ok(Edited { id, path: format!("/looks/{id}/edit"), night, shown, tried, applied, drawers, used_by })
}

/// `GET /looks/{id}`
pub async fn room(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    asked: web::Query<Asked>,
) -> Result<HttpResponse, WebError> {
    let id = *id;
    let look = owner.channel.ask(move |channel, _| channel.looks().all.get(&id).cloned()).await?;
    let look = look.ok_or(WebError::NotFound)?;
    let overlays = app.engine.store().overlays(owner.channel.id).await?;
    let room = Room {
        frame: Frame::new(&app, &owner, "/looks").await?,
        id,
        name: look.name,
        base: look.base.words().0,
        edited: edited(&app, &owner, id, &asked).await?,
        overlays: overlays.into_iter().map(|one| (one.id, one.air.name)).collect(),
    };
    drawn(owner.whose(), room).await
}

/// What is said otherwise.
#[derive(Deserialize)]
pub struct Said {
    key: String,
    text: String,
}

/// `POST /looks/{id}/edit`: says a token otherwise. Widgets that use the look are drawn anew at once.
pub async fn set(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    asked: web::Query<Asked>,
    form: web::Form<Said>,
) -> Result<HttpResponse, WebError> {
    let Said { key, text } = form.into_inner();
    if let Err(refused) = edit(&owner, LookEdit::Set { look: *id, night: asked.night, key, text }).await? {
        return Ok(refused);
    }
    drawn(owner.whose(), edited(&app, &owner, *id, &asked).await?).await
}

/// Another name.
#[derive(Deserialize)]
pub struct Called {
    name: String,
}

/// `POST /looks/{id}/rename`
pub async fn rename(owner: Owner, id: web::Path<u32>, form: web::Form<Called>) -> Result<HttpResponse, WebError> {
    Ok(opened(edit(&owner, LookEdit::Rename(*id, form.into_inner().name)).await?))
}

/// `POST /looks/{id}/remove`: widgets that use it are left with the look from which it was derived.
pub async fn remove(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    Ok(opened(edit(&owner, LookEdit::Remove(*id)).await?))
}

/// `GET /looks/{id}/file`: the look as a file of design tokens.
pub async fn file(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let look = owner.channel.ask(move |channel, _| channel.looks().all.get(&id).cloned()).await?;
    let look = look.ok_or(WebError::NotFound)?;
    Ok(HttpResponse::Ok()
        .content_type("application/design-tokens+json")
        .insert_header(attachment(format!("{}.tokens.json", look.name.to_lowercase().replace(' ', "-"))))
        .body(serde_json::to_string_pretty(&to_file(&look)).map_err(|error| WebError::Inside(error.to_string()))?))
}

/// Which overlay.
#[derive(Deserialize)]
pub struct On {
    on: u32,
}

/// Does something to every widget of an overlay that is not in the archive.
async fn on_each(
    app: &App,
    owner: &Owner,
    on: u32,
    mut shapings: impl FnMut(WidgetId, Option<u32>) -> Vec<Shaping>,
) -> Result<(), WebError> {
    let record = app.engine.store().overlay(owner.channel.id, on).await?;
    for id in record.air.widgets() {
        let of = owner.channel.ask(move |channel, _| channel.widget(id).map(|piece| piece.look().of)).await?;
        let Some(of) = of else { continue };
        for shaping in shapings(id, of) {
            match owner.channel.shape(id, shaping).await {
                // What is on air already, or has nothing to take back, is as it should be.
                Ok(()) | Err(EngineError::Refused(_)) => {}
                Err(error) => return Err(error.into()),
            }
        }
    }
    Ok(())
}

/// `POST /looks/{id}/apply`: all widgets of an overlay use it, on air.
pub async fn apply(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<On>,
) -> Result<HttpResponse, WebError> {
    let (look, text) = (*id, format!("{OWN_LOOK}{id}"));
    let shapings = |_, of| match of == Some(look) {
        true => Vec::new(),
        false => vec![Shaping::Edit { key: "look".into(), text: text.clone() }, Shaping::PutOnAir],
    };
    on_each(&app, &owner, form.on, shapings).await?;
    Ok(go_to(&format!("/looks/{look}?on={}", form.on)))
}

/// `POST /looks/{id}/back`: the widgets of an overlay look as they did before they wore it.
pub async fn back(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<On>,
) -> Result<HttpResponse, WebError> {
    let look = *id;
    // Trying it and putting it on air are two changes, or one where edits are on air at once.
    let twice = !app.engine.store().channel(owner.channel.id).await?.edits_at_once;
    let shapings = |_, of| match (of == Some(look), twice) {
        (false, _) => Vec::new(),
        (true, false) => vec![Shaping::TakeBack],
        (true, true) => vec![Shaping::TakeBack, Shaping::TakeBack],
    };
    on_each(&app, &owner, form.on, shapings).await?;
    Ok(go_to(&format!("/looks/{look}?on={}", form.on)))
}

/// `POST /looks/{id}/same`: a widget that uses it says nothing otherwise any more.
pub async fn same(owner: Owner, path: web::Path<u32>, form: web::Form<Applying>) -> Result<HttpResponse, WebError> {
    let widget = WidgetId(form.widget);
    let keys: Vec<String> = match &form.key {
        Some(key) => vec![key.clone()],
        None => {
            let own = owner.channel.ask(move |channel, _| Some(channel.widget(widget)?.look().own.clone())).await?;
            own.ok_or(WebError::NotFound)?.keys().map(|token| token.key().to_owned()).collect()
        }
    };
    for key in keys {
        owner.channel.shape(widget, Shaping::Edit { key, text: String::new() }).await?;
    }
    match owner.channel.shape(widget, Shaping::PutOnAir).await {
        Ok(()) | Err(EngineError::Refused(_)) => Ok(go_to(&format!("/looks/{path}"))),
        Err(error) => Err(error.into()),
    }
}

/// Which widget, and which of its parts; all, where none is named.
#[derive(Deserialize)]
pub struct Applying {
    widget: u32,
    key: Option<String>,
}
