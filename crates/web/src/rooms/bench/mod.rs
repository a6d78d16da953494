//! The bench: one widget, its stage, its sentence, its look, its address, its readiness, and why it
//! says what it says.

pub mod compare;
mod course;
mod drawers;
pub mod rehearse;
pub mod text_file;

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::own_style;
use crate::rooms::drawn::{drawn, in_turn};
use crate::rooms::frame::Frame;
use crate::rooms::parts::{PartBox, Placed, Refused, placed};
use crate::rooms::readiness::{self, Place, Readiness};
use crate::rooms::sign_in::refreshed;
use crate::security::session::Owner;
use crate::security::tokens;
use crate::widgets::{self, Drawable};
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use course::Course;
use drawers::{Drawers, OwnStyle};
use serde::Deserialize;
use tally_core::count::explain::{Effect, Slip, SlipLine};
use tally_core::count::{Count, Scope};
use tally_core::look;
use tally_core::record::happening::Happening;
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::sentence::table::Table;
use tally_core::sentence::{Field, Part};
use tally_core::template;
use tally_core::time::words::instant_words;
use tally_core::widgets::{Hint, Piece};
use tally_engine::{EngineError, Hearing, Shaping};
use tally_store::feeds::Feed;

/// The sentence, with what was refused where something was.
#[derive(Template)]
#[template(path = "rooms/sentence.html")]
struct Sentence {
    id: WidgetId,
    parts: Vec<Part>,
    /// Its rate sheet, where it has one.
    rates: Option<Table>,
    hints: Vec<Hint>,
    /// What it says at this moment.
    now: String,
    refused: Option<Refused>,
    /// What the button says that ends an edit.
    done: &'static str,
}

impl Sentence {
    /// A field with the mark that stands right behind it, so that no line begins with one.
    fn part(&self, field: &Field, mark: &str) -> String {
        let refused = self.refused.as_ref().filter(|refused| refused.key == field.key);
        let under = format!("/widgets/{}", self.id);
        html(&PartBox::of((&under, "#sentence"), (field, mark), refused).saying(self.done))
    }

    fn placed<'a>(&self, parts: &'a [Part], end: &'a str) -> Vec<Placed<'a>> {
        placed(parts, end)
    }
}

/// Whether the stage shows what is on air, and what can be done about it.
#[derive(Template)]
#[template(path = "rooms/bench_bar.html")]
struct Bar {
    id: WidgetId,
    trying: bool,
    at_once: bool,
    /// What the newest change was, if it can be taken back.
    past: Option<String>,
    /// Whether it stands apart on the page, so that it must say where it goes.
    apart: bool,
}

/// What follows every change: the sample drawing, readiness and the slip.
#[derive(Template)]
#[template(path = "rooms/bench_aside.html")]
struct Aside {
    sample: Drawable,
    readiness: Readiness,
    /// The overlays on which it stands.
    places: Vec<Place>,
    /// The course of a subathon.
    course: Option<Course>,
    slip: Slip,
    apart: bool,
}

#[derive(Template)]
#[template(path = "rooms/bench.html")]
struct Page {
    frame: Frame,
    id: WidgetId,
    looked: Looked,
    sentence: Sentence,
    bar: Bar,
    page_url: String,
    read_url: String,
    still_url: String,
    text_file: text_file::Shown,
    acts: Vec<(&'static str, &'static str)>,
    /// Right after the first visit: what to do next is said.
    begins: bool,
}

/// What the bench shows of a widget.
struct Looked {
    title: String,
    drawing: Drawable,
    tried: Option<Drawable>,
    parts: Vec<Part>,
    rates: Option<Table>,
    /// The names of a board's sides, each of which can have a picture.
    sides: Vec<String>,
    hints: Vec<Hint>,
    now: String,
    aside: Aside,
    drawers: Drawers,
    rehearsal: Option<Drawable>,
    acts: Vec<(&'static str, &'static str)>,
    size: (u32, u32),
}

