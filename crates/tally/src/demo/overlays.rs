//! Two overlays of the demo: a wide one for the main picture, and a tall one.

use tally_core::look::{Base, Looks, OwnLook, Token};
use tally_core::overlay::{Edit, Frame, LayoutError, Overlay, What};
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_store::{Store, StoreError};
use tally_web::tokens;

/// Where a widget of that name stands: left, upper edge, width, height.
type Place = (&'static str, (i32, i32, u32, u32));

/// The main picture: goals above at the left, clocks above at the right, what just happened below.
const WIDE: [Place; 10] = [
    ("Turntable motor", (48, 40, 484, 150)),
    ("New platform hands", (48, 206, 484, 150)),
    ("Shunting derby", (600, 40, 720, 132)),
    ("Thirty-hour build-through", (1_388, 40, 484, 178)),
    ("First train at 19:30", (1_388, 234, 484, 112)),
    ("Just now", (1_388, 470, 484, 392)),
    ("Latest supporter", (48, 790, 484, 90)),
    ("Derailments", (48, 892, 300, 96)),
    ("Cups of tea", (364, 892, 300, 96)),
    ("On the line", (0, 1_012, 1_920, 68)),
];
/// The tall picture.
const TALL: [Place; 5] = [
    ("Thirty-hour build-through", (140, 60, 800, 260)),
    ("Turntable motor", (90, 350, 900, 200)),
    ("Just now", (90, 1_180, 900, 460)),
    ("Derailments", (340, 1_670, 400, 130)),
    ("On the line", (0, 1_836, 1_080, 84)),
];

fn laid(
    name: &str,
    (width, height): (u32, u32),
    places: &[Place],
    widgets: &[(WidgetId, String)],
) -> Result<Overlay, LayoutError> {
    let find = |title: &str| widgets.iter().find(|(_, own)| own == title).map(|(id, _)| *id);
    places.iter().try_fold(Overlay::new(name, width, height)?, |layout, (title, (x, y, width, height))| {
        let Some(id) = find(title) else { return Ok(layout) };
        let frame = Frame { x: *x, y: *y, width: *width, height: *height };
        layout.edited(&Edit::Add { what: What::Widget(id), frame })
    })
}

/// A look of Odile's own: harbour blue by day, and dark with a blue light by night.
pub(super) fn looks() -> Looks {
    let values = |all: &[(Token, &str)]| all.iter().map(|(token, value)| (*token, (*value).to_owned())).collect();
    let day = values(&[
        (Token::Fill, "#1f5c78"),
        (Token::HighlightColour, "#1f5c78"),
        (Token::HighlightLower, "#1f5c78"),
        (Token::CornerRadius, "40"),
    ]);
    let night = values(&[
        (Token::Background, "#16202a"),
        (Token::TextColour, "#f1e8d6"),
        (Token::Fill, "#78b7d4"),
        (Token::HighlightColour, "#78b7d4"),
        (Token::HighlightLower, "#78b7d4"),
        (Token::Track, "#2b3a46"),
        (Token::BorderColour, "#4d6474"),
    ]);
    let harbour = OwnLook { name: "Harbour".into(), base: Base::Linen, day, night, ..OwnLook::default() };
    Looks { all: [(1, harbour)].into(), ..Looks::default() }
}

/// A widget and its title.
pub(super) type Named = (WidgetId, String);

/// The widgets that there are.
pub(super) async fn named(store: &Store, channel: ChannelId) -> Result<Vec<Named>, StoreError> {
    let records = store.widgets(channel).await?;
    Ok(records.into_iter().map(|one| (one.id, one.setup.unfolded().title().to_owned())).collect())
}

/// Makes both, with the widgets that there are.
pub(super) async fn lay_out(store: &Store, channel: ChannelId) -> Result<(), StoreError> {
    let widgets = named(store, channel).await?;
    let both = [laid("Main picture", (1_920, 1_080), &WIDE, &widgets), laid("Tall", (1_080, 1_920), &TALL, &widgets)];
    for layout in both {
        let layout = layout.map_err(|error| StoreError::Unreadable(error.to_string()))?;
        store.create_overlay(channel, layout, tokens::token(&mut rand::rng())).await?;
    }
    Ok(())
}
