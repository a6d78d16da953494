//! What is being read at this moment, kept in a folder: should the program end while it reads something, that something is not
//! read again by itself, or each start would end in the same way. Somebody has to ask for it. What takes long to read may be
//! read again after one end, which may have come from elsewhere: the power may have failed.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// Why something is not read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the program ended while this was being read, so it is not read again by itself")]
pub struct Quarantined;

/// See the module. Copies share what is in it.
#[derive(Clone, Default)]
pub struct Quarantine(Arc<Inner>);

#[derive(Default)]
struct Inner {
    /// Where; nowhere in tests that ask for none.
    folder: Option<PathBuf>,
    names: Mutex<Names>,
}

#[derive(Default)]
struct Names {
    /// What the program was reading when it ended, and how often in a row.
    ended: BTreeMap<String, u32>,
    /// What is being read, and by how many.
    reading: BTreeMap<String, usize>,
}

impl Quarantine {
    /// One that is kept in a folder, with what an earlier run left there.
    ///
    /// # Errors
    /// The folder cannot be made or listed.
    pub fn open(folder: &Path) -> io::Result<Self> {
        fs::create_dir_all(folder)?;
        let mut ended = BTreeMap::new();
        for entry in fs::read_dir(folder)? {
            let entry = entry?;
            let Ok(name) = entry.file_name().into_string() else { continue };
            // What cannot be read was there all the same: the end of a program may have come before its number.
            let times = fs::read_to_string(entry.path()).ok().and_then(|text| text.trim().parse().ok()).unwrap_or(1);
            tracing::warn!(%name, times, "the program ended while it was reading this");
            ended.insert(name, times);
        }
        let names = Mutex::new(Names { ended, ..Names::default() });
        Ok(Self(Arc::new(Inner { folder: Some(folder.to_owned()), names })))
    }

    /// Notes that something is being read, until the guard is dropped. A name is of letters, digits and dashes.
    ///
    /// # Errors
    /// The program ended `most` times in a row while it read that, and nobody has asked for it since.
    pub fn enter(&self, name: &str, most: u32) -> Result<Reading, Quarantined> {
        let mut names = self.0.names.lock().unwrap_or_else(PoisonError::into_inner);
        let ended = names.ended.get(name).copied().unwrap_or(0);
        if ended >= most {
            return Err(Quarantined);
        }
        let many = names.reading.entry(name.to_owned()).or_default();
        *many += 1;
        if *many == 1
            && let Some(folder) = &self.0.folder
            && let Err(error) = fs::write(folder.join(name), (ended + 1).to_string())
        {
            // A full disk must not keep anything from being read.
            tracing::warn!(%error, %name, "it could not be noted what is being read");
        }
        Ok(Reading { of: self.clone(), name: name.to_owned() })
    }

    /// Somebody asks for it: it may be read again.
    pub fn release(&self, name: &str) {
        let mut names = self.0.names.lock().unwrap_or_else(PoisonError::into_inner);
        if names.ended.remove(name).is_some() {
            self.forget(name);
        }
    }

    fn forget(&self, name: &str) {
        let Some(folder) = &self.0.folder else { return };
        match fs::remove_file(folder.join(name)) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => {
                tracing::warn!(%error, %name, "it could not be noted that something was read");
            }
            _ => {}
        }
    }
}

/// Something that is being read.
pub struct Reading {
    of: Quarantine,
    name: String,
}

impl Drop for Reading {
    fn drop(&mut self) {
        let mut names = self.of.0.names.lock().unwrap_or_else(PoisonError::into_inner);
        let many = names.reading.get_mut(&self.name).map_or(0, |many| {
            *many -= 1;
            *many
        });
        if many == 0 {
            names.reading.remove(&self.name);
            names.ended.remove(&self.name);
            self.of.forget(&self.name);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_being_read_when_the_program_ended_waits_until_somebody_asks() {
        let folder = tempfile::tempdir().unwrap();
        let first = Quarantine::open(folder.path()).unwrap();
        drop(first.enter("feed-1", 1).unwrap());
        let (one, other) = (first.enter("calendar-1", 1).unwrap(), first.enter("calendar-1", 1).unwrap());
        drop(one);
        // As a program does that comes to its end.
        std::mem::forget(other);
        let second = Quarantine::open(folder.path()).unwrap();
        assert!(second.enter("feed-1", 1).is_ok());
        assert!(second.enter("calendar-1", 1).is_err() && second.enter("calendar-1", 1).is_err());
        second.release("calendar-1");
        assert!(second.enter("calendar-1", 1).is_ok());
        assert!(Quarantine::open(folder.path()).unwrap().enter("calendar-1", 1).is_ok());
    }

    #[test]
    fn what_cannot_be_read_there_is_one_end() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("feed-1")).unwrap();
        fs::write(folder.path().join("feed-2"), [0xff, 0xfe]).unwrap();
        let opened = Quarantine::open(folder.path()).unwrap();
        assert!(opened.enter("feed-1", 1).is_err() && opened.enter("feed-2", 1).is_err());
        assert!(opened.enter("feed-2", 2).is_ok());
    }

    #[test]
    fn what_may_be_read_twice_waits_after_two_ends_in_a_row() {
        let folder = tempfile::tempdir().unwrap();
        let start = || Quarantine::open(folder.path()).unwrap();
        let end = || std::mem::forget(start().enter("channel-1", 2).unwrap());
        end();
        drop(start().enter("channel-1", 2).unwrap());
        end();
        // A start at which nobody read it is no end.
        drop(start());
        end();
        assert!(start().enter("channel-1", 2).is_err());
    }
}
