//! How a layout stands in a window of another size.

use super::{Fit, Overlay};
use serde::{Deserialize, Serialize};

/// A layout in a window.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fitted {
    /// By how much it is larger or smaller.
    pub scale: f64,
    /// Where its left upper corner stands in the window.
    pub x: f64,
    /// See [`Fitted::x`].
    pub y: f64,
}

/// How a layout stands in a window; none in a window that has no inside.
#[must_use]
pub fn fitted(overlay: &Overlay, window: (u32, u32)) -> Option<Fitted> {
    let (wide, high) = (f64::from(window.0), f64::from(window.1));
    let (width, height) = (f64::from(overlay.width), f64::from(overlay.height));
    if wide < 1.0 || high < 1.0 || width < 1.0 || height < 1.0 {
        return None;
    }
    let (across, down) = (wide / width, high / height);
    let scale = match overlay.fit {
        Fit::Whole => across.min(down),
        Fit::Cover => across.max(down),
        Fit::Pixels => return Some(Fitted { scale: 1.0, x: 0.0, y: 0.0 }),
    };
    Some(Fitted { scale, x: (wide - width * scale) / 2.0, y: (high - height * scale) / 2.0 })
}

/// What an open page says of itself.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Report {
    /// Width and height of its window, in pixels.
    pub window: (u32, u32),
    /// Whether it is covered or switched off, so that nobody sees it.
    #[serde(default)]
    pub hidden: bool,
    /// How many pictures a second it is drawn at; 0 where that is not known.
    #[serde(default)]
    pub frames: u16,
}

/// Below so many pictures a second movement is seen to stutter.
const SLOW: u16 = 20;

/// What is wrong with an open page, if anything is: in words that say what to do.
#[must_use]
pub fn advice(overlay: &Overlay, report: &Report) -> Option<String> {
    let (width, height) = (overlay.width, overlay.height);
    if fitted(overlay, report.window).is_none() {
        return Some(format!("open without a window to be seen in: set the source to {width}×{height}"));
    }
    if report.window != (width, height) {
        let (wide, high) = report.window;
        return Some(format!(
            "open at {wide}×{high}, laid out for {width}×{height}: set the source to {width}×{height}"
        ));
    }
    if !report.hidden && (1..SLOW).contains(&report.frames) {
        let frames = report.frames;
        return Some(format!("drawn only {frames} times a second: set the source to 30 or more, or close other pages"));
    }
    None
}
