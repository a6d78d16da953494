//! Layouts: whatever is done to one is refused or leads to another that keeps every rule, and can be undone and done again.

use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use tally_core::overlay::{
    Appearances, Axis, BOARD, Edge, Edit, Entrance, Fit, Frame, LayoutError, MOST_PIECES, Overlay, Report, Side, To,
    What, advice, fitted,
};
use tally_core::record::ids::WidgetId;

fn frame() -> impl Strategy<Value = Frame> {
    (-400_i32..2_400, -400_i32..1_400, 0_u32..1_600, 0_u32..900).prop_map(|(x, y, width, height)| Frame {
        x,
        y,
        width,
        height,
    })
}

fn what() -> impl Strategy<Value = What> {
    prop_oneof![
        (1_u32..9).prop_map(|id| What::Widget(WidgetId(id))),
        ".{0,12}".prop_map(|text| What::Text { text, colour: "#efe8d9".into(), side: Side::Middle }),
        (0_u16..40).prop_map(|radius| What::Panel { colour: "#1f2329".into(), radius }),
        any::<bool>().prop_map(|dashed| What::Line { colour: "#1f2329".into(), dashed }),
        prop::sample::select(vec!["lamp", "own", "gear"])
            .prop_map(|icon| What::Icon { icon: icon.into(), colour: "#c98a00".into() }),
        "[a-z0-9]{4,20}".prop_map(What::Picture),
    ]
}

fn ids() -> impl Strategy<Value = BTreeSet<u32>> {
    prop::collection::btree_set(1_u32..14, 0..6)
}

fn edge() -> impl Strategy<Value = Edge> {
    prop::sample::select(vec![Edge::Left, Edge::Centre, Edge::Right, Edge::Top, Edge::Middle, Edge::Bottom])
}

fn edit() -> impl Strategy<Value = Edit> {
    prop_oneof![
        4 => (what(), frame()).prop_map(|(what, frame)| Edit::Add { what, frame }),
        1 => ids().prop_map(|ids| Edit::Remove { ids }),
        2 => prop::collection::btree_map(1_u32..14, frame(), 0..4).prop_map(|frames| Edit::Place { frames }),
        2 => (ids(), any::<i32>(), -40_i32..40).prop_map(|(ids, dx, dy)| Edit::Nudge { ids, dx: dx % 60, dy }),
        1 => (ids(), any::<i16>()).prop_map(|(ids, turn)| Edit::Turn { ids, turn }),
        1 => (ids(), any::<u8>()).prop_map(|(ids, opacity)| Edit::Opacity { ids, opacity }),
        1 => (ids(), any::<bool>()).prop_map(|(ids, hidden)| Edit::Hide { ids, hidden }),
        1 => (ids(), prop::sample::select(Entrance::ALL.to_vec())).prop_map(|(ids, entrance)| Edit::Enter { ids, entrance }),
        1 => (ids(), any::<bool>()).prop_map(|(ids, locked)| Edit::Lock { ids, locked }),
        2 => ids().prop_map(|ids| Edit::Group { ids }),
        1 => ids().prop_map(|ids| Edit::Ungroup { ids }),
        1 => (ids(), prop::sample::select(vec![To::Front, To::Up, To::Down, To::Back]))
            .prop_map(|(ids, to)| Edit::Order { ids, to }),
        2 => (ids(), edge()).prop_map(|(ids, edge)| Edit::Align { ids, edge }),
        2 => (ids(), prop::sample::select(vec![Axis::Across, Axis::Down]))
            .prop_map(|(ids, along)| Edit::Distribute { ids, along }),
        1 => ids().prop_map(|ids| Edit::SameSize { ids }),
        2 => ids().prop_map(|ids| Edit::Duplicate { ids }),
        1 => (1_u32..14, what()).prop_map(|(id, what)| Edit::Change { id, what }),
        1 => "[.&a-z{}: ]{0,20}".prop_map(|css| Edit::Style { css }),
        1 => (".{0,90}", 0_u32..9_000, 0_u32..9_000).prop_map(|(name, width, height)| Edit::Board {
            name,
            width,
            height,
            fit: Fit::Whole,
        }),
    ]
}

fn board() -> Overlay {
    Overlay::new("Main", 1_920, 1_080).unwrap()
}

