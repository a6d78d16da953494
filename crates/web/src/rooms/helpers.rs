//! Helpers: the passes that let others do one job, from a phone, without the account.

use crate::app::App;
use crate::draw::since;
use crate::error::WebError;
use crate::markup::{attachment, html};
use crate::qr;
use crate::rooms::drawn::drawn;
use crate::rooms::first_visit::named;
use crate::rooms::frame::Frame;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::spoken::Spoken;
use crate::security::tokens;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use chrono::TimeDelta;
use serde::Deserialize;
use std::collections::BTreeMap;
use tally_core::channel::{Channel, Grant, Job};
use tally_core::record::entry::Entry;
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::time::{Instant, after};
use tally_store::StoreError;
use tally_store::passes::{Keys, Listed, NewPass, Pass};

/// Most passes of a channel that hold at a time.
const MOST_PASSES: usize = 40;
/// Most devices and presses of a pass.
const MOST_DEVICES: u32 = 50;
const MOST_USES: u32 = 1_000_000;
/// For how many minutes the three words of a pass open it.
const WORDS_MINUTES: i64 = 60;
/// For how long a pass can be given, in hours; 0 for as long as it is not revoked.
const HOURS: [(i64, &str); 5] =
    [(4, "4 hours"), (12, "12 hours"), (72, "3 days"), (720, "30 days"), (0, "until I revoke it")];

/// The widgets that ask for one job.
struct Jobs {
    job: Job,
    widgets: Vec<(WidgetId, String)>,
}

/// A pass in the list.
struct PassRow {
    id: u32,
    name: String,
    /// `Shunting derby, Cups of tea`
    allows: String,
    /// `until 22:00`, `revoked 19:30`
    state: String,
    holds: bool,
    /// `on 1 of 2 devices`
    devices: String,
    /// `14 presses, the last 19:41`
    uses: String,
    /// Its newest lines in the ledger, each with its number.
    lines: Vec<(u64, String)>,
}

#[derive(Template)]
#[template(path = "rooms/helpers.html")]
struct Page {
    frame: Frame,
    jobs: Vec<Jobs>,
    passes: Vec<PassRow>,
    hours: [(i64, &'static str); 5],
    most_devices: u32,
    join: String,
}

/// What is shown once of a pass that has just been made.
#[derive(Template)]
#[template(path = "rooms/helpers_made.html")]
struct Made {
    name: String,
    link: String,
    words: String,
    words_minutes: i64,
    join: String,
    /// Whether nobody at another computer or phone reaches these addresses.
    here_alone: bool,
    qr: String,
}

fn titles(channel: &Channel, grant: &Grant) -> String {
    if *grant == Grant::Desk {
        return "the whole desk, without settings".into();
    }
    let all: Vec<&str> = channel.granted(grant).into_iter().map(|(_, piece)| piece.title()).collect();
    if all.is_empty() { "widgets that are in the archive".into() } else { all.join(", ") }
}

fn many(count: u32, one: &str, several: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { several })
}

fn row(channel: &Channel, listed: &Listed, entries: &BTreeMap<Seq, Entry>, now: Instant) -> PassRow {
    let calendar = &channel.settings().calendar;
    let at = |instant: Instant| since(calendar, instant, now);
    let Pass { id, wanted, revoked, .. } = &listed.pass;
    let state = match (revoked, wanted.ends) {
        (Some(revoked), _) => format!("revoked {}", at(*revoked)),
        (None, Some(end)) if end <= now => format!("ended {}", at(end)),
        (None, Some(end)) => format!("until {}", at(end)),
        (None, None) => "until you revoke it".into(),
    };
    let presses = match wanted.most_uses {
        Some(most) => format!("{} of {}", listed.uses, many(most, "press", "presses")),
        None => many(listed.uses, "press", "presses"),
    };
    let line = |seq: &Seq| {
        let entry = entries.get(seq)?;
        let title = entry.body.widget().and_then(|id| channel.widget(id)).map(|piece| format!("{}: ", piece.title()));
        Some((seq.0, format!("{}{}", title.unwrap_or_default(), entry.body.words())))
    };
    PassRow {
        id: *id,
        name: wanted.name.clone(),
        allows: titles(channel, &wanted.grant),
        state,
        holds: listed.pass.holds(now),
        devices: format!("on {} of {}", listed.devices, many(wanted.most_devices, "device", "devices")),
        uses: match listed.last_use {
            Some(last) => format!("{presses}, the last {}", at(last)),
            None => "not used yet".into(),
        },
        lines: listed.lines.iter().filter_map(line).collect(),
    }
}

fn jobs(channel: &Channel) -> Vec<Jobs> {
    let of = |job: Job| {
        let own = channel.on_desk().filter(|(_, piece, _)| Job::of(piece) == Some(job));
        Jobs { job, widgets: own.map(|(id, piece, _)| (id, piece.title().to_owned())).collect() }
    };
    Job::ALL.into_iter().map(of).filter(|jobs| !jobs.widgets.is_empty()).collect()
}

/// `GET /helpers`
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let listed = store.passes(owner.channel.id).await?;
    let places = listed.iter().flat_map(|one| one.lines.iter().copied()).collect();
    let entries = store.entries_at(owner.channel.id, places).await?;
    let entries: BTreeMap<Seq, Entry> = entries.into_iter().map(|entry| (entry.seq, entry)).collect();
    let tell = move |channel: &Channel, now| {
        let passes = listed.iter().map(|one| row(channel, one, &entries, now)).collect();
        (jobs(channel), passes)
    };
    let (jobs, passes) = owner.channel.ask(tell).await?;
    let frame = Frame::new(&app, &owner, "/helpers").await?;
    let page = Page { frame, jobs, passes, hours: HOURS, most_devices: MOST_DEVICES, join: owner.reach.join_url() };
    drawn(owner.whose(), page).await
}

