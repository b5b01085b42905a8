//! What is true.

use crate::completion::Completion;
use crate::documents::{Document, Role};
use crate::editor::{Editor, LineShift};
use crate::theme::Theme;
use std::sync::Arc;
use wendax_asm::{Assembly, Inputs, disassembly};
use wendax_image::{Image, Line};
use wendax_machine::{Addr, Need, Reg, RegionKind, Settings};
use wendax_session::{Explanation, Replay, Session, State, explain};
use wendax_source::{Diagnostic, FileId, Severity, SourceFile, Sources};

/// The two states of the bench.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// Keys write text.
    Write,
    /// Keys move through the run.
    Walk,
}

/// How much a message matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tone {
    /// Something was done.
    Fine,
    /// Something could not be done.
    Trouble,
}

/// How much of the screen there is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Depth {
    /// Below 60 × 16.
    TooSmall,
    /// Enough to work.
    Narrow,
    /// Enough for everything.
    Wide,
}

/// Something that happened.
#[derive(Debug, Clone)]
pub enum Message {
    /// A key was pressed.
    Key(crossterm::event::KeyEvent),
    /// Text was pasted.
    Paste(String),
    /// The terminal has this size now: columns, rows.
    Resized(u16, u16),
    /// There is time to go on with the run.
    Work,
    /// The mouse did something.
    Mouse(crossterm::event::MouseEvent),
    /// Texts have been assembled; the number is that of [`Effect::Assemble`].
    Assembled(u64, Box<Built>),
    /// The text of a file was saved.
    Saved {
        /// The file's name.
        name: String,
        /// Of the text.
        revision: u64,
        /// Where to.
        path: String,
        /// What was written.
        text: String,
    },
    /// It could not be saved, and why.
    NotSaved(String),
    /// A file has another text on disk now: its name, the text it had when last read or written, the new one.
    Changed(String, String, String),
    /// A file is no longer on disk: its name.
    Gone(String),
    /// The host's clock shows so many milliseconds.
    Clock(u32),
    /// The time asked for has passed.
    Waited,
}

/// What assembling gave.
#[derive(Debug, Clone, Default)]
pub struct Built {
    /// The program, with what is wrong with sources and manifest.
    pub assembly: Assembly,
    /// What it was made of.
    pub inputs: Inputs,
    /// The name of the manifest's file, when there is one.
    pub manifest: Option<String>,
    /// What a run is given.
    pub settings: Settings,
    /// What is typed when nobody types.
    pub typed: Option<Vec<u8>>,
    /// Bytes that the past of a walk may take, when the manifest says so.
    pub history: Option<usize>,
}

/// A file that is looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenFile {
    /// What the program calls it.
    pub name: String,
    /// Where it lies.
    pub path: String,
    /// The text it had there when it was last read here or written; `None` while there is no such file.
    pub base: Option<Arc<str>>,
}

/// A text that differs from its file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unsaved {
    /// What the program calls the file.
    pub name: String,
    /// Where it lies; `None` when it was never saved.
    pub path: Option<String>,
    /// The text the file has, as far as known.
    pub base: Option<Arc<str>>,
    /// The text as it is here.
    pub text: String,
    /// Changes with the text.
    pub revision: u64,
}

/// Something for the owner of terminal and files to do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// Assemble with these texts in the place of those files, by name; answer with the number.
    Assemble(u64, Vec<(String, String)>),
    /// Save a text: the file's name, the revision, the path, the text.
    Save(String, u64, String, String),
    /// Put a text into the system's clipboard.
    Copy(String),
    /// Tell the time.
    TellTime,
    /// Let so many milliseconds pass.
    Wait(u32),
    /// End the program; unsaved text is to be forgotten.
    Quit,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Pane {
    Source,
    Stack,
    Memory,
    Console,
}

/// What lies over the bench.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Overlay {
    Palette {
        query: String,
        chosen: usize,
    },
    Prompt {
        ask: Ask,
        text: String,
    },
    /// Unsaved text: save, drop, stay?
    Leaving,
    /// The files of the program.
    Files {
        chosen: usize,
    },
    /// The guide: words found, and what is said of the chosen one.
    Guide {
        query: String,
        chosen: usize,
        scroll: usize,
    },
    /// A file was changed by someone else while it was changed here: its name, and the text it has there.
    Conflict {
        name: String,
        theirs: String,
    },
}

