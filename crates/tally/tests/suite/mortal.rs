//! A whole program whose channels' tasks end when they are told to, in a process of its own. The hostile
//! corner starts it; the program that is shipped has no such door.

use crate::kit::hostile::{AT, DATABASE, FATE};
use crate::kit::inside::{engine, serve};
use std::path::PathBuf;
use std::sync::Arc;
use tally_core::time::Instant;
use tally_engine::{Clock, SystemClock};

/// Ends whichever task of an engine asks for the time while a file is there; each file ends one.
struct Fate(PathBuf);

impl Clock for Fate {
    fn now(&self) -> Instant {
        // The web's handlers ask too; they run on threads that are called otherwise.
        let in_engine = std::thread::current().name().is_some_and(|name| name.starts_with("tokio"));
        assert!(!in_engine || std::fs::remove_file(&self.0).is_err(), "a fault that nobody has found yet");
        SystemClock.now()
    }
}

#[tokio::test(flavor = "multi_thread")]
#[ignore = "the hostile corner runs it as a program"]
async fn run() {
    let told = |name: &str| std::env::var(name).unwrap();
    tracing_subscriber::fmt().with_ansi(false).with_writer(std::io::stderr).init();
    let engine = engine(&told(DATABASE), Arc::new(Fate(told(FATE).into())));
    serve(engine, &told(AT)).await.unwrap();
}
