//! What every handler has at hand.

use crate::faces::Faces;
use crate::inbox::Ready;
use crate::security::bodies::Bodies;
use crate::security::limits::Limits;
use crate::security::peers::Proxies;
use crate::security::tokens;
use crate::uploads::Uploads;
use actix_web::cookie::Key;
use sha2::{Digest, Sha256};
use std::sync::Arc;
use tally_engine::Engine;
use tally_feeds::outside::Outside;

/// What can be set from outside.
#[derive(Debug, Clone)]
pub struct Config {
    /// The address at which browsers and other programs reach us, without a slash at the end.
    pub base_url: String,
    /// Most requests a second to one feed.
    pub feed_rate: u32,
    /// What feeds may reach.
    pub outside: Outside,
    /// Which proxies are believed.
    pub proxies: Proxies,
}

/// What every handler has at hand.
pub struct App {
    /// The channels.
    pub engine: Engine,
    /// Settings.
    pub config: Config,
    /// Signs sessions.
    pub session_key: Key,
    /// Rates.
    pub limits: Limits,
    /// Bodies under way.
    pub bodies: Arc<Bodies>,
    /// Who shows this may make the first visit: the start command prints it.
    pub first_visit: String,
    /// Pictures of supporters.
    pub faces: Faces,
    /// Under which the words of passes are kept.
    pub spoken_key: [u8; 32],
    /// Files that were sent and not yet added.
    pub uploads: Uploads,
    /// Rules of feeds, made ready.
    pub ready: Ready,
}

impl App {
    /// Puts the parts together.
    #[must_use]
    pub fn new(engine: Engine, config: Config, session_key: &[u8; 64]) -> Self {
        let limits = Limits::new(config.feed_rate);
        // One of its own, which tells nothing of the session's.
        let spoken_key = Sha256::new().chain_update(b"three words").chain_update(session_key).finalize().into();
        Self {
            engine,
            config,
            session_key: Key::from(session_key),
            limits,
            bodies: Arc::default(),
            first_visit: tokens::token(&mut rand::rng()),
            faces: Faces::default(),
            spoken_key,
            uploads: Uploads::default(),
            ready: Ready::default(),
        }
    }

    /// Whether pages are reached over TLS.
    #[must_use]
    pub fn is_secure(&self) -> bool {
        self.config.base_url.starts_with("https://")
    }

    /// The address of the first visit.
    #[must_use]
    pub fn first_visit_url(&self) -> String {
        format!("{}/first-visit?key={}", self.config.base_url, self.first_visit)
    }

    /// The address of a widget's page.
    #[must_use]
    pub fn page_url(&self, token: &str) -> String {
        format!("{}/w/{token}", self.config.base_url)
    }

    /// The address of an overlay's page.
    #[must_use]
    pub fn overlay_url(&self, token: &str) -> String {
        format!("{}/o/{token}", self.config.base_url)
    }

    /// The address of a widget's values.
    #[must_use]
    pub fn read_url(&self, token: &str) -> String {
        format!("{}/read/{token}.json", self.config.base_url)
    }

    /// The address that opens a helper's pass.
    #[must_use]
    pub fn pass_url(&self, link: &str) -> String {
        format!("{}/p/{link}", self.config.base_url)
    }

    /// The address at which a pass's three words are typed.
    #[must_use]
    pub fn join_url(&self) -> String {
        format!("{}/join", self.config.base_url)
    }

    /// The address to which a feed's events are sent.
    #[must_use]
    pub fn feed_url(&self, token: &str) -> String {
        format!("{}/in/{token}", self.config.base_url)
    }
}
