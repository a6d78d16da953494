//! What comes in from outside: verified, parsed, and checked against the rules for each field.
//!
//! Most of it is pure: the web crate hands in what a request brought and gets happenings for the
//! engine, or a refusal that says what to change. [`run`] keeps those feeds going that fetch for
//! themselves: chat, polled numbers, exchange rates.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

pub mod calls;
pub mod cloudevents;
mod data;
#[cfg(test)]
mod hostile;
pub mod intake;
pub mod irc;
pub mod mapping;
pub mod outside;
pub mod poll;
pub mod probe;
mod problem;
pub mod rates;
pub mod rehearsal;
pub mod run;
pub mod schedule;
pub mod schemas;
pub mod script;
pub mod signature;
pub mod table;
pub mod words;
pub mod write;

pub use problem::Problem;
