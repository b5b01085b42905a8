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

/// How a file looked when it was read.
type Stamp = (u64, Option<SystemTime>);

/// The bytes of a file, and how it looked when they were read.
type Read = (Stamp, Arc<[u8]>);

/// The bytes of a file as text.
type Text = (Arc<[u8]>, Arc<str>);

/// Files below a folder. What was read is kept as long as the file looks the same.
#[derive(Debug, Default)]
pub struct DiskFiles {
    root: PathBuf,
    /// Texts that are being edited, by path.
    edited: BTreeMap<String, Arc<str>>,
    read: RefCell<BTreeMap<String, Read>>,
    texts: RefCell<BTreeMap<String, Text>>,
}

impl DiskFiles {
    /// Files below `root`; paths that begin with `/` are taken as they are.
    pub fn new(root: impl Into<PathBuf>) -> Self {
        Self { root: root.into(), ..Self::default() }
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
        let place = self.locate(path);
        let stamp = stamp(&place)?;
        if let Some((known, bytes)) = self.read.borrow().get(path)
            && *known == stamp
            && stamp.1.is_some()
        {
            return Ok(Arc::clone(bytes));
        }
        let mut bytes = Vec::new();
        let file = std::fs::File::open(&place).map_err(|error| FileError(plain_error(&error)))?;
        file.take(LARGEST + 1).read_to_end(&mut bytes).map_err(|error| FileError(plain_error(&error)))?;
        if bytes.len() as u64 > LARGEST {
            return Err(FileError("it is larger than 256 MiB, which nothing of a program is".to_owned()));
        }
        let bytes: Arc<[u8]> = bytes.into();
        self.read.borrow_mut().insert(path.to_owned(), (stamp, Arc::clone(&bytes)));
        Ok(bytes)
    }
}

fn stamp(place: &Path) -> Result<Stamp, FileError> {
    let metadata = std::fs::metadata(place).map_err(|error| FileError(plain_error(&error)))?;
    if metadata.is_dir() {
        return Err(FileError("it is a folder".to_owned()));
    }
    Ok((metadata.len(), metadata.modified().ok()))
}

fn not_utf8(bytes: &[u8], error: std::str::Utf8Error) -> FileError {
    let valid = error.valid_up_to();
    let line = bytes[..valid].split(|&byte| byte == b'\n').count();
    let byte = bytes.get(valid).copied().unwrap_or(0);
    FileError(format!("line {line}: the byte {byte:02X} is no UTF-8; save the source as UTF-8"))
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
        assert_eq!(&*files.text("a.asm").unwrap(), "ret ; longer");
        std::fs::write(&place, b"a\nb\xFF").unwrap();
        assert!(files.text("a.asm").unwrap_err().0.starts_with("line 2: the byte FF"));
        assert!(files.text("none.asm").unwrap_err().0.contains("no such file"));
        assert!(files.bytes("").unwrap_err().0.contains("folder"));
    }
}
