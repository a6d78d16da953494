//! Words and spellings, each kept once and known by its place.

use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// The place of a word such as the name of a reward or a level.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Word(u32);

/// Texts, each kept once.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Vec<String>", into = "Vec<String>")]
pub struct Words {
    list: Vec<String>,
    places: HashMap<String, u32>,
}

impl From<Vec<String>> for Words {
    fn from(list: Vec<String>) -> Self {
        let places = (0..).zip(&list).map(|(place, word)| (word.clone(), place)).collect();
        Self { list, places }
    }
}

impl From<Words> for Vec<String> {
    fn from(words: Words) -> Self {
        words.list
    }
}

impl Words {
    /// The place of a word, new if it is.
    pub(super) fn place(&mut self, word: &str) -> Word {
        if let Some(place) = self.places.get(word) {
            return Word(*place);
        }
        let place = u32::try_from(self.list.len()).unwrap_or(u32::MAX);
        self.list.push(word.to_owned());
        self.places.insert(word.to_owned(), place);
        Word(place)
    }

    /// The place of a word; none if it was never seen.
    #[must_use]
    pub fn find(&self, word: &str) -> Option<Word> {
        self.places.get(word).copied().map(Word)
    }

    /// The word at a place.
    #[must_use]
    pub fn get(&self, word: Word) -> &str {
        self.list.get(word.0 as usize).map_or("", String::as_str)
    }

    /// The places of all words for which something is true.
    pub(super) fn holding<'a>(&'a self, holds: impl Fn(&str) -> bool + 'a) -> impl Iterator<Item = Word> + 'a {
        (0..).zip(&self.list).filter(move |(_, word)| holds(word)).map(|(place, _)| Word(place))
    }
}
