//! How overlays are drawn: a board with its pieces, on air and where it is arranged.

mod live;
pub mod page;

use crate::app::App;
use crate::error::WebError;
use crate::heavy::{ROOMS, Whose};
use crate::markup::{hex, html};
use crate::widgets::Drawable;
use crate::{own_style, widgets};
use askama::Template;
use bytestring::ByteString;
use serde_json::json;
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use tally_core::look::{Looks, OWN_LOOK};
use tally_core::overlay::{Appearances, Overlay, Piece, Side, What};
use tally_core::record::ids::WidgetId;
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

/// A layout with what stands on it at an instant, ready to be drawn.
pub struct Laid {
    layout: Overlay,
    on: For,
    /// Whether what is drawn later takes its place; not where a look is tried on.
    live: bool,
    seen: BTreeMap<WidgetId, Drawable>,
    said: Appearances,
}

impl Laid {
    /// What stands on a layout now; with all widgets in one look of the streamer's own where that is tried on.
    ///
    /// # Errors
    /// The channel is being let go.
    pub async fn of(
        channel: &ChannelHandle,
        layout: Overlay,
        on: For,
        id: u32,
        look: Option<(u32, Looks)>,
    ) -> Result<Self, WebError> {
        let (ids, live): (Vec<WidgetId>, bool) = (layout.widgets().collect(), look.is_none());
        let (seen, said) = channel
            .ask(move |channel, now| {
                let scope = channel.scope(now);
                let seen = |id: WidgetId| {
                    let piece = channel.widget(id)?;
                    let Some((look, looks)) = &look else { return Some((id, Drawable::of(piece, &scope))) };
                    let (mut styled, _) = piece.edited("look", &format!("{OWN_LOOK}{look}"), &scope).ok()?;
                    styled.apply_looks(looks);
                    Some((id, Drawable::showing(&styled, piece.view(&scope))))
                };
                (ids.into_iter().filter_map(seen).collect(), channel.appearances(id))
            })
            .await?;
        Ok(Self { layout, on, live, seen, said })
    }

    /// Its pieces as markup.
    pub fn pieces(&self) -> String {
        let draw = |(id, seen): (&WidgetId, &Drawable)| {
            (*id, if self.live { seen.to_string() } else { widgets::example(seen.seen()) })
        };
        let drawn: BTreeMap<WidgetId, String> = self.seen.iter().map(draw).collect();
        let piece = |piece| {
            let piece: &Piece = piece;
            let inner = match &piece.what {
                // The same widget may stand in several places.
                What::Widget(id) => drawn.get(id).cloned().unwrap_or_default(),
                What::Icon { icon, .. } => widgets::sign(icon),
                What::Text { .. } | What::Panel { .. } | What::Line { .. } | What::Picture(_) => String::new(),
            };
            let about = (self.on == For::Arranging).then(|| json!(piece).to_string());
            let away = self.on == For::Air && !self.layout.shows(piece, &self.said);
            Drawn { piece, frame: frame(piece), about, inner, away }
        };
        html(&Pieces { live: self.live, pieces: self.layout.pieces.iter().map(piece).collect() })
    }

    /// The whole stage: its pieces on their board.
    pub fn stage(&self) -> String {
        html(&Stage { board: board(&self.layout), pieces: self.pieces(), style: style(&self.layout) })
    }
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

/// The stage of what is on air, drawn once for all pages that ask for it while its mark stays the same.
///
/// # Errors
/// The channel is being let go.
pub async fn stage(
    app: &App,
    channel: &ChannelHandle,
    record: &OverlayRecord,
    mark: &str,
) -> Result<ByteString, WebError> {
    let draw = async {
        let laid = Laid::of(channel, record.air.clone(), For::Air, record.id, None).await?;
        Ok(ROOMS.run(Whose::Channel(channel.id), move || laid.stage()).await?.into())
    };
    app.stages.get(record.id, mark, draw).await
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
