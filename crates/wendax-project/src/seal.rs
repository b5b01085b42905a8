//! What a program may open: its own folder, and what whoever opens it allows besides.
//!
//! A manifest comes with a program and is its author's text, so it opens nothing by itself: the folders it names lie in
//! the project's own, links followed, or have been allowed by the person who opens it.

use std::path::{Path, PathBuf};

/// What a program may open.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Seal {
    /// Nothing but its own folder, also for a source without a manifest, and no links out of it.
    pub is_whole: bool,
    /// Folders outside that the person who opens it has allowed.
    pub allowed: Vec<PathBuf>,
    /// The folder for the program's files is given from elsewhere: what the manifest says of it does not count.
    pub files_given: bool,
    /// Bytes that are read of all its sources together, at most.
    pub most_bytes: Option<u64>,
}

impl Seal {
    /// Where a folder lies that a program in `root` names: within what it may open, or else where it leads to. A
    /// folder that is not there leads nowhere.
    pub fn leads_outside(&self, root: &Path, folder: &str) -> Option<PathBuf> {
        let place = std::fs::canonicalize(whole(&root.join(folder))).ok()?;
        let allowed = self.allowed.iter().filter(|_| !self.is_whole).map(PathBuf::as_path);
        let is_within = std::iter::once(root)
            .chain(allowed)
            .filter_map(|folder| std::fs::canonicalize(whole(folder)).ok())
            .any(|folder| place.starts_with(folder));
        (!is_within).then_some(place)
    }

    /// A file named by whoever opens it may be read: when the program is sealed it is a plain file of the folder it is
    /// named in; and it is not larger than all of them may be.
    ///
    /// # Errors
    /// Says why it may not.
    pub fn may_read(&self, file: &Path) -> Result<(), String> {
        let length = || std::fs::metadata(file).map_or(0, |metadata| metadata.len());
        if let Some(most) = self.most_bytes.filter(|most| length() > *most) {
            return Err(too_much(most));
        }
        if !self.is_whole {
            return Ok(());
        }
        // What is not there is told by whoever reads it.
        let Ok(place) = std::fs::canonicalize(file) else { return Ok(()) };
        let folder = std::fs::canonicalize(whole(file.parent().unwrap_or(Path::new("")))).ok();
        if folder.as_deref() != place.parent() {
            return Err(format!(
                "this is a link to {}, and with --sealed nothing leads out of the folder",
                place.display()
            ));
        }
        if !place.is_file() {
            return Err("this is no plain file, but a device or a pipe, which --sealed does not read".to_owned());
        }
        Ok(())
    }
}

/// What is told of a program that has more than so many bytes.
pub(crate) fn too_much(most: u64) -> String {
    format!("the program has more than {most} bytes of sources, which is as much as is read of one here")
}

/// A folder whose path is empty is where we are.
pub(crate) fn whole(path: &Path) -> &Path {
    if path.as_os_str().is_empty() { Path::new(".") } else { path }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;
    use std::os::unix::fs::symlink;

    #[test]
    fn what_leads_outside_is_known_through_links_and_what_is_allowed_is_not_when_it_is_whole() {
        let folder = tempfile::tempdir().unwrap();
        let (root, out) = (folder.path().join("root"), folder.path().join("out"));
        fs::create_dir_all(root.join("own")).unwrap();
        fs::create_dir_all(out.join("deep")).unwrap();
        symlink(&out, root.join("link")).unwrap();
        let mut seal = Seal::default();
        for inside in ["own", ".", "own/..", "nowhere"] {
            assert_eq!(seal.leads_outside(&root, inside), None, "{inside}");
        }
        let absolute = out.display().to_string();
        for outside in ["../out", "link", "link/deep", "..", "/", absolute.as_str()] {
            assert!(seal.leads_outside(&root, outside).is_some(), "{outside}");
        }
        seal.allowed.push(out.clone());
        assert_eq!(seal.leads_outside(&root, "link/deep"), None);
        assert!(seal.leads_outside(&root, "..").is_some(), "no more than what was allowed");
        seal.is_whole = true;
        assert!(seal.leads_outside(&root, "../out").is_some());
        fs::write(out.join("a.asm"), "nop").unwrap();
        symlink(out.join("a.asm"), root.join("a.asm")).unwrap();
        assert!(seal.may_read(&root.join("a.asm")).is_err() && seal.may_read(&out.join("a.asm")).is_ok());
    }
}
