//! Styles token by token (CSS Syntax, level 3): what is written is read again as the same tokens, whatever was left open is closed,
//! and what only people read is left out.

use cssparser::{ParseError, Parser, ParserInput, SourceLocation, ToCss, Token, TokenSerializationType};
use std::convert::Infallible;

/// Deepest that brackets stand in one another.
pub const DEEPEST: usize = 24;

/// A style as it is written.
pub struct Written {
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
    pub fn space(&mut self) {
        self.spaced = true;
    }

    /// Writes a token.
    pub fn token(&mut self, token: &Token<'_>) {
        self.verbatim(token, &token.to_css_string());
    }

    /// Writes a token as it stood in the source.
    pub fn verbatim(&mut self, token: &Token<'_>, text: &str) {
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

    /// Whether nothing was written.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.text.is_empty()
    }

    /// What was written.
    #[must_use]
    pub fn text(self) -> String {
        self.text
    }
}

/// A token that is about to be written.
#[derive(Clone, Copy)]
pub struct Met<'i, 'a> {
    /// The token itself.
    pub token: &'a Token<'i>,
    /// Where it stands.
    pub at: SourceLocation,
    /// The innermost function around it; empty for none.
    pub function: &'a str,
}

/// What is made of each token: another one, the same (none), or an error.
pub type Look<'i, 'a, E> = &'a mut dyn FnMut(Met<'i, '_>) -> Result<Option<Token<'i>>, ParseError<'i, E>>;

/// Writes all tokens up to where the parser ends. Brackets that stand deeper than [`DEEPEST`] are an end of the input.
///
/// # Errors
/// Whatever the look makes an error.
pub fn copy<'i, E>(
    input: &mut Parser<'i, '_>,
    out: &mut Written,
    look: Look<'i, '_, E>,
) -> Result<(), ParseError<'i, E>> {
    copy_within(input, out, look, "", DEEPEST)
}

fn copy_within<'i, E>(
    input: &mut Parser<'i, '_>,
    out: &mut Written,
    look: Look<'i, '_, E>,
    function: &str,
    depth: usize,
) -> Result<(), ParseError<'i, E>> {
    loop {
        let (at, from) = (input.current_source_location(), input.position());
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
        let written = look(Met { token: &token, at, function })?;
        match (&written, &token) {
            // Numbers are written as they stood: as a float one would lose digits.
            (None, Token::Number { .. } | Token::Percentage { .. } | Token::Dimension { .. }) => {
                out.verbatim(&token, input.slice_from(from));
            }
            _ => out.token(written.as_ref().unwrap_or(&token)),
        }
        let Some(close) = close else { continue };
        let Some(depth) = depth.checked_sub(1) else {
            return Err(at.new_error(cssparser::BasicParseErrorKind::EndOfInput));
        };
        let inner = if let Token::Function(name) = &token { name.as_ref() } else { function };
        input.parse_nested_block(|input| copy_within(input, out, &mut *look, inner, depth))?;
        out.token(&close);
    }
}

/// A style sheet of ours without comments and needless spaces; as it is where anything in it is broken.
#[must_use]
pub fn minified(css: &str) -> String {
    let mut input = ParserInput::new(css);
    let mut out = Written::default();
    let whole = |met: Met<'_, '_>| match met.token.is_parse_error() {
        true => Err(met.at.new_unexpected_token_error(Token::Comma)),
        false => Ok(None),
    };
    let copied = copy::<Infallible>(&mut Parser::new(&mut input), &mut out, &mut { whole });
    copied.map_or_else(|_| css.to_owned(), |()| out.text())
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
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_as_the_same_tokens(css in "[a-z0-9.#:;,(){}\\[\\]\"'/*\\\\@%+<>~ \n-]{0,60}") {
            let once = minified(&css);
            prop_assert_eq!(minified(&once), once);
        }
    }
}
