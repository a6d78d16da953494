//! Shows: going on and off air, and mending the times of one that was forgotten.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::rooms::drawn::drawn;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{refreshed, refusal};
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::NaiveDateTime;
use serde::Deserialize;
use tally_core::book::shows::Show;
use tally_core::channel::Channel;
use tally_core::count::Count;
use tally_core::record::acts::ShowAct;
use tally_core::record::ids::Seq;
use tally_core::record::measure::Measure;
use tally_core::time::Instant;
use tally_core::time::calendar::{Calendar, Span};
use tally_core::time::words::digits;
use tally_engine::EngineError;

/// How many shows stand in the room.
const SHOWS: usize = 60;

struct Row {
    seq: u64,
    began: String,
    lasted: String,
    on_air: bool,
    tips: String,
    subs: String,
    follows: String,
    from: String,
    to: String,
}

#[derive(Template)]
#[template(path = "rooms/shows.html")]
struct Page {
    frame: Frame,
    rows: Vec<Row>,
}

fn row(channel: &Channel, show: &Show, now: Instant) -> Row {
    let (settings, book) = (channel.settings(), channel.book());
    let calendar: &Calendar = &settings.calendar;
    let figure = |measure| {
        let count = Count::of(measure, tally_core::time::calendar::Period::AllTime);
        let tally = count.recount(Span { from: Some(show.from), to: show.to }, book, settings);
        count.unit(settings).show(tally.value())
    };
    let field = |at: Instant| calendar.local(at).format("%Y-%m-%dT%H:%M").to_string();
    Row {
        seq: show.seq.0,
        began: calendar.local(show.from).format("%a %-d %b %Y, %H:%M").to_string(),
        lasted: digits(show.to.unwrap_or(now) - show.from),
        on_air: show.to.is_none(),
        tips: figure(Measure::AmountOfTips),
        subs: figure(Measure::CountOfSubs),
        follows: figure(Measure::CountOfFollows),
        from: field(show.from),
        to: show.to.map(field).unwrap_or_default(),
    }
}

/// `GET /shows`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let list = |channel: &Channel, now| {
        channel.book().shows().all().iter().rev().take(SHOWS).map(|show| row(channel, show, now)).collect()
    };
    let page = Page { frame: Frame::new(&app, &owner, "/shows").await?, rows: owner.channel.ask(list).await? };
    drawn(owner.whose(), page).await
}

/// Says something about shows, and answers with what follows once it is said.
async fn say(owner: &Owner, act: ShowAct, said: fn() -> HttpResponse) -> Result<HttpResponse, WebError> {
    match owner.channel.show(act, owner.by()).await {
        Ok(_) => Ok(said()),
        Err(EngineError::Refused(why)) => Ok(refusal(&sentence(&why.to_string()))),
        Err(error) => Err(error.into()),
    }
}

/// The strip tells of it in every room.
fn done() -> HttpResponse {
    HttpResponse::NoContent().finish()
}

/// `POST /shows/begin`
pub async fn begin(owner: Owner) -> Result<HttpResponse, WebError> {
    say(&owner, ShowAct::Begin, done).await
}

/// `POST /shows/end`
pub async fn end(owner: Owner) -> Result<HttpResponse, WebError> {
    say(&owner, ShowAct::End, done).await
}

/// `POST /shows/stay`: stays on air, though the show was to end by itself.
pub async fn stay(owner: Owner) -> Result<HttpResponse, WebError> {
    say(&owner, ShowAct::Stay, done).await
}

/// Local times as typed in.
#[derive(Deserialize)]
pub struct Times {
    from: String,
    to: String,
}

fn moment(calendar: &Calendar, typed: &str, what: &str) -> Result<Instant, WebError> {
    NaiveDateTime::parse_from_str(typed.trim(), "%Y-%m-%dT%H:%M")
        .map(|local| calendar.instant(local))
        .map_err(|_| WebError::Refused(format!("{what} must be a date and a time, such as 2026-11-29T20:00.")))
}

/// `POST /shows/{seq}/trim`
pub async fn trim(owner: Owner, seq: web::Path<u64>, form: web::Form<Times>) -> Result<HttpResponse, WebError> {
    let calendar = owner.channel.ask(|channel, _| channel.settings().calendar).await?;
    let times = || {
        let from = moment(&calendar, &form.from, "The beginning")?;
        let to = Some(&form.to).filter(|to| !to.trim().is_empty());
        Ok::<_, WebError>((from, to.map(|to| moment(&calendar, to, "The end")).transpose()?))
    };
    let (from, to) = match times() {
        Ok(times) => times,
        Err(error) => return Ok(refusal(&error.to_string())),
    };
    say(&owner, ShowAct::Trim { show: Seq(*seq), from, to }, refreshed).await
}

/// `POST /shows/{seq}/strike`
pub async fn strike(owner: Owner, seq: web::Path<u64>) -> Result<HttpResponse, WebError> {
    say(&owner, ShowAct::Strike { show: Seq(*seq) }, refreshed).await
}
