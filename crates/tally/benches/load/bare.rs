//! The baseline for pages: an Actix server that does nothing but broadcast over WebSockets.

use actix_web::{App, HttpRequest, HttpResponse, HttpServer, rt, web};
use bytestring::ByteString;
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use tokio::sync::broadcast;

/// Started with this, the bench is the baseline's server.
pub const ARGUMENT: &str = "bare-broadcast";

pub fn serve() {
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
    runtime.block_on(async {
        let (sender, _) = broadcast::channel::<ByteString>(64);
        let sender = web::Data::new(sender);
        let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        println!("{}", listener.local_addr().unwrap());
        HttpServer::new(move || {
            App::new()
                .app_data(sender.clone())
                .route("/page", web::get().to(page))
                .route("/push", web::post().to(push))
                .route("/page/live", web::get().to(live))
        })
        .workers(2)
        .tcp_nodelay(true)
        .listen(listener)
        .unwrap()
        .run()
        .await
        .unwrap();
    });
}

/// A page that does nothing but show the last message.
async fn page() -> HttpResponse {
    HttpResponse::Ok().content_type("text/html").body(
        "<p id=figure></p><script>
            const figure = document.getElementById('figure');
            const socket = new WebSocket('ws://' + location.host + '/page/live');
            socket.onopen = () => { figure.textContent = 'ready'; };
            socket.onmessage = (event) => { figure.textContent = event.data; };
        </script>",
    )
}

async fn push(sender: web::Data<broadcast::Sender<ByteString>>, body: String) -> HttpResponse {
    let _ = sender.send(body.into());
    HttpResponse::Ok().finish()
}

async fn live(
    sender: web::Data<broadcast::Sender<ByteString>>,
    request: HttpRequest,
    payload: web::Payload,
) -> Result<HttpResponse, actix_web::Error> {
    let (response, mut session, mut stream) = actix_ws::handle(&request, payload)?;
    let mut receiver = sender.subscribe();
    rt::spawn(async move {
        loop {
            tokio::select! {
                message = receiver.recv() => match message {
                    Ok(message) => if session.text(message).await.is_err() { return },
                    Err(broadcast::error::RecvError::Lagged(_)) => {}
                    Err(broadcast::error::RecvError::Closed) => return,
                },
                message = stream.recv() => if message.is_none() { return },
            }
        }
    });
    Ok(response)
}

/// The baseline's server in a process of its own.
pub struct Bare {
    pub base: String,
    child: Child,
}

impl Bare {
    pub fn start() -> Self {
        let mut child =
            Command::new(std::env::current_exe().unwrap()).arg(ARGUMENT).stdout(Stdio::piped()).spawn().unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        Self { base: format!("http://{}", line.trim()), child }
    }

    pub fn id(&self) -> u32 {
        self.child.id()
    }
}

impl Drop for Bare {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
