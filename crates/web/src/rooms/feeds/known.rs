//! Which lines of a file are in the ledger already.

use crate::app::App;
use crate::error::WebError;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use tally_core::record::entry::Origin;
use tally_core::record::ids::{ChannelId, FeedId};
use tally_store::feeds::{Feed, Wiring};
use tally_store::rows::{Namespace, origin_key};
use tokio::sync::Mutex;

/// So many new sources at once are looked for everywhere, rather than asked about.
const MOST_SOURCES: usize = 20;

/// What is known already, from another file or through any of the channel's feeds.
pub struct Known {
    feeds: Vec<Feed>,
    /// By source, where lines of it can be at all: asked once, since few files have more than one.
    places: Mutex<HashMap<String, BTreeSet<Namespace>>>,
}

impl Known {
    /// Of a channel.
    ///
    /// # Errors
    /// The database is away.
    pub async fn new(app: &App, channel: ChannelId) -> Result<Self, WebError> {
        Ok(Self { feeds: app.engine.store().feeds(channel).await?, places: Mutex::default() })
    }

    /// The namespace of lines that came through a feed, or through none.
    fn namespace(&self, feed: Option<u32>) -> Namespace {
        let is_import = |feed: &Feed| matches!(feed.wiring, Wiring::Import { .. });
        match feed.and_then(|id| self.feeds.iter().find(|feed| feed.id == id)) {
            Some(feed) if is_import(feed) => Namespace::Files,
            _ => Namespace::of(feed.map(FeedId)),
        }
    }

    /// Takes note of where lines of these sources can be.
    async fn look(&self, app: &App, channel: ChannelId, sources: BTreeSet<&str>) -> Result<(), WebError> {
        let mut places = self.places.lock().await;
        let new: Vec<String> =
            sources.into_iter().filter(|one| !places.contains_key(*one)).map(str::to_owned).collect();
        if new.is_empty() {
            return Ok(());
        }
        if new.len() > MOST_SOURCES {
            let everywhere: BTreeSet<Namespace> = self
                .feeds
                .iter()
                .map(|feed| self.namespace(Some(feed.id)))
                .chain([Namespace::Own, Namespace::Files])
                .collect();
            places.extend(new.into_iter().map(|source| (source, everywhere.clone())));
            return Ok(());
        }
        let there = app.engine.store().feeds_of_sources(channel, new.clone()).await?;
        places.extend(new.into_iter().map(|source| (source, BTreeSet::new())));
        for (source, feed) in there {
            places.entry(source).or_default().insert(self.namespace(feed));
        }
        Ok(())
    }

    /// Which of these are in the ledger already.
    ///
    /// # Errors
    /// The database is away.
    pub async fn of(&self, app: &App, channel: ChannelId, origins: &[&Origin]) -> Result<Vec<bool>, WebError> {
        self.look(app, channel, origins.iter().map(|origin| origin.source.as_str()).collect()).await?;
        let mut keys: BTreeMap<Namespace, Vec<(usize, Vec<u8>)>> = BTreeMap::new();
        {
            let places = self.places.lock().await;
            for (number, origin) in origins.iter().enumerate() {
                for namespace in places.get(&origin.source).into_iter().flatten() {
                    keys.entry(*namespace).or_default().push((number, origin_key(*namespace, origin)));
                }
            }
        }
        let mut known = vec![false; origins.len()];
        for keys in keys.into_values() {
            let there =
                app.engine.store().known_origins(channel, keys.iter().map(|(_, key)| key.clone()).collect()).await?;
            for (number, key) in keys {
                if let Some(known) = known.get_mut(number) {
                    *known |= there.contains(&key);
                }
            }
        }
        Ok(known)
    }
}
