//! Texts that are made once for all who ask for them, as long as nothing has changed.

use bytestring::ByteString;
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::OnceCell;

/// Of so many things at most the newest text is kept; when there are more, all are made anew.
const MOST: usize = 64;

/// A text, once it is made, and the mark of the state of which it was made.
type Made = (String, Arc<OnceCell<ByteString>>);

/// The newest text of each of some things, by their numbers.
#[derive(Default)]
pub struct Once {
    of: Mutex<BTreeMap<u32, Made>>,
}

impl Once {
    /// The text of a thing as it was made for a mark, or else as it is made now. Who asks meanwhile waits for the same.
    ///
    /// # Errors
    /// It could not be made; whoever asks next tries again.
    pub async fn get<E>(
        &self,
        of: u32,
        mark: &str,
        make: impl Future<Output = Result<ByteString, E>>,
    ) -> Result<ByteString, E> {
        let cell = {
            // Nothing panics while it is held.
            let mut all = self.of.lock().unwrap_or_else(PoisonError::into_inner);
            if all.len() >= MOST && !all.contains_key(&of) {
                all.clear();
            }
            let made = all.entry(of).or_default();
            if made.0 != mark {
                *made = (mark.to_owned(), Arc::default());
            }
            Arc::clone(&made.1)
        };
        cell.get_or_try_init(|| make).await.cloned()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::Cell;

    #[tokio::test]
    async fn it_is_made_once_until_the_mark_changes_and_again_after_a_failure() {
        let (once, made) = (Once::default(), Cell::new(0));
        let make = async |text: &str| {
            made.set(made.get() + 1);
            if text.is_empty() { Err("none") } else { Ok(ByteString::from(text)) }
        };
        assert_eq!(once.get(1, "a", make("")).await, Err("none"));
        let (one, other) = tokio::join!(once.get(1, "a", make("first")), once.get(1, "a", make("not made")));
        assert_eq!((one, other), (Ok("first".into()), Ok("first".into())));
        assert_eq!(once.get(2, "a", make("other")).await, Ok("other".into()));
        assert_eq!(once.get(1, "b", make("second")).await, Ok("second".into()));
        assert_eq!(made.get(), 4);
    }
}
