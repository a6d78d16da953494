//! Widgets as they are kept: what the streamer decided about them, and the token of their page.

use crate::schema::{widget_past, widgets};
use crate::{Store, StoreError, Work};
use diesel::mysql::MysqlConnection;
use diesel::prelude::*;
use tally_core::money::Currency;
use tally_core::record::ids::{ChannelId, WidgetId};
use tally_core::widgets::Setup;

/// So many changes of a widget can be taken back.
const PAST: i64 = 50;

/// A widget as it is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct WidgetRecord {
    /// Which.
    pub id: WidgetId,
    /// Whose.
    pub channel: ChannelId,
    /// What is on air.
    pub setup: Setup,
    /// What is tried on the stage, where that is something else.
    pub draft: Option<Setup>,
    /// Whether it lies in the archive: it is on no shelf, and its page is blank.
    pub archived: bool,
    /// The unguessable part of its page's address.
    pub page_token: String,
}

/// A widget of which it is certain that it belongs to a channel: only [`Store::own_widget`] makes one, and
/// nothing is changed in a widget without one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OwnWidget {
    id: WidgetId,
}

impl OwnWidget {
    /// Which.
    #[must_use]
    pub fn id(self) -> WidgetId {
        self.id
    }
}

/// A widget whose text is kept in a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextFile {
    /// Which.
    pub id: WidgetId,
    /// Whose.
    pub channel: ChannelId,
    /// The file's name, with places for its title and its number.
    pub pattern: String,
}

/// What a widget was before a change.
#[derive(Debug, Clone, PartialEq)]
pub struct Past {
    /// What was on air.
    pub setup: Setup,
    /// What was tried on the stage.
    pub draft: Option<Setup>,
    /// What the change was.
    pub words: String,
    /// In which currency it was told; none where that was not kept yet.
    pub currency: Option<Currency>,
}

/// A widget that is another one in another currency.
#[derive(Debug, Clone, PartialEq)]
pub struct Converted {
    /// Which.
    pub id: WidgetId,
    /// What is on air from now on.
    pub setup: Setup,
    /// What is tried on the stage.
    pub draft: Option<Setup>,
    /// What it was before; none where its newest change is taken back by this.
    pub before: Option<Past>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = widgets)]
struct Row {
    id: u32,
    channel_id: u32,
    definition: String,
    page_token: String,
    look: String,
    draft: Option<String>,
    archived: u8,
}

impl Row {
    fn record(self) -> Result<WidgetRecord, StoreError> {
        let unreadable = |error: serde_json::Error| StoreError::Unreadable(format!("widget {}: {error}", self.id));
        let definition = serde_json::from_str(&self.definition).map_err(unreadable)?;
        let look = serde_json::from_str(&self.look).map_err(unreadable)?;
        Ok(WidgetRecord {
            id: WidgetId(self.id),
            channel: ChannelId(self.channel_id),
            setup: Setup { definition, look },
            draft: self.draft.as_deref().map(serde_json::from_str).transpose().map_err(unreadable)?,
            archived: self.archived != 0,
            page_token: self.page_token,
        })
    }
}

fn json(part: &impl serde::Serialize) -> Result<String, StoreError> {
    serde_json::to_string(part).map_err(|error| StoreError::Unreadable(error.to_string()))
}

/// Keeps a changed setup and draft.
pub(crate) fn save_setup(
    conn: &mut MysqlConnection,
    id: WidgetId,
    setup: &Setup,
    draft: Option<&Setup>,
) -> Result<(), StoreError> {
    let columns = (
        widgets::definition.eq(json(&setup.definition)?),
        widgets::look.eq(json(&setup.look)?),
        widgets::draft.eq(draft.map(json).transpose()?),
    );
    diesel::update(widgets::table.find(id.0)).set(columns).execute(conn)?;
    Ok(())
}

