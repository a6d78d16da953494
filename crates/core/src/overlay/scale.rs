//! How a layout stands in a window of another size.

use super::{Fit, Overlay};

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

/// What a window of another size than the board is told, if there is anything to tell: in words that say what to do.
#[must_use]
pub fn advice(overlay: &Overlay, window: (u32, u32)) -> Option<String> {
    let (width, height) = (overlay.width, overlay.height);
    if window == (width, height) {
        return None;
    }
    if fitted(overlay, window).is_none() {
        return Some(format!("open without a window to be seen in; set the source to {width}×{height}"));
    }
    Some(format!(
        "open at {}×{}, laid out for {width}×{height}: set the source to {width}×{height}",
        window.0, window.1
    ))
}
