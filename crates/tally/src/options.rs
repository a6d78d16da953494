//! What can be said on the command line.

use clap::Parser;
use std::net::SocketAddr;
use std::path::PathBuf;

/// Live tracking widgets for people who broadcast. `tally list`, `press`, `watch`, `air`, `cover`, `cues` and `fire` ask a running one.
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
    /// Where text files of widgets are kept; in the folder texts beside what is kept otherwise.
    #[arg(long)]
    pub text_folder: Option<PathBuf>,
    /// Load the demo channel if nobody owns this server yet, and write DATA/demo.json.
    #[arg(long)]
    pub demo: bool,
    /// How many days back the demo's history reaches.
    #[arg(long, default_value_t = 365)]
    pub demo_days: u32,
    /// Start the stand-ins too: their pages listen here, the chat at the port after, and the demo's
    /// feeds are wired to them.
    #[arg(long, requires = "demo")]
    pub standins: Option<SocketAddr>,
    /// Let feeds reach this machine and its network too; needed for stand-ins, and for programs at home.
    #[arg(long)]
    pub allow_private_addresses: bool,
    /// The address of a proxy that is believed when it says whom it speaks for; may be given more than once.
    #[arg(long = "trust-proxy")]
    pub trusted_proxies: Vec<std::net::IpAddr>,
    /// The header in which such a proxy says so: a list of addresses, the nearest last.
    #[arg(long, default_value = "x-forwarded-for")]
    pub proxy_header: String,
    /// So many megabytes must be free on the disk of the data folder; with less, /readyz says so.
    #[arg(long, default_value_t = 200)]
    pub least_free_mb: u64,
    /// Most requests a second to one feed.
    #[arg(long, default_value_t = 10_000)]
    pub feed_rate: u32,
}
