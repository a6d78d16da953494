//! What comes in from outside: verified, parsed, and checked against the rules for each field.
//!
//! Nothing here touches the network or the database. The web crate hands in what a request
//! brought and gets happenings for the engine, or a refusal that says what to change.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

pub mod cloudevents;
mod data;
mod problem;
pub mod schemas;
pub mod signature;

pub use problem::Problem;
