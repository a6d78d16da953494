//! The parts of a drawing, each of which can look different from the rest.
//!
//! Every drawing marks its parts with the classes of [`Part::class`]. They are promised to stay, since styles of the streamer's
//! own go by them.

use super::Token;
use serde::{Deserialize, Serialize};

/// A part of a drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Part {
    /// The widget's title.
    Title,
    /// A figure, or what is emphasised.
    Value,
    /// What a figure is to reach.
    Target,
    /// How much of it is reached.
    Percentage,
    /// The name of a person, a side or an option.
    Name,
    /// The words around it.
    Words,
    /// The sign in front, with its plate.
    Icon,
    /// What fills.
    Bar,
    /// One of several lines or plates.
    Line,
    /// What is around all of it.
    Frame,
}

/// What lettering takes, whichever part it is.
const LETTERING: &[Token] = &[
    Token::TextColour,
    Token::Font,
    Token::FontWeight,
    Token::FontWidth,
    Token::FontSize,
    Token::LetterSpacing,
    Token::LetterCase,
    Token::OutlineWidth,
    Token::OutlineColour,
    Token::Shadow,
    Token::ShadowColour,
    Token::ShadowOffset,
    Token::ShadowSoftness,
    Token::MoveAcross,
    Token::MoveDown,
    Token::Opacity,
    Token::Visibility,
];

const ICON: &[Token] = &[
    Token::TextColour,
    Token::IconSize,
    Token::IconPlate,
    Token::IconPlateOpacity,
    Token::MoveAcross,
    Token::MoveDown,
    Token::Opacity,
    Token::Visibility,
];

const BAR: &[Token] = &[
    Token::Fill,
    Token::Track,
    Token::BorderColour,
    Token::BarThickness,
    Token::MoveAcross,
    Token::MoveDown,
    Token::Opacity,
    Token::Visibility,
];

const BOX: &[Token] = &[
    Token::Background,
    Token::BackgroundOpacity,
    Token::BackgroundPicture,
    Token::BorderColour,
    Token::BorderWidth,
    Token::CornerRadius,
    Token::MoveAcross,
    Token::MoveDown,
    Token::Opacity,
];

impl Part {
    /// All of them, in the order in which they are offered.
    pub const ALL: [Self; 10] = [
        Self::Title,
        Self::Value,
        Self::Target,
        Self::Percentage,
        Self::Name,
        Self::Words,
        Self::Icon,
        Self::Bar,
        Self::Line,
        Self::Frame,
    ];

    /// Its word in definitions and forms.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Title => "title",
            Self::Value => "value",
            Self::Target => "target",
            Self::Percentage => "percentage",
            Self::Name => "name",
            Self::Words => "words",
            Self::Icon => "icon",
            Self::Bar => "bar",
            Self::Line => "line",
            Self::Frame => "frame",
        }
    }

    /// Its label.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Title => "Title",
            Self::Value => "Value",
            Self::Target => "Target",
            Self::Percentage => "Percentage",
            Self::Name => "Name",
            Self::Words => "Words",
            Self::Icon => "Icon",
            Self::Bar => "Bar",
            Self::Line => "Line",
            Self::Frame => "Frame",
        }
    }

    /// The class that marks it in drawings.
    #[must_use]
    pub fn class(self) -> &'static str {
        match self {
            Self::Title => "part-title",
            Self::Value => "part-value",
            Self::Target => "part-target",
            Self::Percentage => "part-percentage",
            Self::Name => "part-name",
            Self::Words => "part-words",
            Self::Icon => "part-icon",
            Self::Bar => "part-bar",
            Self::Line => "part-line",
            Self::Frame => "part-frame",
        }
    }

    /// The part of that word.
    #[must_use]
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|part| part.key() == key)
    }

    /// What can be different of it.
    #[must_use]
    pub fn tokens(self) -> &'static [Token] {
        match self {
            Self::Title | Self::Value | Self::Target | Self::Percentage | Self::Name | Self::Words => LETTERING,
            Self::Icon => ICON,
            Self::Bar => BAR,
            Self::Line | Self::Frame => BOX,
        }
    }
}
