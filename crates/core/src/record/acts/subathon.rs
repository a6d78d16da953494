//! What operators, and the clock by itself, do to subathon clocks. Lengths are in milliseconds.

use crate::time::Instant;
use crate::time::words::digits;
use chrono::TimeDelta;
use serde::{Deserialize, Serialize};

/// What was done to a subathon clock. [`SubathonAct::Zero`], a [`SubathonAct::Break`] that begins by itself,
/// [`SubathonAct::BreakEnds`] and [`SubathonAct::Away`] are written by the clock, at the instant at which they were due.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum SubathonAct {
    /// Sets it running, or running again.
    Start,
    /// Stands it still.
    Pause,
    /// Gives it more time, or less.
    Add {
        /// Below zero takes away.
        ms: i64,
    },
    /// Back to ready with its start length. Nothing that was added counts any more.
    Reset,
    /// What is added counts by a factor for a while from now on.
    Boost {
        /// The factor in thousandths.
        factor: u32,
        /// For how long.
        ms: i64,
    },
    /// Boosts by hand that are under way end now.
    EndBoosts,
    /// Stands it still for a while.
    Break {
        /// Which break of the plan it is, where it is one.
        planned: Option<u32>,
        /// For how long.
        ms: i64,
        /// Whether it began by itself, as planned.
        by_itself: bool,
    },
    /// The break is over.
    BreakEnds,
    /// It has run down to nothing.
    Zero {
        /// How long it was set to be at its start then: what is set later makes no other end of this one.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        length_ms: Option<i64>,
    },
    /// It goes on though it was over, with so much on it.
    GoOn {
        /// How much.
        ms: i64,
    },
    /// A correction left nothing on it, and somebody says that it is over by that.
    Over,
    /// Its setup was changed.
    Changed,
    /// The server was away.
    Away {
        /// From when.
        from: Instant,
        /// Until when.
        until: Instant,
        /// Whether the clock ran on meanwhile.
        ran: bool,
    },
}

fn length(ms: i64) -> String {
    digits(TimeDelta::milliseconds(ms.saturating_abs()))
}

/// A factor as people write it: `2`, `1.5`.
#[must_use]
pub fn factor_words(thousandths: u32) -> String {
    let (whole, rest) = (thousandths / 1_000, thousandths % 1_000);
    if rest == 0 { whole.to_string() } else { format!("{whole}.{rest:03}").trim_end_matches('0').to_owned() }
}

impl SubathonAct {
    /// `added 5:00 to it`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Start => "started it".into(),
            Self::Pause => "paused it".into(),
            Self::Add { ms } if *ms < 0 => format!("took {} off it", length(*ms)),
            Self::Add { ms } => format!("added {} to it", length(*ms)),
            Self::Reset => "reset it".into(),
            Self::Boost { factor, ms } => format!("boosted it ×{} for {}", factor_words(*factor), length(*ms)),
            Self::EndBoosts => "ended its boosts".into(),
            Self::Break { planned: Some(_), ms, .. } => format!("began its planned break of {}", length(*ms)),
            Self::Break { planned: None, ms, .. } => format!("began a break of {}", length(*ms)),
            Self::BreakEnds => "ended its break".into(),
            Self::Zero { .. } => "saw it run out".into(),
            Self::GoOn { ms } => format!("let it go on with {}", length(*ms)),
            Self::Over => "said that it is over".into(),
            Self::Changed => "was set up otherwise".into(),
            Self::Away { from, until, ran } => {
                let away = length(until.signed_duration_since(*from).num_milliseconds());
                let did = if *ran { "ran on" } else { "stood still" };
                format!("noted that the server was away for {away}; it {did}")
            }
        }
    }

    /// Whether it is something that a person did, and may take back.
    #[must_use]
    pub fn is_by_hand(&self) -> bool {
        !matches!(
            self,
            Self::Zero { .. }
                | Self::Away { .. }
                | Self::Changed
                | Self::BreakEnds
                | Self::Break { by_itself: true, .. }
        )
    }

    /// Whether it is what that action would be written as. Actions take seconds.
    pub(super) fn answers(self, action: &str, value: Option<i64>) -> bool {
        let same = |ms: i64| value.is_none_or(|value| value.saturating_mul(1_000) == ms);
        match self {
            Self::Start => action == "start",
            Self::Pause => action == "pause",
            Self::Add { ms } if action == "subtract" => same(ms.saturating_neg()),
            Self::Add { ms } => action == "add" && same(ms),
            Self::Reset => action == "reset",
            Self::Boost { .. } => action == "boost",
            Self::EndBoosts => action == "end_boosts",
            Self::Break { by_itself, .. } => action == "break" && !by_itself,
            Self::GoOn { ms } => action == "go_on" && same(ms),
            Self::Over => action == "over",
            Self::Zero { .. } | Self::Away { .. } | Self::Changed | Self::BreakEnds => false,
        }
    }
}
