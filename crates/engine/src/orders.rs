//! What a channel's task can be told.

use crate::EngineError;
use crate::commands::By;
use crate::task::heard::Hearing;
use tally_core::book::chat::ChatLine;
use tally_core::bot::BotEdit;
use tally_core::channel::{AirEdit, Channel, DeskEdit, Schedule};
use tally_core::cues::{CueEdit, Offer};
use tally_core::look::LookEdit;
use tally_core::record::cue::Outcome;
use tally_core::record::entry::{Body, Draft, Incoming, Origin};
use tally_core::record::ids::{FeedId, Seq, WidgetId};
use tally_core::record::refusal::Refusal;
use tally_core::time::Instant;
use tally_core::widgets::Setup;
use tally_store::accounts::ChannelRecord;
use tally_store::feeds::Feed;
use tally_store::rows::EntryRow;
use tally_store::schedules::KeptSchedule;
use tokio::sync::{OwnedSemaphorePermit, oneshot};

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
    /// With which text.
    pub text: Option<String>,
    /// Of which side, from 1.
    pub side: Option<u8>,
    /// When it was pressed, where that was before now: on a phone that had no connection.
    pub pressed_at: Option<Instant>,
    /// Who, as shown.
    pub by: String,
    /// From where: `desk`, or `api` and the number of the token.
    pub source: String,
    /// Unique to this press, so that a press sent twice counts once.
    pub id: String,
}

/// Decides, in the channel's turn, what a line will say; or refuses in words.
pub type Decide = Box<dyn FnOnce(&Channel, Instant) -> Result<Body, Refusal> + Send>;

/// Whether a line says what is asked.
pub type IsAsked = Box<dyn Fn(&Body) -> bool + Send + Sync>;

/// Something that somebody does to the record.
pub struct Command {
    /// Where it comes from. A command with the same origin counts once.
    pub origin: Origin,
    /// When it happened; absent means now.
    pub happened_at: Option<Instant>,
    /// What it comes to.
    pub decide: Decide,
    /// Of a command whose origin was given to it from outside: whether a line is what is asked here. Then a second
    /// try is answered as the first was, whatever has come since.
    pub is_asked: Option<IsAsked>,
}

/// What somebody at the bench does to a widget.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Shaping {
    /// Says one part of its sentence or its look otherwise.
    Edit {
        /// Which part.
        key: String,
        /// The value as it was typed.
        text: String,
    },
    /// Puts what is tried on the stage on air.
    PutOnAir,
    /// Puts on the stage what is on air.
    Discard,
    /// Takes the newest change back.
    TakeBack,
    /// Puts it into the archive.
    Archive,
    /// Puts it back on the shelf.
    Restore,
}

/// What is let happen in a rehearsal.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MakeBelieve {
    /// Happenings, one after the other.
    Happenings(Vec<Incoming>),
    /// Lines of chat.
    Chat(Vec<ChatLine>),
    /// Somebody operates the widget.
    Press {
        /// Which action.
        action: String,
        /// With which text.
        text: Option<String>,
    },
}

/// What became of a make-believe happening.
#[derive(Debug, Clone, PartialEq)]
pub struct Rehearsed {
    /// What each of the widget's counts made of it, in words, and whether it counts.
    pub verdicts: Vec<(String, bool)>,
    /// What the widget said before.
    pub before: String,
    /// What it says with it.
    pub after: String,
    /// How many pages of this widget are open.
    pub pages: usize,
}

/// How a feed that we keep going fares.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Report {
    /// It works; something was heard through it now.
    Heard,
    /// It is connected, and nothing has come yet.
    Connected,
    /// It does not work: why, and what to do.
    Failing(String),
    /// It works, and something that came through it did not: what, and what to do.
    Trouble(String),
}

/// A step of a cue of which something became.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Stepped {
    /// The line with which the cue fired.
    pub fired: Seq,
    /// Which step, counted from 0.
    pub step: u8,
    /// What the cue is called.
    pub name: String,
}

/// A calendar, and what it says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scheduling {
    /// The calendar as it was kept when this one was read anew; unless it is kept still, nothing is done, since another
    /// was chosen meanwhile. None chooses another.
    pub instead_of: Option<KeptSchedule>,
    /// The calendar.
    pub kept: KeptSchedule,
    /// What it says.
    pub schedule: Schedule,
}

/// A question to a channel's state.
pub type Asked = Box<dyn FnOnce(&Channel, &Hearing, Instant) + Send>;

/// The place where an answer goes.
pub(crate) type Reply<T> = oneshot::Sender<Result<T, EngineError>>;

