//! The whole interface: the world and the screen, and what whoever owns terminal and files asks of them.

use crate::kept::Kept;
use crate::message::{Effect, OpenFile, Unsaved};
use crate::pane_id::PaneId;
use crate::preferences::{Numbers, Preferences};
use crate::screen::{Mode, Screen, Typing};
use crate::theme::Theme;
use crate::world::documents::{Document, DocumentId, Role};
use crate::world::editor::Editor;
use crate::world::stops::Place;
use crate::world::values::Lens;
use crate::world::{Origin, World};
use std::path::PathBuf;
use wendax_asm::{Assembly, disassembly};
use wendax_image::{Image, Line};
use wendax_machine::{Addr, RegionKind, Settings};
use wendax_session::{Session, State, Thing, Why};
use wendax_source::{FileId, SourceFile, Sources};

/// All that is true of the interface.
#[derive(Debug, Clone)]
pub struct App {
    pub(crate) world: World,
    pub(crate) screen: Screen,
}

impl App {
    fn of(world: World, mode: Mode, settings: Settings, theme: Theme) -> Self {
        let shown = world.documents.first();
        let mut app = Self { world, screen: Screen::new(shown, mode, theme) };
        app.world.program.settings = settings;
        app
    }

    /// A bench for a text. The owner is to send [`crate::Message::Resized`] first.
    pub fn new(path: Option<String>, text: &str, settings: Settings, theme: Theme) -> Self {
        let name = path.clone().unwrap_or_else(|| "untitled.asm".to_owned());
        let base = path.as_ref().and(Some(text));
        let document = Document::new(name, path, Role::Source).with_text(text, base);
        let mode = if text.is_empty() { Mode::Write } else { Mode::Walk };
        Self::of(World::new(document, String::new(), Origin::Sources), mode, settings, theme)
    }

    /// A bench for a program of several files, of which `name` is looked at first; paths count from `root`.
    pub fn in_project(root: &str, name: &str, text: &str, settings: Settings, theme: Theme) -> Self {
        let root = format!("{}/", root.trim_end_matches('/'));
        let document = Document::new(name.to_owned(), Some(format!("{root}{name}")), Role::Source);
        let mode = if text.is_empty() { Mode::Write } else { Mode::Walk };
        Self::of(World::new(document.with_text(text, Some(text)), root, Origin::Sources), mode, settings, theme)
    }

    /// The same for a file that is not there yet.
    #[must_use]
    pub fn with_new_file(mut self) -> Self {
        if let Some(document) = self.world.documents.get_mut(self.screen.shown) {
            document.base = None;
        }
        self
    }

    /// The same, with unsaved text found after a crash in the place of the file's; undo goes back to that. `base` is what
    /// the file held when the text was kept, `None` when there was no file: what happened to it since is not written over.
    #[must_use]
    pub fn with_recovered(mut self, text: &str, base: Option<&str>) -> Self {
        if let Some(document) = self.world.documents.get_mut(self.screen.shown) {
            document.base = base.map(Into::into);
            document.recover(text);
        }
        self.screen.say(
            "unsaved text of last time was recovered; Ctrl-S keeps it, Ctrl-Z while writing goes back to the file",
        );
        self
    }

    /// The same for another file of the program, by its path.
    #[must_use]
    pub fn with_recovered_file(mut self, path: &str, base: &str, text: &str) -> Self {
        self.recovered(path, base, text);
        self
    }

    /// Unsaved text of a file of the program was found, by its path.
    pub(crate) fn recovered(&mut self, path: &str, base: &str, text: &str) {
        let documents = &mut self.world.documents;
        let known = documents.iter().find(|(_, document)| document.path.as_deref() == Some(path)).map(|(id, _)| id);
        let name = match known.and_then(|id| documents.get_mut(id)) {
            // What is written here already is newer.
            Some(document) if document.is_changed() => return,
            Some(document) => {
                document.open(Some(&base.into()));
                document.base = Some(base.into());
                document.recover(text);
                document.name.clone()
            }
            None => {
                let name = path.strip_prefix(&self.world.root).unwrap_or(path).to_owned();
                documents.add(Document::recovered(name.clone(), path.to_owned(), base, text));
                name
            }
        };
        self.screen.say(format!("unsaved text of last time was recovered, also of {name}; f shows the files"));
    }

