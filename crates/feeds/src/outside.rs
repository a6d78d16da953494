//! The way out: asking addresses that the owner typed in, without letting anybody use us to reach
//! what stands behind our walls (server-side request forgery), and without being held up.

use bytes::Bytes;
use futures_util::FutureExt;
use futures_util::future::BoxFuture;
use futures_util::{Stream, StreamExt};
use reqwest::dns::{Addrs, Name, Resolve, Resolving};
use reqwest::header::{ETAG, IF_MODIFIED_SINCE, IF_NONE_MATCH, LAST_MODIFIED};
use reqwest::redirect::Policy;
use reqwest::{Client, RequestBuilder, Response, StatusCode, Url};
use std::net::{IpAddr, Ipv6Addr, SocketAddr};
use std::time::Duration;
use tokio::time::timeout;

/// How long a whole answer may take.
const PATIENCE: Duration = Duration::from_secs(15);
/// How long somebody who is called may take.
const CALLING: Duration = Duration::from_secs(10);
/// How long a stream may say nothing at all, not even that it is still there.
const SILENCE: Duration = Duration::from_secs(120);

/// What may be reached.
#[derive(Debug, Clone, Copy, Default)]
pub struct Outside {
    /// Addresses of this machine and its network too: for stand-ins, and where the operator wants it.
    pub allow_private: bool,
}

/// Whether an address is open to the whole world.
#[must_use]
pub fn is_public(ip: IpAddr) -> bool {
    match ip {
        IpAddr::V4(ip) => {
            let [a, b, c, _] = ip.octets();
            !(ip.is_private()
                || ip.is_loopback()
                || ip.is_link_local()
                || ip.is_broadcast()
                || ip.is_documentation()
                || ip.is_multicast()
                || a == 0
                || a >= 240
                || (a == 100 && (64..128).contains(&b))
                || (a == 192 && b == 0 && c == 0)
                || (a == 198 && (18..20).contains(&b)))
        }
        IpAddr::V6(ip) => {
            if let Some(inner) = embedded(ip) {
                return is_public(inner);
            }
            let first = ip.segments()[0];
            // Global unicast (RFC 4291) without documentation and the rest of 2001:0::/23.
            (0x2000..0x4000).contains(&first)
                && !(first == 0x2001 && ip.segments()[1] < 0x0200)
                && !(first == 0x2001 && ip.segments()[1] == 0x0db8)
        }
    }
}

/// An IPv4 address inside an IPv6 one: mapped, translated (RFC 6052) or 6to4 (RFC 3056).
fn embedded(ip: Ipv6Addr) -> Option<IpAddr> {
    let s = ip.segments();
    let v4 = |high: u16, low: u16| {
        let ([a, b], [c, d]) = (high.to_be_bytes(), low.to_be_bytes());
        IpAddr::from([a, b, c, d])
    };
    match s {
        [0, 0, 0, 0, 0, 0xffff, high, low] | [0x64, 0xff9b, 0, 0, 0, 0, high, low] => Some(v4(high, low)),
        [0x2002, high, low, ..] => Some(v4(high, low)),
        _ => None,
    }
}

/// Why something outside could not be reached or read; the text says what to do.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum OutsideError {
    /// Not an address that we ask.
    #[error("“{0}” is no http or https address")]
    Address(String),
    /// An address of this machine or its network.
    #[error(
        "{0} is an address of this machine or its network, which may not be reached; start Eager Tally with --allow-private-addresses if you mean it"
    )]
    Private(String),
    /// No such host.
    #[error("the host {0} is not known")]
    Unknown(String),
    /// No connection, or it broke off.
    #[error("no answer: {0}")]
    NoAnswer(String),
    /// Another status than 200.
    #[error("it answered {0}")]
    Status(u16),
    /// A further page on another host.
    #[error("its next page, {0}, is not on the same host")]
    Elsewhere(String),
    /// Too large.
    #[error("its answer is larger than {0} bytes")]
    TooLarge(usize),
}

impl Outside {
    /// The addresses of a host that may be reached.
    ///
    /// # Errors
    /// The host is unknown, or none of its addresses may be reached.
    pub async fn resolve(self, host: &str, port: u16) -> Result<Vec<SocketAddr>, OutsideError> {
        let bare = host.trim_start_matches('[').trim_end_matches(']');
        let found = tokio::net::lookup_host((bare, port)).await.map_err(|_| OutsideError::Unknown(host.to_owned()))?;
        let found: Vec<SocketAddr> = found.collect();
        if found.is_empty() {
            return Err(OutsideError::Unknown(host.to_owned()));
        }
        // One private address among several is enough: which one is used is not in our hands.
        if !self.allow_private && !found.iter().all(|address| is_public(address.ip())) {
            return Err(OutsideError::Private(host.to_owned()));
        }
        Ok(found)
    }
}

