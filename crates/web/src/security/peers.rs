//! From where a request comes. Behind a proxy that the operator trusts it is whom the proxy names; from
//! anybody else, what they say of themselves counts for nothing.

use actix_web::HttpRequest;
use std::net::IpAddr;

/// Which proxies are believed, and where they say whom they speak for.
#[derive(Debug, Clone, Default)]
pub struct Proxies {
    /// Their addresses; none by default.
    pub trusted: Vec<IpAddr>,
    /// The header that they set: a list of addresses, the nearest last.
    pub header: String,
}

impl Proxies {
    /// The address from which a request comes, as far as it can be believed.
    #[must_use]
    pub fn peer(&self, request: &HttpRequest) -> String {
        let near = request.peer_addr().map(|address| address.ip());
        let told = request.headers().get_all(self.header.as_str());
        let told: Vec<&str> = told.filter_map(|value| value.to_str().ok()).collect();
        self.behind(near, &told.join(",")).map(|peer| peer.to_string()).unwrap_or_default()
    }

    /// The nearest address that is no proxy of ours. A word that is no address ends the search: what lies
    /// behind it was written by somebody whom nobody vouches for.
    fn behind(&self, near: Option<IpAddr>, told: &str) -> Option<IpAddr> {
        let mut peer = near?;
        for word in told.rsplit(',').map(str::trim) {
            if !self.trusted.contains(&peer) {
                break;
            }
            let Ok(next) = word.parse() else { break };
            peer = next;
        }
        Some(peer)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_trusted_proxy_speaks_for_others() {
        let ip = |text: &str| -> IpAddr { text.parse().unwrap() };
        let proxies = Proxies { trusted: vec![ip("10.0.0.1"), ip("10.0.0.2")], header: "x-forwarded-for".into() };
        for (near, told, expected) in [
            ("10.0.0.1", "203.0.113.9", "203.0.113.9"),
            ("10.0.0.1", "198.51.100.1, 203.0.113.9", "203.0.113.9"),
            ("10.0.0.1", "203.0.113.9, 10.0.0.2", "203.0.113.9"),
            ("10.0.0.1", "203.0.113.9, nonsense", "10.0.0.1"),
            ("10.0.0.1", "", "10.0.0.1"),
            ("192.0.2.7", "203.0.113.9", "192.0.2.7"),
        ] {
            assert_eq!(proxies.behind(Some(ip(near)), told), Some(ip(expected)), "{near} {told}");
        }
        assert_eq!(Proxies::default().behind(Some(ip("127.0.0.1")), "203.0.113.9"), Some(ip("127.0.0.1")));
    }
}
