//! Files as the assembler meets them: each has one number however often it is named, and what was read is
//! noted, so that a unit can be kept as long as all of it is the same.

use rustc_hash::FxHashMap;
use std::sync::Arc;
use wendax_source::{FileError, FileId, Files, SourceFile, Sources};

#[derive(Debug, Default)]
pub(crate) struct Texts {
    pub(crate) sources: Sources,
    by_path: FxHashMap<String, FileId>,
    /// Where the unfolded text of a unit is kept, by the unit's own file.
    unfolded: FxHashMap<FileId, FileId>,
    /// See [`Self::pieces`].
    pieces: Option<FileId>,
    /// What is parsed is a line that is offered, to see what would be told of it: nothing is offered in turn.
    pub(crate) is_trial: bool,
}

/// What one unit was made from.
#[derive(Debug, Default)]
pub(crate) struct Used {
    pub(crate) texts: Vec<(String, Arc<str>)>,
    pub(crate) bytes: Vec<(String, Arc<[u8]>)>,
    /// A file could not be had: it may be there next time.
    pub(crate) is_missing: bool,
}

impl Used {
    /// All of it is still the same.
    pub(crate) fn is_current(&self, files: &dyn Files) -> bool {
        !self.is_missing
            && self.texts.iter().all(|(path, text)| files.text(path).is_ok_and(|now| is_same(&now, text)))
            && self.bytes.iter().all(|(path, bytes)| files.bytes(path).is_ok_and(|now| now == *bytes))
    }
}

fn is_same(one: &Arc<str>, other: &Arc<str>) -> bool {
    Arc::ptr_eq(one, other) || one == other
}

impl Texts {
    /// Texts that are in `sources` already, by their names.
    pub(crate) fn of(sources: Sources) -> Self {
        Self { sources, ..Self::default() }
    }

    /// The text at a path, as it is now.
    pub(crate) fn read(&mut self, path: &str, files: &dyn Files) -> Result<(FileId, Arc<str>), FileError> {
        let text = files.text(path)?;
        Ok((self.place(path, &text), text))
    }

    /// The number of a path, which has this text now.
    pub(crate) fn place(&mut self, path: &str, text: &Arc<str>) -> FileId {
        let known = self.by_path.get(path).copied().or_else(|| self.sources.find(path));
        let id = match known {
            Some(id) => {
                if !is_same(&self.sources.file(id).shared_text(), text) {
                    self.sources.replace(id, SourceFile::new(path, Arc::clone(text)));
                }
                id
            }
            None => self.sources.add(SourceFile::new(path, Arc::clone(text))),
        };
        self.by_path.insert(path.to_owned(), id);
        id
    }

    /// Where the machine instructions go that a line of a program stands for.
    pub(crate) fn pieces(&mut self) -> FileId {
        *self.pieces.get_or_insert_with(|| self.sources.add(SourceFile::new(wendax_image::UNFOLDED, "")))
    }

    /// Where the unfolded text of a unit goes.
    pub(crate) fn unfolded(&mut self, file: FileId) -> FileId {
        if let Some(id) = self.unfolded.get(&file) {
            return *id;
        }
        let name = format!("{}, unfolded", self.sources.file(file).name());
        let id = self.sources.add(SourceFile::new(name, ""));
        self.unfolded.insert(file, id);
        id
    }
}
