//! Clients that mean no good: they leave, they send half, they lie about lengths.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::Duration;

/// A bare connection to the program.
pub struct Raw {
    stream: TcpStream,
}

impl Raw {
    /// Connects to an address such as `http://127.0.0.1:8420`.
    pub fn to(base: &str) -> std::io::Result<Self> {
        let stream = TcpStream::connect(base.trim_start_matches("http://"))?;
        stream.set_read_timeout(Some(super::PATIENCE))?;
        stream.set_write_timeout(Some(Duration::from_secs(5)))?;
        Ok(Self { stream })
    }

    /// Writes, whether or not anybody still listens.
    pub fn write(&mut self, text: &str) {
        let _ = self.stream.write_all(text.as_bytes());
    }

    /// All that comes until the other side closes, or has nothing to say for long.
    pub fn read(&mut self) -> String {
        let mut all = Vec::new();
        let _ = self.stream.read_to_end(&mut all);
        String::from_utf8_lossy(&all).into_owned()
    }
}

/// The head of a POST with a form, from a peer as a proxy would name it.
pub fn post(path: &str, base: &str, session: (&str, &str), length: usize, peer: &str) -> String {
    let host = base.trim_start_matches("http://");
    let (cookie, csrf) = session;
    format!(
        "POST {path} HTTP/1.1\r\nHost: {host}\r\nCookie: {cookie}\r\nx-csrf-token: {csrf}\r\n\
         x-forwarded-for: {peer}\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: {length}\r\n\r\n"
    )
}

/// Lets this process hold many connections.
pub fn hold_many() {
    rlimit::increase_nofile_limit(8_192).unwrap();
}
