//! Demos: programs that ship with Wendax, each with a page that says what to try.

use crate::cli::Look;
use crate::files::print;
use crate::{Failure, bench, files};
use std::io::{BufRead, IsTerminal};
use std::path::{Path, PathBuf};

/// A program of our own railway yard.
struct Demo {
    name: &'static str,
    /// What it is about, in a line.
    about: &'static str,
    /// The file or folder the bench is opened on; nothing when it is several programs, of which one is chosen.
    opens: Option<&'static str>,
    /// What to try, in Markdown.
    page: &'static str,
    /// Paths and what lies there.
    files: &'static [(&'static str, &'static [u8])],
}

macro_rules! files {
    ($folder:literal: $($path:literal),*) => {
        &[$(($path, include_bytes!(concat!("../../../demos/", $folder, "/", $path)) as &[u8])),*]
    };
}

const DEMOS: [Demo; 9] = [
    Demo {
        name: "first",
        about: "the first steps of someone new, shown as they are taken",
        opens: Some("first.asm"),
        page: "",
        files: files!("first": "first.asm", "first.exercise.toml"),
    },
    Demo {
        name: "weighbridge",
        about: "the first walk: typed input, an array, a routine, flags",
        opens: Some("weighbridge.asm"),
        page: include_str!("../../../demos/weighbridge/README.md"),
        files: files!("weighbridge": "weighbridge.asm", "weighbridge.trials.toml", "README.md"),
    },
    Demo {
        name: "sidings",
        about: "two ways to sort a train, chosen by an argument",
        opens: Some(""),
        page: include_str!("../../../demos/sidings/README.md"),
        files: files!("sidings": "wendax.toml", "sidings.asm", "sidings.trials.toml", "README.md"),
    },
    Demo {
        name: "signals",
        about: "levers, lamps, digits, a timer, and interrupts",
        opens: Some("signals.asm"),
        page: include_str!("../../../demos/signals/README.md"),
        files: files!("signals": "signals.asm", "signals.trials.toml", "README.md"),
    },
    Demo {
        name: "manifest",
        about: "several sources, macros, a library, files read and written",
        opens: Some(""),
        page: include_str!("../../../demos/manifest/README.md"),
        files: files!("manifest": "wendax.toml", "src/main.asm", "src/wagon.inc", "src/frames.inc", "src/wagons.asm",
            "src/totals.asm", "src/report.asm", "lib/print.asm", "files/list.txt", "README.md"),
    },
    Demo {
        name: "axles",
        about: "the first walk on the other machine, RV32: an array, routines that call routines",
        opens: Some("axles.asm"),
        page: include_str!("../../../demos/axles/README.md"),
        files: files!("axles": "axles.asm", "axles.exercise.toml", "axles.trials.toml", "README.md"),
    },
    Demo {
        name: "crossing",
        about: "levers, lamps, a timer and interrupts on RV32",
        opens: Some("crossing.asm"),
        page: include_str!("../../../demos/crossing/README.md"),
        files: files!("crossing": "crossing.asm", "README.md"),
    },
    Demo {
        name: "compiled",
        about: "a program that a compiler made for the other machine, RV32, walked by its lines",
        opens: Some("marshal.elf"),
        page: include_str!("../../../demos/compiled/README.md"),
        files: files!("compiled": "marshal.elf", "marshal.c", "host.h", "yard.elf", "yard.rs", "make.sh", "README.md"),
    },
    Demo {
        name: "derailed",
        about: "twenty-four small programs that go wrong, each in one way",
        opens: None,
        page: include_str!("../../../demos/derailed/README.md"),
        files: files!("derailed": "pops.asm", "counter.asm", "kept.asm", "signed.asm", "edge.asm", "nul.asm", "buffer.asm",
            "carry.asm", "stack.asm", "past.asm", "flags.asm", "handler.asm", "leaf.asm", "again.asm", "README.md", "unset.asm", "name.asm", "empty.asm", "round.asm", "deaf.asm", "key.asm", "slip.asm", "tail.asm", "cold.asm", "wide.asm", "derailed.trials.toml"),
    },
];

/// The demo that is meant when only Enter is pressed.
const USUAL: &str = "weighbridge";

/// Opens the bench on a copy of a demo; without a name lists them, and asks for one in a terminal.
pub(crate) fn open(name: Option<&str>, is_fresh: bool, look: Option<Look>) -> Result<u8, Failure> {
    let name = match name {
        Some(name) => name.to_owned(),
        None => match choose(&list(), USUAL)? {
            Some(name) => name,
            None => return Ok(0),
        },
    };
    let (name, program) = name.split_once('/').map_or((name.as_str(), None), |(name, program)| (name, Some(program)));
    let Some(demo) = DEMOS.iter().find(|demo| demo.name == name) else {
        let all: Vec<&str> = DEMOS.iter().map(|demo| demo.name).collect();
        return Err(Failure::usage(format!("there is no demo `{name}`; there are: {}", all.join(", "))));
    };
    let opens = match (demo.opens, program) {
        (Some(opens), None) => opens.to_owned(),
        (None, Some(program)) => format!("{program}.asm"),
        (None, None) => match choose(&programs(demo), "pops")? {
            Some(program) => format!("{}.asm", program.rsplit('/').next().unwrap_or_default()),
            None => return Ok(0),
        },
        (Some(_), Some(_)) => return Err(Failure::usage(format!("the demo `{name}` is one program; name it alone"))),
    };
    if demo.opens.is_none() && !demo.files.iter().any(|(path, _)| *path == opens) {
        let all: Vec<String> = programs(demo).into_iter().map(|(name, _)| name).collect();
        return Err(Failure::usage(format!("there is no such program; there are: {}", all.join(", "))));
    }
    let given = bench::Given { page: Some(demo.page).filter(|page| !page.is_empty()), ..bench::Given::default() };
    bench::open(Some(&copy(demo, is_fresh)?.join(opens)), given, look)
}

