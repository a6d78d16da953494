//! A tip service: a page where a visitor tips. It signs and delivers each tip to the feed's
//! address, tries again with growing waits, and can be told to deliver twice or late.

mod delivery;
mod page;

use actix_web::dev::Server;
use actix_web::middleware::from_fn;
use actix_web::{App, HttpServer, web};
use delivery::Book;
use std::net::TcpListener;

/// Where tips go.
#[derive(Debug, Clone)]
pub struct Wiring {
    /// The feed's address.
    pub url: String,
    /// The feed's secret, `whsec_…`.
    pub secret: String,
}

/// Serves the tip jar until the returned server is stopped.
///
/// # Errors
/// The listener cannot be used.
pub fn run(listener: TcpListener, wiring: Wiring) -> std::io::Result<Server> {
    let book = web::Data::new(Book::default());
    let wiring = web::Data::new(wiring);
    let server = HttpServer::new(move || {
        App::new()
            .app_data(book.clone())
            .app_data(wiring.clone())
            .wrap(from_fn(page::protected))
            .route("/", web::get().to(page::show))
            .route("/", web::post().to(page::tip))
            .route("/deliveries", web::get().to(page::deliveries))
            .route("/tip-jar.css", web::get().to(page::style))
            .route("/tip-jar.js", web::get().to(page::script))
    })
    .workers(1)
    .shutdown_timeout(1)
    .disable_signals()
    .listen(listener)?;
    Ok(server.run())
}
