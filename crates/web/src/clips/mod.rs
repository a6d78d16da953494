//! A streamer's own files: videos and sounds for what is celebrated, pictures and drawings. One way in: taken in, made
//! clean, kept, and served to pages on air.

mod drawing;
mod font;
#[cfg(test)]
mod hostile;
mod page;
mod sound;
mod video;

use crate::app::App;
use crate::error::WebError;
use crate::heavy::{DECODERS, Whose};
use crate::markup::{hex, html};
use crate::picture;
use crate::rooms::received::{self, Named};
use crate::rooms::sign_in::{go_to, refreshed, refusal};
use crate::security::behind::behind;
use crate::security::session::Owner;
use crate::security::tokens;
use actix_web::http::header::{self, CacheControl, CacheDirective, ContentType, ETag, EntityTag, Header, IfNoneMatch};
use actix_web::web::Payload;
use actix_web::{HttpRequest, HttpResponse, web};
use askama::Template;
use serde::Deserialize;
use sha2::{Digest, Sha256};
use tally_core::look::{Sort, Token};
use tally_core::record::ids::WidgetId;
use tally_core::record::own::OWN;
use tally_engine::{EngineError, Shaping};
use tally_store::clips::Clip;
use tally_store::widgets::WidgetRecord;

/// Largest file that is taken, in bytes.
const MOST_BYTES: usize = 8 * 1024 * 1024;
/// Most files of a channel.
const MOST_CLIPS: usize = 200;
/// Most bytes of all files of a channel together.
pub const MOST_IN_ALL: u64 = 200 * 1024 * 1024;
/// For what is served: nothing runs, nothing is loaded, and it stands in no page's origin.
const DRAWING_POLICY: &str = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox";

/// What was made of a file: safe to hand to any page.
#[derive(Debug)]
struct Clean {
    bytes: Vec<u8>,
    milliseconds: u64,
}

/// Why a file is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
enum ClipError {
    #[error("this is no WebM video. Save it as WebM (VP8, VP9 or AV1) and choose it again.")]
    NotAVideo,
    #[error("this is no sound that can be read. Save it as WAV, MP3, OGG (Vorbis) or FLAC and choose it again.")]
    NotASound,
    #[error(
        "this is no picture that can be read, or too large a one. Save it as PNG, JPEG, WebP or GIF of at most 4096 by 4096 pixels and choose it again."
    )]
    NotAPicture,
    #[error("this is no SVG drawing that can be read. Save it as plain SVG, without scripts, and choose it again.")]
    NotADrawing,
    #[error("this is no font that can be read. Save it as WOFF2, WOFF, TTF or OTF and choose it again.")]
    NotAFont,
    #[error("this font has no {missing}; a widget needs all digits and letters. Choose a fuller one.")]
    FontWithout { missing: char },
    #[error("this is no page. Save it as HTML in UTF-8, with its styles and scripts inside, and choose it again.")]
    NotAPage,
    #[error("this page has more than 256 KB. Leave pictures and fonts out of it, or save them smaller.")]
    PageTooLong,
    #[error(
        "this WebM is coded in a way that browsers do not show. Save it with VP8, VP9 or AV1 pictures and Opus or Vorbis sound."
    )]
    Codec,
    #[error("the file is broken off or damaged. Save it again and choose it once more.")]
    Broken,
    #[error("larger than 8 MB after conversion. Save it smaller, and choose it again.")]
    Heavy,
    #[error("it lasts {seconds} seconds; {most} are the most. Cut it shorter.")]
    TooLong { seconds: u64, most: u64 },
    #[error("its pictures are {width} by {height}; 1920 by 1080 are the most. Save it smaller.")]
    TooLarge { width: u64, height: u64 },
}

/// What a file is let be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Wanted {
    /// Whatever it is.
    Any,
    /// A picture for a side of a board: small and square.
    Side,
    /// A video or a sound, for what is celebrated.
    Celebration,
}

