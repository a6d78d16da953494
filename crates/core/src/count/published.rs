//! What widgets tell each other: clocks count since a counter was pressed, wheels settle the ties of polls.

use crate::record::acts::poll::Which;
use crate::record::ids::WidgetId;
use crate::time::Instant;
use std::collections::BTreeMap;

/// See the module; at most one of these a widget.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Published {
    /// A counter, by its name.
    Counter {
        /// Its name.
        title: String,
    },
    /// How the newest poll of a widget stands.
    Poll {
        /// Which poll it is.
        poll: Which,
        /// The widget's name.
        title: String,
        /// What can be chosen, with the votes of each.
        options: Vec<(String, u64)>,
        /// Those between which it is tied, counted from 0, if it is over and tied.
        tied: Vec<usize>,
    },
    /// What a wheel has drawn to settle a tie.
    Drawn {
        /// Of which poll.
        poll: Which,
        /// For what.
        option: String,
        /// When it came to rest.
        at: Instant,
    },
}

/// All that is told, by whom.
pub type AllPublished = BTreeMap<WidgetId, Published>;

/// The counters by name.
pub fn counters(all: &AllPublished) -> impl Iterator<Item = (WidgetId, &str)> {
    all.iter().filter_map(|(id, told)| match told {
        Published::Counter { title } => Some((*id, title.as_str())),
        _ => None,
    })
}
