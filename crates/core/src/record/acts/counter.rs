//! What operators do to counters.

use crate::language::unit::Unit;
use serde::{Deserialize, Serialize};

/// What an operator did to a counter. Numbers are what the press meant when it was made; `place` says which of
/// several counters of the widget it was, from 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum CounterAct {
    /// Adds, or takes away below zero.
    Add {
        /// How many.
        by: i64,
        /// Of which counter.
        #[serde(default, skip_serializing_if = "is_first")]
        place: u8,
    },
    /// Puts it to a value.
    Set {
        /// Which.
        to: i64,
        /// Of which counter.
        #[serde(default, skip_serializing_if = "is_first")]
        place: u8,
    },
    /// Puts it to its start value.
    Reset {
        /// Of which counter.
        #[serde(default, skip_serializing_if = "is_first")]
        place: u8,
    },
}

#[allow(clippy::trivially_copy_pass_by_ref, reason = "serde asks for it")]
fn is_first(place: &u8) -> bool {
    *place == 0
}

impl CounterAct {
    /// Of which counter it is, from 0.
    #[must_use]
    pub fn place(self) -> u8 {
        match self {
            Self::Add { place, .. } | Self::Set { place, .. } | Self::Reset { place } => place,
        }
    }

    /// `added 1`, `set it to 7`.
    #[must_use]
    pub fn words(&self) -> String {
        let of = match self.place() {
            0 => String::new(),
            place => format!(" (counter {})", u16::from(place).saturating_add(1)),
        };
        match self {
            Self::Add { by, .. } if *by < 0 => format!("took {} away{of}", Unit::Things.show(by.saturating_neg())),
            Self::Add { by, .. } => format!("added {}{of}", Unit::Things.show(*by)),
            Self::Set { to, .. } => format!("set it to {}{of}", Unit::Things.show(*to)),
            Self::Reset { .. } => format!("reset it{of}"),
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(self, action: &str, value: Option<i64>) -> bool {
        let same = |number: i64| value.is_none_or(|value| value == number);
        // Of the second counter and on, actions end in its number.
        let plain = match self.place() {
            0 => Some(action),
            place => action.strip_suffix(&format!("_{}", u16::from(place).saturating_add(1))),
        };
        match self {
            Self::Add { by, .. } if by < 0 => plain == Some("subtract") && same(by.saturating_neg()),
            Self::Add { by, .. } => plain == Some("add") && same(by),
            Self::Set { to, .. } => plain == Some("set") && same(to),
            Self::Reset { .. } => plain == Some("reset"),
        }
    }
}
