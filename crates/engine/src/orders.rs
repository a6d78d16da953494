//! What a channel's task can be told.

use crate::EngineError;
use tally_core::Instant;
use tally_core::channel::Channel;
use tally_core::entry::Draft;
use tally_core::ids::{Seq, WidgetId};
use tally_core::widgets::Definition;
use tally_store::feeds::Feed;
use tokio::sync::oneshot;

/// What became of a delivery.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ingested {
    /// How many lines are new.
    pub accepted: usize,
    /// How many were there already.
    pub duplicates: usize,
    /// The ledger's last entry after it.
    pub last_seq: Seq,
}

/// Somebody's press on a lever.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pressed {
    /// Of which widget.
    pub widget: WidgetId,
    /// Which action.
    pub action: String,
    /// With which number.
    pub value: Option<i64>,
    /// Who, as shown.
    pub by: String,
    /// From where: `desk`, `api`.
    pub source: &'static str,
    /// Unique to this press, so that a press sent twice counts once.
    pub id: String,
}

/// Somebody's correction of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Correction {
    /// Which line.
    pub target: Seq,
    /// Whether it counts from now on.
    pub counts: bool,
    /// Who, as shown.
    pub by: String,
    /// Why.
    pub reason: Option<String>,
    /// Unique to this correction, so that one sent twice counts once.
    pub id: String,
}

/// A question to a channel's state.
pub type Asked = Box<dyn FnOnce(&Channel, Instant) + Send>;

/// The place where an answer goes.
pub(crate) type Reply<T> = oneshot::Sender<Result<T, EngineError>>;

/// What a channel's task can be told.
pub(crate) enum Order {
    /// Record what a feed brings.
    Ingest { drafts: Vec<Draft>, reply: Reply<Ingested> },
    /// Operate a widget.
    Press { press: Pressed, reply: Reply<Seq> },
    /// Void a line, or let it count again.
    Correct { correction: Correction, reply: Reply<Seq> },
    /// Change a part of a widget's sentence.
    Edit { widget: WidgetId, key: String, text: String, reply: Reply<()> },
    /// Make a widget.
    Create { definition: Definition, page_token: String, reply: Reply<WidgetId> },
    /// Give a widget's page another address.
    Readdress { widget: WidgetId, page_token: String, reply: Reply<String> },
    /// Take note of these feeds.
    Feeds(Vec<Feed>),
    /// A page was opened or closed.
    Pages,
    /// Look at the state.
    Ask(Asked),
    /// Keep a snapshot and end.
    Stop(oneshot::Sender<()>),
}
