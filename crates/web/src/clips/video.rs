//! A streamer's own short video: WebM, taken apart and put together again.
//!
//! WebM is a tree of elements, each an identifier, a length and what it holds (RFC 8794, RFC 9559).
//! Only elements that a browser needs to show the pictures are copied, in a container that is written
//! anew: titles, tags, attachments, places and names of programs stay behind. The pictures themselves
//! are left as they are, since see-through video survives no coding of ours; a browser decodes them in
//! its sandbox.

use super::{Clean, ClipError};

/// Longest video, in milliseconds.
const LONGEST: u64 = 15_000;
/// Largest picture, in pixels.
const LARGEST: (u64, u64) = (1_920, 1_080);
/// A length that says nothing: until the next element of the level.
const OPEN_ENDED: u64 = u64::MAX;

const EBML: u32 = 0x1A45_DFA3;
const DOC_TYPE: u32 = 0x4282;
const SEGMENT: u32 = 0x1853_8067;
const INFO: u32 = 0x1549_A966;
const TIMESTAMP_SCALE: u32 = 0x2A_D7B1;
const DURATION: u32 = 0x4489;
const MUXING_APP: u32 = 0x4D80;
const WRITING_APP: u32 = 0x5741;
const TRACKS: u32 = 0x1654_AE6B;
const TRACK: u32 = 0xAE;
const TRACK_TYPE: u32 = 0x83;
const CODEC: u32 = 0x86;
const VIDEO: u32 = 0xE0;
const PIXEL_WIDTH: u32 = 0xB0;
const PIXEL_HEIGHT: u32 = 0xBA;
const COLOUR: u32 = 0x55B0;
const AUDIO: u32 = 0xE1;
const CLUSTER: u32 = 0x1F43_B675;
const TIMESTAMP: u32 = 0xE7;
const SIMPLE_BLOCK: u32 = 0xA3;
const BLOCK_GROUP: u32 = 0xA0;
const BLOCK: u32 = 0xA1;
const ADDITIONS: u32 = 0x75A1;
const MORE: u32 = 0xA6;

/// The elements that may stand inside another one.
fn inside(parent: u32) -> &'static [u32] {
    match parent {
        TRACKS => &[TRACK],
        // Number, UID, type, enabled, default, lacing, default duration, codec and its private part,
        // delay, pre-roll, and what pictures and sound look like.
        TRACK => &[
            0xD7, 0x73C5, TRACK_TYPE, 0xB9, 0x88, 0x9C, 0x23_E383, CODEC, 0x63A2, 0x56AA, 0x56BB, 0x55EE, VIDEO, AUDIO,
        ],
        // Width, height, cropping, size shown, see-through or not, interlaced or not, colours.
        VIDEO => {
            &[PIXEL_WIDTH, PIXEL_HEIGHT, 0x54AA, 0x54BB, 0x54CC, 0x54DD, 0x54B0, 0x54BA, 0x54B2, 0x53C0, 0x9A, COLOUR]
        }
        // Matrix, bits, chroma, range, transfer, primaries.
        COLOUR => &[0x55B1, 0x55B2, 0x55B3, 0x55B4, 0x55B5, 0x55B6, 0x55B7, 0x55B8, 0x55B9, 0x55BA, 0x55BB],
        // Rate, rate put out, channels, bits.
        AUDIO => &[0xB5, 0x78B5, 0x9F, 0x6264],
        CLUSTER => &[TIMESTAMP, SIMPLE_BLOCK, BLOCK_GROUP],
        // The block, how long it lasts, on what it builds, its second picture (how see-through it is).
        BLOCK_GROUP => &[BLOCK, 0x9B, 0xFB, 0x75A2, ADDITIONS],
        ADDITIONS => &[MORE],
        MORE => &[0xEE, 0xA5],
        _ => &[],
    }
}

/// One element of the tree.
#[derive(Clone, Copy)]
struct Element<'a> {
    id: u32,
    body: &'a [u8],
}

/// Reads the elements of one level, one after the other.
struct Level<'a> {
    rest: &'a [u8],
}

