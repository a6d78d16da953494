//! Files and styles as nobody should send them: none makes a reader fall over, or take more than it may.

#[path = "../../../core/tests/common/hostile.rs"]
mod harm;

use super::{drawing, font, sound, video};
use crate::{own_style, picture};
use base64::prelude::{BASE64_STANDARD, Engine};
use harm::{Costs, hostile, within};
use proptest::prelude::*;
use std::io::Cursor;

const MIB: u64 = 1024 * 1024;
/// All that decoders may take, of whatever is sent.
const DECODERS: u64 = 150 * MIB;

fn drawings() -> Vec<Vec<u8>> {
    let texts = [
        "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 9 9'><g fill='#c98a00'><path d='M1 1h7v7z'/><!-- </g> --><text x='1'>Halt</text></g></svg>",
        "<svg xmlns='http://www.w3.org/2000/svg'><style>@import url(a);path{fill:url(#b)}</style><![CDATA[</g>]]><use href='#a'/></svg>",
        "<?xml version='1.0'?><!DOCTYPE svg [<!ENTITY a '&b;&b;'>]><svg>&a;</svg>",
    ];
    texts.map(|text| text.as_bytes().to_vec()).into()
}

fn fonts() -> Vec<Vec<u8>> {
    let woff2 = include_bytes!("../../assets/fonts/lobster-latin-400-normal.woff2");
    let mut woff = b"wOFF\0\x01\0\0\0\0\0\x60\0\x01\0\0\0\0\0\x40\0\x01\0\0".to_vec();
    woff.resize(44, 0);
    woff.extend(b"head\0\0\0\x40\0\0\0\x0b\0\0\0\x40\0\0\0\0x\x9c\x63\x60\x20\x1f\0\0\0\x40\0\x01");
    let ttf =
        b"\0\x01\0\0\0\x02\0\x20\0\x01\0\0head\0\0\0\0\0\0\0\x2c\0\0\0\x36cmap\0\0\0\0\0\0\0\x62\0\0\0\x10".to_vec();
    vec![woff2.to_vec(), woff, ttf, b"OTTO\0\x01".to_vec()]
}

fn sounds() -> Vec<Vec<u8>> {
    let spec = hound::WavSpec {
        channels: 2,
        sample_rate: 8_000,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut wav = Cursor::new(Vec::new());
    let mut writer = hound::WavWriter::new(&mut wav, spec).unwrap();
    (0..400).for_each(|index| writer.write_sample(index * 50).unwrap());
    writer.finalize().unwrap();
    let flac = b"fLaC\x80\0\0\x22\x10\0\x10\0\0\0\0\0\0\0\x0a\xc4\x42\xf0\0\0\x03\xe8\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\0\xff\xf8\xc9\x18\0\xc2".to_vec();
    let ogg = b"OggS\0\x02\0\0\0\0\0\0\0\0\x01\0\0\0\0\0\0\0\0\0\0\0\x01\x1e\x01vorbis\0\0\0\0\x02\x44\xac\0\0\0\0\0\0\0\xee\x02\0\0\0\0\0\xb8\x01".to_vec();
    let mp3 = [&b"ID3\x03\0\0\0\0\0\0"[..], &[0xFF, 0xFB, 0x90, 0x64], &[0; 413]].concat();
    vec![wav.into_inner(), flac, ogg, mp3]
}

fn pictures() -> Vec<Vec<u8>> {
    const JPEG: &str = "/9j/4AAQSkZJRgABAQAAAQABAAD/2wBDABsSFBcUERsXFhceHBsgKEIrKCUlKFE6PTBCYFVlZF9VXVtqeJmBanGQc1tdhbWGkJ6jq62rZ4C8ybqmx5moq6T/2wBDARweHigjKE4rK06kbl1upKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKSkpKT/wAARCAADAAMDASIAAhEBAxEB/8QAFQABAQAAAAAAAAAAAAAAAAAAAAP/xAAUEAEAAAAAAAAAAAAAAAAAAAAA/8QAFQEBAQAAAAAAAAAAAAAAAAAABAX/xAAUEQEAAAAAAAAAAAAAAAAAAAAA/9oADAMBAAIRAxEAPwCgCQY//9k=";
    let mut png = Vec::new();
    let mut encoder = png::Encoder::new(&mut png, 3, 3);
    encoder.set_color(png::ColorType::Rgb);
    encoder.write_header().unwrap().write_image_data(&[90; 27]).unwrap();
    let mut gif = Vec::new();
    let mut frame = gif::Frame::from_indexed_pixels(3, 3, [0; 9], None);
    frame.delay = 10;
    gif::Encoder::new(&mut gif, 3, 3, &[200, 140, 0]).unwrap().write_frame(&frame).unwrap();
    let mut webp = Vec::new();
    image_webp::WebPEncoder::new(&mut webp).encode(&[90; 27], 3, 3, image_webp::ColorType::Rgb8).unwrap();
    vec![png, gif, webp, BASE64_STANDARD.decode(JPEG).unwrap()]
}

proptest! {
    #[test]
    fn drawings_of_ones_own(sent in hostile(&drawings())) {
        let costs = Costs { bytes: DECODERS, allocations: 2_000, each_byte: 16 };
        let _ = within(costs, &sent, || drawing::clean(&sent));
    }

    #[test]
    fn fonts_of_ones_own(sent in hostile(&fonts())) {
        let costs = Costs { bytes: DECODERS, allocations: 20_000, each_byte: 4 };
        let _ = within(costs, &sent, || font::clean(&sent));
    }

    #[test]
    fn sounds_of_ones_own(sent in hostile(&sounds())) {
        let costs = Costs { bytes: DECODERS, allocations: 20_000, each_byte: 4 };
        let _ = within(costs, &sent, || sound::clean(&sent));
    }

    #[test]
    fn videos_of_ones_own(sent in hostile(&[include_bytes!("../../../tally/tests/suite/files/pennant.webm").to_vec()])) {
        let costs = Costs { bytes: 8 * MIB, allocations: 200, each_byte: 2 };
        let _ = within(costs, &sent, || video::clean(&sent));
    }

    #[test]
    fn pictures_of_ones_own(sent in hostile(&pictures())) {
        let costs = Costs { bytes: DECODERS, allocations: 20_000, each_byte: 8 };
        let _ = within(costs, &sent, || (picture::small(&sent), picture::whole(&sent)));
    }

    #[test]
    fn styles_of_ones_own(sent in hostile(&[
        b"& { rotate: -1deg } .a, .b { > .c { & ~ .d:not(.e, [title=\"}\"]) { margin: calc(1px + (2 * var(--x))) } } }".to_vec(),
        b"@keyframes sway { from { rotate: -2deg } } @media (max-width: 9px) { @supports (a:b) { x { animation: sway 2s } } }".to_vec(),
        b".a { background: url(/clips/Zy9_x-3kQ) } .b { --x: image-set(\"a.png\" 1x) } /* */ @container x (width > 1px) {}".to_vec(),
    ])) {
        // No more of a style is read than 8 KB.
        let sent = &sent[..sent.len().min(8 * 1024)];
        let costs = Costs { bytes: 32 * MIB, allocations: 20_000, each_byte: 200 };
        let text = String::from_utf8_lossy(sent);
        let _ = within(costs, sent, || own_style::check(&text));
    }
}
