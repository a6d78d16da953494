//! What holds a connection and memory for a while, and how much of it there may be: bodies under way, open pages, streams. Each
//! kind has places of its own, so that strangers take none from feeds and from people who are signed in.

use crate::error::WebError;
use std::collections::HashMap;
use std::mem::{Discriminant, discriminant};
use std::sync::{Arc, Mutex, PoisonError};

/// What a place is held for, and by what it is counted.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Use {
    /// A body of anybody, by where they are. Whatever has come by the time it is asked for is not counted.
    Body(String),
    /// A body for a feed that exists, by its number.
    FeedBody(u32),
    /// A body of somebody who is signed in or has a pass, by who they are.
    PersonBody(String),
    /// A live connection of a page, by where it is.
    Page(String),
    /// A stream that another program reads, by where it is.
    Stream(String),
}

impl Use {
    /// How many there may be in all, and of one.
    fn most(&self) -> (usize, usize) {
        match self {
            Self::Body(_) => (128, 48),
            Self::FeedBody(_) => (64, 32),
            Self::PersonBody(_) => (64, 24),
            Self::Page(_) => (10_000, 2_500),
            Self::Stream(_) => (400, 100),
        }
    }
}

/// All places that are held.
#[derive(Default)]
pub struct Places(Mutex<Counts>);

#[derive(Default)]
struct Counts {
    of_one: HashMap<Use, usize>,
    of_kind: HashMap<Discriminant<Use>, usize>,
}

impl Places {
    /// One more place; none where there are too many.
    pub fn take(self: &Arc<Self>, by: &Use) -> Option<Place> {
        let mut counts = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let (most, most_of_one) = by.most();
        let all = counts.of_kind.get(&discriminant(by)).copied().unwrap_or(0);
        let own = counts.of_one.get(by).copied().unwrap_or(0);
        if all >= most || own >= most_of_one {
            return None;
        }
        counts.of_kind.insert(discriminant(by), all + 1);
        counts.of_one.insert(by.clone(), own + 1);
        Some(Place { of: Arc::clone(self), by: by.clone() })
    }

    /// A place for something that stays open.
    ///
    /// # Errors
    /// There are too many; it says of what.
    pub fn open(self: &Arc<Self>, by: &Use) -> Result<Place, WebError> {
        self.take(by).ok_or_else(|| {
            let (most, most_of_one) = by.most();
            let what = if matches!(by, Use::Stream(_)) { "streams" } else { "pages" };
            tracing::debug!(?by, "too many {what} are open");
            WebError::Full(format!(
                "Too many {what} are open: at most {most_of_one} from one address and {most} in all. Close some and try again."
            ))
        })
    }
}

/// A place; it is free again when this is dropped.
pub struct Place {
    of: Arc<Places>,
    by: Use,
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut counts = self.of.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(all) = counts.of_kind.get_mut(&discriminant(&self.by)) {
            *all -= 1;
        }
        if let Some(own) = counts.of_one.get_mut(&self.by) {
            *own -= 1;
            if *own == 0 {
                counts.of_one.remove(&self.by);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn strangers_take_no_place_from_feeds_and_people() {
        let places = Arc::new(Places::default());
        let strangers = (0..6).flat_map(|peer| (0..100).map(move |_| Use::Body(format!("203.0.113.{peer}"))));
        let held: Vec<Place> = strangers.filter_map(|by| places.take(&by)).collect();
        assert_eq!(held.len(), 128);
        let feed: Vec<Place> = (0..100).filter_map(|_| places.take(&Use::FeedBody(1))).collect();
        assert_eq!(feed.len(), 32, "and none takes all from another");
        assert!(places.take(&Use::FeedBody(2)).is_some());
        assert!(places.take(&Use::PersonBody("odile".into())).is_some());
        drop(held);
        assert!(places.take(&Use::Body("203.0.113.9".into())).is_some());
    }
}
