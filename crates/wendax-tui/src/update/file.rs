//! Files: saving, texts that change or go on disk meanwhile, the end.

use super::prompts;
use crate::actions::{File, Look};
use crate::app::App;
use crate::message::Effect;
use crate::screen::Mode;
use crate::sheet::Sheet;
use crate::world::documents::{Document, Role};
use std::path::PathBuf;
use wendax_trials::edit;

impl App {
    pub(super) fn file(&mut self, file: File, effects: &mut Vec<Effect>) {
        match file {
            File::Save => self.save(false, effects),
            File::Quit if self.is_changed() => self.screen.sheet = Some(Sheet::Leaving),
            File::Quit => effects.push(Effect::Quit),
            File::CopyRow => self.change_row(edit::copy, effects),
            File::RemoveRow => self.change_row(edit::remove, effects),
            File::UndoRow => self.undo_row(effects),
        }
    }

    /// Saves every file that was changed, and the one being looked at.
    pub(super) fn save(&mut self, leave: bool, effects: &mut Vec<Effect>) {
        if self.world.is_image() {
            return;
        }
        if self.ask_about_conflicts() {
            return;
        }
        let shown = self.screen.shown;
        let mut asks = false;
        for (id, document) in self.world.documents.iter() {
            let Some(editor) = document.editor().filter(|editor| editor.is_changed() || id == shown) else { continue };
            match &document.path {
                Some(path) => {
                    effects.push(Effect::Save(document.name.clone(), path.clone(), editor.shared_text()));
                }
                None => asks = true,
            }
        }
        if asks {
            self.prompt(if leave { prompts::SAVE_AND_LEAVE } else { prompts::SAVE_AS });
        }
    }

    /// Saves the text that is shown under a name.
    pub(super) fn save_as(&mut self, path: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        if path.is_empty() {
            return Err("a file needs a name, such as weights.asm".to_owned());
        }
        effects.push(Effect::Save(self.document().name.clone(), path.to_owned(), self.editor().shared_text()));
        Ok(())
    }

    pub(super) fn saved(&mut self, name: &str, path: &str, text: &str, effects: &mut Vec<Effect>) {
        let is_part = !self.world.root.is_empty();
        if let Some(document) = self.world.documents.find(name).and_then(|id| self.world.documents.get_mut(id)) {
            if document.path.as_deref() != Some(path) {
                if is_part {
                    // The program is still made of the file it names; that one was not written.
                    return self.screen.say(format!("a copy is saved as {path}; the program goes on with {name}"));
                }
                effects.extend((document.name != path).then(|| Effect::Rename(document.name.clone(), path.to_owned())));
                (document.name, document.path) = (path.to_owned(), Some(path.to_owned()));
            }
            document.locked = None;
            // It may have gone on meanwhile.
            document.has_on_disk(text);
        }
        self.screen.say(format!("saved as {path}"));
        if matches!(self.screen.sheet, Some(Sheet::Leaving)) && !self.is_changed() {
            effects.push(Effect::Quit);
        }
    }

    /// Begins a new file of the program, which is there once it is saved.
    pub(super) fn new_file(&mut self, name: &str) -> Result<(), String> {
        let name = name.trim_start_matches("./");
        if name.is_empty() || name.ends_with('/') {
            return Err("a file needs a name, such as gate.asm".to_owned());
        }
        if self.world.documents.find(name).is_some() {
            return Err(format!("{name} is a file of the program already; f shows them"));
        }
        let folder = match self.document().path.as_deref().and_then(|path| path.rsplit_once('/')) {
            Some((folder, _)) if self.world.root.is_empty() => format!("{folder}/"),
            _ => self.world.root.clone(),
        };
        let path = if name.starts_with('/') { name.to_owned() } else { format!("{folder}{name}") };
        let document = Document::new(name.to_owned(), Some(path), Role::Source).with_text("", None);
        let id = self.world.documents.add(document);
        self.show_document(id);
        self.editor_mut().mark_unsaved();
        self.look(Look::Write);
        self.screen.say(format!("{name} is there once it is saved; Ctrl-S saves"));
        Ok(())
    }

    /// A file cannot be written, or can be again.
    pub(super) fn locked(&mut self, name: &str, why: Option<String>) {
        if let Some(document) = self.world.documents.find(name).and_then(|id| self.world.documents.get_mut(id)) {
            document.locked = why;
        }
    }

