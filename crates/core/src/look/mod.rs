//! The look of a widget: which of the shipped looks it uses, in which shape, and what is different.
//!
//! A look is a set of tokens. Five are shipped; each token can be overridden for a widget, and some
//! again for each kind of entry. A page gets the tokens as they come out, so that nothing about a
//! look is said twice.

mod base;
mod choices;
mod contrast;
mod file;
mod font;
mod own;
mod part;
mod token;
pub mod tokens;

pub use base::Base;
pub use choices::{icons, sounds};
pub use contrast::{contrast, warnings};
pub use file::{FileError, from_file, to_file};
pub use font::{FONTS, Font};
pub use own::{LookEdit, LookError, Looks, MOST_LOOKS, OwnLook, Values};
pub use part::Part;
pub use token::{Drawer, Form, Sort, Token};

use crate::language::Language;
use crate::record::happening::Kind;
use crate::sentence::{EditError, input};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What stands in front of the number of a look of one's own, where a look is chosen.
pub const OWN_LOOK: &str = "own:";

/// A shape that a family can be drawn in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shape {
    /// Its word in definitions and style sheets.
    pub key: &'static str,
    /// Its name.
    pub words: &'static str,
    /// The groups of tokens that have an effect on it.
    pub tokens: &'static [&'static [Token]],
    /// The parts that its drawing has.
    pub parts: &'static [Part],
    /// The size at which it looks best in a picture of 1920 by 1080, in pixels.
    pub size: (u32, u32),
}

/// See the module.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Look {
    /// The shipped look that it uses.
    pub base: Base,
    /// The look of the streamer's own that it uses instead, by its number.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub of: Option<u32>,
    #[serde(skip)]
    applied: own::Applied,
    /// One of its family's shapes; the first where it names none of them.
    pub shape: String,
    /// How it writes numbers and money.
    pub language: Language,
    /// What is different from the shipped look.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub own: BTreeMap<Token, String>,
    /// What is different again for a kind of entry.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub kinds: BTreeMap<Kind, BTreeMap<Token, String>>,
    /// What is different again for a part of the drawing.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub parts: BTreeMap<Part, BTreeMap<Token, String>>,
    /// Style of the streamer's own for this widget, as it was written.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub css: String,
}

impl Look {
    /// A shipped look.
    #[must_use]
    pub fn of(base: Base) -> Self {
        Self { base, ..Self::default() }
    }

    /// The shipped look on which all that it says rests.
    #[must_use]
    pub fn base(&self) -> Base {
        self.applied.base().unwrap_or(self.base)
    }

    /// The value of a token.
    #[must_use]
    pub fn get(&self, token: Token) -> &str {
        let own = self.own.get(&token).map(String::as_str);
        own.or_else(|| self.applied.get(token)).unwrap_or_else(|| self.base().token(token))
    }

    /// The value of a token that is a number.
    #[must_use]
    pub fn number(&self, token: Token) -> i32 {
        self.get(token).parse().unwrap_or_default()
    }

    /// The value of a token for a kind of entry, if it is different there.
    #[must_use]
    pub fn for_kind(&self, kind: Kind, token: Token) -> Option<&str> {
        self.kinds.get(&kind)?.get(&token).map(String::as_str)
    }

    /// The value of a token for a part, if it is different there.
    #[must_use]
    pub fn for_part(&self, part: Part, token: Token) -> Option<&str> {
        self.parts.get(&part)?.get(&token).map(String::as_str)
    }

