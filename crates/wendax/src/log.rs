//! The log: what the tool did, for a report of trouble. Nothing is written unless `--log` asks for it; texts of programs
//! and what is typed to them are never in it.

use crate::{Failure, files};
use std::io::Read;
use std::path::Path;
use std::path::PathBuf;
use std::sync::{Mutex, OnceLock};

static PLACE: OnceLock<PathBuf> = OnceLock::new();

/// From now on what is done is written to a file.
pub(crate) fn begin(path: &Path) -> Result<(), Failure> {
    let tell = |why: String| Failure::usage(format!("--log {}: {why}", path.display()));
    if path.exists() && !path.is_file() {
        return Err(tell("this is no plain file; name one".to_owned()));
    }
    // The first line tells.
    let mut bytes = Vec::new();
    let first = std::fs::File::open(path).and_then(|file| file.take(4096).read_to_end(&mut bytes));
    if first.is_ok() && !bytes.is_empty() && !is_log(&bytes) {
        return Err(tell("this is there already, and no log; name another file".to_owned()));
    }
    if path.as_os_str() == "-" {
        return Err(tell("the log goes to a file; name one".to_owned()));
    }
    let _ = PLACE.set(path.to_owned());
    let file = std::fs::File::create(path).map_err(|error| tell(files::plain(&error)))?;
    let log = tracing_subscriber::fmt().with_writer(Mutex::new(file)).with_ansi(false).with_target(false);
    let log = log.with_max_level(tracing::Level::DEBUG).finish();
    tracing::subscriber::set_global_default(log).map_err(|error| tell(error.to_string()))
}

/// Where it goes, when there is one.
pub(crate) fn place() -> Option<PathBuf> {
    PLACE.get().cloned()
}

/// The first line of a log has a level and says that something begins.
fn is_log(bytes: &[u8]) -> bool {
    let first = bytes.split(|&byte| byte == b'\n').next().unwrap_or_default();
    String::from_utf8_lossy(first).contains(" INFO begins")
}
