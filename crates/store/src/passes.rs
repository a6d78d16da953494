//! Helpers' passes: what each allows, which devices have opened it, and what was done with it.

use crate::accounts::digest;
use crate::schema::{pass_devices, pass_uses, passes};
use crate::{Store, StoreError, Work};
use diesel::dsl::{count_star, max};
use diesel::prelude::*;
use tally_core::book::instant;
use tally_core::channel::Grant;
use tally_core::record::ids::{ChannelId, Seq};
use tally_core::time::Instant;

/// How many passes a channel's list tells of.
const LISTED: i64 = 60;
/// How many of its lines are told of each.
const NEWEST: i64 = 3;

/// What is wanted of a pass.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewPass {
    /// Whose it is: the name under which presses stand in the ledger.
    pub name: String,
    /// What it allows.
    pub grant: Grant,
    /// When it ends by itself; none for when it is revoked.
    pub ends: Option<Instant>,
    /// On how many devices it may be opened.
    pub most_devices: u32,
    /// How many presses it is good for; none for any number.
    pub most_uses: Option<u32>,
}

/// What opens a pass. Only digests are kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keys {
    /// The unguessable part of its address.
    pub link: String,
    /// Its three words under a key that is not in the database, since there are few enough words to try them all.
    pub words: Vec<u8>,
    /// Until when the words open it.
    pub words_until: Instant,
}

/// A pass.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pass {
    /// Which.
    pub id: u32,
    /// Of which channel.
    pub channel: ChannelId,
    /// What was wanted of it.
    pub wanted: NewPass,
    /// When it was revoked, if it was.
    pub revoked: Option<Instant>,
}

impl Pass {
    /// Whether it opens anything at an instant.
    #[must_use]
    pub fn holds(&self, now: Instant) -> bool {
        self.revoked.is_none() && self.wanted.ends.is_none_or(|end| now < end)
    }
}

/// A pass as its owner sees it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// The pass.
    pub pass: Pass,
    /// On how many devices it was opened.
    pub devices: u32,
    /// How many presses were made with it.
    pub uses: u32,
    /// The last one.
    pub last_use: Option<Instant>,
    /// Its newest lines in the ledger, the newest first.
    pub lines: Vec<Seq>,
}

/// What became of a wish to open a pass, or to press with it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Admitted {
    /// It may go on.
    Yes,
    /// The pass is good for no more.
    UsedUp,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = passes)]
struct Row {
    id: u32,
    channel_id: u32,
    name: String,
    allows: String,
    ends_us: Option<i64>,
    most_devices: u32,
    most_uses: Option<u32>,
    revoked_us: Option<i64>,
}

impl Row {
    fn pass(self) -> Result<Pass, StoreError> {
        let grant = serde_json::from_str(&self.allows).map_err(|error| StoreError::Unreadable(error.to_string()))?;
        let Self { id, channel_id, name, ends_us, most_devices, most_uses, revoked_us, .. } = self;
        let wanted = NewPass { name, grant, ends: ends_us.map(instant), most_devices, most_uses };
        Ok(Pass { id, channel: ChannelId(channel_id), wanted, revoked: revoked_us.map(instant) })
    }
}

fn number(count: i64) -> u32 {
    count.try_into().unwrap_or(u32::MAX)
}

impl Store {
    /// Makes a pass.
    ///
    /// # Errors
    /// [`StoreError::Taken`] when another pass has the same words: choose others.
    pub fn create_pass(&self, channel: ChannelId, wanted: NewPass, keys: Keys, now: Instant) -> Work<u32> {
        self.run(move |conn| {
            let allows =
                serde_json::to_string(&wanted.grant).map_err(|error| StoreError::Unreadable(error.to_string()))?;
            let link = digest(&keys.link);
            diesel::insert_into(passes::table)
                .values((
                    passes::channel_id.eq(channel.0),
                    passes::name.eq(wanted.name),
                    passes::allows.eq(allows),
                    passes::ends_us.eq(wanted.ends.map(|end| end.timestamp_micros())),
                    passes::most_devices.eq(wanted.most_devices),
                    passes::most_uses.eq(wanted.most_uses),
                    passes::link.eq(&link),
                    passes::words.eq(Some(keys.words)),
                    passes::words_until_us.eq(keys.words_until.timestamp_micros()),
                    passes::made_us.eq(now.timestamp_micros()),
                ))
                .execute(conn)?;
            Ok(passes::table.filter(passes::link.eq(link)).select(passes::id).first(conn)?)
        })
    }

    /// Gives a pass another link and other words. Devices that have opened it stay.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such pass, or [`StoreError::Taken`] as above.
    pub fn renew_pass(&self, channel: ChannelId, id: u32, keys: Keys) -> Work<()> {
        self.run(move |conn| {
            let own = passes::table.find(id).filter(passes::channel_id.eq(channel.0).and(passes::revoked_us.is_null()));
            let renewed = (
                passes::link.eq(digest(&keys.link)),
                passes::words.eq(Some(keys.words)),
                passes::words_until_us.eq(keys.words_until.timestamp_micros()),
            );
            match diesel::update(own).set(renewed).execute(conn)? {
                0 => Err(StoreError::NotFound),
                _ => Ok(()),
            }
        })
    }

    /// Takes a pass out of force, for ever.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such pass in force.
    pub fn revoke_pass(&self, channel: ChannelId, id: u32, now: Instant) -> Work<()> {
        self.run(move |conn| {
            let own = passes::table.find(id).filter(passes::channel_id.eq(channel.0).and(passes::revoked_us.is_null()));
            // Its words are free again for another.
            let revoked = (passes::revoked_us.eq(Some(now.timestamp_micros())), passes::words.eq(None::<Vec<u8>>));
            match diesel::update(own).set(revoked).execute(conn)? {
                0 => Err(StoreError::NotFound),
                _ => Ok(()),
            }
        })
    }

