//! Three cues of the demo, which wait to be read and switched on.

use super::overlays::Named;
use tally_core::cues::{Cue, Cues, When};
use tally_core::record::cue::{Do, Step};
use tally_core::record::happening::Kind;
use tally_core::record::ids::WidgetId;

/// Made of the widgets that there are.
pub(super) fn cues(widgets: &[Named]) -> Cues {
    let called = |title: &str| widgets.iter().find(|(_, own)| own == title).map(|(id, _)| *id);
    let press = |widget: WidgetId, action: &str, value: Option<i64>| Step {
        wait_s: 0,
        what: Do::Press { widget, action: action.to_owned(), value, text: None, side: None },
    };
    let mut all = Vec::new();
    if let Some(tea) = called("Cups of tea") {
        let steps = vec![press(tea, "add", Some(1))];
        let when = When::Entry { kind: Kind::Tip, least: 1_000 };
        all.push(Cue { name: "The kettle goes on".into(), when, steps, ..Cue::empty() });
    }
    if let (Some(motor), Some(train)) = (called("Turntable motor"), called("First train leaves in")) {
        let steps = vec![press(train, "reset", None), Step { wait_s: 5, ..press(train, "start", None) }];
        let when = When::Reached { widget: motor };
        all.push(Cue { name: "The turntable runs".into(), when, on_air: true, steps, ..Cue::empty() });
    }
    if let Some(wheel) = called("Forfeits") {
        let when = When::Entry { kind: Kind::Raid, least: 10 };
        let steps = vec![Step { wait_s: 10, ..press(wheel, "spin", None) }];
        all.push(Cue {
            name: "A raid spins the forfeits".into(),
            when,
            on_air: true,
            every_s: 120,
            steps,
            ..Cue::empty()
        });
    }
    Cues { all: (1..).zip(all).collect(), ..Cues::default() }
}
