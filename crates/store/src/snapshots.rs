//! Snapshots: a shortcut for starting, never the truth.

use crate::schema::snapshots;
use crate::{Store, StoreError};
use diesel::prelude::*;
use tally_core::channel::Snapshot;
use tally_core::ids::ChannelId;

/// Raised whenever folding changes its meaning; older snapshots are then left aside.
const VERSION: u32 = 2;

impl Store {
    /// Keeps a snapshot in place of the one before.
    ///
    /// # Errors
    /// The database is away.
    pub async fn save_snapshot(&self, channel: ChannelId, snapshot: Snapshot) -> Result<(), StoreError> {
        self.run(move |conn| {
            let body = serde_json::to_string(&snapshot).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            diesel::replace_into(snapshots::table)
                .values((
                    snapshots::channel_id.eq(channel.0),
                    snapshots::seq.eq(snapshot.last_seq.0),
                    snapshots::version.eq(VERSION),
                    snapshots::body.eq(body),
                ))
                .execute(conn)?;
            Ok(())
        })
        .await
    }

    /// The snapshot of a channel, if there is one that this version understands.
    ///
    /// # Errors
    /// The database is away.
    pub async fn snapshot(&self, channel: ChannelId) -> Result<Option<Snapshot>, StoreError> {
        self.run(move |conn| {
            let body: Option<String> = snapshots::table
                .filter(snapshots::channel_id.eq(channel.0).and(snapshots::version.eq(VERSION)))
                .select(snapshots::body)
                .first(conn)
                .optional()?;
            Ok(body.and_then(|body| {
                let read = serde_json::from_str(&body);
                // It was only a shortcut; the ledger tells the same.
                read.inspect_err(|error| tracing::warn!(%error, %channel, "a snapshot cannot be read")).ok()
            }))
        })
        .await
    }
}
