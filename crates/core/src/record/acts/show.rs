//! What operators say about shows.

use crate::record::ids::Seq;
use crate::time::Instant;
use serde::{Deserialize, Serialize};

/// What somebody says about shows; a line of the ledger.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "deed", rename_all = "snake_case")]
pub enum ShowAct {
    /// The channel goes on air now.
    Begin,
    /// The channel goes off air now.
    End,
    /// Something wants to take the channel off air by itself: then, unless somebody stays on air.
    Ending {
        /// When.
        at: Instant,
    },
    /// Somebody stays on air, though it was to end by itself.
    Stay,
    /// A show began or ended at another time than was recorded.
    Trim {
        /// The line with which the show began.
        show: Seq,
        /// When it began.
        from: Instant,
        /// When it ended; none for one that is on air.
        to: Option<Instant>,
    },
    /// It was no show at all.
    Strike {
        /// The line with which it began.
        show: Seq,
    },
}

impl ShowAct {
    /// Whether a line with this is what was asked: who goes on air may have stayed there, and before a show ends it may have
    /// been asked.
    #[must_use]
    pub fn answers(&self, asked: &Self) -> bool {
        match asked {
            Self::Begin | Self::Stay => matches!(self, Self::Begin | Self::Stay),
            Self::End | Self::Ending { .. } => matches!(self, Self::End | Self::Ending { .. }),
            Self::Trim { .. } | Self::Strike { .. } => self == asked,
        }
    }

    /// `went on air`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Begin => "went on air".into(),
            Self::End => "went off air".into(),
            Self::Ending { .. } => "asked whether to go off air".into(),
            Self::Stay => "stayed on air".into(),
            Self::Trim { show, .. } => format!("set the times of the show that began in line {show}"),
            Self::Strike { show } => format!("struck out the show that began in line {show}"),
        }
    }
}
