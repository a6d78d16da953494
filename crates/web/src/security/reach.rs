//! At which address a visitor reaches this server: whoever sits at another computer in the house copies other addresses
//! than whoever sits at this one.

use crate::app::App;
use actix_web::HttpRequest;
use actix_web::http::header::{self, HeaderMap};
use url::{Host, Url};

/// The beginnings of the addresses that are shown to a visitor, without a slash at the end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reach {
    /// Of those that they use themselves.
    own: String,
    /// Of those that they hand to others.
    others: String,
}

impl Reach {
    /// Where the sender of a request reaches us: where the operator says that we are reached, or else where the request
    /// was sent. A host that is none changes nothing.
    #[must_use]
    pub fn of(app: &App, request: &HttpRequest) -> Self {
        let config = &app.config;
        let asked = if config.base_url_stated { None } else { sent_to(app, request) };
        Self::at(asked.unwrap_or_else(|| config.base_url.clone()), config.house_url.as_deref())
    }

    /// From this machine others do not get far with its name for itself.
    fn at(own: String, house: Option<&str>) -> Self {
        let others = house.filter(|_| is_loopback(&own)).unwrap_or(&own).to_owned();
        Self { own, others }
    }

    /// Whether nobody at another computer or phone reaches the addresses that are handed on.
    #[must_use]
    pub fn is_here_alone(&self) -> bool {
        is_loopback(&self.others)
    }

    /// The address of a widget's page.
    #[must_use]
    pub fn page_url(&self, token: &str) -> String {
        format!("{}/w/{token}", self.own)
    }

    /// The address of an overlay's page.
    #[must_use]
    pub fn overlay_url(&self, token: &str) -> String {
        format!("{}/o/{token}", self.own)
    }

    /// The address of a widget's values in a form: `txt`, `json`, `svg`; see the interfaces in docs/values.md.
    #[must_use]
    pub fn read_url(&self, token: &str) -> String {
        format!("{}/read/{token}.json", self.own)
    }

    /// The address of the page that lists commands for viewers.
    #[must_use]
    pub fn commands_url(&self, token: &str) -> String {
        format!("{}/c/{token}", self.others)
    }

    /// The address that opens a helper's pass.
    #[must_use]
    pub fn pass_url(&self, link: &str) -> String {
        format!("{}/p/{link}", self.others)
    }

    /// The address at which a pass's three words are typed.
    #[must_use]
    pub fn join_url(&self) -> String {
        format!("{}/join", self.others)
    }

    /// The address to which a feed's events are sent.
    #[must_use]
    pub fn feed_url(&self, token: &str) -> String {
        format!("{}/in/{token}", self.own)
    }
}

/// The address to which a request was sent, without a slash at the end; none where it names no host.
#[must_use]
pub fn sent_to(app: &App, request: &HttpRequest) -> Option<String> {
    let near = request.peer_addr().map(|peer| peer.ip());
    asked(request.headers(), near.is_some_and(|near| app.config.proxies.trusted.contains(&near)))
}

fn is_loopback(address: &str) -> bool {
    match Url::parse(address).ok().as_ref().and_then(Url::host) {
        Some(Host::Ipv4(host)) => host.is_loopback(),
        Some(Host::Ipv6(host)) => host.is_loopback(),
        Some(Host::Domain(name)) => name == "localhost" || name.ends_with(".localhost"),
        None => false,
    }
}

/// The address to which a request was sent, as far as it can be believed. Only a proxy that is trusted speaks of another
/// host and of TLS.
fn asked(headers: &HeaderMap, vouched: bool) -> Option<String> {
    let told = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
    let by_proxy = |name: &str| told(name).filter(|_| vouched).and_then(|value| value.split(',').next()).map(str::trim);
    let scheme = by_proxy("x-forwarded-proto").filter(|scheme| *scheme == "https").unwrap_or("http");
    let host = by_proxy("x-forwarded-host").or_else(|| told(header::HOST.as_str()))?;
    let url = Url::parse(&format!("{scheme}://{host}/")).ok()?;
    // Nothing but a host and a port, or it is no host.
    let plain = url.path() == "/" && url.query().is_none() && url.fragment().is_none() && url.username().is_empty();
    (plain && host.len() <= 255 && url.password().is_none()).then(|| url.as_str().trim_end_matches('/').to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::http::header::{HeaderName, HeaderValue};

    fn headers(all: &[(&'static str, &'static str)]) -> HeaderMap {
        all.iter().map(|(name, value)| (HeaderName::from_static(name), HeaderValue::from_static(value))).collect()
    }

    #[test]
    fn addresses_are_those_at_which_the_visitor_reached_us() {
        let direct = |host| asked(&headers(&[("host", host)]), false);
        assert_eq!(direct("192.168.1.20:8420").as_deref(), Some("http://192.168.1.20:8420"));
        assert_eq!(direct("studio.local").as_deref(), Some("http://studio.local"));
        assert_eq!(direct("[fd00::7]:8420").as_deref(), Some("http://[fd00::7]:8420"));
        for wrong in ["", "a b", "x/../y", "me:you@host", "host?x", "host#x", "host:port"] {
            assert_eq!(direct(wrong), None, "{wrong}");
        }
    }

    #[test]
    fn whoever_is_handed_an_address_can_reach_it_from_elsewhere() {
        let house = Some("http://192.168.1.20:8420");
        let reach = Reach::at("http://127.0.0.1:8420".into(), house);
        assert_eq!(reach.overlay_url("x"), "http://127.0.0.1:8420/o/x", "this machine's own way is the shortest");
        assert_eq!(reach.pass_url("x"), "http://192.168.1.20:8420/p/x");
        assert!(!reach.is_here_alone());
        let reach = Reach::at("https://tally.example".into(), house);
        assert_eq!(reach.join_url(), "https://tally.example/join");
        for own in ["http://127.0.0.1:8420", "http://localhost:8420", "http://[::1]:8420"] {
            assert!(Reach::at(own.into(), None).is_here_alone(), "{own}");
        }
    }

    #[test]
    fn only_a_trusted_proxy_speaks_of_another_host() {
        let told = headers(&[
            ("host", "127.0.0.1:8420"),
            ("x-forwarded-proto", "https"),
            ("x-forwarded-host", "tally.example, other.example"),
        ]);
        assert_eq!(asked(&told, true).as_deref(), Some("https://tally.example"));
        assert_eq!(asked(&told, false).as_deref(), Some("http://127.0.0.1:8420"));
    }
}
