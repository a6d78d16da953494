//! The record: reading the ledger, writing lines by hand, and correcting them.

use super::program::{Program, Scope};
use super::{bounded, read, refused};
use crate::app::App;
use crate::error::{Answer, WebError, entered};
use crate::rooms::ledger::manual::{Typed, happening};
use actix_web::{HttpRequest, HttpResponse, web};
use serde::Deserialize;
use serde_json::{Value, json};
use tally_core::channel::Correcting;
use tally_core::language::text;
use tally_core::record::entry::Entry;
use tally_core::record::ids::Seq;
use tally_core::time::Instant;

/// Most lines of an answer.
const MOST: u16 = 500;

/// Which lines are wanted.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Wanted {
    #[serde(default)]
    after: u64,
    #[serde(default = "hundred")]
    limit: u16,
}

fn hundred() -> u16 {
    100
}

fn entry_json(entry: &Entry) -> Value {
    json!({
        "entry": entry.seq,
        "happened_at": entry.happened_at,
        "arrived_at": entry.arrived_at,
        "kind": entry.body.file_under(),
        "words": entry.body.words(),
        "widget": entry.body.widget(),
    })
}

/// `GET /api/v1/entries?after=…&limit=…`: lines of the ledger, the oldest first.
pub async fn entries(app: web::Data<App>, program: Program, request: HttpRequest) -> Answer {
    program.may(Scope::Read)?;
    let refuse = |why: String| WebError::Refused(format!("The query cannot be read: {why}."));
    let wanted = web::Query::<Wanted>::from_query(request.query_string());
    let Wanted { after, limit } = wanted.map_err(|error| refuse(error.to_string()))?.into_inner();
    if !(1..=MOST).contains(&limit) {
        return Err(refuse(format!("limit must lie between 1 and {MOST}")).into());
    }
    if i64::try_from(after).is_err() {
        return Err(refuse("after is beyond every line".into()).into());
    }
    let (id, after) = (program.channel.id, Seq(after));
    let lines = app.engine.store().entries_after(id, None, after, limit.into()).await?;
    let next = lines.last().map_or(after, |line| line.seq);
    let lines: Vec<Value> = lines.iter().map(entry_json).collect();
    Ok(HttpResponse::Ok().json(json!({"entries": lines, "next_after": next})))
}

/// A line by hand.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Line {
    kind: String,
    #[serde(default)]
    name: String,
    #[serde(default)]
    amount: String,
    #[serde(default)]
    currency: String,
    #[serde(default)]
    tier: String,
    #[serde(default)]
    number: String,
    #[serde(default)]
    what: String,
    #[serde(default)]
    measure: String,
    #[serde(default)]
    message: String,
    happened_at: Option<Instant>,
}

/// `POST /api/v1/entries`
pub async fn write(app: web::Data<App>, program: Program, request: HttpRequest, body: web::Bytes) -> Answer {
    program.may(Scope::Record)?;
    let Line { kind, name, amount, currency, tier, number, what, measure, message, happened_at } = read(&body)?;
    if happened_at.is_some_and(|at| at > app.engine.now()) {
        return Err(WebError::Refused("happened_at lies ahead; send an earlier one, or none for now.".into()).into());
    }
    for (name, text, most) in [
        ("name", &name, 200),
        ("amount", &amount, 40),
        ("currency", &currency, 10),
        ("tier", &tier, 10),
        ("number", &number, 20),
        ("what", &what, 200),
        ("measure", &measure, 60),
        ("message", &message, 2_000),
    ] {
        bounded(name, text, most)?;
    }
    let at = String::new();
    let typed = Typed { kind, name, amount, currency, tier, number, what, measure, message, at };
    let settings = program.channel.ask(|channel, _| channel.settings().clone()).await?;
    let happening = happening(&typed, &settings)?;
    let seq = program.channel.by_hand(happening, happened_at, program.by(&request)?).await.map_err(refused)?;
    Ok(entered(seq))
}

/// What is to be true of a line.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Correction {
    counts: bool,
    #[serde(default)]
    reason: String,
}

/// `POST /api/v1/entries/{seq}/correct`: a line no longer counts, or counts again.
pub async fn correct(
    app: web::Data<App>,
    program: Program,
    request: HttpRequest,
    seq: web::Path<String>,
    body: web::Bytes,
) -> Answer {
    program.may(Scope::Record)?;
    let Correction { counts, reason } = read(&body)?;
    bounded("reason", &reason, 400)?;
    let reason = text::tamed(&reason, text::MESSAGE_MOST);
    let seq = seq.parse().map(Seq).map_err(|_| WebError::NotFound)?;
    let line = app.engine.store().entry(program.channel.id, seq).await?;
    let wish = if counts { Correcting::Restore } else { Correcting::Void };
    let reason = Some(reason).filter(|reason| !reason.is_empty());
    let written = program.channel.correct(line, wish, program.by(&request)?, reason).await.map_err(refused)?;
    Ok(entered(written))
}