/// Every rule that a layout keeps.
fn holds(overlay: &Overlay) {
    assert!(BOARD.contains(&overlay.width) && BOARD.contains(&overlay.height));
    assert!(overlay.pieces.len() <= MOST_PIECES);
    let ids: BTreeSet<u32> = overlay.pieces.iter().map(|piece| piece.id).collect();
    assert_eq!(ids.len(), overlay.pieces.len(), "each piece has a number of its own");
    for piece in &overlay.pieces {
        let Frame { x, y, width, height } = piece.frame;
        assert!(width > 0 && height > 0);
        assert!(x < overlay.width as i32 && y < overlay.height as i32);
        assert!(i64::from(x) + i64::from(width) > 0 && i64::from(y) + i64::from(height) > 0, "it is seen on the board");
        assert!((0..360).contains(&piece.turn) && piece.opacity <= 100);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn edits_are_refused_or_keep_every_rule_and_are_read_back_as_they_were(edits in prop::collection::vec(edit(), 0..40)) {
        let mut layouts = vec![board()];
        for edit in &edits {
            let kept: Edit = serde_json::from_str(&serde_json::to_string(edit).unwrap()).unwrap();
            prop_assert_eq!(&kept, edit);
            let present = layouts.last().unwrap();
            if let Ok(next) = present.edited(edit) {
                holds(&next);
                let kept: Overlay = serde_json::from_str(&serde_json::to_string(&next).unwrap()).unwrap();
                prop_assert_eq!(&kept, &next);
                layouts.push(next);
            }
        }
        // The same edits lead to the same layouts, so going back and forth among them is undo and redo.
        let mut again = vec![board()];
        for edit in &edits {
            again.extend(again.last().unwrap().edited(edit).ok());
        }
        prop_assert_eq!(again, layouts);
    }

    #[test]
    fn what_is_locked_stays(edits in prop::collection::vec(edit(), 1..30), locked in ids()) {
        let mut overlay = board();
        for edit in &edits {
            overlay = overlay.edited(edit).unwrap_or(overlay);
        }
        let Ok(overlay) = overlay.edited(&Edit::Lock { ids: locked, locked: true }) else { return Ok(()) };
        for edit in &edits {
            let unlocks = matches!(edit, Edit::Lock { .. });
            let Ok(after) = overlay.edited(edit) else { continue };
            for piece in overlay.pieces.iter().filter(|piece| piece.locked && !unlocks) {
                prop_assert_eq!(after.piece(piece.id).map(|one| one.frame), Some(piece.frame));
            }
        }
    }

    #[test]
    fn a_group_moves_as_one_and_a_copy_is_a_group_of_its_own(dx in -300_i32..300, dy in -300_i32..300) {
        let mut overlay = board();
        for x in [100, 400, 700] {
            let frame = Frame { x, y: 500, width: 200, height: 80 };
            overlay = overlay.edited(&Edit::Add { what: What::Widget(WidgetId(1)), frame }).unwrap();
        }
        overlay = overlay.edited(&Edit::Group { ids: BTreeSet::from([1, 2]) }).unwrap();
        let moved = overlay.edited(&Edit::Nudge { ids: BTreeSet::from([1]), dx, dy });
        if let Ok(moved) = moved {
            let by = |id: u32| {
                let (before, after) = (overlay.piece(id).unwrap().frame, moved.piece(id).unwrap().frame);
                (after.x - before.x, after.y - before.y)
            };
            prop_assert_eq!((by(1), by(2), by(3)), ((dx, dy), (dx, dy), (0, 0)));
        }
        let doubled = overlay.edited(&Edit::Duplicate { ids: BTreeSet::from([2]) }).unwrap();
        prop_assert_eq!(doubled.pieces.len(), 5);
        let groups: BTreeSet<Option<u32>> = doubled.pieces.iter().map(|piece| piece.group).collect();
        prop_assert_eq!(groups.len(), 3, "the group, its copy, and none");
    }

    #[test]
    fn distributing_gives_equal_gaps_and_moves_neither_end(xs in prop::collection::btree_set(0_i32..1_700, 3..9)) {
        let mut overlay = board();
        for (place, x) in xs.iter().enumerate() {
            let frame = Frame { x: *x, y: 10 * i32::try_from(place).unwrap(), width: 60, height: 40 };
            overlay = overlay.edited(&Edit::Add { what: What::Panel { colour: "#a83e26".into(), radius: 2 }, frame }).unwrap();
        }
        let ids: BTreeSet<u32> = overlay.pieces.iter().map(|piece| piece.id).collect();
        let spread = overlay.edited(&Edit::Distribute { ids, along: Axis::Across }).unwrap();
        let starts: Vec<i32> = spread.pieces.iter().map(|piece| piece.frame.x).collect();
        prop_assert_eq!((starts[0], starts[starts.len() - 1]), (*xs.first().unwrap(), *xs.last().unwrap()));
        let gaps: BTreeSet<i32> = starts.windows(2).map(|pair| pair[1] - pair[0]).collect();
        prop_assert!(gaps.last().unwrap() - gaps.first().unwrap() <= 1, "{:?}", starts);
    }

    /// What somebody shows or hides during the show holds until somebody says otherwise, be it by another layout.
    #[test]
    fn the_last_word_on_what_is_seen_counts(
        edits in prop::collection::vec(edit(), 1..30), later in prop::collection::vec(edit(), 0..20),
        said in prop::collection::btree_map(1_u32..14, any::<bool>(), 0..8),
    ) {
        let apply = |from: Overlay, edits: &[Edit]| edits.iter().fold(from, |at, edit| at.edited(edit).unwrap_or(at));
        let before = apply(board(), &edits);
        let after = apply(before.clone(), &later);
        let (show, hide) = after.to_say(&before, &said);
        prop_assert!(show.is_disjoint(&hide));
        let mut now: Appearances = said.clone();
        now.extend(show.iter().map(|id| (*id, true)).chain(hide.iter().map(|id| (*id, false))));
        for piece in &after.pieces {
            let laid_out_anew = before.piece(piece.id).is_none_or(|old| old.hidden != piece.hidden);
            let wanted = if laid_out_anew { !piece.hidden } else { before.shows(piece, &said) };
            prop_assert_eq!(after.shows(piece, &now), wanted);
        }
        // Every piece can be shown and hidden, each with its group.
        let choices = after.choices(&now);
        prop_assert_eq!(choices.iter().map(|choice| choice.pieces.len()).sum::<usize>(), after.pieces.len());
        for choice in choices {
            let ids: BTreeSet<u32> = choice.pieces.iter().map(|piece| piece.id).collect();
            prop_assert_eq!(after.meant(&BTreeSet::from([*ids.first().unwrap()])).unwrap(), ids);
        }
    }

    #[test]
    fn what_is_inside_stays_inside_however_large_the_window_is(
        wide in 1_u32..5_000, high in 1_u32..5_000, frame in frame(), size in (16_u32..4_000, 16_u32..4_000),
    ) {
        let overlay = Overlay::new("Main", size.0, size.1).unwrap();
        let fitted = fitted(&overlay, (wide, high)).unwrap();
        let inside = frame.x >= 0 && frame.y >= 0 && frame.ends().0 <= i64::from(size.0) && frame.ends().1 <= i64::from(size.1);
        if inside {
            let near = 0.001;
            let (right, bottom) = frame.ends();
            prop_assert!(fitted.x + f64::from(frame.x) * fitted.scale >= -near);
            prop_assert!(fitted.y + f64::from(frame.y) * fitted.scale >= -near);
            prop_assert!(fitted.x + right as f64 * fitted.scale <= f64::from(wide) + near);
            prop_assert!(fitted.y + bottom as f64 * fitted.scale <= f64::from(high) + near);
        }
    }
}

#[test]
fn bad_layouts_are_refused_in_words() {
    let overlay = board();
    let frame = |x, y, width, height| Frame { x, y, width, height };
    let text = |text: &str| What::Text { text: text.into(), colour: "#efe8d9".into(), side: Side::Left };
    let add = |what: What, frame| overlay.edited(&Edit::Add { what, frame });
    assert_eq!(add(text("a"), frame(1_920, 0, 10, 10)), Err(LayoutError::OffBoard), "beside the board");
    assert_eq!(add(text("a"), frame(0, 0, 0, 10)), Err(LayoutError::OffBoard));
    assert_eq!(add(text("a"), frame(i32::MAX, 0, u32::MAX, 10)), Err(LayoutError::OffBoard));
    assert!(matches!(add(text(" "), frame(0, 0, 10, 10)), Err(LayoutError::Piece(_))));
    assert!(matches!(
        add(What::Panel { colour: "red".into(), radius: 0 }, frame(0, 0, 9, 9)),
        Err(LayoutError::Piece(_))
    ));
    assert!(matches!(add(What::Picture("../x".into()), frame(0, 0, 9, 9)), Err(LayoutError::Piece(_))));
    let gone = Edit::Remove { ids: BTreeSet::from([7]) };
    assert_eq!(overlay.edited(&gone), Err(LayoutError::NoSuchPiece));
    let placed = Edit::Place { frames: BTreeMap::from([(7, frame(0, 0, 9, 9))]) };
    assert_eq!(overlay.edited(&placed), Err(LayoutError::NoSuchPiece));
    let mut full = overlay.clone();
    for _ in 0..MOST_PIECES {
        full = full.edited(&Edit::Add { what: text("a"), frame: frame(0, 0, 9, 9) }).unwrap();
    }
    let over = full.edited(&Edit::Add { what: text("a"), frame: frame(0, 0, 9, 9) });
    assert_eq!(over, Err(LayoutError::TooMany));
    for (name, width, height) in [("", 100, 100), ("Main", 15, 100), ("Main", 100, 9_000)] {
        assert!(Overlay::new(name, width, height).is_err(), "{name} {width} {height}");
    }
}

#[test]
fn an_open_page_is_told_what_is_wrong_with_it_and_nothing_else() {
    let overlay = board();
    let says = |report: Report| advice(&overlay, &report);
    let right = Report { window: (1_920, 1_080), hidden: false, frames: 60 };
    assert_eq!(says(right), None);
    assert_eq!(says(Report { frames: 0, ..right }), None, "not measured yet");
    assert_eq!(says(Report { hidden: true, frames: 1, ..right }), None, "nobody sees it, so it need not be drawn");
    assert_eq!(
        says(Report { window: (800, 600), ..right }).unwrap(),
        "open at 800×600, laid out for 1920×1080: set the source to 1920×1080"
    );
    assert!(says(Report { window: (0, 0), ..right }).unwrap().starts_with("open without a window"));
    assert!(says(Report { frames: 9, ..right }).unwrap().starts_with("drawn only 9 times a second"));
}
