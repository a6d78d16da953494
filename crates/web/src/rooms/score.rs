//! Keeping the score: a page for a phone at the field, with huge keys for what happens most.

use crate::draw::Operated;
use crate::error::WebError;
use crate::heavy::Whose;
use crate::markup::html;
use crate::rooms::drawn::in_turn;
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use tally_core::record::ids::WidgetId;

/// Who keeps it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keeper {
    /// The owner.
    Owner,
    /// A helper.
    Helper {
        /// Whether the pass is for this board alone.
        alone: bool,
    },
}

impl Keeper {
    fn live_path(self) -> &'static str {
        match self {
            Self::Owner => "/live",
            Self::Helper { .. } => "/pass/live",
        }
    }

    /// Under which widgets are pressed.
    fn under(self) -> &'static str {
        match self {
            Self::Owner => "/widgets",
            Self::Helper { .. } => "/pass",
        }
    }

    /// Where the way back leads.
    fn back(self) -> Option<&'static str> {
        match self {
            Self::Owner => Some("/desk"),
            Self::Helper { alone: false } => Some("/pass"),
            Self::Helper { alone: true } => None,
        }
    }
}

#[derive(Template)]
#[template(path = "rooms/score.html")]
struct Page {
    build: &'static str,
    csrf: String,
    id: WidgetId,
    title: String,
    pad: String,
    keeper: Keeper,
}

/// The page with a board's pad.
///
/// # Errors
/// It is no board, or whoever asks for it asks for too much at once.
pub async fn drawn(whose: Whose, csrf: String, board: Operated, keeper: Keeper) -> Result<HttpResponse, WebError> {
    let draw = move || {
        let pad = board.pad(matches!(keeper, Keeper::Owner))?;
        Some(html(&Page { build: crate::assets::build(), csrf, id: board.id, title: board.title, pad, keeper }))
    };
    let drawn = in_turn(whose, draw).await?.ok_or(WebError::NotFound)?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(drawn))
}

/// `GET /widgets/{id}/score`
pub async fn page(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let found =
        owner.channel.ask(move |channel, now| Some(Operated::of(id, channel.widget(id)?, &channel.scope(now)))).await?;
    let board = found.ok_or(WebError::NotFound)?;
    drawn(owner.whose(), owner.csrf, board, Keeper::Owner).await
}
