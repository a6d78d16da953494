//! One press sends something make-believe through the real path, and says of each station that it
//! passed: made as senders make it, read by the contract, counted, drawn, seen by open pages.

use crate::app::App;
use crate::draw::{Lamp, html};
use crate::error::WebError;
use crate::rooms::readiness::can_bring;
use crate::rooms::sign_in::refusal;
use crate::security::session::Owner;
use crate::security::tokens;
use crate::widgets;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use tally_core::channel::Channel;
use tally_core::count::Count;
use tally_core::entry::Origin;
use tally_core::ids::{FeedId, WidgetId};
use tally_feeds::cloudevents::{self, Mode};
use tally_feeds::write;
use tally_store::feeds::Feed;

/// One station of the way.
struct Station {
    lamp: &'static str,
    name: &'static str,
    words: String,
}

#[derive(Template)]
#[template(path = "rooms/stations.html")]
struct Stations {
    stations: Vec<Station>,
    drawing: Option<String>,
}

/// Which feed would bring it, and how that fares.
fn feed_for(
    channel: &Channel,
    hearing: &tally_engine::Hearing,
    count: &Count,
    feeds: &[Feed],
    now: tally_core::Instant,
) -> (FeedId, Station) {
    let wanted =
        |feed: &&Feed| !feed.removed && can_bring(feed, count) && count.only.feed.is_none_or(|only| only.0 == feed.id);
    let fares = |feed: &Feed| {
        let heard = hearing.of(feed, channel.pulse(FeedId(feed.id)));
        Lamp::of(&feed.name, &heard, &channel.settings().calendar, now)
    };
    // The one that fares best.
    let rank = |lamp: &Lamp| ["full", "half", "hollow", "barred"].iter().position(|one| *one == lamp.lamp);
    let best = feeds.iter().filter(wanted).map(|feed| (feed, fares(feed))).min_by_key(|(_, lamp)| rank(lamp));
    match best {
        Some((feed, lamp)) => {
            let words = format!("{} could bring it: {}.", lamp.name, lamp.word);
            (FeedId(feed.id), Station { lamp: lamp.lamp, name: "Feed", words })
        }
        None => {
            let words = "No feed is wired that could bring it. Wire one in Feeds.".into();
            (FeedId(0), Station { lamp: "barred", name: "Feed", words })
        }
    }
}

/// `POST /widgets/{id}/rehearse`
pub async fn press(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let widget = WidgetId(*id);
    let feeds = app.engine.store().feeds(owner.channel.id).await?;
    let begun = owner
        .channel
        .ask_all(move |channel, hearing, now| {
            let count = channel.widget(widget)?.counts(channel.settings()).into_iter().next()?;
            let (feed, station) = feed_for(channel, hearing, &count, &feeds, now);
            Some((count.example(channel.settings()), feed, station))
        })
        .await?;
    let Some((made, feed, feed_station)) = begun else {
        return Ok(refusal("This widget counts nothing that could be sent; you operate it from the desk."));
    };
    let mut stations = Vec::new();
    let mut pass = |lamp, name, words| stations.push(Station { lamp, name, words });

    let now = app.engine.now();
    let origin = Origin { source: "rehearsal".into(), id: tokens::token(&mut rand::rng()) };
    pass("full", "Made", format!("{}.", made.words()));
    let sent = write::event(&origin, now, &made).to_string();
    let read = cloudevents::parse(Mode::Structured, &[], sent.as_bytes(), now);
    let event = match read.map(|mut events| events.pop()) {
        Ok(Some(event)) => event,
        Ok(None) => return Err(WebError::Inside("an event was read as none".into())),
        Err(problem) => {
            pass("barred", "Read", problem.detail);
            let page = Stations { stations, drawing: None };
            return Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)));
        }
    };
    pass("full", "Read", "It keeps the contract with senders.".into());
    stations.push(feed_station);
    let mut pass = |lamp, name, words| stations.push(Station { lamp, name, words });
    let rehearsed = owner.channel.rehearse(widget, event, feed).await?;
    for (words, counts) in &rehearsed.verdicts {
        if *counts {
            pass("full", "Counted", format!("It counts {words}."));
        } else {
            pass("barred", "Counted", format!("It is left out: {words}."));
        }
    }
    let after = rehearsed.view.text();
    if after == rehearsed.before {
        pass("hollow", "Drawn", format!("It shows {after} as before."));
    } else {
        pass("full", "Drawn", format!("From {} to {after}.", rehearsed.before));
    }
    match rehearsed.pages {
        0 => {
            pass("hollow", "On air", "No page of it is open. Copy the address into your broadcasting software.".into());
        }
        1 => pass("full", "On air", "1 page of it is open and would show it.".into()),
        many => pass("full", "On air", format!("{many} pages of it are open and would show it.")),
    }
    let page = Stations { stations, drawing: Some(widgets::draw(&rehearsed.view)) };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}
