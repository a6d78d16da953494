//! The five shipped looks.

use super::token::Token;
use serde::{Deserialize, Serialize};

/// A shipped look.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Base {
    /// Enamel plates with thick edges.
    #[default]
    Enamel,
    /// Lines drawn by hand on a smear of slate.
    Chalk,
    /// Soft paper with a stitched edge.
    Linen,
    /// A dark plate and one bright colour.
    Lamp,
    /// Text only.
    Plain,
}

impl Base {
    /// All of them, in the order in which they are offered.
    pub const ALL: [Self; 5] = [Self::Enamel, Self::Chalk, Self::Linen, Self::Lamp, Self::Plain];

    /// Its word in definitions and style sheets.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Enamel => "enamel",
            Self::Chalk => "chalk",
            Self::Linen => "linen",
            Self::Lamp => "lamp",
            Self::Plain => "plain",
        }
    }

    /// Its name and what it is like.
    #[must_use]
    pub fn words(self) -> (&'static str, &'static str) {
        match self {
            Self::Enamel => ("Enamel", "plates with thick edges"),
            Self::Chalk => ("Chalk", "drawn by hand on a smear of slate"),
            Self::Linen => ("Linen", "soft paper, stitched"),
            Self::Lamp => ("Lamp", "dark, one bright colour"),
            Self::Plain => ("Plain", "text only"),
        }
    }

    /// Whether things stand on plates.
    #[must_use]
    pub fn has_plates(self) -> bool {
        !matches!(self, Self::Plain)
    }

    /// The value of a token.
    #[must_use]
    pub fn token(self, token: Token) -> &'static str {
        let by_look = |values: [&'static str; 5]| values[self as usize];
        match token {
            //                           Enamel     Chalk      Linen      Lamp       Plain
            Token::TextColour => by_look(["#1f2329", "#fdfaf0", "#40342a", "#f4efe2", "#ffffff"]),
            Token::HighlightColour => by_look(["#1f2329", "#ffe08a", "#7d2f1d", "#ffc247", "#ffffff"]),
            Token::HighlightLower => by_look(["#1f2329", "#ffe08a", "#7d2f1d", "#ffc247", "#ffffff"]),
            Token::Fill => by_look(["#e2a62b", "#ffe08a", "#a8452f", "#ffb52e", "#ffffff"]),
            Token::Track => by_look(["#eae1cf", "#343a40", "#d6c7a8", "#3a3f47", "#23262b"]),
            Token::BorderColour => by_look(["#1f2329", "#fdfaf0", "#b39c74", "#0b0c0e", "#101214"]),
            Token::Background => by_look(["#fffdf7", "#16181b", "#f1e8d6", "#15181d", "#16181b"]),
            Token::BackgroundOpacity => by_look(["100", "74", "100", "94", "0"]),
            Token::OutlineColour => by_look(["#fffdf7", "#16181b", "#f1e8d6", "#15181d", "#101214"]),
            Token::OutlineWidth => by_look(["0", "8", "0", "0", "14"]),
            Token::Shadow => by_look(["0", "50", "0", "0", "50"]),
            Token::CornerRadius => by_look(["30", "0", "15", "60", "0"]),
            Token::BorderWidth => by_look(["16", "12", "8", "6", "0"]),
            Token::Font => by_look(["bricolage", "neucha", "alegreya", "exo", "inter"]),
            Token::FontWeight => by_look(["700", "400", "700", "700", "800"]),
            Token::FontWidth => "100",
            Token::FontSize => by_look(["100", "110", "105", "100", "100"]),
            Token::LetterSpacing => by_look(["0", "1", "0", "2", "0"]),
            Token::LetterCase => "written",
            Token::Padding => by_look(["60", "60", "70", "70", "20"]),
            Token::Gap => by_look(["30", "30", "30", "25", "20"]),
            Token::Alignment => "left",
            Token::Entrance => "top",
            Token::AnimationSpeed => by_look(["brisk", "calm", "calm", "brisk", "brisk"]),
            Token::ScrollSpeed => "5",
            Token::Celebration => by_look(["bunting", "bunting", "steam", "lamps", "bunting"]),
            Token::CelebrationSound
            | Token::LastSecondsSound
            | Token::DoneSound
            | Token::AddedSound
            | Token::OpenedSound
            | Token::FlourishSound
            | Token::PassingSound => "none",
            Token::Volume => "60",
            Token::ShadowColour => "#000000",
            Token::ShadowOffset => "5",
            Token::ShadowSoftness => "12",
            Token::IconSize | Token::BarThickness | Token::Opacity => "100",
            Token::IconPlate => by_look(["#e2a62b", "#343a40", "#d6c7a8", "#3a3f47", "#23262b"]),
            Token::IconPlateOpacity | Token::MoveAcross | Token::MoveDown => "0",
            Token::FadedOpacity => "22",
            Token::EntryMotion => "slide",
            Token::BackgroundPicture | Token::OwnDrawing => "none",
            Token::ShowTitle | Token::Visibility => "shown",
            Token::Icon => "own",
        }
    }
}