impl Resolve for Outside {
    fn resolve(&self, name: Name) -> Resolving {
        let outside = *self;
        Box::pin(async move {
            let found = Self::resolve(outside, name.as_str(), 0).await?;
            Ok(Box::new(found.into_iter()) as Addrs)
        })
    }
}

/// An address that is asked again and again. It remembers what it was told, so that an unchanged
/// answer need not be sent again.
#[derive(Debug)]
pub struct Asked {
    url: Url,
    outside: Outside,
    client: Client,
    headers: Vec<(String, String)>,
    etag: Option<String>,
    modified: Option<String>,
}

/// Checks an address as far as that goes without asking.
///
/// # Errors
/// Not http or https, or it names a private address outright.
pub fn address(url: &str, outside: Outside) -> Result<Url, OutsideError> {
    let wrong = || OutsideError::Address(url.chars().take(100).collect());
    let parsed: Url = url.trim().parse().map_err(|_| wrong())?;
    if !matches!(parsed.scheme(), "http" | "https") || parsed.host_str().is_none() {
        return Err(wrong());
    }
    let host = parsed.host_str().unwrap_or_default();
    let literal: Option<IpAddr> = host.trim_start_matches('[').trim_end_matches(']').parse().ok();
    if !outside.allow_private && literal.is_some_and(|ip| !is_public(ip)) {
        return Err(OutsideError::Private(host.to_owned()));
    }
    Ok(parsed)
}

impl Asked {
    /// An address to ask.
    ///
    /// # Errors
    /// See [`address`].
    pub fn new(url: &str, outside: Outside) -> Result<Self, OutsideError> {
        let url = address(url, outside)?;
        let client = client(outside, Some(PATIENCE))?;
        Ok(Self { url, outside, client, headers: Vec::new(), etag: None, modified: None })
    }

    /// With headers that are sent along.
    #[must_use]
    pub fn with_headers(self, headers: Vec<(String, String)>) -> Self {
        Self { headers, ..self }
    }

    /// Asks for a further page of the same host.
    ///
    /// # Errors
    /// See [`OutsideError`]. A page on another host is refused: what is sent along is meant for this one.
    pub async fn page(&self, reference: &str, most: usize) -> Result<Vec<u8>, OutsideError> {
        let elsewhere = || OutsideError::Elsewhere(reference.chars().take(100).collect());
        let page = self.url.join(reference).map_err(|_| elsewhere())?;
        if page.origin() != self.url.origin() {
            return Err(elsewhere());
        }
        address(page.as_str(), self.outside)?;
        let request = with_headers(self.client.get(page), &self.headers);
        let answer = request.send().await.map_err(|error| no_answer(&error))?;
        match answer.status() {
            StatusCode::OK => body(answer, most).await,
            other => Err(OutsideError::Status(other.as_u16())),
        }
    }

    /// Asks. None if nothing has changed since the last answer.
    ///
    /// # Errors
    /// See [`OutsideError`].
    pub fn ask(&mut self, most: usize) -> BoxFuture<'_, Result<Option<Vec<u8>>, OutsideError>> {
        async move {
            address(self.url.as_str(), self.outside)?;
            let mut request = with_headers(self.client.get(self.url.clone()), &self.headers);
            if let Some(etag) = &self.etag {
                request = request.header(IF_NONE_MATCH, etag);
            }
            if let Some(modified) = &self.modified {
                request = request.header(IF_MODIFIED_SINCE, modified);
            }
            let answer = request.send().await.map_err(|error| no_answer(&error))?;
            match answer.status() {
                StatusCode::NOT_MODIFIED => return Ok(None),
                StatusCode::OK => {}
                other => return Err(OutsideError::Status(other.as_u16())),
            }
            let told = |name| answer.headers().get(name).and_then(|value| value.to_str().ok()).map(str::to_owned);
            let (etag, modified) = (told(ETAG), told(LAST_MODIFIED));
            let body = body(answer, most).await?;
            (self.etag, self.modified) = (etag, modified);
            Ok(Some(body))
        }
        .boxed()
    }

    /// The next answer is to come whole, changed or not.
    pub fn forget(&mut self) {
        (self.etag, self.modified) = (None, None);
    }
}

fn client(outside: Outside, patience: Option<Duration>) -> Result<Client, OutsideError> {
    let builder = Client::builder()
        .dns_resolver(std::sync::Arc::new(outside))
        // A redirection could lead to where the first address could not.
        .redirect(Policy::none())
        .no_proxy()
        .connect_timeout(PATIENCE)
        .user_agent(concat!("eager-tally/", env!("CARGO_PKG_VERSION")));
    let builder = match patience {
        Some(patience) => builder.timeout(patience),
        None => builder.read_timeout(SILENCE),
    };
    builder.build().map_err(|error| OutsideError::NoAnswer(error.to_string()))
}

