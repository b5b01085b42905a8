//! Texts and places in them.
//!
//! Lines and columns count from 1, columns in characters; byte offsets count from 0. A [`Span`] always
//! lies on character borders of its file, since only the lexer makes spans.
//!
//! Nothing here opens a file: texts and bytes of others come through [`Files`].

use std::collections::BTreeMap;
use std::sync::Arc;

/// A source text's number in its [`Sources`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct FileId(pub u32);

/// A range of bytes of one source text; the end is not part of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Span {
    /// The text.
    pub file: FileId,
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Span {
    /// The range `start..end` of `file`.
    pub fn new(file: FileId, start: usize, end: usize) -> Self {
        // Texts over 4 GiB are refused when they are read, so the clamp never bites.
        let clamp = |offset: usize| u32::try_from(offset).unwrap_or(u32::MAX);
        Self { file, start: clamp(start), end: clamp(end) }
    }

    /// The smallest range that holds both; both must be of one file.
    #[must_use]
    pub fn to(self, other: Self) -> Self {
        Self { file: self.file, start: self.start.min(other.start), end: self.end.max(other.end) }
    }

    /// The empty range right behind this one, where something missing belongs.
    #[must_use]
    pub fn after(self) -> Self {
        Self { start: self.end, ..self }
    }

    /// The empty range right before this one.
    #[must_use]
    pub fn before(self) -> Self {
        Self { end: self.start, ..self }
    }

    /// As indices into the text.
    pub fn range(self) -> std::ops::Range<usize> {
        self.start as usize..self.end as usize
    }
}

/// A place as people count it: line and column, both from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LineCol {
    /// Line, from 1.
    pub line: u32,
    /// Column in characters, from 1.
    pub column: u32,
}

/// One source text.
#[derive(Debug, Clone, Default)]
pub struct SourceFile {
    name: String,
    text: Arc<str>,
    line_starts: Vec<u32>,
    is_stand_in: bool,
    is_foreign: bool,
}

impl SourceFile {
    /// A text under the name it is shown with.
    pub fn new(name: impl Into<String>, text: impl Into<Arc<str>>) -> Self {
        let text: Arc<str> = text.into();
        let ends = memchr::memchr_iter(b'\n', text.as_bytes());
        let starts = ends.map(|at| u32::try_from(at + 1).unwrap_or(u32::MAX));
        let line_starts = std::iter::once(0).chain(starts).collect();
        Self { name: name.into(), text, line_starts, is_stand_in: false, is_foreign: false }
    }

    /// A text nobody wrote, for a file that has none, such as an object: places in it tell only which file.
    pub fn stand_in(name: impl Into<String>, text: impl Into<Arc<str>>) -> Self {
        Self { is_stand_in: true, ..Self::new(name, text) }
    }

    /// The same, as a text of another language that a compiler read.
    #[must_use]
    pub fn foreign(self) -> Self {
        Self { is_foreign: true, ..self }
    }

    /// It is of another language.
    pub fn is_foreign(&self) -> bool {
        self.is_foreign
    }

    /// It is no text of the file it is named after.
    pub fn is_stand_in(&self) -> bool {
        self.is_stand_in
    }

    /// From the first to the last sign of a line (from 1) that is no blank, in bytes of the text.
    pub fn line_range(&self, line: u32) -> (usize, usize) {
        let text = self.line(line);
        let indent = text.len() - text.trim_start().len();
        let start = self.line_start(line) as usize;
        (start + indent, start + text.trim_end().len().max(indent))
    }

    /// The name it is shown with.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The whole text.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The whole text, shared.
    pub fn shared_text(&self) -> Arc<str> {
        Arc::clone(&self.text)
    }

    /// How many lines there are; a text that ends with a line end has an empty last line.
    pub fn line_count(&self) -> u32 {
        u32::try_from(self.line_starts.len()).unwrap_or(u32::MAX)
    }

    /// The line (from 1) that holds byte `offset`; the last one when it lies beyond the end.
    pub fn line_of(&self, offset: u32) -> u32 {
        let after = self.line_starts.partition_point(|&start| start <= offset);
        u32::try_from(after).unwrap_or(u32::MAX)
    }

    /// Line and column of byte `offset`.
    pub fn place(&self, offset: u32) -> LineCol {
        let line = self.line_of(offset);
        let text = self.line(line);
        let into = (offset - self.line_start(line)) as usize;
        let column = text.char_indices().take_while(|&(at, _)| at < into).count() + 1;
        LineCol { line, column: u32::try_from(column).unwrap_or(u32::MAX) }
    }

    /// First byte of line `line` (from 1); the end of the text when there is no such line.
    pub fn line_start(&self, line: u32) -> u32 {
        let index = line.saturating_sub(1) as usize;
        let end = u32::try_from(self.text.len()).unwrap_or(u32::MAX);
        self.line_starts.get(index).copied().unwrap_or(end)
    }

