//! Everything that speaks HTTP: the rooms of the application, pages on air, live connections, the
//! webhook, values for other programs, and the control API.
//!
//! [`run`] takes its listener and its stop signal from the caller, so tests and the real program
//! start the same thing. All routes are in `routes.rs`.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod air;
mod api;
mod app;
mod assets;
mod clips;
mod commands;
mod css;
mod csv_file;
mod draw;
mod error;
mod faces;
mod fair;
mod fonts;
mod heavy;
mod inbox;
mod ingest;
mod live;
mod mapped;
mod markup;
mod once;
mod overlay;
mod own_style;
mod pad;
mod picture;
mod qr;
mod read;
mod rooms;
mod routes;
mod schemas;
pub mod security;
mod still;
mod text_files;
mod uploads;
mod widgets;

pub use app::{App, Config};
pub use draw::Drawer;
pub use security::passwords;
pub use security::peers::Proxies;
pub use security::tokens;

use actix_web::rt::net::TcpStream;
use actix_web::{HttpServer, dev::Server};
use std::net::TcpListener;
use std::time::Duration;

/// How long a page that takes nothing may hold its connection.
const STALLED: Duration = Duration::from_secs(20);
/// How often the rates of those who have gone are forgotten.
const TIDY_EVERY: Duration = Duration::from_secs(60);
/// Small, so that a page which was held up gets the newest picture and not a queue of old ones.
const SEND_BUFFER: usize = 64 * 1024;

/// Serves until the returned server is stopped.
///
/// # Errors
/// The listener cannot be used.
pub fn run(listener: TcpListener, app: App) -> std::io::Result<Server> {
    let app = actix_web::web::Data::new(app);
    let tidied = std::sync::Arc::downgrade(&app.clone().into_inner());
    tokio::spawn(async move {
        let mut pace = tokio::time::interval(TIDY_EVERY);
        loop {
            pace.tick().await;
            let Some(app) = tidied.upgrade() else { return };
            app.limits.tidy();
            app.uploads.tidy();
        }
    });
    tokio::spawn(text_files::keep(app.engine.clone(), std::sync::Arc::downgrade(&app.text_files)));
    let server = HttpServer::new(move || routes::application(app.clone()))
        .workers(2)
        .tcp_nodelay(true)
        .shutdown_timeout(1)
        .disable_signals()
        .on_connect(|connection, _| {
            if let Some(stream) = connection.downcast_ref::<TcpStream>() {
                let socket = socket2::SockRef::from(stream);
                // Without these two a connection works all the same, only less promptly.
                let _ = socket.set_tcp_user_timeout(Some(STALLED));
                let _ = socket.set_send_buffer_size(SEND_BUFFER);
            }
        })
        .listen(listener)?;
    Ok(server.run())
}
