//! In what a figure is told, and how it is read and typed.

use crate::money::{Currency, Money, group};

/// In what a measure is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unit {
    /// Minor units of this currency.
    Money(Currency),
    /// Whole things.
    Things,
}

impl Unit {
    /// The number as people read it: `£212.50`, `1,204`.
    #[must_use]
    pub fn show(self, value: i64) -> String {
        match self {
            Self::Money(currency) => Money { minor: value, currency }.to_string(),
            Self::Things if value < 0 => format!("-{}", group(value.unsigned_abs())),
            Self::Things => group(value.unsigned_abs()),
        }
    }

    /// The number as typed into a field: `212.50`, `1204`.
    #[must_use]
    pub fn plain(self, value: i64) -> String {
        match self {
            Self::Money(currency) => {
                let text = Money { minor: value, currency }.to_plain();
                let bare = text.split_once('.').filter(|(_, rest)| rest.bytes().all(|b| b == b'0'));
                bare.map_or(text.clone(), |(whole, _)| whole.to_owned())
            }
            Self::Things => value.to_string(),
        }
    }

    /// Hundredths as a plain decimal: `1.5`.
    #[must_use]
    pub fn plain_hundredths(hundredths: i64) -> String {
        rust_decimal::Decimal::new(hundredths, 2).normalize().to_string()
    }

    /// What stands before a number in a field: `£`, or nothing.
    #[must_use]
    pub fn sign(self) -> String {
        match self {
            Self::Money(currency) => currency.sign().to_owned(),
            Self::Things => String::new(),
        }
    }

    /// How many of the smallest steps make one whole: 100 for pounds, 1 for things.
    #[must_use]
    pub fn whole(self) -> i64 {
        match self {
            Self::Money(currency) => 10_i64.pow(u32::from(currency.decimals())),
            Self::Things => 1,
        }
    }
}
