//! Files of the streamer's own, as setups name them.

/// What stands in front of the token of such a file.
pub const OWN: &str = "own-";

/// The token of a file that is named so; none where it is no such name.
#[must_use]
pub fn token(named: &str) -> Option<&str> {
    let token = named.trim().strip_prefix(OWN)?;
    let known = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'-' || byte == b'_';
    ((8..=64).contains(&token.len()) && token.bytes().all(known)).then_some(token)
}
