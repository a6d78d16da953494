//! Whether lettering can be read, by the contrast ratio of WCAG 2.2 (relative luminance of sRGB).

use super::{Look, Shape, Token};

/// Least contrast of lettering.
const TEXT: f64 = 4.5;
/// Least contrast of lettering to its outline, and of full to empty.
const LARGE: f64 = 3.0;
const PARTS: f64 = 1.5;
/// A plate that hides less of the picture than this cannot be counted on.
const COVERS: i32 = 70;
/// An outline thinner than this, in hundredths, is lost in lossy video.
const OUTLINES: i32 = 8;

fn luminance(colour: &str) -> f64 {
    let channel = |at: usize| {
        let byte = colour.get(at..at.saturating_add(2)).and_then(|hex| u8::from_str_radix(hex, 16).ok()).unwrap_or(0);
        let part = f64::from(byte) / 255.0;
        if part <= 0.040_45 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
    };
    0.212_6 * channel(1) + 0.715_2 * channel(3) + 0.072_2 * channel(5)
}

/// The contrast ratio of two colours written as `#rrggbb`, from 1 to 21.
///
/// ```
/// use tally_core::look::contrast;
/// assert_eq!(contrast("#000000", "#ffffff").round(), 21.0);
/// ```
#[must_use]
pub fn contrast(one: &str, other: &str) -> f64 {
    let (one, other) = (luminance(one), luminance(other));
    (one.max(other) + 0.05) / (one.min(other) + 0.05)
}

/// Why lettering may drown in a picture, each in a sentence that says what to change.
#[must_use]
pub fn warnings(look: &Look, shape: &Shape) -> Vec<String> {
    let used = look.used(shape);
    let mut all = Vec::new();
    let plate = used.contains(&Token::BackgroundOpacity) && look.number(Token::BackgroundOpacity) >= COVERS;
    for (token, what) in [(Token::TextColour, "The lettering"), (Token::HighlightColour, "What stands out")] {
        if plate {
            let ratio = contrast(look.get(token), look.get(Token::Background));
            if ratio < TEXT {
                all.push(format!(
                    "{what} is hard to read on its plate ({ratio:.1} : 1, should be {TEXT} : 1). Make one of them darker or lighter."
                ));
            }
        } else if look.number(Token::OutlineWidth) < OUTLINES {
            all.push(format!(
                "{what} may drown in a busy picture. Give it an outline of {OUTLINES} or more, or a plate."
            ));
            break;
        } else {
            let ratio = contrast(look.get(token), look.get(Token::OutlineColour));
            if ratio < LARGE {
                all.push(format!(
                    "{what} hardly differs from its outline ({ratio:.1} : 1, should be {LARGE} : 1). Make one of them darker or lighter."
                ));
            }
        }
    }
    if used.contains(&Token::Fill) && used.contains(&Token::Track) {
        let ratio = contrast(look.get(Token::Fill), look.get(Token::Track));
        if ratio < PARTS {
            all.push(format!("Full and empty look alike ({ratio:.1} : 1). Make one of them darker or lighter."));
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::super::tokens;
    use super::*;

    #[test]
    fn ratios_are_those_of_the_standard() {
        for (one, other, ratio) in
            [("#777777", "#ffffff", 4.48), ("#ff0000", "#ffffff", 4.0), ("#1f2329", "#1f2329", 1.0)]
        {
            assert!((contrast(one, other) - ratio).abs() < 0.01, "{one} {other}: {}", contrast(one, other));
        }
    }

    #[test]
    fn what_may_drown_is_said() {
        let shape = Shape {
            key: "rail",
            words: "Rail",
            tokens: &[tokens::TEXT, tokens::PLATE, tokens::BAR],
            parts: &[],
            size: (1, 1),
        };
        let warned = |edits: &[(&str, &str)]| {
            let mut look = Look::default();
            for (key, text) in edits {
                look.edit(key, text, &[shape]).unwrap();
            }
            warnings(&look, &shape)
        };
        assert_eq!(warned(&[]), Vec::<String>::new());
        assert!(warned(&[("text_colour", "#dddddd")])[0].contains("hard to read on its plate"));
        assert!(warned(&[("background_opacity", "20")])[0].contains("may drown in a busy picture"));
        assert!(
            warned(&[("background_opacity", "20"), ("outline_width", "15"), ("outline_colour", "#20242a")])[0]
                .contains("hardly differs")
        );
        assert!(warned(&[("fill", "#eae1cf")])[0].contains("look alike"));
    }
}
