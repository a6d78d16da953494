//! Channels at work: one task each, commands in; decide, commit, apply, publish.
//!
//! Nothing outside this crate may assume that a channel's state lives in this process.

mod board;
mod clock;
mod deeds;
mod draw;
mod engine;
mod error;
mod health;
mod orders;
mod publish;
mod task;

pub use board::{Board, PageGuard, WidgetChannel};
pub use clock::{Clock, SystemClock};
pub use deeds::By;
pub use draw::{Draw, Drawn, Heard, OnAir, Pulse, PulseFeed, Seen, Shown};
pub use engine::{ChannelHandle, Engine};
pub use error::EngineError;
pub use orders::{Asked, Decide, Deed, Ingested, MakeBelieve, Pressed, Rehearsed, Report, Shaping};
pub use task::heard::Hearing;
