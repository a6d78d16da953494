//! How overlays are drawn: a board with its pieces, on air and where it is arranged.

pub mod page;

use crate::error::WebError;
use crate::markup::html;
use crate::widgets;
use askama::Template;
use serde_json::json;
use std::collections::BTreeMap;
use tally_core::overlay::{Overlay, Piece, What};
use tally_core::record::ids::WidgetId;
use tally_engine::ChannelHandle;
use tally_store::overlays::OverlayRecord;

/// A piece as it is drawn.
struct Drawn<'a> {
    piece: &'a Piece,
    /// Its place and how it is seen, as data for the page's script.
    frame: String,
    /// What is seen of a widget; empty where it is gone.
    inner: &'a str,
}

/// The pieces of a layout, for the inside of a stage.
#[derive(Template)]
#[template(path = "overlay_pieces.html")]
struct Pieces<'a> {
    pieces: Vec<Drawn<'a>>,
}

fn frame(piece: &Piece) -> String {
    let at = piece.frame;
    json!({
        "x": at.x, "y": at.y, "width": at.width, "height": at.height, "turn": piece.turn, "opacity": piece.opacity,
    })
    .to_string()
}

/// The pieces of a layout as markup: all of them for arranging, or only those that are seen.
///
/// # Errors
/// The channel is being let go.
pub async fn pieces(channel: &ChannelHandle, layout: &Overlay, all: bool) -> Result<String, WebError> {
    let ids: Vec<WidgetId> = layout.widgets().collect();
    let drawn: BTreeMap<WidgetId, String> = channel
        .ask(move |channel, now| {
            let scope = channel.scope(now);
            let drawn = |id: WidgetId| {
                let piece = channel.widget(id)?;
                Some((id, widgets::draw(widgets::seen(piece, &piece.view(&scope)))))
            };
            ids.into_iter().filter_map(drawn).collect()
        })
        .await?;
    let seen = layout.pieces.iter().filter(|piece| all || !piece.hidden);
    let piece = |piece| {
        let piece: &Piece = piece;
        let inner = match &piece.what {
            What::Widget(id) => drawn.get(id).map_or("", String::as_str),
            _ => "",
        };
        Drawn { piece, frame: frame(piece), inner }
    };
    Ok(html(&Pieces { pieces: seen.map(piece).collect() }))
}

/// What the page's script needs to fit the board into its window.
pub fn board(layout: &Overlay) -> String {
    json!({"width": layout.width, "height": layout.height, "fit": layout.fit.about().0}).to_string()
}

/// The whole stage: the board with its pieces.
#[derive(Template)]
#[template(path = "overlay_stage.html")]
struct Stage {
    board: String,
    pieces: String,
}

/// The stage of what is on air.
///
/// # Errors
/// The channel is being let go.
pub async fn stage(channel: &ChannelHandle, record: &OverlayRecord) -> Result<String, WebError> {
    Ok(html(&Stage { board: board(&record.air), pieces: pieces(channel, &record.air, false).await? }))
}
