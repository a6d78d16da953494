//! A page on air as far as the wire is concerned: a WebSocket and what comes through it.

use super::PATIENCE;
use futures_util::{SinkExt, StreamExt};
use serde_json::Value;
use std::net::Ipv4Addr;
use tokio::net::{TcpSocket, TcpStream};
use tokio::time::timeout;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::client::IntoClientRequest;
use tokio_tungstenite::{WebSocketStream, client_async};

/// An open live connection.
pub struct Page {
    socket: WebSocketStream<TcpStream>,
}

impl Page {
    /// Opens the live connection of a page's address.
    pub async fn open(page_url: &str) -> Self {
        Self::open_from(Ipv4Addr::LOCALHOST, page_url).await
    }

    /// The same from one of this machine's own addresses.
    pub async fn open_from(from: Ipv4Addr, page_url: &str) -> Self {
        Self::open_at(from, &format!("{page_url}/live")).await
    }

    /// Loads a page, and opens the live connection that it names.
    pub async fn load(page_url: &str) -> Self {
        Self::load_from(Ipv4Addr::LOCALHOST, page_url).await
    }

    /// The same from one of this machine's own addresses.
    pub async fn load_from(from: Ipv4Addr, page_url: &str) -> Self {
        let page = reqwest::get(page_url).await.unwrap().text().await.unwrap();
        let path = page.split("data-live-path=\"").nth(1).unwrap().split('"').next().unwrap();
        let base = page_url.splitn(4, '/').take(3).collect::<Vec<_>>().join("/");
        Self::open_at(from, &format!("{base}{path}")).await
    }

    /// Opens a live connection of somebody who is signed in, from a page of the program's own.
    pub async fn with_cookie(live_url: &str, origin: &str, cookie: &str) -> Self {
        let mut request = live_url.replace("http://", "ws://").into_client_request().unwrap();
        for (name, value) in [("origin", origin), ("cookie", cookie)] {
            request.headers_mut().insert(name, value.parse().unwrap());
        }
        let host = live_url.trim_start_matches("http://").split('/').next().unwrap();
        let stream = TcpStream::connect(host).await.unwrap();
        let (socket, _) = client_async(request, stream).await.unwrap();
        Self { socket }
    }

    async fn open_at(from: Ipv4Addr, live_url: &str) -> Self {
        let (url, page_url) = (live_url.replace("http://", "ws://"), live_url);
        let host = page_url.trim_start_matches("http://").split('/').next().unwrap();
        let socket = TcpSocket::new_v4().unwrap();
        socket.bind((from, 0).into()).unwrap();
        let stream = socket.connect(host.parse().unwrap()).await.unwrap();
        let (socket, _) = client_async(url, stream).await.unwrap();
        Self { socket }
    }

    /// The next message; none when the connection has ended.
    pub async fn next(&mut self) -> Option<Value> {
        loop {
            match timeout(PATIENCE, self.socket.next()).await.expect("a message in time")? {
                Ok(Message::Text(text)) => return Some(serde_json::from_str(&text).unwrap()),
                Ok(Message::Close(_)) | Err(_) => return None,
                Ok(_) => {}
            }
        }
    }

    /// The next message as it came, for the bench.
    pub async fn next_raw(&mut self) -> Option<String> {
        loop {
            match self.socket.next().await? {
                Ok(Message::Text(text)) => return Some(text.to_string()),
                Ok(Message::Close(_)) | Err(_) => return None,
                Ok(_) => {}
            }
        }
    }

    /// Waits for a drawing in which these words stand.
    pub async fn drawn(&mut self, words: &str) -> Value {
        loop {
            let message = self.next().await.expect("the connection holds");
            if message["parts"]
                .as_object()
                .is_some_and(|parts| parts.values().any(|html| html.to_string().contains(words)))
            {
                return message;
            }
        }
    }

    pub async fn say(&mut self, text: &str) {
        self.socket.send(Message::text(text)).await.unwrap();
    }
}
