//! What is true whatever is shown: the documents, the program they make, the walk through its run, stops.
//!
//! Nothing here knows of screens, panes or keys.

pub(crate) mod beside;
pub(crate) mod cautions;
pub(crate) mod deeds;
pub(crate) mod documents;
pub(crate) mod drawings;
pub(crate) mod editor;
pub(crate) mod exercises;
pub(crate) mod flows;
pub(crate) mod guesses;
pub(crate) mod names;
pub(crate) mod program;
pub(crate) mod stops;
pub(crate) mod tallies;
pub(crate) mod trail;
pub(crate) mod trials;
pub(crate) mod values;
pub(crate) mod walk;
pub(crate) mod watches;
pub(crate) mod writing;

use deeds::Deeds;
use documents::{Document, DocumentId, Documents};
use editor::{Editor, LineShift};
use flows::Flows;
use guesses::Guesses;
use program::Program;
use std::path::PathBuf;
use stops::Stops;
use tallies::Tallies;
use trail::Trail;
use walk::Walk;
use watches::Watches;
use wendax_asm::instructions;
use wendax_image::{Line, LineKind};
use wendax_isa::Target;
use wendax_machine::{Addr, Settings};
use wendax_source::{Diagnostic, FileId, Severity};

/// Where the program comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Origin {
    /// Sources, which can be written.
    Sources,
    /// An image, shown by its disassembly or by the sources it was made of, at this path. Nothing is written.
    Image(String),
}

/// Steps done between two looks at the keys: some milliseconds.
const SLICE: u64 = 150_000;

/// What was copied or cut last.
#[derive(Debug, Clone, Default)]
pub(crate) struct Clipping {
    pub(crate) text: String,
    /// It was a rectangle of columns, and is put in as one.
    pub(crate) is_rectangle: bool,
}

/// All that is true of the program that is open.
#[derive(Debug, Clone)]
pub(crate) struct World {
    pub(crate) documents: Documents,
    /// The folder the program's paths count from, with its last `/`; empty for a source by itself.
    pub(crate) root: String,
    pub(crate) origin: Origin,
    pub(crate) program: Program,
    pub(crate) walk: Walk,
    /// Steps done between two looks at the keys.
    pub(crate) slice: u64,
    /// Values that are looked at all the time.
    pub(crate) watches: Watches,
    /// The steps of the run, as they are looked at.
    pub(crate) trail: Trail,
    pub(crate) stops: Stops,
    /// What was done by hand.
    pub(crate) deeds: Deeds,
    /// What the run cost.
    pub(crate) tallies: Tallies,
    /// A drawing that was asked for.
    pub(crate) drawing: Option<drawings::Pending>,
    /// What is written down of the run for a file, and its path.
    pub(crate) saving: Option<(String, writing::Writing)>,
    /// The present routine as blocks.
    pub(crate) flows: Flows,
    /// Texts that were changed here and on disk, which no merging can bring together: the file's name, and the text it
    /// has there. They are asked about one after the other.
    pub(crate) conflicts: Vec<(String, String)>,
    /// Folders outside of the project's about which it was put off to decide: nobody is asked twice in one sitting.
    pub(crate) put_off: Vec<PathBuf>,
    /// Text taken out or copied last.
    pub(crate) clipboard: Clipping,
    pub(crate) given: Given,
    /// What is guessed of coming steps.
    pub(crate) guesses: Guesses,
    /// Kinds of cautions that the person does not want to be told, each with why.
    pub(crate) hushed: Vec<(wendax_language::CautionKind, String)>,
    /// An exercise that is under way.
    pub(crate) exercise: Option<exercises::Exercised>,
    /// The file of one that is to begin when there is a program: its path and its text.
    pub(crate) wanted_exercise: Option<(String, String)>,
    /// Rows that are tried with the program.
    pub(crate) trials: trials::Trying,
}

/// An instruction or some bytes that a line became.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Part {
    pub(crate) address: Addr,
    pub(crate) length: u32,
    pub(crate) kind: LineKind,
    pub(crate) text: String,
}

