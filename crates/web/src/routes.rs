//! The one map of addresses.

use crate::app::App;
use crate::error::WebError;
use crate::rooms::{
    account, bench, by_itself, channel, chat, cues, desk, feeds, files, first_visit, health, helpers, ledger, looks,
    matches, on_picture, overlays, pass, polls, preflight, rehearsals, score, shelf, shows, sign_in,
};
use crate::security::{csrf, guard, headers, reach};
use crate::{air, api, assets, clips, commands, faces, fair, fonts, ingest, overlay, read, schemas};
use actix_session::SessionMiddleware;
use actix_session::config::{CookieContentSecurity, PersistentSession};
use actix_session::storage::CookieSessionStore;
use actix_web::body::MessageBody;
use actix_web::cookie::SameSite;
use actix_web::cookie::time::Duration;
use actix_web::dev::{ServiceFactory, ServiceRequest, ServiceResponse};
use actix_web::http::{StatusCode, header};
use actix_web::middleware::{Compress, from_fn};
use actix_web::web::{self, post};
use actix_web::{App as Actix, ResponseError, Route, guard as guards};

/// Most bytes of a form.
const MOST_FORM: usize = 64 * 1024;

/// Reading: whoever asks for the head alone gets it.
fn get() -> Route {
    web::route().guard(guards::Any(guards::Get()).or(guards::Head()))
}

/// The whole application.
pub fn application(
    app: web::Data<App>,
) -> Actix<
    impl ServiceFactory<
        ServiceRequest,
        Config = (),
        Response = ServiceResponse<impl MessageBody>,
        Error = actix_web::Error,
        InitError = (),
    >,