fn newest_past(conn: &mut MysqlConnection, id: WidgetId) -> Result<Option<(u64, Past)>, StoreError> {
    type Row = (u64, String, Option<String>, String, Option<String>);
    let row: Option<Row> = widget_past::table
        .filter(widget_past::widget_id.eq(id.0))
        .order(widget_past::id.desc())
        .select((widget_past::id, widget_past::setup, widget_past::draft, widget_past::words, widget_past::currency))
        .first(conn)
        .optional()?;
    let Some((place, setup, draft, words, currency)) = row else { return Ok(None) };
    let unreadable = |error: serde_json::Error| StoreError::Unreadable(format!("the past of widget {id}: {error}"));
    let setup = serde_json::from_str(&setup).map_err(unreadable)?;
    let draft = draft.as_deref().map(serde_json::from_str).transpose().map_err(unreadable)?;
    let currency = currency.and_then(|code| Currency::parse(&code).ok());
    Ok(Some((place, Past { setup, draft, words, currency })))
}

/// Keeps what a widget was before a change, and lets go of what lies too far back.
fn remember(conn: &mut MysqlConnection, id: WidgetId, before: &Past) -> Result<(), StoreError> {
    let words: String = before.words.chars().take(200).collect();
    diesel::insert_into(widget_past::table)
        .values((
            widget_past::widget_id.eq(id.0),
            widget_past::setup.eq(json(&before.setup)?),
            widget_past::draft.eq(before.draft.as_ref().map(json).transpose()?),
            widget_past::words.eq(words),
            widget_past::currency.eq(before.currency.map(|currency| currency.code().to_owned())),
        ))
        .execute(conn)?;
    let oldest: Option<u64> = widget_past::table
        .filter(widget_past::widget_id.eq(id.0))
        .order(widget_past::id.desc())
        .offset(PAST)
        .select(widget_past::id)
        .first(conn)
        .optional()?;
    if let Some(oldest) = oldest {
        let old = widget_past::widget_id.eq(id.0).and(widget_past::id.le(oldest));
        diesel::delete(widget_past::table.filter(old)).execute(conn)?;
    }
    Ok(())
}

/// Keeps a widget that is another one in another currency.
pub(crate) fn convert(conn: &mut MysqlConnection, converted: &Converted) -> Result<(), StoreError> {
    let Converted { id, setup, draft, before } = converted;
    save_setup(conn, *id, setup, draft.as_ref())?;
    match before {
        Some(before) => remember(conn, *id, before),
        None => {
            if let Some((place, _)) = newest_past(conn, *id)? {
                diesel::delete(widget_past::table.find(place)).execute(conn)?;
            }
            Ok(())
        }
    }
}

impl Store {
    /// Makes a widget.
    ///
    /// # Errors
    /// The database is away.
    pub fn create_widget(&self, channel: ChannelId, setup: Setup, page_token: String) -> Work<WidgetRecord> {
        self.run(move |conn| {
            diesel::insert_into(widgets::table)
                .values((
                    widgets::channel_id.eq(channel.0),
                    widgets::definition.eq(json(&setup.definition)?),
                    widgets::look.eq(json(&setup.look)?),
                    widgets::page_token.eq(&page_token),
                ))
                .execute(conn)?;
            let made = widgets::table.filter(widgets::page_token.eq(page_token));
            let row: Row = made.select(Row::as_select()).first(conn)?;
            row.record()
        })
    }

    /// A channel's widgets in the order in which they were made, with those in the archive.
    ///
    /// # Errors
    /// The database is away, or a setup cannot be read.
    pub fn widgets(&self, channel: ChannelId) -> Work<Vec<WidgetRecord>> {
        self.run(move |conn| {
            let rows: Vec<Row> = widgets::table
                .filter(widgets::channel_id.eq(channel.0))
                .order(widgets::id)
                .select(Row::as_select())
                .load(conn)?;
            rows.into_iter().map(Row::record).collect()
        })
    }

    /// A widget, if it is one of the channel's.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when it is none of them.
    pub fn own_widget(&self, channel: ChannelId, id: WidgetId) -> Work<OwnWidget> {
        self.run(move |conn| {
            let own = widgets::table.find(id.0).filter(widgets::channel_id.eq(channel.0)).select(widgets::id);
            let id: u32 = own.first(conn)?;
            Ok(OwnWidget { id: WidgetId(id) })
        })
    }

