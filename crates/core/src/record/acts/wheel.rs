//! What operators, and the wheel by itself, do to wheels.

use crate::record::acts::poll::Which;
use crate::record::ids::Seq;
use serde::{Deserialize, Serialize};

/// 32 bytes: the seed of a spin, or the SHA-256 of one, by which it is known beforehand. Written as hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Bytes32(pub [u8; 32]);

impl std::fmt::Display for Bytes32 {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
    }
}

impl From<Bytes32> for String {
    fn from(bytes: Bytes32) -> Self {
        bytes.to_string()
    }
}

impl TryFrom<String> for Bytes32 {
    type Error = &'static str;
    fn try_from(text: String) -> Result<Self, Self::Error> {
        let mut bytes = [0; 32];
        if text.len() != 64 || !text.is_ascii() {
            return Err("is not 64 hexadecimal digits");
        }
        for (byte, digits) in bytes.iter_mut().zip(text.as_bytes().chunks(2)) {
            let digits = std::str::from_utf8(digits).map_err(|_| "is not 64 hexadecimal digits")?;
            *byte = u8::from_str_radix(digits, 16).map_err(|_| "is not 64 hexadecimal digits")?;
        }
        Ok(Self(bytes))
    }
}

/// What can be drawn, and with which weight. Written as a list, since there may be thousands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "(String, u32)", into = "(String, u32)")]
pub struct Slice {
    /// Its words.
    pub text: String,
    /// Its weight: its chance is this over all weights.
    pub weight: u32,
}

impl From<(String, u32)> for Slice {
    fn from((text, weight): (String, u32)) -> Self {
        Self { text, weight }
    }
}

impl From<Slice> for (String, u32) {
    fn from(slice: Slice) -> Self {
        (slice.text, slice.weight)
    }
}

/// All weights of a list together.
#[must_use]
pub fn total(slices: &[Slice]) -> u64 {
    slices.iter().fold(0, |sum, slice| sum.saturating_add(slice.weight.into()))
}

/// What becomes of what was drawn.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum AfterWin {
    /// It stays as it is.
    #[default]
    Keep,
    /// It is taken out.
    Remove,
    /// One is taken from its weight.
    TakeOne,
}

/// What was done to a wheel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum WheelAct {
    /// Promises the seed of the next spin: this is its SHA-256 (FIPS 180-4).
    Commit {
        /// The digest.
        commitment: Bytes32,
    },
    /// Spins. Seed and slices decide, and nothing else.
    Spin {
        /// The seed that was promised.
        seed: Bytes32,
        /// What could be drawn, in its order.
        slices: Vec<Slice>,
        /// For how many milliseconds it turns.
        turn_ms: u32,
        /// What becomes of what is drawn.
        after: AfterWin,
        /// The poll between whose tied options it decides.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        tie: Option<Which>,
        /// The line by which this spin was asked for, if it had to wait.
        #[serde(skip_serializing_if = "Option::is_none", default)]
        asked: Option<Seq>,
    },
    /// Asks for a spin while another one is under way.
    Queue,
    /// Forgets the spins that wait.
    Unqueue,
    /// Lets viewers enter from now on.
    OpenPot,
    /// Lets nobody enter any more.
    ClosePot,
    /// Takes everybody out.
    EmptyPot,
    /// Puts what was drawn last back.
    PutBack {
        /// What that was.
        text: String,
    },
    /// Puts all back that was drawn.
    PutAllBack,
}

impl WheelAct {
    /// `spun it`, `let viewers enter`.
    #[must_use]
    pub fn words(&self) -> String {
        match self {
            Self::Commit { commitment } => {
                let digits: String = commitment.to_string().chars().take(12).collect();
                format!("sealed the next spin, {digits}…")
            }
            Self::Spin { tie: Some(_), slices, .. } => format!("spun it to settle a tie of {}", slices.len()),
            Self::Spin { slices, .. } if slices.len() == 1 => "spun it with one slice".into(),
            Self::Spin { slices, .. } => format!("spun it with {} slices", slices.len()),
            Self::Queue => "asked for another spin".into(),
            Self::Unqueue => "forgot the spins that waited".into(),
            Self::OpenPot => "let viewers enter".into(),
            Self::ClosePot => "let nobody enter any more".into(),
            Self::EmptyPot => "emptied the pot".into(),
            Self::PutBack { text } => format!("put “{text}” back"),
            Self::PutAllBack => "put all back that was drawn".into(),
        }
    }

    /// Whether it is what that action would be written as.
    pub(super) fn answers(&self, action: &str) -> bool {
        match self {
            Self::Commit { .. } => false,
            Self::Spin { tie: Some(_), .. } => action == "settle",
            Self::Spin { .. } | Self::Queue => action == "spin",
            Self::Unqueue => action == "unqueue",
            Self::OpenPot => action == "open_pot",
            Self::ClosePot => action == "close_pot",
            Self::EmptyPot => action == "empty_pot",
            Self::PutBack { .. } => action == "put_back",
            Self::PutAllBack => action == "put_all_back",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bytes_are_read_as_they_were_written(bytes in any::<[u8; 32]>(), text in ".{0,70}") {
            let one = Bytes32(bytes);
            prop_assert_eq!(Bytes32::try_from(one.to_string()), Ok(one));
            if let Ok(read) = Bytes32::try_from(text.clone()) {
                prop_assert_eq!(read.to_string(), text.to_lowercase());
            }
        }
    }
}
