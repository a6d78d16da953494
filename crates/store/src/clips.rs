//! A streamer's own files: short videos and sounds for what is celebrated, and pictures.

use crate::schema::clips;
use crate::{Store, StoreError, Work};
use diesel::define_sql_function;
use diesel::prelude::*;
use tally_core::look::Sort;
use tally_core::record::ids::ChannelId;

/// A clip without its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Clip {
    /// The unguessable part of its address, and its word in looks.
    pub token: String,
    /// What it is.
    pub sort: Sort,
    /// What its file was called.
    pub name: String,
    /// How long it lasts; 0 for a picture.
    pub milliseconds: u32,
    /// How many bytes it has.
    pub size: u32,
}

type Row = (String, u8, String, u32, i32);

fn clip((token, sort, name, milliseconds, size): Row) -> Clip {
    Clip { token, sort: sort_of(sort), name, milliseconds, size: size.unsigned_abs() }
}

define_sql_function! {
    /// How many bytes a column holds.
    fn octet_length(bytes: diesel::sql_types::Binary) -> diesel::sql_types::Integer;
}

const HEARD: u8 = 0;
const SEEN: u8 = 1;
const PICTURE: u8 = 2;
const FONT: u8 = 3;
const PAGE: u8 = 4;

fn number(sort: Sort) -> u8 {
    match sort {
        Sort::Sound => HEARD,
        Sort::Video => SEEN,
        Sort::Picture => PICTURE,
        Sort::Font => FONT,
        Sort::Page => PAGE,
    }
}

fn sort_of(number: u8) -> Sort {
    match number {
        SEEN => Sort::Video,
        PICTURE => Sort::Picture,
        FONT => Sort::Font,
        PAGE => Sort::Page,
        _ => Sort::Sound,
    }
}

impl Store {
    /// Keeps a clip.
    ///
    /// # Errors
    /// The database is away.
    pub fn create_clip(&self, channel: ChannelId, clip: Clip, bytes: Vec<u8>) -> Work<()> {
        self.run(move |conn| {
            diesel::insert_into(clips::table)
                .values((
                    clips::channel_id.eq(channel.0),
                    clips::token.eq(&clip.token),
                    clips::seen.eq(number(clip.sort)),
                    clips::name.eq(&clip.name),
                    clips::milliseconds.eq(clip.milliseconds),
                    clips::bytes.eq(bytes),
                ))
                .execute(conn)?;
            Ok(())
        })
    }

    /// A channel's clips, in the order in which they came.
    ///
    /// # Errors
    /// The database is away.
    pub fn clips(&self, channel: ChannelId) -> Work<Vec<Clip>> {
        self.run(move |conn| {
            let rows: Vec<Row> = clips::table
                .filter(clips::channel_id.eq(channel.0))
                .order(clips::id)
                .select((clips::token, clips::seen, clips::name, clips::milliseconds, octet_length(clips::bytes)))
                .load(conn)?;
            Ok(rows.into_iter().map(clip).collect())
        })
    }

    /// What is seen or heard at an address.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when there is no such clip.
    pub fn clip(&self, token: String) -> Work<(Sort, Vec<u8>)> {
        self.run(move |conn| {
            let found = clips::table.filter(clips::token.eq(token));
            let (seen, bytes): (u8, Vec<u8>) = found.select((clips::seen, clips::bytes)).first(conn)?;
            Ok((sort_of(seen), bytes))
        })
    }

    /// Puts another file of the same sort in the place of one: whatever shows it shows the other from now on.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such file of that sort.
    pub fn replace_clip(&self, channel: ChannelId, clip: Clip, bytes: Vec<u8>) -> Work<()> {
        self.run(move |conn| {
            let own = clips::channel_id.eq(channel.0).and(clips::token.eq(clip.token));
            let found = clips::table.filter(own.and(clips::seen.eq(number(clip.sort))));
            let id: u32 = found.select(clips::id).first(conn)?;
            diesel::update(clips::table.find(id))
                .set((clips::name.eq(clip.name), clips::milliseconds.eq(clip.milliseconds), clips::bytes.eq(bytes)))
                .execute(conn)?;
            Ok(())
        })
    }

    /// Throws a clip away.
    ///
    /// # Errors
    /// [`StoreError::NotFound`] when the channel has no such clip.
    pub fn remove_clip(&self, channel: ChannelId, token: String) -> Work<()> {
        self.run(move |conn| {
            let found = clips::table.filter(clips::channel_id.eq(channel.0).and(clips::token.eq(token)));
            match diesel::delete(found).execute(conn)? {
                0 => Err(StoreError::NotFound),
                _ => Ok(()),
            }
        })
    }
}
