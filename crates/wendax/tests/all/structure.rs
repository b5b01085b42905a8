//! What `architecture` promises of the crates: which knows nothing of which, and where W16 stays.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().expect("crates lie in a folder").to_owned()
}

fn sources(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path()) {
        if entry.is_dir() {
            found.extend(sources(&entry));
        } else if entry.extension().is_some_and(|extension| extension == "rs") {
            found.push(entry);
        }
    }
    found
}

/// The crates a manifest depends on outside its tests.
fn dependencies(name: &str) -> Vec<String> {
    let text = std::fs::read_to_string(crates().join(name).join("Cargo.toml")).expect("a manifest");
    let part = text.split("[dependencies]").nth(1).expect("dependencies").split('[').next().unwrap_or_default();
    part.lines()
        .filter_map(|line| line.split('.').next())
        .filter(|name| name.starts_with("wendax"))
        .map(str::to_owned)
        .collect()
}

#[test]
fn nothing_points_back_along_the_way_of_the_data() {
    let order = [
        "wendax-source",
        "wendax-isa",
        "wendax-image",
        "wendax-language",
        "wendax-asm",
        "wendax-machine",
        "wendax-project",
        "wendax-board",
        "wendax-session",
        "wendax-trials",
        "wendax-draw",
        "wendax-tui",
        "wendax",
    ];
    for (at, name) in order.iter().enumerate() {
        for needed in dependencies(name) {
            let place = order.iter().position(|known| *known == needed).expect("a crate of ours");
            assert!(place < at, "{name} needs {needed}, which comes behind it");
        }
    }
    let needed = dependencies("wendax-machine");
    assert!(!needed.contains(&"wendax-asm".to_owned()), "the machine runs programs, and knows no syntax: {needed:?}");
    // Questions about a run are asked in the language of its sources, and it does not matter there how those are assembled.
    for name in ["wendax-session", "wendax-trials", "wendax-draw"] {
        let needed = dependencies(name);
        assert!(!needed.contains(&"wendax-asm".to_owned()), "{name} asks values, and assembles nothing: {needed:?}");
    }
    assert!(dependencies("wendax-session").contains(&"wendax-language".to_owned()));
}

#[test]
fn right_of_the_machine_only_the_account_knows_an_instruction_set() {
    for name in ["wendax-session", "wendax-draw", "wendax-tui", "wendax"] {
        for path in sources(&crates().join(name).join("src")) {
            let shown = path.display().to_string();
            if shown.contains("/explain.rs") || shown.contains("/explain/") {
                continue;
            }
            let text = std::fs::read_to_string(&path).expect("a source");
            let text = text.split("#[cfg(test)]").next().unwrap_or_default();
            for machine in ["w16", "rv32"] {
                assert!(!text.contains(machine), "{shown} names {machine}; what it needs belongs into `Target`");
            }
            for number in ["FE00", "EE00", "FF00", "0xFFFF", "& !1"] {
                let found = text.lines().find(|line| line.contains(number) && !line.trim_start().starts_with("//"));
                assert!(found.is_none(), "{shown}: {number} is a fact about a machine: {found:?}");
            }
        }
    }
}

/// The names that a source takes from other files of its crate, each with the words of its path.
fn taken(text: &str) -> Vec<(Vec<&str>, &str)> {
    let is_name = |sign: char| sign.is_alphanumeric() || sign == '_';
    let mut taken = Vec::new();
    for root in ["crate::", "super::"] {
        for (at, _) in
            text.match_indices(root).filter(|(at, _)| !text[..*at].ends_with(|sign| is_name(sign) || sign == ':'))
        {
            let mut rest = &text[at..];
            let mut path = Vec::new();
            while let Some(end) = rest.find(|sign| !is_name(sign))
                && rest[end..].starts_with("::")
            {
                path.push(&rest[..end]);
                rest = &rest[end + 2..];
            }
            let names = match rest.strip_prefix('{') {
                Some(list) => list.split('}').next().unwrap_or_default(),
                None => &rest[..rest.find(|sign| !is_name(sign)).unwrap_or(rest.len())],
            };
            taken.extend(
                names.split(|sign| !is_name(sign)).filter(|name| !name.is_empty()).map(|name| (path.clone(), name)),
            );
        }
    }
    taken
}

