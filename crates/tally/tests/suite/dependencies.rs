//! What of others' work comes with the program: where it is from, under which licences, and nothing twice without need.

use serde::Deserialize;
use spdx::{Expression, ParseMode};
use std::collections::{BTreeMap, BTreeSet};
use std::process::Command;

/// Licences under which a program may be given away with ours.
const LICENCES: [&str; 7] = ["Apache-2.0", "BSD-3-Clause", "ISC", "MIT", "MPL-2.0", "Unicode-3.0", "Zlib"];
/// The only place from which crates come.
const REGISTRY: &str = "registry+https://github.com/rust-lang/crates.io-index";
/// Crates of which others ask for several versions. One more is to be looked into before it is listed here; one that is alone again
/// is taken out.
const SEVERAL: &[&str] = &[
    "base64",
    "bitflags",
    "block-buffer",
    "chacha20",
    "convert_case",
    "cookie",
    "cpufeatures",
    "crypto-common",
    "digest",
    "embedded-io",
    "getrandom",
    "hashbrown",
    "http",
    "icu_collections",
    "icu_provider",
    "litemap",
    "lock_api",
    "miniz_oxide",
    "parking_lot",
    "parking_lot_core",
    "phf",
    "phf_codegen",
    "phf_generator",
    "phf_shared",
    "rand",
    "rand_chacha",
    "rand_core",
    "sha1",
    "sha2",
    "syn",
    "synstructure",
    "thiserror",
    "thiserror-impl",
    "tinystr",
    "toml_datetime",
    "winnow",
    "writeable",
    "yoke",
    "yoke-derive",
    "zerovec",
    "zerovec-derive",
];

#[derive(Deserialize)]
struct Package {
    name: String,
    version: String,
    license: Option<String>,
    source: Option<String>,
}

/// All crates that are built for this platform.
fn packages() -> Vec<Package> {
    let target = format!("{}-unknown-linux-gnu", std::env::consts::ARCH);
    let told = Command::new(std::env::var("CARGO").unwrap_or_else(|_| "cargo".into()))
        .args(["metadata", "--format-version", "1", "--locked", "--offline", "--filter-platform", &target])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    assert!(told.status.success(), "{}", String::from_utf8_lossy(&told.stderr));
    let told: serde_json::Value = serde_json::from_slice(&told.stdout).unwrap();
    let all: Vec<Package> = serde_json::from_value(told["packages"].clone()).unwrap();
    assert!(all.len() > 100, "the crates are there");
    all
}

#[test]
fn every_crate_comes_from_the_registry_under_a_licence_that_allows_it() {
    let allowed = |licence: &str| {
        let stated = Expression::parse_mode(licence, ParseMode::LAX).unwrap();
        stated.evaluate(|asked| asked.license.id().is_some_and(|id| LICENCES.contains(&id.name)))
    };
    assert!(allowed("MIT/Apache-2.0") && allowed("GPL-3.0 OR MIT") && !allowed("MIT AND GPL-3.0"));
    for Package { name, version, license, source } in packages() {
        assert!(license.as_deref().is_some_and(allowed), "{name} {version} stands under {license:?}");
        assert!(source.as_deref().is_none_or(|source| source == REGISTRY), "{name} {version} comes from {source:?}");
    }
}

#[test]
fn no_crate_comes_in_more_versions_than_is_known() {
    let mut versions = BTreeMap::<String, usize>::new();
    for package in packages() {
        *versions.entry(package.name).or_default() += 1;
    }
    let several: BTreeSet<&str> =
        versions.iter().filter(|(_, many)| **many > 1).map(|(name, _)| name.as_str()).collect();
    assert_eq!(several, SEVERAL.iter().copied().collect());
}
