//! Files as they are on disk, with edited texts in front of them.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::io::Read as _;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;
use wendax_source::{FileError, Files};

/// Larger files are no part of a program for 64 KiB.
const LARGEST: u64 = 1 << 28;

/// So many files are told of that lie around a source.
const MOST_AROUND: usize = 1_000;

/// How a file looked when it was read.
type Stamp = (u64, Option<SystemTime>);

/// What is known of a file.
#[derive(Debug, Clone)]
struct Known {
    /// The look at the disk that told it; see [`DiskFiles::look_again`].
    look: u64,
    stamp: Stamp,
    read: Result<Arc<[u8]>, FileError>,
}

/// The bytes of a file as text.
type Text = (Arc<[u8]>, Arc<str>);

/// What lies around a source, with the look at the disk that told it.
type Around = (u64, Arc<[String]>);

/// Files below a folder. What was read is kept until someone says that the disk is to be looked at again, and then as
/// long as the file looks the same.
#[derive(Debug, Default)]
pub struct DiskFiles {
    root: PathBuf,
    /// Texts that are being edited, by path.
    edited: BTreeMap<String, Arc<str>>,
    /// Folders that files must lie in, as the system resolves them; nothing when they may lie anywhere.
    reach: RefCell<Option<Vec<PathBuf>>>,
    /// Bytes of all files together, at most.
    most: Option<u64>,
    read: RefCell<BTreeMap<String, Known>>,
    texts: RefCell<BTreeMap<String, Text>>,
    /// What lies around sources, by the source, with the look that told it.
    around: RefCell<BTreeMap<String, Around>>,
    /// Goes up when the disk is to be looked at again.
    look: u64,
}

impl DiskFiles {
    /// Files below `root`; paths that begin with `/` are taken as they are.
    pub fn new(root: impl Into<PathBuf>) -> Self {
        Self { root: root.into(), ..Self::default() }
    }

    /// The same, but only for what lies below its folder or those that [`Files::reach_only`] adds to it.
    #[must_use]
    pub fn sealed(self) -> Self {
        self.reach_only(&[]);
        self
    }

    /// The same, but of all files together no more than so many bytes.
    #[must_use]
    pub fn at_most(self, most: Option<u64>) -> Self {
        Self { most, ..self }
    }

    /// So many bytes more may be read.
    fn has_room(&self, path: &str, bytes: u64) -> Result<(), FileError> {
        let Some(most) = self.most else { return Ok(()) };
        let read = self.read.borrow();
        let read = read.iter().filter(|(known, _)| *known != path).filter_map(|(_, known)| known.read.as_ref().ok());
        let known = read.map(|bytes| bytes.len()).chain(self.edited.values().map(|text| text.len()));
        let all = known.fold(bytes, |all, bytes| all.saturating_add(bytes as u64));
        if all > most { Err(FileError(crate::seal::too_much(most))) } else { Ok(()) }
    }

    /// The files that were read so far, as they are named on disk.
    pub fn paths_read(&self) -> Vec<PathBuf> {
        let read = self.read.borrow();
        read.iter().filter(|(_, known)| known.read.is_ok()).map(|(path, _)| self.locate(path)).collect()
    }

    /// Something may have happened on disk: what is known of files is looked at again when it is asked for.
    pub fn look_again(&mut self) {
        self.look += 1;
    }

    /// Reads a file, or takes what is known of it when it still looks the same.
    fn look_at(&self, path: &str) -> Known {
        let place = self.locate(path);
        let place = crate::seal::whole(&place).to_owned();
        let failed = |error| Known { look: self.look, stamp: (0, None), read: Err(error) };
        let stamp = match stamp(&place).and_then(|stamp| self.is_within(&place).map(|()| stamp)) {
            Ok(stamp) => stamp,
            Err(error) => return failed(error),
        };
        if let Some(known) = self.read.borrow().get(path)
            && known.stamp == stamp
            && stamp.1.is_some()
            && known.read.is_ok()
        {
            return Known { look: self.look, ..known.clone() };
        }
        let read = self.has_room(path, stamp.0).and_then(|()| read_whole(&place));
        Known { look: self.look, stamp, read }
    }

    /// Whether the folder itself, of those that files may lie in, stays one.
    pub(crate) fn leave_root(&self, stays: bool) {
        if let (false, Some(folders)) = (stays, self.reach.borrow_mut().as_mut()) {
            folders.remove(0);
        }
    }

    /// A file lies where it may be read.
    fn is_within(&self, place: &Path) -> Result<(), FileError> {
        let reach = self.reach.borrow();
        let Some(folders) = reach.as_ref() else { return Ok(()) };
        let whole = std::fs::canonicalize(place).map_err(|error| FileError(plain_error(&error)))?;
        if folders.iter().any(|folder| whole.starts_with(folder)) {
            return Ok(());
        }
        Err(FileError("it lies outside the folders this program may read".to_owned()))
    }