/// What a file is, by its first bytes; the name helps where they do not.
fn sort_of(body: &[u8], name: &str) -> Sort {
    match body {
        [0x89, b'P', b'N', b'G', ..] | [0xFF, 0xD8, 0xFF, ..] | [b'G', b'I', b'F', b'8', ..] => Sort::Picture,
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => Sort::Picture,
        [0x1A, 0x45, 0xDF, 0xA3, ..] => Sort::Video,
        _ if font::is_one(body) => Sort::Font,
        _ if name.to_lowercase().ends_with(".webm") => Sort::Video,
        _ if page::is_one(body, name) => Sort::Page,
        _ if drawing::is_one(body) => Sort::Picture,
        _ if ends_in(name, &["png", "jpg", "jpeg", "gif", "webp", "svg"]) => Sort::Picture,
        _ if ends_in(name, &["woff2", "woff", "ttf", "otf"]) => Sort::Font,
        _ => Sort::Sound,
    }
}

fn ends_in(name: &str, endings: &[&str]) -> bool {
    name.rsplit_once('.').is_some_and(|(_, ending)| endings.contains(&ending.to_lowercase().as_str()))
}

/// What a file is called where somebody is told what it is or should be.
fn words(sort: Sort) -> &'static str {
    match sort {
        Sort::Picture => "a picture",
        Sort::Video => "a video",
        Sort::Sound => "a sound",
        Sort::Font => "a font",
        Sort::Page => "a page",
    }
}

/// What somebody is told about a file, which is named: several may have been chosen.
fn refused(name: &str, why: &str) -> HttpResponse {
    refusal(&format!("{name}: {why}"))
}

/// Makes a file clean. What a decoder of others stumbles over is broken.
fn clean(sort: Sort, wanted: Wanted, body: &[u8]) -> Result<Clean, ClipError> {
    let picture = |made: Option<bytes::Bytes>| match made {
        Some(made) => Ok(Clean { bytes: made.to_vec(), milliseconds: 0 }),
        None => Err(ClipError::NotAPicture),
    };
    let clean = std::panic::catch_unwind(|| match sort {
        Sort::Video => video::clean(body),
        Sort::Sound => sound::clean(body),
        Sort::Font => font::clean(body),
        Sort::Page => page::clean(body),
        Sort::Picture if wanted == Wanted::Side => picture(picture::small(body)),
        Sort::Picture if drawing::is_one(body) => drawing::clean(body),
        Sort::Picture => picture(picture::whole(body)),
    });
    let clean = clean.unwrap_or(Err(ClipError::Broken))?;
    // Written anew it may be larger, but not larger than what is taken.
    if clean.bytes.len() > MOST_BYTES { Err(ClipError::Heavy) } else { Ok(clean) }
}

/// A file that was taken in and made clean, and is not kept yet.
pub struct Taken {
    clip: Clip,
    bytes: Vec<u8>,
}

/// Reads a file and makes it clean. `Err` inside says what to change about it.
async fn take_in(name: String, wanted: Wanted, payload: Payload) -> Result<Result<Taken, HttpResponse>, WebError> {
    let body = match received::file(payload, MOST_BYTES).await? {
        Ok(body) => body,
        Err(why) => return Ok(Err(refused(&name, &why))),
    };
    let sort = if wanted == Wanted::Side { Sort::Picture } else { sort_of(&body, &name) };
    if wanted == Wanted::Celebration && !matches!(sort, Sort::Video | Sort::Sound) {
        let what = words(sort);
        let why = format!("this is {what}, no sound and no video. Choose a WAV, MP3, OGG, FLAC or WebM file.");
        return Ok(Err(refused(&name, &why)));
    }
    let cleaned = match DECODERS.run(Whose::Anybody, move || clean(sort, wanted, &body)).await {
        Ok(cleaned) => cleaned,
        Err(error) => return Ok(Err(refusal(&crate::error::sentence(&error.to_string())))),
    };
    Ok(match cleaned {
        Ok(Clean { bytes, milliseconds }) => {
            let token = tokens::token(&mut rand::rng());
            let milliseconds = milliseconds.try_into().unwrap_or(u32::MAX);
            let size = bytes.len().try_into().unwrap_or(u32::MAX);
            Ok(Taken { clip: Clip { token, sort, name, milliseconds, size }, bytes })
        }
        Err(why) => Err(refused(&name, &why.to_string())),
    })
}

