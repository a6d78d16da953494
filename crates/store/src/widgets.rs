//! Widgets as they are kept: a definition and the token of their page.

use crate::schema::widgets;
use crate::{Store, StoreError};
use diesel::mysql::MysqlConnection;
use diesel::prelude::*;
use tally_core::ids::{ChannelId, WidgetId};
use tally_core::widgets::Definition;

/// A widget as it is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct WidgetRecord {
    /// Which.
    pub id: WidgetId,
    /// Whose.
    pub channel: ChannelId,
    /// What the streamer decided.
    pub definition: Definition,
    /// The unguessable part of its page's address.
    pub page_token: String,
}

type Row = (u32, u32, String, String);

fn record((id, channel, definition, page_token): Row) -> Result<WidgetRecord, StoreError> {
    let definition =
        serde_json::from_str(&definition).map_err(|error| StoreError::Unreadable(format!("widget {id}: {error}")))?;
    Ok(WidgetRecord { id: WidgetId(id), channel: ChannelId(channel), definition, page_token })
}

fn json(definition: &Definition) -> Result<String, StoreError> {
    serde_json::to_string(definition).map_err(|error| StoreError::Unreadable(error.to_string()))
}

/// Keeps a changed definition.
pub(crate) fn save_definition(
    conn: &mut MysqlConnection,
    id: WidgetId,
    definition: &Definition,
) -> Result<(), StoreError> {
    diesel::update(widgets::table.find(id.0)).set(widgets::definition.eq(json(definition)?)).execute(conn)?;
    Ok(())
}

const COLUMNS: (widgets::id, widgets::channel_id, widgets::definition, widgets::page_token) =
    (widgets::id, widgets::channel_id, widgets::definition, widgets::page_token);

impl Store {
    /// Makes a widget.
    ///
    /// # Errors
    /// The database is away.
    pub async fn create_widget(
        &self,
        channel: ChannelId,
        definition: Definition,
        page_token: String,
    ) -> Result<WidgetRecord, StoreError> {
        self.run(move |conn| {
            diesel::insert_into(widgets::table)
                .values((
                    widgets::channel_id.eq(channel.0),
                    widgets::definition.eq(json(&definition)?),
                    widgets::page_token.eq(&page_token),
                ))
                .execute(conn)?;
            let row: Row = widgets::table.filter(widgets::page_token.eq(page_token)).select(COLUMNS).first(conn)?;
            record(row)
        })
        .await
    }

    /// A channel's widgets in the order in which they were made.
    ///
    /// # Errors
    /// The database is away, or a definition cannot be read.
    pub async fn widgets(&self, channel: ChannelId) -> Result<Vec<WidgetRecord>, StoreError> {
        self.run(move |conn| {
            let rows: Vec<Row> = widgets::table
                .filter(widgets::channel_id.eq(channel.0))
                .order(widgets::id)
                .select(COLUMNS)
                .load(conn)?;
            rows.into_iter().map(record).collect()
        })
        .await
    }

    /// The widget behind a page's address.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub async fn widget_by_token(&self, token: String) -> Result<WidgetRecord, StoreError> {
        self.run(move |conn| {
            let row: Row = widgets::table.filter(widgets::page_token.eq(token)).select(COLUMNS).first(conn)?;
            record(row)
        })
        .await
    }

    /// Keeps a changed definition.
    ///
    /// # Errors
    /// The database is away.
    pub async fn save_definition(&self, id: WidgetId, definition: Definition) -> Result<(), StoreError> {
        self.run(move |conn| save_definition(conn, id, &definition)).await
    }

    /// Gives a widget's page another address; the old one is void from now on.
    ///
    /// # Errors
    /// The database is away.
    pub async fn save_page_token(&self, id: WidgetId, token: String) -> Result<(), StoreError> {
        self.run(move |conn| {
            diesel::update(widgets::table.find(id.0)).set(widgets::page_token.eq(token)).execute(conn)?;
            Ok(())
        })
        .await
    }
}
