//! The groups of tokens that shapes use: what can be set of a drawing that has such things.

use super::Token;

/// Lettering.
pub const TEXT: &[Token] = &[
    Token::TextColour,
    Token::HighlightColour,
    Token::Font,
    Token::FontWeight,
    Token::FontWidth,
    Token::LetterSpacing,
    Token::LetterCase,
    Token::FontSize,
    Token::OutlineWidth,
    Token::OutlineColour,
    Token::Shadow,
    Token::ShadowColour,
    Token::ShadowOffset,
    Token::ShadowSoftness,
    Token::HighlightLower,
];
/// A plate behind it.
pub const PLATE: &[Token] = &[
    Token::Background,
    Token::BackgroundOpacity,
    Token::BackgroundPicture,
    Token::BorderColour,
    Token::CornerRadius,
    Token::BorderWidth,
    Token::Padding,
];
/// Something that fills.
pub const BAR: &[Token] = &[Token::Fill, Token::Track, Token::BarThickness, Token::AnimationSpeed];
/// Edges without a plate.
pub const EDGE: &[Token] = &[Token::BorderColour, Token::BorderWidth];
/// Lettering that stands to a side.
pub const SIDES: &[Token] = &[Token::Alignment];
/// Several lines or pieces.
pub const LINES: &[Token] = &[Token::Gap, Token::AnimationSpeed, Token::Fill];
/// Lines that come in from somewhere.
pub const ENTERING: &[Token] = &[Token::EntryMotion, Token::Entrance, Token::Alignment];
/// Lines that fade with their age.
pub const FADING: &[Token] = &[Token::FadedOpacity];
/// A tape.
pub const TAPE: &[Token] = &[Token::ScrollSpeed, Token::Gap, Token::Fill];
/// A title above the rest.
pub const TITLED: &[Token] = &[Token::ShowTitle];
/// Signs in front of lines.
pub const SIGNS: &[Token] = &[Token::Icon, Token::IconSize, Token::IconPlate, Token::IconPlateOpacity];
/// Something to celebrate.
pub const CELEBRATION: &[Token] = &[Token::Celebration, Token::CelebrationSound, Token::Volume];

/// What is heard of a clock.
pub const CLOCK_SOUNDS: &[Token] = &[Token::LastSecondsSound, Token::DoneSound, Token::Volume];
/// What is heard of a wheel: each slice that passes, and when it comes to rest.
pub const WHEEL_SOUNDS: &[Token] = &[Token::PassingSound, Token::DoneSound, Token::Volume];
/// What is heard of a board: its flourish.
pub const BOARD_SOUNDS: &[Token] = &[Token::FlourishSound, Token::Volume];
/// What is heard of a poll.
pub const POLL_SOUNDS: &[Token] = &[Token::OpenedSound, Token::DoneSound, Token::Volume];
/// What is heard of a clock to which time is added.
pub const ADDED_SOUNDS: &[Token] = &[Token::AddedSound];