/// Keeps a file, if there is room for it; its clip.
async fn keep(app: &App, owner: &Owner, taken: Taken) -> Result<Result<Clip, HttpResponse>, WebError> {
    let store = app.engine.store();
    let all = store.clips(owner.channel.id).await?;
    if all.len() >= MOST_CLIPS {
        return Ok(Err(refusal(&format!("There are {MOST_CLIPS} files of your own; remove one in Files first."))));
    }
    let used: u64 = all.iter().map(|clip| u64::from(clip.size)).sum();
    if used + u64::from(taken.clip.size) > MOST_IN_ALL {
        let most = MOST_IN_ALL / 1_048_576;
        return Ok(Err(refusal(&format!("Your files fill the {most} MB that there are; remove one in Files first."))));
    }
    store.create_clip(owner.channel.id, taken.clip.clone(), taken.bytes).await?;
    Ok(Ok(taken.clip))
}

/// `POST /files?name=…`: takes a file in, to be chosen wherever one of its sort is.
pub async fn add(
    app: web::Data<App>,
    owner: Owner,
    named: web::Query<Named>,
    payload: Payload,
) -> Result<HttpResponse, WebError> {
    let taken = match take_in(named.tidy(), Wanted::Any, payload).await? {
        Ok(taken) => taken,
        Err(refused) => return Ok(refused),
    };
    Ok(match keep(&app, &owner, taken).await? {
        Ok(_) => go_to("/files"),
        Err(refused) => refused,
    })
}

/// `POST /files/{token}/replace?name=…`: another file of the same sort in the place of one; whatever shows it shows the
/// other from now on.
pub async fn replace(
    app: web::Data<App>,
    owner: Owner,
    token: web::Path<String>,
    named: web::Query<Named>,
    payload: Payload,
) -> Result<HttpResponse, WebError> {
    let all = app.engine.store().clips(owner.channel.id).await?;
    let old = all.into_iter().find(|clip| clip.token == *token).ok_or(WebError::NotFound)?;
    let Taken { clip, bytes } = match take_in(named.tidy(), Wanted::Any, payload).await? {
        Ok(taken) => taken,
        Err(refused) => return Ok(refused),
    };
    if clip.sort != old.sort {
        let (new, old_is) = (words(clip.sort), words(old.sort));
        return Ok(refused(&clip.name, &format!("this is {new}; only {old_is} can take the place of {}.", old.name)));
    }
    let clip = Clip { token: old.token, ..clip };
    app.engine.store().replace_clip(owner.channel.id, clip, bytes).await?;
    // Pages that are open show the old one until they are loaded anew.
    owner.channel.hub.reload_pages();
    Ok(go_to("/files"))
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
    let wanted = if of.side.is_some() { Wanted::Side } else { Wanted::Celebration };
    let taken = match take_in(named.tidy(), wanted, payload).await? {
        Ok(taken) => taken,
        Err(refused) => return Ok(refused),
    };
    let Clip { token, sort, .. } = match keep(&app, &owner, taken).await? {
        Ok(clip) => clip,
        Err(refused) => return Ok(refused),
    };
    let (key, drawer) = match (sort, of.side) {
        (Sort::Picture | Sort::Font | Sort::Page, side) => (format!("{}.flag", side.unwrap_or(1)), ""),
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
    let users = Users::of(&app, &owner).await?.of_file(&token);
    if !users.is_empty() {
        let all = users.join(", ");
        return Ok(refusal(&format!("{all} shows it. Choose something else there first, and put it on air.")));
    }
    app.engine.store().remove_clip(owner.channel.id, token.into_inner()).await?;
    Ok(refreshed())
}

/// What may show files: widgets, overlays and looks, each by its name and all that it says, also where it is tried.
pub struct Users(Vec<(String, String)>);

impl Users {
    /// All of a channel.
    ///
    /// # Errors
    /// The database is away, or the channel is being let go.
    pub async fn of(app: &App, owner: &Owner) -> Result<Self, WebError> {
        let (store, channel) = (app.engine.store(), owner.channel.id);
        let text = |value: Result<String, serde_json::Error>| value.unwrap_or_default();
        let mut all = Vec::new();
        for record in store.widgets(channel).await? {
            let said = serde_json::to_string(&(&record.setup, &record.draft));
            all.push((title(&record), text(said)));
        }
        for record in store.overlays(channel).await? {
            let said = serde_json::to_string(&(&record.layout, &record.air));
            all.push((format!("“{}”", record.layout.name), text(said)));
        }
        let looks = owner.channel.ask(|channel, _| channel.looks().clone()).await?;
        for look in looks.all.into_values() {
            let said = serde_json::to_string(&look);
            all.push((format!("the look “{}”", look.name), text(said)));
        }
        Ok(Self(all))
    }

    /// Those that show a file. Nobody writes such a token by chance.
    #[must_use]
    pub fn of_file(&self, token: &str) -> Vec<String> {
        self.0.iter().filter(|(_, said)| said.contains(token)).map(|(name, _)| name.clone()).collect()
    }
}

fn title(record: &WidgetRecord) -> String {
    format!("“{}”", record.setup.clone().unfolded().title())
}

/// What a file says that it is.
pub fn kind(sort: Sort, bytes: &[u8]) -> &'static str {
    match sort {
        Sort::Video => "video/webm",
        Sort::Sound => "audio/wav",
        Sort::Font => "font/ttf",
        Sort::Page => "text/html; charset=utf-8",
        Sort::Picture if bytes.starts_with(b"\x89PNG") => "image/png",
        Sort::Picture => "image/svg+xml",
    }
}

