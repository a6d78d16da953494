//! What is recorded: the lines of a channel's ledger, and what they say.

pub mod acts;
pub mod cue;
pub mod entry;
pub mod happening;
pub mod ids;
pub mod levels;
pub mod measure;
pub mod own;
pub mod refusal;
pub mod settings;
