//! Fonts: read by a library to see that they are whole, and kept as they are, since browsers make them safe themselves.

use super::{Clean, ClipError};

/// Whether a file says that it is a font: TrueType, OpenType, or one of the two web formats.
pub(super) fn is_one(sent: &[u8]) -> bool {
    matches!(sent.get(..4), Some(b"\0\x01\0\0" | b"true" | b"OTTO" | b"wOFF" | b"wOF2"))
}

pub(super) fn clean(sent: &[u8]) -> Result<Clean, ClipError> {
    let plain = match sent.get(..4) {
        Some(b"wOF2") => wuff::decompress_woff2(sent).map_err(|_| ClipError::NotAFont)?,
        Some(b"wOFF") => wuff::decompress_woff1(sent).map_err(|_| ClipError::NotAFont)?,
        _ => sent.to_vec(),
    };
    let face = ttf_parser::Face::parse(&plain, 0).map_err(|_| ClipError::NotAFont)?;
    // Numbers are what widgets are made of, and a font without letters draws empty boxes.
    let has = |letter: char| face.glyph_index(letter).is_some();
    match ('0'..='9').chain('a'..='z').find(|letter| !has(*letter)) {
        Some(missing) => Err(ClipError::FontWithout { missing }),
        None => Ok(Clean { bytes: sent.to_vec(), milliseconds: 0 }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const SHIPPED: &[u8] = include_bytes!("../../assets/fonts/lobster-latin-400-normal.woff2");

    #[test]
    fn a_font_is_taken_and_what_only_says_so_is_not() {
        assert!(is_one(SHIPPED));
        assert_eq!(clean(SHIPPED).unwrap().bytes, SHIPPED);
        for broken in [&SHIPPED[..SHIPPED.len() / 2], b"wOF2", b"OTTO\0\0\0\0", b"\0\x01\0\0\0\xff"] {
            assert!(is_one(broken));
            assert_eq!(clean(broken).unwrap_err(), ClipError::NotAFont);
        }
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), at in 4_usize..4_000) {
            for head in [&b"wOF2"[..], b"wOFF", b"OTTO", b"\0\x01\0\0"] {
                let _ = clean(&[head, &bytes[..]].concat());
            }
            let mut lying = SHIPPED.to_vec();
            let end = lying.len().min(at + bytes.len());
            lying[at..end].copy_from_slice(&bytes[..end - at]);
            let _ = super::super::clean(tally_core::look::Sort::Font, super::super::Wanted::Any, &lying);
        }
    }
}
