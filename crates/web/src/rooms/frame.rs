//! What all rooms share: the top edge with its tabs, and the signal strip.

use crate::app::App;
use crate::error::WebError;
use crate::security::session::Owner;
use tally_core::channel::Channel;
use tally_core::record::ids::WidgetId;

/// A room and where it stands.
pub struct Room {
    /// Its word.
    pub name: &'static str,
    /// Its address.
    pub path: &'static str,
    /// The letter that leads to it after `g`.
    pub letter: &'static str,
}

/// A tab with its rooms, in the order of the work.
pub struct Tab {
    /// Its word.
    pub name: &'static str,
    /// Its rooms.
    pub rooms: &'static [Room],
}

const TABS: [Tab; 3] = [
    Tab {
        name: "Prepare",
        rooms: &[
            Room { name: "Feeds", path: "/feeds", letter: "f" },
            Room { name: "Widgets", path: "/widgets", letter: "w" },
            Room { name: "Overlays", path: "/overlays", letter: "o" },
            Room { name: "Looks", path: "/looks", letter: "k" },
            Room { name: "Cues", path: "/cues", letter: "u" },
            Room { name: "Chat", path: "/chat", letter: "t" },
            Room { name: "Files", path: "/files", letter: "i" },
            Room { name: "Channel", path: "/channel", letter: "c" },
            Room { name: "Account", path: "/account", letter: "a" },
        ],
    },
    Tab {
        name: "Run",
        rooms: &[
            Room { name: "Desk", path: "/desk", letter: "d" },
            Room { name: "Rehearsal", path: "/rehearsals", letter: "r" },
            Room { name: "Helpers", path: "/helpers", letter: "h" },
        ],
    },
    Tab {
        name: "Review",
        rooms: &[
            Room { name: "Ledger", path: "/ledger", letter: "l" },
            Room { name: "Shows", path: "/shows", letter: "s" },
            Room { name: "Polls", path: "/polls", letter: "p" },
            Room { name: "Matches", path: "/matches", letter: "m" },
        ],
    },
];

/// The frame of one page.
pub struct Frame {
    /// See [`crate::assets::build`].
    pub build: &'static str,
    /// What the page sends back with whatever changes something.
    pub csrf: String,
    /// The channel's name.
    pub channel: String,
    /// Who is signed in.
    pub owner: String,
    /// The address of the room that this is, or of the one that it belongs to.
    pub here: &'static str,
    /// Whether it shows the rehearsal and not the show.
    pub rehearses: bool,
    /// All tabs.
    pub tabs: &'static [Tab],
    /// All widgets by name, for the finder.
    pub widgets: Vec<(WidgetId, String)>,
}

impl Frame {
    /// The frame for a room.
    pub async fn new(app: &App, owner: &Owner, here: &'static str) -> Result<Self, WebError> {
        let channel = app.engine.store().channel(owner.channel.id).await?.name;
        let list = |channel: &Channel, _| channel.widgets().map(|(id, piece)| (id, piece.title().to_owned())).collect();
        Ok(Self {
            build: crate::assets::build(),
            csrf: owner.csrf.clone(),
            channel,
            owner: owner.name.clone(),
            here,
            rehearses: owner.rehearses,
            tabs: &TABS,
            widgets: owner.channel.ask(list).await?,
        })
    }

    /// Before the addresses of the desk: the rehearsal has its own.
    pub fn under(&self) -> &'static str {
        if self.rehearses { "/rehearsal" } else { "" }
    }

    /// Whether a tab holds the present room.
    pub fn holds(&self, tab: &Tab) -> bool {
        tab.rooms.iter().any(|room| room.path == self.here)
    }

    /// Where a tab leads: to its first room.
    pub fn first(tab: &Tab) -> &'static str {
        tab.rooms.first().map_or("/", |room| room.path)
    }
}
