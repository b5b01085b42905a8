//! Demos: programs that ship with Wendax.

use crate::cli::Look;
use crate::{Failure, bench, files};
use std::path::{Path, PathBuf};

/// A program of our own railway yard.
struct Demo {
    name: &'static str,
    /// The file or folder the bench is opened on.
    opens: &'static str,
    /// Paths and texts.
    files: &'static [(&'static str, &'static str)],
}

macro_rules! files {
    ($folder:literal: $($path:literal),*) => {
        &[$(($path, include_str!(concat!("../../../demos/", $folder, "/", $path)))),*]
    };
}

const DEMOS: [Demo; 3] = [
    Demo { name: "first", opens: "first.asm", files: files!("first": "first.asm") },
    Demo { name: "weighbridge", opens: "weighbridge.asm", files: files!("weighbridge": "weighbridge.asm") },
    Demo {
        name: "manifest",
        opens: "",
        files: files!("manifest": "wendax.toml", "src/main.asm", "src/wagon.inc", "src/frames.inc", "src/wagons.asm",
            "src/totals.asm", "src/report.asm", "lib/print.asm", "files/list.txt", "README.md"),
    },
];

/// Opens the bench on a copy of a demo.
pub(crate) fn open(name: Option<&str>, look: Option<Look>) -> Result<u8, Failure> {
    let name = name.unwrap_or("weighbridge");
    let Some(demo) = DEMOS.iter().find(|demo| demo.name == name) else {
        let all: Vec<&str> = DEMOS.iter().map(|demo| demo.name).collect();
        return Err(Failure::usage(format!("there is no demo `{name}`; there are: {}", all.join(", "))));
    };
    bench::open(Some(&copy(demo)?.join(demo.opens)), bench::Given::default(), look)
}

/// A copy that holds the demo as it ships: the one there is, or a new one beside those that were changed.
fn copy(demo: &Demo) -> Result<PathBuf, Failure> {
    let base = crate::recovery::folder().ok_or_else(|| Failure::usage("no folder for demos: set HOME"))?.join("demos");
    for number in 1u32.. {
        let folder = if number == 1 { base.join(demo.name) } else { base.join(format!("{}-{number}", demo.name)) };
        if !folder.exists() {
            write(demo, &folder)?;
            return Ok(folder);
        }
        let is_as_shipped = |(path, text): &(&str, &str)| {
            let place = folder.join(path);
            std::fs::read_to_string(&place).is_ok_and(|now| now == *text) && !crate::recovery::exists(&place)
        };
        // The first steps change their program, and go on in it the next time.
        if demo.name == "first" || demo.files.iter().all(is_as_shipped) {
            return Ok(folder);
        }
    }
    Err(Failure::usage("no room for another copy of the demo"))
}

fn write(demo: &Demo, folder: &Path) -> Result<(), Failure> {
    for (path, text) in demo.files {
        let place = folder.join(path);
        let tell = |error: std::io::Error| Failure::usage(format!("{}: {}", place.display(), files::plain(&error)));
        if let Some(parent) = place.parent() {
            std::fs::create_dir_all(parent).map_err(tell)?;
        }
        files::write(&place, text.as_bytes()).map_err(tell)?;
    }
    Ok(())
}
