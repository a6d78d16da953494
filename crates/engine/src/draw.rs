//! How views become what pages get. The engine knows when, the web crate knows how.

use bytestring::ByteString;
use chrono::TimeDelta;
use std::collections::BTreeSet;
use std::sync::Arc;
use tally_core::book::chat::ChatLine;
use tally_core::channel::{Desk, RollLine};
use tally_core::look::Look;
use tally_core::record::ids::{Seq, WidgetId};
use tally_core::time::Instant;
use tally_core::widgets::view::View;
use tally_core::widgets::{Lever, Piece};

/// What is seen of a widget.
#[derive(Debug, Clone, Copy)]
pub struct Seen<'a> {
    /// What it shows.
    pub view: &'a View,
    /// How it looks.
    pub look: &'a Look,
    /// When something was last celebrated.
    pub celebration: Option<Instant>,
    /// Whether nothing is to be heard of it now.
    pub muted: bool,
}

/// One widget at one moment, with all that drawing it asks for.
#[derive(Debug)]
pub struct Shown {
    /// Which.
    pub id: WidgetId,
    /// The keys of the desk.
    pub desk: Arc<Desk>,
    /// The entry up to which it has counted.
    pub seq: Seq,
    /// The widget; what it shows is beside it.
    pub piece: Piece,
    /// What it shows.
    pub view: View,
    /// When something on it was last celebrated.
    pub celebration: Option<Instant>,
    /// Whether nothing is to be heard of it now.
    pub muted: bool,
    /// What is tried on the stage, where that is something else.
    pub tried: Option<(Piece, View)>,
    /// What the desk offers.
    pub levers: Vec<Lever>,
    /// What the desk has to be told of.
    pub attention: Option<String>,
    /// Whether it can be handed to a helper.
    pub for_helpers: bool,
}

impl Shown {
    /// What is seen of it on air.
    #[must_use]
    pub fn seen(&self) -> Seen<'_> {
        Seen { view: &self.view, look: self.piece.look(), celebration: self.celebration, muted: self.muted }
    }

    /// What is seen of it on the stage, where that is something else.
    #[must_use]
    pub fn tried(&self) -> Option<Seen<'_>> {
        let (piece, view) = self.tried.as_ref()?;
        Some(Seen { view, look: piece.look(), celebration: None, muted: self.muted })
    }
}

/// One widget, drawn once and shared by all pages.
#[derive(Debug, Clone, Default)]
pub struct Drawn {
    /// The message for pages on air.
    pub air: ByteString,
    /// The message for the desk.
    pub desk: ByteString,
    /// The message for helpers who operate it; none where no pass can allow that.
    pub helpers: Option<ByteString>,
}

/// A feed as the signal strip shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PulseFeed {
    /// Its name.
    pub name: String,
    /// How it fares.
    pub heard: Heard,
}

/// How a feed fares.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Heard {
    /// When something last came through it.
    pub last: Option<Instant>,
    /// Its owner has let it stand still.
    pub paused: bool,
    /// It is connected, though nothing may have come yet.
    pub connected: bool,
    /// It does not work: why, and what to do.
    pub failing: Option<String>,
}

/// Whether the channel is on air.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnAir {
    /// Since when.
    Since(Instant),
    /// Since when, and when that ends by itself unless somebody stays.
    Ending(Instant, Instant),
    /// Not now.
    Off,
}

/// The state of a channel as the signal strip and the paper roll show it.
#[derive(Debug)]
pub struct Pulse {
    /// Its feeds.
    pub feeds: Vec<PulseFeed>,
    /// The newest entries, oldest first, each with the name of the widget that it operates.
    pub roll: Vec<(RollLine, Option<String>)>,
    /// Those of them that can be taken back.
    pub in_force: BTreeSet<Seq>,
    /// Whether lines of the record can be voided: those of a rehearsal cannot.
    pub is_kept: bool,
    /// How many pages on air are open.
    pub pages: usize,
    /// Whether the channel is on air.
    pub on_air: OnAir,
    /// What the desk has to be told of widgets, with their names.
    pub attention: Vec<(String, String)>,
    /// What it has to be told of besides: what it is of, and what.
    pub needs: Vec<(String, String)>,
    /// How far the machine's clock has jumped, where it has.
    pub clock_jump: Option<TimeDelta>,
    /// The newest line of chat.
    pub chat: Option<ChatLine>,
    /// Local time.
    pub calendar: tally_core::time::calendar::Calendar,
    /// When it was drawn.
    pub now: Instant,
}

/// Draws.
pub trait Draw: Send + Sync + 'static {
    /// A widget.
    fn widget(&self, shown: &Shown) -> Drawn;
    /// A widget as it stands in a rehearsal, for the application's pages alone.
    fn rehearsal(&self, id: WidgetId, seen: Seen<'_>) -> ByteString;
    /// The signal strip and the paper roll, as one message.
    fn pulse(&self, pulse: &Pulse) -> ByteString;
    /// The newest lines of chat, newest first, each with its number.
    fn chat(&self, lines: &[(u64, ChatLine)]) -> ByteString;
}