/// A pass as its form says it: a widget each in the fields `widget`.
fn wanted(fields: &[(String, String)], now: Instant) -> Result<NewPass, WebError> {
    let field = |name: &str| fields.iter().find(|(key, _)| key == name).map_or("", |(_, value)| value.trim());
    let refuse = |why: String| WebError::Refused(why);
    let whole = |name: &str, label: &str, most: u32| match field(name).parse() {
        Ok(number) if (1..=most).contains(&number) => Ok(number),
        _ => Err(refuse(format!("{label} is a number from 1 to {most}."))),
    };
    let name = named("The helper's name", field("name"))?;
    let ids: Result<_, _> =
        fields.iter().filter(|(key, _)| key == "widget").map(|(_, id)| id.parse().map(WidgetId)).collect();
    let grant = match ids {
        _ if field("desk") == "yes" => Grant::Desk,
        Ok(ids) => Grant::Widgets(ids),
        Err(_) => return Err(refuse("A pass takes numbers of widgets.".into())),
    };
    if matches!(&grant, Grant::Widgets(chosen) if chosen.is_empty()) {
        return Err(refuse("Choose at least one thing that this helper may do, or the whole desk.".into()));
    }
    let hours = field("hours").parse().ok().filter(|hours| HOURS.iter().any(|(one, _)| one == hours));
    let Some(hours) = hours else { return Err(refuse("Choose how long the pass is good for.".into())) };
    Ok(NewPass {
        name,
        grant,
        ends: (hours > 0).then(|| after(now, TimeDelta::hours(hours))),
        most_devices: whole("devices", "Devices", MOST_DEVICES)?,
        most_uses: match field("uses") {
            "" => None,
            _ => Some(whole("uses", "Presses", MOST_USES)?),
        },
    })
}

