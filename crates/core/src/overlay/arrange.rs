//! What can be done to a layout, one step at a time.

use super::{Entrance, Fit, Frame, LayoutError, Overlay, Piece, What};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};

/// An edge or a middle to which pieces are aligned.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Edge {
    /// Left edges.
    Left,
    /// Middles from left to right.
    Centre,
    /// Right edges.
    Right,
    /// Upper edges.
    Top,
    /// Middles from top to bottom.
    Middle,
    /// Lower edges.
    Bottom,
}

/// Along what pieces are distributed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Axis {
    /// From left to right.
    Across,
    /// From top to bottom.
    Down,
}

/// Where in the order of painting pieces go.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum To {
    /// Over all others.
    Front,
    /// Over the next one above.
    Up,
    /// Under the next one below.
    Down,
    /// Under all others.
    Back,
}

/// One step.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Edit {
    /// Puts something on the board.
    Add {
        /// What.
        what: What,
        /// Where.
        frame: Frame,
    },
    /// Takes pieces off.
    Remove {
        /// Which.
        ids: BTreeSet<u32>,
    },
    /// Moves and resizes pieces: each to a frame of its own.
    Place {
        /// Where each stands afterwards.
        frames: BTreeMap<u32, Frame>,
    },
    /// Moves pieces by so many pixels.
    Nudge {
        /// Which.
        ids: BTreeSet<u32>,
        /// To the right.
        dx: i32,
        /// Downwards.
        dy: i32,
    },
    /// Turns pieces.
    Turn {
        /// Which.
        ids: BTreeSet<u32>,
        /// To how many degrees.
        turn: i16,
    },
    /// Lets pieces be seen through.
    Opacity {
        /// Which.
        ids: BTreeSet<u32>,
        /// In hundredths.
        opacity: u8,
    },
    /// Leaves pieces out of the picture, or lets them be seen again.
    Hide {
        /// Which.
        ids: BTreeSet<u32>,
        /// Whether they are left out.
        hidden: bool,
    },
    /// Lets pieces come and go in another way.
    Enter {
        /// Which.
        ids: BTreeSet<u32>,
        /// How.
        entrance: Entrance,
    },
    /// Lets pieces stay where they are, or be moved again.
    Lock {
        /// Which.
        ids: BTreeSet<u32>,
        /// Whether they stay.
        locked: bool,
    },
    /// Makes a group of pieces.
    Group {
        /// Which.
        ids: BTreeSet<u32>,
    },
    /// Lets the groups of these pieces fall apart.
    Ungroup {
        /// Of which.
        ids: BTreeSet<u32>,
    },
    /// Changes the order of painting.
    Order {
        /// Which.
        ids: BTreeSet<u32>,
        /// Where they go.
        to: To,
    },
    /// Aligns several pieces to each other, or a single one to the board.
    Align {
        /// Which.
        ids: BTreeSet<u32>,
        /// To what.
        edge: Edge,
    },
    /// Gives pieces equal gaps between the first and the last.
    Distribute {
        /// Which.
        ids: BTreeSet<u32>,
        /// Along what.
        along: Axis,
    },
    /// Makes pieces as wide and as high as the first of them in the order of painting.
    SameSize {
        /// Which.
        ids: BTreeSet<u32>,
    },
    /// Puts the same pieces there once more, a little aside.
    Duplicate {
        /// Which.
        ids: BTreeSet<u32>,
    },
    /// Puts pieces of another layout there.
    Paste {
        /// As they stood there.
        pieces: Vec<Piece>,
    },
    /// Says something else in a piece, or colours it otherwise.
    Change {
        /// Which.
        id: u32,
        /// What it is from now on.
        what: What,
    },
    /// Changes the board.
    Board {
        /// Its name.
        name: String,
        /// How wide.
        width: u32,
        /// How high.
        height: u32,
        /// How other windows show it.
        fit: Fit,
    },
    /// Gives all of it a style of the streamer's own; an empty one takes it away.
    Style {
        /// As it was written.
        css: String,
    },
}

/// How far a copy stands from what it was made of.
const ASIDE: i32 = 24;

