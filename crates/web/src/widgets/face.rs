//! A face drawn from a name: always the same for the same name, whoever asks.

use askama::Template;
use sha2::{Digest, Sha256};

/// A face in a box of 60 by 60.
#[derive(Template)]
#[template(path = "widgets/face.html")]
pub(super) struct Face {
    ground: &'static str,
    skin: &'static str,
    coat: &'static str,
    hair: u8,
    eyes: u8,
    mouth: u8,
    hat: u8,
}

const GROUNDS: [&str; 8] = ["#c9d6b5", "#bcd3dd", "#e9d3a0", "#e3bfae", "#cfc6dc", "#d8cdb8", "#b9d4c8", "#e6c9cf"];
const SKINS: [&str; 6] = ["#f3d3b4", "#e8b98f", "#c98f62", "#9a6440", "#6f4528", "#f6e0cb"];
const COATS: [&str; 8] = ["#1f2329", "#a83e26", "#55702b", "#1f5c78", "#c98a00", "#6b4a7a", "#7d5a3a", "#3d6f63"];

/// A number from a name, in whatever case it is written.
pub(super) fn seed(name: &str) -> u64 {
    let digest = Sha256::digest(name.to_lowercase().as_bytes());
    digest.iter().take(8).fold(0, |seed, byte| (seed << 8) | u64::from(*byte))
}

impl Face {
    pub(super) fn of(name: &str) -> Self {
        let mut rest = seed(name);
        let mut pick = |many: u64| {
            let picked = rest % many;
            rest /= many;
            usize::try_from(picked).unwrap_or(0)
        };
        let small = |picked: usize| u8::try_from(picked).unwrap_or(0);
        Self {
            ground: GROUNDS[pick(8)],
            skin: SKINS[pick(6)],
            coat: COATS[pick(8)],
            hair: small(pick(5)),
            eyes: small(pick(4)),
            mouth: small(pick(4)),
            hat: small(pick(5)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_has_one_face_and_different_names_mostly_have_others() {
        let drawn = |name: &str| Face::of(name).render().unwrap_or_default();
        assert_eq!(drawn("Ninepins"), drawn("ninepins"));
        let all: std::collections::BTreeSet<String> =
            (0..50).map(|number| drawn(&format!("viewer_{number}"))).collect();
        assert!(all.len() > 45, "{}", all.len());
    }
}