/// What a prompt asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ask {
    MemoryAt,
    Value,
    Step,
    Line,
    BreakpointAt,
    Search,
    /// What the text found is to be replaced by.
    Replace,
    /// Another name for that under the cursor.
    Rename,
    /// The name to save under; leaving afterwards, or not.
    Name {
        leave: bool,
    },
}

/// What the memory pane shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Lens {
    /// From the start of the data on.
    Data,
    /// From an address on.
    At(Addr),
    /// Around what a register points to.
    Register(Reg),
    /// From a label on, wherever it moves.
    Label(String),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Breakpoint {
    /// On a line of a file, from 0.
    Line {
        file: String,
        line: usize,
    },
    Address(Addr),
}

/// All that is true of the interface.
#[derive(Debug, Clone)]
pub struct App {
    /// The text being looked at.
    pub editor: Editor,
    /// All files, that one's among them.
    pub(crate) documents: Vec<Document>,
    /// Which of them `editor` is of.
    pub(crate) current: usize,
    /// The folder the program's paths count from, with its last `/`; empty for a source by itself.
    pub(crate) root: String,
    /// See [`App::generation`].
    pub(crate) renewals: u64,
    /// Writing or walking.
    pub mode: Mode,
    /// Colours.
    pub theme: Theme,
    /// The text is the disassembly of an image, or its sources, and cannot be written.
    pub(crate) is_image: bool,
    /// The image that sources are shown of.
    pub(crate) image_path: Option<String>,
    pub(crate) settings: Settings,
    /// What is typed when nobody types.
    pub(crate) typed: Option<Vec<u8>>,
    /// Bytes that the past of a walk may take, when the manifest says so.
    pub(crate) history: Option<usize>,
    pub(crate) assembly: Assembly,
    /// File, line and column (from 0) of each diagnostic.
    pub(crate) places: Vec<(FileId, usize, usize)>,
    /// Generation of the texts that `assembly` is of.
    pub(crate) assembled: Option<u64>,
    /// Generation for which assembling was asked last.
    pub(crate) asked: Option<u64>,
    pub(crate) session: Option<Session>,
    /// How lines moved since the text that the walk is through: file and move. The walk is through the present
    /// text when [`App::is_stale`] says no.
    pub(crate) moved: Vec<(String, LineShift)>,
    /// The walk is through an older text than the one assembled last.
    pub(crate) is_stale: bool,
    /// A new text of the program is being brought to where the walk was.
    pub(crate) replay: Option<Box<Replay>>,
    /// Lines shown with what they became: file and line.
    pub(crate) unfolded: Vec<(String, usize)>,
    pub(crate) completion: Option<Completion>,
    /// Text taken out or copied last.
    pub(crate) clipboard: String,
    /// What the search is to put in place of what it finds.
    pub(crate) replacement: String,
    /// Where the text of the source pane was drawn last: column and row of its first sign, and its rows by line.
    pub(crate) drawn: crate::mouse::Drawn,
    pub(crate) explanation: Option<Explanation>,
    /// What the program waits for that is no typed input.
    pub(crate) awaited: Option<Need>,
    pub(crate) breakpoints: Vec<Breakpoint>,
    pub(crate) focus: Pane,
    pub(crate) overlay: Option<Overlay>,
    pub(crate) message: Option<(Tone, String)>,
    /// Texts that were changed here and on disk, which no merging can bring together: the file's name, and the text it
    /// has there. They are asked about one after the other.
    pub(crate) conflicts: Vec<(String, String)>,
    pub(crate) lens: Lens,
    pub(crate) memory_scroll: i64,
    pub(crate) stack_scroll: usize,
    pub(crate) source_top: usize,
    pub(crate) source_height: usize,
    pub(crate) input: String,
    pub(crate) searched: String,
    pub(crate) size: (u16, u16),
}

