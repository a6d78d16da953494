//! A streamer's own files: clips for what is celebrated, and pictures of sides. Taken in, made clean, and served to pages
//! on air.

mod sound;
mod video;

use crate::app::App;
use crate::error::WebError;
use crate::heavy::Heavy;
use crate::picture;
use crate::rooms::received::{self, Named};
use crate::rooms::sign_in::{go_to, refusal};
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::{self, CacheControl, CacheDirective};
use actix_web::web::Payload;
use actix_web::{HttpRequest, HttpResponse, web};
use serde::Deserialize;
use std::sync::LazyLock;
use tally_core::look::{Sort, Token};
use tally_core::record::ids::WidgetId;
use tally_core::record::own::OWN;
use tally_core::widgets::Setup;
use tally_engine::{EngineError, Shaping};
use tally_store::StoreError;
use tally_store::clips::Clip;
use tally_store::widgets::WidgetRecord;

/// Largest file that is taken, in bytes.
const MOST_BYTES: usize = 8 * 1024 * 1024;
/// Files that are made clean at once, and that may wait for it.
static CLEANERS: LazyLock<Heavy> = LazyLock::new(|| Heavy::new(2, 8));
/// Most files of a channel.
const MOST_CLIPS: usize = 120;

/// What was made of a file: safe to hand to any page.
#[derive(Debug)]
struct Clean {
    bytes: Vec<u8>,
    milliseconds: u64,
}

/// Why a file is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
enum ClipError {
    #[error("This is no WebM video. Save it as WebM (VP8, VP9 or AV1) and choose it again.")]
    NotAVideo,
    #[error("This is no sound that can be read. Save it as WAV, MP3, OGG (Vorbis) or FLAC and choose it again.")]
    NotASound,
    #[error(
        "This is no picture that can be read, or too large a one. Save it as PNG, JPEG, WebP or GIF of at most 4096 by 4096 pixels and choose it again."
    )]
    NotAPicture,
    #[error(
        "This WebM is coded in a way that browsers do not show. Save it with VP8, VP9 or AV1 pictures and Opus or Vorbis sound."
    )]
    Codec,
    #[error("The file is broken off or damaged. Save it again and choose it once more.")]
    Broken,
    #[error("Written anew it has more than 8 MiB. Save it smaller, and choose it again.")]
    Heavy,
    #[error("It lasts {seconds} seconds; {most} are the most. Cut it shorter.")]
    TooLong { seconds: u64, most: u64 },
    #[error("Its pictures are {width} by {height}; 1920 by 1080 are the most. Save it smaller.")]
    TooLarge { width: u64, height: u64 },
}

/// Makes a file clean. What a decoder of others stumbles over is broken.
fn clean(sort: Sort, body: &[u8]) -> Result<Clean, ClipError> {
    let clean = std::panic::catch_unwind(|| match sort {
        Sort::Video => video::clean(body),
        Sort::Sound => sound::clean(body),
        Sort::Picture => match picture::small(body) {
            Some(made) => Ok(Clean { bytes: made.to_vec(), milliseconds: 0 }),
            None => Err(ClipError::NotAPicture),
        },
    });
    let clean = clean.unwrap_or(Err(ClipError::Broken))?;
    // Written anew it may be larger, but not larger than what is taken.
    if clean.bytes.len() > MOST_BYTES { Err(ClipError::Heavy) } else { Ok(clean) }
}

/// Of which side a picture is, from 1; where none is named, the file is a clip.
#[derive(Deserialize)]
pub struct OfSide {
    side: Option<usize>,
}