/// Tries until the words are nobody else's.
async fn with_keys<T>(
    app: &App,
    mut keep: impl AsyncFnMut(Keys) -> Result<T, StoreError>,
) -> Result<(String, Spoken), WebError> {
    const TRIES: usize = 4;
    let mut tried = StoreError::Taken;
    for _ in 0..TRIES {
        let (link, words) = {
            let mut random = rand::rng();
            (tokens::token(&mut random), Spoken::choose(&mut random))
        };
        let words_until = after(app.engine.now(), TimeDelta::minutes(WORDS_MINUTES));
        let keys = Keys { link: link.clone(), words: words.sealed(&app.spoken_key), words_until };
        match keep(keys).await {
            Ok(_) => return Ok((link, words)),
            Err(StoreError::Taken) => tried = StoreError::Taken,
            Err(error) => return Err(error.into()),
        }
    }
    Err(tried.into())
}

fn made(owner: &Owner, name: String, link: &str, words: Spoken) -> Result<HttpResponse, WebError> {
    let (link, join, here_alone) = (owner.reach.pass_url(link), owner.reach.join_url(), owner.reach.is_here_alone());
    let qr = qr::svg(&link)?;
    let made = Made { name, link, words: words.to_string(), words_minutes: WORDS_MINUTES, join, here_alone, qr };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&made)))
}

/// `POST /helpers`: a pass; its link and words are shown once.
pub async fn create(
    app: web::Data<App>,
    owner: Owner,
    fields: web::Form<Vec<(String, String)>>,
) -> Result<HttpResponse, WebError> {
    let (store, now) = (app.engine.store(), app.engine.now());
    let wanted = match wanted(&fields, now) {
        Ok(wanted) => wanted,
        Err(WebError::Refused(why)) => return Ok(refusal(&why)),
        Err(error) => return Err(error),
    };
    let grant = wanted.grant.clone();
    if owner.channel.ask(move |channel, _| channel.granted(&grant).is_empty()).await? {
        return Ok(refusal("There is nothing that this pass would open. Choose a widget that can be operated."));
    }
    if store.passes(owner.channel.id).await?.iter().filter(|one| one.pass.holds(now)).count() >= MOST_PASSES {
        return Ok(refusal(&format!("There are {MOST_PASSES} passes; revoke one first.")));
    }
    let name = wanted.name.clone();
    let create = async |keys: Keys| store.create_pass(owner.channel.id, wanted.clone(), keys, now).await;
    let (link, words) = with_keys(&app, create).await?;
    made(&owner, name, &link, words)
}

/// `POST /helpers/{id}/renew`: another link and other words; the old ones open nothing any more.
pub async fn renew(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let all = store.passes(owner.channel.id).await?;
    let name = all.into_iter().find(|one| one.pass.id == *id).ok_or(WebError::NotFound)?.pass.wanted.name;
    let renew = async |keys: Keys| store.renew_pass(owner.channel.id, *id, keys).await;
    let (link, words) = with_keys(&app, renew).await?;
    made(&owner, name, &link, words)
}

/// `POST /helpers/{id}/revoke`: it opens nothing any more, and pages that are open with it go dark.
pub async fn revoke(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    match app.engine.store().revoke_pass(owner.channel.id, *id, app.engine.now()).await {
        // Revoked already is revoked.
        Ok(()) | Err(StoreError::NotFound) => {}
        Err(error) => return Err(error.into()),
    }
    owner.channel.hub.passes_changed();
    Ok(go_to("/helpers"))
}

/// The link of a pass, sent back by the page that shows it once.
#[derive(Deserialize)]
pub struct Linked {
    link: String,
}

/// `POST /helpers/qr.{form}`: the code of a pass's link, as SVG or PNG to print.
pub async fn code(owner: Owner, form: web::Path<String>, linked: web::Form<Linked>) -> Result<HttpResponse, WebError> {
    if linked.link.len() > 400 || !linked.link.starts_with(&owner.reach.pass_url("")) {
        return Err(WebError::Refused("This is no link of a pass.".into()));
    }
    match form.as_str() {
        "svg" => Ok(HttpResponse::Ok()
            .content_type("image/svg+xml")
            .insert_header(attachment("pass.svg"))
            .body(qr::svg(&linked.link)?)),
        _ => Ok(HttpResponse::Ok()
            .content_type("image/png")
            .insert_header(attachment("pass.png"))
            .body(qr::png(&linked.link)?)),
    }
}
