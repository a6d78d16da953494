//! A line to a host outside, encrypted or not.

use crate::outside::Outside;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::TcpStream;
use tokio::time::timeout;
use tokio_rustls::TlsConnector;
use tokio_rustls::rustls::pki_types::pem::PemObject;
use tokio_rustls::rustls::pki_types::{CertificateDer, ServerName};
use tokio_rustls::rustls::{ClientConfig, RootCertStore};

/// How long connecting may take.
const PATIENCE: Duration = Duration::from_secs(20);

/// Either kind of line.
pub(super) trait Wire: AsyncRead + AsyncWrite + Send + Unpin {}
impl<T: AsyncRead + AsyncWrite + Send + Unpin> Wire for T {}

/// Connects. `certificate` is one in PEM form that is trusted besides the machine's; empty for none.
pub(super) async fn connect(
    outside: Outside,
    host: &str,
    port: u16,
    tls: bool,
    certificate: &str,
) -> Result<Box<dyn Wire>, String> {
    let addresses = outside.resolve(host, port).await.map_err(|error| error.to_string())?;
    let dial = async {
        let mut last = "nobody listens there".to_owned();
        for address in addresses {
            match TcpStream::connect(address).await {
                Ok(stream) => return Ok(stream),
                Err(error) => last = error.to_string(),
            }
        }
        Err(format!("{host}:{port} cannot be reached: {last}"))
    };
    let late = |_| format!("{host}:{port} does not answer");
    let stream = timeout(PATIENCE, dial).await.map_err(late)??;
    // Without this a line works all the same, only less promptly.
    let _ = stream.set_nodelay(true);
    if !tls {
        return Ok(Box::new(stream));
    }
    let connector = TlsConnector::from(Arc::new(trust(certificate)?));
    let bare = host.trim_start_matches('[').trim_end_matches(']').to_owned();
    let name = ServerName::try_from(bare).map_err(|_| format!("{host} is no host name"))?;
    let stream = timeout(PATIENCE, connector.connect(name, stream)).await.map_err(late)?;
    Ok(Box::new(stream.map_err(|error| format!("the line could not be encrypted: {error}"))?))
}

/// The machine's certificates, and one more that the owner trusts.
fn trust(certificate: &str) -> Result<ClientConfig, String> {
    let mut roots = RootCertStore::empty();
    roots.add_parsable_certificates(rustls_native_certs::load_native_certs().certs);
    if !certificate.trim().is_empty() {
        let own = CertificateDer::from_pem_slice(certificate.as_bytes())
            .map_err(|_| "the certificate to trust is not in PEM form".to_owned())?;
        roots.add(own).map_err(|error| format!("the certificate to trust cannot be used: {error}"))?;
    }
    let provider = Arc::new(tokio_rustls::rustls::crypto::ring::default_provider());
    let config = ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .map_err(|error| error.to_string())?;
    Ok(config.with_root_certificates(roots).with_no_client_auth())
}
