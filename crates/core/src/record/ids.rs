//! One newtype per identifier, so that no number is mistaken for another.

use serde::{Deserialize, Serialize};
use std::fmt;

macro_rules! id {
    ($(#[$doc:meta])* $name:ident, $inner:ty) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(pub $inner);

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }
    };
}

id!(
    /// A channel: whose happenings are recorded.
    ChannelId, u32
);
id!(
    /// A widget, unique over all channels.
    WidgetId, u32
);
id!(
    /// A feed, unique over all channels.
    FeedId, u32
);
id!(
    /// A place in a channel's ledger. The first entry has 1; 0 stands before all entries.
    Seq, u64
);

impl Seq {
    /// The place after this one.
    #[must_use]
    pub fn next(self) -> Self {
        Self(self.0.saturating_add(1))
    }
}
