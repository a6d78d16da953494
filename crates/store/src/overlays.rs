//! Overlays: each layout with everything that it was before and after, and what of it is on air.

use crate::accounts::last_insert_id;
use crate::schema::{overlay_steps, overlays};
use crate::{Store, StoreError, Work};
use diesel::prelude::*;
use tally_core::overlay::Overlay;
use tally_core::record::ids::ChannelId;

/// An overlay as it is kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OverlayRecord {
    /// Which.
    pub id: u32,
    /// Whose.
    pub channel: ChannelId,
    /// The unguessable part of its page's address.
    pub token: String,
    /// Which step is the present one.
    pub step: u32,
    /// The layout as it is arranged.
    pub layout: Overlay,
    /// The layout that is on air.
    pub air: Overlay,
    /// Whether every step goes on air at once.
    pub at_once: bool,
    /// Whether there is a step to go back to, and one to go forth to.
    pub past: bool,
    /// See [`OverlayRecord::past`].
    pub future: bool,
}

/// What became of a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stepped {
    /// It was taken.
    Done(Box<OverlayRecord>),
    /// Somebody else has taken another one meanwhile; this is what it is now.
    Meanwhile(Box<OverlayRecord>),
}

type Row = (u32, u32, String, u32, String, bool);

fn read(text: &str) -> Result<Overlay, StoreError> {
    serde_json::from_str(text).map_err(|error| StoreError::Unreadable(error.to_string()))
}

fn written(layout: &Overlay) -> Result<String, StoreError> {
    serde_json::to_string(layout).map_err(|error| StoreError::Unreadable(error.to_string()))
}

fn whole(
    conn: &mut MysqlConnection,
    (id, channel, token, step, air, at_once): Row,
) -> Result<OverlayRecord, StoreError> {
    let steps = overlay_steps::table.filter(overlay_steps::overlay_id.eq(id));
    let layout: String = steps.filter(overlay_steps::step.eq(step)).select(overlay_steps::layout).first(conn)?;
    let (least, most): (Option<u32>, Option<u32>) =
        steps.select((diesel::dsl::min(overlay_steps::step), diesel::dsl::max(overlay_steps::step))).first(conn)?;
    Ok(OverlayRecord {
        id,
        channel: ChannelId(channel),
        token,
        step,
        layout: read(&layout)?,
        air: read(&air)?,
        at_once,
        past: least.is_some_and(|least| least < step),
        future: most.is_some_and(|most| most > step),
    })
}

/// Columns of a row.
type Columns = (overlays::id, overlays::channel_id, overlays::token, overlays::step, overlays::air, overlays::at_once);
const COLUMNS: Columns =
    (overlays::id, overlays::channel_id, overlays::token, overlays::step, overlays::air, overlays::at_once);