    /// A bench for an image that has no source: its disassembly takes the place of the text.
    pub fn for_image(path: String, image: &Image, settings: Settings, theme: Theme) -> Self {
        let (text, image) = disassembly(image);
        let (sources, _) = Sources::single(path.clone(), text.as_str());
        let document = Document::new(path.clone(), Some(path.clone()), Role::Source).with_text(&text, Some(&text));
        let mut app = Self::of(World::new(document, String::new(), Origin::Image(path)), Mode::Walk, settings, theme);
        app.walk_image(Assembly::of_image(image, sources));
        app
    }

    /// A bench for an image with the sources it was made of, which are shown, and not written.
    pub fn for_image_with_sources(path: String, assembly: Assembly, settings: Settings, theme: Theme) -> Self {
        // One without any is shown as its disassembly.
        if assembly.image.lines.is_empty() {
            return Self::for_image(path, &assembly.image, settings, theme);
        }
        let sources = &assembly.sources;
        let first = assembly.image.line_at(assembly.image.entry).map_or(FileId(0), |line| line.span.file);
        let mut files: Vec<FileId> = assembly.image.lines.iter().map(|line| line.span.file).collect();
        files.sort_unstable();
        files.dedup();
        let document = |id: FileId| {
            let name = sources.file(id).name().to_owned();
            Document::new(name.clone(), Some(name), Role::Source)
        };
        let text = sources.get(first).map(SourceFile::shared_text).unwrap_or_default();
        let shown = document(first).with_text(&text, Some(&text));
        let mut world = World::new(shown, String::new(), Origin::Image(path));
        for id in files.into_iter().filter(|id| *id != first) {
            world.documents.add(document(id));
        }
        let mut app = Self::of(world, Mode::Walk, settings, theme);
        app.walk_image(assembly);
        app
    }

    /// The same, doing so many steps between two looks at the keys: few under test, so that what takes long there is
    /// long under way here.
    #[must_use]
    pub fn with_slice(mut self, steps: u64) -> Self {
        self.world.slice = steps.max(1);
        self
    }

    /// The same, with something to be told at the start.
    #[must_use]
    pub fn with_note(mut self, text: &str) -> Self {
        if !text.is_empty() {
            self.screen.trouble(text);
        }
        self
    }

    fn walk_image(&mut self, assembly: Assembly) {
        self.world.program.assembly = assembly;
        self.world.new_session();
        let generation = self.world.documents.generation();
        (self.world.program.assembled, self.world.program.asked) = (Some(generation), Some(generation));
        self.show_present_line();
    }

    /// The same for an image, whose program needs no assembling.
    #[must_use]
    pub fn with_kept_of_image(mut self, kept: Kept) -> Self {
        self = self.with_kept(kept);
        self.take_kept();
        self.world.place_stops();
        self
    }

    // ---- for whoever owns terminal and files

    /// The texts to assemble first.
    pub fn first_effects(&mut self) -> Vec<Effect> {
        if self.world.is_image() {
            let mut effects = Vec::new();
            self.begin_wanted_exercise(&mut effects);
            self.try_rows(&mut effects);
            return effects;
        }
        let generation = self.world.documents.generation();
        self.world.program.asked = Some(generation);
        let mut texts = self.world.documents.take_texts();
        let name = &self.document().name;
        if !texts.iter().any(|(known, _)| known == name) {
            texts.insert(0, (name.clone(), self.editor().shared_text()));
        }
        vec![Effect::Assemble(generation, texts)]
    }

    /// Has the same texts assembled again: files that are not looked at may have changed.
    pub fn assemble_again(&mut self) -> Vec<Effect> {
        if self.world.is_image() {
            return Vec::new();
        }
        let generation = self.world.documents.generation();
        self.world.program.asked = Some(generation);
        vec![Effect::Assemble(generation, self.world.documents.take_texts())]
    }

    /// The program is running: [`crate::Message::Work`] will get it on.
    pub fn has_work(&self) -> bool {
        self.world.walk.replay.is_some()
            || self.world.walk.awaited.is_none() && self.world.walk.is_running()
            || self.has_questions()
    }

    /// This entry is the one chosen in the pane, and the pane is in focus.
    pub(crate) fn is_chosen(&self, pane: PaneId, entry: usize) -> bool {
        self.screen.mode == Mode::Walk && self.screen.focus == pane && self.screen.panes.of(pane).chosen == entry
    }

