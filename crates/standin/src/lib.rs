//! The small simulated outside world: it knows Eager Tally only as any outside program would, by
//! the addresses and secrets that it was given and the published formats.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

pub mod tip_jar;
