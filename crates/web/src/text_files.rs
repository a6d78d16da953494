//! What widgets show as text files in a folder of this machine, for programs that read nothing else. Each file is
//! replaced as a whole, so that nobody ever reads half of it.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError, Weak};
use std::time::Duration;
use tally_core::record::ids::WidgetId;
use tally_engine::Engine;
use tally_store::widgets::TextFile;
use tokio::sync::Notify;

/// How often it is seen whether a widget shows something else: a clock does every second.
const PACE: Duration = Duration::from_millis(250);
/// How long it rests while no widget has a file and nobody says otherwise.
const REST: Duration = Duration::from_secs(30);
/// Longest pattern of a name.
pub const MOST_NAME: usize = 120;

/// A file as it was written last.
struct Kept {
    path: PathBuf,
    text: String,
    /// Why it could not be written.
    failed: Option<String>,
}

/// The folder, and what is kept in it.
pub struct TextFiles {
    /// Where they are.
    pub folder: PathBuf,
    changed: Notify,
    kept: Mutex<BTreeMap<WidgetId, Kept>>,
}

/// Why a pattern is no name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum PatternError {
    /// Too long.
    #[error("the name of the text file has at most {MOST_NAME} letters")]
    TooLong,
    /// A place that there is not.
    #[error("a name has places for {{title}} and {{number}}; other braces are none")]
    Place,
}

/// Whether a pattern makes a name; an empty one is none.
///
/// # Errors
/// See [`PatternError`].
pub fn check(pattern: &str) -> Result<(), PatternError> {
    if pattern.chars().count() > MOST_NAME {
        return Err(PatternError::TooLong);
    }
    let rest = pattern.replace("{title}", "").replace("{number}", "");
    if rest.contains(['{', '}']) { Err(PatternError::Place) } else { Ok(()) }
}

/// The name of a file by its pattern: one that every system takes, and that leads to no other folder.
fn name(pattern: &str, title: &str, id: WidgetId) -> String {
    let whole = pattern.replace("{title}", title).replace("{number}", &id.to_string());
    let plain = |letter: char| if letter.is_control() || "<>:\"/\\|?*".contains(letter) { '-' } else { letter };
    let whole: String = whole.chars().map(plain).take(100).collect();
    let whole = whole.trim_start_matches(['.', ' ']).trim_end_matches(['.', ' ']);
    if whole.is_empty() { format!("{id}.txt") } else { whole.to_owned() }
}

/// The same name with the widget's number, where another widget has it.
fn apart(name: &str, id: WidgetId) -> String {
    match name.rsplit_once('.') {
        Some((stem, end)) => format!("{stem} ({id}).{end}"),
        None => format!("{name} ({id})"),
    }
}

/// Puts a text in the place of a file at once.
fn replace(path: &Path, text: &str) -> io::Result<()> {
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder)?;
    }
    let draft = path
        .with_file_name(format!(".{}.new", path.file_name().map(|name| name.to_string_lossy()).unwrap_or_default()));
    fs::write(&draft, text)?;
    fs::rename(&draft, path)
}

impl TextFiles {
    /// In a folder, which is made when there is something to keep.
    #[must_use]
    pub fn new(folder: PathBuf) -> Self {
        Self { folder, changed: Notify::new(), kept: Mutex::default() }
    }

    /// Looks anew at which widgets have a text file.
    pub fn look_again(&self) {
        self.changed.notify_one();
    }

    /// Where a widget's file is, and why it could not be written.
    #[must_use]
    pub fn of(&self, id: WidgetId) -> Option<(String, Option<String>)> {
        let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        kept.get(&id).map(|kept| (kept.path.display().to_string(), kept.failed.clone()))
    }

    /// Keeps one: written where something is different from the last time, and under its new name where that is different.
    fn keep(&self, file: &TextFile, title: &str, text: String) {
        let mut all = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let plain = name(&file.pattern, title, file.id);
        let taken =
            all.iter().any(|(id, kept)| *id < file.id && kept.path.file_name().is_some_and(|one| *one == *plain));
        let path = self.folder.join(if taken { apart(&plain, file.id) } else { plain });
        let before = all.get(&file.id);
        if before.is_some_and(|kept| kept.path == path && kept.text == text && kept.failed.is_none()) {
            return;
        }
        if let Some(old) = before.filter(|kept| kept.path != path) {
            // One that is gone already need not be removed.
            let _ = fs::remove_file(&old.path);
        }
        let failed = replace(&path, &text).err().map(|error| error.to_string());
        if let Some(why) = failed.as_ref().filter(|_| before.is_none_or(|kept| kept.failed.is_none())) {
            tracing::warn!(path = %path.display(), why, "a text file could not be written");
        }
        all.insert(file.id, Kept { path, text, failed });
    }