    /// What is chosen in the pane in focus, when that can be written and read.
    pub(crate) fn thing_chosen(&self) -> Option<Thing> {
        let pane = self.screen.focus.pane();
        let count = pane.entries(self)?;
        pane.thing(self, self.screen.panes.of(self.screen.focus).chosen.min(count.saturating_sub(1)))
    }

    /// A thing in words that can be read and set.
    pub(crate) fn settable_words(&self, thing: Thing) -> String {
        let words = self.thing_words(thing);
        let Thing::Cells(from, to) = thing else { return words };
        let Some(session) = self.session() else { return words };
        let target = session.machine().target();
        let place = match session.image().nearest_label(from) {
            Some((symbol, 0)) => symbol.name.clone(),
            Some((symbol, offset)) if offset < 256 => format!("{} + {offset}", symbol.name),
            _ => target.marked_address(from),
        };
        if from + 1 == to { format!("byte [{place}]") } else { format!("[{place}]") }
    }

    /// A thing by its name.
    pub(crate) fn thing_words(&self, thing: Thing) -> String {
        let Some(session) = self.session() else { return String::new() };
        let target = session.machine().target();
        match thing {
            Thing::Register(register) => target.register_name(register).to_owned(),
            Thing::Flag(bit) => {
                let flag = target.flags.iter().find(|flag| flag.bit == bit);
                flag.map_or(String::new(), |flag| flag.name.to_string())
            }
            Thing::Cells(from, to) => {
                let label = match (target.device(from), session.image().nearest_label(from)) {
                    (Some(device), _) => device.name.to_owned(),
                    (None, Some((symbol, 0))) => symbol.name.clone(),
                    (None, Some((symbol, offset))) if offset < 256 => format!("{} + {offset}", symbol.name),
                    (None, _) => target.marked_address(from),
                };
                if from + 1 == to { format!("byte [{label}]") } else { label }
            }
        }
    }

