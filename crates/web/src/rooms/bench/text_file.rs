//! A widget's text file: its name, and where it is.

use crate::app::App;
use crate::error::{WebError, sentence};
use crate::markup::html;
use crate::rooms::sign_in::refusal;
use crate::security::session::Owner;
use crate::text_files::check;
use actix_web::http::header::ContentType;
use actix_web::{HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use tally_core::record::ids::WidgetId;

/// What is said of the file beside its name.
#[derive(Template)]
#[template(path = "rooms/text_file.html")]
pub(super) struct Said {
    folder: String,
    /// Where it is, once it was written.
    path: Option<String>,
    failed: Option<String>,
    wanted: bool,
}

/// A widget's text file as the bench shows it.
pub(super) struct Shown {
    pub pattern: String,
    pub said: Said,
}

pub(super) async fn shown(app: &App, id: WidgetId) -> Result<Shown, WebError> {
    let all = app.engine.store().text_files().await?;
    let pattern = all.into_iter().find(|file| file.id == id).map(|file| file.pattern);
    Ok(Shown { said: said(app, id, pattern.is_some()), pattern: pattern.unwrap_or_default() })
}

fn said(app: &App, id: WidgetId, wanted: bool) -> Said {
    let (path, failed) = app.text_files.of(id).map_or((None, None), |(path, failed)| (Some(path), failed));
    Said { folder: app.text_files.folder.display().to_string(), path: path.filter(|_| wanted), failed, wanted }
}

/// The name of the file as it is typed; empty for none.
#[derive(Deserialize)]
pub struct Form {
    name: String,
}

/// `POST /widgets/{id}/text-file`
pub async fn save(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    form: web::Form<Form>,
) -> Result<HttpResponse, WebError> {
    let name = form.name.trim();
    if let Err(why) = check(name) {
        return Ok(refusal(&sentence(&why.to_string())));
    }
    let store = app.engine.store();
    let widget = store.own_widget(owner.channel.id, WidgetId(*id)).await?;
    store.save_text_file(widget, (!name.is_empty()).then(|| name.to_owned())).await?;
    app.text_files.look_again();
    let said = said(&app, WidgetId(*id), !name.is_empty());
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&said)))
}
