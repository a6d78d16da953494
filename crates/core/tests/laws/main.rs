//! Laws of the whole channel: replay equals live, whatever the batching and the mix; corrections equal a
//! ledger without the mistake; what is drawn when an alarm rings is what stands there all the time.

#![allow(clippy::unwrap_used)]

mod alarms;
mod boards;
mod bot;
#[path = "../common/mod.rs"]
mod common;
mod corrections;
mod cost;
mod cues;
#[path = "../common/hostile.rs"]
mod hostile;
mod life;
mod looks;
mod overlays;
mod poll;
mod replay;
mod single;
mod subathon;
mod templates;
mod wheel;
mod whole;

/// How many lives a law looks at: each draws a hundred widgets.
const LIVES: u32 = 96;