/// The pieces of these numbers, and whoever belongs to their groups.
pub(super) fn whole_groups(overlay: &Overlay, ids: &BTreeSet<u32>) -> Result<BTreeSet<u32>, LayoutError> {
    let mut groups = BTreeSet::new();
    for id in ids {
        groups.extend(overlay.piece(*id).ok_or(LayoutError::NoSuchPiece)?.group);
    }
    let chosen = |piece: &&Piece| ids.contains(&piece.id) || piece.group.is_some_and(|group| groups.contains(&group));
    Ok(overlay.pieces.iter().filter(chosen).map(|piece| piece.id).collect())
}

fn free(overlay: &Overlay, ids: &BTreeSet<u32>) -> Result<(), LayoutError> {
    let locked = overlay.pieces.iter().any(|piece| piece.locked && ids.contains(&piece.id));
    if locked { Err(LayoutError::Locked) } else { Ok(()) }
}

fn next_id(overlay: &Overlay) -> u32 {
    overlay.pieces.iter().map(|piece| piece.id).max().map_or(1, |id| id.saturating_add(1))
}

fn next_group(overlay: &Overlay) -> u32 {
    overlay.pieces.iter().filter_map(|piece| piece.group).max().map_or(1, |group| group.saturating_add(1))
}

/// Does something to each of these pieces.
fn each(overlay: &mut Overlay, ids: &BTreeSet<u32>, mut with: impl FnMut(&mut Piece)) {
    overlay.pieces.iter_mut().filter(|piece| ids.contains(&piece.id)).for_each(&mut with);
}

fn by(from: i32, length: i64) -> i32 {
    let sum = i64::from(from).saturating_add(length);
    i32::try_from(sum).unwrap_or(if sum < 0 { i32::MIN } else { i32::MAX })
}

/// A frame moved as far as it must be to stand on the board with all that has room there.
fn onto(frame: Frame, board: (u32, u32)) -> Frame {
    let along = |from: i32, length: u32, room: u32| {
        let most = i32::try_from(room.saturating_sub(length)).unwrap_or(i32::MAX);
        from.clamp(0, most)
    };
    let (x, y) = (along(frame.x, frame.width, board.0), along(frame.y, frame.height, board.1));
    if frame.fits(board) { frame } else { Frame { x, y, ..frame } }
}

/// Adds pieces of another layout, or copies, under numbers and groups of their own.
fn add(overlay: &mut Overlay, pieces: impl IntoIterator<Item = Piece>, aside: i32) {
    let mut groups: BTreeMap<u32, u32> = BTreeMap::new();
    let board = (overlay.width, overlay.height);
    for mut piece in pieces {
        piece.id = next_id(overlay);
        piece.group = piece.group.map(|old| {
            let fresh = next_group(overlay).max(groups.values().max().map_or(1, |most| most.saturating_add(1)));
            *groups.entry(old).or_insert(fresh)
        });
        let moved = Frame { x: by(piece.frame.x, aside.into()), y: by(piece.frame.y, aside.into()), ..piece.frame };
        // A copy of what stands at the edge stays on the board, and so does what comes from a larger one.
        piece.frame = if moved.fits(board) { moved } else { onto(piece.frame, board) };
        overlay.pieces.push(piece);
    }
}

