//! Asking an address once while it is wired: what it answers, and what would go wrong.

use super::wire::{Typed, wiring};
use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use std::time::Duration;
use tally_feeds::probe::{self, Leaf};
use tally_feeds::run;
use tally_store::feeds::Wiring;

/// For how long a room is listened to, and how many lines of it are shown.
const LISTENED: Duration = Duration::from_secs(5);
const MOST_LINES: usize = 10;

#[derive(Default, Template)]
#[template(path = "rooms/probe.html")]
struct Answer {
    leaves: Vec<Leaf>,
    /// Whether a list is looked for, rather than numbers.
    lists: bool,
    table: Option<String>,
    /// What was said in a room while we listened: who, and what.
    said: Option<Vec<(String, String)>>,
    refused: Option<String>,
}

/// `POST /feeds/probe`: with the fields of the form that wires a feed.
pub async fn ask(app: web::Data<App>, _owner: Owner, typed: web::Form<Typed>) -> Result<HttpResponse, WebError> {
    let outside = app.config.outside;
    let answer = match typed.kind.as_str() {
        "poll" => probe::tree(&typed.url, &[], outside).await.map(|leaves| Answer { leaves, ..Answer::default() }),
        "list" => match wiring(&typed, outside) {
            Ok(Wiring::List(list)) => probe::tree(&list.url, &list.headers, outside).await.map(|leaves| Answer {
                leaves,
                lists: true,
                ..Answer::default()
            }),
            Ok(_) => return Err(WebError::NotFound),
            Err(why) => Err(why),
        },
        "rates" => {
            probe::table(&typed.url, outside).await.map(|table| Answer { table: Some(table), ..Answer::default() })
        }
        "chat" => match wiring(&typed, outside) {
            Ok(Wiring::Chat(chat)) => run::listen(&chat, outside, || app.engine.now(), LISTENED).await.map(|lines| {
                let said = lines.into_iter().take(MOST_LINES).map(|line| (line.name, line.text));
                Answer { said: Some(said.collect()), ..Answer::default() }
            }),
            Ok(_) => return Err(WebError::NotFound),
            Err(why) => Err(why),
        },
        _ => return Err(WebError::NotFound),
    };
    let answer = answer.unwrap_or_else(|why| Answer { refused: Some(sentence(&why)), ..Answer::default() });
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&answer)))
}
