//! The public page that lists what viewers can say in chat.

use crate::app::App;
use crate::error::WebError;
use crate::markup::html;
use crate::security::behind::behind;
use actix_web::http::header::ContentType;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;

#[derive(Template)]
#[template(path = "commands.html")]
struct Page {
    build: &'static str,
    channel: String,
    /// The word, what it does, and who may use it, where that is not everyone.
    words: Vec<(String, String, String)>,
}

/// `GET /c/{token}`
pub async fn page(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let found = app.engine.store().channel_by_commands_token(token.to_string());
    let id = behind(&app, &request, &token, found).await?;
    let channel = app.engine.store().channel(id).await?.name;
    let words = app.engine.channel(id).await?.ask(|channel, _| channel.words_of_chat()).await?;
    let page = Page { build: crate::assets::build(), channel, words };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}
