//! The tokens of a look: what each is, where it is set, and what it takes.

use super::font::FONTS;
use crate::sentence::{EditError, input};
use serde::{Deserialize, Serialize};

/// The drawers of the bench in which tokens lie.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drawer {
    /// Outline and corners.
    Shape,
    /// Colours.
    Colour,
    /// Typeface and what is done with it.
    Lettering,
    /// Room and sides.
    Spacing,
    /// What moves, and what is heard.
    Motion,
    /// What is different for a kind of entry.
    Kinds,
}

impl Drawer {
    /// All drawers, as they stand in a row.
    pub const ALL: [Self; 6] = [Self::Shape, Self::Colour, Self::Lettering, Self::Spacing, Self::Motion, Self::Kinds];

    /// Its label.
    #[must_use]
    pub fn words(self) -> &'static str {
        match self {
            Self::Shape => "Shape",
            Self::Colour => "Colour",
            Self::Lettering => "Lettering",
            Self::Spacing => "Spacing",
            Self::Motion => "Motion",
            Self::Kinds => "Kinds",
        }
    }

    /// Its word in addresses and style sheets.
    #[must_use]
    pub fn key(self) -> &'static str {
        match self {
            Self::Shape => "shape",
            Self::Colour => "colour",
            Self::Lettering => "lettering",
            Self::Spacing => "spacing",
            Self::Motion => "motion",
            Self::Kinds => "kinds",
        }
    }
}

/// One property of a look. Lengths are hundredths of the lettering's size, so that they scale with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Token {
    /// How round corners are.
    Radius,
    /// How thick edges are.
    Thickness,
    /// Colour of lettering.
    Ink,
    /// Colour of what stands out: values, emphasised words.
    Strong,
    /// Colour of what is full.
    Fill,
    /// Colour of what is still empty.
    Empty,
    /// Colour of edges.
    Edge,
    /// Colour of what lies behind.
    Plate,
    /// How much of the picture the plate hides, in per cent.
    PlateOpacity,
    /// Typeface.
    Font,
    /// How heavy it is.
    Weight,
    /// How wide it runs, in per cent.
    Width,
    /// Room between letters.
    Tracking,
    /// As written, or in capitals.
    Case,
    /// Size of lettering against the box, in per cent.
    Size,
    /// How thick the outline of letters is.
    Outline,
    /// Colour of the outline.
    OutlineInk,
    /// How strong the shadow behind letters is, in per cent.
    Shadow,
    /// Colour into which the strong lettering runs out towards the bottom; that of the lettering for none.
    Blend,
    /// Room between edge and lettering.
    Padding,
    /// Room between lines or pieces.
    Gap,
    /// To which side lettering stands.
    Align,
    /// Where new lines come in.
    Enter,
    /// How quick movements are.
    Pace,
    /// How fast a tape runs, in lengths of its lettering a second.
    Speed,
    /// What is done when a goal is reached.
    Celebrate,
    /// What is heard then.
    Sound,
    /// How loud, in per cent.
    Volume,
    /// Whether the widget's title stands on the picture.
    Heading,
    /// The sign in front of a line.
    Icon,
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
    /// One of [`FONTS`].
    Font,
    /// One of these words, or a clip of the streamer's own: [`OWN`] and the clip's token.
    Clip(Sort, &'static [(&'static str, &'static str)]),
}

/// Whether a clip is seen or only heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sort {
    /// Seen, and heard where it has sound.
    Video,
    /// Only heard.
    Sound,
}

/// What stands in front of the token of a clip of the streamer's own.
pub const OWN: &str = "own-";

/// Lettering.
pub const TEXT: &[Token] = &[
    Token::Ink,
    Token::Strong,
    Token::Font,
    Token::Weight,
    Token::Width,
    Token::Tracking,
    Token::Case,
    Token::Size,
    Token::Outline,
    Token::OutlineInk,
    Token::Shadow,
    Token::Blend,
];
/// A plate behind it.
pub const PLATE: &[Token] =
    &[Token::Plate, Token::PlateOpacity, Token::Edge, Token::Radius, Token::Thickness, Token::Padding];
/// Something that fills.
pub const BAR: &[Token] = &[Token::Fill, Token::Empty, Token::Pace];
/// Edges without a plate.
pub const EDGE: &[Token] = &[Token::Edge, Token::Thickness];
/// Lettering that stands to a side.
pub const SIDES: &[Token] = &[Token::Align];
/// Several lines or pieces.
pub const LINES: &[Token] = &[Token::Gap, Token::Pace, Token::Fill];
/// Lines that come in from somewhere.
pub const ENTERING: &[Token] = &[Token::Enter, Token::Align];
/// A tape.
pub const TAPE: &[Token] = &[Token::Speed, Token::Gap, Token::Fill];
/// A title above the rest.
pub const TITLED: &[Token] = &[Token::Heading];
/// Signs in front of lines.
pub const SIGNS: &[Token] = &[Token::Icon];
/// Something to celebrate.
pub const FEAST: &[Token] = &[Token::Celebrate, Token::Sound, Token::Volume];

const CASES: &[(&str, &str)] = &[("written", "As written"), ("upper", "CAPITALS"), ("small", "Small capitals")];
const SIDES_WORDS: &[(&str, &str)] = &[("left", "Left"), ("centre", "Middle"), ("right", "Right")];
const ENTERS: &[(&str, &str)] =
    &[("top", "From above"), ("bottom", "From below"), ("left", "From the left"), ("right", "From the right")];