async fn look(app: &App, owner: &Owner, id: WidgetId, of: Option<look::Part>, apart: bool) -> Result<Looked, WebError> {
    let feeds: Vec<Feed> = app.engine.store().feeds(owner.channel.id).await?;
    let clips = app.engine.store().clips(owner.channel.id).await?;
    let places = readiness::places(&owner.channel.hub, &app.engine.store().overlays(owner.channel.id).await?, id);
    let looked = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let (air, piece, scope) = (channel.widget(id)?, channel.staged(id)?, channel.scope(now));
            // What follows a change leaves the stage alone; it is drawn live.
            let rehearsal = if apart { None } else { channel.rehearsal(now).view(id, now) };
            let counts = piece.counts(scope.settings);
            let view = piece.view(&scope);
            Some(Looked {
                rehearsal: rehearsal.map(|view| Drawable::showing(piece, view)),
                acts: rehearse::acts(piece, &counts),
                title: piece.title().to_owned(),
                drawing: Drawable::of(air, &scope),
                parts: piece.sentence(&scope),
                rates: piece.rate_table(&scope),
                sides: sides(piece),
                hints: piece.hints(&scope),
                now: view.text(),
                tried: channel.draft(id).map(|_| Drawable::showing(piece, view)),
                aside: Aside {
                    sample: Drawable::showing(piece, piece.sample(&scope)),
                    readiness: readiness::of(channel, hearing, id, &feeds, now)?,
                    places,
                    course: course::of(piece, &scope),
                    slip: with_rehearsals(piece.explain(&scope), &counts, hearing, &scope),
                    apart,
                },
                drawers: Drawers::of(id, piece, (&scope, channel.looks()), &clips, of, apart),
                size: widgets::size(piece),
            })
        })
        .await?;
    looked.ok_or(WebError::NotFound)
}

fn sides(piece: &Piece) -> Vec<String> {
    match piece {
        Piece::Scoreboard(folded) => folded.definition.sides.iter().map(|side| side.name.clone()).collect(),
        _ => Vec::new(),
    }
}

/// The slip with what was only rehearsed in front, among what was left out.
fn with_rehearsals(mut slip: Slip, counts: &[Count], hearing: &Hearing, scope: &Scope<'_>) -> Slip {
    let kinds = counts.iter().fold(0, |kinds, count| kinds | count.kinds());
    let rehearsed = hearing.rehearsals().filter(|(_, one)| one.kind().bit() & kinds != 0);
    let line = |(at, happening): &(tally_core::time::Instant, Happening)| SlipLine {
        seq: Seq(0),
        when: instant_words(&scope.settings.calendar, *at),
        words: happening.words(),
        effect: Effect::LeftOut("a rehearsal".into()),
    };
    slip.lines.splice(0..0, rehearsed.map(line).collect::<Vec<_>>());
    slip
}

async fn bar(app: &App, owner: &Owner, id: WidgetId, apart: bool) -> Result<Bar, WebError> {
    let store = app.engine.store();
    let trying = owner.channel.ask(move |channel, _| channel.draft(id).is_some()).await?;
    let past = store.widget_past(store.own_widget(owner.channel.id, id).await?).await?.map(|past| past.words);
    let at_once = store.channel(owner.channel.id).await?.edits_at_once;
    Ok(Bar { id, trying, at_once, past, apart })
}

fn done(at_once: bool) -> &'static str {
    if at_once { "Put on air" } else { "Try it" }
}

/// `GET /widgets/{id}`
pub async fn page(
    app: web::Data<App>,
    owner: Owner,
    request: HttpRequest,
    id: web::Path<u32>,
) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let all = app.engine.store().widgets(owner.channel.id).await?;
    let record = all.into_iter().find(|one| one.id == id && !one.archived).ok_or(WebError::NotFound)?;
    let mut looked = look(&app, &owner, id, None, false).await?;
    let bar = bar(&app, &owner, id, false).await?;
    let page = Page {
        frame: Frame::new(&app, &owner, "/widgets").await?,
        id,
        sentence: Sentence {
            id,
            parts: std::mem::take(&mut looked.parts),
            rates: looked.rates.take(),
            hints: std::mem::take(&mut looked.hints),
            now: std::mem::take(&mut looked.now),
            refused: None,
            done: done(bar.at_once),
        },
        bar,
        acts: std::mem::take(&mut looked.acts),
        begins: request.query_string() == "next",
        looked,
        page_url: owner.reach.page_url(&record.page_token),
        still_url: owner.reach.read_url(&record.page_token).replace(".json", ".svg"),
        read_url: owner.reach.read_url(&record.page_token),
        text_file: text_file::shown(&app, id).await?,
    };
    drawn(owner.whose(), page).await
}

/// One part of the sentence or the look, as its form sends it.
#[derive(Deserialize)]
pub struct Edit {
    key: String,
    text: String,
}

/// The part of the drawing on which the drawers work, by its word; everything where it is none.
#[derive(Default, Deserialize)]
pub struct OfPart {
    #[serde(default)]
    part: String,
}

impl OfPart {
    fn part(&self) -> Option<look::Part> {
        look::Part::of_key(&self.part)
    }
}

/// An edit, with the part on which the drawers work.
#[derive(Deserialize)]
pub struct EditOf {
    key: String,
    text: String,
    #[serde(default)]
    part: String,
}

