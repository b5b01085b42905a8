//! What is true.

use crate::editor::Editor;
use crate::theme::Theme;
use wendax_asm::{Assembly, Image, LineKind, disassembly};
use wendax_machine::{Need, RegionKind, Settings};
use wendax_session::{Explanation, Session, State, explain};
use wendax_source::{Diagnostic, Severity, Sources};

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
    /// A text has been assembled; the number is its revision.
    Assembled(u64, Box<(Sources, Assembly)>),
    /// The text of this revision was saved under this name.
    Saved(u64, String),
    /// It could not be saved, and why.
    NotSaved(String),
    /// The host's clock shows so many milliseconds.
    Clock(u32),
    /// The time asked for has passed.
    Waited,
}

/// Something for the owner of terminal and files to do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Effect {
    /// Assemble this text, and answer with its revision.
    Assemble(u64, String),
    /// Save this text: revision, name, text.
    Save(u64, String, String),
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
    Help {
        scroll: usize,
    },
    Prompt {
        ask: Ask,
        text: String,
    },
    /// Unsaved text: save, drop, stay?
    Leaving,
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
    At(u32),
    /// Around what a register points to.
    Register(usize),
    /// From a label on, wherever it moves.
    Label(String),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Breakpoint {
    /// On a line of the source, from 0.
    Line(usize),
    Address(u32),
}

/// All that is true of the interface.
#[derive(Debug, Clone)]
pub struct App {
    /// The text.
    pub editor: Editor,
    /// The file it is saved in; `None` when it has none yet.
    pub path: Option<String>,
    /// Writing or walking.
    pub mode: Mode,
    /// Colours.
    pub theme: Theme,
    /// The text is the disassembly of an image, and cannot be written.
    pub(crate) is_image: bool,
    pub(crate) settings: Settings,
    pub(crate) assembly: Assembly,
    /// Line and column (from 0) of each diagnostic.
    pub(crate) places: Vec<(usize, usize)>,
    /// Revision of the text that `assembly` is of.
    pub(crate) assembled: Option<u64>,
    /// Revision for which assembling was asked last.
    pub(crate) asked: u64,
    pub(crate) session: Option<Session>,
    pub(crate) explanation: Option<Explanation>,
    /// What the program waits for that is no typed input.
    pub(crate) awaited: Option<Need>,
    pub(crate) breakpoints: Vec<Breakpoint>,
    pub(crate) focus: Pane,
    pub(crate) overlay: Option<Overlay>,
    pub(crate) message: Option<(Tone, String)>,
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
        Self {
            editor: Editor::new(text),
            path,
            mode: if text.is_empty() { Mode::Write } else { Mode::Walk },
            theme,
            is_image: false,
            settings,
            assembly: Assembly::default(),
            places: Vec::new(),
            assembled: None,
            asked: 0,
            session: None,
            explanation: None,
            awaited: None,
            breakpoints: Vec::new(),
            focus: Pane::Source,
            overlay: None,
            message: None,
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

    /// The same, with unsaved text found after a crash in the place of the file's; undo goes back to that.
    #[must_use]
    pub fn with_recovered(mut self, text: &str) -> Self {
        self.editor.replace_all(text);
        self.editor.take_shifts();
        self.message = Some((
            Tone::Fine,
            "unsaved text of last time was recovered; Ctrl-S keeps it, Ctrl-Z while writing goes back to the file"
                .to_owned(),
        ));
        self
    }

    /// A bench for an image that has no source: its disassembly takes the place of the text.
    pub fn for_image(path: String, image: &Image, settings: Settings, theme: Theme) -> Self {
        let (text, image) = disassembly(image);
        let mut app = Self::new(Some(path), &text, settings.clone(), theme);
        app.is_image = true;
        app.assembled = Some(app.editor.revision());
        app.assembly = Assembly::of_image(image.clone(), Sources::new());
        app.session = Some(Session::new(image, settings));
        app.refresh();
        app.show_present_line();
        app
    }

    /// The text to assemble first.
    pub fn first_effects(&mut self) -> Vec<Effect> {
        if self.is_image {
            return Vec::new();
        }
        self.asked = self.editor.revision();
        vec![Effect::Assemble(self.asked, self.editor.text())]
    }

    /// The program is running: [`Message::Work`] will get it on.
    pub fn has_work(&self) -> bool {
        self.awaited.is_none() && self.session.as_ref().is_some_and(Session::is_running)
    }

    /// The text differs from its file.
    pub fn is_changed(&self) -> bool {
        self.editor.is_changed()
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
        let path = self.path.as_deref().unwrap_or("untitled.asm");
        path.rsplit('/').next().unwrap_or(path)
    }

    /// The line (from 0) of the next instruction.
    pub(crate) fn present_line(&self) -> Option<usize> {
        let session = self.session.as_ref()?;
        let line = session.image().line_at(session.present_address())?;
        Some(line.line as usize - 1)
    }

    /// Addresses that breakpoints stand for in the present program, each once.
    pub(crate) fn breakpoint_addresses(&self) -> Vec<u32> {
        let Some(session) = &self.session else { return Vec::new() };
        let mut addresses: Vec<u32> = self
            .breakpoints
            .iter()
            .filter_map(|breakpoint| match *breakpoint {
                Breakpoint::Address(address) => Some(address),
                Breakpoint::Line(line) => code_address(session, line),
            })
            .collect();
        addresses.sort_unstable();
        addresses.dedup();
        addresses
    }

    /// Diagnostics whose place is on a line (from 0), with the column.
    pub(crate) fn diagnostics_on(&self, line: usize) -> impl Iterator<Item = (&Diagnostic, usize)> {
        // Diagnostics stand in order of place.
        let from = self.places.partition_point(|(at, _)| *at < line);
        let here = self.places[from..].iter().take_while(move |(at, _)| *at == line);
        self.assembly.diagnostics[from..].iter().zip(here).map(|(diagnostic, (_, column))| (diagnostic, *column))
    }

    pub(crate) fn problem_count(&self, severity: Severity) -> usize {
        self.assembly.diagnostics.iter().filter(|diagnostic| diagnostic.severity == severity).count()
    }

    /// The first address the memory pane shows, before scrolling.
    pub(crate) fn memory_start(&self) -> Option<u32> {
        let session = self.session.as_ref()?;
        let machine = session.machine();
        let region = |kind| machine.regions().iter().find(|region| region.kind == kind).map(|region| region.start);
        let start = match &self.lens {
            Lens::Data => region(RegionKind::Data).or(region(RegionKind::Code)).unwrap_or(0),
            Lens::At(address) => *address,
            Lens::Register(index) => machine.register(*index),
            Lens::Label(name) => u32::try_from(session.image().symbol(name)?.value & 0xFFFF).ok()?,
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

/// The address of the first instruction of a line (from 0), or of the next line below that has one
/// within the same run of lines that became nothing.
pub(crate) fn code_address(session: &Session, line: usize) -> Option<u32> {
    let number = u32::try_from(line + 1).ok()?;
    let lines = session.image().lines.iter().filter(|entry| entry.kind == LineKind::Code && entry.line >= number);
    lines.min_by_key(|entry| (entry.line, entry.address)).map(|entry| entry.address)
}
