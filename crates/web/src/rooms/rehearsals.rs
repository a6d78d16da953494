//! Rehearsing the whole channel: by which script, how fast, and seen on which overlays; and the rehearsal that runs.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use std::collections::BTreeSet;
use tally_core::time::words::digits;
use tally_engine::{EngineError, Rehearsing};
use tally_feeds::rehearsal::{self, MOST_SPEED};
use tally_feeds::script::{SHIPPED, Script};
use tally_store::overlays::OverlayRecord;

/// How fast it can go, and what that is called.
const SPEEDS: [(u32, &str); 4] =
    [(1, "as in a show"), (5, "5 times as fast"), (20, "20 times as fast"), (MOST_SPEED, "a minute in a second")];

/// A script that can be chosen.
struct Choice {
    key: &'static str,
    title: String,
    minutes: u32,
}

/// The rehearsal that runs.
struct Running {
    title: String,
    speed: u32,
    gone: String,
    length: String,
    /// How much of it is over, in percent; 100 when it is at its end.
    percent: i64,
    /// The overlays that show it: name and address.
    overlays: Vec<(String, String)>,
}

#[derive(Template)]
#[template(path = "rooms/rehearsals.html")]
struct Page {
    frame: Frame,
    running: Option<Running>,
    scripts: Vec<Choice>,
    overlays: Vec<(u32, String)>,
    on_air: bool,
}

fn running(owner: &Owner, running: &Rehearsing, overlays: &[OverlayRecord]) -> Running {
    let (gone, length) = (running.gone().min(running.plan.length), running.plan.length);
    let shown = overlays.iter().filter(|one| running.shows_on(one.id));
    Running {
        title: running.plan.title.clone(),
        speed: running.plan.speed,
        gone: digits(gone),
        length: digits(length),
        percent: 100 * gone.num_milliseconds() / length.num_milliseconds().max(1),
        overlays: shown.map(|one| (one.air.name.clone(), owner.reach.overlay_url(&one.token))).collect(),
    }
}

/// `GET /rehearsals`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let overlays = app.engine.store().overlays(owner.channel.id).await?;
    let script = |(key, text): &(&'static str, &str)| {
        let script = Script::read(text).ok()?;
        Some(Choice { key, title: script.title, minutes: script.minutes })
    };
    let page = Page {
        frame: Frame::new(&app, &owner, "/rehearsals").await?,
        running: owner.channel.hub.rehearsal().map(|now| running(&owner, &now, &overlays)),
        scripts: SHIPPED.iter().filter_map(script).collect(),
        overlays: overlays.into_iter().map(|one| (one.id, one.air.name)).collect(),
        on_air: owner.channel.ask(|channel, _| channel.book().shows().on_air().is_some()).await?,
    };
    drawn(owner.whose(), page).await
}

/// What is rehearsed, from the room's form.
#[derive(Default)]
struct Chosen {
    script: String,
    own: String,
    speed: u32,
    overlays: BTreeSet<u32>,
}

impl Chosen {
    fn of(fields: Vec<(String, String)>) -> Result<Self, String> {
        let mut chosen = Self::default();
        for (name, value) in fields {
            match name.as_str() {
                "script" => chosen.script = value,
                "own" => chosen.own = value,
                "speed" => chosen.speed = value.parse().map_err(|_| "Choose how fast it goes.".to_owned())?,
                "overlay" => {
                    let overlay = value.parse().map_err(|_| "Overlays go by their numbers.".to_owned())?;
                    chosen.overlays.insert(overlay);
                }
                _ => {}
            }
        }
        Ok(chosen)
    }

    fn script(&self) -> Result<Script, String> {
        let own = self.own.trim();
        let shipped = || SHIPPED.iter().find(|(key, _)| *key == self.script).map(|(_, text)| *text);
        let text = if own.is_empty() { shipped() } else { Some(own) };
        let text = text.ok_or_else(|| "Choose a script, or write one of your own.".to_owned())?;
        Script::read(text).map_err(|error| sentence(&error.to_string()))
    }
}

/// `POST /rehearsals`: begins one, and leads to its desk.
pub async fn begin(
    app: web::Data<App>,
    owner: Owner,
    form: web::Form<Vec<(String, String)>>,
) -> Result<HttpResponse, WebError> {
    let chosen = Chosen::of(form.into_inner()).and_then(|chosen| Ok((chosen.script()?, chosen)));
    let (script, Chosen { speed, overlays, .. }) = match chosen {
        Ok(chosen) => chosen,
        Err(why) => return Ok(refusal(&why)),
    };
    match rehearsal::begin(&app.engine, &owner.channel, script, speed, overlays).await {
        Ok(()) => Ok(go_to("/rehearsal/desk")),
        Err(EngineError::Refused(why)) => Ok(refusal(&sentence(&why.to_string()))),
        Err(error) => Err(error.into()),
    }
}

/// From where it is stopped.
#[derive(Deserialize)]
pub struct Stopped {
    /// Whether its room is looked at, which is another one then.
    #[serde(default)]
    in_room: bool,
}

/// `POST /rehearsals/stop`: it is over, and nothing of it remains.
pub async fn stop(owner: Owner, form: web::Form<Stopped>) -> HttpResponse {
    owner.channel.end_rehearsal().await;
    if form.in_room { go_to("/rehearsals") } else { HttpResponse::NoContent().finish() }
}
