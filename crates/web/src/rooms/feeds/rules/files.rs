//! Rules as a file: out to be passed on, and in to be tried.

use super::{found, save};
use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::attachment;
use crate::rooms::received;
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use actix_web::{HttpResponse, web};
use tally_feeds::mapping::file;

/// `GET /feeds/{id}/rules.json`
pub async fn out(app: web::Data<App>, owner: Owner, id: web::Path<u32>) -> Result<HttpResponse, WebError> {
    let (feed, mapping) = found(&app, &owner, *id).await?;
    let name: String =
        feed.name.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
    Ok(HttpResponse::Ok()
        .content_type("application/json")
        .insert_header(attachment(format!("{name}-rules.json")))
        .body(file::write(mapping.written())))
}

/// `POST /feeds/{id}/rules/file`: the rules of a file are tried in place of the present ones.
pub async fn take(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    payload: web::Payload,
) -> Result<HttpResponse, WebError> {
    let body = match received::file(payload, file::MOST_BYTES).await? {
        Ok(body) => body,
        Err(why) => return Ok(refusal(&sentence(&why))),
    };
    let new = match file::read(&body) {
        Ok(new) => new,
        Err(why) => return Ok(refusal(&why)),
    };
    let saved = save(&app, &owner, *id, move |mapping| {
        mapping.write(new);
        Ok(())
    });
    if let Err(why) = saved.await? {
        return Ok(refusal(&why));
    }
    Ok(go_to(&format!("/feeds/{id}/rules")))
}