    /// The text of line `line` (from 1) without its line end; empty when there is no such line.
    pub fn line(&self, line: u32) -> &str {
        let start = self.line_start(line) as usize;
        let end = self.line_starts.get(line as usize).map_or(self.text.len(), |&next| next as usize);
        self.text.get(start..end).unwrap_or_default().trim_end_matches(['\n', '\r'])
    }
}

/// All source texts of a program, by [`FileId`]. A copy shares the texts.
#[derive(Debug, Clone, Default)]
pub struct Sources {
    files: Vec<Arc<SourceFile>>,
}

impl Sources {
    /// All texts, in the order they were added.
    pub fn iter(&self) -> impl Iterator<Item = &SourceFile> {
        self.files.iter().map(|file| &**file)
    }

    /// No texts yet.
    pub fn new() -> Self {
        Self::default()
    }

    /// A single text.
    pub fn single(name: impl Into<String>, text: impl Into<Arc<str>>) -> (Self, FileId) {
        let mut sources = Self::new();
        let id = sources.add(SourceFile::new(name, text));
        (sources, id)
    }

    /// Takes in one more text.
    pub fn add(&mut self, file: SourceFile) -> FileId {
        self.files.push(Arc::new(file));
        FileId(u32::try_from(self.files.len() - 1).unwrap_or(u32::MAX))
    }

    /// Puts another text in the place of one.
    pub fn replace(&mut self, id: FileId, file: SourceFile) {
        if let Some(place) = self.files.get_mut(id.0 as usize) {
            *place = Arc::new(file);
        }
    }

    /// The text shown with this name.
    pub fn find(&self, name: &str) -> Option<FileId> {
        let at = self.files.iter().position(|file| file.name() == name)?;
        Some(FileId(u32::try_from(at).unwrap_or(u32::MAX)))
    }

    /// The text with this number; the ids given out by [`Self::add`] are always found.
    pub fn file(&self, id: FileId) -> &SourceFile {
        &self.files[id.0 as usize]
    }

    /// The text with this number, if there is one.
    pub fn get(&self, id: FileId) -> Option<&SourceFile> {
        self.files.get(id.0 as usize).map(AsRef::as_ref)
    }

    /// The bytes a span covers, as text; empty when the span does not fit its file.
    pub fn text_of(&self, span: Span) -> &str {
        self.file(span.file).text().get(span.range()).unwrap_or_default()
    }

    /// Where a span begins.
    pub fn place(&self, span: Span) -> LineCol {
        self.file(span.file).place(span.start)
    }

    /// The line a span begins on, from 1.
    pub fn line(&self, span: Span) -> u32 {
        self.file(span.file).line_of(span.start)
    }
}

/// Why a file cannot be had, in plain words: `there is no such file`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileError(pub String);

/// Where other files come from when a source names them. Paths use `/`, and are already relative to where
/// the program is, not to the file that names them.
pub trait Files {
    /// A text in UTF-8.
    fn text(&self, path: &str) -> Result<Arc<str>, FileError>;
    /// The bytes of a file.
    fn bytes(&self, path: &str) -> Result<Arc<[u8]>, FileError>;
    /// Files that a source could mean: those beside it, and in folders beside it, as paths like its own; a bounded number
    /// of them, in order.
    fn around(&self, _source: &str) -> Arc<[String]> {
        Arc::default()
    }
    /// From now on only what lies in these folders can be had, paths of folders counted like those of files. Files that
    /// are kept in memory lie nowhere.
    fn reach_only(&self, _folders: &[String]) {}
}

/// Files kept in memory, by path; also stands for no files at all.
#[derive(Debug, Clone, Default)]
pub struct MemoryFiles {
    files: BTreeMap<String, MemoryFile>,
}

#[derive(Debug, Clone)]
enum MemoryFile {
    Text(Arc<str>),
    Bytes(Arc<[u8]>),
}

impl MemoryFiles {
    /// The same with one more file.
    #[must_use]
    pub fn with(mut self, path: impl Into<String>, bytes: impl AsRef<[u8]>) -> Self {
        self.insert(path, bytes);
        self
    }

    /// Puts a file in, in the place of one of the same path.
    pub fn insert(&mut self, path: impl Into<String>, bytes: impl AsRef<[u8]>) {
        let bytes = bytes.as_ref();
        let file = match std::str::from_utf8(bytes) {
            Ok(text) => MemoryFile::Text(text.into()),
            Err(_) => MemoryFile::Bytes(bytes.into()),
        };
        self.files.insert(path.into(), file);
    }

