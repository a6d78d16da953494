//! The table, and the machine on which it was made.

use std::fmt::Write;
use std::time::Duration;

/// One line: what was measured, the figure, beside what, and what was aimed at.
struct Line {
    what: String,
    figure: String,
    beside: String,
    aim: String,
}

#[derive(Default)]
pub struct Report {
    lines: Vec<Line>,
}

impl Report {
    pub fn add(&mut self, what: &str, figure: String, beside: String, aim: &str) {
        eprintln!("{what}: {figure} ({beside})");
        self.lines.push(Line { what: what.into(), figure, beside, aim: aim.into() });
    }

    fn table(&self) -> String {
        let mut table = String::from("| measured | figure | beside | aim |\n|---|---|---|---|\n");
        for Line { what, figure, beside, aim } in &self.lines {
            writeln!(table, "| {what} | {figure} | {beside} | {aim} |").unwrap();
        }
        table
    }

    pub fn print(&self) {
        println!("\n{}", self.table());
    }

    pub fn write(&self) {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/bench.md");
        let page = format!(
            "# The load bench\n\nMade by `./bench` on {}, on {}. The client, the browser, the server and MariaDB share the machine.\n\n{}\n{}",
            chrono::Utc::now().format("%-d %B %Y"),
            machine(),
            self.table(),
            include_str!("method.md"),
        );
        std::fs::write(path, page).unwrap();
    }
}

fn machine() -> String {
    let read = |path| std::fs::read_to_string(path).unwrap_or_default();
    let (cpu, memory) = (read("/proc/cpuinfo"), read("/proc/meminfo"));
    let name = cpu.lines().find_map(|line| line.strip_prefix("model name")).unwrap_or(": an unnamed processor");
    let cores = cpu.lines().filter(|line| line.starts_with("processor")).count();
    let kilobytes: u64 =
        memory.lines().next().and_then(|line| line.split_whitespace().nth(1)?.parse().ok()).unwrap_or_default();
    format!("{cores} cores of {}, {} GB", name.trim_start_matches([' ', '\t', ':']), kilobytes / 1_000_000)
}

/// A percentile of durations, in milliseconds.
pub fn percentile(durations: &mut [Duration], percent: usize) -> f64 {
    durations.sort_unstable();
    let index = (durations.len() * percent / 100).min(durations.len().saturating_sub(1));
    durations.get(index).map_or(f64::NAN, |one| one.as_secs_f64() * 1_000.0)
}

/// The middle one of a few figures: one stalled round says nothing about the program.
pub fn median(mut figures: Vec<f64>) -> f64 {
    figures.sort_by(f64::total_cmp);
    figures.get(figures.len() / 2).copied().unwrap_or(f64::NAN)
}

/// The memory that a process holds, in bytes.
pub fn resident(process: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{process}/status")).unwrap();
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap();
    line.split_whitespace().next().unwrap().parse::<u64>().unwrap() * 1_024
}
