//! Three words that can be said over a room: which there are, how they are read, and how they are kept.
//!
//! There are 2,048 words (`spoken.txt`), so three of them are one of 2³³ choices. That is too few to be kept as a plain
//! digest, and enough for a door that lets a peer try ten times a minute, for words that open it for an hour: see
//! decision 0038.

use hmac::{Hmac, Mac};
use rand::Rng;
use sha2::Sha256;
use std::collections::HashMap;
use std::sync::LazyLock;

/// All words, in their order. No two begin with the same four letters.
static WORDS: LazyLock<Vec<&'static str>> = LazyLock::new(|| include_str!("spoken.txt").lines().collect());

/// Each by its first four letters.
static BEGINNINGS: LazyLock<HashMap<&'static str, &'static str>> =
    LazyLock::new(|| WORDS.iter().map(|word| (&word[..BEGINNING], *word)).collect());

/// So many letters tell a word from all others.
const BEGINNING: usize = 4;
/// Longest line that is read.
const LONGEST: usize = 100;

/// Three words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Spoken([&'static str; 3]);

impl std::fmt::Display for Spoken {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0.join("-"))
    }
}

impl Spoken {
    /// Three words from a source of randomness.
    #[must_use]
    pub fn choose(random: &mut impl Rng) -> Self {
        Self([(); 3].map(|()| WORDS[random.random_range(0..WORDS.len())]))
    }

    /// What somebody has typed. A word may be cut short behind its first four letters, whatever follows those.
    #[must_use]
    pub fn read(typed: &str) -> Option<Self> {
        if typed.len() > LONGEST {
            return None;
        }
        let typed = typed.to_lowercase();
        let mut words = typed.split(|letter: char| !letter.is_ascii_alphabetic()).filter(|word| !word.is_empty());
        let mut next = || BEGINNINGS.get(words.next()?.get(..BEGINNING)?).copied();
        let read = Self([next()?, next()?, next()?]);
        words.next().is_none().then_some(read)
    }

    /// How they are kept: under a key of the server's, which is not in the database.
    #[must_use]
    pub fn sealed(&self, key: &[u8; 32]) -> Vec<u8> {
        // A key of any length will do for HMAC.
        let Ok(mut seal) = Hmac::<Sha256>::new_from_slice(key) else { return Vec::new() };
        seal.update(self.to_string().as_bytes());
        seal.finalize().into_bytes().to_vec()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::collections::BTreeSet;

    #[test]
    fn there_are_two_thousand_words_told_apart_by_four_letters() {
        assert_eq!(WORDS.len(), 2_048);
        assert_eq!(BEGINNINGS.len(), WORDS.len());
        assert!(WORDS.is_sorted());
        let plain = |word: &&str| (4..=7).contains(&word.len()) && word.bytes().all(|byte| byte.is_ascii_lowercase());
        assert!(WORDS.iter().all(plain));
    }

    #[test]
    fn words_are_read_however_they_are_typed() {
        let words = Spoken(["amber", "otter", "kettle"]);
        for typed in ["amber-otter-kettle", "  Amber, OTTER kettle. ", "ambe otte kett", "ambers/otters/kettles"] {
            assert_eq!(Spoken::read(typed), Some(words), "{typed}");
        }
        let long = "amber ".repeat(40);
        for typed in
            ["", "amber", "amber-otter", "amber-otter-kettle-tea", "amb-otter-kettle", "åmber otter kettle", &long]
        {
            assert_eq!(Spoken::read(typed), None, "{typed}");
        }
    }

    #[test]
    fn they_are_kept_under_a_key() {
        let words = Spoken::read("amber otter kettle").unwrap();
        assert_eq!(words.sealed(&[1; 32]).len(), 32);
        assert_ne!(words.sealed(&[1; 32]), words.sealed(&[2; 32]));
        assert_ne!(words.sealed(&[1; 32]), Spoken::read("otter amber kettle").unwrap().sealed(&[1; 32]));
    }

    proptest! {
        #[test]
        fn what_is_chosen_is_read_back_and_nothing_typed_brings_it_down(seed in any::<u64>(), typed in ".{0,120}") {
            use rand::SeedableRng;
            let mut random = rand::rngs::StdRng::seed_from_u64(seed);
            let chosen = Spoken::choose(&mut random);
            prop_assert_eq!(Spoken::read(&chosen.to_string()), Some(chosen));
            let _ = Spoken::read(&typed);
        }

        #[test]
        fn all_words_are_chosen_alike(seed in any::<u64>()) {
            use rand::SeedableRng;
            let mut random = rand::rngs::StdRng::seed_from_u64(seed);
            let drawn: BTreeSet<&str> = (0..4_000).flat_map(|_| Spoken::choose(&mut random).0).collect();
            // Of 12,000 drawn, six words or so are left out by chance.
            prop_assert!(drawn.len() > 2_000, "{}", drawn.len());
        }
    }
}