    /// The widget behind a page's address.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn widget_by_token(&self, token: String) -> Work<WidgetRecord> {
        self.run(move |conn| {
            let row: Row = widgets::table.filter(widgets::page_token.eq(token)).select(Row::as_select()).first(conn)?;
            row.record()
        })
    }

    /// Keeps a changed setup and draft, and what they were before, all or nothing.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_setup(&self, widget: OwnWidget, setup: Setup, draft: Option<Setup>, before: Past) -> Work<()> {
        let id = widget.id;
        self.run(move |conn| {
            conn.transaction(|conn| {
                save_setup(conn, id, &setup, draft.as_ref())?;
                remember(conn, id, &before)
            })
        })
    }

    /// What a widget was before its newest change; none where nothing can be taken back.
    ///
    /// # Errors
    /// The database is away, or it cannot be read.
    pub fn widget_past(&self, widget: OwnWidget) -> Work<Option<Past>> {
        let id = widget.id;
        self.run(move |conn| Ok(newest_past(conn, id)?.map(|(_, past)| past)))
    }

    /// Takes the newest change of a widget back, and gives what it was before; none where nothing can be.
    ///
    /// # Errors
    /// The database is away, or it cannot be read.
    pub fn take_back_setup(&self, widget: OwnWidget) -> Work<Option<Past>> {
        let id = widget.id;
        self.run(move |conn| {
            conn.transaction(|conn| {
                let Some((place, past)) = newest_past(conn, id)? else { return Ok(None) };
                save_setup(conn, id, &past.setup, past.draft.as_ref())?;
                diesel::delete(widget_past::table.find(place)).execute(conn)?;
                Ok(Some(past))
            })
        })
    }

    /// Keeps a setup and draft that say the same as before in other words.
    ///
    /// # Errors
    /// The database is away.
    pub fn replace_setup(&self, widget: OwnWidget, setup: Setup, draft: Option<Setup>) -> Work<()> {
        let id = widget.id;
        self.run(move |conn| save_setup(conn, id, &setup, draft.as_ref()))
    }

    /// Puts a widget into the archive, or back on the shelf.
    ///
    /// # Errors
    /// The database is away.
    pub fn archive_widget(&self, widget: OwnWidget, archived: bool) -> Work<()> {
        let id = widget.id;
        self.run(move |conn| {
            let column = widgets::archived.eq(u8::from(archived));
            diesel::update(widgets::table.find(id.0)).set(column).execute(conn)?;
            Ok(())
        })
    }

    /// Gives a widget's page another address; the old one is void from now on.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_page_token(&self, widget: OwnWidget, token: String) -> Work<()> {
        let id = widget.id;
        self.run(move |conn| {
            diesel::update(widgets::table.find(id.0)).set(widgets::page_token.eq(token)).execute(conn)?;
            Ok(())
        })
    }

    /// All widgets whose text is kept in a file, of all channels. Those in the archive show nothing.
    ///
    /// # Errors
    /// The database is away.
    pub fn text_files(&self) -> Work<Vec<TextFile>> {
        self.run(move |conn| {
            let rows: Vec<(u32, u32, Option<String>)> = widgets::table
                .filter(widgets::text_file.is_not_null().and(widgets::archived.eq(0)))
                .select((widgets::id, widgets::channel_id, widgets::text_file))
                .order(widgets::id)
                .load(conn)?;
            let file = |(id, channel, pattern): (u32, u32, Option<String>)| {
                Some(TextFile { id: WidgetId(id), channel: ChannelId(channel), pattern: pattern? })
            };
            Ok(rows.into_iter().filter_map(file).collect())
        })
    }

    /// Keeps a widget's text in a file of that name from now on; in none where there is none.
    ///
    /// # Errors
    /// The database is away.
    pub fn save_text_file(&self, widget: OwnWidget, pattern: Option<String>) -> Work<()> {
        let id = widget.id;
        self.run(move |conn| {
            diesel::update(widgets::table.find(id.0)).set(widgets::text_file.eq(pattern)).execute(conn)?;
            Ok(())
        })
    }
}