pub(super) fn edited(before: &Overlay, edit: &Edit) -> Result<Overlay, LayoutError> {
    let mut after = before.clone();
    match edit {
        Edit::Add { what, frame } => {
            let id = next_id(before);
            let (what, frame) = (what.clone(), *frame);
            let (turn, opacity, hidden, locked, group, entrance) = (0, 100, false, false, None, Entrance::default());
            after.pieces.push(Piece { id, what, frame, turn, opacity, hidden, locked, group, entrance });
        }
        Edit::Remove { ids } => {
            let ids = whole_groups(before, ids)?;
            free(before, &ids)?;
            after.pieces.retain(|piece| !ids.contains(&piece.id));
        }
        Edit::Place { frames } => {
            let ids = frames.keys().copied().collect();
            free(before, &ids)?;
            if ids.iter().any(|id| before.piece(*id).is_none()) {
                return Err(LayoutError::NoSuchPiece);
            }
            each(&mut after, &ids, |piece| piece.frame = frames.get(&piece.id).copied().unwrap_or(piece.frame));
        }
        Edit::Nudge { ids, dx, dy } => {
            let ids = whole_groups(before, ids)?;
            free(before, &ids)?;
            each(&mut after, &ids, |piece| {
                piece.frame.x = by(piece.frame.x, (*dx).into());
                piece.frame.y = by(piece.frame.y, (*dy).into());
            });
        }
        Edit::Turn { ids, turn } => {
            free(before, &whole_groups(before, ids)?)?;
            each(&mut after, ids, |piece| piece.turn = *turn);
        }
        Edit::Opacity { ids, opacity } => {
            let ids = whole_groups(before, ids)?;
            each(&mut after, &ids, |piece| piece.opacity = *opacity);
        }
        Edit::Hide { ids, hidden } => {
            let ids = whole_groups(before, ids)?;
            each(&mut after, &ids, |piece| piece.hidden = *hidden);
        }
        Edit::Enter { ids, entrance } => {
            let ids = whole_groups(before, ids)?;
            each(&mut after, &ids, |piece| piece.entrance = *entrance);
        }
        Edit::Lock { ids, locked } => {
            let ids = whole_groups(before, ids)?;
            each(&mut after, &ids, |piece| piece.locked = *locked);
        }
        Edit::Group { ids } => {
            // Groups that are joined are one group from then on.
            let (ids, group) = (whole_groups(before, ids)?, next_group(before));
            each(&mut after, &ids, |piece| piece.group = Some(group));
        }
        Edit::Ungroup { ids } => {
            let ids = whole_groups(before, ids)?;
            each(&mut after, &ids, |piece| piece.group = None);
        }
        Edit::Order { ids, to } => order(&mut after, &whole_groups(before, ids)?, *to),
        Edit::Align { ids, edge } => align(&mut after, ids, *edge)?,
        Edit::Distribute { ids, along } => distribute(&mut after, ids, *along)?,
        Edit::SameSize { ids } => {
            free(before, ids)?;
            let model = before.pieces.iter().find(|piece| ids.contains(&piece.id)).ok_or(LayoutError::NoSuchPiece)?;
            each(&mut after, ids, |piece| {
                (piece.frame.width, piece.frame.height) = (model.frame.width, model.frame.height);
            });
        }
        Edit::Duplicate { ids } => {
            let ids = whole_groups(before, ids)?;
            let copies = before.pieces.iter().filter(|piece| ids.contains(&piece.id)).cloned();
            add(&mut after, copies.map(|piece| Piece { locked: false, ..piece }), ASIDE);
        }
        Edit::Paste { pieces } => add(&mut after, pieces.iter().cloned(), 0),
        Edit::Change { id, what } => {
            let piece = after.pieces.iter_mut().find(|piece| piece.id == *id).ok_or(LayoutError::NoSuchPiece)?;
            piece.what = what.clone();
        }
        Edit::Board { name, width, height, fit } => {
            (after.name, after.width, after.height, after.fit) = (name.clone(), *width, *height, *fit);
        }
        Edit::Style { css } => css.trim().clone_into(&mut after.css),
    }
    Ok(after)
}

fn order(overlay: &mut Overlay, ids: &BTreeSet<u32>, to: To) {
    let pieces = std::mem::take(&mut overlay.pieces);
    let chosen = |piece: &Piece| ids.contains(&piece.id);
    overlay.pieces = match to {
        To::Front | To::Back => {
            let (own, others): (Vec<_>, Vec<_>) = pieces.into_iter().partition(chosen);
            let (first, then) = if to == To::Front { (others, own) } else { (own, others) };
            first.into_iter().chain(then).collect()
        }
        To::Up | To::Down => {
            // One step is a swap with the neighbour that is not chosen; chosen ones keep their order.
            let mut row = pieces;
            if to == To::Up {
                row.reverse();
            }
            for at in 1..row.len() {
                let (before, here) = (at.saturating_sub(1), at);
                if row.get(here).is_some_and(chosen) && !row.get(before).is_some_and(chosen) {
                    row.swap(before, here);
                }
            }
            if to == To::Up {
                row.reverse();
            }
            row
        }
    };
}

