//! Styles token by token (CSS Syntax, level 3): what is written is read again as the same tokens, whatever was left open is closed,
//! and what only people read is left out.

use cssparser::{ParseError, Parser, ParserInput, ToCss, Token, TokenSerializationType};

/// Deepest that brackets stand in one another.
const DEEPEST: usize = 24;

/// A style as it is written.
struct Written {
    text: String,
    /// What the last token was, by which the next may need something in between.
    last: TokenSerializationType,
    /// A space is wanted before the next token, unless that makes it needless.
    spaced: bool,
}

impl Default for Written {
    fn default() -> Self {
        Self { text: String::new(), last: TokenSerializationType::Nothing, spaced: false }
    }
}

impl Written {
    /// Wants a space before whatever comes next.
    fn space(&mut self) {
        self.spaced = true;
    }

    /// Writes a token.
    fn token(&mut self, token: &Token<'_>) {
        self.verbatim(token, &token.to_css_string());
    }

    /// Writes a token as it stood in the source.
    fn verbatim(&mut self, token: &Token<'_>, text: &str) {
        const AFTER: &[char] = &[',', ';', '{', '}'];
        let is_needless = self.text.is_empty() || self.text.ends_with(AFTER) || text.starts_with(AFTER);
        if std::mem::take(&mut self.spaced) && !is_needless {
            self.text.push(' ');
        } else if self.last.needs_separator_when_before(token.serialization_type()) {
            self.text.push_str("/**/");
        }
        self.text.push_str(text);
        self.last = token.serialization_type();
    }
}

/// Why a style is written as it stood: it is broken, or brackets stand deeper than [`DEEPEST`].
struct AsItStood;

/// Writes all tokens up to where the parser ends.
fn copy<'i>(input: &mut Parser<'i, '_>, out: &mut Written, depth: usize) -> Result<(), ParseError<'i, AsItStood>> {
    loop {
        let from = input.position();
        let Ok(token) = input.next_including_whitespace_and_comments().cloned() else { return Ok(()) };
        let close = match &token {
            Token::Comment(_) => continue,
            Token::WhiteSpace(_) => {
                out.space();
                continue;
            }
            Token::Function(_) | Token::ParenthesisBlock => Some(Token::CloseParenthesis),
            Token::SquareBracketBlock => Some(Token::CloseSquareBracket),
            Token::CurlyBracketBlock => Some(Token::CloseCurlyBracket),
            _ => None,
        };
        match &token {
            // A stroke that begins nothing would begin something at another place.
            Token::Delim('\\') => return Err(input.new_custom_error(AsItStood)),
            broken if broken.is_parse_error() => return Err(input.new_custom_error(AsItStood)),
            // Numbers are written as they stood: as a float one would lose digits.
            Token::Number { .. } | Token::Percentage { .. } | Token::Dimension { .. } => {
                let text = input.slice_from(from);
                // The end of the text is no part of a unit.
                if text.ends_with('\\') {
                    return Err(input.new_custom_error(AsItStood));
                }
                out.verbatim(&token, text);
            }
            _ => out.token(&token),
        }
        let Some(close) = close else { continue };
        let depth = depth.checked_sub(1).ok_or_else(|| input.new_custom_error(AsItStood))?;
        input.parse_nested_block(|input| copy(input, out, depth))?;
        out.token(&close);
    }
}

/// A style sheet of ours without comments and needless spaces; as it is where anything in it is broken.
#[must_use]
pub fn minified(css: &str) -> String {
    let mut input = ParserInput::new(css);
    let mut out = Written::default();
    let copied = copy(&mut Parser::new(&mut input), &mut out, DEEPEST);
    copied.map_or_else(|_| css.to_owned(), |()| out.text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_style_means_the_same_without_what_people_read() {
        let css = "/* A plate. */\n.plate > .a :hover ,\n.b  {\n  --x: 1.23456789px; /* here */\n  margin: -2px auto +.5em\n}\n\
            @media (width >= 40em) and (color) { .c::before { content: \"a  {b\"; width: calc(1px + 2 * var(--x)) } }\n";
        let made = ".plate > .a :hover,.b{--x: 1.23456789px;margin: -2px auto +.5em}\
            @media (width >= 40em) and (color){.c::before{content: \"a  {b\";width: calc(1px + 2 * var(--x))}}";
        assert_eq!(minified(css), made);
        assert_eq!(minified("a/**/b { x: 1/**/px; y: url(a.png"), "a/**/b{x: 1/**/px;y: url(a.png)}");
        assert_eq!(minified("[0\\"), "[0\\");
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_as_the_same_tokens(css in "[a-z0-9.#:;,(){}\\[\\]\"'/*\\\\@%+<>~ \n-]{0,60}") {
            let once = minified(&css);
            prop_assert_eq!(minified(&once), once);
        }
    }
}
