//! What the puzzle game *Yardmaster* has reported at Saltmarsh Halt, and the tracker that shows it.

use chrono::TimeDelta;
use tally_core::channel::Channel;
use tally_core::record::entry::{Incoming, Origin};
use tally_core::record::happening::Happening;
use tally_core::record::settings::Settings;
use tally_core::sentence::EditError;
use tally_core::time::Instant;
use tally_core::widgets::{Definition, Setup};

/// The tracker.
pub(super) fn widget(settings: &Settings) -> Result<Option<Setup>, EditError> {
    let edits = [
        ("title", "Yardmaster"),
        ("statistic", "deliveries"),
        ("period", "all_time"),
        ("beside", "derailments"),
        ("shape", "card"),
    ];
    let Some(definition) = Definition::standard("tracker", settings) else { return Ok(None) };
    let (mut piece, nothing) = (definition.unfolded(), Channel::new(settings.clone(), []));
    for (key, text) in edits {
        (piece, _) = piece.edited(key, text, &nothing.scope(Instant::UNIX_EPOCH))?;
    }
    Ok(Some(piece.setup()))
}

/// What was reported in a show that began at an instant.
pub(super) fn reports(show: Instant) -> Vec<Incoming> {
    let all: [(&str, &str, i64); 9] = [
        ("No. 7", "deliveries", 3),
        ("Heron", "deliveries", 0),
        ("No. 7", "derailments", 1),
        ("No. 7", "deliveries", 7),
        ("Heron", "deliveries", 4),
        ("No. 7", "derailments", 2),
        ("No. 7", "deliveries", 9),
        ("Heron", "deliveries", 10),
        ("Heron", "deliveries", 11),
    ];
    let report = |(number, (engine, stat, total)): (i64, (&str, &str, i64))| Incoming {
        origin: Origin { source: "/stand-in/yardmaster".into(), id: format!("demo-{number}") },
        happened_at: Some(show + TimeDelta::minutes(10 + number * 7)),
        happening: Happening::Stat { player: "odile".into(), character: Some(engine.into()), stat: stat.into(), total },
    };
    (0..).zip(all).map(report).collect()
}
