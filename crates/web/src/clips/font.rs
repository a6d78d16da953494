//! Fonts: read by a library to see that they are whole, and kept as they are, since browsers make them safe themselves.

use super::{Clean, ClipError};
use std::borrow::Cow;
use std::io::Read;

/// Whether a file says that it is a font: TrueType, OpenType, or one of the two web formats.
pub(super) fn is_one(sent: &[u8]) -> bool {
    matches!(sent.get(..4), Some(b"\0\x01\0\0" | b"true" | b"OTTO" | b"wOFF" | b"wOF2"))
}

/// Most bytes of a font once it is unfolded; those with all of Chinese have less.
const MOST_UNFOLDED: usize = 32 * 1024 * 1024;

/// The bytes of all tables of a WOFF file as it claims them, each as long as it is when unfolded (W3C, WOFF 1.0, 4 and 5).
fn claimed(sent: &[u8]) -> Option<u64> {
    let number = |at: usize, long: usize| {
        let bytes = sent.get(at..at + long)?;
        Some(bytes.iter().fold(0_u64, |number, byte| number << 8 | u64::from(*byte)))
    };
    let tables = usize::try_from(number(12, 2)?).ok()?;
    // A row is a tag, an offset, the two lengths, and a checksum, of four bytes each; the head has 44 bytes.
    (0..tables).map(|table| number(44 + table * 20 + 12, 4)).sum()
}

/// Unfolds a WOFF file: what comes out is counted before it is made, since a file may claim what it likes.
fn unfolded(sent: &[u8]) -> Option<Vec<u8>> {
    if sent.starts_with(b"wOFF") {
        let claimed = claimed(sent).filter(|claimed| *claimed <= MOST_UNFOLDED as u64);
        return claimed.and_then(|_| wuff::decompress_woff1(sent).ok());
    }
    // Several fonts in one file share tables, and each would be written out.
    if sent.get(4..8) == Some(b"ttcf") {
        return None;
    }
    let mut unfold = |packed: &[u8], long: usize| {
        let mut out = Vec::new();
        let most = u64::try_from(long.min(MOST_UNFOLDED))?;
        brotli_decompressor::Decompressor::new(packed, 4_096).take(most + 1).read_to_end(&mut out)?;
        if out.len() == long { Ok(out) } else { Err("another length than it claims".into()) }
    };
    wuff::decompress_woff2_with_custom_brotli(sent, &mut unfold).ok()
}

pub(super) fn clean(sent: &[u8]) -> Result<Clean, ClipError> {
    let plain = match sent.get(..4) {
        Some(b"wOF2" | b"wOFF") => Cow::Owned(unfolded(sent).ok_or(ClipError::NotAFont)?),
        _ => Cow::Borrowed(sent),
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

    /// A WOFF 1 file of so many tables, which all lie in the same bytes.
    fn folded(tables: u16, packed: &[u8], packed_long: u32, unfolded_long: u32) -> Vec<u8> {
        let begins = 44 + u32::from(tables) * 20;
        let mut file = b"wOFF\0\x01\0\0".to_vec();
        file.extend((begins + u32::try_from(packed.len()).unwrap()).to_be_bytes());
        file.extend(tables.to_be_bytes());
        file.extend([0; 30]);
        for table in 0..tables {
            file.extend([b't', b'a', table.to_be_bytes()[0], table.to_be_bytes()[1]]);
            for number in [begins, packed_long, unfolded_long, 0] {
                file.extend(number.to_be_bytes());
            }
        }
        file.extend(packed);
        file
    }

    #[test]
    fn what_a_font_claims_is_counted_before_it_is_unfolded() {
        use std::io::Write;
        let zeros = |many: usize| {
            let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::best());
            packer.write_all(&vec![0; many]).unwrap();
            packer.finish().unwrap()
        };
        let packed = zeros(60_000_000);
        let long = u32::try_from(packed.len()).unwrap();
        for bomb in [
            folded(10, &packed, long, 60_000_000),
            // Not packed at all: each table is all of the file.
            folded(2_000, &[0; 200_000], 200_000, 200_000),
            folded(65_535, b"", 0, u32::MAX),
        ] {
            assert!(claimed(&bomb).unwrap() > MOST_UNFOLDED as u64);
            assert_eq!(clean(&bomb).unwrap_err(), ClipError::NotAFont);
        }
        let fine = folded(2, &zeros(1_000), u32::try_from(zeros(1_000).len()).unwrap(), 1_000);
        assert_eq!(claimed(&fine), Some(2_000));
        assert!(unfolded(&fine).is_some());
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
