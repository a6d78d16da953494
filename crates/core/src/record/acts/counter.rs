//! What operators do to counters.

use crate::language::unit::Unit;
use serde::{Deserialize, Serialize};

/// What an operator did to a counter. Numbers are what the press meant when it was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum CounterAct {
    /// Adds, or takes away below zero.
    Add {
        /// How many.
        by: i64,
    },
    /// Puts it to a value.
    Set {
        /// Which.
        to: i64,
    },
    /// Puts it to its start value.
    Reset,
}

impl CounterAct {
    /// `added 1`, `set it to 7`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Add { by } if *by < 0 => format!("took {} away", Unit::Things.show(by.saturating_neg())),
            Self::Add { by } => format!("added {}", Unit::Things.show(*by)),
            Self::Set { to } => format!("set it to {}", Unit::Things.show(*to)),
            Self::Reset => "reset it".into(),
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(self, action: &str, value: Option<i64>) -> bool {
        let same = |number: i64| value.is_none_or(|value| value == number);
        match self {
            Self::Add { by } if by < 0 => action == "subtract" && same(by.saturating_neg()),
            Self::Add { by } => action == "add" && same(by),
            Self::Set { to } => action == "set" && same(to),
            Self::Reset => action == "reset",
        }
    }
}
