//! From where a request comes. Behind a proxy that the operator trusts it is whom the proxy names; from
//! anybody else, what they say of themselves counts for nothing.

use actix_web::HttpRequest;
use std::net::{IpAddr, Ipv6Addr, SocketAddr};

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
        self.behind(near, &told.join(",")).map(counted_as).unwrap_or_default()
    }

    /// The nearest address that is no proxy of ours. A word that is no address ends the search: what lies
    /// behind it was written by somebody whom nobody vouches for.
    fn behind(&self, near: Option<IpAddr>, told: &str) -> Option<IpAddr> {
        let mut peer = near?;
        for word in told.rsplit(',').map(str::trim) {
            if !self.trusted.contains(&peer) {
                break;
            }
            let Some(next) = address(word) else { break };
            peer = next;
        }
        Some(peer)
    }
}

/// An address as proxies write it: alone, with a port, an IPv6 address in brackets or not.
fn address(word: &str) -> Option<IpAddr> {
    if let Ok(address) = word.parse() {
        return Some(address);
    }
    if let Ok(socket) = word.parse::<SocketAddr>() {
        return Some(socket.ip());
    }
    word.strip_prefix('[')?.strip_suffix(']')?.parse().ok()
}

/// As what a peer is counted: an IPv6 address as its /64, since whoever has one has all of them.
fn counted_as(peer: IpAddr) -> String {
    match peer.to_canonical() {
        IpAddr::V4(peer) => peer.to_string(),
        IpAddr::V6(peer) => {
            let [one, two, three, four, ..] = peer.segments();
            Ipv6Addr::new(one, two, three, four, 0, 0, 0, 0).to_string()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn neighbours_of_one_network_are_one_peer() {
        let counted = |text: &str| counted_as(text.parse().unwrap());
        assert_eq!(counted("2001:db8:1:2::1"), counted("2001:db8:1:2:ffff::7"));
        assert_ne!(counted("2001:db8:1:2::1"), counted("2001:db8:1:3::1"));
        assert_eq!(counted("::ffff:203.0.113.9"), "203.0.113.9");
    }

    #[test]
    fn only_a_trusted_proxy_speaks_for_others() {
        let ip = |text: &str| -> IpAddr { text.parse().unwrap() };
        let proxies = Proxies { trusted: vec![ip("10.0.0.1"), ip("10.0.0.2")], header: "x-forwarded-for".into() };
        for (near, told, expected) in [
            ("10.0.0.1", "203.0.113.9", "203.0.113.9"),
            ("10.0.0.1", "203.0.113.9:51234", "203.0.113.9"),
            ("10.0.0.1", "[2001:db8::7]:443", "2001:db8::7"),
            ("10.0.0.1", "[2001:db8::7]", "2001:db8::7"),
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
