//! Clients that mean no good: they leave, they send half, they lie about lengths. And machines that fail:
//! a line that is slow or cut, a program whose channels' tasks end.

use std::fs::File;
use std::io::{Read, Write};
use std::net::{Shutdown, TcpListener, TcpStream};
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tempfile::TempDir;

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

    /// The first line that comes.
    pub fn first_line(&mut self) -> String {
        let (mut line, mut byte) = (Vec::new(), [0]);
        while !line.ends_with(b"\r\n") && matches!(self.stream.read(&mut byte), Ok(1)) {
            line.push(byte[0]);
        }
        String::from_utf8_lossy(&line).into_owned()
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

/// A line to another address that is as slow as one likes, and can be cut.
pub struct Line {
    pub at: String,
    millis: Arc<AtomicU64>,
    open: Arc<Mutex<Vec<TcpStream>>>,
}

impl Line {
    /// To an address such as `127.0.0.1:3306`.
    pub fn to(address: &str) -> Self {
        let (listener, address) = (TcpListener::bind("127.0.0.1:0").unwrap(), address.to_owned());
        let at = listener.local_addr().unwrap().to_string();
        let (millis, open) = (Arc::<AtomicU64>::default(), Arc::<Mutex<Vec<TcpStream>>>::default());
        let (slow, kept) = (Arc::clone(&millis), Arc::clone(&open));
        std::thread::spawn(move || {
            for near in listener.incoming().map_while(Result::ok) {
                let Ok(far) = TcpStream::connect(&address) else { continue };
                let ends = [near.try_clone(), far.try_clone()].map(Result::unwrap);
                kept.lock().unwrap().extend(ends);
                for (from, into) in [(near.try_clone().unwrap(), far.try_clone().unwrap()), (far, near)] {
                    let slow = Arc::clone(&slow);
                    std::thread::spawn(move || carry(from, into, &slow));
                }
            }
        });
        Self { at, millis, open }
    }

    /// From now on, whatever comes is held for so long.
    pub fn slow(&self, millis: u64) {
        self.millis.store(millis, Ordering::Relaxed);
    }

    /// Cuts all that is open; new connections can be made.
    pub fn cut(&self) {
        for end in self.open.lock().unwrap().drain(..) {
            let _ = end.shutdown(Shutdown::Both);
        }
    }
}

fn carry(mut from: TcpStream, mut into: TcpStream, slow: &AtomicU64) {
    let mut held = [0; 16 * 1024];
    while let Ok(count @ 1..) = from.read(&mut held) {
        std::thread::sleep(Duration::from_millis(slow.load(Ordering::Relaxed)));
        if into.write_all(&held[..count]).is_err() {
            break;
        }
    }
    let _ = into.shutdown(Shutdown::Write);
}

/// What a mortal program is told.
pub const AT: &str = "TALLY_MORTAL_AT";
pub const DATABASE: &str = "TALLY_MORTAL_DATABASE";
pub const FATE: &str = "TALLY_MORTAL_FATE";

/// A program whose channels' tasks can be ended; see `mortal.rs`.
pub struct Mortal {
    fate: PathBuf,
    child: Child,
    folder: TempDir,
}

impl Mortal {
    /// Serves a database that the real program has filled, at the address where that one was.
    pub fn start(database: &str, base: &str) -> Self {
        let folder = TempDir::with_prefix("tally-").unwrap();
        let fate = folder.path().join("fate");
        let child = Command::new(std::env::current_exe().unwrap())
            .args(["mortal::run", "--exact", "--ignored"])
            .env(AT, base)
            .env(DATABASE, database)
            .env(FATE, &fate)
            .stdout(Stdio::null())
            .stderr(File::create(folder.path().join("log")).unwrap())
            .spawn()
            .unwrap();
        Self { fate, child, folder }
    }

    /// Ends the next task that asks for the time.
    pub fn strike(&self) {
        std::fs::write(&self.fate, "").unwrap();
    }

    /// Whether the last strike has hit.
    pub fn is_struck(&self) -> bool {
        !self.fate.exists()
    }

    /// What it has written to its log.
    pub fn log(&self) -> String {
        std::fs::read_to_string(self.folder.path().join("log")).unwrap()
    }

    /// The most memory that it has ever held, in MiB.
    pub fn most_memory(&self) -> u64 {
        super::program::most_memory(self.child.id())
    }
}

impl Drop for Mortal {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
