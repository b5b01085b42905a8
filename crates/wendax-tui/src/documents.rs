//! The files of the program that is open. The one being looked at is in [`App::editor`]; the others are parked
//! here, and those nobody looked at yet have no editor at all.

use crate::editor::Editor;
use crate::state::App;
use std::sync::Arc;
use wendax_source::FileId;

/// What a file is to the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Role {
    /// It is assembled.
    Source,
    /// A source includes it.
    Included,
    /// It says which files there are.
    Manifest,
}

impl Role {
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Source => "source",
            Self::Included => "included",
            Self::Manifest => "manifest",
        }
    }
}

#[derive(Debug, Clone)]
pub(crate) struct Document {
    /// What the assembler calls it.
    pub(crate) name: String,
    /// The whole path; `None` when it was never saved.
    pub(crate) path: Option<String>,
    pub(crate) role: Role,
    /// The text the file had on disk when it was last read here or written; `None` while there is no such file.
    pub(crate) base: Option<Arc<str>>,
    parked: Option<Editor>,
    /// The first line shown when it was looked at last.
    top: usize,
    /// Revision of the text the assembler was given last.
    sent: u64,
}

impl Document {
    pub(crate) fn new(name: String, path: Option<String>, role: Role) -> Self {
        Self { name, path, role, base: None, parked: None, top: 0, sent: 0 }
    }
}

impl Document {
    /// The same, with the text its file was read with, when there is a file.
    pub(crate) fn read_as(mut self, text: &str) -> Self {
        self.base = self.path.is_some().then(|| text.into());
        self
    }

    /// A file with text that was never saved; undo goes back to that on disk.
    pub(crate) fn recovered(name: String, path: String, on_disk: &str, text: &str) -> Self {
        let mut editor = Editor::new(on_disk);
        editor.replace_all(text);
        editor.take_shifts();
        Self { parked: Some(editor), base: Some(on_disk.into()), ..Self::new(name, Some(path), Role::Source) }
    }
}

impl App {
    /// The file being looked at.
    pub(crate) fn document(&self) -> &Document {
        &self.documents[self.current]
    }

    /// The number the assembler gave to a file.
    pub(crate) fn file_id(&self, index: usize) -> Option<FileId> {
        self.assembly.sources.find(&self.documents.get(index)?.name)
    }

    /// The file with a number of the assembler's.
    pub(crate) fn index_of(&self, file: FileId) -> Option<usize> {
        let name = self.assembly.sources.get(file)?.name();
        self.documents.iter().position(|document| document.name == name)
    }

    /// The file being looked at, by its number.
    pub(crate) fn current_id(&self) -> Option<FileId> {
        self.file_id(self.current)
    }

    /// The editor of a file, when there is one.
    pub(crate) fn editor_of(&self, index: usize) -> Option<&Editor> {
        if index == self.current { Some(&self.editor) } else { self.documents.get(index)?.parked.as_ref() }
    }

    /// The editor of a file; made of the text the assembler has when nobody looked at it yet.
    pub(crate) fn editor_of_mut(&mut self, index: usize) -> &mut Editor {
        if index == self.current {
            return &mut self.editor;
        }
        let text = self.file_id(index).map(|id| self.assembly.sources.file(id).shared_text());
        let document = &mut self.documents[index];
        if document.parked.is_none() {
            document.base.clone_from(&text);
        }
        document.parked.get_or_insert_with(|| Editor::new(text.as_deref().unwrap_or_default()))
    }

    /// Looks at another file.
    pub(crate) fn show_document(&mut self, index: usize) {
        if index == self.current || index >= self.documents.len() {
            return;
        }
        self.editor_of_mut(index);
        let Some(next) = self.documents[index].parked.take() else { return };
        let last = std::mem::replace(&mut self.editor, next);
        let from = &mut self.documents[self.current];
        (from.parked, from.top) = (Some(last), self.source_top);
        self.current = index;
        self.source_top = self.documents[index].top;
        self.completion = None;
    }

    /// Files with changes that are not saved.
    pub(crate) fn changed_documents(&self) -> Vec<usize> {
        (0..self.documents.len()).filter(|&index| self.editor_of(index).is_some_and(Editor::is_changed)).collect()
    }

    /// Texts the assembler does not have yet, which are noted as given.
    pub(crate) fn take_texts(&mut self) -> Vec<(String, String)> {
        let mut texts = Vec::new();
        for index in 0..self.documents.len() {
            let Some((revision, text)) = self
                .editor_of(index)
                .filter(|editor| editor.revision() != self.documents[index].sent)
                .map(|editor| (editor.revision(), editor.text()))
            else {
                continue;
            };
            self.documents[index].sent = revision;
            texts.push((self.documents[index].name.clone(), text));
        }
        texts
    }

    /// Goes up with every change of any file.
    pub(crate) fn generation(&self) -> u64 {
        (0..self.documents.len()).filter_map(|index| self.editor_of(index)).map(Editor::revision).sum::<u64>()
            + self.renewals
    }

    /// Takes over which files the program is made of. Files with changes stay, whatever happened to them.
    pub(crate) fn set_documents(&mut self, wanted: Vec<Document>) {
        let mut wanted = wanted;
        for index in 0..self.documents.len() {
            let name = &self.documents[index].name;
            let keeps = index == self.current || self.editor_of(index).is_some_and(Editor::is_changed);
            if keeps && !wanted.iter().any(|document| document.name == *name) {
                wanted.push(Document::new(
                    name.clone(),
                    self.documents[index].path.clone(),
                    self.documents[index].role,
                ));
            }
        }
        let current = self.documents[self.current].name.clone();
        let mut before = std::mem::take(&mut self.documents);
        for document in &mut wanted {
            if let Some(known) = before.iter_mut().find(|known| known.name == document.name) {
                document.parked = known.parked.take();
                (document.top, document.sent) = (known.top, known.sent);
                document.base = known.base.take();
                document.path = known.path.take().or(document.path.take());
            }
        }
        // The number that tells one state of all texts from another must not fall.
        let lost: u64 = before.iter().filter_map(|known| known.parked.as_ref()).map(Editor::revision).sum();
        self.renewals += lost;
        self.current = wanted.iter().position(|document| document.name == current).unwrap_or(0);
        self.documents = wanted;
    }

    /// Marks a file as saved under a path.
    pub(crate) fn mark_saved(&mut self, name: &str, revision: u64, path: &str, text: &str) {
        let Some(index) = self.documents.iter().position(|document| document.name == name) else { return };
        self.documents[index].path = Some(path.to_owned());
        self.documents[index].base = Some(text.into());
        let editor = self.editor_of_mut(index);
        if editor.revision() == revision {
            editor.mark_saved();
        }
    }
}
