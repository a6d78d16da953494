//! Pictures from outside, made new, and small and square where they stand for somebody: decoded within bounds, and
//! coded anew as PNG, so that nothing of what was sent is ever handed on.

use bytes::Bytes;
use std::io::Cursor;
use zune_core::bytestream::ZCursor;
use zune_core::colorspace::ColorSpace;
use zune_core::options::DecoderOptions;

/// Longest side that is decoded, and the side of what is made, in pixels.
pub const MOST_SIDE: usize = 4_096;
pub const SIDE: usize = 160;
/// Most pixels that are decoded, and most bytes that a decoder may take besides.
const MOST_PIXELS: usize = 8_000_000;
const MOST_BYTES: usize = MOST_PIXELS * 8;
/// Most bytes of the picture that is made.
const MOST_WRITTEN: usize = 8 * 1024 * 1024;

/// Pixels in rows from the top, four bytes each: red, green, blue, opacity.
struct Pixels {
    width: usize,
    height: usize,
    rgba: Vec<u8>,
}

/// A square of a PNG, JPEG, GIF or WebP as a small PNG; none where it is no picture, or too large a one.
pub fn small(sent: &[u8]) -> Option<Bytes> {
    coded(&square(&decoded(sent)?), SIDE, SIDE)
}

/// The whole of a PNG, JPEG, GIF or WebP as a PNG of the same size; none where it is no picture, or too large a one.
pub fn whole(sent: &[u8]) -> Option<Bytes> {
    let pixels = decoded(sent)?;
    coded(&pixels.rgba, pixels.width, pixels.height)
}

fn decoded(sent: &[u8]) -> Option<Pixels> {
    let pixels = match sent {
        [0x89, b'P', b'N', b'G', ..] => png(sent),
        [0xFF, 0xD8, 0xFF, ..] => jpeg(sent),
        [b'G', b'I', b'F', b'8', ..] => gif(sent),
        [b'R', b'I', b'F', b'F', _, _, _, _, b'W', b'E', b'B', b'P', ..] => webp(sent),
        _ => None,
    }?;
    (pixels.rgba.len() == pixels.width * pixels.height * 4).then_some(pixels)
}

/// Whether a picture of that size is decoded at all.
fn fits(width: usize, height: usize) -> Option<()> {
    let sides = (1..=MOST_SIDE).contains(&width) && (1..=MOST_SIDE).contains(&height);
    (sides && width * height <= MOST_PIXELS).then_some(())
}

fn png(sent: &[u8]) -> Option<Pixels> {
    let mut decoder = png::Decoder::new_with_limits(Cursor::new(sent), png::Limits { bytes: MOST_BYTES });
    decoder.set_transformations(png::Transformations::normalize_to_color8());
    let mut reader = decoder.read_info().ok()?;
    let (width, height) = (reader.info().width as usize, reader.info().height as usize);
    fits(width, height)?;
    let mut bytes = vec![0; reader.output_buffer_size()?];
    let frame = reader.next_frame(&mut bytes).ok()?;
    bytes.truncate(frame.buffer_size());
    let samples = frame.color_type.samples();
    // As long as it will be, so that it is not copied while it grows.
    let mut rgba = Vec::with_capacity(width * height * 4);
    rgba.extend(bytes.chunks_exact(samples).flat_map(|pixel| match *pixel {
        [grey] => [grey, grey, grey, 255],
        [grey, opacity] => [grey, grey, grey, opacity],
        [red, green, blue] => [red, green, blue, 255],
        [red, green, blue, opacity] => [red, green, blue, opacity],
        _ => [0; 4],
    }));
    Some(Pixels { width, height, rgba })
}

fn jpeg(sent: &[u8]) -> Option<Pixels> {
    let options = DecoderOptions::default()
        .set_max_width(MOST_SIDE)
        .set_max_height(MOST_SIDE)
        .jpeg_set_out_colorspace(ColorSpace::RGBA);
    let mut decoder = zune_jpeg::JpegDecoder::new_with_options(ZCursor::new(sent), options);
    decoder.decode_headers().ok()?;
    let (width, height) = decoder.dimensions()?;
    fits(width, height)?;
    Some(Pixels { width, height, rgba: decoder.decode().ok()? })
}

