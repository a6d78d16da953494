//! Going on air and off by itself: the question that the desk asks first, the owner's words in chat, and the schedule.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::rooms::received;
use crate::rooms::sign_in::{go_to, refreshed, refusal};
use crate::security::session::Owner;
use actix_web::HttpResponse;
use actix_web::web::{Data, Form, Payload};
use serde::Deserialize;
use tally_core::channel::{AirEdit, AirRules, Planned};
use tally_core::time::calendar::Calendar;
use tally_feeds::run;
use tally_feeds::schedule::MOST_BYTES;
use tally_store::schedules::KeptSchedule;

/// So many shows to come are told.
const TOLD: usize = 5;

/// For how long the desk asks, in seconds, and in words.
pub const ASKS: [(u16, &str); 5] = [
    (0, "nobody is asked: the show ends at once"),
    (30, "half a minute"),
    (60, "a minute"),
    (120, "two minutes"),
    (300, "five minutes"),
];

/// What the room says of it.
pub struct ByItself {
    pub rules: AirRules,
    pub schedule: KeptSchedule,
    /// The shows to come: title, and when.
    pub coming: Vec<(String, String)>,
}

impl ByItself {
    /// As it stands.
    ///
    /// # Errors
    /// The database is away.
    pub async fn of(app: &App, owner: &Owner) -> Result<Self, WebError> {
        let schedule = app.engine.store().schedule(owner.channel.id).await?;
        let (rules, calendar) =
            owner.channel.ask(|channel, _| (channel.air_rules().clone(), channel.settings().calendar)).await?;
        let now = owner.channel.now();
        let words = |show: &Planned| (show.title.clone(), when(show, &calendar));
        let coming = rules.schedule.plan.iter().filter(|show| show.to > now).take(TOLD).map(words).collect();
        Ok(Self { rules, schedule, coming })
    }
}

fn when(show: &Planned, calendar: &Calendar) -> String {
    let (from, to) = (calendar.local(show.from), calendar.local(show.to));
    let until = if from.date() == to.date() { "%H:%M" } else { "%a %-d %b, %H:%M" };
    format!("{} to {}", from.format("%a %-d %b, %H:%M"), to.format(until))
}

/// How it is asked, and whether words in chat begin a show.
#[derive(Deserialize)]
pub struct Ways {
    ask_s: u16,
    #[serde(default)]
    by_chat: bool,
}

/// `POST /channel/air`
pub async fn ways(owner: Owner, form: Form<Ways>) -> Result<HttpResponse, WebError> {
    let Ways { ask_s, by_chat } = form.into_inner();
    owner.channel.edit_air(AirEdit::Ways { ask_s, by_chat }).await?;
    Ok(refreshed())
}

/// Where a schedule comes from; nowhere if it is empty.
#[derive(Deserialize)]
pub struct From {
    url: String,
}

/// `POST /channel/schedule`: from an address, or none.
pub async fn from_address(app: Data<App>, owner: Owner, form: Form<From>) -> Result<HttpResponse, WebError> {
    let url = form.url.trim();
    if url.is_empty() {
        run::drop_schedule(&owner.channel).await?;
        return Ok(refreshed());
    }
    chosen(&app, &owner, url, None).await.map(|refused| refused.unwrap_or_else(refreshed))
}

/// `POST /channel/schedule/file`
pub async fn from_file(app: Data<App>, owner: Owner, payload: Payload) -> Result<HttpResponse, WebError> {
    let body = match received::file(payload, MOST_BYTES).await? {
        Ok(body) => body,
        Err(why) => return Ok(refusal(&sentence(&why))),
    };
    match String::from_utf8(body.to_vec()) {
        // Who sends a file goes where the answer says; the room without a place in it is loaded anew.
        Ok(text) => {
            chosen(&app, &owner, "", Some(text)).await.map(|refused| refused.unwrap_or_else(|| go_to("/channel")))
        }
        Err(_) => Ok(refusal("The file is not UTF-8. Export the calendar again, as iCalendar (.ics).")),
    }
}

/// Chooses another schedule; an answer only if it was refused.
async fn chosen(app: &App, owner: &Owner, url: &str, file: Option<String>) -> Result<Option<HttpResponse>, WebError> {
    let chosen = run::choose(&app.engine, app.config.outside, &owner.channel, url, file).await;
    Ok(chosen.err().map(|why| refusal(&sentence(&why))))
}
