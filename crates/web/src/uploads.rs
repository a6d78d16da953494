//! Files that were sent and wait until somebody has said what to do with them: on disk, a few of each channel, for an hour.

use crate::error::WebError;
use crate::security::tokens;
use std::fs;
use std::io;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tally_core::record::ids::ChannelId;
use tally_feeds::table::Look;

/// How many files of a channel wait at a time; its oldest goes.
const MOST_WAITING: usize = 2;
/// And for how long.
const LONGEST: Duration = Duration::from_secs(3_600);

/// A file that was sent and not yet added.
pub struct Upload {
    pub channel: ChannelId,
    pub name: String,
    pub shape: Shape,
    /// How many lines it has.
    pub lines: usize,
    since: Instant,
    path: PathBuf,
}

impl Upload {
    /// What is in it. It may be large, so it is not read where pages are served.
    ///
    /// # Errors
    /// In words: it is not there any more.
    pub fn text(&self) -> Result<String, String> {
        fs::read_to_string(&self.path).map_err(|_| GONE.into())
    }
}

impl Drop for Upload {
    fn drop(&mut self) {
        if let Err(error) = fs::remove_file(&self.path)
            && error.kind() != io::ErrorKind::NotFound
        {
            tracing::warn!(%error, "a file that waited to be imported could not be removed");
        }
    }
}

/// What is in it.
pub enum Shape {
    Table(Look),
    Events,
    Rates,
}

const GONE: &str = "This file is not here any more; files wait for an hour. Choose it again in Feeds.";

/// The files that wait, oldest first.
pub struct Uploads {
    folder: PathBuf,
    waiting: Mutex<Vec<(String, Arc<Upload>)>>,
}

impl Uploads {
    /// Files that wait in a folder. What an earlier run left there goes: nobody knows any more what it was.
    pub fn new(folder: PathBuf) -> Self {
        if let Err(error) = fs::remove_dir_all(&folder)
            && error.kind() != io::ErrorKind::NotFound
        {
            tracing::warn!(%error, "files that waited to be imported could not be removed");
        }
        Self { folder, waiting: Mutex::default() }
    }

    /// Keeps a file; gives the word by which it is asked for.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn put(&self, channel: ChannelId, name: String, text: &str, shape: Shape) -> io::Result<String> {
        let token = tokens::token(&mut rand::rng());
        let path = self.folder.join(&token);
        fs::create_dir_all(&self.folder)?;
        fs::write(&path, text)?;
        let upload = Upload { channel, name, shape, lines: text.lines().count(), since: Instant::now(), path };
        // A list is whole at every step, so a panic elsewhere leaves it usable.
        let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        while waiting.iter().filter(|(_, one)| one.channel == channel).count() >= MOST_WAITING
            && let Some(oldest) = waiting.iter().position(|(_, one)| one.channel == channel)
        {
            waiting.remove(oldest);
        }
        waiting.push((token.clone(), Arc::new(upload)));
        Ok(token)
    }

    /// A file that waits in a channel.
    ///
    /// # Errors
    /// It does not wait any more.
    pub fn get(&self, token: &str, channel: ChannelId) -> Result<Arc<Upload>, WebError> {
        self.tidy();
        let waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
        let found = waiting.iter().find(|(own, upload)| own == token && upload.channel == channel);
        found.map(|(_, upload)| Arc::clone(upload)).ok_or_else(|| WebError::Refused(GONE.into()))
    }

    /// Lets a file go.
    pub fn drop(&self, token: &str) {
        self.let_go(|own, _| own == token);
    }

    /// Lets those go that have waited for long.
    pub fn tidy(&self) {
        self.let_go(|_, upload| upload.since.elapsed() >= LONGEST);
    }

    /// What is let go leaves the disk after the list is free again for others.
    fn let_go(&self, goes: impl Fn(&str, &Upload) -> bool) {
        let gone: Vec<_> = {
            let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
            waiting.extract_if(.., |(own, upload)| goes(own, upload)).collect()
        };
        drop(gone);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_few_files_of_each_channel_wait_on_disk_and_none_takes_the_place_of_anothers() {
        let folder = tempfile::tempdir().unwrap();
        let uploads = Uploads::new(folder.path().join("uploads"));
        let put =
            |channel: u32, text: &str| uploads.put(ChannelId(channel), "a.csv".into(), text, Shape::Events).unwrap();
        let other = put(2, "of another channel");
        let all: Vec<String> = (0..5).map(|n| put(1, &format!("number {n}"))).collect();
        let kept = |token: &str, channel| {
            uploads.get(token, ChannelId(channel)).and_then(|one| one.text().map_err(WebError::Refused))
        };
        assert!(kept(&all[2], 1).is_err());
        assert_eq!(kept(&all[4], 1).unwrap(), "number 4");
        assert_eq!(kept(&other, 2).unwrap(), "of another channel");
        assert!(kept(&other, 1).is_err());
        let files = || fs::read_dir(folder.path().join("uploads")).unwrap().count();
        assert_eq!(files(), 3);
        uploads.drop(&other);
        assert_eq!(files(), 2, "what is let go leaves the disk");
        let again = Uploads::new(folder.path().join("uploads"));
        assert!(!folder.path().join("uploads").exists() && again.get(&all[4], ChannelId(1)).is_err());
    }
}
