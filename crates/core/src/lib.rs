//! The rules of Eager Tally: what a channel's record says, and what its widgets show.
//!
//! Everything here is a pure function of its arguments. There is no clock, database, network,
//! randomness or markup in this crate: `now` is passed in, and what comes out is numbers and words.
//!
//! The way of an event: a [`happening::Happening`] or an operator's [`entry::Act`] becomes a
//! [`entry::Draft`], the store makes it durable as an [`entry::Entry`], and
//! [`channel::Channel::apply`] folds it into the state from which [`channel::Channel::view`] draws.

// Whatever is counted here came from outside: no sum may run over.
#![warn(clippy::arithmetic_side_effects)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::arithmetic_side_effects))]

pub mod book;
pub mod bot;
pub mod channel;
pub mod count;
pub mod cues;
#[cfg(test)]
mod fixtures;
pub mod language;
pub mod lines;
pub mod look;
pub mod money;
pub mod overlay;
pub mod record;
pub mod sentence;
pub mod template;
pub mod time;
pub mod widgets;
