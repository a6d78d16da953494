//! The public page of a spin: what was promised before, seed and list afterwards, and the spin reckoned once more by the
//! visitor's own browser.

use crate::app::App;
use crate::error::WebError;
use crate::markup::html;
use crate::security::behind::behind;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde_json::json;
use tally_core::record::acts::wheel::{Bytes32, Slice, total};
use tally_core::record::acts::{Act, WheelAct};
use tally_core::record::entry::{Body, Entry};
use tally_core::widgets::wheel::{draw, rests_at};
use tally_store::StoreError;

/// How many slices stand on the page itself; all of them are in what the script reads.
const MOST_SHOWN: usize = 300;

#[derive(Template)]
#[template(path = "fair.html")]
struct Page {
    build: &'static str,
    title: String,
    commitment: String,
    spun: Option<Spun>,
}

struct Spun {
    seed: String,
    line: u64,
    when: String,
    by: String,
    won: String,
    number: usize,
    slices: Vec<(usize, String, u32)>,
    many: usize,
    total: u64,
    /// Seed, promise and list for the script.
    data: String,
}

fn spun(entry: &Entry, commitment: Bytes32, when: String) -> Option<Spun> {
    let Body::Act { by, act: Act::Wheel(WheelAct::Spin { seed, slices, .. }), .. } = &entry.body else { return None };
    let drawn = draw(*seed, slices)?;
    let numbered = |(index, slice): (usize, &Slice)| (index + 1, slice.text.clone(), slice.weight);
    Some(Spun {
        seed: seed.to_string(),
        line: entry.seq.0,
        when,
        by: by.clone(),
        won: slices.get(drawn.index)?.text.clone(),
        number: drawn.index + 1,
        slices: slices.iter().enumerate().take(MOST_SHOWN).map(numbered).collect(),
        many: slices.len(),
        total: total(slices),
        data: json!({"seed": seed, "commitment": commitment, "slices": slices}).to_string(),
    })
}

/// `GET /fair/{commitment}`
pub async fn page(
    app: web::Data<App>,
    request: HttpRequest,
    commitment: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let look_up = async {
        let promised = Bytes32::try_from(commitment.clone()).map_err(|_| StoreError::NotFound)?;
        Ok::<_, StoreError>((promised, app.engine.store().promise(promised).await?))
    };
    let (promised, (channel, widget, line)) = behind(&app, &request, &commitment, look_up).await?;
    let entry = match line {
        Some(seq) => Some(app.engine.store().entry(channel, seq).await?),
        None => None,
    };
    let handle = app.engine.channel(channel).await?;
    let looked = move |channel: &tally_core::channel::Channel, now| {
        let title = channel.widget(widget).map(|piece| piece.title().to_owned()).unwrap_or_default();
        // What was drawn is told when the wheel has come to rest.
        let over = entry.filter(|entry| match &entry.body {
            Body::Act { act: Act::Wheel(WheelAct::Spin { turn_ms, .. }), .. } => {
                rests_at(entry.happened_at, *turn_ms) <= now
            }
            _ => false,
        });
        let spun = over.and_then(|entry| {
            let local = channel.settings().calendar.local(entry.happened_at);
            spun(&entry, promised, local.format("%a %-d %b %Y, %H:%M:%S").to_string())
        });
        (title, spun)
    };
    let (title, spun) = handle.ask(looked).await?;
    let page = Page { build: crate::assets::build(), title, commitment: promised.to_string(), spun };
    Ok(HttpResponse::Ok().content_type(header::ContentType::html()).body(html(&page)))
}
