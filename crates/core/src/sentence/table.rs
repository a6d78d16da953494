//! A table whose rows are sentences, each part of which is edited in place.

use super::Part;

/// A table of sentences: the rate sheet of a subathon.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    /// Its rows.
    pub rows: Vec<Row>,
    /// Where another row is begun.
    pub more: Vec<Part>,
}

/// One row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// What it is about, in words that follow “each”.
    pub each: String,
    /// Whether it counts.
    pub on: bool,
    /// Its parts, which read as a sentence.
    pub parts: Vec<Part>,
    /// What one is worth, where that is asked.
    pub worth: Option<Part>,
    /// How fair it is beside the tips.
    pub fair: Option<Fair>,
}

/// How much time money buys by a row, beside what it buys by a tip.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fair {
    /// `24 s per £1`.
    pub words: String,
    /// What would be even, where it is far from that.
    pub even: Option<String>,
    /// How long its bar is: 500 is as much as a tip buys, at most 1,000.
    pub permille: u16,
}
