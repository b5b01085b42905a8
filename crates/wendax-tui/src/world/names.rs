//! Names of the program at a place of its text: what they are, where else they stand, other spellings.

use super::World;
use super::documents::DocumentId;
use wendax_language::Written;
use wendax_session::{Names, Session};
use wendax_source::Span;

impl World {
    /// The name at a byte of a document: its place and spelling.
    pub(crate) fn name_at(&self, id: DocumentId, byte: usize) -> Option<(Span, String)> {
        let file = self.file_id(id)?;
        let span = self.program.assembly.name_at(file, u32::try_from(byte).ok()?)?;
        Some((span, self.program.assembly.sources.text_of(span).to_owned()))
    }

    /// The names on a line (from 0) of a document, from left to right, each once.
    pub(crate) fn names_on(&self, id: DocumentId, line: usize) -> Vec<(Span, String)> {
        let Some(editor) = self.documents.get(id).and_then(|document| document.editor()) else { return Vec::new() };
        let start = editor.byte_at(line, 0);
        let text = editor.line(line);
        let mut names: Vec<(Span, String)> = Vec::new();
        for (range, lexeme) in wendax_language::lexemes(&text, self.program.assembly.image.target) {
            if !matches!(
                lexeme,
                wendax_language::Lexeme::Name | wendax_language::Lexeme::Definition | wendax_language::Lexeme::Mnemonic
            ) {
                continue;
            }
            if let Some(found) = self.name_at(id, start + range.start)
                && names.iter().all(|(span, _)| *span != found.0)
            {
                names.push(found);
            }
        }
        names
    }

    /// Gives a name another spelling wherever it stands: how many places, and in which documents.
    pub(crate) fn rename(&mut self, span: Span, from: &str, to: &str) -> Result<(usize, Vec<DocumentId>), String> {
        let to = if from.starts_with('@') && !to.starts_with('@') { format!("@{to}") } else { to.to_owned() };
        let places = self.program.assembly.rename(span, &to).map_err(|error| error.to_string())?;
        let mut documents: Vec<DocumentId> = places.iter().filter_map(|place| self.document_of(place.file)).collect();
        documents.sort_unstable();
        documents.dedup();
        for &id in &documents {
            let file = self.file_id(id);
            let here = places.iter().filter(|place| Some(place.file) == file);
            let edits: Vec<_> = here.map(|place| (place.range(), to.clone())).collect();
            if let Some(editor) = self.open(id) {
                editor.apply(&edits);
            }
        }
        Ok((places.len(), documents))
    }
}

/// The names a run knows at the place it is at.
pub(crate) fn names_of(session: &Session) -> Names<'_> {
    Names::new(session.image(), session.machine().target(), session.present_address())
}
