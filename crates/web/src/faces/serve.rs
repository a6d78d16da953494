//! Gives out pictures of supporters.

use super::opened;
use crate::app::App;
use crate::error::WebError;
use actix_web::http::header::{CacheControl, CacheDirective, ContentType};
use actix_web::{HttpRequest, HttpResponse, web};

/// `GET /faces/{seal}/{address}`
pub async fn face(
    app: web::Data<App>,
    request: HttpRequest,
    path: web::Path<(String, String)>,
) -> Result<HttpResponse, WebError> {
    let peer = app.config.proxies.peer(&request);
    let Some(picture) = opened(&path.0, &path.1) else {
        app.limits.was_wrong(&peer);
        return Err(WebError::NotFound);
    };
    let bytes = app.faces.picture(&picture, app.config.outside).await.ok_or(WebError::NotFound)?;
    Ok(HttpResponse::Ok()
        .insert_header(ContentType::png())
        .insert_header(CacheControl(vec![CacheDirective::Private, CacheDirective::MaxAge(86_400)]))
        .body(bytes))
}
