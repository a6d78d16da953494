//! The tokens of a look: what each is, where it is set, and what it takes.

use super::choices::{
    ADDEDS, CASES, CELEBRATIONS, DONES, ENTERS, HEADINGS, ICONS, MOTIONS, NO_PICTURE, OPENEDS, PACES, SHIPPED_DRAWING,
    SIDES_WORDS, SOUNDS, TICKS,
};
use super::font::FONTS;
use crate::record::own;
use crate::sentence::{EditError, input};
use serde::{Deserialize, Serialize};

/// The drawers of the bench in which tokens lie.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drawer {
    /// Outline and corners.
    Shape,
    /// Colours.
    Colour,
    /// Font, and how it is set.
    Text,
    /// Room and sides.
    Spacing,
    /// What moves, and what is heard.
    Motion,
    /// What is different for a kind of entry.
    Kinds,
    /// Style that the streamer writes.
    Own,
}

impl Drawer {
    /// All drawers, as they stand in a row.
    pub const ALL: [Self; 7] =
        [Self::Shape, Self::Colour, Self::Text, Self::Spacing, Self::Motion, Self::Kinds, Self::Own];

    /// Its label.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Shape => "Shape",
            Self::Colour => "Colour",
            Self::Text => "Text",
            Self::Spacing => "Spacing",
            Self::Motion => "Motion",
            Self::Kinds => "Kinds",
            Self::Own => "CSS",
        }
    }

    /// Its word in addresses and style sheets.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Shape => "shape",
            Self::Colour => "colour",
            Self::Text => "text",
            Self::Spacing => "spacing",
            Self::Motion => "motion",
            Self::Kinds => "kinds",
            Self::Own => "own",
        }
    }
}

/// One property of a look. Lengths are hundredths of the lettering's size, so that they scale with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Token {
    /// How round corners are.
    #[serde(alias = "radius")]
    CornerRadius,
    /// How thick edges are.
    #[serde(alias = "thickness")]
    BorderWidth,
    /// Colour of lettering.
    #[serde(alias = "ink")]
    TextColour,
    /// Colour of what stands out: values, emphasised words.
    #[serde(alias = "strong")]
    HighlightColour,
    /// Colour of what is full.
    Fill,
    /// Colour of what is still empty.
    #[serde(alias = "empty")]
    Track,
    /// Colour of edges.
    #[serde(alias = "edge")]
    BorderColour,
    /// Colour of what lies behind.
    #[serde(alias = "plate")]
    Background,
    /// How much of the picture the plate hides, in per cent.
    #[serde(alias = "plate_opacity")]
    BackgroundOpacity,
    /// Typeface.
    Font,
    /// How heavy it is.
    #[serde(alias = "weight")]
    FontWeight,
    /// How wide it runs, in per cent.
    #[serde(alias = "width")]
    FontWidth,
    /// Room between letters.
    #[serde(alias = "tracking")]
    LetterSpacing,
    /// As written, or in capitals.
    #[serde(alias = "case")]
    LetterCase,
    /// Size of lettering against the box, in per cent.
    #[serde(alias = "size")]
    FontSize,
    /// How thick the outline of letters is.
    #[serde(alias = "outline")]
    OutlineWidth,
    /// Colour of the outline.
    #[serde(alias = "outline_ink")]
    OutlineColour,
    /// How strong the shadow behind letters is, in per cent.
    Shadow,
    /// Colour into which the strong lettering runs out towards the bottom; that of the lettering for none.
    #[serde(alias = "blend")]
    HighlightLower,
    /// Room between edge and lettering.
    Padding,
    /// Room between lines or pieces.
    Gap,
    /// To which side lettering stands.
    #[serde(alias = "align")]
    Alignment,
    /// Where new lines come in.
    #[serde(alias = "enter")]
    Entrance,
    /// How quick movements are.
    #[serde(alias = "pace")]
    AnimationSpeed,
    /// How fast a tape runs, in lengths of its lettering a second.
    #[serde(alias = "speed")]
    ScrollSpeed,
    /// What is done when a goal is reached.
    #[serde(alias = "celebrate")]
    Celebration,
    /// What is heard then.
    #[serde(alias = "sound")]
    CelebrationSound,
    /// How loud, in per cent.
    Volume,
    /// Whether the widget's title stands on the picture.
    #[serde(alias = "heading")]
    ShowTitle,
    /// The sign in front of a line.
    Icon,
    /// What is heard at each of a clock's last ten seconds.
    LastSecondsSound,
    /// What is heard when a clock is done.
    DoneSound,
    /// What is heard when time is added to a clock.
    AddedSound,
    /// What is heard when a poll is opened.
    OpenedSound,
    /// What is heard as a slice of a wheel passes.
    PassingSound,
    /// What is heard with a flourish of a board.
    FlourishSound,
    /// Colour of the shadow behind letters.
    ShadowColour,
    /// How far below the letters it falls.
    ShadowOffset,
    /// How softly it ends.
    ShadowSoftness,
    /// How large signs are, in per cent.
    IconSize,
    /// What lies behind a sign.
    IconPlate,
    /// How much that hides, in per cent; 0 for no plate.
    IconPlateOpacity,
    /// How thick what fills is, in per cent.
    BarThickness,
    /// How much is left of lines that have faded most, in per cent.
    FadedOpacity,
    /// How lines come and go.
    EntryMotion,
    /// A picture on what lies behind.
    BackgroundPicture,
    /// A page of the streamer's own that is shown in place of the drawing.
    OwnDrawing,
    /// How far a part stands to the right of its place; to the left of it below 0.
    MoveAcross,
    /// How far below its place; above it below 0.
    MoveDown,
    /// How much of a part is seen, in per cent.
    Opacity,
    /// Whether a part is there at all.
    Visibility,
}