    /// All texts there are, in order of path.
    pub fn all_texts(&self) -> impl Iterator<Item = &str> {
        self.files.values().filter_map(|file| match file {
            MemoryFile::Text(text) => Some(text.as_ref()),
            MemoryFile::Bytes(_) => None,
        })
    }
}

fn missing() -> FileError {
    FileError("there is no such file".to_owned())
}

impl Files for MemoryFiles {
    fn text(&self, path: &str) -> Result<Arc<str>, FileError> {
        match self.files.get(path).ok_or_else(missing)? {
            MemoryFile::Text(text) => Ok(Arc::clone(text)),
            MemoryFile::Bytes(_) => Err(FileError("it is no UTF-8 text".to_owned())),
        }
    }

    fn around(&self, source: &str) -> Arc<[String]> {
        let is_other = |path: &&String| path.as_str() != source && path_to(source, path).is_some();
        self.files.keys().filter(is_other).cloned().collect()
    }

    fn bytes(&self, path: &str) -> Result<Arc<[u8]>, FileError> {
        Ok(match self.files.get(path).ok_or_else(missing)? {
            MemoryFile::Text(text) => Arc::clone(text).into(),
            MemoryFile::Bytes(bytes) => Arc::clone(bytes),
        })
    }
}

/// Texts as files, by their names.
impl Files for Sources {
    fn text(&self, path: &str) -> Result<Arc<str>, FileError> {
        self.find(path).map(|file| self.file(file).shared_text()).ok_or_else(missing)
    }

    fn bytes(&self, path: &str) -> Result<Arc<[u8]>, FileError> {
        self.text(path).map(Into::into)
    }
}

/// The path that `named` stands for in a file at `from`: relative to that file's folder, `.` and `..` resolved.
///
/// ```
/// assert_eq!(wendax_source::path_from("src/main.asm", "../lib/./text.inc"), "lib/text.inc");
/// assert_eq!(wendax_source::path_from("main.asm", "/etc/x"), "/etc/x");
/// ```
pub fn path_from(from: &str, named: &str) -> String {
    let folder = from.rsplit_once('/').map_or("", |(folder, _)| folder);
    let absolute = named.starts_with('/') || folder.starts_with('/') || from.starts_with('/');
    let mut parts: Vec<&str> = if named.starts_with('/') { Vec::new() } else { split(folder) };
    for part in split(named) {
        match part {
            ".." if parts.last().is_some_and(|last| *last != "..") => {
                parts.pop();
            }
            ".." if absolute => {}
            part => parts.push(part),
        }
    }
    format!("{}{}", if absolute { "/" } else { "" }, parts.join("/"))
}

/// The text by which a file named `from` means the file at `path`, when that lies in the same folder or below it.
pub fn path_to<'a>(from: &str, path: &'a str) -> Option<&'a str> {
    match from.rsplit_once('/') {
        Some((folder, _)) => path.strip_prefix(folder)?.strip_prefix('/'),
        None => (!path.starts_with('/')).then_some(path),
    }
}

fn split(path: &str) -> Vec<&str> {
    path.split('/').filter(|part| !part.is_empty() && *part != ".").collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_count_characters_and_survive_ends() {
        let file = SourceFile::new("a.asm", "ab\nöx\r\n\nlast");
        assert_eq!(file.line_count(), 4);
        assert_eq!(file.place(0), LineCol { line: 1, column: 1 });
        assert_eq!(file.place(5), LineCol { line: 2, column: 2 }, "ö is one column");
        assert_eq!(file.place(8), LineCol { line: 3, column: 1 });
        assert_eq!(file.place(13), LineCol { line: 4, column: 5 });
        assert_eq!(file.line(2), "öx");
        assert_eq!(file.line(3), "");
        assert_eq!(file.line(4), "last");
        assert_eq!(file.line(9), "");
        assert_eq!(file.line_of(9999), 4);
    }

    #[test]
    fn a_final_line_end_opens_an_empty_line() {
        let file = SourceFile::new("a", "x\n");
        assert_eq!((file.line_count(), file.line(1), file.line(2)), (2, "x", ""));
        assert_eq!(SourceFile::new("a", "").line_count(), 1);
    }

    #[test]
    fn paths_are_relative_to_the_file_that_names_them() {
        for (from, named, path) in [
            ("main.asm", "a.inc", "a.inc"),
            ("src/main.asm", "a.inc", "src/a.inc"),
            ("src/main.asm", "../../a.inc", "../a.inc"),
            ("/yard/src/main.asm", "../a.inc", "/yard/a.inc"),
            ("/main.asm", "../../a.inc", "/a.inc"),
            ("src/main.asm", "", "src"),
        ] {
            assert_eq!(path_from(from, named), path, "{from} {named}");
        }
    }
}
