//! `demo.json`: what scripts and tests need to talk to the running demo. Only its owner may read it.

use crate::serve::{StartError, write_private};
use serde::{Deserialize, Serialize};
use std::path::Path;
use tally_store::feeds::{Feed, Wiring};
use tally_store::overlays::OverlayRecord;
use tally_store::widgets::WidgetRecord;
use tally_web::tokens;

const FILE: &str = "demo.json";

/// The whole note.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Note {
    /// Where it runs.
    pub base_url: String,
    /// Who may sign in.
    pub owner: Owner,
    /// A token with the scopes `read` and `operate`.
    pub api_token: String,
    feeds: Vec<FeedNote>,
    widgets: Vec<WidgetNote>,
    overlays: Vec<OverlayNote>,
}

/// Name and password.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Owner {
    /// The name.
    pub name: String,
    /// The password.
    pub password: String,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct FeedNote {
    name: String,
    kind: String,
    url: String,
    secret: String,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct WidgetNote {
    id: u32,
    name: String,
    family: String,
    page_url: String,
    read_url: String,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
struct OverlayNote {
    id: u32,
    name: String,
    page_url: String,
}

impl Note {
    /// A note with a new password and token, and nothing else yet.
    pub fn fresh(owner: &str) -> Self {
        let secret = || tokens::token(&mut rand::rng());
        Self {
            base_url: String::new(),
            owner: Owner { name: owner.into(), password: secret() },
            api_token: secret(),
            feeds: Vec::new(),
            widgets: Vec::new(),
            overlays: Vec::new(),
        }
    }

    /// The note of an earlier start.
    pub fn read(data: &Path) -> Option<Self> {
        let text = std::fs::read_to_string(data.join(FILE)).ok()?;
        serde_json::from_str(&text).ok()
    }

    /// The note about a server at this address with these feeds, widgets and overlays.
    pub fn about(self, base_url: &str, feeds: &[Feed], widgets: &[WidgetRecord], overlays: &[OverlayRecord]) -> Self {
        // Only what is sent to us has an address here and a secret.
        let feed = |feed: &Feed| {
            let sent = matches!(feed.wiring, Wiring::Webhook { .. });
            FeedNote {
                name: feed.name.clone(),
                kind: feed.wiring.kind().to_owned(),
                url: if sent { format!("{base_url}/in/{}", feed.token) } else { String::new() },
                secret: if sent { feed.secret.clone() } else { String::new() },
            }
        };
        let widget = |widget: &WidgetRecord| {
            let piece = widget.setup.clone().unfolded();
            WidgetNote {
                id: widget.id.0,
                name: piece.title().to_owned(),
                family: piece.key().to_owned(),
                page_url: format!("{base_url}/w/{}", widget.page_token),
                read_url: format!("{base_url}/read/{}.json", widget.page_token),
            }
        };
        let overlay = |overlay: &OverlayRecord| OverlayNote {
            id: overlay.id,
            name: overlay.air.name.clone(),
            page_url: format!("{base_url}/o/{}", overlay.token),
        };
        Self {
            base_url: base_url.into(),
            overlays: overlays.iter().map(overlay).collect(),
            feeds: feeds.iter().map(feed).collect(),
            widgets: widgets.iter().map(widget).collect(),
            ..self
        }
    }

    /// Writes it.
    pub fn write(&self, data: &Path) -> Result<(), StartError> {
        let path = data.join(FILE);
        let text = serde_json::to_string_pretty(self)
            .map_err(|error| StartError::File(path.display().to_string(), error.into()))?;
        write_private(&path, text.as_bytes())
    }
}