impl App {
    /// A bench for a text. The owner is to send [`Message::Resized`] first.
    pub fn new(path: Option<String>, text: &str, settings: Settings, theme: Theme) -> Self {
        let name = path.clone().unwrap_or_else(|| "untitled.asm".to_owned());
        Self {
            editor: Editor::new(text),
            documents: vec![Document::new(name, path, Role::Source).read_as(text)],
            current: 0,
            root: String::new(),
            renewals: 0,
            mode: if text.is_empty() { Mode::Write } else { Mode::Walk },
            theme,
            is_image: false,
            image_path: None,
            settings,
            typed: None,
            history: None,
            assembly: Assembly::default(),
            places: Vec::new(),
            assembled: None,
            asked: None,
            session: None,
            moved: Vec::new(),
            is_stale: false,
            replay: None,
            unfolded: Vec::new(),
            completion: None,
            clipboard: String::new(),
            replacement: String::new(),
            drawn: crate::mouse::Drawn::default(),
            explanation: None,
            awaited: None,
            breakpoints: Vec::new(),
            focus: Pane::Source,
            overlay: None,
            message: None,
            conflicts: Vec::new(),
            lens: Lens::Data,
            memory_scroll: 0,
            stack_scroll: 0,
            source_top: 0,
            source_height: 10,
            input: String::new(),
            searched: String::new(),
            size: (0, 0),
        }
    }

    /// A bench for a program of several files, of which `name` is looked at first; paths count from `root`.
    pub fn in_project(root: &str, name: &str, text: &str, settings: Settings, theme: Theme) -> Self {
        let root = format!("{}/", root.trim_end_matches('/'));
        let mut app = Self::new(Some(format!("{root}{name}")), text, settings, theme);
        name.clone_into(&mut app.documents[0].name);
        app.root = root;
        app
    }

    /// The same for a file that is not there yet.
    #[must_use]
    pub fn with_new_file(mut self) -> Self {
        self.documents[0].base = None;
        self
    }

    /// The same, with unsaved text found after a crash in the place of the file's; undo goes back to that. `base` is what
    /// the file held when the text was kept, so that what happened to it since is not written over.
    #[must_use]
    pub fn with_recovered(mut self, text: &str, base: Option<&str>) -> Self {
        if let Some(base) = base {
            self.documents[0].base = Some(base.into());
        }
        self.editor.replace_all(text);
        self.editor.take_shifts();
        self.message = Some((
            Tone::Fine,
            "unsaved text of last time was recovered; Ctrl-S keeps it, Ctrl-Z while writing goes back to the file"
                .to_owned(),
        ));
        self
    }

    /// The same for another file of the program, by its path.
    #[must_use]
    pub fn with_recovered_file(mut self, path: &str, base: &str, text: &str) -> Self {
        let name = path.strip_prefix(&self.root).unwrap_or(path).to_owned();
        self.documents.push(Document::recovered(name.clone(), path.to_owned(), base, text));
        self.message =
            Some((Tone::Fine, format!("unsaved text of last time was recovered, also of {name}; f shows the files")));
        self
    }

    /// A bench for an image that has no source: its disassembly takes the place of the text.
    pub fn for_image(path: String, image: &Image, settings: Settings, theme: Theme) -> Self {
        let (text, image) = disassembly(image);
        let (sources, _) = Sources::single(path.clone(), text.as_str());
        let mut app = Self::new(Some(path), &text, settings, theme);
        app.walk_image(Assembly::of_image(image, sources));
        app
    }

    /// A bench for an image with the sources it was made of, which are shown, and not written.
    pub fn for_image_with_sources(path: String, assembly: Assembly, settings: Settings, theme: Theme) -> Self {
        let sources = &assembly.sources;
        let first = assembly.image.line_at(assembly.image.entry).map_or(FileId(0), |line| line.span.file);
        let text = sources.get(first).map(SourceFile::shared_text).unwrap_or_default();
        let mut files: Vec<FileId> = assembly.image.lines.iter().map(|line| line.span.file).collect();
        files.sort_unstable();
        files.dedup();
        let name = |id: FileId| sources.file(id).name().to_owned();
        let documents = files.iter().map(|id| Document::new(name(*id), Some(name(*id)), Role::Source)).collect();
        let mut app = Self::new(None, &text, settings, theme);
        app.image_path = Some(path);
        app.current = files.iter().position(|id| *id == first).unwrap_or(0);
        app.documents = documents;
        app.walk_image(assembly);
        app
    }

    /// The same, with something to be told at the start.
    #[must_use]
    pub fn with_note(mut self, text: &str) -> Self {
        if !text.is_empty() {
            self.message = Some((Tone::Trouble, text.to_owned()));
        }
        self
    }

