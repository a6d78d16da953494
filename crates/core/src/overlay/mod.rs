//! Overlays: pages on which widgets and plain pieces are laid out, and whatever can be done to a layout.
//!
//! A layout is edited by [`Edit`]s, each a pure step from one layout to the next, so that undoing is going back to the one
//! before. Lengths are pixels of the board, counted from its left upper corner; pieces stand in the order in which they are
//! painted, the lowest first.

mod appear;
mod arrange;
mod scale;

pub use appear::{Appearances, Chosen};
pub use arrange::{Axis, Edge, Edit, To};
pub use scale::{Fitted, Report, advice, fitted};

use crate::language::text;
use crate::look::{MOST_CSS, icons};
use crate::record::ids::WidgetId;
use serde::{Deserialize, Serialize};

/// Smallest and largest side of a board.
pub const BOARD: std::ops::RangeInclusive<u32> = 16..=8_192;
/// Most pieces of a layout.
pub const MOST_PIECES: usize = 200;
/// Most letters of a piece of text.
pub const MOST_TEXT: usize = 400;
/// Smallest and largest side of a piece.
const SIDE: std::ops::RangeInclusive<u32> = 1..=8_192;

/// How a page shows its layout in a window of another size.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fit {
    /// All of it, as large as there is room.
    #[default]
    Whole,
    /// No edge is left empty; what does not fit is cut.
    Cover,
    /// Pixel for pixel, from the left upper corner.
    Pixels,
}

impl Fit {
    /// All ways.
    pub const ALL: [Self; 3] = [Self::Whole, Self::Cover, Self::Pixels];

    /// Its key, and its words.
    #[must_use]
    pub fn about(self) -> (&'static str, &'static str) {
        match self {
            Self::Whole => ("whole", "show all of it"),
            Self::Cover => ("cover", "fill the window"),
            Self::Pixels => ("pixels", "pixel for pixel"),
        }
    }
}

/// How a piece comes onto the picture when it is shown, and leaves it when it is hidden.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Entrance {
    /// Little by little.
    #[default]
    Fade,
    /// From beyond the nearest edge of the board.
    Slide,
    /// Out of a line in its middle.
    Unfold,
    /// At once.
    Cut,
}

impl Entrance {
    /// All ways.
    pub const ALL: [Self; 4] = [Self::Fade, Self::Slide, Self::Unfold, Self::Cut];

    /// Its key, and its words.
    #[must_use]
    pub fn about(self) -> (&'static str, &'static str) {
        match self {
            Self::Fade => ("fade", "fades"),
            Self::Slide => ("slide", "slides in from the edge"),
            Self::Unfold => ("unfold", "unfolds"),
            Self::Cut => ("cut", "is there at once"),
        }
    }
}

/// Where a piece stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Frame {
    /// From the board's left edge.
    pub x: i32,
    /// From its upper edge.
    pub y: i32,
    /// How wide.
    pub width: u32,
    /// How high.
    pub height: u32,
}

impl Frame {
    /// The edges behind its right and lower ends.
    #[must_use]
    pub fn ends(&self) -> (i64, i64) {
        let end = |from: i32, length: u32| i64::from(from).saturating_add(i64::from(length));
        (end(self.x, self.width), end(self.y, self.height))
    }

    fn fits(&self, board: (u32, u32)) -> bool {
        let (right, bottom) = self.ends();
        let on_board = i64::from(self.x) < i64::from(board.0) && i64::from(self.y) < i64::from(board.1);
        SIDE.contains(&self.width) && SIDE.contains(&self.height) && on_board && right > 0 && bottom > 0
    }
}

/// To which side of its frame a text stands.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Side {
    /// At its left edge.
    #[default]
    Left,
    /// In its middle.
    Middle,
    /// At its right edge.
    Right,
}

/// What a piece is. Colours are written `#rrggbb`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// A widget of the shelf.
    Widget(WidgetId),
    /// Words, each of their lines as high as the frame allows.
    Text {
        /// Which.
        text: String,
        /// Of its letters.
        colour: String,
        /// Where it stands.
        #[serde(default)]
        side: Side,
    },
    /// A plate.
    Panel {
        /// What it is filled with.
        colour: String,
        /// How round its corners are, in pixels.
        #[serde(default)]
        radius: u16,
    },
    /// A line along the longer side of its frame, as thick as the shorter one.
    Line {
        /// Of the line.
        colour: String,
        /// Whether it is broken into dashes.
        #[serde(default)]
        dashed: bool,
    },
    /// A sign of the drawn set.
    Icon {
        /// Which, see [`crate::look::icons`].
        icon: String,
        /// Of its strokes.
        colour: String,
    },
    /// A picture of the streamer's own, by its token.
    Picture(String),
}

/// A piece of a layout.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Piece {
    /// Its number in this layout.
    pub id: u32,
    /// What it is.
    pub what: What,
    /// Where it stands.
    pub frame: Frame,
    /// How far it is turned, in degrees clockwise.
    #[serde(default)]
    pub turn: i16,
    /// How much of it is seen, in hundredths.
    #[serde(default = "all")]
    pub opacity: u8,
    /// Whether it is left out of the picture.
    #[serde(default)]
    pub hidden: bool,
    /// Whether it stays where it is.
    #[serde(default)]
    pub locked: bool,
    /// The group to which it belongs.
    #[serde(default)]
    pub group: Option<u32>,
    /// How it comes and goes.
    #[serde(default)]
    pub entrance: Entrance,
}

