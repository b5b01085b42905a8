//! What can be drawn, as one list: asked for by bench, shell and report in the same words, and drawn here of whatever a run
//! has been asked for it.

use crate::{
    Look, PdfError, Scene, arithmetic, calls, flow, inside, instruction, memory, run, stack, tallies, to_pdf, to_svg,
    tree,
};
use std::path::Path;
use wendax_isa::{Addr, StepNo};
use wendax_session::{Flow, Level, Session, Sum, Tally, ending, explain};

/// What can be drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Drawing {
    /// The blocks of a routine and the ways between them.
    Flow,
    /// Which routine calls which.
    Calls,
    /// The calls of the run over time.
    Tree,
    /// All of memory.
    Memory,
    /// The stack at a moment.
    Stack,
    /// The code words of an instruction.
    Instruction,
    /// What goes on inside of the next instruction.
    Inside,
    /// A sum, difference or shift in columns of bits.
    Arithmetic,
    /// Data in cells.
    Data,
    /// The bench, or a pane of it.
    Screen,
    /// The run over time.
    Run,
    /// What the run cost, as bars.
    Tally,
}

impl Drawing {
    /// All of them, with their words and what they show.
    pub const ALL: [(Self, &str, &str); 12] = [
        (Self::Flow, "flow", "The blocks of a routine and the ways between them"),
        (Self::Calls, "calls", "Which routine calls which"),
        (Self::Tree, "tree", "The calls of the run over time"),
        (Self::Memory, "memory", "All of memory: regions, labels, what is used"),
        (Self::Stack, "stack", "The stack at a moment"),
        (Self::Instruction, "instruction", "The code words of an instruction, field by field"),
        (Self::Inside, "inside", "What goes on inside of the next instruction, cycle by cycle"),
        (Self::Arithmetic, "arithmetic", "A sum, difference or shift in columns of bits"),
        (Self::Data, "data", "Data in cells, at one moment or several"),
        (Self::Screen, "screen", "The bench, or a pane of it, at one moment or several"),
        (Self::Run, "run", "The run over time, with things followed through it"),
        (Self::Tally, "tally", "What the run cost, as bars; of several runs beside each other"),
    ];

    /// The one of this word.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(_, name, _)| *name == word).map(|(drawing, ..)| *drawing)
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(drawing, ..)| *drawing == self).map_or("", |(_, word, _)| word)
    }

    /// It is drawn of something that can be named.
    pub fn is_of_something(self) -> bool {
        matches!(self, Self::Flow | Self::Instruction | Self::Arithmetic | Self::Data | Self::Screen | Self::Run)
    }

    /// It shows a moment, and another one differently.
    pub fn has_moment(self) -> bool {
        matches!(
            self,
            Self::Flow | Self::Memory | Self::Stack | Self::Instruction | Self::Inside | Self::Data | Self::Screen
        )
    }

    /// It shows what the run cost, or how often its ways were gone.
    pub fn needs_tally(self) -> bool {
        matches!(self, Self::Flow | Self::Calls | Self::Tree | Self::Memory | Self::Tally)
    }
}

/// The form of a file with a drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// Scalable vector graphics.
    Svg,
    /// Portable document format.
    Pdf,
    /// The values alone (value change dump), of a run.
    Vcd,
}

impl Form {
    /// What the ending of a file's name asks for.
    ///
    /// # Errors
    ///
    /// What is wanted instead, when there is no such form of that drawing.
    pub fn of(place: &Path, what: Drawing) -> Result<Self, String> {
        match (ending(place).as_str(), what) {
            ("svg", _) => Ok(Self::Svg),
            ("pdf", _) => Ok(Self::Pdf),
            ("vcd", Drawing::Run) => Ok(Self::Vcd),
            ("vcd", _) => Err("only the run is written as .vcd; all others go to a .svg or a .pdf".to_owned()),
            (_, Drawing::Run) => {
                Err(format!("`{}`: a drawing of the run goes to a .svg, .pdf or .vcd", place.display()))
            }
            _ => Err(format!("`{}`: a drawing goes to a .svg or a .pdf", place.display())),
        }
    }

    /// Pictures as a file has them; all but PDF have room for one, and the values alone have none.
    ///
    /// # Errors
    ///
    /// See [`to_pdf`].
    pub fn bytes(self, scenes: &[Scene], look: Look, author: Option<&str>) -> Result<Vec<u8>, PdfError> {
        match self {
            Self::Pdf => to_pdf(scenes, look, author),
            Self::Svg | Self::Vcd => Ok(scenes.first().map_or_else(Vec::new, |scene| to_svg(scene, look).into_bytes())),
        }
    }
}

/// What a drawing is made of.
#[derive(Debug, Clone, Copy)]
pub struct Given<'a> {
    /// Where the walk stands.
    pub session: &'a Session,
    /// What the run cost, when it was measured.
    pub tallies: &'a [&'a Tally],
    /// What was followed through the run, and up to which moment that is known.
    pub levels: (&'a [Level], StepNo),
    /// The instruction that is meant where none is named.
    pub here: Addr,
    /// A sum in words; that of the present instruction when there are none.
    pub sum: Option<&'a str>,
    /// The moment is a present one, whose place and way are lit.
    pub is_lit: bool,
}

/// The drawing of something of a run. Data and screens are drawn by whoever can go to their moments.
///
/// # Errors
///
/// What there is none of, as a sentence.
pub fn scene(what: Drawing, given: &Given<'_>) -> Result<Scene, String> {
    let Given { session, tallies: measured, levels: (levels, known), here, sum, is_lit } = *given;
    let tally = || measured.last().copied().ok_or("nothing was run yet");
    let present = session.present_address();
    Ok(match what {
        Drawing::Flow => {
            let routine = Flow::of(session, here, measured.last().copied()).ok_or("there is no code here")?;
            let next = is_lit.then(|| routine.block_at(present)).flatten();
            let way = is_lit.then(|| routine.way_now(present, explain(session).taken)).flatten();
            flow(&routine, next, way)
        }
        Drawing::Calls => calls(tally()?),
        Drawing::Tree => tree(tally()?),
        Drawing::Tally => {
            tally()?;
            tallies(measured)
        }
        Drawing::Memory => memory(session, measured.last().copied()),
        Drawing::Stack => stack(session),
        Drawing::Instruction => instruction(session, here).ok_or("there is no instruction here")?,
        Drawing::Inside => inside(session).ok_or("there is no next step here: name a moment before the end")?,
        Drawing::Arithmetic => {
            let bits = session.machine().target().word_bits;
            let computed = if let Some(text) = sum {
                Sum::read(text, bits)?
            } else {
                let (operation, one, other) = session.machine().computation_at(present).ok_or(
                    "the present instruction is no sum, difference or shift; write one, as in 40000 + 40000 to sum.svg",
                )?;
                Sum { one, other, operation, bits }
            };
            arithmetic(&computed)
        }
        Drawing::Run => run(session, levels, known),
        Drawing::Data | Drawing::Screen => return Err("that is drawn at moments of its own".to_owned()),
    })
}
