//! What of a layout is seen: as it was laid out, until somebody shows or hides a piece during the show.

use super::{LayoutError, Overlay, Piece};
use std::collections::{BTreeMap, BTreeSet};

/// By the number of a piece: whether it was shown or hidden last. The newest word decides, whoever said it.
pub type Appearances = BTreeMap<u32, bool>;

/// Pieces that are shown and hidden together: a group, or one by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chosen<'a> {
    /// The pieces, the topmost last.
    pub pieces: Vec<&'a Piece>,
    /// Whether all of them are seen.
    pub shown: bool,
}

impl Overlay {
    /// Whether a piece is seen.
    #[must_use]
    pub fn shows(&self, piece: &Piece, said: &Appearances) -> bool {
        said.get(&piece.id).copied().unwrap_or(!piece.hidden)
    }

    /// What can be shown and hidden, the topmost first.
    #[must_use]
    pub fn choices(&self, said: &Appearances) -> Vec<Chosen<'_>> {
        let mut groups = BTreeSet::new();
        let mut all = Vec::new();
        for piece in self.pieces.iter().rev() {
            let pieces: Vec<&Piece> = match piece.group {
                Some(group) if !groups.insert(group) => continue,
                Some(group) => self.pieces.iter().filter(|one| one.group == Some(group)).collect(),
                None => vec![piece],
            };
            let shown = pieces.iter().all(|one| self.shows(one, said));
            all.push(Chosen { pieces, shown });
        }
        all
    }

    /// The pieces that are meant by showing or hiding these: them, and whoever belongs to their groups.
    ///
    /// # Errors
    /// One of them is not on the board.
    pub fn meant(&self, ids: &BTreeSet<u32>) -> Result<BTreeSet<u32>, LayoutError> {
        super::arrange::whole_groups(self, ids)
    }

    /// What must be said when another layout goes on air, so that what was shown or hidden in the layout is so on the
    /// picture too: the pieces that are to be shown, and those that are to be hidden. What stays as it was laid out
    /// before stays as somebody wanted it during the show.
    #[must_use]
    pub fn to_say(&self, before: &Self, said: &Appearances) -> (BTreeSet<u32>, BTreeSet<u32>) {
        let changed = |piece: &&Piece| before.piece(piece.id).is_none_or(|old| old.hidden != piece.hidden);
        let wrong = self.pieces.iter().filter(changed).filter(|piece| self.shows(piece, said) == piece.hidden);
        let (hide, show): (Vec<&Piece>, Vec<&Piece>) = wrong.partition(|piece| piece.hidden);
        let ids = |pieces: Vec<&Piece>| pieces.into_iter().map(|piece| piece.id).collect();
        (ids(show), ids(hide))
    }
}
