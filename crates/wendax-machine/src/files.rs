//! Files of a program: what was found in its folder, what it has written, what it has open.
//!
//! The machine touches no disk. A file that a program opens for the first time is asked for, and what was found is an
//! event like any other; from then on the file lives here, with the state. So each moment has the files it has, whichever
//! way one comes to it. Whoever owns the folder writes there what [`Files::to_keep`] says: whole files, as they were
//! when they were last closed.

use std::collections::BTreeMap;
use std::sync::Arc;
use wendax_isa::StepNo;

/// Files that may be open at once.
pub const MOST_OPEN: usize = 8;
/// Files that a run may open altogether.
pub const MOST_FILES: usize = 64;
/// Bytes of one file.
pub const MOST_BYTES: usize = 1 << 20;
/// Bytes of all files of a run together.
const MOST_BYTES_TOGETHER: usize = 16 << 20;
/// Most bytes of a path.
const LONGEST_PATH: usize = 255;

/// What was found where a program looked for a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Found {
    /// A file with these bytes.
    Bytes(Arc<Vec<u8>>),
    /// A file with these bytes that is protected from being written.
    Locked(Arc<Vec<u8>>),
    /// Nothing; a file can be made there.
    Nothing,
    /// There is no folder for it.
    NoFolder,
    /// It is larger than [`MOST_BYTES`].
    TooLarge,
    /// It may not be touched: it leads out of the folder, or is no plain file, or one of the program's own.
    NotAllowed,
    /// The system failed to read it.
    Failed,
}

/// What a file is opened for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileMode {
    /// To be read.
    Read,
    /// To be written anew.
    Write,
    /// To be written on at its end.
    Append,
}

/// Why a program's wish about a file failed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum FileError {
    NotFound,
    NotAllowed,
    BadHandle,
    NoRoom,
    Failed,
}

/// What was done with a file last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Moved {
    /// The step that did it.
    pub step: StepNo,
    /// It was written, not read.
    pub is_written: bool,
    /// From this byte of the file on.
    pub from: usize,
    /// So many bytes.
    pub length: usize,
}

/// What a step did with a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FileDeed {
    /// It was opened.
    Opened(FileMode),
    /// It was closed.
    Closed,
    /// So many bytes were read from this place on.
    Read(usize, usize),
    /// So many bytes were written from this place on.
    Written(usize, usize),
    /// The place in it was moved to this one.
    Sought(usize),
}

/// A file a program has come to know.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KnownFile {
    /// What was found at first.
    pub found: Found,
    /// What is in it now, as far as it was written; else what was found.
    written: Option<Arc<Vec<u8>>>,
    /// What was in it when it was last closed after being written.
    closed: Option<Arc<Vec<u8>>>,
    /// What was done with it last.
    pub moved: Option<Moved>,
}

impl KnownFile {
    /// What is in it now; `None` when there is no such file.
    pub fn bytes(&self) -> Option<&[u8]> {
        match (&self.written, &self.found) {
            (Some(written), _) => Some(written),
            (None, Found::Bytes(bytes) | Found::Locked(bytes)) => Some(bytes),
            (None, _) => None,
        }
    }

    /// The program wrote it.
    pub fn is_written(&self) -> bool {
        self.written.is_some()
    }

    /// It was written, and what it holds now is not yet to be kept: it is still open.
    pub fn is_unfinished(&self) -> bool {
        self.written.is_some() && self.written != self.closed
    }
}

/// A file that is open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenFile {
    /// Its path in the folder.
    pub path: Arc<str>,
    /// What for.
    pub mode: FileMode,
    /// The byte that is read or written next.
    pub position: usize,
}

/// All files of a run.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Files {
    known: BTreeMap<Arc<str>, KnownFile>,
    /// By handle, from 1.
    open: [Option<OpenFile>; MOST_OPEN],
    /// How often something to be kept changed.
    pub(crate) changes: u64,
    /// A call about files was made, and there is no folder.
    pub was_refused: bool,
}

impl Files {
    /// Files the program has come to know, by path.
    pub fn known(&self) -> impl Iterator<Item = (&str, &KnownFile)> {
        self.known.iter().map(|(path, file)| (&**path, file))
    }

    /// A file by its path.
    pub fn get(&self, path: &str) -> Option<&KnownFile> {
        self.known.get(path)
    }

    /// What is open, with its handle.
    pub fn open(&self) -> impl Iterator<Item = (u32, &OpenFile)> {
        (1..).zip(&self.open).filter_map(|(handle, open)| Some((handle, open.as_ref()?)))
    }

    /// What is open by a handle.
    pub fn by_handle(&self, handle: u32) -> Option<&OpenFile> {
        let index = usize::try_from(handle).ok()?.checked_sub(1)?;
        self.open.get(index)?.as_ref()
    }

    /// Files as they are to be in the folder: those that were written and closed.
    pub fn to_keep(&self) -> impl Iterator<Item = (&Arc<str>, &Arc<Vec<u8>>)> {
        self.known.iter().filter_map(|(path, file)| Some((path, file.closed.as_ref()?)))
    }