/// The first frame of it.
fn gif(sent: &[u8]) -> Option<Pixels> {
    let mut options = gif::DecodeOptions::new();
    options.set_color_output(gif::ColorOutput::RGBA);
    options.set_memory_limit(gif::MemoryLimit::Bytes(std::num::NonZeroU64::new(MOST_BYTES as u64)?));
    let mut decoder = options.read_info(Cursor::new(sent)).ok()?;
    let (width, height) = (usize::from(decoder.width()), usize::from(decoder.height()));
    fits(width, height)?;
    let frame = decoder.read_next_frame().ok()??;
    let (left, top) = (usize::from(frame.left), usize::from(frame.top));
    let mut rgba = vec![0; width * height * 4];
    for (row, line) in frame.buffer.chunks_exact(usize::from(frame.width).max(1) * 4).enumerate() {
        let from = (top + row) * width + left;
        let many = usize::from(frame.width).min(width.saturating_sub(left)) * 4;
        if top + row < height && many > 0 {
            rgba[from * 4..from * 4 + many].copy_from_slice(&line[..many]);
        }
    }
    Some(Pixels { width, height, rgba })
}

fn webp(sent: &[u8]) -> Option<Pixels> {
    let mut decoder = image_webp::WebPDecoder::new(Cursor::new(sent)).ok()?;
    decoder.set_memory_limit(MOST_BYTES);
    let (width, height) = decoder.dimensions();
    let (width, height) = (width as usize, height as usize);
    fits(width, height)?;
    let mut bytes = vec![0; decoder.output_buffer_size()?];
    decoder.read_image(&mut bytes).ok()?;
    let rgba = if decoder.has_alpha() {
        bytes
    } else {
        let mut rgba = Vec::with_capacity(width * height * 4);
        rgba.extend(bytes.chunks_exact(3).flat_map(|pixel| [pixel[0], pixel[1], pixel[2], 255]));
        rgba
    };
    Some(Pixels { width, height, rgba })
}

/// For each place of a row of the small picture: from which place on, and with which weights, it is mixed.
fn mixes(from: usize, side: usize) -> Vec<(usize, Vec<f32>)> {
    let scale = side as f32 / SIDE as f32;
    let reach = scale.max(1.0) / 2.0;
    let mix = |place: usize| {
        let middle = (place as f32 + 0.5) * scale;
        let (low, high) = ((middle - reach).max(0.0), (middle + reach).min(side as f32));
        let first = low as usize;
        let last = (high.ceil() as usize).clamp(first + 1, side);
        let share = |at: usize| (high.min(at as f32 + 1.0) - low.max(at as f32)).max(0.0);
        let weights: Vec<f32> = (first..last).map(share).collect();
        let whole: f32 = weights.iter().sum::<f32>().max(f32::EPSILON);
        (from + first, weights.into_iter().map(|weight| weight / whole).collect())
    };
    (0..SIDE).map(mix).collect()
}

/// The largest square in its middle, mixed down (or up) to [`SIDE`].
fn square(pixels: &Pixels) -> Vec<u8> {
    let side = pixels.width.min(pixels.height);
    let across = mixes((pixels.width - side) / 2, side);
    let down = mixes((pixels.height - side) / 2, side);
    let mut made = Vec::with_capacity(SIDE * SIDE * 4);
    for (top, rows) in &down {
        for (left, columns) in &across {
            // What is seen through counts as little as it is seen.
            let mut sum = [0.0_f32; 4];
            for (row, high) in rows.iter().enumerate() {
                for (column, wide) in columns.iter().enumerate() {
                    let at = ((top + row) * pixels.width + left + column) * 4;
                    let opacity = f32::from(pixels.rgba[at + 3]) * high * wide;
                    for (part, sum) in sum.iter_mut().take(3).enumerate() {
                        *sum += f32::from(pixels.rgba[at + part]) * opacity;
                    }
                    sum[3] += opacity;
                }
            }
            let seen = sum[3].max(f32::EPSILON);
            made.extend(sum.iter().take(3).map(|part| (part / seen).round().clamp(0.0, 255.0) as u8));
            made.push(sum[3].round().clamp(0.0, 255.0) as u8);
        }
    }
    made
}

/// A file that is being written, up to what is taken.
struct Written(Vec<u8>);