impl Store {
    /// Makes an overlay, which is on air as it is.
    ///
    /// # Errors
    /// The database is away.
    pub fn create_overlay(&self, channel: ChannelId, layout: Overlay, token: String) -> Work<OverlayRecord> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let text = written(&layout)?;
                diesel::insert_into(overlays::table)
                    .values((
                        overlays::channel_id.eq(channel.0),
                        overlays::token.eq(&token),
                        overlays::step.eq(1_u32),
                        overlays::air.eq(&text),
                    ))
                    .execute(conn)?;
                let id: u64 = diesel::select(last_insert_id()).get_result(conn)?;
                let id = u32::try_from(id).map_err(|error| StoreError::Unreadable(error.to_string()))?;
                let first =
                    (overlay_steps::overlay_id.eq(id), overlay_steps::step.eq(1_u32), overlay_steps::layout.eq(&text));
                diesel::insert_into(overlay_steps::table).values(first).execute(conn)?;
                whole(conn, (id, channel.0, token, 1, text, false))
            })
        })
    }

    /// A channel's overlays, in the order in which they were made.
    ///
    /// # Errors
    /// The database is away.
    pub fn overlays(&self, channel: ChannelId) -> Work<Vec<OverlayRecord>> {
        self.run(move |conn| {
            let own = overlays::table.filter(overlays::channel_id.eq(channel.0)).order(overlays::id);
            let rows: Vec<Row> = own.select(COLUMNS).load(conn)?;
            rows.into_iter().map(|row| whole(conn, row)).collect()
        })
    }

    /// One of a channel's overlays.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such one.
    pub fn overlay(&self, channel: ChannelId, id: u32) -> Work<OverlayRecord> {
        self.run(move |conn| {
            let row =
                overlays::table.find(id).filter(overlays::channel_id.eq(channel.0)).select(COLUMNS).first(conn)?;
            whole(conn, row)
        })
    }

    /// The overlay behind the address of a page.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn overlay_by_token(&self, token: String) -> Work<OverlayRecord> {
        self.run(move |conn| {
            let row = overlays::table.filter(overlays::token.eq(token)).select(COLUMNS).first(conn)?;
            whole(conn, row)
        })
    }

    /// Takes a step from one layout to the next. What could have been done again is given up.
    ///
    /// # Errors
    /// There is no such overlay, or the database is away.
    pub fn step_overlay(&self, channel: ChannelId, id: u32, from: u32, layout: Overlay) -> Work<Stepped> {
        self.moved(channel, id, from, move |conn, _| {
            let next = from.saturating_add(1);
            let later = overlay_steps::table.filter(overlay_steps::overlay_id.eq(id).and(overlay_steps::step.gt(from)));
            diesel::delete(later).execute(conn)?;
            let row = (
                overlay_steps::overlay_id.eq(id),
                overlay_steps::step.eq(next),
                overlay_steps::layout.eq(written(&layout)?),
            );
            diesel::insert_into(overlay_steps::table).values(row).execute(conn)?;
            Ok(next)
        })
    }

    /// Goes back to the layout before, or forth to the one after. Where there is none, it stays as it is.
    ///
    /// # Errors
    /// There is no such overlay, or the database is away.
    pub fn turn_overlay(&self, channel: ChannelId, id: u32, from: u32, back: bool) -> Work<Stepped> {
        self.moved(channel, id, from, move |_, record| {
            Ok(match (back, record.past, record.future) {
                (true, true, _) => from.saturating_sub(1),
                (false, _, true) => from.saturating_add(1),
                _ => from,
            })
        })
    }

    /// Puts the layout as it is arranged on air.
    ///
    /// # Errors
    /// There is no such overlay, or the database is away.
    pub fn air_overlay(&self, channel: ChannelId, id: u32, from: u32) -> Work<Stepped> {
        self.moved(channel, id, from, move |conn, record| {
            let air = overlays::air.eq(written(&record.layout)?);
            diesel::update(overlays::table.find(id)).set(air).execute(conn)?;
            Ok(from)
        })
    }

    /// Lets every step go on air at once, or only when it is put there. The layout on air stays as it is.
    ///
    /// # Errors
    /// There is no such overlay, or the database is away.
    pub fn set_at_once(&self, channel: ChannelId, id: u32, at_once: bool) -> Work<()> {
        self.run(move |conn| {
            let own = overlays::table.find(id).filter(overlays::channel_id.eq(channel.0));
            own.select(overlays::id).first::<u32>(conn)?;
            diesel::update(overlays::table.find(id)).set(overlays::at_once.eq(at_once)).execute(conn)?;
            Ok(())
        })
    }

    /// Gives an overlay's page another address.
    ///
    /// # Errors
    /// There is no such overlay, or the database is away.
    pub fn readdress_overlay(&self, channel: ChannelId, id: u32, token: String) -> Work<()> {
        self.run(move |conn| {
            let own = overlays::table.find(id).filter(overlays::channel_id.eq(channel.0));
            match diesel::update(own).set(overlays::token.eq(token)).execute(conn)? {
                0 => Err(StoreError::NotFound),
                _ => Ok(()),
            }
        })
    }

    /// Throws an overlay away, with all its steps.
    ///
    /// # Errors
    /// There is no such overlay, or the database is away.
    pub fn remove_overlay(&self, channel: ChannelId, id: u32) -> Work<()> {
        self.run(move |conn| {
            let own = overlays::table.find(id).filter(overlays::channel_id.eq(channel.0));
            match diesel::delete(own).execute(conn)? {
                0 => Err(StoreError::NotFound),
                _ => Ok(()),
            }
        })
    }

    /// Does something that leads from one step to another, if nobody else has been faster.
    fn moved(
        &self,
        channel: ChannelId,
        id: u32,
        from: u32,
        to: impl FnOnce(&mut MysqlConnection, &OverlayRecord) -> Result<u32, StoreError> + Send + 'static,
    ) -> Work<Stepped> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let own = overlays::table.find(id).filter(overlays::channel_id.eq(channel.0));
                let row: Row = own.select(COLUMNS).for_update().first(conn)?;
                let record = whole(conn, row)?;
                if record.step != from {
                    return Ok(Stepped::Meanwhile(Box::new(record)));
                }
                let step = to(conn, &record)?;
                diesel::update(overlays::table.find(id)).set(overlays::step.eq(step)).execute(conn)?;
                if record.at_once {
                    let here = overlay_steps::table.find((id, step)).select(overlay_steps::layout);
                    let layout: String = here.first(conn)?;
                    diesel::update(overlays::table.find(id)).set(overlays::air.eq(layout)).execute(conn)?;
                }
                let row: Row = overlays::table.find(id).select(COLUMNS).first(conn)?;
                Ok(Stepped::Done(Box::new(whole(conn, row)?)))
            })
        })
    }
}
