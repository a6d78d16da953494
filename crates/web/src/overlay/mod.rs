//! How overlays are drawn: a board with its pieces, on air and where it is arranged.

mod live;
pub mod page;

use crate::error::WebError;
use crate::markup::{hex, html};
use crate::{own_style, widgets};
use askama::Template;
use serde_json::json;
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use tally_core::look::{Looks, OWN_LOOK};
use tally_core::overlay::{Appearances, Overlay, Piece, Side, What};
use tally_core::record::ids::WidgetId;
use tally_core::widgets::Piece as Shown;
use tally_core::widgets::view::View;
use tally_engine::ChannelHandle;
use tally_store::overlays::OverlayRecord;

/// For what a layout is drawn.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum For {
    /// The page on air: what is hidden is there and not seen, so that it can come at once.
    Air,
    /// The room where it is arranged, in which everything can be taken hold of.
    Arranging,
}

/// A piece as it is drawn.
struct Drawn<'a> {
    piece: &'a Piece,
    /// Its place and how it is seen, as data for the page's script.
    frame: String,
    /// What it is and how it comes, as data for the room where it is arranged.
    about: Option<String>,
    /// What is seen of it inside, where that is drawn elsewhere.
    inner: String,
    /// Whether it is not on the picture now.
    away: bool,
}

/// The pieces of a layout, for the inside of a stage.
#[derive(Template)]
#[template(path = "overlay_pieces.html")]
struct Pieces<'a> {
    /// Whether what is drawn later takes its place; not where a look is tried on.
    live: bool,
    pieces: Vec<Drawn<'a>>,
}

fn frame(piece: &Piece) -> String {
    let at = piece.frame;
    json!({
        "x": at.x, "y": at.y, "width": at.width, "height": at.height, "turn": piece.turn, "opacity": piece.opacity,
    })
    .to_string()
}

/// The pieces of a layout as markup.
///
/// # Errors
/// The channel is being let go.
pub async fn pieces(channel: &ChannelHandle, layout: &Overlay, on: For, id: u32) -> Result<String, WebError> {
    pieces_with(channel, layout, on, id, None).await
}

/// The pieces of a layout as markup, with all widgets in one look of the streamer's own, tried on.
///
/// # Errors
/// The channel is being let go.
pub async fn pieces_with(
    channel: &ChannelHandle,
    layout: &Overlay,
    on: For,
    id: u32,
    look: Option<(u32, Looks)>,
) -> Result<String, WebError> {
    let (ids, live): (Vec<WidgetId>, bool) = (layout.widgets().collect(), look.is_none());
    let (seen, said): (Vec<(WidgetId, Shown, View)>, Appearances) = channel
        .ask(move |channel, now| {
            let scope = channel.scope(now);
            let seen = |id: WidgetId| {
                let piece = channel.widget(id)?;
                let view = piece.view(&scope);
                let Some((look, looks)) = &look else { return Some((id, piece.clone(), view)) };
                let (mut piece, _) = piece.edited("look", &format!("{OWN_LOOK}{look}"), &scope).ok()?;
                piece.apply_looks(looks);
                Some((id, piece, view))
            };
            (ids.into_iter().filter_map(seen).collect(), channel.appearances(id))
        })
        .await?;
    let draw = |(id, piece, view): (WidgetId, Shown, View)| {
        let seen = widgets::seen(&piece, &view);
        (id, if live { widgets::draw(seen) } else { widgets::example(seen) })
    };
    let drawn: BTreeMap<WidgetId, String> = seen.into_iter().map(draw).collect();
    let piece = |piece| {
        let piece: &Piece = piece;
        let inner = match &piece.what {
            // The same widget may stand in several places.
            What::Widget(id) => drawn.get(id).cloned().unwrap_or_default(),
            What::Icon { icon, .. } => widgets::sign(icon),
            What::Text { .. } | What::Panel { .. } | What::Line { .. } | What::Picture(_) => String::new(),
        };
        let about = (on == For::Arranging).then(|| json!(piece).to_string());
        let away = on == For::Air && !layout.shows(piece, &said);
        Drawn { piece, frame: frame(piece), about, inner, away }
    };
    Ok(html(&Pieces { live, pieces: layout.pieces.iter().map(piece).collect() }))
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
    style: Option<Style>,
}

/// A style of the streamer's own for all of an overlay: the class under which it stands, and its rules.
pub struct Style {
    pub class: String,
    pub css: String,
}

/// The style of a layout, if it has one.
pub fn style(layout: &Overlay) -> Option<Style> {
    let class = (!layout.css.is_empty()).then(|| format!("own-{}", hex(&Sha256::digest(&layout.css)[..8])))?;
    let css = own_style::scoped(&layout.css, &class).to_string();
    Some(Style { class, css })
}

/// The stage of what is on air.
///
/// # Errors
/// The channel is being let go.
pub async fn stage(channel: &ChannelHandle, record: &OverlayRecord) -> Result<String, WebError> {
    Ok(framed(&record.air, pieces(channel, &record.air, For::Air, record.id).await?))
}

/// A word that changes whenever something is drawn, written or laid out: a page that was drawn after it was made has all that there
/// is as long as it stays.
///
/// # Errors
/// The channel is being let go.
pub async fn mark(channel: &ChannelHandle, record: &OverlayRecord) -> Result<String, WebError> {
    let (published, seq) = (channel.hub.published(), channel.ask(|channel, _| channel.last_seq()).await?);
    let layout = Sha256::digest(serde_json::to_vec(&record.air).unwrap_or_default());
    Ok(format!("{}-{published}-{seq}", hex(&layout[..8])))
}

/// Pieces on their board.
pub fn framed(layout: &Overlay, pieces: String) -> String {
    html(&Stage { board: board(layout), pieces, style: style(layout) })
}

/// To which side a text stands, as a word for styles.
fn side(side: Side) -> &'static str {
    match side {
        Side::Left => "left",
        Side::Middle => "middle",
        Side::Right => "right",
    }
}

/// What widgets are called.
pub type Titles = BTreeMap<WidgetId, String>;

/// What the widgets of a layout are called.
///
/// # Errors
/// The channel is being let go.
pub async fn titles(channel: &ChannelHandle, layout: &Overlay) -> Result<Titles, WebError> {
    let ids: Vec<WidgetId> = layout.widgets().collect();
    let titles = channel.ask(move |channel, _| {
        let title = |id: WidgetId| Some((id, channel.widget(id)?.title().to_owned()));
        ids.into_iter().filter_map(title).collect()
    });
    Ok(titles.await?)
}

/// What a piece is called in lists.
pub fn words(piece: &Piece, titles: &Titles) -> String {
    piece.words(|id| titles.get(&id).cloned())
}