> {
    let session = SessionMiddleware::builder(CookieSessionStore::default(), app.session_key.clone())
        .cookie_name("eager-tally".into())
        .cookie_content_security(CookieContentSecurity::Private)
        .cookie_same_site(SameSite::Lax)
        .cookie_http_only(true)
        .cookie_secure(app.is_secure())
        .session_lifecycle(PersistentSession::default().session_ttl(Duration::days(30)))
        .build();
    Actix::new()
        .app_data(app)
        .app_data(web::FormConfig::default().limit(MOST_FORM))
        .app_data(web::PayloadConfig::new(MOST_FORM))
        .wrap(from_fn(guard::guard))
        .wrap(from_fn(protected))
        // Programs and pages on air: no session, no cookies.
        .route("/in/{token}", post().to(ingest::receive))
        .route("/in/{token}", get().to(ingest::receive))
        .route("/w/{token}/live", get().to(air::page_live))
        .route("/o/{token}/live", get().to(overlay::page::page_live))
        .route("/read/{token:[A-Za-z0-9_-]+}.{form}", get().to(read::read))
        .route("/read/{token}/stream", get().to(read::follow))
        .route("/letters/{build}/fonts.css", get().to(fonts::letters))
        .route("/fair/{commitment}", get().to(fair::page))
        .route("/c/{token}", get().to(commands::page))
        .route("/clips/{token}", get().to(clips::serve))
        .route("/clips/{token}/page", get().to(clips::framed))
        .route("/faces/{seal}/{address}", get().to(faces::serve::face))
        .route("/schemas/{name}", get().to(schemas::serve))
        .route("/schemas/views/{name}", get().to(schemas::view))
        .route("/healthz", get().to(health::alive))
        .route("/readyz", get().to(health::ready))
        .service(api::scope())
        .service(web::resource("/w/{token}").wrap(Compress::default()).route(get().to(air::page)))
        .service(web::resource("/o/{token}").wrap(Compress::default()).route(get().to(overlay::page::page)))
        .service(web::resource("/assets/{build}/{name:.*}").route(get().to(assets::serve)))
        // People.
        .service(
            web::scope("")
                .wrap(from_fn(csrf::guard))
                .wrap(session)
                .route("/", get().to(shelf::home))
                .route("/live", get().to(desk::live))
                .route("/clock/follow", post().to(desk::follow_clock))
                .route("/sign-in", get().to(sign_in::page))
                .route("/sign-in", post().to(sign_in::enter))
                .route("/sign-out", post().to(sign_in::leave))
                .route("/first-visit", get().to(first_visit::page))
                .route("/first-visit", post().to(first_visit::finish))
                .route("/feeds", get().to(feeds::page))
                .route("/feeds", post().to(feeds::wire::create))
                .route("/feeds/probe", post().to(feeds::probe::ask))
                .route("/feeds/{id}/edit", post().to(feeds::wire::edit))
                .route("/feeds/{id}/sender", post().to(feeds::sender::save))
                .route("/feeds/{id}/rules", get().to(feeds::rules::page))
                .route("/feeds/{id}/rules/area", get().to(feeds::rules::opened))
                .route("/feeds/{id}/rules/arrived", get().to(feeds::rules::arrived))
                .route("/feeds/{id}/rules/edit", post().to(feeds::rules::edit))
                .route("/feeds/{id}/rules/use", post().to(feeds::rules::put_in_force))
                .route("/feeds/{id}/rules/listen", post().to(feeds::rules::listen))
                .route("/feeds/{id}/rules/discard", post().to(feeds::rules::discard))
                .route("/feeds/{id}/rules/count", post().to(feeds::rules::count))
                .route("/feeds/{id}/rules.json", get().to(feeds::rules::files::out))
                .route("/feeds/{id}/rules/file", post().to(feeds::rules::files::take))
                .route("/feeds/{id}/rotate", post().to(feeds::rotate))
                .route("/feeds/{id}/readdress", post().to(feeds::readdress))
                .route("/feeds/{id}/pause", post().to(feeds::pause))
                .route("/feeds/{id}/remove", post().to(feeds::remove))
                .route("/feeds/{id}/gifts", post().to(feeds::gifts))
                .route("/feeds/{id}/withdraw", post().to(feeds::withdraw))
                .route("/imports", post().to(feeds::import::receive))
                .route("/imports/{token}", get().to(feeds::import::page))
                .route("/imports/{token}/try", post().to(feeds::import::dry))
                .route("/imports/{token}/add", post().to(feeds::import::add))
                .route("/account", get().to(account::page))
                .route("/account/password", post().to(account::password))
                .route("/account/tokens", post().to(account::create_token))
                .route("/account/tokens/{id}/revoke", post().to(account::revoke_token))
                .route("/channel", get().to(channel::page))
                .route("/channel", post().to(channel::save))
                .route("/channel/air", post().to(by_itself::ways))
                .route("/channel/schedule", post().to(by_itself::from_address))
                .route("/channel/schedule/file", post().to(by_itself::from_file))
                .route("/channel/currency/back", post().to(channel::currency_back))
                .route("/shows", get().to(shows::page))
                .route("/shows/begin", post().to(shows::begin))
                .route("/shows/end", post().to(shows::end))
                .route("/shows/stay", post().to(shows::stay))
                .route("/shows/{seq}/trim", post().to(shows::trim))
                .route("/shows/{seq}/strike", post().to(shows::strike))
                .route("/widgets", get().to(shelf::page))
                .route("/widgets", post().to(shelf::create))
                .route("/widgets/starts", get().to(shelf::starts))
                .route("/widgets/{id}", get().to(bench::page))
                .route("/widgets/{id}/edit", post().to(bench::edit))
                .route("/widgets/{id}/check", post().to(bench::check))
                .route("/widgets/{id}/looks", get().to(bench::compare::page))
                .route("/widgets/{id}/look", post().to(bench::compare::apply_look))
                .route("/widgets/{id}/text-file", post().to(bench::text_file::save))
                .route("/widgets/{id}/aside", get().to(bench::aside))
                .route("/widgets/{id}/drawers", get().to(bench::drawers))
                .route("/widgets/{id}/rehearse", post().to(bench::rehearse::press))
                .route("/widgets/{id}/readdress", post().to(bench::readdress))
                .route("/widgets/{id}/press", post().to(desk::press))
                .route("/widgets/{id}/score", get().to(score::page))
                .route("/widgets/{id}/clips", post().to(clips::receive))
                .route("/clips/{token}/remove", post().to(clips::remove))
                .route("/widgets/{id}/duplicate", post().to(shelf::duplicate))
                .route("/widgets/{id}/archive", post().to(shelf::archive))
                .route("/widgets/{id}/restore", post().to(shelf::restore))
                .route("/widgets/{id}/{operation:put-on-air|discard|take-back}", post().to(bench::shape))
                .route("/desk", get().to(desk::page))
                .route("/desk", post().to(desk::arrange))
                .route("/desk/more", post().to(desk::add))
                .route("/desk/more/{desk}/remove", post().to(desk::remove))
                .route("/desk/keys", post().to(desk::key))
                .route("/desk/sounds", post().to(desk::sounds))
                .route("/rehearsals", get().to(rehearsals::page))
                .route("/rehearsals", post().to(rehearsals::begin))
                .route("/rehearsals/stop", post().to(rehearsals::stop))
                // The desk again, over the rehearsal that runs.
                .route("/rehearsal/desk", get().to(desk::page))
                .route("/rehearsal/live", get().to(desk::live))
                .route("/rehearsal/widgets/{id}/press", post().to(desk::press))
                .route("/rehearsal/desk/cover", post().to(on_picture::cover))
                .route("/rehearsal/desk/overlays", get().to(on_picture::seen))
                .route("/rehearsal/overlays/{id}/appear", post().to(on_picture::appear))
                .route("/files", get().to(files::page))
                .route("/files", post().to(clips::add))
                .route("/files/{token}/replace", post().to(clips::replace))
                .route("/looks", get().to(looks::page))
                .route("/looks", post().to(looks::derive))
                .route("/looks/import", post().to(looks::import))
                .route("/looks/night", post().to(looks::night))
                .route("/looks/{id}", get().to(looks::room))
                .route("/looks/{id}/edit", post().to(looks::set))
                .route("/looks/{id}/rename", post().to(looks::rename))
                .route("/looks/{id}/remove", post().to(looks::remove))
                .route("/looks/{id}/file", get().to(looks::file))
                .route("/looks/{id}/apply", post().to(looks::apply))
                .route("/looks/{id}/back", post().to(looks::back))
                .route("/looks/{id}/same", post().to(looks::same))
                .route("/cues", get().to(cues::page))
                .route("/cues", post().to(cues::create))
                .route("/cues/{id}/edit", post().to(cues::edit))
                .route("/cues/{id}/fire", post().to(cues::fire))
                .route("/cues/{id}/past", get().to(cues::past))
                .route("/cues/{id}/remove", post().to(cues::remove))
                .route("/chat", get().to(chat::page))
                .route("/chat/coming", get().to(chat::to_come))
                .route("/chat/commands", post().to(chat::add_command))
                .route("/chat/commands/{id}/edit", post().to(chat::edit_command))
                .route("/chat/commands/{id}/remove", post().to(chat::remove_command))
                .route("/chat/notices", post().to(chat::add_notice))
                .route("/chat/notices/edit", post().to(chat::edit_notices))
                .route("/chat/notices/{id}/remove", post().to(chat::remove_notice))
                .route("/chat/list", post().to(chat::list))
                .route("/overlays", get().to(overlays::page))
                .route("/overlays", post().to(overlays::create))
                .route("/overlays/{id}", get().to(overlays::room))
                .route("/overlays/reload", post().to(overlays::reload))
                .route("/overlays/{id}/windows", get().to(overlays::seen))
                .route("/overlays/{id}/edit", post().to(overlays::edit))
                .route("/overlays/{id}/turn", post().to(overlays::turn))
                .route("/overlays/{id}/air", post().to(overlays::air))
                .route("/overlays/{id}/style", post().to(overlays::style))
                .route("/overlays/{id}/at-once", post().to(overlays::at_once))
                .route("/overlays/{id}/appear", post().to(on_picture::appear))
                .route("/desk/ready", get().to(preflight::list))
                .route("/desk/cover", post().to(on_picture::cover))
                .route("/desk/overlays", get().to(on_picture::seen))
                .route("/overlays/{id}/readdress", post().to(overlays::readdress))
                .route("/overlays/{id}/remove", post().to(overlays::remove))
                .route("/helpers", get().to(helpers::page))
                .route("/helpers", post().to(helpers::create))
                .route("/helpers/{id}/renew", post().to(helpers::renew))
                .route("/helpers/{id}/revoke", post().to(helpers::revoke))
                .route("/helpers/qr.{form:svg|png}", post().to(helpers::code))
                // Helpers, each by a pass.
                .route("/p/{link}", get().to(pass::door))
                .route("/p/{link}", post().to(pass::enter))
                .route("/join", get().to(pass::join))
                .route("/join", post().to(pass::speak))
                .route("/pass", get().to(pass::page))
                .route("/pass/live", get().to(pass::live))
                .route("/pass/leave", post().to(pass::leave))
                .route("/pass/{id}/score", get().to(pass::pad_page))
                .route("/pass/{id}/press", post().to(pass::press))
                .route("/polls", get().to(polls::page))
                .route("/polls.{form:csv|json}", get().to(polls::export))
                .route("/polls/{widget}/chart.svg", get().to(polls::svg))
                .route("/polls/{widget}/save", post().to(polls::save))
                .route("/matches", get().to(matches::page))
                .route("/matches", post().to(matches::create))
                .route("/matches/{widget}/{line}.{form:csv|json|svg}", get().to(matches::export))
                .route("/ledger", get().to(ledger::page))
                .route("/ledger", post().to(ledger::manual::write))
                .route("/ledger/lines", get().to(ledger::head))
                .route("/ledger/export.{form}", get().to(ledger::export::export))
                .route("/ledger/{seq}", get().to(ledger::line::open))
                .route("/ledger/{seq}/shut", get().to(ledger::line::shut))
                .route("/ledger/{seq}/correct", post().to(ledger::line::correct))
                .default_service(web::to(nothing)),
        )
}