    /// The shape in which a family with these shapes is drawn.
    #[must_use]
    pub fn shape<'a>(&self, shapes: &'a [Shape]) -> Option<&'a Shape> {
        shapes.iter().find(|shape| shape.key == self.shape).or(shapes.first())
    }

    /// The tokens that have an effect on a shape, in the order in which they are offered.
    #[must_use]
    pub fn used(&self, shape: &Shape) -> Vec<Token> {
        let font = Font::of(self.get(Token::Font));
        let has = |token: &Token| match token {
            Token::FontWeight => font.weights.0 < font.weights.1,
            Token::FontWidth => font.width,
            Token::OutlineColour => self.number(Token::OutlineWidth) > 0,
            Token::ShadowColour | Token::ShadowOffset | Token::ShadowSoftness => self.number(Token::Shadow) > 0,
            Token::IconPlate => self.number(Token::IconPlateOpacity) > 0,
            Token::Entrance => self.get(Token::EntryMotion) == "slide",
            Token::BackgroundOpacity
            | Token::Background
            | Token::BorderColour
            | Token::CornerRadius
            | Token::BorderWidth
            | Token::Padding => {
                self.base().has_plates()
                    || self.number(Token::BackgroundOpacity) > 0
                    || *token == Token::BackgroundOpacity
            }
            _ => true,
        };
        Token::ALL
            .into_iter()
            .filter(|token| {
                // Any widget can be drawn by a page of one's own.
                let used = *token == Token::OwnDrawing || shape.tokens.iter().any(|group| group.contains(token));
                used && has(token)
            })
            .collect()
    }

    /// The tokens that can be different for a kind of entry.
    pub const OF_KIND: [Token; 9] = [
        Token::Icon,
        Token::TextColour,
        Token::HighlightColour,
        Token::Background,
        Token::BorderColour,
        Token::Fill,
        Token::Font,
        Token::FontWeight,
        Token::LetterCase,
    ];

    /// The same widget's look with nothing different from a shipped one.
    fn bare(&self, base: Base) -> Self {
        Self { base, shape: self.shape.clone(), language: self.language, ..Self::default() }
    }

    /// Changes one thing. False if there is no such thing in a look.
    ///
    /// # Errors
    /// A value that it does not take.
    pub fn edit(&mut self, key: &str, text: &str, shapes: &[Shape]) -> Result<bool, EditError> {
        const NONE_OF_THEM: &str = "is none of the choices offered; pick one from the list";
        match key {
            "look" => {
                // Trying a look on means seeing it as it is; Undo brings back what was changed.
                *self = match text.strip_prefix(OWN_LOOK).and_then(|id| id.parse().ok()) {
                    Some(id) => Self { of: Some(id), ..self.bare(self.base) },
                    None => self.bare(input("The look", text).choice(&Base::ALL, Base::key)?),
                };
            }
            "shape" => {
                let shape = shapes.iter().find(|shape| shape.key == text);
                shape.ok_or_else(|| input("The shape", text).refuse(NONE_OF_THEM))?.key.clone_into(&mut self.shape);
            }
            "css" => self.css = own_style(text)?,
            "own" => self.own.clear(),
            "language" => self.language = input("The language", text).choice(&Language::ALL, Language::key)?,
            _ => {
                if let Some((part, token)) = key.strip_prefix("part:").and_then(|rest| rest.split_once(':')) {
                    return self.edit_part(part, token, text);
                }
                let (kind, key) = match key.strip_prefix("kind:").and_then(|rest| rest.split_once(':')) {
                    Some((kind, key)) => match Kind::SENT.into_iter().find(|one| one.key() == kind) {
                        Some(kind) => (Some(kind), key),
                        None => return Ok(false),
                    },
                    None => (None, key),
                };
                let known = |token: &Token| match kind {
                    Some(_) => Self::OF_KIND.contains(token),
                    None => !token.is_of_parts(),
                };
                let Some(token) = Token::of_key(key).filter(known) else { return Ok(false) };
                let place = match kind {
                    Some(kind) => self.kinds.entry(kind).or_default(),
                    None => &mut self.own,
                };
                if text.is_empty() {
                    place.remove(&token);
                } else {
                    place.insert(token, token.read(text)?);
                }
                self.kinds.retain(|_, own| !own.is_empty());
            }
        }
        Ok(true)
    }

    /// Changes one thing of a part; an empty text puts it back. False if there is no such thing.
    fn edit_part(&mut self, part: &str, key: &str, text: &str) -> Result<bool, EditError> {
        let Some(part) = Part::of_key(part) else { return Ok(false) };
        if key == "all" {
            self.parts.remove(&part);
            return Ok(true);
        }
        let Some(token) = Token::of_key(key).filter(|token| part.tokens().contains(token)) else { return Ok(false) };
        if text.is_empty() {
            self.parts.entry(part).or_default().remove(&token);
        } else {
            let value = token.read(text)?;
            self.parts.entry(part).or_default().insert(token, value);
        }
        self.parts.retain(|_, own| !own.is_empty());
        Ok(true)
    }
}

/// Most bytes of a style of one's own: it travels with every drawing.
pub const MOST_CSS: usize = 8 * 1024;

