//! Unsaved text, kept beside the saved: what a crash or a closed terminal leaves behind is found again at
//! the next start.
//!
//! A copy belongs to a file, however its path is spelled, and to the process that wrote it: only that one writes and removes
//! it. When it is dead, whoever finds the copy takes it over by giving it its own name.

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

/// What was decided of the folders outside of its own that a project names: which it may open, and which it may not.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct Decided {
    pub(crate) allowed: Vec<PathBuf>,
    refused: Vec<PathBuf>,
}

impl Decided {
    fn place(project: &Path) -> Option<PathBuf> {
        Some(state_folder()?.join("reach").join(hashed(project)?))
    }

    /// What is remembered of a project.
    pub(crate) fn of(project: &Path) -> Self {
        let json = Self::place(project).and_then(|place| std::fs::read(place).ok());
        json.and_then(|json| serde_json::from_slice(&json).ok()).unwrap_or_default()
    }

    /// Someone has been asked about this folder.
    pub(crate) fn knows(&self, folder: &PathBuf) -> bool {
        self.allowed.contains(folder) || self.refused.contains(folder)
    }

    /// Remembers an answer. Failing to is no reason to disturb the user, who is asked again.
    pub(crate) fn add(&mut self, project: &Path, folders: Vec<PathBuf>, is_allowed: bool) {
        let list = if is_allowed { &mut self.allowed } else { &mut self.refused };
        list.extend(folders);
        if let (Some(place), Ok(json)) = (Self::place(project), serde_json::to_vec(self)) {
            let _ = std::fs::create_dir_all(place.parent().unwrap_or(Path::new("")));
            let _ = crate::files::write(&place, &json);
        }
    }
}

/// The file that unsaved text of `path` is kept in by a process.
fn place(path: &Path, process: u32) -> Option<PathBuf> {
    let name = format!("{}{process}.json", copies_begin(path)?);
    Some(folder()?.join("unsaved").join(name))
}

/// What the names of all copies of a file begin with.
fn copies_begin(path: &Path) -> Option<String> {
    Some(hashed(path)?.replace(".json", "-"))
}

/// A path by which a file goes whatever it is called by: links and `..` are followed as far as there is something.
fn true_path(path: &Path) -> Option<PathBuf> {
    let whole = std::path::absolute(path).ok()?;
    if let Ok(real) = whole.canonicalize() {
        return Some(real);
    }
    let folder = whole.parent().and_then(|folder| folder.canonicalize().ok());
    Some(folder.zip(whole.file_name()).map_or(whole.clone(), |(folder, name)| folder.join(name)))
}

/// The name of a file for what belongs to a path.
fn hashed(path: &Path) -> Option<String> {
    let whole = true_path(path)?;
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
    let process = std::process::id();
    let Some(place) = place(path, process) else { return };
    let path = true_path(path).unwrap_or_else(|| path.to_owned());
    let (path, text, base) = (path.display().to_string(), text.to_owned(), base.map(str::to_owned));
    let kept = Kept { path, process, text, base };
    if let (Some(parent), Ok(json)) = (place.parent(), serde_json::to_vec(&kept)) {
        let _ = std::fs::create_dir_all(parent);
        let _ = crate::files::write(&place, &json);
    }
}

/// Forgets unsaved text of ours.
pub(crate) fn forget(path: &Path) {
    if let Some(place) = place(path, std::process::id()) {
        let _ = std::fs::remove_file(place);
    }
}

/// The copies of a file, the latest first.
fn copies_of(path: &Path) -> Vec<(PathBuf, Kept)> {
    let Some((wanted, begin)) = true_path(path).zip(copies_begin(path)) else { return Vec::new() };
    let mut copies = copies(&begin);
    copies.retain(|(_, kept)| Path::new(&kept.path) == wanted);
    copies
}

/// All copies whose names begin so, the latest first.
fn copies(begin: &str) -> Vec<(PathBuf, Kept)> {
    let Some(entries) = folder().and_then(|folder| std::fs::read_dir(folder.join("unsaved")).ok()) else {
        return Vec::new();
    };
    let mut copies: Vec<_> = entries
        .filter_map(Result::ok)
        .filter(|entry| entry.file_name().to_string_lossy().starts_with(begin))
        .filter_map(|entry| {
            let kept: Kept = serde_json::from_slice(&std::fs::read(entry.path()).ok()?).ok()?;
            let changed = entry.metadata().and_then(|data| data.modified()).ok();
            Some((changed, entry.path(), kept))
        })
        .collect();
    copies.sort_by(|(one, ..), (other, ..)| other.cmp(one));
    copies.into_iter().map(|(_, place, kept)| (place, kept)).collect()
}

/// Takes over the latest unsaved text of a file that no living process is writing.
pub(crate) fn find(path: &Path) -> Option<Found> {
    let ours = place(path, std::process::id())?;
    let mut copies = copies_of(path).into_iter().filter(|(_, kept)| !is_writing(kept.process));
    // Of two that find it one can give it its name.
    let (_, kept) = copies.find(|(there, _)| *there == ours || std::fs::rename(there, &ours).is_ok())?;
    Some(Found { text: kept.text, base: kept.base })
}

/// Files below a folder of which there is unsaved text that no living process is writing.
pub(crate) fn below(root: &Path) -> Vec<PathBuf> {
    let root = true_path(root).unwrap_or_else(|| root.to_owned());
    let mut paths: Vec<PathBuf> = copies("")
        .into_iter()
        .filter(|(_, kept)| Path::new(&kept.path).starts_with(&root) && !is_writing(kept.process))
        .map(|(_, kept)| PathBuf::from(kept.path))
        .collect();
    paths.sort();
    paths.dedup();
    paths
}

/// Another bench that still runs has unsaved text of this file.
pub(crate) fn is_written_elsewhere(path: &Path) -> bool {
    copies_of(path).iter().any(|(_, kept)| is_writing(kept.process))
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

/// There is unsaved text of a file, whoever has it.
pub(crate) fn exists(path: &Path) -> bool {
    !copies_of(path).is_empty()
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
        let place = |path: &str| place(Path::new(path), 7);
        assert_ne!(place("/yard/a.asm"), place("/yard/b.asm"));
        assert_eq!(place("/yard/a.asm"), place("/yard/a.asm"));
        let folder = tempfile::tempdir().expect("a folder");
        std::fs::create_dir(folder.path().join("sub")).expect("it is made");
        let (plain, around) = (folder.path().join("a.asm"), folder.path().join("sub/../a.asm"));
        assert_eq!(hashed(&plain), hashed(&around), "also of a file that is not there yet");
        std::fs::write(&plain, "halt").expect("it is written");
        std::os::unix::fs::symlink(&plain, folder.path().join("link.asm")).expect("it is made");
        assert_eq!(hashed(&plain), hashed(&folder.path().join("link.asm")));
    }
}