/// `GET /clips/{token}`: for whoever knows the address, as with pages on air.
pub async fn serve(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    match behind(&app, &request, &token, app.engine.store().clip(token.clone())).await {
        // By itself it could go elsewhere, and take along what it is told.
        Ok((Sort::Page, _)) if request.headers().get("sec-fetch-dest").is_some_and(|dest| dest == "document") => {
            Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, format!("/clips/{token}/page"))).finish())
        }
        Ok((sort, bytes)) => {
            let mark = EntityTag::new_strong(hex(&Sha256::digest(&bytes)[..16]));
            let has_it = matches!(IfNoneMatch::parse(&request), Ok(IfNoneMatch::Items(all)) if all.iter().any(|one| one.weak_eq(&mark)));
            let mut answer = if has_it { HttpResponse::NotModified() } else { HttpResponse::Ok() };
            // Another file may take its place, so whoever keeps it asks whether it is still the same.
            answer
                .insert_header(CacheControl(vec![CacheDirective::Private, CacheDirective::NoCache]))
                // What is opened by itself, or stands in a frame, may show itself and nothing else. An answer that nothing
                // has changed says so too, since browsers take over what it says.
                .insert_header((
                    header::CONTENT_SECURITY_POLICY,
                    if sort == Sort::Page { page::POLICY } else { DRAWING_POLICY },
                ))
                .insert_header(ETag(mark));
            if has_it {
                return Ok(answer.finish());
            }
            Ok(answer
                .content_type(kind(sort, &bytes))
                .insert_header((header::CONTENT_DISPOSITION, "inline"))
                .body(bytes))
        }
        Err(error) => Err(error),
    }
}

#[derive(Template)]
#[template(path = "own_page.html")]
struct OwnPage<'a> {
    build: &'static str,
    token: &'a str,
    name: &'static str,
}

/// `GET /clips/{token}/page`: a page of one's own within its frame, where it cannot go elsewhere.
pub async fn framed(
    app: web::Data<App>,
    request: HttpRequest,
    token: web::Path<String>,
) -> Result<HttpResponse, WebError> {
    behind(&app, &request, &token, app.engine.store().clip(token.clone())).await?;
    let page = OwnPage { build: crate::assets::build(), token: &token, name: "Your own drawing" };
    Ok(HttpResponse::Ok().insert_header(ContentType::html()).body(html(&page)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_told_what_it_is_not_by_its_name() {
        for (name, bytes, sort) in [
            ("fake.png", &b"no picture at all"[..], Sort::Picture),
            ("Fake.WOFF2", b"no font", Sort::Font),
            ("fake.webm", b"no video", Sort::Video),
            ("fake.wav", b"no sound", Sort::Sound),
            ("real.wav", b"\x89PNG and what follows", Sort::Picture),
        ] {
            assert_eq!(sort_of(bytes, name), sort, "{name}");
        }
    }

    #[test]
    fn a_sound_without_rate_or_samples_is_refused() {
        let mut wav = b"RIFF\x24\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0".to_vec();
        wav.extend([0; 8]);
        wav.extend(b"\x02\0\x10\0data\0\0\0\0");
        assert!(matches!(clean(Sort::Sound, Wanted::Any, &wav), Err(ClipError::Broken | ClipError::NotASound)));
    }
}