    /// Adds the files of a folder, by their paths; returns the folders in it. Links, and what is hidden, are left out, and
    /// what lies outside of where files may be read.
    fn names_in(&self, folder: &str, found: &mut Vec<String>) -> Vec<String> {
        let place = self.locate(folder);
        let place = crate::seal::whole(&place);
        let mut below = Vec::new();
        if self.is_within(place).is_err() {
            return below;
        }
        for entry in std::fs::read_dir(place).into_iter().flatten().flatten().take(MOST_AROUND) {
            let Some(name) = entry.file_name().to_str().map(str::to_owned).filter(|name| !name.starts_with('.')) else {
                continue;
            };
            let path = if folder.is_empty() { name } else { format!("{folder}/{name}") };
            match entry.file_type() {
                Ok(kind) if kind.is_file() => found.push(path),
                Ok(kind) if kind.is_dir() => below.push(path),
                _ => {}
            }
            if found.len() >= MOST_AROUND {
                break;
            }
        }
        below.sort_unstable();
        below
    }

    /// Where a path leads.
    pub fn locate(&self, path: &str) -> PathBuf {
        self.root.join(path)
    }

    /// From now on this text stands for the file.
    pub fn edit(&mut self, path: &str, text: Arc<str>) {
        self.edited.insert(path.to_owned(), text);
    }

    /// From now on the file stands for itself.
    pub fn forget(&mut self, path: &str) {
        self.edited.remove(path);
    }
}

impl Files for DiskFiles {
    fn text(&self, path: &str) -> Result<Arc<str>, FileError> {
        if let Some(text) = self.edited.get(path) {
            return Ok(Arc::clone(text));
        }
        let bytes = self.bytes(path)?;
        if let Some((of, text)) = self.texts.borrow().get(path)
            && Arc::ptr_eq(of, &bytes)
        {
            return Ok(Arc::clone(text));
        }
        let text: Arc<str> = std::str::from_utf8(&bytes).map(Arc::from).map_err(|error| not_utf8(&bytes, error))?;
        self.texts.borrow_mut().insert(path.to_owned(), (bytes, Arc::clone(&text)));
        Ok(text)
    }

    fn bytes(&self, path: &str) -> Result<Arc<[u8]>, FileError> {
        if let Some(text) = self.edited.get(path) {
            return Ok(text.as_bytes().into());
        }
        let known = self.read.borrow().get(path).filter(|known| known.look == self.look).cloned();
        let known = known.unwrap_or_else(|| {
            let fresh = self.look_at(path);
            self.read.borrow_mut().insert(path.to_owned(), fresh.clone());
            fresh
        });
        known.read
    }

    fn around(&self, source: &str) -> Arc<[String]> {
        let folder = source.rsplit_once('/').map_or("", |(folder, _)| folder);
        if let Some((_, found)) = self.around.borrow().get(folder).filter(|(look, _)| *look == self.look) {
            return Arc::clone(found);
        }
        let mut found = Vec::new();
        let below = self.names_in(folder, &mut found);
        for folder in below {
            self.names_in(&folder, &mut found);
        }
        found.sort_unstable();
        found.truncate(MOST_AROUND);
        let found: Arc<[String]> = found.into();
        self.around.borrow_mut().insert(folder.to_owned(), (self.look, Arc::clone(&found)));
        found
    }

    fn reach_only(&self, folders: &[String]) {
        let root = crate::seal::whole(&self.root).to_owned();
        let places = std::iter::once(root).chain(folders.iter().map(|folder| self.locate(folder)));
        // A folder that is not there holds nothing that could be read.
        let reach = Some(places.filter_map(|place| std::fs::canonicalize(place).ok()).collect());
        if *self.reach.borrow() != reach {
            // What could not be read may be within reach now.
            self.read.borrow_mut().clear();
            *self.reach.borrow_mut() = reach;
        }
    }
}

fn read_whole(place: &Path) -> Result<Arc<[u8]>, FileError> {
    let mut bytes = Vec::new();
    let file = std::fs::File::open(place).map_err(|error| FileError(plain_error(&error)))?;
    file.take(LARGEST + 1).read_to_end(&mut bytes).map_err(|error| FileError(plain_error(&error)))?;
    if bytes.len() as u64 > LARGEST {
        return Err(FileError("it is larger than 256 MiB, which nothing of a program is".to_owned()));
    }
    Ok(bytes.into())
}