const PACES: &[(&str, &str)] = &[("still", "Nothing moves"), ("brisk", "Brisk"), ("calm", "Calm"), ("slow", "Slow")];
const FEASTS: &[(&str, &str)] =
    &[("none", "Nothing"), ("bunting", "Bunting falls"), ("lamps", "Lamps light up"), ("steam", "A whistle of steam")];
const SOUNDS: &[(&str, &str)] =
    &[("none", "Nothing"), ("bell", "Station bell"), ("whistle", "Guard’s whistle"), ("chime", "Three chimes")];

const HEADINGS: &[(&str, &str)] = &[("shown", "Shown"), ("hidden", "Hidden")];
const ICONS: &[(&str, &str)] = &[
    ("own", "That of its kind"),
    ("none", "None"),
    ("lamp", "Lamp"),
    ("ticket", "Ticket"),
    ("parcel", "Parcel"),
    ("coin", "Coin"),
    ("whistle", "Whistle"),
    ("wheels", "Wheels"),
    ("bell", "Bell"),
    ("cup", "Cup"),
    ("pennant", "Pennant"),
    ("star", "Star"),
];

impl Token {
    /// All tokens, in the order in which they are offered.
    pub const ALL: [Self; 30] = [
        Self::Heading,
        Self::Radius,
        Self::Thickness,
        Self::Icon,
        Self::Ink,
        Self::Strong,
        Self::Blend,
        Self::Fill,
        Self::Empty,
        Self::Edge,
        Self::Plate,
        Self::PlateOpacity,
        Self::OutlineInk,
        Self::Font,
        Self::Weight,
        Self::Width,
        Self::Size,
        Self::Tracking,
        Self::Case,
        Self::Outline,
        Self::Shadow,
        Self::Padding,
        Self::Gap,
        Self::Align,
        Self::Enter,
        Self::Pace,
        Self::Speed,
        Self::Celebrate,
        Self::Sound,
        Self::Volume,
    ];

    /// Its word, its label, the drawer in which it lies, and what it takes.
    #[must_use]
    pub fn about(self) -> (&'static str, &'static str, Drawer, Form) {
        use Drawer::{Colour, Lettering, Motion, Shape, Spacing};
        use Form::{Choice, Clip, Number};
        match self {
            Self::Radius => ("radius", "The roundness", Shape, Number(0, 100, 5)),
            Self::Heading => ("heading", "The title", Shape, Choice(HEADINGS)),
            Self::Icon => ("icon", "The sign", Shape, Choice(ICONS)),
            Self::Thickness => ("thickness", "The edge’s thickness", Shape, Number(0, 40, 2)),
            Self::Ink => ("ink", "The lettering", Colour, Form::Colour),
            Self::Strong => ("strong", "What stands out", Colour, Form::Colour),
            Self::Blend => ("blend", "What stands out, at its foot", Colour, Form::Colour),
            Self::Fill => ("fill", "What is full", Colour, Form::Colour),
            Self::Empty => ("empty", "What is empty", Colour, Form::Colour),
            Self::Edge => ("edge", "The edge", Colour, Form::Colour),
            Self::Plate => ("plate", "The plate", Colour, Form::Colour),
            Self::PlateOpacity => ("plate_opacity", "The plate’s cover", Colour, Number(0, 100, 5)),
            Self::OutlineInk => ("outline_ink", "The outline", Colour, Form::Colour),
            Self::Font => ("font", "The typeface", Lettering, Form::Font),
            Self::Weight => ("weight", "The weight", Lettering, Number(300, 900, 50)),
            Self::Width => ("width", "The width", Lettering, Number(75, 100, 5)),
            Self::Size => ("size", "The size", Lettering, Number(60, 140, 5)),
            Self::Tracking => ("tracking", "The room between letters", Lettering, Number(-5, 30, 1)),
            Self::Case => ("case", "The case", Lettering, Choice(CASES)),
            Self::Outline => ("outline", "The outline’s thickness", Lettering, Number(0, 30, 1)),
            Self::Shadow => ("shadow", "The shadow", Lettering, Number(0, 100, 5)),
            Self::Padding => ("padding", "The room inside", Spacing, Number(0, 150, 5)),
            Self::Gap => ("gap", "The room between", Spacing, Number(0, 150, 5)),
            Self::Align => ("align", "The side", Spacing, Choice(SIDES_WORDS)),
            Self::Enter => ("enter", "Where new ones come in", Motion, Choice(ENTERS)),
            Self::Pace => ("pace", "The pace", Motion, Choice(PACES)),
            Self::Speed => ("speed", "The speed", Motion, Number(1, 20, 1)),
            Self::Celebrate => ("celebrate", "When a goal is reached", Motion, Clip(Sort::Video, FEASTS)),
            Self::Sound => ("sound", "What is heard then", Motion, Clip(Sort::Sound, SOUNDS)),
            Self::Volume => ("volume", "How loud", Motion, Number(0, 100, 5)),
        }
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
                let is_token = |token: &str| {
                    let known = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'-' || byte == b'_';
                    (8..=64).contains(&token.len()) && token.bytes().all(known)
                };
                let known = words.iter().any(|(key, _)| *key == text) || text.strip_prefix(OWN).is_some_and(is_token);
                known.then(|| text.to_owned()).ok_or_else(|| input.refuse(NONE_OF_THEM))
            }
            Form::Font => FONTS
                .iter()
                .find(|font| font.key == text)
                .map(|font| font.key.to_owned())
                .ok_or_else(|| input.refuse(NONE_OF_THEM)),
        }
    }
}