/// The box around pieces: left, upper, right and lower edge.
fn around(pieces: &[&Piece]) -> (i64, i64, i64, i64) {
    let edges = |of: &dyn Fn(&Frame) -> i64| pieces.iter().map(|piece| of(&piece.frame)).collect::<Vec<_>>();
    let least = |all: Vec<i64>| all.into_iter().min().unwrap_or_default();
    let most = |all: Vec<i64>| all.into_iter().max().unwrap_or_default();
    (
        least(edges(&|frame| frame.x.into())),
        least(edges(&|frame| frame.y.into())),
        most(edges(&|frame| frame.ends().0)),
        most(edges(&|frame| frame.ends().1)),
    )
}

fn pixels(length: i64) -> i32 {
    by(0, length)
}

fn align(overlay: &mut Overlay, ids: &BTreeSet<u32>, edge: Edge) -> Result<(), LayoutError> {
    free(overlay, ids)?;
    let chosen: Vec<&Piece> = overlay.pieces.iter().filter(|piece| ids.contains(&piece.id)).collect();
    let (left, top, right, bottom) = match &chosen[..] {
        [] => return Err(LayoutError::NoSuchPiece),
        [_] => (0, 0, overlay.width.into(), overlay.height.into()),
        several => around(several),
    };
    let middle =
        |from: i64, to: i64, length: u32| from.saturating_add(to).saturating_sub(i64::from(length)).div_euclid(2);
    each(overlay, ids, |piece| {
        let frame = &mut piece.frame;
        match edge {
            Edge::Left => frame.x = pixels(left),
            Edge::Centre => frame.x = pixels(middle(left, right, frame.width)),
            Edge::Right => frame.x = pixels(right.saturating_sub(frame.width.into())),
            Edge::Top => frame.y = pixels(top),
            Edge::Middle => frame.y = pixels(middle(top, bottom, frame.height)),
            Edge::Bottom => frame.y = pixels(bottom.saturating_sub(frame.height.into())),
        }
    });
    Ok(())
}

fn distribute(overlay: &mut Overlay, ids: &BTreeSet<u32>, along: Axis) -> Result<(), LayoutError> {
    free(overlay, ids)?;
    let mut chosen: Vec<&Piece> = overlay.pieces.iter().filter(|piece| ids.contains(&piece.id)).collect();
    let of = |piece: &Piece| match along {
        Axis::Across => (i64::from(piece.frame.x), i64::from(piece.frame.width)),
        Axis::Down => (i64::from(piece.frame.y), i64::from(piece.frame.height)),
    };
    chosen.sort_by_key(|piece| (of(piece), piece.id));
    let gaps = i64::try_from(chosen.len()).unwrap_or(0).saturating_sub(1);
    if gaps < 2 {
        return Err(LayoutError::Piece("choose three pieces or more to distribute"));
    }
    let (left, top, right, bottom) = around(&chosen);
    let (from, to) = if along == Axis::Across { (left, right) } else { (top, bottom) };
    let taken: i64 = chosen.iter().map(|piece| of(piece).1).fold(0, i64::saturating_add);
    let room = to.saturating_sub(from).saturating_sub(taken);
    let mut starts: BTreeMap<u32, i64> = BTreeMap::new();
    let mut before: i64 = 0;
    for (place, piece) in (0_i64..).zip(&chosen) {
        // Each gap is reckoned from the first piece on, so that rounding never adds up.
        let gap = room.saturating_mul(place).div_euclid(gaps);
        starts.insert(piece.id, from.saturating_add(before).saturating_add(gap));
        before = before.saturating_add(of(piece).1);
    }
    each(overlay, ids, |piece| {
        let Some(start) = starts.get(&piece.id) else { return };
        match along {
            Axis::Across => piece.frame.x = pixels(*start),
            Axis::Down => piece.frame.y = pixels(*start),
        }
    });
    Ok(())
}