fn stamp(place: &Path) -> Result<Stamp, FileError> {
    let metadata = std::fs::metadata(place).map_err(|error| FileError(plain_error(&error)))?;
    if metadata.is_dir() {
        return Err(FileError("it is a folder".to_owned()));
    }
    // A pipe would be waited for, and what it holds could be read only once.
    if !metadata.is_file() {
        return Err(FileError("it is no file, but a device or a pipe".to_owned()));
    }
    Ok((metadata.len(), metadata.modified().ok()))
}

fn not_utf8(bytes: &[u8], error: std::str::Utf8Error) -> FileError {
    let valid = error.valid_up_to();
    let line = bytes[..valid].split(|&byte| byte == b'\n').count();
    let byte = bytes.get(valid).copied().unwrap_or(0);
    FileError(format!("line {line}: the byte 0x{byte:02X} is no UTF-8; save the source as UTF-8"))
}

/// What an error of the system means, in plain words where they are known.
pub fn plain_error(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::NotFound => "there is no such file or folder".to_owned(),
        std::io::ErrorKind::PermissionDenied => "the system does not allow it".to_owned(),
        std::io::ErrorKind::IsADirectory => "this is a folder".to_owned(),
        std::io::ErrorKind::StorageFull => "there is no room left on the disk".to_owned(),
        _ => error.to_string(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sealed_files_lie_below_their_folder_whatever_the_path_says() {
        let folder = tempfile::tempdir().unwrap();
        let (inside, outside) = (folder.path().join("in"), folder.path().join("out"));
        for place in [&inside, &outside] {
            std::fs::create_dir(place).unwrap();
            std::fs::write(place.join("a.inc"), "nop").unwrap();
        }
        std::os::unix::fs::symlink(outside.join("a.inc"), inside.join("link.inc")).unwrap();
        let files = DiskFiles::new(&inside).sealed();
        assert!(files.bytes("a.inc").is_ok());
        let whole = outside.join("a.inc").display().to_string();
        for path in ["../out/a.inc", "link.inc", whole.as_str(), "/proc/self/environ"] {
            assert!(files.bytes(path).is_err(), "{path}");
        }
        files.reach_only(&["../out".to_owned()]);
        assert!(files.bytes("../out/a.inc").is_ok() && files.bytes("link.inc").is_ok());
        assert!(DiskFiles::new("").bytes("/dev/null").unwrap_err().0.contains("device"));
    }

    #[test]
    fn what_lies_around_a_source_is_told_as_its_texts_name_it() {
        let folder = tempfile::tempdir().unwrap();
        for path in
            ["own/a.asm", "own/frames.inc", "own/lib/print.asm", "own/lib/deep/x.inc", "own/.hidden", "out/y.inc"]
        {
            let place = folder.path().join(path);
            std::fs::create_dir_all(place.parent().unwrap()).unwrap();
            std::fs::write(place, "").unwrap();
        }
        std::os::unix::fs::symlink(folder.path().join("out"), folder.path().join("own/link")).unwrap();
        let mut files = DiskFiles::new(folder.path());
        assert_eq!(*files.around("own/a.asm"), ["own/a.asm", "own/frames.inc", "own/lib/print.asm"]);
        std::fs::write(folder.path().join("own/new.inc"), "").unwrap();
        assert_eq!(files.around("own/a.asm").len(), 3, "the disk is looked at when something happened");
        files.look_again();
        assert_eq!(files.around("own/a.asm").len(), 4);
        let sealed = DiskFiles::new(folder.path().join("own")).sealed();
        assert_eq!(sealed.around("../out/y.inc").len(), 0);
        assert_eq!(sealed.around("a.asm").len(), 4);
    }

    #[test]
    fn edited_texts_stand_before_files_and_changes_are_seen() {
        let folder = tempfile::tempdir().unwrap();
        let place = folder.path().join("a.asm");
        std::fs::write(&place, "nop").unwrap();
        let mut files = DiskFiles::new(folder.path());
        let first = files.text("a.asm").unwrap();
        assert!(Arc::ptr_eq(&first, &files.text("a.asm").unwrap()), "read once");
        files.edit("a.asm", "halt".into());
        assert_eq!(&*files.text("a.asm").unwrap(), "halt");
        files.forget("a.asm");
        std::fs::write(&place, "ret ; longer").unwrap();
        assert_eq!(&*files.text("a.asm").unwrap(), "nop", "the disk is looked at when something happened");
        files.look_again();
        assert_eq!(&*files.text("a.asm").unwrap(), "ret ; longer");
        std::fs::write(&place, b"a\nb\xFF").unwrap();
        files.look_again();
        assert!(files.text("a.asm").unwrap_err().0.starts_with("line 2: the byte 0xFF"));
        assert!(files.text("none.asm").unwrap_err().0.contains("no such file"));
        assert!(files.bytes("").unwrap_err().0.contains("folder"));
    }
}
