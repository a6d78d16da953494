//! The ledger: what came in, newest first.

use crate::app::App;
use crate::draw::html;
use crate::error::WebError;
use crate::rooms::frame::Frame;
use crate::security::session::Owner;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;

#[derive(Template)]
#[template(path = "rooms/ledger.html")]
struct Page {
    frame: Frame,
}

/// `GET /ledger`: the newest lines, live.
pub async fn page(app: web::Data<App>, owner: Owner) -> Result<HttpResponse, WebError> {
    let page = Page { frame: Frame::new(&app, &owner, "/ledger").await? };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}