    fn walk_image(&mut self, assembly: Assembly) {
        self.is_image = true;
        self.mode = Mode::Walk;
        let session = Session::new(assembly.image.clone(), self.settings.clone());
        self.session = Some(session.with_sources(assembly.sources.clone()));
        self.assembly = assembly;
        self.assembled = Some(self.generation());
        self.asked = self.assembled;
        self.refresh();
        self.show_present_line();
    }

    /// The texts to assemble first.
    pub fn first_effects(&mut self) -> Vec<Effect> {
        if self.is_image {
            return Vec::new();
        }
        let generation = self.generation();
        self.asked = Some(generation);
        let mut texts = self.take_texts();
        let name = self.document().name.clone();
        if !texts.iter().any(|(known, _)| *known == name) {
            texts.insert(0, (name, self.editor.text()));
        }
        vec![Effect::Assemble(generation, texts)]
    }

    /// Has the same texts assembled again: files that are not looked at may have changed.
    pub fn assemble_again(&mut self) -> Vec<Effect> {
        if self.is_image {
            return Vec::new();
        }
        let generation = self.generation();
        self.asked = Some(generation);
        vec![Effect::Assemble(generation, self.take_texts())]
    }

    /// The program is running: [`Message::Work`] will get it on.
    pub fn has_work(&self) -> bool {
        self.replay.is_some() || self.awaited.is_none() && self.session.as_ref().is_some_and(Session::is_running)
    }

    /// A text differs from its file.
    pub fn is_changed(&self) -> bool {
        !self.changed_documents().is_empty()
    }

    /// Texts that differ from their files.
    pub fn unsaved(&self) -> Vec<Unsaved> {
        let texts = self.changed_documents().into_iter().filter_map(|index| {
            let (document, editor) = (&self.documents[index], self.editor_of(index)?);
            Some(Unsaved {
                name: document.name.clone(),
                path: document.path.clone(),
                base: document.base.clone(),
                text: editor.text(),
                revision: editor.revision(),
            })
        });
        texts.collect()
    }

    /// The text of a file as it is here, when someone looked at it.
    pub fn text_of(&self, name: &str) -> Option<String> {
        let index = self.documents.iter().position(|document| document.name == name)?;
        self.editor_of(index).map(Editor::text)
    }

    /// Files that are looked at, with the text each had on disk when it was last read here or written.
    pub fn open_files(&self) -> Vec<OpenFile> {
        let open = (0..self.documents.len()).filter(|&index| self.editor_of(index).is_some());
        open.filter_map(|index| {
            let Document { name, path, base, .. } = &self.documents[index];
            Some(OpenFile { name: name.clone(), path: path.clone()?, base: base.clone() })
        })
        .collect()
    }

    /// What is shown is an image, which nothing is ever written to.
    pub fn is_image(&self) -> bool {
        self.is_image
    }

    /// The path of the file being looked at; `None` when it was never saved.
    pub fn path(&self) -> Option<&str> {
        self.document().path.as_deref()
    }

    /// A message shown to the user, if there is one.
    pub fn message(&self) -> Option<&str> {
        self.message.as_ref().map(|(_, text)| text.as_str())
    }

    /// The size of the screen in kinds.
    pub(crate) fn depth(&self) -> Depth {
        match self.size {
            (width, height) if width < 60 || height < 16 => Depth::TooSmall,
            (width, _) if width < 120 => Depth::Narrow,
            _ => Depth::Wide,
        }
    }

    /// The name of the file without its folders.
    pub(crate) fn name(&self) -> &str {
        let path = self.path().unwrap_or(&self.document().name);
        path.rsplit('/').next().unwrap_or(path)
    }

    /// The line of the image that is next.
    pub(crate) fn present_piece(&self) -> Option<&Line> {
        let session = self.session.as_ref()?;
        session.image().line_at(session.present_address())
    }

    /// The file and line (from 0) of a line of the walk's image, as they are now; the line may be gone.
    pub(crate) fn place_of(&self, piece: &Line) -> Option<(usize, usize)> {
        let index = self.index_of(piece.span.file)?;
        let name = &self.documents[index].name;
        let mut shifts = self.moved.iter().filter(|(file, _)| file == name);
        let line = shifts.try_fold(piece.line as usize - 1, |line, (_, shift)| shift.moved(line))?;
        Some((index, line))
    }