/// `POST /widgets/{id}/clips?name=…`: takes a video or a sound, and lets the widget celebrate with it; with `&side=…` a
/// picture, which stands beside that side of a board.
pub async fn receive(
    app: web::Data<App>,
    owner: Owner,
    id: web::Path<u32>,
    named: web::Query<Named>,
    of: web::Query<OfSide>,
    payload: Payload,
) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let id = WidgetId(*id);
    if store.widgets(owner.channel.id).await?.iter().all(|one| one.id != id || one.archived) {
        return Err(WebError::NotFound);
    }
    if store.clips(owner.channel.id).await?.len() >= MOST_CLIPS {
        return Ok(refusal(&format!("There are {MOST_CLIPS} files of your own; remove one in Channel first.")));
    }
    let body = match received::file(payload, MOST_BYTES).await? {
        Ok(body) => body,
        Err(why) => return Ok(refusal(&why)),
    };
    let name = named.tidy();
    // A container of this kind begins with the same four bytes, whatever its name says.
    let sort = if body.starts_with(&[0x1A, 0x45, 0xDF, 0xA3]) { Sort::Video } else { Sort::Sound };
    let sort = if name.to_lowercase().ends_with(".webm") { Sort::Video } else { sort };
    let sort = if of.side.is_some() { Sort::Picture } else { sort };
    let cleaned = match CLEANERS.run(move || clean(sort, &body)).await {
        Ok(cleaned) => cleaned,
        Err(error) => return Ok(refusal(&crate::error::sentence(&error.to_string()))),
    };
    let clean = match cleaned {
        Ok(clean) => clean,
        Err(why) => return Ok(refusal(&why.to_string())),
    };
    let token = tokens::token(&mut rand::rng());
    let milliseconds = clean.milliseconds.try_into().unwrap_or(u32::MAX);
    let clip = Clip { token: token.clone(), sort, name, milliseconds };
    store.create_clip(owner.channel.id, clip, clean.bytes).await?;

    let (key, drawer) = match (sort, of.side) {
        (Sort::Picture, side) => (format!("{}.flag", side.unwrap_or(1)), ""),
        (Sort::Video, _) => (Token::Celebration.key().to_owned(), "?drawer=motion"),
        (Sort::Sound, _) => (Token::CelebrationSound.key().to_owned(), "?drawer=motion"),
    };
    let edit = Shaping::Edit { key, text: format!("{OWN}{token}") };
    match owner.channel.shape(id, edit).await {
        Ok(()) => Ok(go_to(&format!("/widgets/{id}{drawer}"))),
        Err(EngineError::Edit(why)) => Ok(refusal(&crate::error::sentence(&why.to_string()))),
        Err(error) => Err(error.into()),
    }
}

/// `POST /clips/{token}/remove`
pub async fn remove(app: web::Data<App>, owner: Owner, token: web::Path<String>) -> Result<HttpResponse, WebError> {
    let store = app.engine.store();
    let widgets = store.widgets(owner.channel.id).await?;
    let users: Vec<String> = widgets.iter().filter(|one| uses(one, &token)).map(title).collect();
    if !users.is_empty() {
        let all = users.join(", ");
        return Ok(refusal(&format!("{all} shows it. Choose something else there first, and put it on air.")));
    }
    store.remove_clip(owner.channel.id, token.into_inner()).await?;
    Ok(HttpResponse::Ok().insert_header(("HX-Refresh", "true")).finish())
}

fn title(record: &WidgetRecord) -> String {
    format!("“{}”", record.setup.clone().unfolded().title())
}

/// Whether a widget names a file anywhere in its setup, tried or on air. Nobody writes such a token by chance.
fn uses(record: &WidgetRecord, token: &str) -> bool {
    let names = |setup: &Setup| serde_json::to_string(setup).is_ok_and(|text| text.contains(token));
    names(&record.setup) || record.draft.as_ref().is_some_and(names)
}

/// `GET /clips/{token}`: for whoever knows the address, as with pages on air.
pub async fn serve(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    let peer = app.config.proxies.peer(&request);
    app.limits.may_try(&peer, &token).map_err(WebError::TooMany)?;
    match app.engine.store().clip(token.into_inner()).await {
        Ok((sort, bytes)) => Ok(HttpResponse::Ok()
            .content_type(match sort {
                Sort::Video => "video/webm",
                Sort::Sound => "audio/wav",
                Sort::Picture => "image/png",
            })
            // It never changes; an hour after it was removed nobody has it any more.
            .insert_header(CacheControl(vec![CacheDirective::Private, CacheDirective::MaxAge(3_600)]))
            .insert_header((header::CONTENT_DISPOSITION, "inline"))
            .body(bytes)),
        Err(StoreError::NotFound) => {
            app.limits.was_wrong(&peer);
            Err(WebError::NotFound)
        }
        Err(error) => Err(error.into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sound_without_rate_or_samples_is_refused() {
        let mut wav = b"RIFF\x24\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0".to_vec();
        wav.extend([0; 8]);
        wav.extend(b"\x02\0\x10\0data\0\0\0\0");
        assert!(matches!(clean(Sort::Sound, &wav), Err(ClipError::Broken | ClipError::NotASound)));
    }
}
