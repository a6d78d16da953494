//! The rooms of the application, a file each.

pub mod account;
pub mod bench;
pub mod channel;
mod control;
pub mod cues;
pub mod desk;
pub mod feeds;
pub mod files;
pub mod first_visit;
mod frame;
pub mod health;
pub mod helpers;
mod layout_tools;
pub mod ledger;
pub mod looks;
pub mod matches;
pub mod on_picture;
pub mod overlays;
mod parts;
pub mod pass;
pub mod polls;
mod readiness;
pub mod received;
pub mod score;
pub mod shelf;
pub mod shows;
pub mod sign_in;
