//! What can be done to selected pieces, as drawn keys: a post with arms for lining up, plates for the rest.

/// A key of the layout room.
pub struct Tool {
    /// What it does, as the attribute by which the room's script knows it, and which way.
    pub does: (&'static str, &'static str),
    /// Its words.
    pub words: &'static str,
    /// Its drawing, as a path in a box of 24 by 24.
    pub drawn: &'static str,
}

/// Keys that belong together.
pub struct Row {
    /// What they are for.
    pub words: &'static str,
    /// The keys.
    pub keys: &'static [Tool],
}

const fn tool(does: (&'static str, &'static str), words: &'static str, drawn: &'static str) -> Tool {
    Tool { does, words, drawn }
}

/// All keys, in the order in which they stand.
pub const ROWS: [Row; 4] = [
    Row {
        words: "Line up",
        keys: &[
            tool(("align", "left"), "Left edges", "M4 2v20M8 5h12v5H8zM8 14h7v5H8z"),
            tool(("align", "centre"), "Middles, left to right", "M12 2v3M12 10v4M12 19v3M6 5h12v5H6zM8.5 14h7v5h-7z"),
            tool(("align", "right"), "Right edges", "M20 2v20M4 5h12v5H4zM9 14h7v5H9z"),
            tool(("align", "top"), "Upper edges", "M2 4h20M5 8h5v12H5zM14 8h5v7h-5z"),
            tool(("align", "middle"), "Middles, top to bottom", "M2 12h3M10 12h4M19 12h3M5 6h5v12H5zM14 8.5h5v7h-5z"),
            tool(("align", "bottom"), "Lower edges", "M2 20h20M5 4h5v12H5zM14 9h5v7h-5z"),
        ],
    },
    Row {
        words: "Space",
        keys: &[
            tool(("distribute", "across"), "Equal gaps, across", "M3 5v14M21 5v14M9.5 8h5v8h-5z"),
            tool(("distribute", "down"), "Equal gaps, down", "M5 3h14M5 21h14M8 9.5h8v5H8z"),
            tool(("do", "same_size"), "Same size as the lowest", "M3 7h7v10H3zM14 7h7v10h-7zM10.5 12h3"),
        ],
    },
    Row {
        words: "Order",
        keys: &[
            tool(("order", "front"), "To the front", "M3 12V3h9M8 8h13v13H8zM14.5 18v-7M11.5 14l3-3 3 3"),
            tool(("order", "up"), "One up", "M4 20h16M12 16V4M7 9l5-5 5 5"),
            tool(("order", "down"), "One down", "M4 4h16M12 8v12M7 15l5 5 5-5"),
            tool(("order", "back"), "To the back", "M21 12v9h-9M3 3h13v13H3zM9.5 6v7M6.5 10l3 3 3-3"),
        ],
    },
    Row {
        words: "Together",
        keys: &[
            tool(("do", "group"), "Group", "M2 6V2h4M18 2h4v4M22 18v4h-4M6 22H2v-4M6 6h7v7H6zM13 11h5v7h-7v-5"),
            tool(("do", "ungroup"), "Ungroup", "M3 3h8v8H3zM13 13h8v8h-8zM15 9l4-4M5 19l4-4"),
            tool(("do", "duplicate"), "Duplicate", "M3 3h12v12H3zM8 18v3h13V8h-3M9 6v6M6 9h6"),
            tool(("clip", "copy"), "Copy, to paste in any overlay", "M6 4h12v17H6zM9 2h6v4H9zM9 11h6M9 15h6"),
            tool(("clip", "paste"), "Paste", "M6 4h12v17H6zM9 2h6v4H9zM12 9v8M9 14l3 3 3-3"),
            tool(("do", "remove"), "Remove", "M4 6h16M9 6V3h6v3M6 6l1 15h10l1-15M10 10v7M14 10v7"),
        ],
    },
];