/// A number whose first set bit says how many bytes it has; with that bit kept, or taken out.
fn number(bytes: &[u8], most: usize, marked: bool) -> Option<(u64, usize)> {
    let first = *bytes.first()?;
    let length = first.leading_zeros() as usize + 1;
    if length > most || bytes.len() < length {
        return None;
    }
    let kept = if marked { first } else { first & (0xFF_u16 >> length) as u8 };
    let value = bytes[1..length].iter().fold(u64::from(kept), |value, byte| value << 8 | u64::from(*byte));
    let open_ended = !marked && value == (1 << (7 * length)) - 1;
    Some((if open_ended { OPEN_ENDED } else { value }, length))
}

impl<'a> Level<'a> {
    /// The next element; an error where the file is broken off or makes no sense.
    fn next(&mut self) -> Result<Option<Element<'a>>, ClipError> {
        if self.rest.is_empty() {
            return Ok(None);
        }
        let (id, id_length) = number(self.rest, 4, true).ok_or(ClipError::Broken)?;
        let after = &self.rest[id_length..];
        let (size, size_length) = number(after, 8, false).ok_or(ClipError::Broken)?;
        let after = &after[size_length..];
        let id = u32::try_from(id).map_err(|_| ClipError::Broken)?;
        let size = match (size, id) {
            (OPEN_ENDED, SEGMENT) => after.len(),
            (OPEN_ENDED, CLUSTER) => until_next_part(after)?,
            (size, _) => usize::try_from(size).ok().filter(|size| *size <= after.len()).ok_or(ClipError::Broken)?,
        };
        self.rest = &after[size..];
        Ok(Some(Element { id, body: &after[..size] }))
    }
}

/// How far a cluster without a length reaches: up to an element that cannot stand inside it.
fn until_next_part(body: &[u8]) -> Result<usize, ClipError> {
    let mut level = Level { rest: body };
    loop {
        let left = level.rest.len();
        // Parts of a segment have identifiers of four bytes; those of a cluster are shorter.
        if left == 0 || matches!(number(level.rest, 4, true), Some((_, 4))) {
            return Ok(body.len() - left);
        }
        level.next()?;
    }
}

fn whole(body: &[u8]) -> u64 {
    body.iter().take(8).fold(0, |value, byte| value << 8 | u64::from(*byte))
}

fn write(out: &mut Vec<u8>, id: u32, body: &[u8]) {
    let bytes = id.to_be_bytes();
    out.extend_from_slice(&bytes[bytes.iter().position(|byte| *byte != 0).unwrap_or(3)..]);
    // A length of eight bytes always fits.
    out.extend_from_slice(&((1_u64 << 56) | body.len() as u64).to_be_bytes());
    out.extend_from_slice(body);
}

/// What the file holds, found out while it is copied.
#[derive(Default)]
struct VideoInfo {
    /// Of the cluster that is being read.
    timestamp: u64,
    /// The last block's, in ticks.
    end: u64,
    pictures: bool,
    size: (u64, u64),
    codec: Vec<u8>,
}

fn copy(parent: Element<'_>, info: &mut VideoInfo, out: &mut Vec<u8>) -> Result<(), ClipError> {
    let mut level = Level { rest: parent.body };
    while let Some(element) = level.next()? {
        if !inside(parent.id).contains(&element.id) {
            continue;
        }
        match element.id {
            TIMESTAMP => info.timestamp = whole(element.body),
            TRACK_TYPE => info.pictures |= whole(element.body) == 1,
            CODEC => element.body.clone_into(&mut info.codec),
            PIXEL_WIDTH => info.size.0 = info.size.0.max(whole(element.body)),
            PIXEL_HEIGHT => info.size.1 = info.size.1.max(whole(element.body)),
            SIMPLE_BLOCK | BLOCK => {
                let (_, track) = number(element.body, 8, false).ok_or(ClipError::Broken)?;
                let [high, low] = element.body.get(track..track + 2).ok_or(ClipError::Broken)? else {
                    return Err(ClipError::Broken);
                };
                let at = info.timestamp.saturating_add_signed(i16::from_be_bytes([*high, *low]).into());
                info.end = info.end.max(at);
            }
            _ => {}
        }
        if !inside(element.id).is_empty() {
            let mut body = Vec::with_capacity(element.body.len());
            copy(element, info, &mut body)?;
            if element.id == TRACK && !KNOWN_CODECS.contains(&std::mem::take(&mut info.codec).as_slice()) {
                return Err(ClipError::Codec);
            }
            write(out, element.id, &body);
        } else {
            write(out, element.id, element.body);
        }
    }
    Ok(())
}