    /// Lets go of those that have none any more.
    fn let_go(&self, wanted: &BTreeSet<WidgetId>) {
        let mut all = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|id, kept| {
            let stays = wanted.contains(id);
            if !stays {
                let _ = fs::remove_file(&kept.path);
            }
            stays
        });
    }
}

/// Keeps all text files of all channels, as long as the application runs.
pub async fn keep(engine: Engine, all: Weak<TextFiles>) {
    let mut files: Vec<TextFile> = Vec::new();
    let mut known = false;
    loop {
        let Some(kept) = all.upgrade() else { return };
        if !known && let Ok(wanted) = engine.store().text_files().await {
            // The database may be away; then the next round asks again.
            (files, known) = (wanted, true);
            kept.let_go(&files.iter().map(|file| file.id).collect());
        }
        for file in &files {
            let Ok(channel) = engine.channel(file.channel).await else { continue };
            let id = file.id;
            let seen = channel.ask(move |channel, now| {
                channel.widget(id).map(|piece| (piece.title().to_owned(), piece.view(&channel.scope(now)).text()))
            });
            if let Ok(Some((title, text))) = seen.await {
                kept.keep(file, &title, text);
            }
        }
        let wait = if known && files.is_empty() { REST } else { PACE };
        if tokio::time::timeout(wait, kept.changed.notified()).await.is_ok() {
            known = false;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use tally_core::record::ids::ChannelId;

    #[test]
    fn names_stay_in_their_folder_and_are_told_apart() {
        let one = |pattern: &str| name(pattern, "Motor / fund: 50%", WidgetId(7));
        assert_eq!(one("{title}.txt"), "Motor - fund- 50%.txt");
        assert_eq!(one("../../{number}"), "-..-7");
        assert_eq!(one("..."), "7.txt");
        assert_eq!(apart("a.b.txt", WidgetId(3)), "a.b (3).txt");
        assert_eq!(check("{title} {number}.txt"), Ok(()));
        assert_eq!(check("{name}.txt"), Err(PatternError::Place));
        assert_eq!(check(&"x".repeat(121)), Err(PatternError::TooLong));
    }

    #[test]
    fn files_are_written_renamed_told_apart_and_let_go() {
        let folder = std::env::temp_dir().join(format!("text-files-{}", std::process::id()));
        let files = TextFiles::new(folder.clone());
        let file = |id| TextFile { id: WidgetId(id), channel: ChannelId(1), pattern: "{title}.txt".into() };
        let read = |name: &str| fs::read_to_string(folder.join(name)).ok();
        files.keep(&file(1), "Tea", "3".into());
        files.keep(&file(2), "Tea", "4".into());
        assert_eq!((read("Tea.txt").as_deref(), read("Tea (2).txt").as_deref()), (Some("3"), Some("4")));
        files.keep(&file(1), "Cups", "5".into());
        assert_eq!((read("Tea.txt"), read("Cups.txt").as_deref()), (None, Some("5")));
        files.let_go(&BTreeSet::from([WidgetId(2)]));
        assert_eq!(read("Cups.txt"), None);
        // A folder that cannot be written to is told of, and tried again.
        let blocked = TextFiles::new(folder.join("Tea (2).txt"));
        blocked.keep(&file(1), "Tea", "3".into());
        assert!(blocked.of(WidgetId(1)).unwrap().1.is_some());
        fs::remove_dir_all(folder).unwrap();
    }

    proptest! {
        #[test]
        fn whatever_a_title_is_its_file_stays_in_the_folder(pattern in ".{0,40}", title in ".{0,40}") {
            let name = name(&pattern, &title, WidgetId(1));
            prop_assert!(!name.is_empty() && !name.contains(['/', '\\']) && name != "." && name != "..");
        }
    }
}