    /// Bytes of memory that its contents take.
    pub(crate) fn size(&self) -> usize {
        let size = |file: &KnownFile| file.bytes().map_or(0, <[u8]>::len);
        self.known.values().map(size).sum()
    }

    /// What was found at a path: it is not known yet.
    pub(crate) fn learn(&mut self, path: Arc<str>, found: Found) {
        let file = KnownFile { found, written: None, closed: None, moved: None };
        self.known.entry(path).or_insert(file);
    }

    /// Opens a file that is known.
    pub(crate) fn open_file(&mut self, path: &str, mode: FileMode) -> Result<u32, FileError> {
        let writes = mode != FileMode::Read;
        let (path, file) = self.known.get_key_value(path).ok_or(FileError::NotFound)?;
        match (&file.found, &file.written) {
            (Found::NotAllowed, _) => return Err(FileError::NotAllowed),
            (Found::Locked(_), _) if writes => return Err(FileError::NotAllowed),
            (Found::Failed, _) => return Err(FileError::Failed),
            (Found::NoFolder, _) => return Err(FileError::NotFound),
            (Found::Nothing, None) if !writes => return Err(FileError::NotFound),
            (Found::TooLarge, _) => return Err(FileError::NoRoom),
            _ => {}
        }
        // One may write a file, or several read it.
        let is_taken = |open: &OpenFile| open.path == *path && (writes || open.mode != FileMode::Read);
        if self.open.iter().flatten().any(is_taken) {
            return Err(FileError::NotAllowed);
        }
        let free = self.open.iter().position(Option::is_none).ok_or(FileError::NoRoom)?;
        let path = Arc::clone(path);
        let mut position = 0;
        if let Some(file) = self.known.get_mut(&path).filter(|_| writes) {
            // What is written on is copied with the first byte that is written.
            let before = match (mode, &file.written, &file.found) {
                (FileMode::Write, ..) => Arc::default(),
                (_, Some(written), _) => Arc::clone(written),
                (_, None, Found::Bytes(bytes)) => Arc::clone(bytes),
                (_, None, _) => Arc::default(),
            };
            position = before.len();
            file.written = Some(before);
        }
        self.open[free] = Some(OpenFile { path, mode, position });
        Ok(u32::try_from(free + 1).unwrap_or(u32::MAX))
    }

    fn opened(&mut self, handle: u32) -> Result<(&mut OpenFile, &mut KnownFile), FileError> {
        let index = usize::try_from(handle).ok().and_then(|handle| handle.checked_sub(1));
        let open = index.and_then(|index| self.open.get_mut(index)?.as_mut()).ok_or(FileError::BadHandle)?;
        let file = self.known.get_mut(&open.path).ok_or(FileError::BadHandle)?;
        Ok((open, file))
    }

    /// Closes a file; what was written to it is to be kept.
    pub(crate) fn close(&mut self, handle: u32) -> Result<Arc<str>, FileError> {
        let (open, file) = self.opened(handle)?;
        let path = Arc::clone(&open.path);
        if open.mode != FileMode::Read {
            file.closed.clone_from(&file.written);
            self.changes += 1;
        }
        self.open[handle as usize - 1] = None;
        Ok(path)
    }

    /// The program has ended: all is closed.
    pub(crate) fn close_all(&mut self) {
        let open: Vec<u32> = self.open().map(|(handle, _)| handle).collect();
        for handle in open {
            // It was open a moment ago.
            let _ = self.close(handle);
        }
    }

    /// Reads up to so many bytes; none at the end.
    pub(crate) fn read(&mut self, handle: u32, count: usize, step: StepNo) -> Result<(usize, Vec<u8>), FileError> {
        let (open, file) = self.opened(handle)?;
        if open.mode != FileMode::Read {
            return Err(FileError::NotAllowed);
        }
        let bytes = file.bytes().unwrap_or_default();
        let from = open.position.min(bytes.len());
        let read = bytes[from..bytes.len().min(from.saturating_add(count))].to_vec();
        open.position = from + read.len();
        file.moved = Some(Moved { step, is_written: false, from, length: read.len() });
        Ok((from, read))
    }

    /// How many bytes reading would bring; none where it would fail.
    pub(crate) fn would_read(&self, handle: u32, count: usize) -> usize {
        let Some(open) = self.by_handle(handle).filter(|open| open.mode == FileMode::Read) else { return 0 };
        let length = self.known.get(&open.path).and_then(KnownFile::bytes).map_or(0, <[u8]>::len);
        length.saturating_sub(open.position).min(count)
    }

