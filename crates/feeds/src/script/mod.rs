//! Scripted shows: what happens during an evening, from a seed. The same script always plays the
//! same, whoever plays it and however fast.

mod moods;
pub mod people;

pub use moods::Mood;

use chrono::{DateTime, Utc};
use rand::SeedableRng;
use rand::rngs::StdRng;
use serde::Deserialize;
use serde_json::Value;

/// Longest script, in minutes: two days.
const MOST_MINUTES: u32 = 2 * 24 * 60;

/// A script as its TOML file has it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Script {
    /// What it is called.
    pub title: String,
    /// Which of all such evenings.
    pub seed: u64,
    /// How long it lasts.
    pub minutes: u32,
    /// When it happened, for an evening of the past; absent plays it now.
    #[serde(default)]
    pub begins: Option<DateTime<Utc>>,
    /// The moods, one after the other.
    pub stretch: Vec<Stretch>,
}

/// From when on there is a mood.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Stretch {
    /// Minutes since the beginning.
    pub from: u32,
    /// Which.
    pub mood: Mood,
}

/// Why a script cannot be played.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScriptError {
    /// Not such a file.
    #[error("the script cannot be read: {0}")]
    Toml(String),
    /// Too long, or nothing in it.
    #[error("a script lasts from 1 to {MOST_MINUTES} minutes")]
    Length,
    /// The stretches do not begin at 0 or are out of order.
    #[error("the stretches must begin at minute 0, each later than the one before")]
    Order,
}

/// Something that happens.
#[derive(Debug, Clone, PartialEq)]
pub struct Moment {
    /// Milliseconds since the beginning.
    pub at: u64,
    /// What.
    pub what: What,
}

/// What can happen.
#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// An event: its type without `tally.`, and its data.
    Event(&'static str, Value),
    /// A line of chat.
    Chat {
        /// Who says it.
        name: String,
        /// What.
        text: String,
    },
    /// From now on nothing is delivered; or what has been held back is.
    Outage(bool),
}

impl Script {
    /// Reads a script.
    ///
    /// # Errors
    /// See [`ScriptError`].
    pub fn read(text: &str) -> Result<Self, ScriptError> {
        let script: Self = toml::from_str(text).map_err(|error| ScriptError::Toml(error.to_string()))?;
        if !(1..=MOST_MINUTES).contains(&script.minutes) {
            return Err(ScriptError::Length);
        }
        let starts = script.stretch.first().is_some_and(|first| first.from == 0);
        if !starts || !script.stretch.is_sorted_by(|one, next| one.from < next.from) {
            return Err(ScriptError::Order);
        }
        Ok(script)
    }

    /// Everything that happens, in order.
    #[must_use]
    pub fn moments(&self) -> Vec<Moment> {
        let mut random = StdRng::seed_from_u64(self.seed);
        let mut all = Vec::new();
        let ends = self.stretch.iter().skip(1).map(|next| next.from).chain([self.minutes]);
        for (stretch, end) in self.stretch.iter().zip(ends) {
            let (from, to) = (u64::from(stretch.from) * 60_000, u64::from(end.min(self.minutes)) * 60_000);
            stretch.mood.fill(from..to, &mut random, &mut all);
        }
        all.sort_by_key(|moment| moment.at);
        all
    }
}

/// The scripts that come along, by the name of their file.
pub const SHIPPED: [(&str, &str); 7] = [
    ("quiet", include_str!("../../scripts/quiet.toml")),
    ("steady", include_str!("../../scripts/steady.toml")),
    ("raid", include_str!("../../scripts/raid.toml")),
    ("gifts", include_str!("../../scripts/gifts.toml")),
    ("trolls", include_str!("../../scripts/trolls.toml")),
    ("outage", include_str!("../../scripts/outage.toml")),
    ("clock-change", include_str!("../../scripts/clock-change.toml")),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_script_plays_the_same_each_time() {
        for (name, text) in SHIPPED {
            let script = Script::read(text).unwrap();
            let moments = script.moments();
            assert!(moments.len() > 20, "{name}: {}", moments.len());
            assert!(moments.is_sorted_by_key(|moment| moment.at), "{name}");
            assert!(moments.iter().all(|moment| moment.at <= u64::from(script.minutes) * 60_000), "{name}");
            assert_eq!(script.moments(), moments, "{name}");
            assert_ne!(Script { seed: script.seed + 1, ..script }.moments(), moments, "{name}");
        }
    }

    #[test]
    fn what_is_played_is_what_the_contract_takes() {
        use crate::cloudevents::{Mode, parse};
        for (name, text) in SHIPPED {
            for moment in Script::read(text).unwrap().moments() {
                let What::Event(kind, data) = moment.what else { continue };
                let event = serde_json::json!({
                    "specversion": "1.0", "id": "1", "source": "/x", "type": format!("tally.{kind}"), "data": data,
                });
                let read = parse(Mode::Structured, &[], event.to_string().as_bytes(), Utc::now());
                assert!(read.is_ok(), "{name}: {read:?} {event}");
            }
        }
    }

    #[test]
    fn scripts_that_cannot_be_played_say_why() {
        let script = |minutes: u32, stretches: &str| format!("title = 'x'\nseed = 1\nminutes = {minutes}\n{stretches}");
        let quiet = |from: u32| format!("[[stretch]]\nfrom = {from}\nmood = 'quiet'\n");
        assert!(Script::read(&script(5, &quiet(0))).is_ok());
        assert_eq!(Script::read(&script(0, &quiet(0))), Err(ScriptError::Length));
        assert_eq!(Script::read(&script(5, &quiet(1))), Err(ScriptError::Order));
        assert_eq!(Script::read(&script(5, &(quiet(0) + &quiet(0)))), Err(ScriptError::Order));
        assert!(matches!(Script::read(&script(5, "[[stretch]]\nfrom = 0\nmood = 'odd'")), Err(ScriptError::Toml(_))));
        assert!(matches!(Script::read("seed = 1"), Err(ScriptError::Toml(_))));
    }
}