/// What a channel's task can be told.
pub(crate) enum Order {
    /// Record what a feed brings. The rows are the drafts as the store keeps them, made by whoever
    /// brings them, since the channel's task has enough to do.
    Ingest { drafts: Vec<Draft>, rows: Vec<EntryRow>, reply: Reply<Ingested> },
    /// Record what somebody does.
    Record { command: Command, reply: Reply<Seq> },
    /// Reckon otherwise from now on.
    ChangeSettings { record: Box<ChannelRecord>, reply: Reply<()> },
    /// Do something to the desk.
    EditDesk { edit: DeskEdit, reply: Reply<Option<u32>> },
    /// Go on air and off by itself in another way.
    EditAir { edit: AirEdit, reply: Reply<()> },
    /// Go on air by another calendar, or by the same as it stands now.
    Schedule { scheduling: Box<Scheduling>, reply: Reply<()> },
    /// Do something to the looks of the streamer's own.
    EditLooks { edit: LookEdit, reply: Reply<Option<u32>> },
    /// Do something to the cues.
    EditCues { edit: CueEdit, offer: Box<Offer>, reply: Reply<Option<u32>> },
    /// Do something to what is said in chat.
    EditBot { edit: BotEdit, reply: Reply<()> },
    /// A call that a cue made was answered.
    Called { step: Stepped, outcome: Outcome },
    /// Fire a cue by hand.
    FireCue { cue: u32, by: By, reply: Reply<Seq> },
    /// Let something make-believe happen, in the record for rehearsing.
    Rehearse { widget: WidgetId, make_believe: MakeBelieve, feed: FeedId, reply: Reply<Rehearsed> },
    /// Take note of how a feed fares.
    Report { feed: FeedId, report: Report },
    /// Take note of what was said in chat.
    Chat { feed: FeedId, lines: Vec<ChatLine>, place: OwnedSemaphorePermit },
    /// Change what a widget is.
    Shape { widget: WidgetId, shaping: Shaping, reply: Reply<()> },
    /// Make a widget.
    Create { setup: Box<Setup>, page_token: String, reply: Reply<WidgetId> },
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

impl Order {
    /// Whether it changes nothing that is durable, and needs no database.
    pub(crate) fn only_looks(&self) -> bool {
        matches!(self, Self::Report { .. } | Self::Chat { .. } | Self::Feeds(_) | Self::Pages | Self::Ask(_))
    }

    /// Whether it changes what people make: widgets, looks, cues, settings and the like.
    pub(crate) fn shapes(&self) -> bool {
        match self {
            Self::ChangeSettings { .. }
            | Self::EditDesk { .. }
            | Self::EditAir { .. }
            | Self::Schedule { .. }
            | Self::EditLooks { .. }
            | Self::EditCues { .. }
            | Self::EditBot { .. }
            | Self::Rehearse { .. }
            | Self::Shape { .. }
            | Self::Create { .. }
            | Self::Readdress { .. } => true,
            Self::Ingest { .. }
            | Self::Record { .. }
            | Self::Called { .. }
            | Self::FireCue { .. }
            | Self::Report { .. }
            | Self::Chat { .. }
            | Self::Feeds(_)
            | Self::Pages
            | Self::Ask(_)
            | Self::Stop(_) => false,
        }
    }

    /// What it is, for a log; nothing that somebody typed.
    pub(crate) fn words(&self) -> String {
        match self {
            Self::Ingest { drafts, .. } => format!("recording {} lines of a feed", drafts.len()),
            Self::Record { command, .. } => format!("recording what “{}” did", command.origin.source),
            Self::ChangeSettings { .. } => "taking other settings".into(),
            Self::EditDesk { .. } => "arranging the desk".into(),
            Self::EditAir { .. } => "going on air in another way".into(),
            Self::Schedule { .. } => "going on air by another calendar".into(),
            Self::EditLooks { .. } => "editing looks".into(),
            Self::EditCues { .. } => "editing cues".into(),
            Self::EditBot { .. } => "editing what is said in chat".into(),
            Self::Called { .. } => "hearing how a call went".into(),
            Self::FireCue { cue, .. } => format!("firing cue {cue}"),
            Self::Rehearse { widget, .. } => format!("rehearsing widget {widget}"),
            Self::Report { feed, .. } => format!("hearing how feed {feed} fares"),
            Self::Chat { feed, lines, .. } => format!("hearing {} lines of chat of feed {feed}", lines.len()),
            Self::Shape { widget, .. } => format!("shaping widget {widget}"),
            Self::Create { .. } => "making a widget".into(),
            Self::Readdress { widget, .. } => format!("giving widget {widget} another address"),
            Self::Feeds(_) => "taking note of feeds".into(),
            Self::Pages => "counting pages".into(),
            Self::Ask(_) => "answering a question".into(),
            Self::Stop(_) => "stopping".into(),
        }
    }
}
