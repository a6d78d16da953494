//! From options to a running server, and to its end.

use crate::demo::{self, DemoError, StandIns};
use crate::options::Options;
use rand::RngCore;
use std::fs::{self, OpenOptions};
use std::io::{self, Write};
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, TcpListener, UdpSocket};
use std::os::unix::fs::OpenOptionsExt;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;
use tally_engine::{Engine, Quarantine, SteadyClock};
use tally_feeds::outside::Outside;
use tally_store::{Held, Store, StoreError};
use tally_web::{App, Config, Drawer, Proxies};
use tokio::signal::unix::{SignalKind, signal};

/// Connections for everything but the ledger's writer, which has its own.
const CONNECTIONS: u32 = 6;

/// Why the program cannot start.
#[derive(Debug, thiserror::Error)]
pub enum StartError {
    /// An address cannot be listened on.
    #[error("{0} cannot be listened on ({1}); is another copy running? Choose another port.")]
    Listen(std::net::SocketAddr, io::Error),
    /// A file cannot be read or written.
    #[error("{0} cannot be read or written: {1}")]
    File(String, io::Error),
    /// The database option is no address.
    #[error("--database must look like mysql://user@127.0.0.1:3306/name")]
    Database,
    /// Another program uses the data folder.
    #[error("the data folder {0} is in use by {1}; stop that program, or choose another folder with --data")]
    FolderHeld(String, String),
    /// Another program uses the database.
    #[error("the database is in use by {0}; stop that program, or give this one a database of its own")]
    DatabaseHeld(String),
    /// Another program has taken the database.
    #[error("another program has taken the database while it was away; this one stops, so that no two write")]
    DatabaseLost,
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The demo could not be loaded.
    #[error(transparent)]
    Demo(#[from] DemoError),
    /// The server failed.
    #[error("the server failed: {0}")]
    Server(io::Error),
}

fn listen(address: std::net::SocketAddr) -> Result<TcpListener, StartError> {
    TcpListener::bind(address).map_err(|error| StartError::Listen(address, error))
}

/// The port after; any port where any will do.
fn beside(mut at: std::net::SocketAddr) -> std::net::SocketAddr {
    if at.port() != 0 {
        at.set_port(at.port().saturating_add(1));
    }
    at
}

/// Writes a file that only its owner may read, whole or not at all.
pub fn write_private(path: &Path, content: &[u8]) -> Result<(), StartError> {
    let failed = |error| StartError::File(path.display().to_string(), error);
    let draft = path.with_extension("new");
    let mut file =
        OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&draft).map_err(failed)?;
    file.write_all(content).and_then(|()| file.sync_all()).map_err(failed)?;
    fs::rename(&draft, path).map_err(failed)
}

/// Holds the data folder for as long as the file is kept open, so that no second program uses it.
fn hold_folder(folder: &Path) -> Result<fs::File, StartError> {
    let path = folder.join("in-use");
    let failed = |error| StartError::File(path.display().to_string(), error);
    let mut file =
        OpenOptions::new().read(true).write(true).create(true).truncate(false).open(&path).map_err(failed)?;
    match file.try_lock() {
        Ok(()) => {}
        Err(fs::TryLockError::WouldBlock) => {
            let holder = fs::read_to_string(&path).unwrap_or_default();
            return Err(StartError::FolderHeld(folder.display().to_string(), holder.trim().to_owned()));
        }
        Err(fs::TryLockError::Error(error)) => return Err(failed(error)),
    }
    file.set_len(0).and_then(|()| writeln!(file, "process {}", std::process::id())).map_err(failed)?;
    Ok(file)
}

/// The key that signs sessions: made on the first start, kept ever after.
fn session_key(data: &Path) -> Result<[u8; 64], StartError> {
    let path = data.join("session.key");
    if let Ok(key) = fs::read(&path)
        && let Ok(key) = key.try_into()
    {
        return Ok(key);
    }
    let mut key = [0; 64];
    rand::rng().fill_bytes(&mut key);
    write_private(&path, &key)?;
    Ok(key)
}

/// The database's address with its password in it.
fn database_url(options: &Options) -> Result<String, StartError> {
    let Some(file) = &options.database_password_file else { return Ok(options.database.clone()) };
    let password = fs::read_to_string(file).map_err(|error| StartError::File(file.display().to_string(), error))?;
    let (scheme, rest) = options.database.split_once("://").ok_or(StartError::Database)?;
    let (user, host) = rest.split_once('@').ok_or(StartError::Database)?;
    Ok(format!("{scheme}://{user}:{}@{host}", password.trim()))
}

/// Takes the database for this program alone. One that is still starting, or busy, is given some seconds.
async fn hold_when_up(store: &Store) -> Result<Result<Held, String>, StoreError> {
    const TRIES: usize = 5;
    for _ in 1..TRIES {
        match store.hold().await {
            Err(StoreError::Away(why)) => {
                tracing::warn!(%why, "the database is away; trying again");
                tokio::time::sleep(Duration::from_secs(1)).await;
            }
            done => return done,
        }
    }
    store.hold().await
}

/// Where we are reached from this machine when we listen there; at every address is at loopback too.
fn beside_us(at: SocketAddr) -> SocketAddr {
    let loopback = if at.is_ipv6() { IpAddr::from(Ipv6Addr::LOCALHOST) } else { IpAddr::from(Ipv4Addr::LOCALHOST) };
    if at.ip().is_unspecified() { SocketAddr::new(loopback, at.port()) } else { at }
}

