//! A walk through a run: stepping both ways, stops, what a step changed, what the next one will do.
//!
//! A run is a pure function of its image, its settings and the events fed to it. So the past is never
//! stored step by step: a [`Session`] keeps checkpoints and the log of events, and any earlier moment is
//! computed again from the nearest checkpoint. Changing the past (an edit, other input) starts a new
//! branch: what was ahead is dropped.
//!
//! A command is begun and then worked on in bounded slices, so that whoever calls stays answerable:
//!
//! ```
//! use wendax_session::{Command, Progress, Session};
//! # let (sources, file) = wendax_source::Sources::single("a", "start: mov r0, 5\n inc r0\n sys exit\n");
//! # let image = wendax_asm::assemble(&sources, file).image;
//! let mut session = Session::new(image, wendax_machine::Settings::default());
//! session.begin(Command::Go);
//! while session.work(100_000) == Progress::Working {}
//! assert_eq!(session.machine().finished(), Some(6));
//! session.begin(Command::StepBack);
//! while session.work(100_000) == Progress::Working {}
//! assert_eq!((session.now().0, session.end().0), (2, 3));
//! ```
//!
//! This crate knows nothing of screens.

mod ahead;
mod apart;
mod cautions;
mod commands;
mod cursor;
mod door;
mod effects;
mod exercise;
mod explain;
mod forms;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod held;
mod history;
mod inside;
mod instruction;
mod journey;
mod left;
mod log;
mod lookers;
mod meaning;
mod measure;
mod moments;
mod moving;
mod numbers;
mod past;
mod questions;
mod reader;
mod record;
mod replay;
mod rerun;
mod ribbon;
mod routines;
mod script;
mod session;
mod shows;
mod stack;
mod stops;
mod sums;
mod together;
mod transcript;
mod values;
mod visits;
mod words;

pub use ahead::{Ahead, Horizon};
pub use apart::{Apart, Difference, Side, not_kept};
pub use cautions::{Caution, CautionForm, Cautions};
pub use effects::{DeviceChange, Effects, FileChange, MemoryChange, RegisterChange};
pub use exercise::{Asked, Exercise, Question, Truth};
pub use explain::{Cause, Explanation, Outlook, explain, fault_causes};
pub use forms::{TallyForm, TrailForm, TrailText, ending};
pub use held::{Held, cell, framed, typed_words};
pub use inside::{Inside, Put, Spot, Transfer, inside};
pub use instruction::{code_text, instruction_text};
pub use journey::{Command, Progress, State, Why};
pub use left::Pin;
pub use meaning::{Meaning, Meanings};
pub use measure::{
    Callee, Cell, Comparison, Cost, Dearest, EventTally, Flow, FlowBlock, FlowEdge, FlowLine, InstructionTally,
    KindTally, LabelTally, Leads, Level, Levels, LineTally, Measuring, NEVER, Passage, RegionTally, RoutineTally, Row,
    SpanTally, SpanTold, Spans, StackTally, StretchTally, TALLY_FORM, Table, TableRow, Tally, TallyError, group_sums,
    growth, growth_words, place_in_words, region_name,
};
pub use moments::{Happening, What, forgotten_happenings, happenings};
pub use numbers::{counted, grouped};
pub use questions::{
    Answer, Change, Changes, Chart, Delay, Filtered, Interruptions, LastWriter, Off, Passages, Spread, Story, Told,
    Toucher, charted, last_write,
};
pub use record::Record;
pub use replay::{Outcome, Replay, Version};
pub use ribbon::{Mark, MarkKind, Ribbon};
pub use routines::{Routine, Routines};
pub use script::{Saving, Script, ScriptError};
pub use session::{ByHand, Dropped, Session, Stand};
pub use shows::{Cells, Form, Reading, Show, Shown};
pub use stack::{StackWord, WordKind, read_stack};
pub use stops::{Met, Noted, NotedValue, StopAt, StopId, Thing, Times, Touch, Where};
pub use sums::{Sum, SumFlags};
pub use transcript::{Piece, Transcript};
pub use values::{At, Names, device_word};
pub use wendax_machine::FlagsChange;
pub use words::{
    by_hand_words, change_words, dropped_words, file_words, interrupt_words, line_words, lines_words, note_name,
    number_words, place, state_words, tone_words, values_words,
};
