//! What every handler has at hand.

use crate::faces::Faces;
use crate::inbox::Ready;
use crate::once::Once;
use crate::security::access::Access;
use crate::security::limits::Limits;
use crate::security::peers::Proxies;
use crate::security::places::Places;
use crate::security::tokens;
use crate::text_files::TextFiles;
use crate::uploads::Uploads;
use actix_web::cookie::Key;
use sha2::{Digest, Sha256};
use std::path::PathBuf;
use std::sync::Arc;
use tally_engine::Engine;
use tally_feeds::outside::Outside;

/// What can be set from outside.
#[derive(Debug, Clone)]
pub struct Config {
    /// The address at which browsers and other programs reach us, without a slash at the end.
    pub base_url: String,
    /// Whether the operator has said so. Otherwise visitors are shown the address at which each of them reaches us.
    pub base_url_stated: bool,
    /// The address at which other computers in the house reach this one, if it listens there.
    pub house_url: Option<String>,
    /// Most requests a second to one feed.
    pub feed_rate: u32,
    /// Where text files are kept.
    pub text_folder: PathBuf,
    /// Where files wait that are to be imported.
    pub upload_folder: PathBuf,
    /// So many bytes must be free on the disk of what is kept, or we are not ready.
    pub least_free: u64,
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
    /// Bodies under way, open pages and streams.
    pub places: Arc<Places>,
    /// What was let in and must end when that is worth nothing any more.
    pub access: Arc<Access>,
    /// Who shows this may make the first visit: the start command prints it.
    pub first_visit: String,
    /// Pictures of supporters.
    pub faces: Faces,
    /// Under which the words of passes are kept.
    pub spoken_key: [u8; 32],
    /// Files that were sent and not yet added.
    pub uploads: Uploads,
    /// Text files of widgets.
    pub text_files: Arc<TextFiles>,
    /// Rules of feeds, made ready.
    pub ready: Ready,
    /// The stages of overlays on air.
    pub stages: Once,
}

impl App {
    /// Puts the parts together.
    #[must_use]
    pub fn new(engine: Engine, config: Config, session_key: &[u8; 64]) -> Self {
        let limits = Limits::new(config.feed_rate);
        let uploads = Uploads::new(config.upload_folder.clone());
        let text_files = Arc::new(TextFiles::new(config.text_folder.clone()));
        // One of its own, which tells nothing of the session's.
        let spoken_key = Sha256::new().chain_update(b"three words").chain_update(session_key).finalize().into();
        Self {
            engine,
            config,
            session_key: Key::from(session_key),
            limits,
            places: Arc::default(),
            access: Arc::default(),
            first_visit: tokens::token(&mut rand::rng()),
            faces: Faces::default(),
            spoken_key,
            uploads,
            text_files,
            ready: Ready::default(),
            stages: Once::default(),
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
}
