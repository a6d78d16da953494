//! The signs in front of lines: a drawn set of our own, two strokes each.

use crate::markup::html;
use askama::Template;
use tally_core::look::{Look, Token};
use tally_core::record::happening::Kind;

/// A sign, drawn in a box of 24 by 24.
#[derive(Template)]
#[template(path = "widgets/icon.html")]
pub(super) struct Icon {
    name: &'static str,
    strokes: [&'static str; 2],
}

const ICONS: [(&str, [&str; 2]); 10] = [
    ("lamp", ["M8 20h8M9 20V9a3 3 0 0 1 6 0v11", "M6 9h12M12 6V3M12 12v3"]),
    ("ticket", ["M3 8h18v3a2 2 0 0 0 0 4v3H3v-3a2 2 0 0 0 0-4z", "M14 8.5v9"]),
    ("parcel", ["M4 9h16v11H4zM12 9v11", "M12 9C8 9 7 4 9.5 4S12 9 12 9s0-5 2.5-5S16 9 12 9"]),
    ("coin", ["M12 4a8 8 0 1 1 0 16 8 8 0 0 1 0-16z", "M12 8v8M9.5 10.5 12 8l2.5 2.5"]),
    ("whistle", ["M10 10h11v3h-5a6 6 0 1 1-6-3z", "M13 7V4M17 7l1-2M9 7 8 5"]),
    ("wheels", ["M7 12a4 4 0 1 1 0 8 4 4 0 0 1 0-8zM18 14a3 3 0 1 1 0 6 3 3 0 0 1 0-6z", "M3 11V5h9l3 6h6M7 16h11"]),
    ("bell", ["M6 17c1.5-1 2-3 2-6a4 4 0 0 1 8 0c0 3 .5 5 2 6z", "M10.5 20h3M12 7V4"]),
    ("cup", ["M5 9h12v5a6 6 0 0 1-12 0z", "M17 10h2a2 2 0 0 1 0 5h-2M9 6V3M13 6V3"]),
    ("pennant", ["M6 3v18", "M6 4l13 4-13 4"]),
    ("star", ["M12 4l2.4 5 5.6.7-4.1 3.8 1.1 5.5-5-2.8-5 2.8 1.1-5.5L4 9.700l5.600-.7z", "M12 9v4"]),
];

/// A sign of the set by its word, as markup; nothing where there is none of that name.
pub fn sign(name: &str) -> String {
    named(name).map_or_else(String::new, |icon| html(&icon))
}

fn named(name: &str) -> Option<Icon> {
    ICONS.iter().find(|(known, _)| *known == name).map(|(name, strokes)| Icon { name, strokes: *strokes })
}

/// The sign of a kind in a look; none where there is to be none.
pub(super) fn icon(look: &Look, kind: Option<Kind>) -> Option<Icon> {
    let wanted = kind.and_then(|kind| look.for_kind(kind, Token::Icon)).unwrap_or(look.get(Token::Icon));
    let name = match wanted {
        "none" => return None,
        "own" => match kind? {
            Kind::Follow => "lamp",
            Kind::Sub => "ticket",
            Kind::Gift => "parcel",
            Kind::Tip => "coin",
            Kind::Cheer => "whistle",
            Kind::Raid => "wheels",
            Kind::Reward => "bell",
            Kind::Purchase => "cup",
            Kind::Gauge | Kind::Stat | Kind::Signal | Kind::Adjust | Kind::Command | Kind::Poll => "pennant",
        },
        named => named,
    };
    named(name)
}