    /// A channel's passes, the newest first.
    ///
    /// # Errors
    /// The database is away.
    pub fn passes(&self, channel: ChannelId) -> Work<Vec<Listed>> {
        self.run(move |conn| {
            let own = passes::table.filter(passes::channel_id.eq(channel.0)).order(passes::id.desc()).limit(LISTED);
            let rows: Vec<Row> = own.select(Row::as_select()).load(conn)?;
            let mut listed = Vec::with_capacity(rows.len());
            for row in rows {
                let devices = pass_devices::table.filter(pass_devices::pass_id.eq(row.id)).select(count_star());
                let uses = pass_uses::table.filter(pass_uses::pass_id.eq(row.id));
                let (many, last): (i64, Option<i64>) =
                    uses.select((count_star(), max(pass_uses::used_us))).first(conn)?;
                let newest = uses.filter(pass_uses::line.is_not_null()).order(pass_uses::line.desc()).limit(NEWEST);
                let lines: Vec<Option<u64>> = newest.select(pass_uses::line).load(conn)?;
                listed.push(Listed {
                    devices: number(devices.first(conn)?),
                    uses: number(many),
                    last_use: last.map(instant),
                    lines: lines.into_iter().flatten().map(Seq).collect(),
                    pass: row.pass()?,
                });
            }
            Ok(listed)
        })
    }

    /// The pass behind a link.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn pass_by_link(&self, link: String) -> Work<Pass> {
        self.run(move |conn| {
            let found = passes::table.filter(passes::link.eq(digest(&link)));
            found.select(Row::as_select()).first::<Row>(conn)?.pass()
        })
    }

    /// The pass behind three words, as long as they open it.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn pass_by_words(&self, words: Vec<u8>, now: Instant) -> Work<Pass> {
        self.run(move |conn| {
            let open = passes::words.eq(Some(words)).and(passes::words_until_us.gt(now.timestamp_micros()));
            passes::table.filter(open).select(Row::as_select()).first::<Row>(conn)?.pass()
        })
    }

    /// Opens a pass on a device, which shows that token from now on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the pass is gone.
    pub fn open_pass(&self, id: u32, device: String, now: Instant) -> Work<Admitted> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                // Of two who open the last place at once, one gets it.
                let most: u32 = passes::table.find(id).select(passes::most_devices).for_update().first(conn)?;
                let open: i64 =
                    pass_devices::table.filter(pass_devices::pass_id.eq(id)).select(count_star()).first(conn)?;
                if number(open) >= most {
                    return Ok(Admitted::UsedUp);
                }
                let row = (
                    pass_devices::device.eq(digest(&device)),
                    pass_devices::pass_id.eq(id),
                    pass_devices::opened_us.eq(now.timestamp_micros()),
                );
                diesel::insert_into(pass_devices::table).values(row).execute(conn)?;
                Ok(Admitted::Yes)
            })
        })
    }

    /// A device gives its pass back: its place is free again.
    ///
    /// # Errors
    /// The database is away.
    pub fn close_pass(&self, device: String) -> Work<()> {
        self.run(move |conn| {
            diesel::delete(pass_devices::table.find(digest(&device))).execute(conn)?;
            Ok(())
        })
    }

    /// The pass that a device has opened, whether it still holds or not.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is none.
    pub fn pass_of_device(&self, device: String) -> Work<Pass> {
        self.run(move |conn| {
            let joined = pass_devices::table.inner_join(passes::table.on(passes::id.eq(pass_devices::pass_id)));
            let found = joined.filter(pass_devices::device.eq(digest(&device)));
            found.select(Row::as_select()).first::<Row>(conn)?.pass()
        })
    }

    /// Notes a press before it is carried out. One that was noted before is the same press, sent again.
    ///
    /// # Errors
    /// The database is away.
    pub fn note_use(&self, id: u32, press: String, now: Instant) -> Work<Admitted> {
        self.run(move |conn| {
            conn.transaction(|conn| {
                let most: Option<u32> = passes::table.find(id).select(passes::most_uses).for_update().first(conn)?;
                let press = digest(&press);
                let own = pass_uses::table.filter(pass_uses::pass_id.eq(id));
                let known: i64 = own.filter(pass_uses::press.eq(&press)).select(count_star()).first(conn)?;
                if known > 0 {
                    return Ok(Admitted::Yes);
                }
                let used: i64 = own.select(count_star()).first(conn)?;
                if most.is_some_and(|most| number(used) >= most) {
                    return Ok(Admitted::UsedUp);
                }
                let row = (
                    pass_uses::pass_id.eq(id),
                    pass_uses::press.eq(press),
                    pass_uses::used_us.eq(now.timestamp_micros()),
                );
                diesel::insert_into(pass_uses::table).values(row).execute(conn)?;
                Ok(Admitted::Yes)
            })
        })
    }

    /// Notes where a press stands in the ledger; one that came to nothing was no use.
    ///
    /// # Errors
    /// The database is away.
    pub fn settle_use(&self, id: u32, press: String, line: Option<Seq>) -> Work<()> {
        self.run(move |conn| {
            let own = pass_uses::table.find((id, digest(&press)));
            match line {
                Some(seq) => diesel::update(own).set(pass_uses::line.eq(Some(seq.0))).execute(conn)?,
                None => diesel::delete(own.filter(pass_uses::line.is_null())).execute(conn)?,
            };
            Ok(())
        })
    }
}
