//! The small simulated outside world: it knows Eager Tally only as any outside program would, by
//! the addresses and secrets that it was given and the published formats.
//!
//! A tip service, a chat server that speaks IRC, a platform's numbers, a central bank's rates, the
//! puzzle game *Yardmaster*, shows that play from a script, and three services whose messages have shapes of
//! their own.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

pub mod chat;
pub mod delivery;
mod page;
mod play;
mod polls;
pub mod rates;
pub mod services;
mod tip_jar;
pub mod world;

use actix_web::body::MessageBody;
use actix_web::dev::{Server, ServiceRequest, ServiceResponse};
use actix_web::http::header::{self, HeaderValue};
use actix_web::middleware::{Next, from_fn};
use actix_web::{App, HttpServer, web};
use delivery::{Book, Wiring};
use services::{Calls, Services};
use std::net::TcpListener;
use std::sync::Arc;
use std::time::Duration;
use world::World;

/// The seed of the demo's world.
const SEED: u64 = 1930;
/// How often viewers come and go.
const DRIFT: Duration = Duration::from_secs(10);
/// The shortest wait between two looks whether somebody should say something.
const CHATTER: Duration = Duration::from_millis(20);

/// Where the world's events go.
#[derive(Debug, Clone)]
pub struct Wirings {
    /// Those of the tip service.
    pub tips: Wiring,
    /// Those of the platform and the game, and all of scripted shows.
    pub platform: Wiring,
    /// Where Buffer Box calls.
    pub buffer_box: Calls,
}

/// Serves the stand-ins' pages on one listener and the chat on another, until the returned server
/// is stopped and the runtime ends.
///
/// # Errors
/// A listener cannot be used.
pub fn run(listener: TcpListener, chat: TcpListener, wirings: Wirings) -> std::io::Result<Server> {
    let services = web::Data::new(Services::calling(wirings.buffer_box.clone()));
    let (book, wirings) = (web::Data::new(Book::default()), web::Data::new(wirings));
    let world = Arc::new(World::new(SEED));
    let chat_at = web::Data::new(page::ChatAt(chat.local_addr()?));
    chat.set_nonblocking(true)?;
    tokio::spawn(chat::serve(tokio::net::TcpListener::from_std(chat)?, Arc::clone(&world)));
    tokio::spawn(live(Arc::clone(&world)));
    let world = web::Data::from(world);
    let server = HttpServer::new(move || {
        App::new()
            .app_data(book.clone())
            .app_data(wirings.clone())
            .app_data(world.clone())
            .app_data(services.clone())
            .app_data(chat_at.clone())
            .wrap(from_fn(protected))
            .route("/", web::get().to(tip_jar::show))
            .route("/", web::post().to(tip_jar::tip))
            .route("/deliveries", web::get().to(tip_jar::deliveries))
            .route("/world", web::get().to(page::show))
            .route("/world/state", web::get().to(page::now))
            .route("/world/chat", web::post().to(page::say))
            .route("/world/numbers", web::post().to(page::turn))
            .route("/world/game", web::post().to(page::game))
            .route("/world/poll", web::post().to(polls::turn))
            .route("/world/script", web::post().to(page::script))
            .route("/services", web::get().to(services::show))
            .route("/services/buffer-box", web::post().to(services::fill))
            .route("/services/buffer-box/calls", web::post().to(services::point_box))
            .route("/services/branchline", web::post().to(services::aboard))
            .route("/services/ticket-office", web::post().to(services::buy))
            .route("/services/ticket-office/calls", web::post().to(services::point_office))
            .route("/branchline/line", web::get().to(services::line))
            .route("/ticket-office/orders.json", web::get().to(services::orders))
            .route("/numbers.json", web::get().to(page::numbers))
            .route("/rates.xml", web::get().to(page::rates))
            .route("/stand-in.css", web::get().to(tip_jar::style))
            .route("/stand-in.js", web::get().to(tip_jar::script))
    })
    .workers(1)
    .shutdown_timeout(1)
    .disable_signals()
    .listen(listener)?;
    Ok(server.run())
}

/// Lets people come, go, and chat, as many lines a minute as the world is set to.
async fn live(world: Arc<World>) {
    let (mut owed, mut since_drift) = (0.0, Duration::ZERO);
    let mut pace = tokio::time::interval(CHATTER);
    loop {
        pace.tick().await;
        owed += f64::from(world.seen().chatter) * CHATTER.as_secs_f64() / 60.0;
        while owed >= 1.0 {
            owed -= 1.0;
            world.chatter();
        }
        since_drift += CHATTER;
        if since_drift >= DRIFT {
            since_drift = Duration::ZERO;
            world.drift();
        }
    }
}

/// The same care as in the application.
async fn protected(
    request: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    const POLICY: &str = "default-src 'none'; img-src data:; style-src 'self'; script-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
    let mut response = next.call(request).await?;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    Ok(response)
}
