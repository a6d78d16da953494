//! Text from outside: what may stand in a name or a message, and how text is shortened.

/// Most characters of a name.
pub const NAME_MOST: usize = 500;
/// Most characters of a message.
pub const MESSAGE_MOST: usize = 2_000;

/// Why a text was refused. The words follow the name of the field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum TextError {
    /// Nothing but blanks.
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

/// Checks a name: one line, not blank, at most [`NAME_MOST`] characters. Blanks around it go.
///
/// # Errors
/// What is wrong with it.
pub fn name(text: &str) -> Result<String, TextError> {
    let text = text.trim();
    if text.is_empty() {
        return Err(TextError::Empty);
    }
    check(text, NAME_MOST, false)?;
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
        assert_eq!(name(" \t "), Err(TextError::Empty));
        assert_eq!(name("a\u{0}b"), Err(TextError::Control));
        assert_eq!(name("a\nb"), Err(TextError::Control));
        assert_eq!(name("ade\u{202e}000001"), Err(TextError::Direction));
        assert_eq!(name(&"x".repeat(501)), Err(TextError::TooLong(500)));
        assert!(name(&"é".repeat(500)).is_ok());
    }

    #[test]
    fn messages_may_have_lines() {
        assert_eq!(message("two\nlines").as_deref(), Ok("two\nlines"));
        assert_eq!(message("bell\u{7}"), Err(TextError::Control));
        assert_eq!(message("\u{2066}x"), Err(TextError::Direction));
    }
}