/// A style as it is kept. What it says is read where it is drawn.
///
/// # Errors
/// It is too long.
pub fn own_style(text: &str) -> Result<String, EditError> {
    if text.len() > MOST_CSS {
        return Err(input("Your style", "").refuse("has more than 8 KB; leave out what is not used"));
    }
    Ok(text.trim().replace("\r\n", "\n"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SHAPES: [Shape; 2] = [
        Shape {
            key: "rail",
            words: "Rail",
            tokens: &[tokens::TEXT, tokens::PLATE, tokens::BAR],
            parts: &[Part::Title, Part::Bar],
            size: (840, 260),
        },
        Shape { key: "words", words: "Words", tokens: &[tokens::TEXT], parts: &[Part::Title], size: (840, 90) },
    ];

    #[test]
    fn what_is_different_is_kept_apart_from_the_look() {
        let mut look = Look::of(Base::Enamel);
        let plate = look.get(Token::Background).to_owned();
        assert_eq!(look.edit("background", "#ABCDEF", &SHAPES), Ok(true));
        assert_eq!(look.get(Token::Background), "#abcdef");
        assert_eq!(look.edit("kind:tip:text_colour", "#000000", &SHAPES), Ok(true));
        assert_eq!(look.for_kind(Kind::Tip, Token::TextColour), Some("#000000"));
        assert_eq!(look.edit("background", "", &SHAPES), Ok(true));
        assert_eq!(look.get(Token::Background), plate, "as the look has it");
        assert_eq!(look.edit("kind:tip:text_colour", "", &SHAPES), Ok(true));
        assert_eq!(look, Look::of(Base::Enamel));
        look.edit("border_colour", "#ff0000", &SHAPES).unwrap();
        look.edit("look", "linen", &SHAPES).unwrap();
        assert_eq!(look, Look::of(Base::Linen), "a look is tried on as it is shipped");
    }

    #[test]
    fn wrong_values_are_refused_in_words() {
        let mut look = Look::default();
        for (key, text, why) in [
            ("background", "red", "Background must be a colour such as #e2a62b"),
            ("corner_radius", "soft", "Corner radius must be a whole number"),
            ("corner_radius", "101", "Corner radius must lie between"),
            ("font", "wingdings", "Font is none of the choices"),
            ("look", "x", "The look is none of the choices"),
            ("shape", "x", "The shape is none of the choices"),
            ("language", "tlh", "The language is none of the choices"),
            ("celebration", "own-../../etc", "Celebration is none of the choices"),
            ("celebration_sound", "own-", "Celebration sound is none of the choices"),
            ("part:title:font_size", "7", "Font size must lie between"),
            ("css", &"x".repeat(MOST_CSS + 1), "Your style has more than 8 KB"),
        ] {
            assert!(look.edit(key, text, &SHAPES).unwrap_err().to_string().starts_with(why), "{key} {text}");
        }
        assert_eq!(look, Look::default(), "nothing is half changed");
        assert_eq!(look.edit("celebration", "own-Zy9_x-3kQ", &SHAPES), Ok(true));
        assert_eq!(look.get(Token::Celebration), "own-Zy9_x-3kQ", "a clip of one's own");
        assert_eq!(look.edit("target", "5", &SHAPES), Ok(false));
        for unknown in ["kind:gale:text_colour", "part:hat:font", "part:bar:font", "part:title", "move_down"] {
            assert_eq!(look.edit(unknown, "1", &SHAPES), Ok(false), "{unknown}");
        }
    }

    #[test]
    fn a_part_differs_by_itself_and_is_put_back_by_one_press() {
        let mut look = Look::of(Base::Enamel);
        for (key, text) in
            [("part:title:font", "lobster"), ("part:title:move_down", "-12"), ("part:bar:visibility", "hidden")]
        {
            assert_eq!(look.edit(key, text, &SHAPES), Ok(true), "{key}");
        }
        assert_eq!(look.for_part(Part::Title, Token::MoveDown), Some("-12"));
        assert_eq!(look.get(Token::Font), "bricolage", "the rest stays as it was");
        assert_eq!(look.edit("part:title:move_down", "", &SHAPES), Ok(true));
        assert_eq!(look.for_part(Part::Title, Token::MoveDown), None);
        assert_eq!(look.edit("part:title:all", "", &SHAPES), Ok(true));
        assert_eq!(look.edit("part:bar:visibility", "", &SHAPES), Ok(true));
        assert_eq!(look, Look::of(Base::Enamel));
        look.edit("part:title:font", "lobster", &SHAPES).unwrap();
        look.edit("fill", "#000000", &SHAPES).unwrap();
        look.edit("own", "", &SHAPES).unwrap();
        look.edit("part:title:all", "", &SHAPES).unwrap();
        assert_eq!(look, Look::of(Base::Enamel));
    }

    #[test]
    fn only_what_has_an_effect_is_offered() {
        let mut look = Look::of(Base::Enamel);
        let words = look.used(&SHAPES[1]);
        assert!(
            words.contains(&Token::TextColour) && !words.contains(&Token::Fill) && !words.contains(&Token::Background)
        );
        assert!(look.used(&SHAPES[0]).contains(&Token::Fill));
        look.edit("font", "lobster", &SHAPES).unwrap();
        assert!(!look.used(&SHAPES[0]).contains(&Token::FontWeight), "it has one weight");
        assert!(!look.used(&SHAPES[0]).contains(&Token::OutlineColour), "there is no outline");
    }

    #[test]
    fn every_shipped_look_holds_readable_values_for_every_token() {
        for base in Base::ALL {
            for token in Token::ALL {
                let value = base.token(token);
                assert_eq!(token.read(value).as_deref(), Ok(value), "{base:?} {token:?}");
            }
            assert_eq!(warnings(&Look::of(base), &SHAPES[0]), Vec::<String>::new(), "{base:?}");
        }
    }

    proptest! {
        #[test]
        fn whatever_is_typed_a_look_stays_whole(key in "([a-z:_]{0,20}|part:(title|icon|line):[a-z_]{4,12})", text in ".{0,20}") {
            let mut look = Look::of(Base::Chalk);
            let _ = look.edit(&key, &text, &SHAPES);
            for token in Token::ALL {
                prop_assert!(token.read(look.get(token)).is_ok());
            }
            let json = serde_json::to_string(&look).unwrap();
            prop_assert_eq!(serde_json::from_str::<Look>(&json).unwrap(), look);
        }
    }
}