/// All of them, each with what it is about.
pub(crate) fn list() -> Vec<(String, String)> {
    DEMOS.iter().map(|demo| (demo.name.to_owned(), demo.about.to_owned())).collect()
}

/// The programs of a demo that is several, each with the first sentence of what it says of itself.
fn programs(demo: &Demo) -> Vec<(String, String)> {
    let sources = demo.files.iter().filter_map(|(path, text)| Some((path.strip_suffix(".asm")?, text)));
    let about = |text: &[u8]| {
        let text = String::from_utf8_lossy(text);
        let words: Vec<&str> = text.lines().map_while(|line| line.strip_prefix("; ")).collect();
        let words = words.join(" ");
        match words.split_once(". ") {
            Some((sentence, _)) => format!("{sentence}."),
            None => words,
        }
    };
    sources.map(|(name, text)| (format!("{}/{name}", demo.name), about(text))).collect()
}

/// Lists names with what they are; in a terminal one is asked for, by name or number.
fn choose(list: &[(String, String)], usual: &str) -> Result<Option<String>, Failure> {
    let mut text = String::new();
    for (number, (name, about)) in (1..).zip(list) {
        // What is longer than a usual line goes on below itself.
        for (at, line) in textwrap::wrap(about, 80 - 24).into_iter().enumerate() {
            let head = if at == 0 { format!("{number:>3}  {name:<18}") } else { " ".repeat(23) };
            text.push_str(&format!("{head} {line}\n"));
        }
    }
    print(text.as_bytes())?;
    if !std::io::stdin().is_terminal() || !std::io::stdout().is_terminal() {
        return Ok(None);
    }
    loop {
        print(format!("Which one? A name or number, Enter for {usual}: ").as_bytes())?;
        let mut line = String::new();
        if std::io::stdin().lock().read_line(&mut line).unwrap_or(0) == 0 {
            return Ok(None);
        }
        let word = line.trim();
        let is_meant = |name: &str| name == word || name.rsplit('/').next() == Some(word);
        let by_number = word.parse::<usize>().ok().and_then(|number| list.get(number.checked_sub(1)?));
        let found = if word.is_empty() {
            list.iter().find(|(name, _)| name.ends_with(usual))
        } else {
            by_number.or_else(|| list.iter().find(|(name, _)| is_meant(name)))
        };
        match found {
            Some((name, _)) => return Ok(Some(name.clone())),
            None => print(b"There is none of that name or number.\n")?,
        }
    }
}

/// A copy that holds the demo as it ships: the one there is, or a new one beside those that were changed.
fn copy(demo: &Demo, is_fresh: bool) -> Result<PathBuf, Failure> {
    let base = crate::recovery::folder().ok_or_else(|| Failure::usage("no folder for demos: set HOME"))?.join("demos");
    for number in 1u32.. {
        let folder = if number == 1 { base.join(demo.name) } else { base.join(format!("{}-{number}", demo.name)) };
        if !folder.exists() {
            write(demo, &folder)?;
            return Ok(folder);
        }
        let is_as_shipped = |(path, bytes): &(&str, &[u8])| {
            let place = folder.join(path);
            std::fs::read(&place).is_ok_and(|now| now == *bytes) && !crate::recovery::exists(&place)
        };
        // The first steps change their program, and go on in it the next time.
        if demo.name == "first" && !is_fresh || demo.files.iter().all(is_as_shipped) {
            return Ok(folder);
        }
    }
    Err(Failure::usage("no room for another copy of the demo"))
}

fn write(demo: &Demo, folder: &Path) -> Result<(), Failure> {
    for (path, bytes) in demo.files {
        let place = folder.join(path);
        let tell = |error: std::io::Error| Failure::usage(format!("{}: {}", place.display(), files::plain(&error)));
        if let Some(parent) = place.parent() {
            std::fs::create_dir_all(parent).map_err(tell)?;
        }
        files::write(&place, bytes).map_err(tell)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// All that lies in the folder of a demo ships with it.
    #[test]
    fn demos_ship_whole() {
        for demo in &DEMOS {
            let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demos").join(demo.name);
            let mut left: Vec<String> = demo.files.iter().map(|(path, _)| (*path).to_owned()).collect();
            let mut folders = vec![root.clone()];
            while let Some(folder) = folders.pop() {
                for entry in std::fs::read_dir(&folder).unwrap().map(Result::unwrap) {
                    if entry.path().is_dir() {
                        folders.push(entry.path());
                        continue;
                    }
                    let path = entry.path().strip_prefix(&root).unwrap().display().to_string();
                    assert!(left.contains(&path), "{}/{path} does not ship", demo.name);
                    left.retain(|known| *known != path);
                }
            }
            assert!(left.is_empty(), "{left:?}");
        }
    }
}
