//! Bytes as nobody should send them: what was right once, cut, doubled, mixed and nested; and what reading them may cost, counted in
//! allocations. A reader that takes long without end allocates without end, but for a few whose steps are counted elsewhere.

use allocation_counter::measure;
use proptest::prelude::*;
use proptest::sample::Index;

/// Most bytes that are made of a seed.
const MOST: usize = 128 * 1024;

/// One harm that is done to bytes.
#[derive(Debug, Clone)]
enum Harm {
    /// A byte becomes another.
    Byte(Index, u8),
    /// A stretch is lost.
    Cut(Index, Index),
    /// A stretch comes many times, as nesting does.
    Again(Index, Index, usize),
    /// A stretch of another seed stands in the middle.
    Mixed(Index, Vec<u8>),
}

fn stretch(bytes: &[u8], one: &Index, other: &Index) -> std::ops::Range<usize> {
    let (one, other) = (one.index(bytes.len() + 1), other.index(bytes.len() + 1));
    one.min(other)..one.max(other)
}

fn harmed(mut bytes: Vec<u8>, harms: Vec<Harm>) -> Vec<u8> {
    for harm in harms {
        match harm {
            Harm::Byte(at, byte) if !bytes.is_empty() => {
                let at = at.index(bytes.len());
                bytes[at] = byte;
            }
            Harm::Byte(..) => {}
            Harm::Cut(one, other) => drop(bytes.drain(stretch(&bytes, &one, &other))),
            Harm::Again(one, other, times) => {
                let range = stretch(&bytes, &one, &other);
                let again = bytes[range.clone()].repeat(times.min(MOST / range.len().max(1)));
                bytes.splice(range.start..range.start, again);
            }
            Harm::Mixed(at, with) => {
                let at = at.index(bytes.len() + 1);
                bytes.splice(at..at, with);
            }
        }
        bytes.truncate(MOST);
    }
    bytes
}

/// Bytes that are made of seeds, or of nothing.
pub fn hostile(seeds: &[Vec<u8>]) -> impl Strategy<Value = Vec<u8>> + use<> {
    let seed = || prop::sample::select(seeds.to_vec());
    let place = any::<Index>;
    let times = prop_oneof![4 => 2_usize..5, 1 => 100_usize..20_000];
    let piece = (seed(), place(), place()).prop_map(|(seed, one, other)| seed[stretch(&seed, &one, &other)].to_vec());
    let harm = prop_oneof![
        3 => (place(), any::<u8>()).prop_map(|(at, byte)| Harm::Byte(at, byte)),
        2 => (place(), place()).prop_map(|(one, other)| Harm::Cut(one, other)),
        2 => (place(), place(), times).prop_map(|(one, other, times)| Harm::Again(one, other, times)),
        2 => (place(), piece).prop_map(|(at, with)| Harm::Mixed(at, with)),
    ];
    let made = (seed(), prop::collection::vec(harm, 0..5)).prop_map(|(seed, harms)| harmed(seed, harms));
    prop_oneof![9 => made, 1 => prop::collection::vec(any::<u8>(), 0..1_000)]
}

/// What reading may cost.
#[derive(Debug, Clone, Copy)]
pub struct Costs {
    /// Bytes at a time, at most.
    pub bytes: u64,
    /// Allocations, however little is read.
    pub allocations: u64,
    /// And so many more for each byte.
    pub each_byte: u64,
}

/// Reads, and counts what that costs.
///
/// # Panics
/// It costs more than it may.
pub fn within<T>(costs: Costs, sent: &[u8], read: impl FnOnce() -> T) -> T {
    let mut done = None;
    let spent = measure(|| done = Some(read()));
    let length = u64::try_from(sent.len()).unwrap();
    let most = costs.allocations + costs.each_byte * length;
    let told = format!("{} bytes took {} at a time and {} allocations", length, spent.bytes_max, spent.count_total);
    assert!(spent.bytes_max <= costs.bytes, "{told}: at most {} bytes", costs.bytes);
    assert!(spent.count_total <= most, "{told}: at most {most} allocations");
    done.unwrap()
}
