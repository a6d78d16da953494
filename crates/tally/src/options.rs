//! What can be said on the command line.

use clap::Parser;
use std::net::SocketAddr;
use std::path::PathBuf;

/// Live tracking widgets for people who broadcast.
#[derive(Debug, Clone, Parser)]
#[command(version)]
pub struct Options {
    /// Where to listen.
    #[arg(long, default_value = "127.0.0.1:8420")]
    pub listen: SocketAddr,
    /// The address at which browsers reach it, if that is another.
    #[arg(long)]
    pub base_url: Option<String>,
    /// The database: mysql://user@host:port/name, without the password.
    #[arg(long)]
    pub database: String,
    /// A file with the database's password.
    #[arg(long)]
    pub database_password_file: Option<PathBuf>,
    /// Where this program keeps what is not in the database: the key that signs sessions.
    #[arg(long, default_value = "var")]
    pub data: PathBuf,
    /// Load the demo channel if nobody owns this server yet, and write DATA/demo.json.
    #[arg(long)]
    pub demo: bool,
    /// Start the stand-ins too: the tip jar listens here and is wired to the demo's feed.
    #[arg(long, requires = "demo")]
    pub tip_jar: Option<SocketAddr>,
    /// Most requests a second to one feed.
    #[arg(long, default_value_t = 10_000)]
    pub feed_rate: u32,
}
