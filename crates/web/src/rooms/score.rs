//! Keeping the score: a page for a phone at the field, with huge keys for what happens most.

use crate::error::WebError;
use crate::markup::html;
use crate::pad::pad;
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

/// The page with a pad.
pub fn drawn(csrf: String, id: WidgetId, title: String, pad: String, keeper: Keeper) -> HttpResponse {
    let page = Page { build: crate::assets::build(), csrf, id, title, pad, keeper };
    HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page))
}

/// `GET /widgets/{id}/score`
pub async fn page(owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let id = WidgetId(*id);
    let found = owner
        .channel
        .ask(move |channel, now| {
            let piece = channel.widget(id)?;
            let scope = channel.scope(now);
            let pad = pad(&piece.view(&scope), &piece.levers(&scope), true)?;
            Some((piece.title().to_owned(), pad))
        })
        .await?;
    let (title, pad) = found.ok_or(WebError::NotFound)?;
    Ok(drawn(owner.csrf, id, title, pad, Keeper::Owner))
}
