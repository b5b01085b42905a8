//! Unsaved text, kept beside the saved: what a crash or a closed terminal leaves behind is found again at
//! the next start.

use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};
use wendax_tui::Kept as View;

/// Unsaved text of a file.
#[derive(Debug, Serialize, Deserialize)]
struct Kept {
    /// The file it belongs to.
    path: String,
    /// The process that wrote it.
    process: u32,
    text: String,
    /// What the file held then, as far as known.
    #[serde(default)]
    base: Option<String>,
}

/// Unsaved text that was found again.
pub(crate) struct Found {
    pub(crate) text: String,
    /// What the file held when it was kept.
    pub(crate) base: Option<String>,
}

/// Where Wendax keeps what is its own.
pub(crate) fn folder() -> Option<PathBuf> {
    directories::ProjectDirs::from("", "", "wendax").map(|folders| folders.data_local_dir().to_owned())
}

/// Where Wendax keeps how programs were looked at.
fn state_folder() -> Option<PathBuf> {
    let folders = directories::ProjectDirs::from("", "", "wendax")?;
    Some(folders.state_dir().unwrap_or(folders.data_local_dir()).to_owned())
}

/// How a program was looked at the last time.
pub(crate) fn kept_view(path: &Path) -> Option<View> {
    let json = std::fs::read(state_folder()?.join("programs").join(hashed(path)?)).ok()?;
    serde_json::from_slice(&json).ok()
}

/// Keeps how a program is looked at. Failing to is no reason to disturb the user.
pub(crate) fn keep_view(path: &Path, kept: &View) {
    let Some(place) = state_folder().zip(hashed(path)).map(|(folder, name)| folder.join("programs").join(name)) else {
        return;
    };
    if let (Some(parent), Ok(json)) = (place.parent(), serde_json::to_vec(kept)) {
        let _ = std::fs::create_dir_all(parent);
        let _ = crate::files::write(&place, &json);
    }
}

/// The file that unsaved text of `path` is kept in.
fn place(path: &Path) -> Option<PathBuf> {
    Some(folder()?.join("unsaved").join(hashed(path)?))
}

/// The name of a file for what belongs to a path.
fn hashed(path: &Path) -> Option<String> {
    let whole = std::path::absolute(path).ok()?;
    // FNV-1a (Fowler, Noll, Vo): the same on every machine and in every version.
    let hash = whole
        .as_os_str()
        .as_encoded_bytes()
        .iter()
        .fold(0xCBF2_9CE4_8422_2325u64, |hash, &byte| (hash ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01B3));
    Some(format!("{hash:016x}.json"))
}

/// Keeps unsaved text. Failing to is no reason to disturb the user, who is still writing.
pub(crate) fn keep(path: &Path, text: &str, base: Option<&str>) {
    let Some(place) = place(path) else { return };
    let (path, text, base) = (path.display().to_string(), text.to_owned(), base.map(str::to_owned));
    let kept = Kept { path, process: std::process::id(), text, base };
    if let (Some(parent), Ok(json)) = (place.parent(), serde_json::to_vec(&kept)) {
        let _ = std::fs::create_dir_all(parent);
        let _ = crate::files::write(&place, &json);
    }
}

/// Forgets unsaved text.
pub(crate) fn forget(path: &Path) {
    if let Some(place) = place(path) {
        let _ = std::fs::remove_file(place);
    }
}

/// Unsaved text of a file that no living process is writing.
pub(crate) fn find(path: &Path) -> Option<Found> {
    let json = std::fs::read(place(path)?).ok()?;
    let kept: Kept = serde_json::from_slice(&json).ok()?;
    (!is_writing(kept.process)).then_some(Found { text: kept.text, base: kept.base })
}

/// Unsaved texts of all files below a folder that no living process is writing, with their paths.
pub(crate) fn below(root: &Path) -> Vec<(PathBuf, Found)> {
    let Some(entries) = folder().and_then(|folder| std::fs::read_dir(folder.join("unsaved")).ok()) else {
        return Vec::new();
    };
    let kept = entries.filter_map(Result::ok).filter_map(|entry| {
        let kept: Kept = serde_json::from_slice(&std::fs::read(entry.path()).ok()?).ok()?;
        let path = PathBuf::from(&kept.path);
        (path.starts_with(root) && !is_writing(kept.process))
            .then_some((path, Found { text: kept.text, base: kept.base }))
    });
    kept.collect()
}

/// A process is another Wendax that still runs: its text is its own. Where the system does not tell, nobody
/// is, and the text is offered.
fn is_writing(process: u32) -> bool {
    // proc_pid_stat(5): number, name in parentheses, state; Z and X are dead.
    let Ok(stat) = std::fs::read_to_string(format!("/proc/{process}/stat")) else { return false };
    let Some((name, rest)) = stat.rsplit_once(')') else { return false };
    let dead = matches!(rest.trim_start().chars().next(), Some('Z' | 'X') | None);
    process != std::process::id() && !dead && name.ends_with("(wendax")
}

/// There is unsaved text of a file.
pub(crate) fn exists(path: &Path) -> bool {
    find(path).is_some()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_living_process_is_told_from_a_dead_one() {
        assert!(!is_writing(std::process::id()), "ourselves");
        assert!(!is_writing(u32::MAX), "no such process");
        assert!(!is_writing(1), "another program");
    }

    #[test]
    fn each_file_has_a_place_of_its_own() {
        let place = |path: &str| place(Path::new(path));
        assert_ne!(place("/yard/a.asm"), place("/yard/b.asm"));
        assert_eq!(place("/yard/a.asm"), place("/yard/a.asm"));
    }
}