fn with_headers(request: RequestBuilder, headers: &[(String, String)]) -> RequestBuilder {
    headers.iter().fold(request, |request, (name, value)| request.header(name, value))
}

async fn body(answer: Response, most: usize) -> Result<Vec<u8>, OutsideError> {
    let mut body = Vec::new();
    let mut chunks = answer.bytes_stream();
    while let Some(chunk) = chunks.next().await {
        let chunk = chunk.map_err(|error| no_answer(&error))?;
        if body.len() + chunk.len() > most {
            return Err(OutsideError::TooLarge(most));
        }
        body.extend_from_slice(&chunk);
    }
    Ok(body)
}

/// Posts something to an address; the status of the answer, whatever it says.
///
/// # Errors
/// See [`OutsideError`].
pub async fn post(url: &str, outside: Outside, headers: &[(&str, String)], body: Vec<u8>) -> Result<u16, OutsideError> {
    let request = client(outside, Some(CALLING))?.post(address(url, outside)?).body(body);
    let request = headers.iter().fold(request, |request, (name, value)| request.header(*name, value));
    let answer = request.send().await.map_err(|error| no_answer(&error))?;
    Ok(answer.status().as_u16())
}

/// Opens an address whose answer goes on and on.
///
/// # Errors
/// See [`OutsideError`].
pub async fn open(
    url: &str,
    outside: Outside,
    headers: &[(String, String)],
) -> Result<impl Stream<Item = Result<Bytes, OutsideError>> + Unpin + use<>, OutsideError> {
    let url = address(url, outside)?;
    let request = with_headers(client(outside, None)?.get(url), headers);
    let answer = timeout(PATIENCE, request.send()).await;
    let late = |_| OutsideError::NoAnswer("it took too long".into());
    let answer = answer.map_err(late)?.map_err(|error| no_answer(&error))?;
    match answer.status() {
        StatusCode::OK => Ok(answer.bytes_stream().map(|chunk| chunk.map_err(|error| no_answer(&error)))),
        other => Err(OutsideError::Status(other.as_u16())),
    }
}

/// What went wrong, without the address, which may hold a secret.
fn no_answer(error: &reqwest::Error) -> OutsideError {
    let mut cause: Option<&dyn std::error::Error> = Some(error);
    while let Some(one) = cause {
        if let Some(own) = one.downcast_ref::<OutsideError>() {
            return own.clone();
        }
        cause = one.source();
    }
    let why = if error.is_timeout() {
        "it took too long"
    } else if error.is_connect() {
        "nobody listens there"
    } else {
        "the answer broke off"
    };
    OutsideError::NoAnswer(why.into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_addresses_of_the_open_world_are_public() {
        for open in ["9.9.9.9", "100.128.0.1", "2a00:1450::1", "64:ff9b::909:909", "::ffff:9.9.9.9"] {
            assert!(is_public(open.parse().unwrap()), "{open}");
        }
        let closed = [
            "127.0.0.1",
            "10.1.2.3",
            "172.16.0.1",
            "192.168.1.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "224.0.0.1",
            "255.255.255.255",
            "198.18.0.1",
            "192.0.2.1",
            "::1",
            "::",
            "fe80::1",
            "fc00::1",
            "ff02::1",
            "::ffff:127.0.0.1",
            "64:ff9b::7f00:1",
            "2002:7f00:1::",
            "2001:db8::1",
            "2001:0::1",
        ];
        for closed in closed {
            assert!(!is_public(closed.parse().unwrap()), "{closed}");
        }
    }

    #[test]
    fn addresses_are_checked_before_anything_is_asked() {
        let guarded = Outside::default();
        assert!(address("https://numbers.example/viewers.json", guarded).is_ok());
        for wrong in ["file:///etc/passwd", "ftp://x.example/", "numbers.example", "", "http://"] {
            assert!(matches!(address(wrong, guarded), Err(OutsideError::Address(_))), "{wrong}");
        }
        for private in ["http://127.0.0.1:8420/", "http://[::1]/", "http://0x7f000001/", "http://2130706433/"] {
            assert!(matches!(address(private, guarded), Err(OutsideError::Private(_))), "{private}");
        }
        assert!(address("http://127.0.0.1:8420/", Outside { allow_private: true }).is_ok());
    }

    #[tokio::test]
    async fn a_name_that_leads_home_is_refused() {
        let guarded = Outside::default();
        assert!(matches!(guarded.resolve("localhost", 80).await, Err(OutsideError::Private(_))));
        let mut asked = Asked::new("http://localhost:1/", guarded).unwrap();
        assert!(matches!(asked.ask(10).await, Err(OutsideError::Private(_))));
    }
}