/// A circle of files of a crate, or what needs one; empty when there is none. The first name is to need the second.
fn circle(name: &str, (user, used): (&str, &str)) -> BTreeMap<String, BTreeSet<String>> {
    let root = crates().join(name).join("src");
    let code = |path: &Path| {
        let text = std::fs::read_to_string(path).expect("a source");
        let text = text.split("#[cfg(test)]\nmod ").next().unwrap_or_default();
        text.lines().map(|line| line.split("//").next().unwrap_or_default()).collect::<Vec<_>>().join("\n")
    };
    let files: BTreeMap<String, String> = sources(&root)
        .iter()
        .map(|path| (path.strip_prefix(&root).expect("below it").with_extension("").display().to_string(), code(path)))
        .filter(|(name, _)| name != "lib")
        .collect();
    let mut defined: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for (file, text) in &files {
        for line in text.lines().map(str::trim_start).filter(|line| line.starts_with("pub")) {
            let mut words = line.split([' ', '(', '<', ':', '{', ';']).filter(|word| !word.is_empty());
            let kinds = ["struct", "enum", "fn", "trait", "const", "type"];
            if words.any(|word| kinds.contains(&word))
                && let Some(name) = words.next()
            {
                defined.entry(name).or_default().push(file);
            }
        }
    }
    let mut needs: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    for (file, text) in &files {
        for (path, name) in taken(text) {
            // A name that several files have is that of the folder it is taken from.
            let folder = match path.as_slice() {
                ["crate", folder, ..] => folder,
                _ => file.split('/').next().unwrap_or_default(),
            };
            let there = defined.get(name).into_iter().flatten().filter(|other| **other != file);
            let near = there.clone().find(|other| other.split('/').next() == Some(folder));
            needs.entry(file).or_default().extend(near.or(there.clone().next()));
        }
    }
    assert!(needs[user].contains(used), "{needs:#?}");
    // What needs nothing that is left goes, until nothing is left but circles.
    while let Some(free) =
        needs.iter().find(|(_, of)| of.iter().all(|of| !needs.contains_key(of))).map(|(file, _)| *file)
    {
        needs.remove(free);
    }
    let owned = |(file, of): (&str, BTreeSet<&str>)| (file.to_owned(), of.into_iter().map(str::to_owned).collect());
    needs.into_iter().map(owned).collect()
}

#[test]
fn no_file_of_session_and_interface_needs_one_that_needs_it() {
    for (name, known) in [("wendax-session", ("commands", "session")), ("wendax-tui", ("update", "app"))] {
        let circle = circle(name, known);
        assert!(circle.is_empty(), "{name}: a circle, or what needs one: {circle:#?}");
    }
}

#[test]
fn each_machine_stays_in_the_module_of_its_name() {
    let machines = ["w16", "rv32"];
    for path in sources(&crates().join("wendax-machine").join("src")) {
        let shown = path.display().to_string();
        // The one place that hands on to each of them.
        if shown.ends_with("/lib.rs") || shown.ends_with("/src/machine.rs") {
            continue;
        }
        let text = std::fs::read_to_string(&path).expect("a source");
        for machine in machines.iter().filter(|machine| !shown.contains(&format!("/{machine}"))) {
            assert!(!text.contains(machine), "{shown} knows the instruction set {machine}");
        }
    }
}

#[test]
fn addresses_registers_and_steps_are_no_bare_numbers_at_the_borders() {
    let bare = |line: &str| {
        let line = line.trim_start();
        let names = ["address", "pc", "next", "step", "until", "register", "target", "start", "entry"];
        let numbers = ["u8", "u16", "u32", "u64", "usize"];
        let told = |name: &&str| numbers.iter().any(|number| line.contains(&format!("{name}: {number}")));
        line.starts_with("pub ") && names.iter().any(told)
    };
    for name in ["wendax-isa", "wendax-image", "wendax-machine", "wendax-session"] {
        for path in sources(&crates().join(name).join("src")) {
            let shown = path.display().to_string();
            // Inside, W16 reckons in its own words, and the files have numbers of their own.
            if shown.contains("wendax-isa/src/w16/") || shown.contains("/elf/") {
                continue;
            }
            let text = std::fs::read_to_string(&path).expect("a source");
            let found: Vec<&str> = text.lines().filter(|line| bare(line)).collect();
            assert!(found.is_empty(), "{shown}: {found:#?}");
        }
    }
}
