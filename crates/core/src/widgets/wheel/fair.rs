//! What a spin comes to. Anybody can reckon it again: the keystream of ChaCha20 (RFC 8439) with the seed as its key, a
//! nonce of twelve zero bytes and the counter at 0 is read in numbers of eight bytes, the lowest byte first. The first
//! number below the largest multiple of all weights, modulo all weights, is the ticket: the slice on which it falls,
//! counted in the order of the list, is drawn. The number after it says where inside the slice the pointer stops.

use crate::record::acts::wheel::{Bytes32, Slice, total};
use chacha20::ChaCha20;
use chacha20::cipher::{KeyIvInit, StreamCipher};
use sha2::{Digest, Sha256};

/// The pointer stays this far from the edges of a slice, in millionths of its width.
const EDGE: u64 = 20_000;
/// A whole, in millionths.
pub const WHOLE: u64 = 1_000_000;

/// What a spin comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Drawn {
    /// Which slice, counted from 0.
    pub index: usize,
    /// Where inside it the pointer stops, in millionths of its width.
    pub place: u64,
}

/// What is shown before a spin: the SHA-256 of its seed.
#[must_use]
pub fn commitment(seed: Bytes32) -> Bytes32 {
    Bytes32(Sha256::digest(seed.0).into())
}

/// The numbers of a keystream.
struct Numbers {
    cipher: ChaCha20,
    block: [u8; 64],
    at: usize,
}

impl Numbers {
    fn of(seed: Bytes32) -> Self {
        Self { cipher: ChaCha20::new(&seed.0.into(), &[0; 12].into()), block: [0; 64], at: 64 }
    }

    fn next(&mut self) -> u64 {
        if self.at >= self.block.len() {
            self.block = [0; 64];
            self.cipher.apply_keystream(&mut self.block);
            self.at = 0;
        }
        let mut bytes = [0; 8];
        let end = self.at.saturating_add(8);
        if let Some(some) = self.block.get(self.at..end) {
            bytes.copy_from_slice(some);
        }
        self.at = end;
        u64::from_le_bytes(bytes)
    }
}

/// Draws. None if nothing has any weight.
#[must_use]
pub fn draw(seed: Bytes32, slices: &[Slice]) -> Option<Drawn> {
    let total = total(slices);
    // The largest multiple of all weights that 64 bits hold: what lies beyond would favour the first tickets.
    let fair = u64::MAX.checked_sub(u64::MAX.checked_rem(total)?)?;
    let mut numbers = Numbers::of(seed);
    let mut number = numbers.next();
    while number >= fair {
        number = numbers.next();
    }
    let mut ticket = number.checked_rem(total)?;
    let mut index = None;
    for (at, slice) in slices.iter().enumerate() {
        match ticket.checked_sub(slice.weight.into()) {
            Some(rest) => ticket = rest,
            None => {
                index = Some(at);
                break;
            }
        }
    }
    let room = u128::from(WHOLE.saturating_sub(EDGE.saturating_mul(2)).saturating_add(1));
    let inside = u128::from(numbers.next()).saturating_mul(room) >> 64;
    Some(Drawn { index: index?, place: EDGE.saturating_add(u64::try_from(inside).unwrap_or(0)) })
}

