//! What a cue does, as the ledger keeps it: with every firing stand its steps as they were then, so that a later edit changes
//! nothing about what is under way.

use super::ids::WidgetId;
use serde::{Deserialize, Serialize};

/// One thing that a cue does.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Do {
    /// Operates a widget, as a press on the desk does.
    Press {
        /// Which.
        widget: WidgetId,
        /// The action.
        action: String,
        /// The number with it.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        value: Option<i64>,
        /// The text with it.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        text: Option<String>,
        /// The side of a board, from 1.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        side: Option<u8>,
    },
    /// Shows a piece of an overlay, or hides it.
    Appear {
        /// Of which overlay.
        overlay: u32,
        /// Which piece.
        piece: u32,
        /// Whether it is seen from then on.
        shown: bool,
    },
    /// Plays a sound on the pages of an overlay.
    Sound {
        /// Of which.
        overlay: u32,
        /// One that comes along, by its name, or one of the streamer's own, by its token.
        sound: String,
    },
    /// Says a line in chat.
    Say {
        /// The line, with places for values.
        text: String,
    },
    /// Goes on air, or off.
    Air {
        /// Whether it is on air from then on.
        on: bool,
    },
    /// Calls an address, signed.
    Call {
        /// Which.
        address: String,
    },
}

/// One step of a cue.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// So many seconds after the step before.
    #[serde(default)]
    pub wait_s: u32,
    /// What is done.
    pub what: Do,
}

/// What became of a step.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Outcome {
    /// It was done.
    Done,
    /// It could not be done, and why. The steps after it go on.
    Failed(String),
    /// It was not done any more: its moment had passed while the server was away.
    Missed,
}