/// What a token takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// `#rrggbb`.
    Colour,
    /// A whole number from the first to the second, by steps of the third.
    Number(i32, i32, i32),
    /// One of these words.
    Choice(&'static [(&'static str, &'static str)]),
    /// One of [`FONTS`], or one of the streamer's own.
    Font,
    /// One of these words, or a clip of the streamer's own: [`own::OWN`] and the clip's token.
    Clip(Sort, &'static [(&'static str, &'static str)]),
}

/// What a file of the streamer's own is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sort {
    /// Seen, and heard where it has sound.
    Video,
    /// Only heard.
    Sound,
    /// A picture, of a side for instance.
    Picture,
    /// A typeface.
    Font,
    /// A page that draws a widget by itself, in a frame from which nothing else can be reached.
    Page,
}

impl Token {
    /// All tokens, in the order in which they are offered.
    pub const ALL: [Self; 51] = [
        Self::ShowTitle,
        Self::CornerRadius,
        Self::BorderWidth,
        Self::Icon,
        Self::IconSize,
        Self::BarThickness,
        Self::OwnDrawing,
        Self::Visibility,
        Self::TextColour,
        Self::HighlightColour,
        Self::HighlightLower,
        Self::Fill,
        Self::Track,
        Self::BorderColour,
        Self::Background,
        Self::BackgroundOpacity,
        Self::BackgroundPicture,
        Self::OutlineColour,
        Self::ShadowColour,
        Self::IconPlate,
        Self::IconPlateOpacity,
        Self::FadedOpacity,
        Self::Opacity,
        Self::Font,
        Self::FontWeight,
        Self::FontWidth,
        Self::FontSize,
        Self::LetterSpacing,
        Self::LetterCase,
        Self::OutlineWidth,
        Self::Shadow,
        Self::ShadowOffset,
        Self::ShadowSoftness,
        Self::Padding,
        Self::Gap,
        Self::Alignment,
        Self::MoveAcross,
        Self::MoveDown,
        Self::EntryMotion,
        Self::Entrance,
        Self::AnimationSpeed,
        Self::ScrollSpeed,
        Self::Celebration,
        Self::CelebrationSound,
        Self::LastSecondsSound,
        Self::DoneSound,
        Self::AddedSound,
        Self::OpenedSound,
        Self::PassingSound,
        Self::FlourishSound,
        Self::Volume,
    ];

