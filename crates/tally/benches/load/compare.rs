//! Another commit's program beside ours, by turns, so that a loss is seen in the commit that brings it.

use crate::report::median;
use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Stdio};

/// How often each of the two has its turn.
const TURNS: usize = 3;

/// What a table says: each line's figure as a number, by what was measured.
fn figures(parts: &[String], program: Option<&Path>) -> BTreeMap<String, f64> {
    let mut bench = Command::new(std::env::current_exe().unwrap());
    bench.args(parts).stdout(Stdio::piped());
    if let Some(program) = program {
        bench.env(crate::kit::program::PROGRAM, program);
    }
    let told = bench.output().unwrap();
    assert!(told.status.success(), "a turn failed");
    let table = String::from_utf8(told.stdout).unwrap();
    let line = |line: &str| {
        let mut columns = line.split('|').map(str::trim).skip(1);
        let (what, figure) = (columns.next()?, columns.next()?);
        let number = figure.split([' ', '%']).next()?.parse().ok()?;
        Some((what.to_owned(), number))
    };
    table.lines().filter_map(line).collect()
}

/// Measures parts of the bench that drive the program with ours and with another, by turns, and prints the ratios.
pub fn by_turns(program: &Path, parts: &[String]) {
    let (mut ours, mut theirs) = (BTreeMap::<String, Vec<f64>>::new(), BTreeMap::<String, Vec<f64>>::new());
    for _ in 0..TURNS {
        for (of, program) in [(&mut theirs, Some(program)), (&mut ours, None)] {
            for (what, figure) in figures(parts, program) {
                of.entry(what).or_default().push(figure);
            }
        }
    }
    println!("\n| measured | the other | this one | ratio |\n|---|---|---|---|");
    for (what, figures) in ours {
        let (mine, other) = (median(figures), median(theirs.remove(&what).unwrap_or_default()));
        println!("| {what} | {other} | {mine} | {:.2} |", mine / other);
    }
}
