//! What is offered while writing: words that may stand at the cursor, and what is wanted there.

use crate::documents::Role;
use crate::state::{App, Mode};
use wendax_asm::{Offers, offers};

/// Letters of a word before anything is offered by itself.
const TELLING: usize = 2;

/// Words being offered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Completion {
    pub(crate) offers: Offers,
    pub(crate) chosen: usize,
}

impl App {
    /// Offers words for the place of the cursor; `asked` even when hardly anything was written yet.
    pub(crate) fn offer(&mut self, asked: bool) {
        self.completion = None;
        if self.mode != Mode::Write || self.document().role == Role::Manifest {
            return;
        }
        let (line, column) = self.editor.cursor();
        let text = self.editor.line(line);
        let at = text.char_indices().nth(column).map_or(text.len(), |(at, _)| at);
        let found = offers(&self.assembly, self.current_id(), &text, at);
        // Behind `sys` a name must come, so nothing needs to be written first.
        let call = text[..found.replaces.start.min(text.len())].trim_end().to_ascii_lowercase().ends_with("sys");
        if !found.list.is_empty() && (asked || call || found.replaces.len() >= TELLING) {
            self.completion = Some(Completion { offers: found, chosen: 0 });
        }
    }

    /// Chooses another of the words offered.
    pub(crate) fn choose_offer(&mut self, by: isize) {
        if let Some(completion) = &mut self.completion {
            let last = completion.offers.list.len() - 1;
            completion.chosen = completion.chosen.saturating_add_signed(by).min(last);
        }
    }

    /// Writes the word chosen.
    pub(crate) fn take_offer(&mut self) -> bool {
        let Some(completion) = self.completion.take() else { return false };
        let Some(offer) = completion.offers.list.get(completion.chosen) else { return false };
        let line = self.editor.cursor().0;
        let start = self.editor.byte_at(line, 0);
        let range = start + completion.offers.replaces.start..start + completion.offers.replaces.end;
        let end = range.start + offer.text.len();
        self.editor.apply(&[(range, offer.text.clone())]);
        let (line, column) = self.editor.place_of_byte(end);
        self.editor.go_to(line, column);
        true
    }
}