async fn nothing() -> WebError {
    WebError::NotFound
}

impl actix_web::Responder for WebError {
    type Body = actix_web::body::BoxBody;

    fn respond_to(self, _: &actix_web::HttpRequest) -> actix_web::HttpResponse {
        self.error_response()
    }
}

/// What the framework refuses before anything of ours is asked: told as problem+json, and not in its own words.
fn in_our_words(response: ServiceResponse) -> ServiceResponse {
    let kind = response.headers().get(header::CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
    let status = response.status();
    if response.response().error().is_none() || !status.is_client_error() || !kind.starts_with("text/plain") {
        return response;
    }
    let detail = match status {
        StatusCode::PAYLOAD_TOO_LARGE => "The body is larger than this address takes.",
        StatusCode::UNSUPPORTED_MEDIA_TYPE => "The body is of another kind than this address takes.",
        StatusCode::NOT_FOUND => "There is nothing at this address.",
        _ => "The request cannot be read. Reload the page and try again.",
    };
    response.into_response(WebError::refuse(status, detail))
}

async fn protected(
    request: ServiceRequest,
    next: actix_web::middleware::Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    // A proxy that is trusted may say that it was reached over TLS, also where nobody has stated our address.
    let secure = request.app_data::<web::Data<App>>().and_then(|app| reach::sent_to(app, request.request()));
    let secure = secure.is_some_and(|sent_to| sent_to.starts_with("https://"));
    let mut response = in_our_words(next.call(request).await?.map_into_boxed_body());
    headers::protect(response.headers_mut(), secure);
    Ok(response)
}
