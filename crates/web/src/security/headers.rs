//! What every answer tells browsers: run only what we ship, guess nothing, pass nothing on.

use actix_web::http::header::{self, HeaderMap, HeaderName, HeaderValue};

/// Scripts, styles, fonts, pictures and clips come from here only; nothing stands inline.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; \
    media-src 'self'; font-src 'self'; frame-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

/// The same for pages on air, which other programs may put into pages of their own.
pub const AIR_POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; \
    media-src 'self'; font-src 'self'; frame-src 'self'; connect-src 'self'; form-action 'none'; base-uri 'none'";

/// Adds what is not set yet. Over TLS, cookies are sent back over TLS alone.
pub fn protect(headers: &mut HeaderMap, secure: bool) {
    if secure {
        let cookies: Vec<HeaderValue> = headers.remove(header::SET_COOKIE).collect();
        for cookie in cookies {
            let text = cookie.to_str().unwrap_or_default();
            let marked = text.split(';').any(|part| part.trim().eq_ignore_ascii_case("secure"));
            let secured = if marked { None } else { HeaderValue::from_str(&format!("{text}; Secure")).ok() };
            headers.append(header::SET_COOKIE, secured.unwrap_or(cookie));
        }
    }
    let always: [(HeaderName, &'static str); 5] = [
        (header::CONTENT_SECURITY_POLICY, POLICY),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        // Addresses hold tokens; they must not travel to other sites.
        (header::REFERRER_POLICY, "no-referrer"),
        (header::CACHE_CONTROL, "no-store"),
        (HeaderName::from_static("cross-origin-opener-policy"), "same-origin"),
    ];
    for (name, value) in always {
        if !headers.contains_key(&name) {
            headers.insert(name, HeaderValue::from_static(value));
        }
    }
}