    /// `line 12`, or `scale.asm:12` when it is in another file than the one being looked at.
    pub(crate) fn place_words(&self, piece: &Line) -> String {
        match self.place_of(piece) {
            Some((index, line)) if index != self.current => {
                let name = &self.documents[index].name;
                format!("{}:{}", name.rsplit('/').next().unwrap_or(name), line + 1)
            }
            Some((_, line)) => format!("line {}", line + 1),
            None => format!("line {}", piece.line),
        }
    }

    /// The line (from 0) of the next instruction, when it is in the file being looked at.
    pub(crate) fn present_line(&self) -> Option<usize> {
        let (index, line) = self.place_of(self.present_piece()?)?;
        (index == self.current).then_some(line)
    }

    /// Addresses that breakpoints stand for in the present program, each once.
    pub(crate) fn breakpoint_addresses(&self) -> Vec<Addr> {
        let Some(session) = &self.session else { return Vec::new() };
        let mut addresses: Vec<Addr> = self
            .breakpoints
            .iter()
            .filter_map(|breakpoint| match breakpoint {
                Breakpoint::Address(address) => Some(*address),
                Breakpoint::Line { file, line } => code_address(session, self.assembly.sources.find(file)?, *line),
            })
            .collect();
        addresses.sort_unstable();
        addresses.dedup();
        addresses
    }

    /// Diagnostics whose place is on a line (from 0), with the column.
    pub(crate) fn diagnostics_on(&self, line: usize) -> impl Iterator<Item = (&Diagnostic, usize)> {
        // Diagnostics stand in order of place.
        let file = self.current_id().unwrap_or(FileId(u32::MAX));
        let from = self.places.partition_point(|&(of, at, _)| (of, at) < (file, line));
        let here = self.places[from..].iter().take_while(move |&&(of, at, _)| (of, at) == (file, line));
        self.assembly.diagnostics[from..].iter().zip(here).map(|(diagnostic, (_, _, column))| (diagnostic, *column))
    }

    /// Problems in a file, and its lines.
    pub(crate) fn about_file(&self, index: usize) -> (usize, usize) {
        let id = self.file_id(index);
        let here = |(diagnostic, (file, ..)): &(&Diagnostic, &(FileId, usize, usize))| {
            Some(*file) == id && diagnostic.severity == Severity::Problem
        };
        let problems = self.assembly.diagnostics.iter().zip(&self.places).filter(here).count();
        let lines = match (self.editor_of(index), id) {
            (Some(editor), _) => editor.line_count(),
            (None, Some(id)) => self.assembly.sources.file(id).line_count() as usize,
            (None, None) => 0,
        };
        (problems, lines)
    }

    pub(crate) fn problem_count(&self, severity: Severity) -> usize {
        self.assembly.diagnostics.iter().filter(|diagnostic| diagnostic.severity == severity).count()
    }

    /// The first address the memory pane shows, before scrolling.
    pub(crate) fn memory_start(&self) -> Option<Addr> {
        let session = self.session.as_ref()?;
        let machine = session.machine();
        let region = |kind| machine.regions().iter().find(|region| region.kind == kind).map(|region| region.start);
        let start = match &self.lens {
            Lens::Data => region(RegionKind::Data).or(region(RegionKind::Code)).unwrap_or_default(),
            Lens::At(address) => *address,
            Lens::Register(register) => Addr(machine.register(*register)),
            Lens::Label(name) => {
                Addr::try_from(session.image().symbol(name)?.value & i64::from(machine.target().address_mask())).ok()?
            }
        };
        Some(start)
    }

    /// Works out the account of the next instruction anew.
    pub(crate) fn refresh(&mut self) {
        self.explanation = self.session.as_ref().filter(|session| !session.is_running()).map(explain);
    }

    pub(crate) fn state(&self) -> Option<&State> {
        self.session.as_ref().map(Session::state)
    }
}

/// The address of the first instruction of a line (from 0), or of the next line below that has one.
pub(crate) fn code_address(session: &Session, file: FileId, line: usize) -> Option<Addr> {
    let number = u32::try_from(line + 1).ok()?;
    session.image().code_from_line(file, number).map(|entry| entry.address)
}
