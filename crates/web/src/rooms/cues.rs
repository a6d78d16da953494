//! The cues room: each cue as a sentence that is edited in place, tried on the past before it is switched on, with a log of what
//! fired, what stayed quiet, and why.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::parts::{Edit, EditedInPlace, Placed, Refused};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::TimeDelta;
use serde::Deserialize;
use tally_core::channel::{Around, DryRun, WouldFire};
use tally_core::cues::{Cue, CueEdit, Logged, Offer, starts};
use tally_core::look::{Sort, sounds};
use tally_core::record::ids::Seq;
use tally_core::sentence::{Editor, Field, Part};
use tally_core::time::calendar::Calendar;
use tally_core::time::words::instant_words;
use tally_core::time::{Instant, after};
use tally_engine::{EngineError, Quiet};
use tally_feeds::calls::fresh_secret;

/// How many lines are read at a time in a dry run.
const PAGE: i64 = 5_000;
/// Without a show, a dry run goes over so many days.
const DAYS: i64 = 7;
/// So many firings of a dry run are told one by one.
const MOST_TOLD: usize = 40;
/// So many occasions on which a cue stayed quiet are told.
const MOST_QUIET: usize = 5;

/// One cue as it is drawn.
#[derive(Template)]
#[template(path = "rooms/cue.html")]
struct Shown {
    id: u32,
    under: String,
    target: String,
    name: Field,
    on: bool,
    parts: Vec<Part>,
    refused: Option<Refused>,
    log: Vec<Logged>,
    quiet: Vec<Quiet>,
    calendar: Calendar,
}

impl EditedInPlace for Shown {
    fn place(&self) -> (&str, &str) {
        (&self.under, &self.target)
    }

    fn refused(&self) -> Option<&Refused> {
        self.refused.as_ref()
    }
}

impl Shown {
    fn when(&self, at: &Instant) -> String {
        instant_words(&self.calendar, *at)
    }
}

#[derive(Template)]
#[template(path = "rooms/cues.html")]
struct Page {
    frame: Frame,
    cues: Vec<Shown>,
    /// Those to begin with: what each does.
    starts: Vec<String>,
    /// With what calls are signed, where a cue makes any.
    secret: Option<String>,
}

/// What is around the channel that cues can go by and do.
async fn around(app: &App, owner: &Owner) -> Result<Around, WebError> {
    let store = app.engine.store();
    let overlays = store.overlays(owner.channel.id).await?;
    let shipped = sounds().map(|(key, name)| (key.to_owned(), name.to_owned()));
    let own = store.clips(owner.channel.id).await?.into_iter().filter(|clip| clip.sort == Sort::Sound);
    let own = own.map(|clip| (format!("own-{}", clip.token), format!("“{}”", clip.name)));
    Ok(Around {
        overlays: overlays.into_iter().map(|record| (record.id, record.air)).collect(),
        sounds: own.chain(shipped).collect(),
    })
}

async fn offer(app: &App, owner: &Owner) -> Result<Offer, WebError> {
    let around = around(app, owner).await?;
    Ok(owner.channel.ask(move |channel, now| channel.cue_offer(&around, now)).await?)
}

/// Some cues, or all of them, as they are drawn.
async fn shown(app: &App, owner: &Owner, wanted: Option<u32>) -> Result<Vec<Shown>, WebError> {
    let around = around(app, owner).await?;
    let all = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let offer = channel.cue_offer(&around, now);
            let cues = channel.cues().all.iter().filter(|(id, _)| wanted.is_none_or(|wanted| wanted == **id));
            let one = |(id, cue): (&u32, &Cue)| {
                let editor = Editor::Text { value: cue.name.clone() };
                Shown {
                    id: *id,
                    under: format!("/cues/{id}"),
                    target: format!("#cue-{id}"),
                    name: Field { key: "name".into(), label: "The name", shown: cue.name.clone(), editor },
                    on: cue.on,
                    parts: cue.sentence(&offer),
                    refused: None,
                    log: channel.firings().log(*id).cloned().collect(),
                    quiet: hearing.quiet().filter(|quiet| quiet.cue == *id).take(MOST_QUIET).cloned().collect(),
                    calendar: channel.settings().calendar,
                }
            };
            cues.map(one).collect()
        })
        .await?;
    Ok(all)
}

/// `GET /cues`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let offer = offer(&app, &owner).await?;
    let calls = owner.channel.ask(|channel, _| channel.cues().make_calls()).await?;
    let secret = match calls {
        true => Some(app.engine.store().call_secret(owner.channel.id, fresh_secret()).await?),
        false => None,
    };
    let page = Page {
        secret,
        frame: Frame::new(&app, &owner, "/cues").await?,
        cues: shown(&app, &owner, None).await?,
        starts: starts::all(&offer).into_iter().map(|(words, _)| words).collect(),
    };
    drawn(owner.whose(), page).await
}