    /// A file has another text on disk: taken over when it is not changed here, merged when that can be done, else
    /// asked about.
    pub(super) fn changed_elsewhere(&mut self, name: &str, base: &str, theirs: String) {
        self.forget_conflict(name);
        let Some(document) = self.world.documents.find(name).and_then(|id| self.world.documents.get_mut(id)) else {
            return;
        };
        // It was looked at before it was saved, or read, the last time.
        if document.base.as_deref().unwrap_or_default() != base {
            return;
        }
        let removed = document.removed.take();
        let Some(editor) = document.editor_mut() else { return };
        let ours = editor.text();
        if ours == theirs {
            return document.has_on_disk(&theirs);
        }
        // Nothing was written here since the file was removed, or since it was read.
        if removed.is_some_and(|removed| *removed == *ours) || !editor.is_changed() {
            editor.become_text(&theirs);
            document.has_on_disk(&theirs);
            self.screen.say(format!("{name} was changed by someone else, and is shown as it is now"));
            return;
        }
        if let Ok(merged) = diffy::merge(base, &ours, &theirs) {
            editor.become_text(&merged);
            document.has_on_disk(&theirs);
            self.screen
                .say(format!("{name} was changed by someone else too; both changes are in the text now, unsaved"));
        } else {
            // Until it is decided which of them stays, nothing is written over the other text.
            self.world.conflicts.push((name.to_owned(), theirs));
            self.screen.trouble(format!("{name} was changed on disk too, at the same lines: Ctrl-S shows both"));
        }
    }

    /// A file is no longer there: its text is here alone now.
    pub(super) fn gone_elsewhere(&mut self, name: &str) {
        self.forget_conflict(name);
        let Some(document) = self.world.documents.find(name).and_then(|id| self.world.documents.get_mut(id)) else {
            return;
        };
        let is_changed = document.is_changed();
        document.removed = document.base.take().filter(|_| !is_changed);
        if let Some(editor) = document.editor_mut() {
            editor.mark_unsaved();
        }
        self.screen
            .trouble(format!("{name} is no longer on disk: its text is here alone now, and saving writes it again"));
    }

    /// Texts that have come to be what is on disk, by an undo or by hand, are no longer asked about.
    pub(super) fn settle_conflicts(&mut self) {
        let documents = &mut self.world.documents;
        self.world.conflicts.retain(|(name, theirs)| {
            let document = documents.find(name).and_then(|id| documents.get_mut(id));
            let Some(document) = document.filter(|document| document.editor().is_some_and(|it| it.text() == *theirs))
            else {
                return true;
            };
            document.has_on_disk(theirs);
            false
        });
    }

    /// What was asked about a file is about an older text of it by now.
    fn forget_conflict(&mut self, name: &str) {
        self.world.conflicts.retain(|(known, _)| known != name);
        if matches!(&self.screen.sheet, Some(Sheet::Conflict { name: asked, .. }) if asked == name) {
            self.screen.sheet = None;
        }
    }

    /// Asks about the next text that two have changed: when it is to be saved, never while someone is writing.
    fn ask_about_conflicts(&mut self) -> bool {
        let Some((name, theirs)) = self.world.conflicts.first().cloned() else { return false };
        if let Some(id) = self.world.documents.find(&name) {
            self.show_document(id);
        }
        self.screen.sheet = Some(Sheet::Conflict { name, theirs });
        true
    }

    /// A file that is to be written is there already.
    pub(super) fn ask_to_write_over(&mut self, effect: Box<Effect>) {
        if self.screen.sheet.is_some() || self.screen.mode == Mode::Write {
            let path = effect.writes().unwrap_or_default();
            return self
                .screen
                .trouble(format!("{path} is there already, and was not written over: ask for it once more"));
        }
        self.screen.sheet = Some(Sheet::Exists { effect });
    }

    /// The project wants to open folders outside of its own. Asked again with the next build when it is no time to ask.
    pub(super) fn ask_about_reach(&mut self, mut folders: Vec<PathBuf>) {
        folders.retain(|folder| !self.world.put_off.contains(folder));
        if !folders.is_empty() && self.screen.sheet.is_none() && self.screen.mode == Mode::Walk && !self.takes_input() {
            self.screen.sheet = Some(Sheet::Reach { folders });
        }
    }

    /// It was decided what becomes of a text that two have changed: that on disk is known from now on.
    pub(super) fn answer_conflict(&mut self, name: &str, theirs: &str, is_theirs: bool) {
        self.world.conflicts.retain(|(known, _)| known != name);
        let Some(document) = self.world.documents.find(name).and_then(|id| self.world.documents.get_mut(id)) else {
            return;
        };
        if let Some(editor) = document.editor_mut().filter(|_| is_theirs) {
            editor.become_text(theirs);
        }
        document.has_on_disk(theirs);
        if !is_theirs {
            self.ask_about_conflicts();
            return self.screen.say(format!("your text of {name} stays; saving puts it in the place of the other"));
        }
        self.ask_about_conflicts();
        self.screen.say("the text on disk is here now; Ctrl-Z while writing brings yours back");
    }
}
