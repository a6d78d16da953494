//! The order of the house: the core's floors, and no circles in the web crate.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// The core's floors, from the ground. Each imports only from itself and from those before it.
const FLOORS: [&str; 15] = [
    "time", "money", "language", "template", "sentence", "record", "book", "count", "lines", "look", "overlay",
    "widgets", "cues", "bot", "channel",
];

/// The sources under a folder of a crate, by their module path (`widgets::goal::view`), without tests.
fn sources(krate: &str) -> BTreeMap<String, String> {
    fn gather(folder: &Path, module: &str, into: &mut BTreeMap<String, String>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            let name = path.file_stem().unwrap().to_str().unwrap();
            let own = [module, name].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join("::");
            if path.is_dir() {
                gather(&path, &own, into);
            } else if path.extension().is_some_and(|one| one == "rs") && name != "tests" {
                let text = std::fs::read_to_string(&path).unwrap();
                let text = text.split("#[cfg(test)]\nmod tests {").next().unwrap().to_owned();
                into.insert(if name == "mod" { module.to_owned() } else { own }, text);
            }
        }
    }
    let mut all = BTreeMap::new();
    gather(&Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(krate).join("src"), "", &mut all);
    assert!(all.len() > 10, "the sources of {krate} are there");
    all
}

/// The modules that a source names from its crate's root on: `crate::a::b` and `crate::{a, b}`.
fn named(text: &str) -> BTreeSet<String> {
    let lines = text.lines().filter(|line| !line.trim_start().starts_with("//"));
    let text = lines.collect::<Vec<_>>().join("\n");
    let mut all = BTreeSet::new();
    for rest in text.split("crate::").skip(1) {
        let end = rest.find(|one: char| !(one.is_alphanumeric() || one == '_' || one == ':')).unwrap_or(rest.len());
        match rest.strip_prefix('{') {
            Some(list) => {
                let list = list.split(['}', ';']).next().unwrap();
                all.extend(list.split(',').map(|one| one.trim().trim_end_matches("::{").to_owned()));
            }
            None => {
                all.insert(rest[..end].trim_end_matches(':').to_owned());
                // What is named in braces may be a module too.
                if let Some(list) = rest[end..].strip_prefix('{') {
                    let items = list.split(['}', ';']).next().unwrap().split(',').map(str::trim);
                    all.extend(items.map(|item| format!("{}{item}", &rest[..end])));
                }
            }
        }
    }
    all
}

#[test]
fn no_arrow_in_the_core_goes_up() {
    let height = |floor: &str| FLOORS.iter().position(|one| *one == floor);
    let mut wrong = Vec::new();
    for (module, text) in sources("core") {
        // The root says which modules there are; what tests share stands beside the house.
        if module == "lib" || module == "fixtures" {
            continue;
        }
        let floor = module.split("::").next().unwrap();
        let own = height(floor).unwrap_or_else(|| panic!("{floor} is no floor of the core; give it a place in FLOORS"));
        for name in named(&text) {
            let other = name.split("::").next().unwrap();
            if height(other).is_none_or(|other| other > own) {
                wrong.push(format!("{module} imports {name}"));
            }
        }
    }
    assert!(wrong.is_empty(), "arrows go down only: {wrong:#?}");
    // The map shows the same floors, the highest first.
    let map = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../ARCHITECTURE.md")).unwrap();
    let shown = map.split("## The core's floors").nth(1).expect("the map has the floors").split("```").nth(1).unwrap();
    let shown: Vec<&str> = shown.lines().filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(shown, FLOORS.iter().rev().copied().collect::<Vec<_>>());
}

#[test]
fn no_file_of_the_web_crate_imports_itself_by_way_of_others() {
    let sources = sources("web");
    // The file in which a path lies: its longest beginning that is a file.
    let file = |path: &str| {
        let parts: Vec<&str> = path.split("::").collect();
        (1..=parts.len()).rev().map(|count| parts[..count].join("::")).find(|own| sources.contains_key(own))
    };
    let arrows: BTreeMap<&str, BTreeSet<String>> = sources
        .iter()
        .map(|(module, text)| {
            let to = named(text).iter().filter_map(|path| file(path)).filter(|other| other != module).collect();
            (module.as_str(), to)
        })
        .collect();
    let reached = |from: &str| {
        let (mut seen, mut next) = (BTreeSet::new(), vec![from.to_owned()]);
        while let Some(one) = next.pop() {
            next.extend(arrows[one.as_str()].iter().filter(|other| seen.insert((*other).clone())).cloned());
        }
        seen
    };
    let circle: Vec<&&str> = arrows.keys().filter(|one| reached(one).contains(**one)).collect();
    assert!(circle.is_empty(), "these form a circle: {circle:#?}");
}

#[test]
fn no_line_of_a_template_is_longer_than_a_screen_is_wide() {
    fn look(folder: &Path, long: &mut Vec<String>) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                look(&path, long);
                continue;
            }
            let text = std::fs::read_to_string(&path).unwrap();
            let lines = text.lines().enumerate().filter(|(_, line)| line.chars().count() > 120);
            long.extend(lines.map(|(number, _)| format!("{}:{}", path.display(), number + 1)));
        }
    }
    let mut long = Vec::new();
    for krate in ["web", "standin"] {
        look(&Path::new(env!("CARGO_MANIFEST_DIR")).join("..").join(krate).join("templates"), &mut long);
    }
    assert!(long.is_empty(), "break these so that the drawing can be seen in its markup: {long:#?}");
}

/// An `async fn` is compiled anew in each crate that calls it, with all that it calls. Of the store that is every query, and of
/// the engine a channel's whole task, which once was most of the first start.
#[test]
fn what_is_asked_of_the_store_is_compiled_once() {
    for (module, text) in sources("store") {
        // Handing lines in is a queue, and no query.
        let waits = text.lines().filter(|line| line.trim_start().starts_with("pub async fn"));
        let waits: Vec<&str> = waits.filter(|line| !line.contains("async fn append(")).collect();
        assert!(waits.is_empty(), "{module}: give it the type Work, and no async: {waits:#?}");
    }
    let engine = sources("engine");
    for (module, name) in [("task", "load"), ("task::supervise", "rehearse")] {
        assert!(engine[module].contains(&format!("fn {name}(")), "{module} has {name}");
        assert!(!engine[module].contains(&format!("async fn {name}(")), "{module}: box what {name} gives");
    }
}
