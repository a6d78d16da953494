//! Files that were sent and wait until somebody has said what to do with them.

use crate::error::WebError;
use crate::security::tokens;
use std::sync::{Arc, Mutex, PoisonError};
use tally_core::record::ids::ChannelId;
use tally_feeds::table::Look;

/// How many files wait at a time; the oldest goes.
const MOST_WAITING: usize = 4;
/// A file that was sent and not yet added.
pub struct Upload {
    pub channel: ChannelId,
    pub name: String,
    pub text: String,
    pub shape: Shape,
}

/// What is in it.
pub enum Shape {
    Table(Look),
    Events,
    Rates,
}

/// The files that wait, oldest first.
#[derive(Default)]
pub struct Uploads {
    waiting: Mutex<Vec<(String, Arc<Upload>)>>,
}

impl Uploads {
    /// Keeps a file; gives the word by which it is asked for.
    pub fn put(&self, upload: Upload) -> String {
        let token = tokens::token(&mut rand::rng());
        // A list is whole at every step, so a panic elsewhere leaves it usable.
        let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        if waiting.len() >= MOST_WAITING {
            waiting.remove(0);
        }
        waiting.push((token.clone(), Arc::new(upload)));
        token
    }

    /// A file that waits in a channel.
    ///
    /// # Errors
    /// It does not wait any more.
    pub fn get(&self, token: &str, channel: ChannelId) -> Result<Arc<Upload>, WebError> {
        let waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        let found = waiting.iter().find(|(own, upload)| own == token && upload.channel == channel);
        found
            .map(|(_, upload)| Arc::clone(upload))
            .ok_or_else(|| WebError::Refused("This file is not at hand any more. Choose it again in Feeds.".into()))
    }

    /// Lets a file go.
    pub fn drop(&self, token: &str) {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner).retain(|(own, _)| own != token);
    }
}