    /// Writes all of some bytes, or none; returns where they begin, and how many bytes were copied for it.
    pub(crate) fn write(&mut self, handle: u32, bytes: &[u8], step: StepNo) -> Result<(usize, usize), FileError> {
        let all = self.size();
        let (open, file) = self.opened(handle)?;
        if open.mode == FileMode::Read {
            return Err(FileError::NotAllowed);
        }
        let Some(written) = &mut file.written else { return Err(FileError::NotAllowed) };
        let (from, end) = (open.position, open.position + bytes.len());
        let more = end.saturating_sub(written.len());
        if end > MOST_BYTES || all + more > MOST_BYTES_TOGETHER {
            return Err(FileError::NoRoom);
        }
        let copied = if Arc::strong_count(written) > 1 { written.len() } else { 0 };
        let written = Arc::make_mut(written);
        let within = (written.len() - from).min(bytes.len());
        written[from..from + within].copy_from_slice(&bytes[..within]);
        written.extend_from_slice(&bytes[within..]);
        open.position = end;
        file.moved = Some(Moved { step, is_written: true, from, length: bytes.len() });
        Ok((from, copied))
    }

    /// Goes to a place in a file, at most to its end; returns where it is then.
    pub(crate) fn seek(&mut self, handle: u32, offset: usize) -> Result<usize, FileError> {
        let (open, file) = self.opened(handle)?;
        if open.mode == FileMode::Append {
            return Err(FileError::NotAllowed);
        }
        open.position = offset.min(file.bytes().map_or(0, <[u8]>::len));
        Ok(open.position)
    }

    /// There is room for another file.
    pub(crate) fn has_room(&self) -> bool {
        self.known.len() < MOST_FILES
    }
}

/// A path as it is written to a path within the folder. What leads out of it, or holds signs that no name should have, is
/// none; so is one that names a folder.
pub(crate) fn path_within(text: &[u8]) -> Result<Arc<str>, FileError> {
    let text = std::str::from_utf8(text).map_err(|_| FileError::NotAllowed)?;
    if text.is_empty() {
        return Err(FileError::NotFound);
    }
    let is_plain = text.len() <= LONGEST_PATH && !text.chars().any(|sign| sign.is_control() || sign == '\\');
    if text.starts_with('/') || text.ends_with('/') || !is_plain {
        return Err(FileError::NotAllowed);
    }
    let parts: Vec<&str> = text.split('/').filter(|part| !part.is_empty() && *part != ".").collect();
    if parts.is_empty() || parts.contains(&"..") {
        return Err(FileError::NotAllowed);
    }
    Ok(parts.join("/").into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_stay_within_the_folder() {
        for (text, path) in
            [("list.txt", "list.txt"), ("./in//list.txt", "in/list.txt"), (".hidden", ".hidden"), ("ü", "ü")]
        {
            assert_eq!(path_within(text.as_bytes()).as_deref(), Ok(path));
        }
        for text in ["/etc/passwd", "..", "a/../b", "a/", ".", "a\\b", "a\nb", "\u{7f}", &"x".repeat(256)] {
            assert_eq!(path_within(text.as_bytes()), Err(FileError::NotAllowed), "{text:?}");
        }
        assert_eq!(path_within(b"\xFF"), Err(FileError::NotAllowed));
        assert_eq!(path_within(b""), Err(FileError::NotFound));
    }

    #[test]
    fn one_writes_or_several_read_and_all_is_bounded() {
        let mut files = Files::default();
        files.learn("list".into(), Found::Bytes(Arc::new(b"coal".to_vec())));
        files.learn("big".into(), Found::TooLarge);
        let first = files.open_file("list", FileMode::Read).unwrap();
        let second = files.open_file("list", FileMode::Read).unwrap();
        assert_eq!(files.open_file("list", FileMode::Append), Err(FileError::NotAllowed));
        assert_eq!(files.read(first, 3, StepNo(1)), Ok((0, b"coa".to_vec())));
        assert_eq!(files.seek(second, 9), Ok(4), "the end");
        assert_eq!(files.close(first).as_deref(), Ok("list"));
        assert_eq!(files.close(first), Err(FileError::BadHandle));
        files.close(second).unwrap();
        let handle = files.open_file("list", FileMode::Append).unwrap();
        assert_eq!(files.write(handle, b", ore", StepNo(2)).map(|wrote| wrote.0), Ok(4));
        assert!(files.to_keep().next().is_none(), "not before it is closed");
        files.close_all();
        assert_eq!(files.to_keep().map(|(_, bytes)| bytes.as_slice()).collect::<Vec<_>>(), [b"coal, ore"]);
        assert_eq!(files.open_file("big", FileMode::Write), Err(FileError::NoRoom));
        files.learn("new".into(), Found::Nothing);
        let handle = files.open_file("new", FileMode::Write).unwrap();
        assert_eq!(files.write(handle, &vec![7; MOST_BYTES], StepNo(3)).map(|wrote| wrote.0), Ok(0));
        assert_eq!(files.write(handle, b"x", StepNo(3)).map(|wrote| wrote.0), Err(FileError::NoRoom));
        files.seek(handle, 2).unwrap();
        assert_eq!(files.write(handle, b"x", StepNo(3)).map(|wrote| wrote.0), Ok(2), "over what is there");
        for _ in 0..7 {
            files.open_file("list", FileMode::Read).unwrap();
        }
        assert_eq!(files.open_file("list", FileMode::Read), Err(FileError::NoRoom));
    }
}
