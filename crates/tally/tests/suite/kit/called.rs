//! Somebody who is called: answers as its path says, and remembers every call.

use std::sync::{Arc, Mutex};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// A call that came.
#[derive(Debug, Clone)]
pub struct Call {
    pub path: String,
    head: String,
    pub body: Vec<u8>,
}

impl Call {
    /// A header's value.
    pub fn header(&self, name: &str) -> String {
        let own = |line: &str| {
            let (key, value) = line.split_once(": ")?;
            key.eq_ignore_ascii_case(name).then(|| value.to_owned())
        };
        self.head.lines().find_map(own).unwrap_or_default()
    }
}

/// See the module.
pub struct Called {
    pub base: String,
    calls: Arc<Mutex<Vec<Call>>>,
}

impl Called {
    /// Listens: `/fine` is well, `/broken` is not, `/elsewhere` redirects, `/never` does not answer.
    pub async fn listen() -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let base = format!("http://{}", listener.local_addr().unwrap());
        let calls = Arc::<Mutex<Vec<Call>>>::default();
        let kept = Arc::clone(&calls);
        tokio::spawn(async move {
            while let Ok((stream, _)) = listener.accept().await {
                tokio::spawn(answer(stream, Arc::clone(&kept)));
            }
        });
        Self { base, calls }
    }

    /// What came so far.
    pub fn all(&self) -> Vec<Call> {
        self.calls.lock().unwrap().clone()
    }
}

async fn answer(mut stream: TcpStream, calls: Arc<Mutex<Vec<Call>>>) {
    let (mut bytes, mut buffer) = (Vec::new(), [0; 4_096]);
    let call = loop {
        match stream.read(&mut buffer).await {
            Ok(read) if read > 0 => bytes.extend_from_slice(&buffer[..read]),
            _ => return,
        }
        let Some(end) = bytes.windows(4).position(|four| four == b"\r\n\r\n") else { continue };
        let head = String::from_utf8_lossy(&bytes[..end]).into_owned();
        let path = head.split(' ').nth(1).unwrap_or_default().to_owned();
        let call = Call { path, head, body: bytes[end + 4..].to_vec() };
        if call.header("content-length").parse() == Ok(call.body.len()) {
            break call;
        }
    };
    let status = match call.path.as_str() {
        "/fine" => "204 No Content\r\n",
        "/elsewhere" => "302 Found\r\nLocation: /elsewhere\r\nContent-Length: 0\r\n",
        "/never" => "",
        _ => "500 Internal Server Error\r\nContent-Length: 0\r\n",
    };
    calls.lock().unwrap().push(call);
    if status.is_empty() {
        // Until whoever calls has had enough.
        let _ = stream.read(&mut buffer).await;
        return;
    }
    let _ = stream.write_all(format!("HTTP/1.1 {status}\r\n").as_bytes()).await;
}
