//! The typefaces that ship with the application, all under the SIL Open Font License.

/// A typeface.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Font {
    /// Its word in looks.
    pub key: &'static str,
    /// Its name, also in style sheets.
    pub family: &'static str,
    /// Its character.
    pub words: &'static str,
    /// The weights that it has, from and to; the same where there is one.
    pub weights: (i32, i32),
    /// Whether its width can be set.
    pub width: bool,
}

const fn font(key: &'static str, family: &'static str, words: &'static str, weights: (i32, i32)) -> Font {
    Font { key, family, words, weights, width: false }
}

/// All of them, in the order in which they are offered.
pub const FONTS: [Font; 19] = [
    Font { width: true, ..font("bricolage", "Bricolage Grotesque", "sturdy", (300, 800)) },
    font("atkinson", "Atkinson Hyperlegible", "most legible", (400, 700)),
    font("inter", "Inter", "neutral", (300, 900)),
    font("rubik", "Rubik", "soft corners", (300, 900)),
    font("comfortaa", "Comfortaa", "round", (300, 700)),
    font("exo", "Exo 2", "technical", (300, 900)),
    font("oswald", "Oswald", "narrow", (300, 700)),
    font("sofia", "Sofia Sans Extra Condensed", "very narrow", (300, 900)),
    font("unbounded", "Unbounded", "very wide", (300, 900)),
    font("russo", "Russo One", "blocky", (400, 400)),
    font("slab", "Roboto Slab", "slab serifs", (300, 900)),
    font("alegreya", "Alegreya", "bookish", (400, 900)),
    font("playfair", "Playfair Display", "elegant", (400, 900)),
    font("mono", "JetBrains Mono", "typewriter", (300, 800)),
    font("pixel", "Press Start 2P", "pixels", (400, 400)),
    font("caveat", "Caveat", "quick hand", (400, 700)),
    font("neucha", "Neucha", "marker", (400, 400)),
    font("amatic", "Amatic SC", "thin hand", (400, 700)),
    font("lobster", "Lobster", "brush", (400, 400)),
];

impl Font {
    /// The typeface of a word; the first for any other.
    #[must_use]
    pub fn of(key: &str) -> Self {
        FONTS.into_iter().find(|font| font.key == key).unwrap_or(FONTS[0])
    }
}
