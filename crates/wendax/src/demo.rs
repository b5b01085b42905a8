//! Demos: sources that ship with the program.

use crate::cli::Look;
use crate::{Failure, bench, files};
use std::path::PathBuf;

/// Name and source of each demo.
const DEMOS: [(&str, &str); 1] = [("weighbridge", include_str!("../../../demos/weighbridge/weighbridge.asm"))];

/// Opens the bench on a copy of a demo.
pub(crate) fn open(name: Option<&str>, look: Look) -> Result<u8, Failure> {
    let name = name.unwrap_or(DEMOS[0].0);
    let Some((name, source)) = DEMOS.iter().find(|(known, _)| *known == name) else {
        let all: Vec<&str> = DEMOS.iter().map(|(known, _)| *known).collect();
        return Err(Failure::usage(format!("there is no demo `{name}`; there are: {}", all.join(", "))));
    };
    bench::open(Some(&copy(name, source)?), look)
}

/// A copy that holds the demo as it ships: the one there is, or a new one beside those that were changed.
fn copy(name: &str, source: &str) -> Result<PathBuf, Failure> {
    let base = crate::recovery::folder().ok_or_else(|| Failure::usage("no folder for demos: set HOME"))?.join("demos");
    for number in 1u32.. {
        let folder = if number == 1 { base.join(name) } else { base.join(format!("{name}-{number}")) };
        let path = folder.join(format!("{name}.asm"));
        let tell = |error: std::io::Error| Failure::usage(format!("{}: {}", path.display(), files::plain(&error)));
        match std::fs::read_to_string(&path) {
            Ok(text) if text == source && !crate::recovery::exists(&path) => return Ok(path),
            Ok(_) => {}
            Err(_) if path.exists() => {}
            Err(_) => {
                std::fs::create_dir_all(&folder).map_err(tell)?;
                files::write(&path, source.as_bytes()).map_err(tell)?;
                return Ok(path);
            }
        }
    }
    Err(Failure::usage("no room for another copy of the demo"))
}
