//! Secrets of polls and wheels, for as long as they have to be kept.

use crate::schema::{vote_keys, wheel_seeds, widgets};
use crate::{Store, StoreError, Work};
use diesel::prelude::*;
use tally_core::record::acts::wheel::Bytes32;
use tally_core::record::ids::{ChannelId, Seq, WidgetId};

/// 32 random bytes.
pub type Secret = [u8; 32];

fn secret(bytes: &[u8]) -> Result<Secret, StoreError> {
    bytes.try_into().map_err(|_| StoreError::Unreadable("a secret is not 32 bytes long".into()))
}

impl Store {
    /// The key under which the voters of a poll are hidden; a fresh one is kept if there is none yet.
    ///
    /// # Errors
    /// The database is away.
    pub fn vote_key(&self, widget: WidgetId, poll: Seq, fresh: Secret) -> Work<Secret> {
        self.run(move |conn| {
            let row =
                (vote_keys::widget_id.eq(widget.0), vote_keys::poll.eq(poll.0), vote_keys::vote_key.eq(fresh.to_vec()));
            diesel::insert_or_ignore_into(vote_keys::table).values(row).execute(conn)?;
            let kept: Vec<u8> = vote_keys::table.find((widget.0, poll.0)).select(vote_keys::vote_key).first(conn)?;
            secret(&kept)
        })
    }

    /// The polls of a channel whose keys are kept.
    ///
    /// # Errors
    /// The database is away.
    pub fn polls_with_keys(&self, channel: ChannelId) -> Work<Vec<(WidgetId, Seq)>> {
        self.run(move |conn| {
            let own = widgets::table.filter(widgets::channel_id.eq(channel.0)).select(widgets::id);
            let rows: Vec<(u32, u64)> = vote_keys::table
                .filter(vote_keys::widget_id.eq_any(own))
                .select((vote_keys::widget_id, vote_keys::poll))
                .load(conn)?;
            Ok(rows.into_iter().map(|(widget, poll)| (WidgetId(widget), Seq(poll))).collect())
        })
    }

    /// Throws a poll's key away: nobody can tell any more who voted for what.
    ///
    /// # Errors
    /// The database is away.
    pub fn drop_vote_key(&self, widget: WidgetId, poll: Seq) -> Work<()> {
        self.run(move |conn| {
            diesel::delete(vote_keys::table.find((widget.0, poll.0))).execute(conn)?;
            Ok(())
        })
    }

    /// Keeps the seed of a wheel's next spin, before its commitment is shown to anybody.
    ///
    /// # Errors
    /// The database is away.
    pub fn keep_seed(&self, widget: WidgetId, commitment: Bytes32, seed: Bytes32) -> Work<()> {
        self.run(move |conn| {
            let row = (
                wheel_seeds::widget_id.eq(widget.0),
                wheel_seeds::commitment.eq(commitment.0.to_vec()),
                wheel_seeds::seed.eq(seed.0.to_vec()),
            );
            diesel::insert_into(wheel_seeds::table).values(row).execute(conn)?;
            Ok(())
        })
    }

    /// The seeds of a channel's wheels that wait for their spin: of which widget, commitment, and seed.
    ///
    /// # Errors
    /// The database is away.
    pub fn seeds(&self, channel: ChannelId) -> Work<Vec<(WidgetId, Bytes32, Bytes32)>> {
        self.run(move |conn| {
            let own = widgets::table.filter(widgets::channel_id.eq(channel.0)).select(widgets::id);
            let rows: Vec<(u32, Vec<u8>, Option<Vec<u8>>)> = wheel_seeds::table
                .filter(wheel_seeds::widget_id.eq_any(own))
                .filter(wheel_seeds::seed.is_not_null())
                .select((wheel_seeds::widget_id, wheel_seeds::commitment, wheel_seeds::seed))
                .load(conn)?;
            let read = |(widget, one, seed): (u32, Vec<u8>, Option<Vec<u8>>)| {
                Ok((WidgetId(widget), Bytes32(secret(&one)?), Bytes32(secret(&seed.unwrap_or_default())?)))
            };
            rows.into_iter().map(read).collect()
        })
    }

    /// Forgets a seed, which stands in the ledger now at a line; or the whole promise, if it was never kept.
    ///
    /// # Errors
    /// The database is away.
    pub fn seed_is_out(&self, commitment: Bytes32, spun: Option<Seq>) -> Work<()> {
        self.run(move |conn| {
            let row = wheel_seeds::table.find(commitment.0.to_vec());
            match spun {
                Some(seq) => diesel::update(row)
                    .set((wheel_seeds::seed.eq(None::<Vec<u8>>), wheel_seeds::spun.eq(seq.0)))
                    .execute(conn)?,
                None => diesel::delete(row).execute(conn)?,
            };
            Ok(())
        })
    }

    /// Which wheel has given a promise, and the line at which it was kept, if it has been.
    ///
    /// # Errors
    /// Nobody has, or the database is away.
    pub fn promise(&self, commitment: Bytes32) -> Work<(ChannelId, WidgetId, Option<Seq>)> {
        self.run(move |conn| {
            let (channel, widget, spun): (u32, u32, Option<u64>) = wheel_seeds::table
                .inner_join(widgets::table.on(widgets::id.eq(wheel_seeds::widget_id)))
                .filter(wheel_seeds::commitment.eq(commitment.0.to_vec()))
                .select((widgets::channel_id, widgets::id, wheel_seeds::spun))
                .first(conn)?;
            Ok((ChannelId(channel), WidgetId(widget), spun.map(Seq)))
        })
    }
}