/// `POST /widgets/{id}/edit`: on the stage, or on air at once.
pub async fn edit(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<EditOf>,
) -> Result<HttpResponse, WebError> {
    let EditOf { key, text, part } = form.into_inner();
    let of = OfPart { part }.part();
    if let Err(error) = if key == "css" { own_style::check(&text) } else { Ok(()) } {
        let refused = Refused { key, text, message: sentence(&error.to_string()) };
        return after(&app, &owner, WidgetId(*id), of, Some(refused)).await;
    }
    let shaping = Shaping::Edit { key: key.clone(), text: text.clone() };
    let refused = match owner.channel.shape(WidgetId(*id), shaping).await {
        Ok(()) => None,
        Err(EngineError::Edit(error)) => Some(Refused { key, text, message: sentence(&error.to_string()) }),
        Err(error) => return Err(error.into()),
    };
    after(&app, &owner, WidgetId(*id), of, refused).await
}

/// `POST /widgets/{id}/{operation}`: `put-on-air`, `discard`, `take-back`.
pub async fn shape(
    app: web::Data<App>,
    owner: Owner,
    path: web::Path<(u32, String)>,
    of: Option<web::Form<OfPart>>,
) -> Result<HttpResponse, WebError> {
    let (id, operation) = path.into_inner();
    let of = of.and_then(|of| of.part());
    let shaping = match operation.as_str() {
        "put-on-air" => Shaping::PutOnAir,
        "discard" => Shaping::Discard,
        "take-back" => Shaping::TakeBack,
        _ => return Err(WebError::NotFound),
    };
    let refused = match owner.channel.shape(WidgetId(id), shaping).await {
        Ok(()) => None,
        Err(EngineError::Refused(error)) => {
            Some(Refused { key: String::new(), text: String::new(), message: sentence(&error.to_string()) })
        }
        Err(error) => return Err(error.into()),
    };
    after(&app, &owner, WidgetId(id), of, refused).await
}

/// Everything on the bench that a change may have changed.
async fn after(
    app: &App,
    owner: &Owner,
    id: WidgetId,
    of: Option<look::Part>,
    refused: Option<Refused>,
) -> Result<HttpResponse, WebError> {
    let looked = look(app, owner, id, of, true).await?;
    let bar = bar(app, owner, id, true).await?;
    let mut answer = if refused.is_some() { HttpResponse::UnprocessableEntity() } else { HttpResponse::Ok() };
    let Looked { parts, rates, hints, now, aside, mut drawers, .. } = looked;
    if let Some(Refused { text, message, .. }) = refused.as_ref().filter(|refused| refused.key == "css") {
        drawers = drawers.with_style(OwnStyle { text: text.clone(), refused: Some(message.clone()) });
    }
    // What was refused is told where it was written.
    let refused = refused.filter(|refused| refused.key != "css");
    let sentence = Sentence { id, parts, rates, hints, now, refused, done: done(bar.at_once) };
    let draw = move || html(&sentence) + &html(&bar) + &html(&drawers) + &html(&aside);
    let body = in_turn(owner.whose(), draw).await?;
    Ok(answer.insert_header(ContentType::html()).body(body))
}

/// `GET /widgets/{id}/drawers?part=…`: the drawers as they work on a part.
pub async fn drawers(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    of: web::Query<OfPart>,
) -> Result<HttpResponse, WebError> {
    let looked = look(&app, &owner, WidgetId(*id), of.part(), true).await?;
    drawn(owner.whose(), looked.drawers).await
}

/// `GET /widgets/{id}/aside`: readiness and the slip as they are now.
pub async fn aside(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let looked = look(&app, &owner, WidgetId(*id), None, true).await?;
    drawn(owner.whose(), looked.aside).await
}

/// How a template reads, or what is wrong with it.
#[derive(Template)]
#[template(path = "rooms/template_check.html")]
struct Checked {
    text: Result<String, String>,
}

/// `POST /widgets/{id}/check`: a template as it is being typed.
pub async fn check(owner: Owner, id: web::Path<u32>, form: web::Form<Edit>) -> Result<HttpResponse, WebError> {
    let Edit { key, text } = form.into_inner();
    let id = WidgetId(*id);
    // Whether it is a template at all is found out here, so that the channel is not kept waiting by typing.
    if let Err(error) = template::check(&text) {
        let text = Err(sentence(&error.to_string()));
        return Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&Checked { text })));
    }
    let text = owner
        .channel
        .ask(move |channel, now| {
            let piece = channel.staged(id)?;
            let scope = channel.scope(now).speaking(piece.look().language);
            let example = drawers::example(&key, piece, &scope);
            Some(template::plain(&template::write(&text, "", &example, scope.locale())))
        })
        .await?
        .ok_or(WebError::NotFound)?;
    let text = Ok(text);
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&Checked { text })))
}

/// `POST /widgets/{id}/readdress`: another address; pages at the old one go blank.
pub async fn readdress(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    app.engine.readdress(owner.channel.id, WidgetId(*id), tokens::token(&mut rand::rng())).await?;
    Ok(refreshed())
}
