//! Drawings (SVG), made clean by a library: nothing in them runs, and nothing is loaded from elsewhere.

use super::{Clean, ClipError};
use svg_hush::{Filter, data_url_filter};

/// Deepest nesting of elements that is read; what draws something has less.
const MOST_DEPTH: usize = 200;

/// Whether a file says that it is a drawing.
pub(super) fn is_one(sent: &[u8]) -> bool {
    let head = String::from_utf8_lossy(&sent[..sent.len().min(1_024)]).to_lowercase();
    head.trim_start_matches('\u{feff}').trim_start().starts_with('<') && head.contains("<svg")
}

/// How deep the elements of a text stand in each other at most, as far as its brackets tell.
fn depth(sent: &[u8]) -> usize {
    let (mut deepest, mut now) = (0_usize, 0_usize);
    for (at, byte) in sent.iter().enumerate() {
        let next = sent.get(at + 1).copied().unwrap_or_default();
        let closed = at > 0 && sent[at - 1] == b'/';
        match byte {
            b'<' if next.is_ascii_alphabetic() => now += 1,
            b'<' if next == b'/' => now = now.saturating_sub(1),
            b'>' if closed => now = now.saturating_sub(1),
            _ => {}
        }
        deepest = deepest.max(now);
    }
    deepest
}

pub(super) fn clean(sent: &[u8]) -> Result<Clean, ClipError> {
    if depth(sent) > MOST_DEPTH {
        return Err(ClipError::NotADrawing);
    }
    let mut filter = Filter::new();
    filter.set_data_url_filter(data_url_filter::allow_standard_images);
    let (mut source, mut bytes) = (sent, Vec::new());
    filter.filter(&mut source, &mut bytes).map_err(|_| ClipError::NotADrawing)?;
    // An entity or a declaration may say what the filter does not see; a clean drawing has neither.
    let text = String::from_utf8_lossy(&bytes).to_lowercase();
    if !text.contains("<svg") || text.contains("<!entity") {
        return Err(ClipError::NotADrawing);
    }
    Ok(Clean { bytes, milliseconds: 0 })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn made(inside: &str) -> String {
        let sent = format!(
            "<svg xmlns='http://www.w3.org/2000/svg' xmlns:xlink='http://www.w3.org/1999/xlink' viewBox='0 0 9 9'>{inside}</svg>"
        );
        String::from_utf8(clean(sent.as_bytes()).unwrap().bytes).unwrap()
    }

    #[test]
    fn what_draws_stays_and_what_runs_or_loads_goes() {
        let drawn = made("<g fill='#c98a00'><path d='M1 1h7v7z'/><text x='1' y='8'>Halt</text></g>");
        assert!(drawn.contains("M1 1h7v7z") && drawn.contains("Halt") && drawn.contains("#c98a00"), "{drawn}");
        for inside in [
            "<script>alert(1)</script>",
            "<path d='M0 0' onload='alert(1)'/>",
            "<image href='https://a.example/x.png'/>",
            "<image xlink:href='//a.example/x.png'/>",
            "<use href='https://a.example/x.svg#a'/>",
            "<a href='javascript:alert(1)'><path d='M0 0'/></a>",
            "<foreignObject><iframe src='https://a.example'/></foreignObject>",
            "<path style='fill:url(https://a.example/z)'/>",
        ] {
            let drawn = made(inside);
            for word in ["script", "onload", "a.example", "iframe", "foreignobject"] {
                assert!(!drawn.to_lowercase().contains(word), "{inside}: {drawn}");
            }
        }
        let styled = made("<style>@import url(https://a.example/x.css); path{fill:url(https://a.example/y)}</style>");
        assert!(!styled.contains("@import") && !styled.contains("url(http"), "{styled}");
        let moved = made("<animate attributeName='href' values='javascript:alert(1)'/>");
        assert!(!moved.contains("attributeName"), "what it would change is not named any more: {moved}");
        assert!(clean(b"<svg").is_err() && clean(b"<html></html>").is_err());
        assert!(clean("<svg>".repeat(5_000).as_bytes()).is_err());
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300)) {
            let _ = clean(&[b"<svg xmlns='http://www.w3.org/2000/svg'>", &bytes[..]].concat());
            is_one(&bytes);
        }
    }
}
