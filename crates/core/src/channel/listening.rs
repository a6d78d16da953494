//! Who listens to what: told by widgets and cues as they are set up, so that a line asks nobody whom it does not concern.

use super::Channel;
use crate::record::ids::WidgetId;
use std::collections::{BTreeMap, BTreeSet};

/// See the module.
#[derive(Debug, Clone, Default)]
pub(super) struct Listening {
    /// Widgets that note happenings one by one, on air or on the stage.
    pub noting: Vec<WidgetId>,
    /// By widget, those that count beside it.
    pub beside: BTreeMap<WidgetId, BTreeSet<WidgetId>>,
    /// Widgets whose figure a cue watches, and the kinds of happenings that change it, as bits.
    pub watched: Vec<(WidgetId, u16)>,
}

impl Listening {
    /// As a channel is set up.
    pub fn of(channel: &Channel) -> Self {
        let mut listening = Self::default();
        for (id, piece) in channel.widgets.iter().chain(&channel.drafts) {
            if piece.notes() != 0 && !listening.noting.contains(id) {
                listening.noting.push(*id);
            }
            if let Some(other) = piece.beside() {
                listening.beside.entry(other).or_default().insert(*id);
            }
        }
        let on = channel.cues.all.values().filter(|cue| cue.on);
        let watched: BTreeSet<WidgetId> = on.filter_map(|cue| cue.when.watches()).map(|(_, id)| id).collect();
        let kinds = |id: WidgetId| {
            let piece = channel.widgets.get(&id)?;
            let counts = piece.counts(&channel.settings);
            Some((id, counts.iter().fold(piece.notes(), |kinds, count| kinds | count.kinds())))
        };
        listening.watched = watched.into_iter().filter_map(kinds).collect();
        listening
    }
}
