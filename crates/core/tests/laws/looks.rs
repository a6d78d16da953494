//! Files of looks (W3C Design Tokens) as nobody should send them.

use crate::hostile::{Costs, hostile, within};
use proptest::prelude::*;
use tally_core::look::from_file;

const FILE: &str = r##"{"name":{"$type":"string","$value":"Chalk"},"colour":{"$type":"color","text":{"$value":"#fffdf7"},
"fill":{"$value":"{colour.text}"}},"size":{"font":{"$type":"dimension","$value":{"value":12,"unit":"px"}}}}"##;

proptest! {
    #[test]
    fn files_of_looks_are_read_within_bounds(sent in hostile(&[FILE.into(), b"[[[[{\"a\":".to_vec()])) {
        let costs = Costs { bytes: 16 * 1024 * 1024, allocations: 4_000, each_byte: 12 };
        if let Ok(file) = serde_json::from_slice(&sent) {
            let _ = within(costs, &sent, || from_file(&file));
        }
    }
}
