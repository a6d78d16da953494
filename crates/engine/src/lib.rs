//! Channels at work: one task each, commands in; decide, commit, apply, publish.
//!
//! Nothing outside this crate may assume that a channel's state lives in this process.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

mod calls;
mod clock;
mod commands;
mod context;
mod draw;
mod drawers;
mod engine;
mod error;
mod handle;
mod health;
mod hub;
mod keep;
mod orders;
mod publish;
mod quarantine;
mod rehearsal;
mod task;

pub use calls::Call;
pub use clock::{Clock, SteadyClock, SystemClock};
pub use commands::By;
pub use draw::{Draw, Drawn, Heard, OnAir, Pulse, PulseFeed, Seen, Shown};
pub use engine::Engine;
pub use error::EngineError;
pub use handle::ChannelHandle;
pub use hub::{Audience, Hub, OpenPage, PageGuard, RoomMessage, ToSay, WidgetChannel};
pub use orders::{Asked, Command, Decide, Ingested, MakeBelieve, Pressed, Rehearsed, Report, Scheduling, Shaping};
pub use quarantine::{Quarantine, Quarantined, Reading};
pub use rehearsal::{Plan, Rehearsing};
pub use task::heard::{Hearing, Quiet};