/// What every current browser decodes.
const KNOWN_CODECS: [&[u8]; 5] = [b"V_VP8", b"V_VP9", b"V_AV1", b"A_OPUS", b"A_VORBIS"];

/// Takes a WebM apart and writes a new one of what is needed to show it.
///
/// # Errors
/// It is no WebM, broken off, too long or too large, or coded in a way that browsers do not know.
pub(super) fn clean(bytes: &[u8]) -> Result<Clean, ClipError> {
    let mut top = Level { rest: bytes };
    let head = top.next().ok().flatten().filter(|head| head.id == EBML).ok_or(ClipError::NotAVideo)?;
    let mut level = Level { rest: head.body };
    let mut is_webm = false;
    while let Some(element) = level.next()? {
        is_webm |= element.id == DOC_TYPE && element.body.trim_ascii_end().starts_with(b"webm");
    }
    if !is_webm {
        return Err(ClipError::NotAVideo);
    }
    let segment = loop {
        let element = top.next()?.ok_or(ClipError::Broken)?;
        if element.id == SEGMENT {
            break element;
        }
    };

    let (mut seen, mut parts, mut scale) = (VideoInfo::default(), Vec::new(), 1_000_000);
    let mut level = Level { rest: segment.body };
    while let Some(part) = level.next()? {
        match part.id {
            INFO => {
                let mut info = Level { rest: part.body };
                while let Some(element) = info.next()? {
                    if element.id == TIMESTAMP_SCALE {
                        scale = whole(element.body).max(1);
                    }
                }
            }
            TRACKS | CLUSTER => {
                let mut body = Vec::with_capacity(part.body.len());
                copy(part, &mut seen, &mut body)?;
                write(&mut parts, part.id, &body);
            }
            _ => {}
        }
    }
    if !seen.pictures || seen.end == 0 {
        return Err(ClipError::NotAVideo);
    }
    if seen.size.0 > LARGEST.0 || seen.size.1 > LARGEST.1 {
        return Err(ClipError::TooLarge { width: seen.size.0, height: seen.size.1 });
    }
    let milliseconds = seen.end.saturating_mul(scale) / 1_000_000;
    if milliseconds > LONGEST {
        return Err(ClipError::TooLong { seconds: milliseconds.div_ceil(1_000), most: LONGEST / 1_000 });
    }

    let mut info = Vec::new();
    write(&mut info, TIMESTAMP_SCALE, &scale.to_be_bytes());
    write(&mut info, DURATION, &(seen.end as f64).to_be_bytes());
    write(&mut info, MUXING_APP, b"eager-tally");
    write(&mut info, WRITING_APP, b"eager-tally");
    let mut body = Vec::with_capacity(parts.len() + 128);
    write(&mut body, INFO, &info);
    body.extend_from_slice(&parts);
    let mut file = Vec::with_capacity(body.len() + 64);
    // Version, version to read, longest identifier, longest length, kind of file, its versions.
    let mut head = Vec::new();
    for (id, value) in [
        (0x4286, &[1_u8][..]),
        (0x42F7, &[1]),
        (0x42F2, &[4]),
        (0x42F3, &[8]),
        (DOC_TYPE, b"webm"),
        (0x4287, &[4]),
        (0x4285, &[2]),
    ] {
        write(&mut head, id, value);
    }
    write(&mut file, EBML, &head);
    write(&mut file, SEGMENT, &body);
    Ok(Clean { bytes: file, milliseconds })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn element(id: u32, body: &[u8]) -> Vec<u8> {
        let mut out = Vec::new();
        write(&mut out, id, body);
        out
    }

    /// A file of one track and one cluster with a block at so many milliseconds.
    fn file(width: u16, codec: &[u8], last: u16, extra: &[u8]) -> Vec<u8> {
        let video = [element(PIXEL_WIDTH, &width.to_be_bytes()), element(PIXEL_HEIGHT, &[90])].concat();
        let track = [
            element(0xD7, &[1]),
            element(TRACK_TYPE, &[1]),
            element(CODEC, codec),
            element(0x536E, b"a name of its own"),
            element(VIDEO, &video),
        ];
        let block = |at: u16| element(SIMPLE_BLOCK, &[&[0x81_u8][..], &at.to_be_bytes(), &[0x80, 7, 7, 7]].concat());
        let cluster = [element(TIMESTAMP, &[0]), block(0), block(last)].concat();
        let segment = [
            element(INFO, &[element(TIMESTAMP_SCALE, &[0x0F, 0x42, 0x40]), element(0x7BA9, b"My holiday")].concat()),
            element(TRACKS, &element(TRACK, &track.concat())),
            extra.to_vec(),
            element(CLUSTER, &cluster),
        ];
        [element(EBML, &element(DOC_TYPE, b"webm")), element(SEGMENT, &segment.concat())].concat()
    }

    fn holds(bytes: &[u8], text: &[u8]) -> bool {
        bytes.windows(text.len()).any(|window| window == text)
    }

    #[test]
    fn a_video_of_crumbs_grows_beyond_what_is_taken_and_is_refused() {
        // Each block takes six bytes here, and more when its size is written anew.
        let crumbs = [0xA3, 0x84, 0x81, 0, 0, 0x80].repeat(1_300_000);
        let cluster = element(CLUSTER, &[element(TIMESTAMP, &[0]), crumbs].concat());
        let sent = file(160, b"V_VP8", 40, &cluster);
        assert!(sent.len() < 8 * 1024 * 1024);
        assert_eq!(
            super::super::clean(tally_core::look::Sort::Video, super::super::Wanted::Any, &sent).unwrap_err(),
            ClipError::Heavy
        );
    }

    #[test]
    fn pictures_are_kept_and_all_else_stays_behind() {
        let tags = element(0x1254_C367, b"<script>made at home, 3 Kiln Lane</script>");
        let clean = clean(&file(160, b"V_VP9", 2_000, &tags)).unwrap();
        assert_eq!(clean.milliseconds, 2_000);
        assert!(holds(&clean.bytes, &[0x80, 7, 7, 7]) && holds(&clean.bytes, b"V_VP9"));
        for text in [&b"script"[..], b"Kiln Lane", b"My holiday", b"a name of its own"] {
            assert!(!holds(&clean.bytes, text));
        }
        assert_eq!(super::clean(&clean.bytes).unwrap().bytes, clean.bytes, "what is clean stays as it is");
    }

    #[test]
    fn lengths_that_are_not_told_are_found() {
        let info = file(160, b"V_VP8", 900, &[]);
        let cluster = info.windows(4).position(|window| window == CLUSTER.to_be_bytes()).unwrap();
        let mut open_ended = info.clone();
        open_ended[cluster + 4..cluster + 12].copy_from_slice(&[0x01, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF]);
        open_ended.extend(element(0x1C53_BB6B, b"places"));
        let segment = open_ended.windows(4).position(|window| window == SEGMENT.to_be_bytes()).unwrap();
        open_ended[segment + 4..segment + 12].copy_from_slice(&[0x01, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF]);
        assert_eq!(clean(&open_ended).unwrap().bytes, clean(&info).unwrap().bytes);
    }

    #[test]
    fn what_cannot_be_shown_is_refused_in_words() {
        let refused = |bytes: &[u8]| clean(bytes).err().unwrap();
        assert_eq!(refused(b"\x00\x00\x00\x20ftypisom"), ClipError::NotAVideo);
        assert_eq!(refused(b""), ClipError::NotAVideo);
        assert_eq!(refused(&file(160, b"V_MPEG4/ISO/AVC", 900, &[])), ClipError::Codec);
        assert_eq!(refused(&file(3_840, b"V_VP9", 900, &[])), ClipError::TooLarge { width: 3_840, height: 90 });
        assert_eq!(refused(&file(160, b"V_VP9", 16_500, &[])), ClipError::TooLong { seconds: 17, most: 15 });
        let whole = file(160, b"V_VP9", 900, &[]);
        assert_eq!(refused(&whole[..whole.len() - 3]), ClipError::Broken);
    }

    proptest! {
        #[test]
        fn no_bytes_bring_it_down(mut bytes in prop::collection::vec(any::<u8>(), 0..200), at in 0_usize..400, with in any::<u8>()) {
            let _ = clean(&bytes);
            let mut whole = file(160, b"V_VP9", 900, &[]);
            let length = whole.len();
            whole[at % length] = with;
            let _ = clean(&whole);
            whole.append(&mut bytes);
            let _ = clean(&whole);
        }
    }
}
