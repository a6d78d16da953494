//! What cues can go by and do in a channel.

use super::Channel;
use crate::cues::Offer;
use crate::language::unit::Unit;
use crate::overlay::{Overlay, What as Laid};
use crate::record::cue::Do;
use crate::record::ids::WidgetId;
use crate::record::refusal::Refusal;
use crate::time::Instant;
use crate::widgets::{Action, Known};

/// What is around a channel that cues can go by and do, and that others know.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Around {
    /// The overlays' layouts on air, by their numbers.
    pub overlays: Vec<(u32, Overlay)>,
    /// The sounds that can be played, each with its name.
    pub sounds: Vec<(String, String)>,
}

impl Channel {
    /// What a piece of an overlay is called.
    #[must_use]
    pub fn piece_words(&self, layout: &Overlay, piece: u32) -> String {
        let title = |id: WidgetId| self.widgets.get(&id).map(|piece| piece.title().to_owned());
        layout.piece(piece).map_or_else(|| "a piece that is gone".into(), |piece| piece.words(title))
    }

    /// What cues can go by and do here, with the overlays that there are. Pieces of overlays are added by who knows them.
    #[must_use]
    pub fn cue_offer(&self, around: &Around, now: Instant) -> Offer {
        let scope = self.scope(now);
        let mut offer = Offer { money: Some(Unit::Money(self.settings.currency)), ..Offer::default() };
        for (id, piece) in &self.widgets {
            let (title, key) = (piece.title(), piece.key());
            let cued = piece.cued();
            if let Some(watched) = cued.watched {
                offer.watched.push((*id, watched, title.to_owned()));
            }
            offer.texts.insert(title.to_owned(), piece.view(&scope).text());
            offer.families.insert(*id, key);
            let press = |action: &str, value, side| {
                let action = action.to_owned();
                Do::Press { widget: *id, action, value, text: None, side }
            };
            // A clock that follows the time by itself cannot be started.
            let knows = |known: &&Known| {
                let text = known.text.then_some("?");
                let action = Action { name: known.action, value: known.value, text, side: None };
                !matches!(piece.decide(&action, &scope), Err(Refusal::NoSuchAction(..)))
            };
            let known = cued.actions.iter().filter(knows);
            offer.actions.extend(known.map(|known| {
                (press(known.action, known.value, None), format!("“{title}”: {}", known.words), known.text)
            }));
            // What a board knows depends on its sport, and on where its match stands.
            if cued.levers {
                let levers = piece.levers(&scope).into_iter().filter(|lever| lever.action != "undo");
                offer.actions.extend(levers.map(|lever| {
                    let what = press(lever.action, lever.value, lever.side);
                    (what, format!("“{title}”: {}", lever.label), lever.text.is_some())
                }));
            }
        }
        for (id, layout) in &around.overlays {
            for piece in layout.pieces.iter().rev() {
                let words = self.piece_words(layout, piece.id);
                if let Laid::Widget(widget) = piece.what {
                    offer.pieces.insert((*id, piece.id), widget);
                    if let Some(one) = self.widgets.get(&widget) {
                        offer.titles.insert(widget, one.title().to_owned());
                    }
                }
                for (shown, does) in [(true, "show"), (false, "hide")] {
                    let what = Do::Appear { overlay: *id, piece: piece.id, shown };
                    offer.actions.push((what, format!("{does} {words} on {}", layout.name), false));
                }
            }
            for (sound, name) in &around.sounds {
                let what = Do::Sound { overlay: *id, sound: sound.clone() };
                offer.actions.push((what, format!("play {name} on {}", layout.name), false));
            }
        }
        offer
    }
}
