//! The whole of it from outside: real MariaDB, the real program, a real browser.
//!
//! One binary, so that it is linked once. `./check` starts the database that
//! `TALLY_TEST_DATABASE` names; each test makes a database of its own in it.

#![allow(clippy::unwrap_used, clippy::expect_used, missing_docs)]

mod kit;

mod accessible;
mod air;
mod api;
mod begin;
mod bench;
mod boards;
mod browser;
mod by_itself;
mod chat;
mod clocks;
mod crash;
mod cues;
mod dependencies;
mod desk;
mod doors;
mod families;
mod feeds;
mod floors;
mod hostile;
mod ingest;
mod keeping;
mod layout;
mod looks;
mod markup;
mod mortal;
mod on_picture;
mod overlays;
mod own_files;
mod own_style;
mod passes;
mod permissions;
mod pictures;
mod polls;
mod record;
mod rehearsal;
mod store;
mod values;
mod wheels;
mod wiring;
mod wiring_seen;
