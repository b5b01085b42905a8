//! What was assembled is taken over: the program, its files, its walk.

use crate::app::App;
use crate::screen::Mode;
use crate::world::documents::{Document, Role};
use wendax_language::Written;
use wendax_project::Built;

impl App {
    pub(super) fn assembled(&mut self, generation: u64, built: Built) {
        if generation != self.world.documents.generation() {
            return;
        }
        let first = self.world.program.assembled.is_none();
        self.take_files(&built);
        // Which files there are may have changed the number; the texts are those that were assembled.
        let now = self.world.documents.generation();
        (self.world.program.assembled, self.world.program.asked) = (Some(now), Some(now));
        let settings_changed = self.world.program.take(built);
        let again = first && self.screen.kept.is_some();
        if self.screen.mode == Mode::Write && self.screen.offering.is_some() {
            self.renew_offer();
        }
        if !self.world.program.is_runnable() {
            // What was walked already can still be looked at.
            self.world.walk.is_stale = self.world.walk.has_begun();
            if first {
                self.next_problem();
            }
        } else if self.world.program.assembly.image.segments.is_empty() {
            self.world.walk.session = None;
        } else {
            self.take_image(first, settings_changed);
        }
        if again {
            self.take_kept();
            self.place_stops();
        }
    }

    /// Nothing was built, and that is no fault of the text: the work goes on with what was built last.
    pub(super) fn not_assembled(&mut self, generation: u64, why: &str) {
        if generation == self.world.documents.generation() {
            self.screen.trouble(why);
        }
    }

    /// Walks the new image: at once when nothing has been run yet, else when it is the same program; otherwise the
    /// walk goes on through the older one until it is asked to change.
    fn take_image(&mut self, first: bool, settings_changed: bool) {
        if !self.world.compare_walk(settings_changed) {
            if self.world.walk.has_begun() {
                return;
            }
            self.world.new_session();
            if first {
                self.show_present_line();
                if self.world.walk.uses_devices {
                    self.screen.pace = super::slow::REAL_TIME;
                }
            }
        }
        self.place_stops();
    }

    /// The files of the program: sources in their order, what they include, the manifest.
    fn take_files(&mut self, built: &Built) {
        let documents = &self.world.documents;
        let is_single = built.manifest.is_none() && self.world.root.is_empty() && documents.len() == 1;
        if is_single && built.assembly.files().len() <= 1 {
            return;
        }
        let root = &self.world.root;
        let path = |name: &str| Some(if name.starts_with('/') { name.to_owned() } else { format!("{root}{name}") });
        let document = |name: &str, role| Document::new(name.to_owned(), path(name), role);
        let mut wanted: Vec<Document> = built.inputs.sources.iter().map(|name| document(name, Role::Source)).collect();
        for file in built.assembly.files() {
            let name = built.assembly.sources.file(file).name();
            if !wanted.iter().any(|known| known.name == name) {
                wanted.push(document(name, Role::Included));
            }
        }
        if let Some(manifest) = &built.manifest {
            wanted.push(document(manifest, Role::Manifest));
        }
        // What anybody looked at has an undo, and perhaps stops: it stays as long as the bench does.
        self.world.documents.become_list(wanted, |_, document| document.editor().is_some());
    }
}
