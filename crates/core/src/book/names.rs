//! Supporters and words, each kept once and known by its place.

use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};

/// The place of nobody in particular.
pub const NOBODY: u32 = 0;

/// Everybody who ever did something on the channel.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Kept", into = "Kept")]
pub struct Names {
    list: Vec<Supporter>,
    places: HashMap<String, u32>,
    /// Of names that are one supporter: which one counts.
    merged: BTreeMap<u32, u32>,
}

/// Somebody.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Supporter {
    /// What identifies them: the platform's identifier, or the name in small letters.
    pub key: String,
    /// The name as last seen.
    pub name: String,
    /// The same in small letters, for comparing.
    pub folded: String,
}

/// What is kept of [`Names`]; the rest follows from it.
#[derive(Serialize, Deserialize)]
struct Kept {
    list: Vec<Supporter>,
    merged: BTreeMap<u32, u32>,
}

impl From<Kept> for Names {
    fn from(kept: Kept) -> Self {
        let places = (1..).zip(&kept.list).map(|(place, one)| (one.key.clone(), place)).collect();
        Self { list: kept.list, places, merged: kept.merged }
    }
}

impl From<Names> for Kept {
    fn from(names: Names) -> Self {
        Self { list: names.list, merged: names.merged }
    }
}

/// What identifies somebody. A platform's identifier outlives a change of name.
#[must_use]
pub fn key(id: Option<&str>, name: &str) -> String {
    match id {
        Some(id) => format!("#{id}"),
        None => name.to_lowercase(),
    }
}

impl Names {
    /// The place of somebody, new if they are.
    pub(super) fn place(&mut self, id: Option<&str>, name: &str) -> u32 {
        let key = key(id, name);
        if let Some(place) = self.places.get(&key) {
            if let Some(known) = self.list.get_mut(*place as usize - 1)
                && known.name != name
            {
                name.clone_into(&mut known.name);
                known.folded = name.to_lowercase();
            }
            return *place;
        }
        self.list.push(Supporter { key: key.clone(), name: name.to_owned(), folded: name.to_lowercase() });
        let place = u32::try_from(self.list.len()).unwrap_or(u32::MAX);
        self.places.insert(key, place);
        place
    }

    /// The place of whoever counts for a place: another one where two names were merged.
    #[must_use]
    pub fn person(&self, place: u32) -> u32 {
        self.merged.get(&place).copied().unwrap_or(place)
    }

    /// Somebody by their place.
    #[must_use]
    pub fn get(&self, place: u32) -> Option<&Supporter> {
        self.list.get((place as usize).checked_sub(1)?)
    }

    /// The place of somebody known by this key.
    #[must_use]
    pub fn find(&self, key: &str) -> Option<u32> {
        self.places.get(key).copied()
    }

    /// The places of all whose present name is this, whatever the case.
    pub fn named<'a>(&'a self, name: &str) -> impl Iterator<Item = u32> + 'a {
        let folded = name.trim().to_lowercase();
        (1..).zip(&self.list).filter(move |(_, one)| one.folded == folded).map(|(place, _)| place)
    }

    /// The places of all whose present name holds a text in small letters.
    pub(super) fn holding<'a>(&'a self, folded: &'a str) -> impl Iterator<Item = u32> + 'a {
        (1..).zip(&self.list).filter(move |(_, one)| one.folded.contains(folded)).map(|(place, _)| place)
    }

    /// Lets `from` count as `into`, or as itself again.
    pub(super) fn merge(&mut self, from: &str, into: Option<&str>) -> bool {
        let Some(from) = self.find(from) else { return false };
        match into {
            None => self.merged.remove(&from).is_some(),
            Some(into) => {
                let Some(into) = self.find(into).map(|into| self.person(into)) else { return false };
                if into == from {
                    return false;
                }
                // Whoever counted as `from` counts as `into` too, so that one look is enough.
                for target in self.merged.values_mut().filter(|target| **target == from) {
                    *target = into;
                }
                self.merged.insert(from, into);
                true
            }
        }
    }
}

/// Words such as the names of rewards and levels.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Vec<String>", into = "Vec<String>")]
pub struct Words {
    list: Vec<String>,
    places: HashMap<String, u32>,
}

impl From<Vec<String>> for Words {
    fn from(list: Vec<String>) -> Self {
        let places = (1..).zip(&list).map(|(place, word)| (word.clone(), place)).collect();
        Self { list, places }
    }
}

impl From<Words> for Vec<String> {
    fn from(words: Words) -> Self {
        words.list
    }
}

impl Words {
    pub(super) fn place(&mut self, word: &str) -> u32 {
        if let Some(place) = self.places.get(word) {
            return *place;
        }
        self.list.push(word.to_owned());
        let place = u32::try_from(self.list.len()).unwrap_or(u32::MAX);
        self.places.insert(word.to_owned(), place);
        place
    }

    /// The place of a word; none if it was never seen.
    #[must_use]
    pub fn find(&self, word: &str) -> Option<u32> {
        self.places.get(word).copied()
    }

    /// The word at a place.
    #[must_use]
    pub fn get(&self, place: u32) -> Option<&str> {
        self.list.get((place as usize).checked_sub(1)?).map(String::as_str)
    }
}