/// Where the pointer stops on the whole disc, in millionths of a turn from the beginning of the first slice.
#[must_use]
pub fn stop(drawn: Drawn, slices: &[Slice]) -> u64 {
    let before = u128::from(slices.get(..drawn.index).map_or(0, total));
    let total = u128::from(total(slices));
    let own = slices.get(drawn.index).map_or(0, |slice| u128::from(slice.weight));
    let whole = u128::from(WHOLE);
    let weighed = before.saturating_mul(whole).saturating_add(own.saturating_mul(drawn.place.into()));
    u64::try_from(weighed.checked_div(total.max(1)).unwrap_or(0)).unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn hex(text: &str) -> Vec<u8> {
        let digits: String = text.chars().filter(char::is_ascii_hexdigit).collect();
        (0..digits.len()).step_by(2).map(|at| u8::from_str_radix(&digits[at..at + 2], 16).unwrap()).collect()
    }

    fn seed(number: u64) -> Bytes32 {
        commitment(Bytes32(std::array::from_fn(|at| number.to_le_bytes()[at % 8])))
    }

    fn slices(weights: &[u32]) -> Vec<Slice> {
        weights.iter().enumerate().map(|(at, weight)| Slice { text: at.to_string(), weight: *weight }).collect()
    }

    /// RFC 8439, section 2.4.2, and appendix A.1, vector 1.
    #[test]
    fn chacha20_agrees_with_its_published_vectors() {
        let key: [u8; 32] = std::array::from_fn(|at| u8::try_from(at).unwrap());
        let nonce: [u8; 12] = hex("000000000000004a00000000").try_into().unwrap();
        let mut cipher = ChaCha20::new(&key.into(), &nonce.into());
        let mut first = [0; 64];
        cipher.apply_keystream(&mut first);
        let mut text = *b"Ladies and Gentlemen of the class of '99: If I could offer you only one tip for the future, sunscreen would be it.";
        cipher.apply_keystream(&mut text);
        assert_eq!(text[..16], hex("6e2e359a2568f98041ba0728dd0d6981")[..]);
        assert_eq!(text[112..], hex("874d")[..]);
        let mut numbers = Numbers::of(Bytes32([0; 32]));
        assert_eq!(numbers.next().to_le_bytes()[..], hex("76b8e0ada0f13d90")[..]);
        assert_eq!(numbers.next().to_le_bytes()[..], hex("405d6ae55386bd28")[..]);
    }

    /// FIPS 180-4, as NIST's examples have it.
    #[test]
    fn sha256_agrees_with_its_published_vectors() {
        let digest = |text: &[u8]| Sha256::digest(text).to_vec();
        assert_eq!(digest(b"abc"), hex("ba7816bf 8f01cfea 414140de 5dae2223 b00361a3 96177a9c b410ff61 f20015ad"));
        assert_eq!(
            digest(b"abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq"),
            hex("248d6a61 d20638b8 e5c02693 0c3e6039 a33ce459 64ff2167 f6ecedd4 19db06c1")
        );
    }

    #[test]
    fn nothing_is_drawn_from_nothing() {
        assert_eq!(draw(seed(1), &[]), None);
        assert_eq!(draw(seed(1), &slices(&[0, 0])), None);
        assert_eq!(draw(seed(1), &slices(&[0, 1, 0])).unwrap().index, 1);
        assert!(draw(seed(1), &slices(&[u32::MAX; 3])).is_some());
    }

    /// A million spins of an uneven wheel: chi-square with seven degrees of freedom stays below 24.32, which chance alone
    /// exceeds once in a thousand.
    #[test]
    fn a_million_spins_fall_as_the_weights_say() {
        let wheel = slices(&[1, 2, 3, 5, 8, 13, 21, 47]);
        let mut counted = [0_u32; 8];
        let mut places = [0_u32; 4];
        for number in 0..1_000_000_u64 {
            let drawn = draw(seed(number), &wheel).unwrap();
            counted[drawn.index] += 1;
            assert!((EDGE..=WHOLE - EDGE).contains(&drawn.place));
            places[usize::try_from((drawn.place - EDGE) * 4 / (WHOLE - 2 * EDGE + 1)).unwrap()] += 1;
        }
        let square = |counted: u32, expected: f64| (f64::from(counted) - expected).powi(2) / expected;
        let chi: f64 =
            wheel.iter().zip(counted).map(|(slice, many)| square(many, f64::from(slice.weight) * 10_000.0)).sum();
        assert!(chi < 24.32, "{chi}: {counted:?}");
        // Places inside a slice: three degrees of freedom.
        let chi: f64 = places.iter().map(|many| square(*many, 250_000.0)).sum();
        assert!(chi < 16.27, "{chi}: {places:?}");
    }

    proptest! {
        #[test]
        fn nothing_but_seed_and_list_decides(number in any::<u64>(), weights in prop::collection::vec(0_u32..1_000, 0..40)) {
            let wheel = slices(&weights);
            let drawn = draw(seed(number), &wheel);
            prop_assert_eq!(drawn, draw(seed(number), &wheel));
            prop_assert_eq!(drawn.is_some(), weights.iter().any(|weight| *weight > 0));
            if let Some(drawn) = drawn {
                prop_assert!(weights[drawn.index] > 0);
                // The words play no part, only the order.
                let renamed: Vec<Slice> = wheel.iter().map(|one| Slice { text: "x".into(), weight: one.weight }).collect();
                prop_assert_eq!(draw(seed(number), &renamed), Some(drawn));
                let total: u64 = weights.iter().map(|weight| u64::from(*weight)).sum();
                let before: u64 = weights[..drawn.index].iter().map(|weight| u64::from(*weight)).sum();
                let stop = stop(drawn, &wheel);
                prop_assert!(stop >= before * WHOLE / total && stop <= (before + u64::from(weights[drawn.index])) * WHOLE / total);
            }
        }
    }
}
