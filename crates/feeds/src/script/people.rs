//! Made-up people and what they say.

use rand::Rng;
use rand::seq::IndexedRandom;
use serde_json::{Value, json};

/// The regulars of Saltmarsh Halt.
pub const REGULARS: [&str; 14] = [
    "pinecone_ade",
    "quietferry",
    "moss_and_marl",
    "tinplate_ruth",
    "ninepins",
    "kestrel_oak",
    "oatcake_jo",
    "lamplit_sam",
    "semaphore_sue",
    "dusty_bogie",
    "żółta_semafora",
    "駅長ミケ",
    "σιδηρόδρομος",
    "tea_at_ten ☕",
];

const FIRST: [&str; 16] = [
    "amber", "brisk", "copper", "drizzle", "fern", "gravel", "hazel", "inky", "larch", "misty", "nettle", "plum",
    "russet", "sooty", "tallow", "willow",
];
const SECOND: [&str; 16] = [
    "ballast", "buffer", "cutting", "ferry", "gauge", "heron", "junction", "kettle", "lantern", "marsh", "otter",
    "points", "signal", "sleeper", "tender", "wren",
];
/// Names that are hard on a layout.
const HARD: [&str; 7] = [
    "<b>bold_claim</b>",
    "a_name_that_goes_on_and_on_and_on_and_on_and_on_and_on_and_on_and_on_and_on",
    "zal\u{0310}go\u{0301}\u{0302}\u{0303}",
    "👩‍👩‍👧‍👦🚂🚂🚂",
    "مرحبا_بكم",
    "O'Really \"quoted\"",
    "{{ name }}",
];
const SAYINGS: [&str; 18] = [
    "good evening from the goods yard",
    "mind the points!",
    "that coupling looks loose",
    "is that No. 7?",
    "more moss on the embankment please",
    "tea break soon?",
    "the signal is the wrong way round",
    "choo",
    "what glue is that",
    "lovely ballast",
    "first time here, this is calm",
    "how long did the turntable take",
    "my father drove these",
    "brick red, clearly",
    "the heron is back!",
    "!clock",
    "mind your sleeves in the paint",
    "hello from the other side of the water",
];
const TROLLING: [&str; 5] = [
    "FIRST",
    "<script>alert('choo')</script>",
    "buy followers at choo.example",
    "derail derail derail",
    "🚂🚂🚂🚂🚂🚂🚂🚂🚂",
];
const MESSAGES: [&str; 8] = [
    "for the turntable",
    "one sleeper's worth",
    "more moss green please",
    "ballast fund",
    "thank you for the evening",
    "get it spinning",
    "for Bram's tea",
    "from all of us at the depot",
];

/// Somebody: often a regular.
pub fn name(random: &mut impl Rng) -> String {
    if random.random_ratio(2, 5) {
        return REGULARS.choose(random).unwrap_or(&REGULARS[0]).to_string();
    }
    let (first, second) = (FIRST.choose(random).unwrap_or(&FIRST[0]), SECOND.choose(random).unwrap_or(&SECOND[0]));
    format!("{first}_{second}_{}", random.random_range(1..60))
}

/// Somebody who makes trouble.
pub fn hard_name(random: &mut impl Rng) -> String {
    if random.random_bool(0.3) {
        return HARD.choose(random).unwrap_or(&HARD[0]).to_string();
    }
    format!("bot_{:06}", random.random_range(0..1_000_000))
}

/// Somebody as the contract writes people.
pub fn actor(name: &str) -> Value {
    json!({"id": format!("v-{}", name.to_lowercase()), "name": name})
}

/// What somebody says.
pub fn saying(random: &mut impl Rng, trouble: bool) -> &'static str {
    let sayings: &[&'static str] = if trouble && random.random_bool(0.6) { &TROLLING } else { &SAYINGS };
    sayings.choose(random).copied().unwrap_or("choo")
}

/// What somebody says with money, if anything.
pub fn message(random: &mut impl Rng) -> Option<&'static str> {
    if random.random_bool(0.5) { MESSAGES.choose(random).copied() } else { None }
}
