//! One page to drive the made-up world: chat, numbers, the game, and scripted shows.

use crate::Wirings;
use crate::chat::{BADGES, ROOM, Said};
use crate::delivery;
use crate::play;
use crate::tip_jar::html;
use crate::world::{ENGINES, Seen, Trouble, World};
use actix_web::http::header::{self, ContentType};
use actix_web::{HttpRequest, HttpResponse, rt, web};
use askama::Template;
use chrono::Utc;
use futures_util::stream;
use serde::Deserialize;
use serde_json::json;
use std::net::SocketAddr;
use tally_feeds::script::{SHIPPED, Script};

/// Where the chat server listens.
pub struct ChatAt(pub SocketAddr);

#[derive(Template)]
#[template(path = "world.html")]
struct Page {
    state: State,
    scripts: Vec<(&'static str, String, u32)>,
    speeds: [u32; 5],
}

#[derive(Template)]
#[template(path = "world_state.html")]
struct State {
    seen: Seen,
    chat: SocketAddr,
    room: &'static str,
}

fn state(world: &World, chat: &ChatAt) -> State {
    State { seen: world.seen(), chat: chat.0, room: ROOM }
}

/// `GET /world`
pub async fn show(world: web::Data<World>, chat: web::Data<ChatAt>) -> HttpResponse {
    let script = |(name, text): &(&'static str, &str)| {
        let script = Script::read(text).ok()?;
        Some((*name, script.title, script.minutes))
    };
    let page = Page {
        state: state(&world, &chat),
        scripts: SHIPPED.iter().filter_map(script).collect(),
        speeds: [1, 10, 60, 200, play::MOST_SPEED],
    };
    html(&page)
}

/// `GET /world/state`: what changes on the page.
pub async fn now(world: web::Data<World>, chat: web::Data<ChatAt>) -> HttpResponse {
    html(&state(&world, &chat))
}

fn back() -> HttpResponse {
    HttpResponse::SeeOther().insert_header((header::LOCATION, "/world")).finish()
}

/// A line of chat.
#[derive(Deserialize)]
pub struct Line {
    name: String,
    text: String,
    /// What they are to the channel, see [`BADGES`].
    #[serde(default)]
    badges: String,
}

/// `POST /world/chat`
pub async fn say(world: web::Data<World>, line: web::Form<Line>) -> HttpResponse {
    let Line { name, text, badges } = line.into_inner();
    let name = if name.trim().is_empty() { "lamplit_sam".into() } else { name };
    let badges = BADGES.into_iter().find(|one| *one == badges).unwrap_or(BADGES[0]);
    world.say(Said { badges, ..Said::now(name, text) });
    back()
}

/// What is turned at the world's handles.
#[derive(Deserialize)]
#[serde(default)]
#[derive(Default)]
pub struct Handles {
    viewers: String,
    followers: String,
    chatter: String,
    trouble: String,
}

/// `POST /world/numbers`
pub async fn turn(world: web::Data<World>, handles: web::Form<Handles>) -> HttpResponse {
    let number = |text: &str, most: i64| text.trim().parse::<i64>().ok().filter(|number| (0..=most).contains(number));
    world.change(|seen| {
        seen.viewers = number(&handles.viewers, 1_000_000).unwrap_or(seen.viewers);
        seen.followers = number(&handles.followers, 100_000_000).unwrap_or(seen.followers);
        let chatter = number(&handles.chatter, 200_000).and_then(|rate| u32::try_from(rate).ok());
        seen.chatter = chatter.unwrap_or(seen.chatter);
        seen.trouble = match handles.trouble.as_str() {
            "down" => Trouble::Down,
            "endless" => Trouble::Endless,
            "nonsense" => Trouble::Nonsense,
            _ => Trouble::None,
        };
    });
    back()
}

/// `GET /numbers.json`: what a platform tells, with an ETag.
pub async fn numbers(world: web::Data<World>, request: HttpRequest) -> HttpResponse {
    let seen = world.seen();
    match seen.trouble {
        Trouble::Down => HttpResponse::ServiceUnavailable().finish(),
        Trouble::Nonsense => HttpResponse::Ok().body("the numbers are out at tea"),
        Trouble::Endless => {
            let more = || async { Some((Ok::<_, actix_web::Error>(web::Bytes::from_static(b"[[[[[[[[")), ())) };
            HttpResponse::Ok().streaming(stream::unfold((), move |()| more()))
        }
        Trouble::None => {
            let etag = format!("\"{}-{}\"", seen.viewers, seen.followers);
            if request.headers().get(header::IF_NONE_MATCH).is_some_and(|sent| sent.as_bytes() == etag.as_bytes()) {
                return HttpResponse::NotModified().finish();
            }
            let body = json!({"stats": {"viewers": seen.viewers, "followers": seen.followers}});
            HttpResponse::Ok().insert_header((header::ETAG, etag)).json(body)
        }
    }
}

/// `GET /rates.xml`: the central bank's tables.
pub async fn rates() -> HttpResponse {
    HttpResponse::Ok().insert_header(ContentType::xml()).body(crate::rates::xml(Utc::now().date_naive()))
}

/// What the player of Yardmaster does.
#[derive(Deserialize)]
pub struct Move {
    what: String,
}

/// `POST /world/game`: delivers with an engine, ends the round (the game reports its totals), or
/// resets the game.
pub async fn game(world: web::Data<World>, wirings: web::Data<Wirings>, made: web::Form<Move>) -> HttpResponse {
    match made.what.as_str() {
        "round" => {
            let now = Utc::now();
            let report = |(engine, total): (&'static str, i64)| {
                json!({
                    "specversion": "1.0",
                    "id": format!("round-{}-{engine}", now.timestamp_micros()),
                    "source": "/stand-in/yardmaster",
                    "type": "tally.stat",
                    "time": now.to_rfc3339(),
                    "data": {"player": "odile", "character": engine, "stat": "deliveries", "total": total},
                })
            };
            let events: Vec<_> = world.seen().deliveries.into_iter().map(report).collect();
            rt::spawn(async move { delivery::batch(&wirings.platform, &events).await });
        }
        "reset" => world.change(|seen| seen.deliveries.values_mut().for_each(|total| *total = 0)),
        engine => {
            if let Some(known) = ENGINES.into_iter().find(|known| *known == engine) {
                world.change(|seen| *seen.deliveries.entry(known).or_insert(0) += 1);
            }
        }
    }
    back()
}

/// Which script, and how fast.
#[derive(Deserialize)]
pub struct Chosen {
    script: String,
    speed: u32,
    /// A script of one's own, instead.
    #[serde(default)]
    own: String,
}

/// `POST /world/script`: plays a script, or stops the one that plays.
pub async fn script(world: web::Data<World>, wirings: web::Data<Wirings>, chosen: web::Form<Chosen>) -> HttpResponse {
    let shipped = SHIPPED.iter().find(|(name, _)| *name == chosen.script).map(|(_, text)| *text);
    let text = if chosen.own.trim().is_empty() { shipped } else { Some(chosen.own.as_str()) };
    let Some(text) = text else {
        world.next_turn(None);
        return back();
    };
    match Script::read(text) {
        Ok(script) => {
            let (turn, speed) = (world.next_turn(Some(&script.title)), chosen.speed);
            rt::spawn(async move {
                play::play(world.into_inner(), wirings.platform.clone(), script, speed, turn).await;
            });
            back()
        }
        Err(error) => HttpResponse::UnprocessableEntity().body(error.to_string()),
    }
}