    /// The machine that the program is for.
    pub fn machine(&self) -> &'static wendax_isa::Target {
        self.world.program.assembly.image.target
    }

    /// A text differs from its file.
    pub fn is_changed(&self) -> bool {
        self.world.documents.iter().any(|(_, document)| document.is_changed())
    }

    /// Texts that stand in no file as they are here.
    pub fn unsaved(&self) -> Vec<Unsaved> {
        let is_alone = |document: &Document| document.is_changed() || document.removed.is_some();
        let changed = self.world.documents.iter().filter(|(_, document)| is_alone(document));
        let texts = changed.filter_map(|(_, document)| {
            let editor = document.editor()?;
            Some(Unsaved {
                name: document.name.clone(),
                path: document.path.clone(),
                base: document.base.clone(),
                text: editor.shared_text(),
                revision: editor.revision(),
            })
        });
        texts.collect()
    }

    /// The text of a file as it is here, when someone looked at it.
    pub fn text_of(&self, name: &str) -> Option<String> {
        self.world.documents.get(self.world.documents.find(name)?)?.editor().map(Editor::text)
    }

    /// Files that are looked at, with the text each had on disk when it was last read here or written.
    pub fn open_files(&self) -> Vec<OpenFile> {
        let open = self.world.documents.iter().filter(|(_, document)| document.editor().is_some());
        let files = open.filter_map(|(_, document)| {
            let Document { name, path, base, .. } = document;
            Some(OpenFile { name: name.clone(), path: path.clone()?, base: base.clone() })
        });
        files.collect()
    }

    /// The paths of all files of the program, and what else they are made of.
    pub fn program_files(&self) -> Vec<String> {
        self.world.documents.iter().filter_map(|(_, document)| document.path.clone()).collect()
    }

    /// What is shown is an image, which nothing is ever written to.
    pub fn is_image(&self) -> bool {
        self.world.is_image()
    }

    /// The path of the file being looked at; `None` when it was never saved.
    pub fn path(&self) -> Option<&str> {
        self.document().path.as_deref()
    }

    /// A message shown to the user, if there is one.
    pub fn message(&self) -> Option<&str> {
        self.screen.said.as_ref().map(|(_, text)| text.as_str())
    }

    /// Writing or walking.
    pub fn mode(&self) -> Mode {
        self.screen.mode
    }

    /// The text being looked at.
    pub fn editor(&self) -> &Editor {
        self.document().editor().expect("the document shown was opened when it was shown")
    }

    // ---- for panes, sheets and updates

    /// The document being looked at.
    pub(crate) fn document(&self) -> &Document {
        self.world.documents.get(self.screen.shown).expect("the document shown stays in the list")
    }

    pub(crate) fn editor_mut(&mut self) -> &mut Editor {
        self.world.shown_editor(self.screen.shown)
    }

    pub(crate) fn session(&self) -> Option<&Session> {
        self.world.walk.session.as_ref()
    }

    /// The run was begun with this input.
    pub(crate) fn typed_at_start(&self, typed: &[u8]) -> bool {
        let first = self.session().and_then(Session::first_input);
        !typed.is_empty() && first == Some(typed)
    }

    /// The same, with arguments for its runs.
    #[must_use]
    pub fn with_arguments(mut self, arguments: Vec<String>) -> Self {
        if !arguments.is_empty() {
            self.world.given.arguments = Some(arguments.into_iter().map(String::into_bytes).collect());
        }
        self
    }

    /// The same for a demo, whose page of what to try is shown first.
    #[must_use]
    pub fn with_page(mut self, page: Option<&str>) -> Self {
        if let Some(page) = page {
            page.clone_into(&mut self.screen.page);
            self.screen.sheet = Some(crate::sheet::Sheet::Page { what: crate::actions::Text::Try, scroll: 0 });
        }
        self
    }

    /// The same with an exercise, which begins when there is a program: the path of its file, and its text.
    #[must_use]
    pub fn with_exercise(mut self, exercise: Option<(String, String)>) -> Self {
        self.world.wanted_exercise = exercise;
        self
    }

    /// The same with a table of trials: the path of its file, and its text. With `is_shown` it is looked at first; with
    /// `is_other` it is about another program where its rows do not say which.
    #[must_use]
    pub fn with_table(mut self, (path, text): (String, String), is_shown: bool, is_other: bool) -> Self {
        let opened = self.opened(is_other);
        self.world.trials.read(path, text, opened);
        self.world.trials.is_wanted = is_shown;
        self
    }

    /// The same, with a row of the table that is walked as soon as it was tried.
    #[must_use]
    pub fn with_row(mut self, row: Option<String>) -> Self {
        self.world.trials.wanted_row = row;
        self
    }

    /// The file of the table of trials, with the text it is known by.
    pub fn table_file(&self) -> Option<(&str, &str)> {
        self.world.trials.file()
    }

    /// Files that rows of trials hang on beside the table and the program itself, as they were last tried.
    pub fn files_of_rows(&self) -> Vec<String> {
        let own: Vec<_> = self.program_files().iter().filter_map(|path| std::path::absolute(path).ok()).collect();
        let is_other = |path: &&String| !own.iter().any(|own| own == std::path::Path::new(path.as_str()));
        self.world.trials.files().iter().filter(is_other).cloned().collect()
    }

    /// The same, with a page that says what is set.
    #[must_use]
    pub fn with_settings_page(mut self, page: String) -> Self {
        self.screen.settings_page = page;
        self
    }

    /// The same, with a folder for the program's files.
    #[must_use]
    pub fn with_folder(mut self, folder: Option<PathBuf>) -> Self {
        self.world.given.folder = folder;
        self
    }

    /// The program as it was assembled last.
    pub fn assembly(&self) -> &Assembly {
        &self.world.program.assembly
    }

    /// The program asks for typed input.
    pub(crate) fn is_waiting(&self) -> bool {
        self.world.walk.state() == Some(&State::Waiting)
    }

    /// The program runs, and not through its past.
    pub(crate) fn runs_on(&self) -> bool {
        self.session().is_some_and(|session| session.is_running() && session.can_be_typed_to())
    }

    /// The walk went back to where something was typed to the program: it asks there, and can be typed something else.
    pub(crate) fn was_typed_here(&self) -> bool {
        self.world.walk.state() == Some(&State::Paused(Why::Typed))
            && self.session().is_some_and(|session| session.now() < session.end())
    }

    /// What is typed goes to the program.
    pub(crate) fn takes_input(&self) -> bool {
        if self.screen.mode != Mode::Walk || self.session().is_none() {
            return false;
        }
        match self.screen.typing {
            Typing::Program => true,
            Typing::Commands | Typing::Keys => false,
            Typing::ByState => {
                let is_seen = self.screen.layout.area(PaneId::Console).is_some();
                let is_slow = self.world.walk.is_slow && self.screen.focus == PaneId::Console;
                is_seen
                    && self.screen.focus != PaneId::Board
                    && (self.is_waiting() || self.runs_on() || is_slow || self.was_typed_here())
            }
        }
    }

    /// Looks at another document.
    pub(crate) fn show_document(&mut self, id: DocumentId) {
        if id == self.screen.shown || self.world.open(id).is_none() {
            return;
        }
        let top = self.screen.source.top;
        if let Some(before) = self.world.documents.get_mut(self.screen.shown) {
            before.top = top;
        }
        self.screen.shown = id;
        self.screen.source.top = self.document().top;
        self.screen.offering = None;
    }

    /// Looks at a line (from 0) of a document.
    pub(crate) fn show_line(&mut self, id: DocumentId, line: usize) {
        self.show_document(id);
        let editor = self.editor_mut();
        editor.select(false);
        editor.go_to(line, 0);
    }

    /// Which part of what the cursor's line became the cursor is on.
    pub(crate) fn part_under_cursor(&self) -> Option<usize> {
        let (id, line, part) = self.screen.source.part?;
        let is_here = self.screen.mode == Mode::Walk && id == self.screen.shown && line == self.editor().cursor().0;
        is_here.then_some(part)
    }

    /// What is under the cursor as a place to stop at: a line, or a part of what it became.
    pub(crate) fn place_under_cursor(&self) -> Place {
        let (document, line) = (self.screen.shown, self.editor().cursor().0);
        match self.part_under_cursor() {
            Some(nth) => Place::Part { document, line, nth },
            None => Place::Line { document, line },
        }
    }

    pub(crate) fn show_present_line(&mut self) {
        if let Some((id, line)) = self.world.present_place() {
            self.show_line(id, line);
        }
    }

    /// The line (from 0) of the next instruction, when it is in the document being looked at.
    pub(crate) fn present_line(&self) -> Option<usize> {
        let (id, line) = self.world.present_place()?;
        (id == self.screen.shown).then_some(line)
    }

    /// `line 12`, or `scale.asm:12` when it is in another file than the one being looked at.
    pub(crate) fn place_words(&self, piece: &Line) -> String {
        match self.world.place_of(piece) {
            Some((id, line)) => self.line_words(id, line),
            None => format!("line {}", piece.line),
        }
    }

    /// The same of a line of a document, counted from 0.
    pub(crate) fn line_words(&self, id: DocumentId, line: usize) -> String {
        let name = self.world.documents.get(id).map_or("", Document::short_name);
        if id == self.screen.shown || name.is_empty() {
            format!("line {}", line + 1)
        } else {
            format!("{name}:{}", line + 1)
        }
    }

    /// The first address the memory pane shows, before scrolling.
    pub(crate) fn memory_start(&self) -> Option<Addr> {
        let session = self.session()?;
        let machine = session.machine();
        let region = |kind| machine.regions().iter().find(|region| region.kind == kind).map(|region| region.start);
        Some(match &self.screen.lens {
            Lens::Data => region(RegionKind::Data).or(region(RegionKind::Code)).unwrap_or_default(),
            Lens::At(address) => *address,
            Lens::Register(register) => Addr(machine.register(*register)),
            Lens::Label(name) => {
                let mask = i64::from(machine.target().address_mask());
                Addr::try_from(session.image().symbol(name)?.value & mask).ok()?
            }
        })
    }

    // ---- preferences

    /// The same, as a person prefers it.
    #[must_use]
    pub fn with_preferences(mut self, preferences: Preferences) -> Self {
        self.screen.preferences = preferences;
        self.screen.binary = preferences.binary;
        self.screen.source.without_code = preferences.without_code;
        self.screen.source.wraps = preferences.wraps;
        self
    }

    /// The same with kinds of cautions that are not to be told, whatever program is open.
    #[must_use]
    pub fn with_hushed(mut self, kinds: &[wendax_language::CautionKind]) -> Self {
        self.world.hushed = kinds.iter().map(|kind| (*kind, "hushed by the settings".to_owned())).collect();
        self
    }

    /// A value as the person prefers numbers.
    pub(crate) fn number(&self, session: &Session, value: u32) -> String {
        let target = session.machine().target();
        match self.screen.preferences.numbers {
            Numbers::Decimal => target.signed(value).to_string(),
            Numbers::Hexadecimal => target.marked(value),
        }
    }

    /// From now on it stands on another ground.
    pub fn stand_on(&mut self, look: crate::theme::Look) {
        self.screen.theme.look = look;
    }
}
