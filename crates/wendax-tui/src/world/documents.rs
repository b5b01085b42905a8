//! The files of the program that is open.
//!
//! A document owns its text with its editor, and knows the text its file had on disk when it was last read or written:
//! that decides what "changed outside" means. It goes by a [`DocumentId`], which stays its own whatever happens to the
//! list; the assembler knows it by its name. Documents nobody looked at yet have no editor.

use super::editor::{Editor, Text};
use std::sync::Arc;

/// What a file is to the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Role {
    /// It is assembled.
    Source,
    /// A source includes it.
    Included,
    /// It says which files there are.
    Manifest,
    /// It was one of its files and is none now: what was written and marked in it stays.
    Apart,
}

impl Role {
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Source => "source",
            Self::Included => "included",
            Self::Manifest => "manifest",
            Self::Apart => "unused",
        }
    }
}

/// A document, as long as the program is open.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct DocumentId(u32);

#[derive(Debug, Clone)]
pub(crate) struct Document {
    /// What the assembler calls it.
    pub(crate) name: String,
    /// The whole path; `None` when it was never saved.
    pub(crate) path: Option<String>,
    pub(crate) role: Role,
    /// The text the file had on disk when it was last read here or written; `None` while there is no such file.
    pub(crate) base: Option<Arc<str>>,
    /// The text of the file that was removed, when nothing else was written here.
    pub(crate) removed: Option<Arc<str>>,
    /// The file cannot be written, and why.
    pub(crate) locked: Option<String>,
    /// The first line shown when it was looked at last.
    pub(crate) top: usize,
    editor: Option<Editor>,
    /// Revision of the text the assembler was given last.
    sent: u64,
}

impl Document {
    pub(crate) fn new(name: String, path: Option<String>, role: Role) -> Self {
        Self { name, path, role, base: None, removed: None, locked: None, editor: None, top: 0, sent: 0 }
    }

    /// The same, with its text and what its file has.
    pub(crate) fn with_text(mut self, text: &str, base: Option<&str>) -> Self {
        self.base = base.map(Into::into);
        self.editor = Some(Editor::new(text));
        self
    }

    /// A file with text that was never saved; undo goes back to that on disk.
    pub(crate) fn recovered(name: String, path: String, base: &str, text: &str) -> Self {
        let mut document = Self::new(name, Some(path), Role::Source).with_text(base, Some(base));
        document.recover(text);
        document
    }

    /// Puts text of last time in the place of the file's, as one change.
    pub(crate) fn recover(&mut self, text: &str) {
        if let Some(editor) = &mut self.editor {
            editor.become_text(text);
            editor.take_shifts();
        }
    }

    /// Its file has this text now: what is here is saved when it is the same, and unsaved otherwise.
    pub(crate) fn has_on_disk(&mut self, text: &str) {
        self.base = Some(text.into());
        match &mut self.editor {
            Some(editor) if editor.text() == text => editor.mark_saved(),
            Some(editor) => editor.mark_unsaved(),
            None => {}
        }
    }

    /// The name without its folders.
    pub(crate) fn short_name(&self) -> &str {
        let path = self.path.as_deref().unwrap_or(&self.name);
        path.rsplit('/').next().unwrap_or(path)
    }

    /// Its text, when someone looked at it.
    pub(crate) fn editor(&self) -> Option<&Editor> {
        self.editor.as_ref()
    }

    pub(crate) fn editor_mut(&mut self) -> Option<&mut Editor> {
        self.editor.as_mut()
    }

    /// Begins to look at it; `text` is what the file has.
    pub(crate) fn open(&mut self, text: Option<&Arc<str>>) -> &mut Editor {
        if self.editor.is_none() {
            self.base = text.cloned();
        }
        self.editor.get_or_insert_with(|| Editor::new(text.map_or("", |text| text)))
    }

    pub(crate) fn is_changed(&self) -> bool {
        self.editor.as_ref().is_some_and(Editor::is_changed)
    }

    /// Whether everyone's text is the same as what is here.
    fn revision(&self) -> u64 {
        self.editor.as_ref().map_or(0, Editor::revision)
    }
}

/// All documents: there is always one at least.
#[derive(Debug, Clone)]
pub(crate) struct Documents {
    list: Vec<(DocumentId, Document)>,
    next: u32,
    /// See [`Documents::generation`].
    renewals: u64,
}

impl Documents {
    pub(crate) fn new(first: Document) -> Self {
        Self { list: vec![(DocumentId(0), first)], next: 1, renewals: 0 }
    }

    pub(crate) fn first(&self) -> DocumentId {
        self.list.first().map_or(DocumentId(0), |(id, _)| *id)
    }

    pub(crate) fn len(&self) -> usize {
        self.list.len()
    }

    pub(crate) fn iter(&self) -> impl DoubleEndedIterator<Item = (DocumentId, &Document)> {
        self.list.iter().map(|(id, document)| (*id, document))
    }

    pub(crate) fn iter_mut(&mut self) -> impl Iterator<Item = (DocumentId, &mut Document)> {
        self.list.iter_mut().map(|(id, document)| (*id, document))
    }

    pub(crate) fn add(&mut self, document: Document) -> DocumentId {
        let id = DocumentId(self.next);
        self.next += 1;
        self.list.push((id, document));
        id
    }

    pub(crate) fn get(&self, id: DocumentId) -> Option<&Document> {
        self.list.iter().find(|(known, _)| *known == id).map(|(_, document)| document)
    }

    pub(crate) fn get_mut(&mut self, id: DocumentId) -> Option<&mut Document> {
        self.list.iter_mut().find(|(known, _)| *known == id).map(|(_, document)| document)
    }

    /// Its place in the list, from 0.
    pub(crate) fn place(&self, id: DocumentId) -> usize {
        self.list.iter().position(|(known, _)| *known == id).unwrap_or(0)
    }

    pub(crate) fn find(&self, name: &str) -> Option<DocumentId> {
        self.list.iter().find(|(_, document)| document.name == name).map(|(id, _)| *id)
    }

    /// Goes up with every change of any text.
    pub(crate) fn generation(&self) -> u64 {
        self.list.iter().map(|(_, document)| document.revision()).sum::<u64>() + self.renewals
    }

    /// Texts the assembler does not have yet, by name; they are noted as given.
    pub(crate) fn take_texts(&mut self) -> Vec<(String, Text)> {
        let mut texts = Vec::new();
        for (_, document) in &mut self.list {
            let revision = document.revision();
            if let Some(editor) = document.editor.as_ref().filter(|_| revision != document.sent) {
                texts.push((document.name.clone(), editor.shared_text()));
                document.sent = revision;
            }
        }
        texts
    }

    /// Takes over which files the program is made of. Of the others those stay that `keeps` wants.
    pub(crate) fn become_list(&mut self, wanted: Vec<Document>, keeps: impl Fn(DocumentId, &Document) -> bool) {
        let mut before = std::mem::take(&mut self.list);
        for mut document in wanted {
            match before.iter().position(|(_, known)| known.name == document.name) {
                Some(at) => {
                    let (id, known) = before.remove(at);
                    document = Document { role: document.role, path: known.path.clone().or(document.path), ..known };
                    self.list.push((id, document));
                }
                None => {
                    self.add(document);
                }
            }
        }
        for (id, document) in before {
            if keeps(id, &document) {
                self.list.push((id, Document { role: Role::Apart, ..document }));
            } else {
                // The number that tells one state of all texts from another must not fall.
                self.renewals += document.revision();
            }
        }
    }
}
