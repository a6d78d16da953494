//! Text from outside: what may stand in a name or a message, and how text is shortened.

use unicode_normalization::UnicodeNormalization;

/// Most characters of a name.
pub const NAME_MOST: usize = 500;
/// Most characters of a message.
pub const MESSAGE_MOST: usize = 2_000;

/// Why a text was refused. The words follow the name of the field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum TextError {
    /// Nothing but blanks, or what cannot be seen.
    #[error("is empty")]
    Empty,
    /// Over the limit.
    #[error("is longer than {0} characters")]
    TooLong(usize),
    /// A control character (Unicode category Cc).
    #[error("contains a control character; send plain text")]
    Control,
    /// A character that turns the direction of the text around it (Unicode UAX #9: U+202A to
    /// U+202E, U+2066 to U+2069), with which a name could rewrite its neighbours.
    #[error("contains a character that overrides the direction of text; leave it out")]
    Direction,
}

fn overrides_direction(c: char) -> bool {
    matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

/// Whether nothing of a character is seen: the default ignorable code points of Unicode (DerivedCoreProperties,
/// 16.0), and the blank of Braille. Some of them join or colour others, so they may stand in a name, but
/// they make none.
fn is_invisible(c: char) -> bool {
    matches!(c,
        '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}'..='\u{1160}' | '\u{17b4}'..='\u{17b5}' | '\u{180b}'..='\u{180f}'
        | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{2800}' | '\u{3164}'
        | '\u{fe00}'..='\u{fe0f}' | '\u{feff}' | '\u{ffa0}' | '\u{fff0}'..='\u{fff8}' | '\u{1bca0}'..='\u{1bca3}'
        | '\u{1d173}'..='\u{1d17a}' | '\u{e0000}'..='\u{e0fff}')
}

/// A text as it is compared with others: in small letters, without what is not seen.
///
/// ```
/// use tally_core::language::text::fold;
/// assert_eq!(fold(" Nine\u{200b}Pins "), fold("ninepins"));
/// ```
#[must_use]
pub fn fold(text: &str) -> String {
    text.trim().to_lowercase().chars().filter(|c| !is_invisible(*c)).collect()
}

/// A text as it is compared with what somebody types in chat: compatible forms are one (Unicode NFKC, UAX #15), so
/// that full-width digits and letters are their usual ones, and blanks are one each.
///
/// ```
/// use tally_core::language::text::plain;
/// assert_eq!(plain(" Ｎｏ． ７  Green "), "no. 7 green");
/// ```
#[must_use]
pub fn plain(text: &str) -> String {
    let folded = fold(&text.nfkc().collect::<String>());
    folded.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A text from somebody who cannot be told what to change, such as a line of chat: without control
/// characters and those that turn the direction of the text around them, shortened to `most` characters.
#[must_use]
pub fn tamed(text: &str, most: usize) -> String {
    text.chars().filter(|c| !c.is_control() && !overrides_direction(*c)).take(most).collect()
}

/// A text cut to so many letters, the last of which says that there was more.
///
/// ```
/// use tally_core::language::text::cut;
/// assert_eq!(cut("Which livery for No. 7?", 14), "Which livery…");
/// assert_eq!(cut("tea", 14), "tea");
/// ```
#[must_use]
pub fn cut(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_owned();
    }
    let kept: String = text.chars().take(most.saturating_sub(1)).collect();
    format!("{}…", kept.trim_end())
}

/// Checks a name: one line, something to be seen in it, at most [`NAME_MOST`] characters. Blanks around it go.
///
/// # Errors
/// What is wrong with it.
pub fn name(text: &str) -> Result<String, TextError> {
    let text = text.trim();
    check(text, NAME_MOST, false)?;
    if text.chars().all(|c| is_invisible(c) || c.is_whitespace()) {
        return Err(TextError::Empty);
    }
    Ok(text.to_owned())
}

/// Checks a message: line breaks and tabs are allowed, at most [`MESSAGE_MOST`] characters.
///
/// # Errors
/// What is wrong with it.
pub fn message(text: &str) -> Result<String, TextError> {
    check(text, MESSAGE_MOST, true)?;
    Ok(text.trim().to_owned())
}

fn check(text: &str, most: usize, lines: bool) -> Result<(), TextError> {
    if text.chars().count() > most {
        return Err(TextError::TooLong(most));
    }
    for c in text.chars() {
        if c.is_control() && !(lines && matches!(c, '\n' | '\r' | '\t')) {
            return Err(TextError::Control);
        }
        if overrides_direction(c) {
            return Err(TextError::Direction);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_in_any_script_pass_and_tricks_do_not() {
        for good in ["pinecone_ade", "  Zażółć ", "مرحبا", "駅長🚂", "👩‍👩‍👧"] {
            assert_eq!(name(good).as_deref(), Ok(good.trim()), "{good}");
        }
        for nothing in [" \t ", "\u{200b}", "\u{3164}", "\u{feff} \u{2060}", "\u{2800}\u{ad}"] {
            assert_eq!(name(nothing.trim_matches('\t')), Err(TextError::Empty), "{nothing:?}");
        }
        assert_eq!(name("a\u{0}b"), Err(TextError::Control));
        assert_eq!(name("a\nb"), Err(TextError::Control));
        assert_eq!(name("ade\u{202e}000001"), Err(TextError::Direction));
        assert_eq!(name(&"x".repeat(501)), Err(TextError::TooLong(500)));
        assert!(name(&"é".repeat(500)).is_ok());
    }

    #[test]
    fn what_cannot_be_refused_is_tamed() {
        assert_eq!(tamed("a\u{202e}b\u{2066}c\u{7}d\n", 3), "abc");
        assert_eq!(tamed("مرحبا 駅長🚂", 99), "مرحبا 駅長🚂");
    }

    #[test]
    fn messages_may_have_lines() {
        assert_eq!(message("two\nlines").as_deref(), Ok("two\nlines"));
        assert_eq!(message("bell\u{7}"), Err(TextError::Control));
        assert_eq!(message("\u{2066}x"), Err(TextError::Direction));
    }
}
