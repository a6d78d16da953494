//! A real chat server.

use super::db::free_port;
use super::{PATIENCE, until};
use std::process::{Child, Command, Stdio};
use tempfile::TempDir;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;
use tokio::time::timeout;

/// An IRC server from Debian's packages.
pub struct Ngircd {
    _folder: TempDir,
    child: Child,
    pub plain: u16,
    pub tls: u16,
    pub certificate: String,
}

impl Ngircd {
    pub async fn start() -> Self {
        let folder = TempDir::with_prefix("tally-irc-").unwrap();
        let at = |name: &str| folder.path().join(name).display().to_string();
        let made = Command::new("openssl")
            .args(["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost"])
            .args(["-addext", "subjectAltName=DNS:localhost", "-addext", "basicConstraints=critical,CA:FALSE"])
            .args(["-keyout", &at("key.pem"), "-out", &at("cert.pem")])
            .stderr(Stdio::null())
            .status()
            .unwrap();
        assert!(made.success());
        let (plain, tls) = (free_port(), free_port());
        let config = format!(
            "[Global]\nName = irc.test\nInfo = test\nListen = 127.0.0.1\nPorts = {plain}\nMotdPhrase = hello\n\
             [Limits]\nMaxConnectionsIP = 0\n[Options]\nDNS = no\nIdent = no\nPAM = no\n\
             [SSL]\nCertFile = {}\nKeyFile = {}\nPorts = {tls}\n",
            at("cert.pem"),
            at("key.pem")
        );
        std::fs::write(at("ngircd.conf"), config).unwrap();
        let readable = Command::new("chmod").args(["-R", "a+rX", &folder.path().display().to_string()]).status();
        assert!(readable.unwrap().success());
        let child = Command::new("ngircd")
            .args(["-n", "-f", &at("ngircd.conf")])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("ngircd is installed by ./check");
        let certificate = std::fs::read_to_string(at("cert.pem")).unwrap();
        let server = Self { _folder: folder, child, plain, tls, certificate };
        until("the IRC server listens", || async { TcpStream::connect(("127.0.0.1", plain)).await.ok() }).await;
        server
    }

    /// It goes away.
    pub fn stop(&mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    /// Somebody in the room who says things.
    pub async fn somebody(&self, nick: &str) -> TcpStream {
        let mut stream = TcpStream::connect(("127.0.0.1", self.plain)).await.unwrap();
        let sign_on = format!("NICK {nick}\r\nUSER {nick} 0 * :{nick}\r\nJOIN #saltmarsh\r\n");
        stream.write_all(sign_on.as_bytes()).await.unwrap();
        let mut heard = String::new();
        let mut buffer = [0; 4_096];
        while !heard.contains(" 366 ") {
            let read = timeout(PATIENCE, stream.read(&mut buffer)).await.expect("the IRC server lets us in").unwrap();
            heard += &String::from_utf8_lossy(&buffer[..read]);
        }
        stream
    }
}

impl Drop for Ngircd {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
