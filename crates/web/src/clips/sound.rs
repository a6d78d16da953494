//! A streamer's own short sound: decoded, and written anew as plain samples (WAV).

use super::{Clean, ClipError};
use std::io::Cursor;
use symphonia::core::audio::SampleBuffer;
use symphonia::core::errors::Error;
use symphonia::core::io::MediaSourceStream;

/// Longest sound, in milliseconds.
const LONGEST: u64 = 10_000;
/// Rates at which samples may follow each other, a second.
const RATES: std::ops::RangeInclusive<u32> = 8_000..=96_000;

/// Decodes WAV, MP3, OGG (Vorbis) or FLAC, and writes what is heard as 16-bit samples, one or two channels.
///
/// # Errors
/// It is none of these, broken, empty, or too long.
pub(super) fn clean(bytes: &[u8]) -> Result<Clean, ClipError> {
    // The decoder falls over a rate of nothing.
    if rate_in_head(bytes).is_some_and(|rate| !RATES.contains(&rate)) {
        return Err(ClipError::Broken);
    }
    let source = MediaSourceStream::new(Box::new(Cursor::new(bytes.to_vec())), Default::default());
    let probe = symphonia::default::get_probe();
    let probed = probe.format(&Default::default(), source, &Default::default(), &Default::default());
    let mut format = probed.map_err(|_| ClipError::NotASound)?.format;
    let track = format.default_track().ok_or(ClipError::NotASound)?;
    let id = track.id;
    let codecs = symphonia::default::get_codecs();
    let mut decoder = codecs.make(&track.codec_params, &Default::default()).map_err(|_| ClipError::NotASound)?;

    let (mut samples, mut spec) = (Vec::<i16>::new(), None);
    loop {
        let packet = match format.next_packet() {
            Ok(packet) if packet.track_id() == id => packet,
            Ok(_) => continue,
            // Decoders tell the end of a file in the same way as a break.
            Err(Error::IoError(error)) if error.kind() == std::io::ErrorKind::UnexpectedEof => break,
            Err(_) => return Err(ClipError::Broken),
        };
        let decoded = match decoder.decode(&packet) {
            Ok(decoded) => decoded,
            // A damaged stretch is passed over, as players do.
            Err(Error::DecodeError(_)) => continue,
            Err(_) => return Err(ClipError::Broken),
        };
        let now = *decoded.spec();
        let (channels, rate) = (now.channels.count(), now.rate);
        if channels == 0 || !RATES.contains(&rate) || spec.is_some_and(|before| before != (channels, rate)) {
            return Err(ClipError::Broken);
        }
        spec = Some((channels, rate));
        let mut buffer = SampleBuffer::<i16>::new(decoded.capacity() as u64, now);
        buffer.copy_interleaved_ref(decoded);
        // What has more than two loudspeakers is heard through the front ones.
        samples.extend(buffer.samples().chunks_exact(channels).flat_map(|frame| &frame[..channels.min(2)]));
        let milliseconds = length(samples.len(), channels, rate);
        if milliseconds > LONGEST {
            return Err(ClipError::TooLong { seconds: milliseconds.div_ceil(1_000), most: LONGEST / 1_000 });
        }
    }
    let (channels, rate) = spec.filter(|_| !samples.is_empty()).ok_or(ClipError::NotASound)?;
    let spec = hound::WavSpec {
        channels: channels.min(2) as u16,
        sample_rate: rate,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut file = Cursor::new(Vec::with_capacity(samples.len() * 2 + 44));
    let mut writer = hound::WavWriter::new(&mut file, spec).map_err(|_| ClipError::Broken)?;
    for sample in &samples {
        writer.write_sample(*sample).map_err(|_| ClipError::Broken)?;
    }
    writer.finalize().map_err(|_| ClipError::Broken)?;
    Ok(Clean { bytes: file.into_inner(), milliseconds: length(samples.len(), channels, rate) })
}

/// The rate that the head of a WAV or FLAC file gives, where it has one.
fn rate_in_head(bytes: &[u8]) -> Option<u32> {
    if bytes.starts_with(b"fLaC") {
        // The first block describes the stream; its rate is 20 bits from its tenth byte on (RFC 9639, 8.2).
        let [one, two, three] = *bytes.get(18..21)? else { return None };
        return Some(u32::from_be_bytes([0, one, two, three]) >> 4);
    }
    if !bytes.starts_with(b"RIFF") {
        return None;
    }
    let mut at = 12;
    loop {
        let long: [u8; 4] = bytes.get(at + 4..at + 8)?.try_into().ok()?;
        if bytes.get(at..at + 4)? == b"fmt " {
            return Some(u32::from_le_bytes(bytes.get(at + 12..at + 16)?.try_into().ok()?));
        }
        let long = usize::try_from(u32::from_le_bytes(long)).ok()?;
        at = at.checked_add(8)?.checked_add(long)?.checked_add(long % 2)?;
    }
}

/// How long so many samples last, in milliseconds.
fn length(samples: usize, channels: usize, rate: u32) -> u64 {
    (samples / channels.min(2)) as u64 * 1_000 / u64::from(rate)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A tone of so many milliseconds over so many channels.
    fn wav(milliseconds: u32, channels: u16) -> Vec<u8> {
        let spec = hound::WavSpec {
            channels,
            sample_rate: 8_000,
            bits_per_sample: 16,
            sample_format: hound::SampleFormat::Int,
        };
        let mut file = Cursor::new(Vec::new());
        let mut writer = hound::WavWriter::new(&mut file, spec).unwrap();
        for index in 0..8 * milliseconds * u32::from(channels) {
            writer.write_sample((index % 16) as i16 * 900).unwrap();
        }
        writer.finalize().unwrap();
        file.into_inner()
    }

    #[test]
    fn what_is_heard_is_kept_and_all_else_stays_behind() {
        let mut sent = wav(500, 2);
        let plain = clean(&sent).unwrap();
        assert_eq!(plain.milliseconds, 500);
        assert_eq!(plain.bytes, sent, "plain samples are what we would write");
        // A part of another kind behind the samples.
        sent.extend(b"LIST\x1a\0\0\0INFOICMT\x0e\0\0\0Kiln Lane 3\0\0\0");
        assert_eq!(clean(&sent).unwrap().bytes, plain.bytes);
        let front = clean(&wav(250, 6)).unwrap();
        assert_eq!((front.milliseconds, front.bytes.len()), (250, 44 + 8 * 250 * 2 * 2));
    }

    #[test]
    fn what_cannot_be_heard_is_refused_in_words() {
        assert_eq!(clean(b"").err(), Some(ClipError::NotASound));
        assert_eq!(clean(b"<svg onload=alert(1)>").err(), Some(ClipError::NotASound));
        assert_eq!(clean(&wav(0, 1)).err(), Some(ClipError::NotASound));
        // The rate stands in four bytes of the head. The decoder falls over 0, and must not be asked.
        let mut standing_still = wav(20, 1);
        standing_still[24..28].fill(0);
        assert_eq!(clean(&standing_still).err(), Some(ClipError::Broken));
        assert!(matches!(clean(&wav(10_500, 1)).err(), Some(ClipError::TooLong { most: 10, .. })));
    }

    proptest! {
        #[test]
        fn no_bytes_bring_it_down(bytes in prop::collection::vec(any::<u8>(), 0..400), at in 0_usize..100, with in any::<u8>()) {
            let _ = clean(&bytes);
            let mut whole = wav(20, 1);
            whole[at] = with;
            let _ = clean(&whole);
        }
    }
}
