//! The pad of a scorekeeper: how the match stands, its keys by side, what can be undone. Drawn anew with every press.

use crate::markup::html;
use crate::widgets::clock::Ticks;
use askama::Template;
use tally_core::widgets::Lever;
use tally_core::widgets::scoreboard::standing::Phase;
use tally_core::widgets::scoreboard::{BoardView, SideView};
use tally_core::widgets::view::View;

/// A key of the pad.
struct Key<'a> {
    lever: &'a Lever,
    label: String,
}

/// The keys of one side.
struct Column<'a> {
    side: &'a SideView,
    main: Vec<Key<'a>>,
    often: Vec<Key<'a>>,
    rare: Vec<Key<'a>>,
}

/// What changes with every press: how it stands, the keys, what can be undone.
#[derive(Template)]
#[template(path = "rooms/score_pad.html")]
struct Pad<'a> {
    view: &'a BoardView,
    columns: Vec<Column<'a>>,
    /// Those of the match as a whole.
    main: Vec<Key<'a>>,
    often: Vec<Key<'a>>,
    rare: Vec<Key<'a>>,
    /// Whether something can be undone, and done again.
    undo: bool,
    redo: bool,
    /// Whether it says who did what: helpers are not told of each other.
    names: bool,
}

/// A label without the side's name, where the key stands below that.
fn within(label: &str, name: &str) -> String {
    let start: String = name.chars().take(18).collect();
    let rest = label.replacen(start.trim_end_matches('…'), "", 1).replacen('…', "", 1);
    let rest = rest.trim().trim_start_matches("’s ").trim_start_matches("'s ");
    let mut letters = rest.chars();
    letters.next().map_or_else(|| label.to_owned(), |first| first.to_uppercase().chain(letters).collect())
}

/// The pad of a board, with the names of those who keep its score or without; none of another widget.
pub fn pad(view: &View, levers: &[Lever], names: bool) -> Option<String> {
    let View::Scoreboard(view) = view else { return None };
    let of_game = |lever: &&Lever| !matches!(lever.action, "undo" | "redo");
    let sort = |side: Option<u8>, name: &str| {
        let own = levers.iter().filter(of_game).filter(|lever| lever.side == side);
        let keys = own.map(|lever| Key { lever, label: within(&lever.label, name) });
        let (rare, often): (Vec<Key<'_>>, Vec<Key<'_>>) = keys.partition(|key| key.lever.rare);
        let (main, often): (Vec<Key<'_>>, Vec<Key<'_>>) = often.into_iter().partition(|key| key.lever.main);
        (main, often, rare)
    };
    let column = |(number, side)| {
        let side: &SideView = side;
        let (main, often, rare) = sort(Some(number), &side.name);
        Column { side, main, often, rare }
    };
    let columns = (1_u8..).zip(&view.sides).map(column).collect();
    let (main, often, rare) = sort(None, "");
    let can = |action: &str| levers.iter().any(|lever| lever.action == action && lever.ready);
    Some(html(&Pad { view, columns, main, often, rare, undo: can("undo"), redo: can("redo"), names }))
}