/// What a person gave the runs to come, in the place of what the manifest gives.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Given {
    pub(crate) arguments: Option<Vec<Vec<u8>>>,
    /// What is typed when nobody types.
    pub(crate) typed: Option<Vec<u8>>,
    pub(crate) seed: Option<u64>,
    /// The folder for the program's files.
    pub(crate) folder: Option<PathBuf>,
    /// What comes from outside by itself: the file's name and its text.
    pub(crate) events: Option<(String, String)>,
}

impl World {
    /// The machine that the program is for.
    pub(crate) fn target(&self) -> &'static Target {
        self.program.assembly.image.target
    }

    pub(crate) fn new(document: Document, root: String, origin: Origin) -> Self {
        Self {
            documents: Documents::new(document),
            root,
            origin,
            program: Program::default(),
            walk: Walk::default(),
            slice: SLICE,
            trail: Trail::default(),
            watches: Watches::default(),
            stops: Stops::default(),
            deeds: Deeds::default(),
            tallies: Tallies::default(),
            flows: Flows::default(),
            drawing: None,
            saving: None,
            conflicts: Vec::new(),
            put_off: Vec::new(),
            clipboard: Clipping::default(),
            given: Given::default(),
            guesses: Guesses::default(),
            hushed: Vec::new(),
            exercise: None,
            wanted_exercise: None,
            trials: trials::Trying::default(),
        }
    }

    pub(crate) fn is_image(&self) -> bool {
        matches!(self.origin, Origin::Image(_))
    }

    // ---- what runs are given

    pub(crate) fn settings(&self) -> Settings {
        let mut settings = self.program.settings.clone();
        if let Some(arguments) = &self.given.arguments {
            settings.arguments.clone_from(arguments);
        }
        settings.seed = self.given.seed.unwrap_or(settings.seed);
        settings.has_folder |= self.given.folder.is_some();
        settings
    }

    /// The folder for the program's files.
    pub(crate) fn folder(&self) -> Option<&PathBuf> {
        self.given.folder.as_ref().or(self.program.folder.as_ref())
    }

    /// What is typed at the start of a run, and who says so.
    pub(crate) fn typed(&self) -> Option<(&[u8], &str)> {
        let by_hand = self.given.typed.as_deref().map(|typed| (typed, "as given with I"));
        by_hand.or_else(|| Some((self.program.typed.as_deref()?, "by wendax.toml")))
    }

    /// The arguments as they are written in a shell.
    pub(crate) fn given_arguments(&self) -> String {
        let words = self.settings().arguments;
        let words = words.iter().map(|word| String::from_utf8_lossy(word).into_owned()).collect::<Vec<_>>();
        shlex::try_join(words.iter().map(String::as_str)).unwrap_or_default()
    }

    /// The typed input as it is written in a prompt.
    pub(crate) fn given_input(&self) -> String {
        self.typed().map_or(String::new(), |(typed, _)| String::from_utf8_lossy(typed).replace('\n', "\\n"))
    }

    // ---- files

    /// The number the assembler gave to a document.
    pub(crate) fn file_id(&self, id: DocumentId) -> Option<FileId> {
        self.program.assembly.sources.find(&self.documents.get(id)?.name)
    }

    /// The document with a number of the assembler's.
    pub(crate) fn document_of(&self, file: FileId) -> Option<DocumentId> {
        self.documents.find(self.program.assembly.sources.get(file)?.name())
    }

    /// The editor of a document; made of the text the assembler has when nobody looked at it yet.
    pub(crate) fn open(&mut self, id: DocumentId) -> Option<&mut Editor> {
        let text = self.file_id(id).map(|file| self.program.assembly.sources.file(file).shared_text());
        Some(self.documents.get_mut(id)?.open(text.as_ref()))
    }

    /// The editor of the document being looked at.
    pub(crate) fn shown_editor(&mut self, shown: DocumentId) -> &mut Editor {
        let document = self.documents.get_mut(shown);
        document.and_then(Document::editor_mut).expect("the document shown was opened when it was shown, and stays")
    }

    // ---- the program

    /// What is known of the texts is known of them as they are now.
    pub(crate) fn is_assembled(&self) -> bool {
        self.program.assembled == Some(self.documents.generation())
    }

    /// The text and the run that is shown belong together.
    pub(crate) fn is_current(&self) -> bool {
        self.is_assembled() && self.program.is_runnable() && self.walk.session.is_some() && !self.walk.is_stale
    }

    /// Diagnostics whose place is on a line (from 0) of a document, with the column.
    pub(crate) fn diagnostics_on(&self, id: DocumentId, line: usize) -> impl Iterator<Item = (&Diagnostic, usize)> {
        self.program.diagnostics_on(self.file_id(id).unwrap_or(FileId(u32::MAX)), line)
    }

    /// Problems in a document, and its lines.
    pub(crate) fn about_document(&self, id: DocumentId) -> (usize, usize) {
        let file = self.file_id(id);
        let problems = self.program.with_places();
        let problems = problems.filter(|(found, place)| Some(place.0) == file && found.severity == Severity::Problem);
        let lines = match (self.documents.get(id).and_then(Document::editor), file) {
            (Some(editor), _) => editor.line_count(),
            (None, Some(file)) => self.program.assembly.sources.file(file).line_count() as usize,
            (None, None) => 0,
        };
        (problems.count(), lines)
    }

    // ---- places

    /// The line of the image that is next.
    pub(crate) fn present_piece(&self) -> Option<&Line> {
        let session = self.walk.session.as_ref()?;
        session.image().line_at(session.present_address())
    }

    /// The document and line (from 0) of a line of the walk's image, as they are now; the line may be gone.
    pub(crate) fn place_of(&self, piece: &Line) -> Option<(DocumentId, usize)> {
        // The walk may be through an older program, of other files in another order.
        let file = self.walk.session.as_ref()?.sources().get(piece.span.file)?;
        let id = self.documents.find(file.name())?;
        Some((id, self.walk.moved_line(id, piece.line as usize - 1)?))
    }

    /// The document and line (from 0) of the next instruction.
    pub(crate) fn present_place(&self) -> Option<(DocumentId, usize)> {
        self.place_of(self.present_piece()?)
    }

    /// The text changed at these places: what belongs to lines goes with them. Returns how many stops are gone with their
    /// lines, and how many came back.
    pub(crate) fn follow(&mut self, id: DocumentId, shifts: &[LineShift]) -> (usize, usize) {
        let mut lost = 0;
        for shift in shifts {
            lost += self.stops.follow(id, *shift);
            self.deeds.follow(id, *shift);
            self.walk.follow(id, *shift);
        }
        let mut found = 0;
        if self.stops.has_gone()
            && let Some(editor) = self.documents.get(id).and_then(Document::editor)
        {
            let from = shifts.iter().map(|shift| shift.line).min().unwrap_or(0);
            let to = shifts.iter().map(|shift| shift.line + shift.added).max().unwrap_or(0);
            let lines: Vec<(usize, String)> =
                (from..=to.min(editor.line_count() - 1)).map(|line| (line, editor.line(line))).collect();
            found = self.stops.come_back(id, lines.iter().map(|(line, text)| (*line, text.as_str())));
        }
        (lost, found)
    }

    /// What a line (from 0) of a document became: instructions and data, in order of address.
    pub(crate) fn parts(&self, id: DocumentId, line: usize) -> Vec<Part> {
        let assembly = &self.program.assembly;
        let (Some(file), Ok(number)) = (self.file_id(id), u32::try_from(line + 1)) else { return Vec::new() };
        let lines = assembly.image.lines.iter();
        let mut pieces: Vec<&Line> = lines.filter(|piece| piece.span.file == file && piece.line == number).collect();
        pieces.sort_by_key(|piece| piece.address);
        let mut parts = Vec::new();
        for piece in pieces {
            let made = piece.unfolded.map(|span| assembly.sources.text_of(span).to_owned());
            let instructions = if piece.kind == LineKind::Code {
                instructions(&assembly.image, piece.address, piece.length)
            } else {
                Vec::new()
            };
            if instructions.len() > 1 || made.is_none() && !instructions.is_empty() {
                let each = instructions.into_iter();
                parts.extend(each.map(|(address, length, text)| Part { address, length, kind: LineKind::Code, text }));
            } else {
                let text = made.unwrap_or_default();
                parts.push(Part { address: piece.address, length: piece.length, kind: piece.kind, text });
            }
        }
        parts
    }
}
