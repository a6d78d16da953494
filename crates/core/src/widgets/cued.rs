//! What cues can wait for in a widget, and what they can tell it to do. The desk offers what makes sense at this moment; a cue is
//! written long before its moment, so each family says what it can ever do.

/// What cues can wait for in a widget.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Watched {
    /// A target, rung or raise that is reached; the figure is how many were.
    Reached,
    /// A number that comes to a value.
    Passed,
    /// A poll that is closed.
    Closed,
    /// Time that runs down; the figure is what is left, in milliseconds.
    Left,
    /// A wheel that comes to rest.
    Rested,
}

/// One action of a family.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Known {
    /// Its name, as the family knows it.
    pub action: &'static str,
    /// What it is, after the widget's title.
    pub words: &'static str,
    /// The number with it, where it takes one.
    pub value: Option<i64>,
    /// Whether a text goes along.
    pub text: bool,
}

impl Known {
    /// One without a number.
    pub(super) const fn new(action: &'static str, words: &'static str) -> Self {
        Self { action, words, value: None, text: false }
    }

    /// One with a number, and what that is to begin with.
    pub(super) const fn numbered(action: &'static str, words: &'static str, value: i64) -> Self {
        Self { action, words, value: Some(value), text: false }
    }

    /// One with a text.
    pub(super) const fn typed(action: &'static str, words: &'static str) -> Self {
        Self { action, words, value: None, text: true }
    }
}

/// What a family has to do with cues.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cued {
    /// What they can wait for in it.
    pub watched: Option<Watched>,
    /// What they can tell it to do.
    pub actions: &'static [Known],
    /// Whether they can press its levers of the moment too, where those depend on what it is set up for.
    pub levers: bool,
}

impl Cued {
    /// Of a family that follows the ledger alone.
    pub(super) const NOTHING: Self = Self { watched: None, actions: &[], levers: false };

    /// Of a family that cues can wait for and operate.
    pub(super) const fn of(watched: Watched, actions: &'static [Known]) -> Self {
        Self { watched: Some(watched), actions, levers: false }
    }
}
