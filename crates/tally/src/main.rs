//! `tally`: the program.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used))]

use clap::Parser;
use std::process::ExitCode;
use std::time::Duration;
use tracing_subscriber::filter::Targets;
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;

mod client;
mod demo;
mod options;
mod serve;

/// Runs something to its end, on so many threads.
fn run<E: std::fmt::Display>(threads: usize, task: impl Future<Output = Result<(), E>>) -> ExitCode {
    let runtime = match tokio::runtime::Builder::new_multi_thread().worker_threads(threads).enable_all().build() {
        Ok(runtime) => runtime,
        Err(error) => {
            eprintln!("tally: no threads could be started: {error}");
            return ExitCode::FAILURE;
        }
    };
    let done = runtime.block_on(task);
    // What still waits for a database that does not answer is left behind.
    runtime.shutdown_timeout(Duration::from_secs(1));
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("tally: {error}");
            ExitCode::FAILURE
        }
    }
}

fn main() -> ExitCode {
    if let Some(asked) = client::asked() {
        return run(1, client::run(asked));
    }
    let options = options::Options::parse();
    // What is logged, such as `warn,tally=info`; a word that cannot be understood changes nothing.
    let asked = std::env::var("TALLY_LOG").ok().and_then(|wanted| wanted.parse::<Targets>().ok());
    let standard = Targets::new().with_default(tracing::Level::WARN).with_target("tally", tracing::Level::INFO);
    let lines = tracing_subscriber::fmt::layer().with_target(false).with_writer(std::io::stderr);
    tracing_subscriber::registry().with(lines).with(asked.unwrap_or(standard)).init();
    // As many connections as the machine allows: each page on air holds one.
    if let Err(error) = rlimit::increase_nofile_limit(u64::MAX) {
        tracing::warn!(%error, "the number of open files cannot be raised");
    }
    run(2, serve::serve(options))
}