    /// Its word, its label, the drawer in which it lies, and what it takes.
    #[must_use]
    pub fn about(self) -> (&'static str, &'static str, Drawer, Form) {
        use Drawer::{Colour, Motion, Shape, Spacing, Text};
        use Form::{Choice, Clip, Number};
        match self {
            Self::CornerRadius => ("corner_radius", "Corner radius", Shape, Number(0, 100, 5)),
            Self::ShowTitle => ("show_title", "Title", Shape, Choice(HEADINGS)),
            Self::Icon => ("icon", "Icon", Shape, Choice(ICONS)),
            Self::BorderWidth => ("border_width", "Border width", Shape, Number(0, 40, 2)),
            Self::TextColour => ("text_colour", "Text colour", Colour, Form::Colour),
            Self::HighlightColour => ("highlight_colour", "Highlight", Colour, Form::Colour),
            Self::HighlightLower => ("highlight_lower", "Highlight, lower colour", Colour, Form::Colour),
            Self::Fill => ("fill", "Fill", Colour, Form::Colour),
            Self::Track => ("track", "Track", Colour, Form::Colour),
            Self::BorderColour => ("border_colour", "Border colour", Colour, Form::Colour),
            Self::Background => ("background", "Background", Colour, Form::Colour),
            Self::BackgroundOpacity => ("background_opacity", "Background opacity", Colour, Number(0, 100, 5)),
            Self::OutlineColour => ("outline_colour", "Outline colour", Colour, Form::Colour),
            Self::Font => ("font", "Font", Text, Form::Font),
            Self::FontWeight => ("font_weight", "Font weight", Text, Number(300, 900, 50)),
            Self::FontWidth => ("font_width", "Font width", Text, Number(75, 100, 5)),
            Self::FontSize => ("font_size", "Font size", Text, Number(60, 140, 5)),
            Self::LetterSpacing => ("letter_spacing", "Letter spacing", Text, Number(-5, 30, 1)),
            Self::LetterCase => ("letter_case", "Capitals", Text, Choice(CASES)),
            Self::OutlineWidth => ("outline_width", "Outline width", Text, Number(0, 30, 1)),
            Self::Shadow => ("shadow", "Shadow", Text, Number(0, 100, 5)),
            Self::ShadowOffset => ("shadow_offset", "Shadow offset", Text, Number(0, 40, 1)),
            Self::ShadowSoftness => ("shadow_softness", "Shadow softness", Text, Number(0, 60, 1)),
            Self::ShadowColour => ("shadow_colour", "Shadow colour", Colour, Form::Colour),
            Self::IconSize => ("icon_size", "Icon size", Shape, Number(50, 200, 5)),
            Self::IconPlate => ("icon_plate", "Icon’s plate", Colour, Form::Colour),
            Self::IconPlateOpacity => ("icon_plate_opacity", "Icon’s plate opacity", Colour, Number(0, 100, 5)),
            Self::BarThickness => ("bar_thickness", "Bar thickness", Shape, Number(30, 200, 5)),
            Self::FadedOpacity => ("faded_opacity", "Opacity of faded lines", Colour, Number(0, 100, 2)),
            Self::EntryMotion => ("entry_motion", "Lines come and go", Motion, Choice(MOTIONS)),
            Self::BackgroundPicture => {
                ("background_picture", "Background picture", Colour, Clip(Sort::Picture, NO_PICTURE))
            }
            Self::OwnDrawing => ("own_drawing", "Drawing", Shape, Clip(Sort::Page, SHIPPED_DRAWING)),
            Self::MoveAcross => ("move_across", "Move right", Spacing, Number(-400, 400, 2)),
            Self::MoveDown => ("move_down", "Move down", Spacing, Number(-400, 400, 2)),
            Self::Opacity => ("opacity", "Opacity", Colour, Number(0, 100, 5)),
            Self::Visibility => ("visibility", "Visibility", Shape, Choice(HEADINGS)),
            Self::Padding => ("padding", "Padding", Spacing, Number(0, 150, 5)),
            Self::Gap => ("gap", "Gap", Spacing, Number(0, 150, 5)),
            Self::Alignment => ("alignment", "Alignment", Spacing, Choice(SIDES_WORDS)),
            Self::Entrance => ("entrance", "New lines come", Motion, Choice(ENTERS)),
            Self::AnimationSpeed => ("animation_speed", "Animation speed", Motion, Choice(PACES)),
            Self::ScrollSpeed => ("scroll_speed", "Scroll speed", Motion, Number(1, 20, 1)),
            Self::Celebration => ("celebration", "Celebration", Motion, Clip(Sort::Video, CELEBRATIONS)),
            Self::CelebrationSound => ("celebration_sound", "Celebration sound", Motion, Clip(Sort::Sound, SOUNDS)),
            Self::LastSecondsSound => ("last_seconds_sound", "Sound of the last ten seconds", Motion, Choice(TICKS)),
            Self::DoneSound => ("done_sound", "Sound when it is done", Motion, Choice(DONES)),
            Self::AddedSound => ("added_sound", "Sound when time is added", Motion, Choice(ADDEDS)),
            Self::PassingSound => ("passing_sound", "Sound as slices pass", Motion, Choice(TICKS)),
            Self::FlourishSound => ("flourish_sound", "Sound of a flourish", Motion, Choice(SOUNDS)),
            Self::OpenedSound => ("opened_sound", "Sound when it is opened", Motion, Choice(OPENEDS)),
            Self::Volume => ("volume", "Volume", Motion, Number(0, 100, 5)),
        }
    }

