//! Rooms are drawn in their turn, and never on the threads that answer sockets and deliveries.

use crate::error::WebError;
use crate::heavy::{ROOMS, Whose};
use crate::markup::html;
use crate::security::csrf;
use actix_web::HttpResponse;
use actix_web::http::header::ContentType;
use askama::Template;

/// A room's page, drawn in its turn for whoever asks for it.
///
/// # Errors
/// They ask for too much at once.
pub async fn drawn(whose: Whose, page: impl Template + Send + 'static) -> Result<HttpResponse, WebError> {
    drawn_with(whose, move || page).await
}

/// Draws something of a request in its turn.
///
/// # Errors
/// See [`drawn`].
pub async fn in_turn<T: Send + 'static>(
    whose: Whose,
    draw: impl FnOnce() -> T + Send + 'static,
) -> Result<T, WebError> {
    let token = csrf::of_request();
    Ok(ROOMS.run(whose, move || csrf::drawing(token, draw)).await?)
}

/// The same, where making the page is a part of drawing it.
///
/// # Errors
/// See [`drawn`].
pub async fn drawn_with<T: Template>(
    whose: Whose,
    page: impl FnOnce() -> T + Send + 'static,
) -> Result<HttpResponse, WebError> {
    let drawn = in_turn(whose, move || html(&page())).await?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(drawn))
}