/// The address that this machine has in its network, by which it would reach another one. Nothing is sent: the address is
/// one of those that RFC 5737 keeps for documents.
fn in_the_house() -> Option<IpAddr> {
    let socket = UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0)).ok()?;
    socket.connect((Ipv4Addr::new(192, 0, 2, 1), 9)).ok()?;
    let own = socket.local_addr().ok()?.ip();
    (!own.is_loopback() && !own.is_unspecified()).then_some(own)
}

/// Runs until told to stop.
pub async fn serve(options: Options) -> Result<(), StartError> {
    // First of all: whoever reads that we are up may ask us to stop in the same moment.
    let (mut interrupt, mut terminate) = (
        signal(SignalKind::interrupt()).map_err(StartError::Server)?,
        signal(SignalKind::terminate()).map_err(StartError::Server)?,
    );
    fs::create_dir_all(&options.data).map_err(|error| StartError::File(options.data.display().to_string(), error))?;
    let folder = fs::canonicalize(&options.data).unwrap_or_else(|_| options.data.clone());
    let _folder_held = hold_folder(&folder)?;
    let listener = listen(options.listen)?;
    let outside_world =
        options.standins.map(|at| Ok::<_, StartError>((listen(at)?, listen(beside(at))?))).transpose()?;
    let at = listener.local_addr().map_err(StartError::Server)?;
    let base_url_stated = options.base_url.is_some();
    let base_url = options.base_url.clone().unwrap_or_else(|| format!("http://{}", beside_us(at)));
    let base_url = base_url.trim_end_matches('/').to_owned();
    let house = if at.ip().is_unspecified() { in_the_house() } else { None };
    let house_url = house.map(|house| format!("http://{}", SocketAddr::new(house, at.port())));

    let store = Store::open(&database_url(&options)?, CONNECTIONS)?;
    // Before anything is changed: another program may be at work there, perhaps a newer one.
    let name = format!("process {} at {base_url}, data folder {}", std::process::id(), folder.display());
    let held = hold_when_up(&store).await?.map_err(StartError::DatabaseHeld)?;
    store.migrate().await?;
    store.name_holder(name).await?;
    let reading = options.data.join("reading");
    let quarantine =
        Quarantine::open(&reading).map_err(|error| StartError::File(reading.display().to_string(), error))?;
    let clock = SteadyClock::after(store.was_there().await?);
    let engine = Engine::with(store, Arc::new(Drawer), Arc::new(clock), quarantine);
    engine.be_present().await?;
    let stand_ins = match &outside_world {
        Some((pages, chat)) => Some(StandIns {
            pages: pages.local_addr().map_err(StartError::Server)?,
            chat: chat.local_addr().map_err(StartError::Server)?,
        }),
        None => None,
    };
    let wirings = if options.demo {
        demo::load(&engine, &options.data, &base_url, stand_ins, options.demo_days).await?
    } else {
        None
    };

    let outside = Outside { allow_private: options.allow_private_addresses };
    let proxies = Proxies { trusted: options.trusted_proxies, header: options.proxy_header };
    let config = Config {
        base_url: base_url.clone(),
        base_url_stated,
        house_url: house_url.clone(),
        text_folder: options.text_folder.clone().unwrap_or_else(|| options.data.join("texts")),
        upload_folder: options.data.join("uploads"),
        least_free: options.least_free_mb.saturating_mul(1024 * 1024),
        feed_rate: options.feed_rate,
        outside,
        proxies,
    };
    let feeds = tokio::spawn(tally_feeds::run::keep(engine.clone(), outside));
    let schedules = tokio::spawn(tally_feeds::run::keep_schedules(engine.clone(), outside));
    let calls = tokio::spawn(tally_feeds::calls::make(engine.clone(), outside));
    let app = App::new(engine.clone(), config, &session_key(&options.data)?);
    // Printed, so that only whoever started the program can be the first to own it.
    let first_visit = if engine.store().has_owner().await? { None } else { Some(app.first_visit_url()) };
    let server = tally_web::run(listener, app).map_err(StartError::Server)?;
    let handle = server.handle();
    let mut servers = tokio::task::JoinSet::new();
    servers.spawn(server);
    println!("Eager Tally: {base_url}");
    if let Some(house) = &house_url {
        println!("From another computer in your house: {house}");
    }
    if let Some(url) = first_visit {
        println!("First visit: {url}");
    }
    let mut handles = vec![handle];
    if let (Some((pages, chat)), Some(wirings)) = (outside_world, wirings) {
        let address = pages.local_addr().map_err(StartError::Server)?;
        let world = tally_standin::run(pages, chat, wirings).map_err(StartError::Server)?;
        handles.push(world.handle());
        servers.spawn(world);
        println!("Tip jar (stand-in): http://{address}");
        println!("Chat, numbers, rates, a game and scripted shows (stand-ins): http://{address}/world");
    }

    let mut lost = false;
    tokio::select! {
        _ = interrupt.recv() => {}
        () = held.lost() => lost = true,
        _ = terminate.recv() => {}
        Some(ended) = servers.join_next() => {
            if let Ok(Err(error)) = ended {
                return Err(StartError::Server(error));
            }
        }
    }
    for handle in handles {
        handle.stop(true).await;
    }
    feeds.abort();
    calls.abort();
    schedules.abort();
    engine.stop().await;
    if lost { Err(StartError::DatabaseLost) } else { Ok(()) }
}