    /// Whether it says something of a part alone, and nothing of a whole widget or a look.
    #[must_use]
    pub fn is_of_parts(self) -> bool {
        matches!(self, Self::MoveAcross | Self::MoveDown | Self::Opacity | Self::Visibility)
    }

    /// The word for definitions, forms and style sheets.
    #[must_use]
    pub fn key(self) -> &'static str {
        self.about().0
    }

    /// The token of that word.
    #[must_use]
    pub fn of_key(key: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|token| token.key() == key)
    }

    /// Reads a value.
    ///
    /// # Errors
    /// A value that it does not take.
    pub fn read(self, text: &str) -> Result<String, EditError> {
        const NONE_OF_THEM: &str = "is none of the choices offered; pick one from the list";
        let (_, label, _, form) = self.about();
        let input = input(label, text);
        match form {
            Form::Colour => {
                let digits = text.trim().strip_prefix('#').filter(|digits| digits.len() == 6);
                let hex = digits.filter(|digits| digits.bytes().all(|byte| byte.is_ascii_hexdigit()));
                hex.map(|hex| format!("#{}", hex.to_ascii_lowercase()))
                    .ok_or_else(|| input.refuse("must be a colour such as #e2a62b"))
            }
            Form::Number(from, to, _) => input.whole(from.into(), to.into()).map(|number| number.to_string()),
            Form::Choice(words) => words
                .iter()
                .find(|(key, _)| *key == text)
                .map(|(key, _)| (*key).to_owned())
                .ok_or_else(|| input.refuse(NONE_OF_THEM)),
            Form::Clip(_, words) => {
                let known = words.iter().any(|(key, _)| *key == text) || own::token(text).is_some();
                known.then(|| text.to_owned()).ok_or_else(|| input.refuse(NONE_OF_THEM))
            }
            Form::Font => {
                let known = FONTS.iter().any(|font| font.key == text) || own::token(text).is_some();
                known.then(|| text.to_owned()).ok_or_else(|| input.refuse(NONE_OF_THEM))
            }
        }
    }
}
