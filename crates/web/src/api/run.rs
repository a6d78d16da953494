//! Running the show: on and off air, cues by hand, what is seen on the picture.

use super::program::{Program, Scope};
use super::{number, read, refused, whole};
use crate::app::App;
use crate::error::{Answer, WebError, entered};
use crate::overlay::{titles, words};
use actix_web::{HttpRequest, HttpResponse, web};
use serde::Deserialize;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use tally_core::channel::Channel;
use tally_core::cues::Cue;
use tally_core::record::acts::ShowAct;
use tally_core::time::Instant;

/// How a channel stands.
pub fn standing(channel: &Channel, now: Instant) -> Value {
    let show = channel.book().shows().on_air();
    json!({
        "on_air": show.is_some(),
        "on_air_since": show.map(|show| show.from),
        "ends_at": channel.book().shows().ending().map(|(at, _)| at),
        "covered": channel.is_covered(),
        "currency": channel.settings().currency.code(),
        "zone": channel.settings().calendar.zone.name(),
        "last_entry": channel.last_seq(),
        "at": now,
    })
}

/// `GET /api/v1/channel`
pub async fn channel(program: Program) -> Answer {
    program.may(Scope::Read)?;
    Ok(HttpResponse::Ok().json(program.channel.ask(standing).await?))
}

/// Going on or off air.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Show {
    on_air: bool,
}

/// `POST /api/v1/show`
pub async fn show(program: Program, request: HttpRequest, body: web::Bytes) -> Answer {
    program.may(Scope::Operate)?;
    let Show { on_air } = read(&body)?;
    let act = if on_air { ShowAct::Begin } else { ShowAct::End };
    Ok(entered(program.channel.show(act, program.by(&request)?).await.map_err(refused)?))
}

/// Hiding everything, or bringing it back.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Cover {
    covered: bool,
}

/// `POST /api/v1/cover`
pub async fn cover(program: Program, request: HttpRequest, body: web::Bytes) -> Answer {
    program.may(Scope::Operate)?;
    let Cover { covered } = read(&body)?;
    Ok(entered(program.channel.cover(covered, program.by(&request)?).await.map_err(refused)?))
}

/// `GET /api/v1/cues`
pub async fn cues(program: Program) -> Answer {
    program.may(Scope::Read)?;
    let list = |channel: &Channel, _| {
        let one = |(id, cue): (&u32, &Cue)| {
            let last = channel.firings().last(*id);
            json!({"id": id, "name": cue.name, "on": cue.on, "fired_at": last})
        };
        channel.cues().all.iter().map(one).collect::<Vec<_>>()
    };
    Ok(HttpResponse::Ok().json(json!({"cues": program.channel.ask(list).await?})))
}

/// `POST /api/v1/cues/{id}/fire`
pub async fn fire(program: Program, request: HttpRequest, id: web::Path<String>) -> Answer {
    program.may(Scope::Operate)?;
    let cue = number(&id)?;
    if !program.channel.ask(move |channel, _| channel.cues().all.contains_key(&cue)).await? {
        return Err(WebError::Missing(format!("There is no cue {cue}.")).into());
    }
    Ok(entered(program.channel.fire_cue(cue, program.by(&request)?).await.map_err(refused)?))
}

/// `GET /api/v1/overlays`: what can be shown and hidden of each.
pub async fn overlays(app: web::Data<App>, program: Program) -> Answer {
    program.may(Scope::Read)?;
    let mut all = Vec::new();
    for record in app.engine.store().overlays(program.channel.id).await? {
        let titles = titles(&program.channel, &record.air).await?;
        let id = record.id;
        let said = program.channel.ask(move |channel, _| channel.appearances(id)).await?;
        let piece = |piece: &tally_core::overlay::Piece| json!({"id": piece.id, "name": words(piece, &titles), "shown": record.air.shows(piece, &said)});
        let pieces: Vec<Value> = record.air.pieces.iter().map(piece).collect();
        all.push(json!({"id": record.id, "name": record.air.name, "pieces": pieces}));
    }
    Ok(HttpResponse::Ok().json(json!({"overlays": all})))
}

/// Showing pieces, or hiding them.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Appear {
    pieces: Vec<Piece>,
    shown: bool,
}

/// Most pieces that are shown or hidden at once.
const MOST_PIECES: usize = 500;

/// The number of a piece.
#[derive(Deserialize)]
#[serde(transparent)]
struct Piece(#[serde(deserialize_with = "whole")] Option<i64>);

/// `POST /api/v1/overlays/{id}/appear`
pub async fn appear(
    app: web::Data<App>,
    program: Program,
    request: HttpRequest,
    id: web::Path<String>,
    body: web::Bytes,
) -> Answer {
    program.may(Scope::Operate)?;
    let Appear { pieces, shown } = read(&body)?;
    if pieces.len() > MOST_PIECES {
        return Err(WebError::Refused(format!("The field pieces has at most {MOST_PIECES} numbers.")).into());
    }
    let number_of = |Piece(number): Piece| number.and_then(|number| u32::try_from(number).ok());
    let pieces: Option<BTreeSet<u32>> = pieces.into_iter().map(number_of).collect();
    let pieces = pieces.ok_or_else(|| WebError::Refused("The field pieces has numbers of pieces.".into()))?;
    let record = app.engine.store().overlay(program.channel.id, number(&id)?).await?;
    let by = program.by(&request)?;
    let seq = program.channel.appear((record.id, record.air), pieces, shown, by).await;
    Ok(entered(seq.map_err(refused)?))
}