impl std::io::Write for Written {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        if self.0.len() + bytes.len() > MOST_WRITTEN {
            return Err(std::io::ErrorKind::FileTooLarge.into());
        }
        self.0.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

fn coded(rgba: &[u8], width: usize, height: usize) -> Option<Bytes> {
    let mut file = Written(Vec::new());
    let (width, height) = (u32::try_from(width).ok()?, u32::try_from(height).ok()?);
    let mut encoder = png::Encoder::new(&mut file, width, height);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    let mut writer = encoder.write_header().ok()?;
    writer.write_image_data(rgba).ok()?;
    writer.finish().ok()?;
    Some(file.0.into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn png_of(width: u32, height: u32, pixel: impl Fn(u32, u32) -> [u8; 3]) -> Vec<u8> {
        let mut file = Vec::new();
        let mut encoder = png::Encoder::new(&mut file, width, height);
        encoder.set_color(png::ColorType::Rgb);
        let bytes: Vec<u8> =
            (0..height).flat_map(|y| (0..width).map(move |x| (x, y))).flat_map(|(x, y)| pixel(x, y)).collect();
        let mut writer = encoder.write_header().unwrap();
        writer.write_image_data(&bytes).unwrap();
        writer.finish().unwrap();
        file
    }

    fn plain(width: u32, height: u32) -> Vec<u8> {
        png_of(width, height, |_, _| [200, 30, 30])
    }

    #[test]
    fn a_picture_is_made_small_square_and_new() {
        let mut sent = plain(300, 90);
        sent.extend(b"<script>and something behind it</script>");
        let made = small(&sent).unwrap();
        let pixels = png(&made).unwrap();
        assert_eq!((pixels.width, pixels.height), (SIDE, SIDE));
        assert!(pixels.rgba.chunks(4).all(|pixel| pixel == [200, 30, 30, 255]), "a plain colour stays what it is");
        assert!(!made.windows(6).any(|window| window == b"script"));
        let pixels = png(&whole(&sent).unwrap()).unwrap();
        assert_eq!((pixels.width, pixels.height), (300, 90), "or stays as large as it is");
        assert!(pixels.rgba.chunks(4).all(|pixel| pixel == [200, 30, 30, 255]));
        // Long and thin, or large in both: neither takes much.
        for (width, height) in [(4_096, 1), (2_048, 2_048)] {
            let sent = plain(width, height);
            let taken = allocation_counter::measure(|| assert!(small(&sent).is_some()));
            assert!(taken.bytes_max < 64 * 1_024 * 1_024, "{width} x {height}: {taken:?}");
        }
        for wrong in [&b""[..], &plain(4_000, 2_500), b"<svg xmlns='http://www.w3.org/2000/svg'/>", &plain(4_097, 1)] {
            assert_eq!(small(wrong), None);
        }
    }

    #[test]
    fn the_square_is_the_middle_and_is_mixed_from_all_that_lies_under_it() {
        // Left and right of the middle square are other colours; inside, black and white columns by turns.
        let striped = png_of(960, 320, |x, _| match x {
            320..640 if x % 2 == 0 => [255; 3],
            320..640 => [0; 3],
            _ => [255, 0, 0],
        });
        let pixels = png(&small(&striped).unwrap()).unwrap();
        assert!(pixels.rgba.chunks(4).all(|pixel| pixel == [128, 128, 128, 255]));
    }

    #[test]
    fn every_kind_of_picture_is_read() {
        // Each a red square, as small as its format allows.
        let gif = {
            let mut file = Vec::new();
            let mut encoder = gif::Encoder::new(&mut file, 2, 2, &[255, 0, 0]).unwrap();
            encoder.write_frame(&gif::Frame::from_indexed_pixels(2, 2, vec![0; 4], None)).unwrap();
            drop(encoder);
            file
        };
        let webp = {
            let mut file = Vec::new();
            let red = [255, 0, 0].repeat(4);
            image_webp::WebPEncoder::new(&mut file).encode(&red, 2, 2, image_webp::ColorType::Rgb8).unwrap();
            file
        };
        for sent in [gif, webp, plain(2, 2)] {
            let pixels = png(&small(&sent).unwrap()).unwrap();
            assert!(pixels.rgba.chunks(4).all(|pixel| pixel[0] >= 200 && pixel[1] <= 30 && pixel[3] == 255));
        }
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(kind in 0_usize..4, bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
            let heads: [&[u8]; 4] = [b"\x89PNG\r\n\x1a\n", &[0xFF, 0xD8, 0xFF, 0xE0], b"GIF89a", b"RIFF\0\0\0\0WEBPVP8 "];
            small(&[heads[kind], &bytes].concat());
        }
    }
}
