//! Rooms are drawn in their turn, and never on the threads that answer sockets and deliveries.

use crate::error::WebError;
use crate::heavy::{HeavyError, ROOMS};
use crate::markup::html;
use actix_web::HttpResponse;
use actix_web::http::header::ContentType;
use askama::Template;

/// A room's page, drawn in its turn for whoever asks for it.
///
/// # Errors
/// They ask for too much at once.
pub async fn drawn(user: u32, page: impl Template + Send + 'static) -> Result<HttpResponse, WebError> {
    drawn_with(user, move || page).await
}

/// The same, where making the page is a part of drawing it.
///
/// # Errors
/// See [`drawn`].
pub async fn drawn_with<T: Template>(
    user: u32,
    page: impl FnOnce() -> T + Send + 'static,
) -> Result<HttpResponse, WebError> {
    let drawn = ROOMS.run_for(user, move || html(&page())).await.map_err(|error| match error {
        HeavyError::Busy => WebError::TooMany(1),
        HeavyError::Failed => WebError::Inside("a room could not be drawn".into()),
    })?;
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(drawn))
}
