//! Pages that draw a widget in place of us: HTML with styles and scripts of the streamer's own. They are kept as they are; what
//! makes them harmless is how they are served: in an origin that is nobody's, from which nothing can be loaded or sent.

use super::{Clean, ClipError};

/// For a page of one's own: its scripts run, and reach nothing but what they are told by message. `webrtc` stands in CSP level 3
/// (6.3.2); browsers that do not know it yet let such a page send by WebRTC all the same, which docs/own-style.md says.
pub const POLICY: &str = "default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'; img-src data:; \
    font-src data:; media-src data:; form-action 'none'; base-uri 'none'; webrtc 'block'; sandbox allow-scripts";

/// Most bytes of one.
const MOST: usize = 256 * 1024;

/// Whether a file says that it is a page.
pub(super) fn is_one(sent: &[u8], name: &str) -> bool {
    let head = String::from_utf8_lossy(&sent[..sent.len().min(256)]).to_lowercase();
    let name = name.to_lowercase();
    head.trim_start_matches('\u{feff}').trim_start().starts_with("<!doctype html")
        || name.ends_with(".html")
        || name.ends_with(".htm")
}

pub(super) fn clean(sent: &[u8]) -> Result<Clean, ClipError> {
    match std::str::from_utf8(sent) {
        Ok(text) if text.contains('<') && text.len() <= MOST => Ok(Clean { bytes: sent.to_vec(), milliseconds: 0 }),
        Ok(text) if text.len() > MOST => Err(ClipError::PageTooLong),
        _ => Err(ClipError::NotAPage),
    }
}
