//! Why the engine could not do what was asked.

use crate::quarantine::Quarantined;
use tally_core::bot::BotError;
use tally_core::channel::DeskError;
use tally_core::cues::CueError;
use tally_core::look::LookError;
use tally_core::record::refusal::Refusal;
use tally_core::sentence::EditError;
use tally_store::StoreError;

/// Why the engine could not do what was asked.
#[derive(Debug, thiserror::Error)]
pub enum EngineError {
    /// The database is away; nothing was kept, and it is safe to try again.
    #[error("the record cannot be written at this moment; try again")]
    Away,
    /// The rules do not allow it.
    #[error(transparent)]
    Refused(#[from] Refusal),
    /// An edit was refused.
    #[error(transparent)]
    Edit(#[from] EditError),
    /// A look was refused.
    #[error(transparent)]
    Look(#[from] LookError),
    /// Cues stay as they are.
    #[error(transparent)]
    Cue(#[from] CueError),
    /// What is said in chat stays as it is.
    #[error(transparent)]
    Bot(#[from] BotError),
    /// The desk stays as it is.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// The key of a press was used before, for something else.
    #[error("this key was used for another press; send a new one with each")]
    KeyReused,
    /// The program ended while it loaded the channel, so it is not loaded again until its owner signs in.
    #[error("the program ended while it loaded this channel; sign in again to load it once more")]
    Quarantined,
    /// There is no such thing.
    #[error("there is no such thing")]
    NotFound,
    /// The store failed in another way.
    #[error(transparent)]
    Store(StoreError),
}

impl From<Quarantined> for EngineError {
    fn from(_: Quarantined) -> Self {
        Self::Quarantined
    }
}

impl From<StoreError> for EngineError {
    fn from(error: StoreError) -> Self {
        match error {
            StoreError::Away(_) => Self::Away,
            StoreError::NotFound => Self::NotFound,
            other => Self::Store(other),
        }
    }
}
