//! The lines that are shown, as a file: CSV (RFC 4180) for spreadsheets, NDJSON of CloudEvents for
//! programs. Read and sent in stretches, so that a million lines need no more memory than a few.

use super::wanted::Wanted;
use crate::app::App;
use crate::csv_file::{self, CsvFile};
use crate::error::WebError;
use crate::markup::attachment;
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use bytes::Bytes;
use futures_util::stream;
use serde_json::json;
use tally_core::record::entry::{Body, Entry};
use tally_core::record::happening::Happening;
use tally_core::record::ids::{ChannelId, Seq};
use tally_engine::{ChannelHandle, Engine};

/// How many lines are read at a time.
const STRETCH: usize = 1_000;

const HEAD: [&str; 17] = [
    "line",
    "time",
    "kind",
    "name",
    "id",
    "amount",
    "currency",
    "converted",
    "tier",
    "months",
    "number",
    "what",
    "message",
    "given_by",
    "counts",
    "source",
    "source_id",
];

#[derive(Clone, Copy)]
enum Form {
    Csv,
    Ndjson,
}

struct Rest {
    engine: Engine,
    channel: ChannelHandle,
    id: ChannelId,
    places: std::vec::IntoIter<Seq>,
    form: Form,
    begun: bool,
}

/// `GET /ledger/export.csv` and `.ndjson`
pub async fn export(
    app: web::Data<App>,
    owner: Owner,
    form: web::Path<String>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, WebError> {
    let (form, name, kind) = match form.as_str() {
        "csv" => (Form::Csv, "ledger.csv", "text/csv; charset=utf-8"),
        "ndjson" => (Form::Ndjson, "ledger.ndjson", "application/x-ndjson"),
        _ => return Err(WebError::NotFound),
    };
    let places = owner
        .channel
        .ask(move |channel, _| {
            let search = wanted.search(channel.settings())?;
            Ok::<_, WebError>(channel.book().all(&search).map(|fact| Seq(fact.seq)).collect::<Vec<_>>())
        })
        .await??;
    let id = owner.channel.id;
    let rest =
        Rest { engine: app.engine.clone(), channel: owner.channel, id, places: places.into_iter(), form, begun: false };
    Ok(HttpResponse::Ok()
        .content_type(kind)
        .insert_header(attachment(name))
        .streaming(stream::try_unfold(rest, stretch)))
}

async fn stretch(mut rest: Rest) -> Result<Option<(Bytes, Rest)>, actix_web::Error> {
    let places: Vec<Seq> = rest.places.by_ref().take(STRETCH).collect();
    if places.is_empty() && rest.begun {
        return Ok(None);
    }
    let entries = rest.engine.store().entries_at(rest.id, places).await.map_err(WebError::from)?;
    let (form, begun) = (rest.form, rest.begun);
    let written = rest
        .channel
        .ask(move |channel, _| match form {
            Form::Csv => csv_of(channel, &entries, !begun),
            Form::Ndjson => Ok(ndjson_of(channel, &entries)),
        })
        .await
        .map_err(WebError::from)??;
    rest.begun = true;
    Ok(Some((Bytes::from(written), rest)))
}

fn ndjson_of(channel: &tally_core::channel::Channel, entries: &[Entry]) -> Vec<u8> {
    let mut out = Vec::new();
    for entry in entries {
        let Some(fact) = channel.book().find(entry.happened_at, entry.seq) else { continue };
        let Some(happening) = present(channel, entry) else { continue };
        let mut event = tally_feeds::write::event(&entry.origin, entry.happened_at, &happening);
        if !channel.book().stands(fact) {
            // An extension attribute, as CloudEvents allows.
            event["tallyvoided"] = json!(true);
        }
        out.extend_from_slice(event.to_string().as_bytes());
        out.push(b'\n');
    }
    out
}

/// A line as it stands now: as it came, unless somebody amended it.
fn present(channel: &tally_core::channel::Channel, entry: &Entry) -> Option<Happening> {
    let Body::Happening(first) = &entry.body else { return None };
    let fact = channel.book().find(entry.happened_at, entry.seq)?;
    let present = channel.book().happening(fact);
    // What the book does not remember (pictures) stays where nothing was amended.
    Some(if present.words() == first.words() { first.clone() } else { present })
}

fn csv_of(channel: &tally_core::channel::Channel, entries: &[Entry], head: bool) -> Result<Vec<u8>, WebError> {
    let mut file = CsvFile::default();
    if head {
        file.row(HEAD.map(str::to_owned))?;
    }
    let settings = channel.settings();
    for entry in entries {
        let (Some(fact), Some(mut one)) = (channel.book().find(entry.happened_at, entry.seq), present(channel, entry))
        else {
            continue;
        };
        let money = one.money_mut().map(|money| *money);
        let converted = money
            .and(fact.coins().and_then(tally_core::book::Coins::priced))
            .map(|minor| tally_core::money::Money { minor, currency: settings.currency }.to_plain());
        let name = one.name().to_owned();
        let message = one.message().unwrap_or_default().to_owned();
        let given_by = match &one {
            Happening::Sub { gifted_by: Some(giver), .. } => giver.name.clone(),
            _ => String::new(),
        };
        let what = fact.word().map(|word| channel.book().words().get(word)).unwrap_or_default();
        let (months, number) = match &one {
            Happening::Sub { months, .. } => (months.map(i64::from), None),
            Happening::Reward { .. } => (None, fact.number()),
            _ => (None, fact.number().or(Some(1))),
        };
        let digits = |number: Option<i64>| number.map(|number| number.to_string()).unwrap_or_default();
        let id = one.actor().and_then(|actor| actor.id.clone()).unwrap_or_default();
        let row = [
            entry.seq.to_string(),
            csv_file::time(entry.happened_at),
            one.kind().key().to_owned(),
            name,
            id,
            money.map(|money| money.to_plain()).unwrap_or_default(),
            money.map(|money| money.currency.code().to_owned()).unwrap_or_default(),
            converted.unwrap_or_default(),
            digits(fact.tier().map(|tier| u8::from(tier).into())),
            digits(months),
            digits(number),
            what.to_owned(),
            message,
            given_by,
            csv_file::yes(channel.book().stands(fact)),
            entry.origin.source.clone(),
            entry.origin.id.clone(),
        ];
        file.row(row)?;
    }
    file.bytes()
}