/// One to begin with, by its place; without one, an empty cue.
#[derive(Deserialize)]
pub struct New {
    start: Option<usize>,
}

/// `POST /cues`
pub async fn create(app: web::Data<App>, owner: Owner, form: web::Form<New>) -> Result<HttpResponse, WebError> {
    let offer = offer(&app, &owner).await?;
    let start = form.start.and_then(|place| starts::all(&offer).into_iter().nth(place));
    let cues = start.map_or_else(|| vec![Cue::empty()], |(_, cues)| cues);
    let mut first = None;
    for cue in cues {
        match owner.channel.edit_cues(CueEdit::Add(Box::new(cue)), offer.clone()).await {
            Ok(id) => first = first.or(id),
            Err(EngineError::Cue(why)) => return Ok(refusal(&sentence(&why.to_string()))),
            Err(error) => return Err(error.into()),
        }
    }
    Ok(go_to(&first.map_or_else(|| "/cues".into(), |id| format!("/cues?cue={id}#cue-{id}"))))
}

/// `POST /cues/{id}/edit`
pub async fn edit(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<Edit>,
) -> Result<HttpResponse, WebError> {
    let Edit { key, text } = form.into_inner();
    let set = CueEdit::Set { cue: *id, key: key.clone(), text: text.clone() };
    let refused = match owner.channel.edit_cues(set, offer(&app, &owner).await?).await {
        Ok(_) => None,
        Err(EngineError::Cue(error)) => Some(Refused { key, text, message: sentence(&error.to_string()) }),
        Err(error) => return Err(error.into()),
    };
    after_edit(&app, &owner, *id, refused).await
}

async fn after_edit(app: &App, owner: &Owner, id: u32, refused: Option<Refused>) -> Result<HttpResponse, WebError> {
    let one = shown(app, owner, Some(id)).await?.pop().ok_or(WebError::NotFound)?;
    let mut answer = if refused.is_some() { HttpResponse::UnprocessableEntity() } else { HttpResponse::Ok() };
    Ok(answer.insert_header(ContentType::html()).body(html(&Shown { refused, ..one })))
}

/// `POST /cues/{id}/fire`: fires it by hand, whatever it waits for.
pub async fn fire(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    owner.channel.fire_cue(*id, owner.by()).await?;
    after_edit(&app, &owner, *id, None).await
}

/// `POST /cues/{id}/remove`
pub async fn remove(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    owner.channel.edit_cues(CueEdit::Remove(*id), offer(&app, &owner).await?).await?;
    Ok(go_to("/cues"))
}

/// What a cue would have done.
#[derive(Template)]
#[template(path = "rooms/cue_tried.html")]
struct Tried {
    /// Over which time.
    over: String,
    fired: Vec<(String, String, Option<Seq>)>,
    many: usize,
    /// When it would have stayed quiet, and why.
    quiet: Vec<(String, String, String)>,
}

/// `GET /cues/{id}/past`: what it would have done in the last show.
pub async fn past(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = *id;
    let begun = owner
        .channel
        .ask(move |channel, now| {
            let cue = channel.cues().all.get(&id)?;
            let show = channel.book().shows().this(now).map(|show| show.from);
            let calendar = channel.settings().calendar;
            Some((DryRun::of(channel, cue), show, calendar, now))
        })
        .await?;
    let (mut run, show, calendar, now) = begun.ok_or(WebError::NotFound)?;
    let from = show.unwrap_or_else(|| after(now, -TimeDelta::days(DAYS)));
    let over = match show {
        Some(from) => format!("In the last show, which began {}", instant_words(&calendar, from)),
        None => format!("In the last {DAYS} days"),
    };
    let mut read = Seq(0);
    loop {
        let entries = app.engine.store().entries_after(owner.channel.id, None, read, PAGE).await?;
        let Some(last) = entries.last() else { break };
        read = last.seq;
        for entry in &entries {
            run.take(entry, from);
        }
        // Others want to be answered meanwhile.
        tokio::task::yield_now().await;
    }
    run.pass_time(now, from);
    let all = run.done();
    let told = |one: &WouldFire| (instant_words(&calendar, one.at), one.about.clone());
    let fired: Vec<_> = all.iter().filter(|one| one.not.is_none()).collect();
    let quiet = all.iter().filter_map(|one| Some((one, one.not?)));
    let tried = Tried {
        over,
        many: fired.len(),
        fired: fired
            .iter()
            .rev()
            .take(MOST_TOLD)
            .map(|one| {
                let (at, about) = told(one);
                (at, about, one.cause)
            })
            .collect(),
        quiet: quiet
            .rev()
            .take(MOST_TOLD)
            .map(|(one, why)| {
                let (at, about) = told(one);
                (at, about, why.to_string())
            })
            .collect(),
    };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&tried)))
}
