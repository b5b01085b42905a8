//! `wendax new`: a project that runs at once.

use crate::{Failure, files};
use std::path::{Path, PathBuf};
use wendax_isa::Target;
use wendax_project::{NAME, starting_files};

pub(crate) fn new(folder: &Path, target: Option<&'static Target>) -> Result<u8, Failure> {
    let mut out = String::new();
    for place in make(folder, target.unwrap_or(wendax_project::default_target()))? {
        out.push_str(&format!("{}\n", place.display()));
    }
    // As it can be typed again.
    let place = folder.to_string_lossy();
    let place = if place.starts_with('-') { format!("./{place}") } else { place.into_owned() };
    let place = shlex::try_quote(&place).map_or_else(|_| place.clone(), std::borrow::Cow::into_owned);
    out.push_str(&format!("\n{NAME} says what makes the program. Next:\n  wendax {place}        opens it\n  wendax run {place}    runs it\n"));
    files::write_to(Path::new("-"), out.as_bytes())?;
    Ok(0)
}

/// Makes a project; returns its files.
pub(crate) fn make(folder: &Path, target: &Target) -> Result<Vec<PathBuf>, Failure> {
    let tell =
        |place: &Path, error: &std::io::Error| Failure::usage(format!("{}: {}", place.display(), files::plain(error)));
    if std::fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_some()) {
        let text = format!("{}: this folder is not empty; a new project needs one of its own", folder.display());
        return Err(Failure::usage(text));
    }
    if folder.exists() && !folder.is_dir() {
        let text = format!("{}: this is a file; a new project needs a folder of its own", folder.display());
        return Err(Failure::usage(text));
    }
    let whole = std::path::absolute(folder).map_err(|error| tell(folder, &error))?;
    let name = whole.file_name().map_or_else(|| "program".to_owned(), |name| name.to_string_lossy().into_owned());
    let mut made = Vec::new();
    for (path, text) in starting_files(&name, target) {
        let place = folder.join(&path);
        if let Some(parent) = place.parent() {
            std::fs::create_dir_all(parent).map_err(|error| tell(parent, &error))?;
        }
        files::write(&place, text.as_bytes()).map_err(|error| tell(&place, &error))?;
        made.push(place);
    }
    Ok(made)
}