impl Piece {
    /// What it is called in lists; `title` knows what widgets are called.
    #[must_use]
    pub fn words(&self, title: impl Fn(WidgetId) -> Option<String>) -> String {
        match &self.what {
            What::Widget(id) => title(*id).unwrap_or_else(|| "a widget that is gone".into()),
            What::Text { text, .. } => format!("“{}”", text.chars().take(40).collect::<String>()),
            What::Panel { .. } => "Panel".into(),
            What::Line { .. } => "Line".into(),
            What::Icon { icon, .. } => {
                icons().find(|(known, _)| known == icon).map_or("Icon", |(_, name)| name).to_owned()
            }
            What::Picture(_) => "Picture".into(),
        }
    }
}

fn all() -> u8 {
    100
}

/// A layout.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Overlay {
    /// Its name.
    pub name: String,
    /// How wide the board is.
    pub width: u32,
    /// How high.
    pub height: u32,
    /// How a window of another size shows it.
    #[serde(default)]
    pub fit: Fit,
    /// What stands on it, the lowest first.
    #[serde(default)]
    pub pieces: Vec<Piece>,
    /// Style of the streamer's own for all of it, as it was written.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub css: String,
}

/// Why a layout is not taken; the text says what to change.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LayoutError {
    /// The board's size.
    #[error("a board is {} to {} pixels wide and high", BOARD.start(), BOARD.end())]
    Board,
    /// Its name.
    #[error("the name {0}")]
    Name(String),
    /// Its style.
    #[error("your style has more than 8 KB; leave out what is not used")]
    Style,
    /// Too much on it.
    #[error("a layout holds at most {MOST_PIECES} pieces")]
    TooMany,
    /// A piece beside the board.
    #[error("a piece must be seen on the board, and be 1 to {} pixels wide and high", SIDE.end())]
    OffBoard,
    /// No such piece.
    #[error("there is no such piece any more; it may have been removed meanwhile")]
    NoSuchPiece,
    /// A piece that is locked.
    #[error("this piece is locked; unlock it first")]
    Locked,
    /// What it says or how it looks.
    #[error("{0}")]
    Piece(&'static str),
}

impl Overlay {
    /// An empty one.
    ///
    /// # Errors
    /// A name or a size that no board has.
    pub fn new(name: &str, width: u32, height: u32) -> Result<Self, LayoutError> {
        let empty =
            Self { name: name.to_owned(), width, height, fit: Fit::default(), pieces: Vec::new(), css: String::new() };
        empty.checked()
    }

    /// The same, if every rule holds for it.
    fn checked(mut self) -> Result<Self, LayoutError> {
        if !BOARD.contains(&self.width) || !BOARD.contains(&self.height) {
            return Err(LayoutError::Board);
        }
        self.name = text::name(&self.name).map_err(|error| LayoutError::Name(error.to_string()))?;
        if self.name.chars().count() > 80 {
            return Err(LayoutError::Name("has at most 80 letters".into()));
        }
        if self.css.len() > MOST_CSS {
            return Err(LayoutError::Style);
        }
        if self.pieces.len() > MOST_PIECES {
            return Err(LayoutError::TooMany);
        }
        for piece in &mut self.pieces {
            if !piece.frame.fits((self.width, self.height)) {
                return Err(LayoutError::OffBoard);
            }
            piece.turn = piece.turn.rem_euclid(360);
            piece.opacity = piece.opacity.min(100);
            piece.what.check()?;
        }
        Ok(self)
    }

    /// A piece by its number.
    #[must_use]
    pub fn piece(&self, id: u32) -> Option<&Piece> {
        self.pieces.iter().find(|piece| piece.id == id)
    }

    /// The widgets on it, each once.
    pub fn widgets(&self) -> impl Iterator<Item = WidgetId> {
        let of = |piece: &Piece| if let What::Widget(id) = piece.what { Some(id) } else { None };
        let all: std::collections::BTreeSet<WidgetId> = self.pieces.iter().filter_map(of).collect();
        all.into_iter()
    }

    /// What it is, after something was done to it.
    ///
    /// # Errors
    /// The edit names a piece that is not there or is locked, or leads to a layout that is none.
    pub fn edited(&self, edit: &Edit) -> Result<Self, LayoutError> {
        arrange::edited(self, edit)?.checked()
    }
}

impl What {
    fn check(&self) -> Result<(), LayoutError> {
        let colour = |colour: &str| {
            let digits = colour.strip_prefix('#').unwrap_or_default();
            digits.len() == 6 && digits.bytes().all(|byte| byte.is_ascii_hexdigit())
        };
        let colour_of = match self {
            Self::Text { colour, .. }
            | Self::Panel { colour, .. }
            | Self::Line { colour, .. }
            | Self::Icon { colour, .. } => Some(colour),
            Self::Widget(_) | Self::Picture(_) => None,
        };
        if colour_of.is_some_and(|of| !colour(of)) {
            return Err(LayoutError::Piece("a colour is written as six hexadecimal digits, such as #a83e26"));
        }
        match self {
            Self::Text { text, .. } if text.trim().is_empty() || text.chars().count() > MOST_TEXT => {
                Err(LayoutError::Piece("a text has 1 to 400 letters"))
            }
            Self::Text { text, .. } if text.chars().any(|one| one.is_control() && one != '\n') => {
                Err(LayoutError::Piece("a text has no control characters"))
            }
            Self::Icon { icon, .. } if !icons().any(|(known, _)| known == icon) => {
                Err(LayoutError::Piece("there is no such icon; choose one from the list"))
            }
            Self::Widget(_) | Self::Text { .. } | Self::Panel { .. } | Self::Line { .. } | Self::Icon { .. } => Ok(()),
            Self::Picture(token) => {
                let named = format!("{}{token}", crate::record::own::OWN);
                crate::record::own::token(&named).map(drop).ok_or(LayoutError::Piece("this is no picture of yours"))
            }
        }
    }
}
