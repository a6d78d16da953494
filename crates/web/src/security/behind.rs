//! What lies behind unguessable words. Guessing is slowed down, the same way everywhere.

use crate::app::App;
use crate::error::WebError;
use actix_web::HttpRequest;
use std::future::Future;

/// Looks up what lies behind an unguessable word: an address, a link, a token. Whoever names too many that do not exist must
/// wait, and what they name then is not looked up at all.
///
/// # Errors
/// [`WebError::TooMany`] for whoever must wait; or what the looking up says.
pub async fn behind<T, E>(
    app: &App,
    request: &HttpRequest,
    word: &str,
    look_up: impl Future<Output = Result<T, E>>,
) -> Result<T, WebError>
where
    WebError: From<E>,
{
    let peer = app.config.proxies.peer(request);
    app.limits.may_try(&peer, word).map_err(WebError::TooMany)?;
    let found = look_up.await.map_err(WebError::from);
    match &found {
        Ok(_) => app.limits.was_right(&peer, word),
        Err(WebError::NotFound) => app.limits.was_wrong(&peer),
        Err(_) => {}
    }
    found
}
