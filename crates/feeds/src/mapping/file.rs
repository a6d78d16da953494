//! Rules as a file, to be passed on: JSON by the published schema `/schemas/feed-rules.json`. It holds rules
//! alone, no address and no secret.

use super::{MOST_RULES, Rules};
use serde::{Deserialize, Serialize};
use tally_store::mapping::Rule;

/// The version of the format.
const VERSION: u32 = 1;
/// The most bytes that a file has.
pub const MOST_BYTES: usize = 256 * 1024;

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    #[serde(rename = "$schema", default)]
    schema: String,
    version: u32,
    rules: Vec<Rule>,
}

/// The published schema (JSON Schema, draft 2020-12).
pub const SCHEMA: &str = include_str!("../../schemas/feed-rules.json");

/// Writes rules out.
#[must_use]
pub fn write(rules: &[Rule]) -> String {
    let file = File { schema: "/schemas/feed-rules.json".into(), version: VERSION, rules: rules.to_vec() };
    serde_json::to_string_pretty(&file).unwrap_or_default()
}

/// Reads rules in. All of them are well or none is taken.
///
/// # Errors
/// What is wrong with the file, and where; a sentence.
pub fn read(bytes: &[u8]) -> Result<Vec<Rule>, String> {
    if bytes.len() > MOST_BYTES {
        return Err(format!("The file is larger than {} KiB, more than {MOST_RULES} rules need.", MOST_BYTES / 1024));
    }
    let file: File =
        serde_json::from_slice(bytes).map_err(|error| format!("This is no file of feed rules: {error}."))?;
    if file.version != VERSION {
        return Err(format!("The file is of version {}; this program reads version {VERSION}.", file.version));
    }
    Rules::ready(&file.rules).map_err(|error| format!("Rule {}: {}", error.rule + 1, error.why))?;
    Ok(file.rules)
}
