//! The keys, as one table: what each means in which context.
//!
//! The keys line, the palette, the guide and `docs/keys.md` are made from it. An action stands in it once, with all
//! keys it has; palette entries without a key stand in it too.

use crate::actions::{Action, Ask, ConsoleAction, Drawing, Edit, File, Find, Hand, Look, Motion, SheetAction, Travel};
use crate::panes::{self, PaneId};
use crate::sheets::page::Text;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::fmt::Write;

/// Where a key means something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Context {
    /// While walking.
    Walk,
    /// In a pane that is a list, while walking.
    List,
    /// On a page other than the bench.
    Page,
    /// In the tally.
    Tally,
    /// While writing.
    Write,
    /// While words are offered.
    Offer,
    /// In a field of a sheet, with its list when it has one.
    Field,
    /// While a question is asked.
    Question,
    /// While what is typed goes to the program.
    Console,
}

impl Context {
    /// All of them, in the order of `docs/keys.md`.
    pub(crate) const ALL: [Self; 9] = [
        Self::Walk,
        Self::List,
        Self::Page,
        Self::Tally,
        Self::Write,
        Self::Offer,
        Self::Field,
        Self::Question,
        Self::Console,
    ];

    /// Plain signs are text there.
    pub(crate) fn takes_text(self) -> bool {
        match self {
            Self::Write | Self::Field | Self::Console | Self::Offer => true,
            Self::Walk | Self::List | Self::Page | Self::Tally | Self::Question => false,
        }
    }

    pub(crate) fn title(self) -> &'static str {
        match self {
            Self::Walk => "Walking",
            Self::List => "In a pane that is a list (calls, marks, stops)",
            Self::Page => "On a page: tally, flow, atlas",
            Self::Tally => "In the tally",
            Self::Write => "Writing",
            Self::Offer => "While words are offered",
            Self::Field => "In palette, guide, files and prompts",
            Self::Question => "While something is asked",
            Self::Console => "While what is typed goes to the program",
        }
    }

    /// In a few words, for the guide.
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Walk => "while walking",
            Self::List => "in a list",
            Self::Page => "on a page",
            Self::Tally => "in the tally",
            Self::Write => "while writing",
            Self::Offer => "while words are offered",
            Self::Field => "in a field",
            Self::Question => "while something is asked",
            Self::Console => "while the program is typed to",
        }
    }
}

/// Keys for an action.
#[derive(Debug, Clone, Copy)]
pub struct Binding {
    /// The keys by name, as in [`key_name`]; none for what only the palette has.
    pub keys: &'static [&'static str],
    /// Where they mean this.
    pub contexts: &'static [Context],
    /// What they do.
    pub action: Action,
    /// In a word or two, for the keys line; empty when it is not shown there.
    pub short: &'static str,
    /// In full, for palette and guide.
    pub name: &'static str,
    /// Other words people have for it, by which palette and guide find it.
    pub words: &'static str,
}

use Context::{Console, Field, List, Offer, Page, Question, Tally, Walk, Write as Writing};

type Keys = &'static [&'static str];
type Contexts = &'static [Context];
const BOTH: Contexts = &[Walk, Writing];

const fn bind(
    keys: Keys,
    contexts: Contexts,
    action: Action,
    short: &'static str,
    name: &'static str,
    words: &'static str,
) -> Binding {
    Binding { keys, contexts, action, short, name, words }
}

const fn travel(keys: Keys, action: Travel, short: &'static str, name: &'static str, words: &'static str) -> Binding {
    bind(keys, &[Walk], Action::Travel(action), short, name, words)
}

const fn edit(keys: Keys, contexts: Contexts, action: Edit, name: &'static str, words: &'static str) -> Binding {
    bind(keys, contexts, Action::Edit(action), "", name, words)
}

const fn look(
    keys: Keys,
    contexts: Contexts,
    action: Look,
    short: &'static str,
    name: &'static str,
    words: &'static str,
) -> Binding {
    bind(keys, contexts, Action::Look(action), short, name, words)
}

const fn ask(
    keys: Keys,
    contexts: Contexts,
    what: Ask,
    short: &'static str,
    name: &'static str,
    words: &'static str,
) -> Binding {
    look(keys, contexts, Look::Ask(what), short, name, words)
}

const fn lever(keys: Keys, number: u32, name: &'static str) -> Binding {
    bind(keys, &[Walk], Action::Hand(Hand::Lever(number)), "", name, "switch button input")
}

const fn answer(key: &'static [&'static str], sign: char, name: &'static str) -> Binding {
    bind(key, &[Question], Action::Sheet(SheetAction::Answer(sign)), "", name, "")
}

/// All keys. The order is that of the keys line, which shows as many as fit.
pub const BINDINGS: &[Binding] = &[
    look(&["Esc"], &[Writing], Look::Walk, "walk", "Walk: leave writing", "run done finish stop editing"),
    // ---- walking
    travel(&["Right"], Travel::Step, "step", "Step: execute one instruction", "next single into"),
    travel(&["Left"], Travel::StepBack, "back", "Step back: un-execute one instruction", "undo reverse previous last"),
    travel(&["]"], Travel::Over, "over", "Step over a call", "next call routine subroutine function"),
    travel(&["["], Travel::OverBack, "", "Step back over a call", "reverse previous routine"),
    travel(&["g"], Travel::Go, "go on", "Go on to the next stop", "run continue resume start execute"),
    travel(
        &["G"],
        Travel::GoBack,
        "go back",
        "Go back to the last stop: breakpoint, typed input or start",
        "reverse continue rewind",
    ),
    look(&["e"], &[Walk], Look::Write, "write", "Write: edit the source", "insert change type modify"),
    look(
        &["?", "Ctrl-W"],
        BOTH,
        Look::Guide,
        "guide",
        "Guide: what is under the cursor, and everything there is",
        "help manual reference documentation what tutorial explain",
    ),
    look(
        &["F1"],
        BOTH,
        Look::Lessons,
        "",
        "First steps: show what to try next, or hide it",
        "tutorial lesson beginner learn start introduction tour course",
    ),
    look(&["F2"], BOTH, Look::LessonBack, "", "First steps: the one before", "tutorial lesson again"),
    look(&["F3"], BOTH, Look::LessonOn, "", "First steps: the next one, done or not", "tutorial lesson skip"),
    look(&[], &[Walk], Look::Read(Text::Try), "", "What to try in this demo", "page exercises task read me help start"),
    look(&[], BOTH, Look::Read(Text::Messages), "", "The last messages", "told said log history error warning list"),
    look(
        &[],
        BOTH,
        Look::Read(Text::Keys),
        "",
        "All keys, by where they mean something",
        "list shortcuts bindings help",
    ),
    look(
        &[":", "Ctrl-P"],
        BOTH,
        Look::Palette,
        "palette",
        "Palette: find a command by its words",
        "commands menu list",
    ),
    bind(
        &["Space", "Ctrl-C"],
        &[Walk],
        Action::Travel(Travel::Pause),
        "",
        "Pause a running program",
        "stop halt break interrupt",
    ),
    bind(
        &["b"],
        &[Walk],
        Action::Hand(Hand::Breakpoint),
        "breakpoint",
        "Breakpoint on this line: set or clear",
        "stop toggle halt",
    ),
    bind(&["Ctrl-S"], BOTH, Action::File(File::Save), "save", "Save the source", "write file store keep"),
    edit(&["Ctrl-T"], BOTH, Edit::Mend, "Mend the problem on this line with its fix", "fix repair correct error")
        .shown_as("mend"),
    bind(&["q", "Ctrl-Q"], BOTH, Action::File(File::Quit), "quit", "Quit", "exit leave close end bye"),
    edit(&["Ctrl-Z"], &[Writing], Edit::Undo, "Undo the last change", "take back revert").shown_as("undo"),
    edit(&["Ctrl-Y"], &[Writing], Edit::Redo, "Redo what was undone", "again repeat").shown_as("redo"),
    bind(
        &["Ctrl-Z"],
        &[Walk],
        Action::Hand(Hand::TakeBack),
        "",
        "Take back what was done by hand last: a value, a lever, what was typed, a new run, stops, a replacement",
        "undo revert back branch dropped ahead",
    ),
    bind(
        &["Ctrl-Y"],
        &[Walk],
        Action::Hand(Hand::DoAgain),
        "",
        "Do again what was taken back last",
        "redo repeat again",
    ),
    look(
        &["f", "Ctrl-O"],
        BOTH,
        Look::Files,
        "files",
        "Files of the program: look at another one",
        "open switch document list tab",
    ),
    look(&["Tab"], &[Walk, List], Look::NextPane, "next pane", "Next pane", "focus switch window"),
    look(&["Backtab"], &[Walk, List], Look::LastPane, "", "Last pane", "focus switch window previous"),
    look(
        &["o"],
        &[Walk],
        Look::Fill,
        "this pane alone",
        "This pane alone on the page, and back",
        "fill full zoom maximize only large",
    ),
    look(
        &["O"],
        &[Walk],
        Look::Show,
        "",
        "Show to others: large source, what comes next, one pane; and back",
        "present projector teach lecture large big",
    ),
    look(
        &["L"],
        &[Walk],
        Look::Board,
        "",
        "Board: lamps, levers, digits, timer, interrupts; again for its page",
        "devices switches lights leds display",
    ),
    look(
        &["%"],
        &[Walk],
        Look::Page(PaneId::Tally),
        "",
        "Tally: what the run cost, and where; again for the bench",
        "profile profiler performance cost cycles count statistics hot spots time measure compare benchmark coverage",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Flow),
        "",
        "Draw the flow of the routine, with counts",
        "graph blocks control diagram svg pdf picture",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Calls),
        "",
        "Draw which routine calls which",
        "call graph diagram svg pdf picture",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Tree),
        "",
        "Draw the calls of the run over time",
        "call tree timeline svg pdf picture",
    ),
    ask(&[], &[Walk], Ask::Draw(Drawing::Memory), "", "Draw the map of memory", "layout regions svg pdf picture"),
    ask(&[], &[Walk], Ask::Draw(Drawing::Stack), "", "Draw the stack as it is", "frames svg pdf picture"),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Instruction),
        "",
        "Draw the code words of the instruction, field by field",
        "encoding opcode bits machine code svg pdf picture",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Arithmetic),
        "",
        "Draw the arithmetic of the instruction in columns, or of any sum",
        "addition subtraction shift carry binary svg pdf picture",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Data),
        "",
        "Draw data in cells, at one moment or several",
        "array table memory cells pointers svg pdf picture",
    ),
    ask(&[], &[Walk], Ask::Draw(Drawing::Screen), "", "Draw the screen", "screenshot bench capture svg pdf picture"),
    ask(&[], &[Walk], Ask::Draw(Drawing::Pane), "", "Draw the pane in focus", "screenshot capture svg pdf picture"),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Change),
        "",
        "Draw the pane in focus before the last step and now",
        "screenshot compare change svg pdf picture",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Draw(Drawing::Run),
        "",
        "Draw the run over time, with things followed through it",
        "waveform timeline levels lamps vcd logic svg pdf picture",
    ),
    ask(&[], &[Walk], Ask::Draw(Drawing::Tally), "", "Draw the tally as bars", "chart cost profile svg pdf picture"),
    look(
        &["P"],
        &[Walk],
        Look::Page(PaneId::Flow),
        "",
        "Flow: the present routine as blocks and the ways between them; again for the bench",
        "paths graph control flow blocks branches diagram chart structure loops basic",
    ),
    look(
        &["@"],
        &[Walk],
        Look::Page(PaneId::Atlas),
        "",
        "Atlas: all of memory as a map; again for the bench",
        "memory map overview regions heap stack usage layout touched changed pointers",
    ),
    look(
        &["#"],
        &[Walk],
        Look::Beside,
        "",
        "Beside the lines: how often each ran, then the cycles of instructions, then nothing",
        "counts coverage never ran hot heat cycles cost margin profile",
    ),
    look(&["Esc"], &[Walk], Look::Back, "", "Back to the bench", "leave page close return"),
    look(&["Esc"], &[Page], Look::Back, "bench", "From the page to the bench", "leave close return"),
    look(
        &["x"],
        &[Tally],
        Look::NextTable,
        "next table",
        "Tally: the next table",
        "routines lines instructions jumps memory",
    ),
    look(&["X"], &[Tally], Look::LastTable, "", "Tally: the table before", "routines lines instructions jumps memory"),
    look(&[">"], &[Tally], Look::SortOn, "sort", "Tally: sort by the next column", "order"),
    look(&["<"], &[Tally], Look::SortBack, "", "Tally: sort by the column before", "order"),
    look(&["u"], &[Tally], Look::SortOther, "turn round", "Tally: the other way round", "order reverse"),
    look(
        &["c"],
        &[Tally],
        Look::Compare,
        "compare",
        "Tally: beside the next one that was kept",
        "difference before after side",
    ),
    ask(&["n"], &[Tally], Ask::KeepTally, "keep", "Tally: keep it under a name, to be compared", "remember save name"),
    ask(&[], &[Walk], Ask::SaveTally, "", "Save the tally to a file", "export profile coverage lcov csv json write"),
    ask(
        &[],
        &[Walk],
        Ask::OpenTally,
        "",
        "Tally: take one that was saved, to be compared",
        "open load import profile compare",
    ),
    ask(
        &[],
        &[Walk],
        Ask::TallyPart,
        "",
        "Tally: measure only the part between two moments",
        "range from to steps profile",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Span,
        "",
        "Measure each passage from a place to another",
        "span time latency interval stopwatch how long cycles between profile",
    ),
    look(
        &["W"],
        &[Walk],
        Look::Pane(PaneId::Drawer),
        "",
        "The program's files: what is open, and what is in them now",
        "handles read write disk data",
    ),
    bind(
        &["K"],
        &[Walk],
        Action::Console(ConsoleAction::Strike),
        "",
        "Strike keys: each goes to the program at once",
        "press type keyboard console poll",
    ),
    lever(&["0"], 0, "Move lever 0: up or down"),
    lever(&["1"], 1, "Move lever 1"),
    lever(&["2"], 2, "Move lever 2"),
    lever(&["3"], 3, "Move lever 3"),
    lever(&["4"], 4, "Move lever 4"),
    lever(&["5"], 5, "Move lever 5"),
    lever(&["6"], 6, "Move lever 6"),
    lever(&["7"], 7, "Move lever 7"),
    lever(&["8"], 8, "Move lever 8"),
    lever(&["9"], 9, "Move lever 9"),
    travel(&["}"], Travel::Out, "", "Step out of the routine", "finish return leave until"),
    travel(&["{"], Travel::OutBack, "", "Step back out of the routine, to its call", "reverse return caller"),
    travel(
        &[">"],
        Travel::LineStep,
        "",
        "Step to another line of the source: macros and calls at once",
        "next line statement",
    ),
    travel(&["<"], Travel::LineBack, "", "Step back to where the line before began", "previous line statement reverse"),
    travel(&["."], Travel::ToLine, "", "Go on to the line under the cursor", "until here run cursor"),
    travel(&[","], Travel::BackToLine, "", "Go back to the line under the cursor", "until here reverse cursor"),
    travel(&["Home"], Travel::ToStart, "", "To the start of the run", "begin first rewind"),
    travel(&["End"], Travel::ToEnd, "", "To the furthest step of the run", "last finish"),
    ask(&["t"], &[Walk], Ask::Step, "", "To a step by its number", "jump goto time number"),
    travel(
        &["r"],
        Travel::Replay,
        "",
        "Replay: a new run of the present text, with the same input, to the same place",
        "rerun again reload rebuild update",
    ),
    travel(&["R"], Travel::Restart, "", "Restart: a new run from the entry", "reset again rerun reload"),
    look(
        &["u"],
        &[Walk],
        Look::Unfold,
        "unfold",
        "Unfold the line: show what a macro or other instruction became",
        "expand macro disassemble generated",
    ),
    bind(&["p"], &[Walk], Action::Find(Find::Present), "", "Show the present line", "where current pc now"),
    ask(
        &["="],
        &[Walk],
        Ask::Value,
        "set",
        "Set a register or memory cell",
        "change value assign modify flag write poke",
    ),
    ask(
        &["m"],
        &[Walk],
        Ask::MemoryAt,
        "memory at",
        "Memory at a label, address or register",
        "show examine dump view watch pointer variable array",
    ),
    look(
        &["M"],
        &[Walk],
        Look::NextRegion,
        "",
        "Memory: next region",
        "data stack heap devices vectors code lamp device",
    ),
    ask(
        &["a"],
        &[Walk],
        Ask::StopAt,
        "",
        "Stop at anything: a label, a line, a change, a call, a value",
        "breakpoint watchpoint halt address condition data note add",
    ),
    ask(
        &["E"],
        &[Walk],
        Ask::StopRule,
        "",
        "Say more of the stop: a condition, a count, once, values to note",
        "breakpoint if every hits edit conditional",
    ),
    bind(
        &["X"],
        &[Walk],
        Action::Hand(Hand::StopOnOff),
        "",
        "Turn the stop off, or on again",
        "breakpoint disable enable",
    ),
    look(
        &["s"],
        &[Walk],
        Look::Pane(PaneId::Stops),
        "stops",
        "Pane: stops, how often each was met, and what was noted",
        "breakpoints watchpoints conditions tracepoints hits counts halt notes log list",
    ),
    ask(
        &["j"],
        &[Walk],
        Ask::Until,
        "",
        "On until something: a value, a change, a line, a call, output",
        "run until condition when change reach",
    ),
    ask(
        &["J"],
        &[Walk],
        Ask::BackUntil,
        "",
        "Back until something: a value, a change, a line, a call, output",
        "reverse until condition when change",
    ),
    bind(&["C"], &[Walk], Action::Hand(Hand::ClearBreakpoints), "", "Clear all stops", "delete remove breakpoints"),
    bind(&["Delete"], &[List], Action::Hand(Hand::Remove), "", "Take away what is chosen", "remove clear"),
    ask(
        &["Y"],
        &[Walk],
        Ask::FindInMemory,
        "",
        "Find in memory: a word, a byte, a text",
        "search look value string bytes",
    ),
    bind(&["y"], &[Walk], Action::Find(Find::InMemory), "", "Find in memory further on", "search next again"),
    bind(&["z"], &[Walk], Action::Find(Find::InMemoryBack), "", "Find in memory further back", "search last previous"),
    ask(&[], &[Walk], Ask::SaveMemory, "", "Save a part of memory to a file", "export dump write bytes binary text"),
    ask(
        &[],
        &[Walk],
        Ask::SaveEvents,
        "",
        "Save what came from outside as a file of events",
        "record keys levers input replay test jsonl",
    ),
    ask(
        &[],
        &[Walk],
        Ask::OpenEvents,
        "",
        "Run with what comes from outside out of a file of events",
        "play script keys levers input test import",
    ),
    ask(&[], &[Walk], Ask::SaveTones, "", "Save the tones as a sound file", "wav audio music notes"),
    ask(&[], &[Walk], Ask::SaveTrail, "", "Save the trail to a file", "export write trace steps csv json"),
    ask(
        &["v"],
        &[Walk],
        Ask::Watch,
        "watch",
        "Watch a value: a register, an expression, an array as a table, a text",
        "display inspect variable expression add array",
    ),
    bind(
        &["V"],
        &[Walk],
        Action::Hand(Hand::WatchRoutine),
        "",
        "Watch what the present routine uses, or no longer",
        "locals auto variables",
    ),
    look(
        &["T"],
        &[Walk],
        Look::Pane(PaneId::Trail),
        "trail",
        "Pane: trail, the steps of the run",
        "trace history steps log executed instructions timeline",
    ),
    ask(
        &["F"],
        &[Walk],
        Ask::TrailFilter,
        "",
        "Trail: show only the steps of a routine, of a kind, that touch something",
        "filter trace grep only restrict",
    ),
    look(
        &["h"],
        &[Walk],
        Look::History,
        "changes",
        "Changes of what is chosen: who wrote it last, who reads and changes it next, all of them",
        "history origin where from who wrote why story data flow",
    ),
    travel(
        &["H"],
        Travel::ToWriter,
        "",
        "To the step that wrote what is chosen last",
        "origin where from who wrote why last writer",
    ),
    travel(
        &["k"],
        Travel::Slow,
        "",
        "Run slowly, with everything following; and pause that",
        "animate slow motion play speed",
    ),
    travel(&["+"], Travel::Faster, "", "Run faster", "speed slow pace"),
    travel(&["-"], Travel::Slower, "", "Run slower", "speed slow pace"),
    travel(&["("], Travel::VisitBack, "", "Back to the moment that was looked at before", "visited return jump last"),
    travel(&[")"], Travel::VisitForth, "", "Forth again to the moment that was left", "visited jump next"),
    bind(
        &["i"],
        &[Walk],
        Action::Console(ConsoleAction::Type),
        "",
        "Type to the program: what is typed goes to it",
        "input console keyboard enter",
    ),
    bind(&["D"], &[Walk], Action::Console(ConsoleAction::EndInput), "", "End the typed input", "eof close finish"),
    ask(&["/", "Ctrl-F"], BOTH, Ask::Search, "search", "Search the source", "find look grep text"),
    bind(
        &["n"],
        &[Walk],
        Action::Find(Find::SearchAgain),
        "",
        "To the next text that was searched for",
        "find again match",
    ),
    bind(
        &[";"],
        &[Walk],
        Action::Find(Find::SearchBack),
        "",
        "To the last text that was searched for",
        "find again match previous back",
    ),
    bind(&["N"], &[Walk], Action::Find(Find::NextProblem), "", "To the next problem", "error warning mistake"),
    bind(
        &["d", "Ctrl-G"],
        BOTH,
        Action::Find(Find::Definition),
        "",
        "To where the name on the line is defined",
        "jump goto declaration label",
    ),
    bind(
        &["U", "Ctrl-U"],
        BOTH,
        Action::Find(Find::NextUse),
        "",
        "To the next place that uses the name on the line",
        "references callers where",
    ),
    edit(
        &["Ctrl-E"],
        BOTH,
        Edit::Rename,
        "Rename what is under the cursor, in all files",
        "change name label refactor",
    ),
    edit(&["Ctrl-R"], BOTH, Edit::Replace, "Replace what was searched for", "substitute exchange"),
    ask(&["l", "Ctrl-L"], BOTH, Ask::Line, "", "To a line by its number", "jump goto"),
    look(
        &["c"],
        &[Walk],
        Look::CodeWords,
        "",
        "Show or put away the code words beside the source",
        "machine code hexadecimal bytes opcode encoding",
    ),
    look(&["w"], &[Walk], Look::Wrap, "", "Wrap long lines of the source, or cut them", "comments break fold"),
    look(
        &["x"],
        &[Walk],
        Look::Binary,
        "",
        "Registers in binary, or in decimal; words of memory in other forms",
        "bits base two hexadecimal",
    ),
    ask(&["S"], &[Walk], Ask::SaveAs, "", "Save under another name", "write file copy export"),
    ask(&["A"], &[Walk], Ask::Arguments, "", "Arguments for the next run", "parameters command line words argv"),
    ask(&["I"], &[Walk], Ask::Input, "", "Typed input for the next run", "stdin keyboard type"),
    ask(&[], &[Walk], Ask::Seed, "", "Seed of the random numbers for the next run", "dice chance"),
    ask(
        &["B"],
        &[Walk],
        Ask::Build,
        "",
        "Build: ELF, HEX, S-records, raw bytes, listing, symbols or map, by the name's ending",
        "export compile assemble link binary image listing print object output",
    ),
    ask(
        &[],
        &[Walk],
        Ask::Send,
        "",
        "Send the program to a board, and run it there",
        "upload flash load serial port device usb hardware target",
    ),
    ask(&[], &[Walk], Ask::NewFile, "", "New file of the program", "create add source"),
    ask(&[], &[Walk], Ask::NewProject, "", "New project in a folder of its own", "create start begin workspace"),
    // ---- moving up and down
    bind(&["Up"], &[Walk, List, Writing, Field], Action::Motion(Motion::Up), "", "Up a line", "move cursor"),
    bind(&["Down"], &[Walk, List, Writing, Field], Action::Motion(Motion::Down), "", "Down a line", "move cursor"),
    bind(&["PageUp"], &[Walk, List, Writing, Field], Action::Motion(Motion::PageUp), "", "Up a page", "scroll"),
    bind(&["PageDown"], &[Walk, List, Writing, Field], Action::Motion(Motion::PageDown), "", "Down a page", "scroll"),
    bind(
        &["Ctrl-Home"],
        &[Walk, List, Writing, Field],
        Action::Motion(Motion::First),
        "",
        "To the first line",
        "top begin",
    ),
    bind(
        &["Ctrl-End"],
        &[Walk, List, Writing, Field],
        Action::Motion(Motion::Last),
        "",
        "To the last line",
        "bottom end",
    ),
    bind(
        &["Shift-Right"],
        &[Walk],
        Action::Motion(Motion::Sideways),
        "",
        "See more of long lines",
        "scroll horizontal comments right",
    ),
    bind(
        &["Shift-Left"],
        &[Walk],
        Action::Motion(Motion::SidewaysBack),
        "",
        "Back to the beginning of the lines",
        "scroll horizontal left",
    ),
    bind(
        &["Enter"],
        &[List],
        Action::Motion(Motion::Enter),
        "go there",
        "To the line or moment of what is chosen",
        "open jump",
    ),
    // ---- writing
    edit(&["Left"], &[Writing, Field, Console], Edit::Left, "Left a sign", ""),
    edit(&["Right"], &[Writing, Field, Console], Edit::Right, "Right a sign", ""),
    edit(&["Ctrl-Left"], &[Writing, Field, Console], Edit::WordLeft, "Left a word", ""),
    edit(&["Ctrl-Right"], &[Writing, Field, Console], Edit::WordRight, "Right a word", ""),
    edit(&["Home"], &[Writing, Field, Console], Edit::Home, "To the first sign of the line, or its margin", "begin"),
    edit(&["End"], &[Writing, Field, Console], Edit::End, "To the end of the line", ""),
    edit(&["Shift-Left"], &[Writing, Field, Console], Edit::SelectLeft, "Select a sign to the left", ""),
    edit(&["Shift-Right"], &[Writing, Field, Console], Edit::SelectRight, "Select a sign to the right", ""),
    edit(&["Ctrl-Shift-Left"], &[Writing, Field, Console], Edit::SelectWordLeft, "Select a word to the left", ""),
    edit(&["Ctrl-Shift-Right"], &[Writing, Field, Console], Edit::SelectWordRight, "Select a word to the right", ""),
    edit(&["Shift-Home"], &[Writing, Field, Console], Edit::SelectHome, "Select to the beginning of the line", ""),
    edit(&["Shift-End"], &[Writing, Field, Console], Edit::SelectEnd, "Select to the end of the line", ""),
    edit(&["Shift-Up"], &[Writing], Edit::SelectUp, "Select a line up", ""),
    edit(&["Shift-Down"], &[Writing], Edit::SelectDown, "Select a line down", ""),
    edit(&["Ctrl-A"], &[Writing, Field, Console], Edit::SelectAll, "Select everything", "mark all"),
    edit(&["Enter"], &[Writing], Edit::NewLine, "A new line", "split return"),
    edit(&["Tab"], &[Writing], Edit::Tab, "On to the next column, or the selected lines further in", "indent"),
    edit(&["Backtab"], &[Writing], Edit::TabBack, "The line, or the selected ones, less far in", "unindent outdent"),
    edit(
        &["Backspace"],
        &[Writing, Field, Console],
        Edit::Backspace,
        "Erase the sign before the cursor",
        "delete remove",
    ),
    edit(&["Delete"], &[Writing, Field, Console], Edit::Delete, "Erase the sign under the cursor", "remove"),
    edit(&["Ctrl-D"], &[Writing], Edit::DeleteLine, "Erase the line", "delete remove"),
    edit(
        &["Ctrl-N"],
        &[Writing],
        Edit::Complete,
        "Offer words for this place, or no longer",
        "complete suggest autocomplete",
    ),
    edit(&["Ctrl-C"], &[Writing, Field], Edit::Copy, "Copy what is selected, or the line", "clipboard"),
    edit(&["Ctrl-X"], &[Writing, Field, Console], Edit::Cut, "Cut what is selected, or the line", "clipboard remove"),
    edit(&["Ctrl-V"], &[Writing, Field, Console], Edit::Paste, "Paste what was copied or cut", "clipboard insert"),
    edit(
        &["Ctrl-K"],
        &[Writing],
        Edit::Comment,
        "Make the selected lines comments, or no comments again",
        "uncomment toggle disable",
    ),
    edit(&["Ctrl-B"], &[Writing], Edit::Columns, "Put the text in columns", "format tidy indent align beautify pretty"),
    edit(
        &["Ctrl-J"],
        &[Writing],
        Edit::Bracket,
        "To the bracket that belongs to the one under the cursor",
        "match parenthesis",
    ),
    // ---- words offered
    edit(&["Tab"], &[Offer], Edit::TakeOffer, "Take the word that is offered", "").shown_as("take it"),
    bind(&["Up"], &[Offer], Action::Motion(Motion::Up), "", "The word before", ""),
    bind(&["Down"], &[Offer], Action::Motion(Motion::Down), "another", "The next word", ""),
    look(&["Esc"], &[Offer], Look::Walk, "walk", "Leave writing", ""),
    // ---- sheets
    bind(&["Enter"], &[Field], Action::Sheet(SheetAction::Take), "take it", "Take what is chosen or written", ""),
    bind(
        &["Ctrl-E"],
        &[Field],
        Action::Sheet(SheetAction::Example),
        "",
        "Put the example into the text, in the guide",
        "",
    ),
    bind(&["Esc"], &[Field, Question], Action::Sheet(SheetAction::Leave), "leave", "Leave", "close cancel"),
    edit(&["Ctrl-Z"], &[Field, Console], Edit::Undo, "Undo what was written in the field", ""),
    answer(&["s"], 's', "Save and quit"),
    answer(&["d"], 'd', "Drop the changes and quit"),
    answer(&["k"], 'k', "Keep your text"),
    answer(&["t"], 't', "Take the text on disk"),
    answer(&["y"], 'y', "Replace this one; write over the file"),
    answer(&["n"], 'n', "Leave this one as it is"),
    answer(&["a"], 'a', "Replace all"),
    // ---- typing to the program
    bind(&["Enter"], &[Console], Action::Console(ConsoleAction::Send), "send", "Send the line to the program", ""),
    bind(
        &["Ctrl-D"],
        &[Console],
        Action::Console(ConsoleAction::EndInput),
        "end the input",
        "End the typed input",
        "eof",
    ),
    bind(
        &["Esc"],
        &[Console],
        Action::Console(ConsoleAction::KeepKeys),
        "keys are commands",
        "Keys are commands again, until the program waits the next time",
        "",
    ),
    edit(
        &["Tab"],
        &[Field],
        Edit::TakeOffer,
        "Write the rest of the name; in the guide, choose what else to see",
        "complete",
    ),
    edit(&["Ctrl-U"], &[Field, Console], Edit::Empty, "Empty the field", "clear").shown_as("empty it"),
];

impl Binding {
    const fn shown_as(mut self, short: &'static str) -> Self {
        self.short = short;
        self
    }

    /// It means something in a context.
    pub(crate) fn is_of(&self, context: Context) -> bool {
        self.contexts.contains(&context)
    }

    /// Its keys that mean it in a context: plain signs are text where text is taken.
    pub(crate) fn keys_in(&self, context: Context) -> impl Iterator<Item = &'static str> {
        let is_text = move |key: &&str| context.takes_text() && key.chars().count() == 1;
        self.keys.iter().copied().filter(move |key| !is_text(key))
    }
}

/// The commands of the palette: all that a key or a name asks for while walking or writing, and one for each pane.
pub(crate) fn commands() -> impl Iterator<Item = Binding> {
    let has_key = |id: PaneId| {
        let of_pane = [Action::Look(Look::Pane(id)), Action::Look(Look::Page(id))];
        BINDINGS.iter().any(|binding| of_pane.contains(&binding.action))
    };
    let panes = panes::all().filter(move |(id, _)| !has_key(*id)).map(|(id, pane)| Binding {
        keys: &[],
        contexts: &[Walk],
        action: Action::Look(Look::Pane(id)),
        short: "",
        name: pane.command(),
        words: pane.words(),
    });
    // Moves of a cursor are keys, and nobody looks for them by their words.
    let is_command = |binding: &&Binding| match binding.action {
        Action::Edit(edit) => !matches!(
            edit,
            Edit::Left
                | Edit::Right
                | Edit::WordLeft
                | Edit::WordRight
                | Edit::Home
                | Edit::End
                | Edit::SelectLeft
                | Edit::SelectRight
                | Edit::SelectWordLeft
                | Edit::SelectWordRight
                | Edit::SelectHome
                | Edit::SelectEnd
                | Edit::SelectUp
                | Edit::SelectDown
                | Edit::NewLine
                | Edit::Tab
                | Edit::TabBack
                | Edit::Backspace
                | Edit::Delete
                | Edit::Empty
                | Edit::TakeOffer
        ),
        Action::Sheet(_) => false,
        Action::Motion(motion) => !matches!(motion, Motion::Up | Motion::Down | Motion::Enter),
        Action::Console(console) => matches!(console, ConsoleAction::Type | ConsoleAction::EndInput),
        Action::Travel(_) | Action::Hand(_) | Action::Find(_) | Action::Look(_) | Action::File(_) => true,
    };
    let of_page = |binding: &&Binding| binding.is_of(Walk) || binding.is_of(Writing) || binding.is_of(Tally);
    BINDINGS.iter().filter(is_command).filter(of_page).copied().chain(panes)
}

/// The name of a key: `g`, `G`, `Ctrl-S`, `Right`, `Space`.
pub(crate) fn key_name(key: KeyEvent) -> String {
    let mut name = String::new();
    let shifts = !matches!(key.code, KeyCode::Char(_) | KeyCode::BackTab);
    for (modifier, text) in
        [(KeyModifiers::CONTROL, "Ctrl-"), (KeyModifiers::ALT, "Alt-"), (KeyModifiers::SHIFT, "Shift-")]
    {
        if key.modifiers.contains(modifier) && (modifier != KeyModifiers::SHIFT || shifts) {
            name.push_str(text);
        }
    }
    match key.code {
        KeyCode::F(number) => {
            // Writing to a string never fails.
            let _ = write!(name, "F{number}");
        }
        KeyCode::Char(' ') => name.push_str("Space"),
        KeyCode::Char(c) if key.modifiers.contains(KeyModifiers::CONTROL) => name.push(c.to_ascii_uppercase()),
        KeyCode::Char(c) => name.push(c),
        KeyCode::BackTab => name.push_str("Backtab"),
        code => name.push_str(&format!("{code:?}")),
    }
    name
}

/// The key that is shown so; `None` when that is several, or none.
pub(crate) fn event_of(shown: &str) -> Option<KeyEvent> {
    if shown == "Shift-Tab" {
        return Some(KeyEvent::new(KeyCode::BackTab, KeyModifiers::NONE));
    }
    let (mut modifiers, mut rest) = (KeyModifiers::NONE, shown);
    for (name, modifier) in [("Ctrl-", KeyModifiers::CONTROL), ("Shift-", KeyModifiers::SHIFT)] {
        if let Some(key) = rest.strip_prefix(name).filter(|key| !key.is_empty()) {
            (modifiers, rest) = (modifiers | modifier, key);
        }
    }
    let code = match rest {
        "→" => KeyCode::Right,
        "←" => KeyCode::Left,
        "↑" => KeyCode::Up,
        "↓" => KeyCode::Down,
        "Enter" => KeyCode::Enter,
        "Esc" => KeyCode::Esc,
        "Tab" => KeyCode::Tab,
        "Space" => KeyCode::Char(' '),
        "Home" => KeyCode::Home,
        "End" => KeyCode::End,
        "PageUp" => KeyCode::PageUp,
        "PageDown" => KeyCode::PageDown,
        "Backspace" => KeyCode::Backspace,
        "Delete" => KeyCode::Delete,
        key if key.chars().count() == 1 => {
            let sign = key.chars().next()?;
            KeyCode::Char(if modifiers == KeyModifiers::NONE { sign } else { sign.to_ascii_lowercase() })
        }
        key => KeyCode::F(key.strip_prefix('F')?.parse().ok()?),
    };
    Some(KeyEvent::new(code, modifiers))
}

/// What a key stands for in the first of some contexts that knows it. Where text is taken, plain signs are text and
/// no later context is asked about them.
pub(crate) fn action_for(key: KeyEvent, contexts: &[Context]) -> Option<Action> {
    let name = key_name(key);
    let plain =
        matches!(key.code, KeyCode::Char(_)) && !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
    for &context in contexts {
        if plain && context.takes_text() {
            return None;
        }
        let found = BINDINGS.iter().find(|binding| binding.is_of(context) && binding.keys.contains(&name.as_str()));
        if let Some(binding) = found {
            return Some(binding.action);
        }
    }
    None
}

/// Keys shown with arrows, as on the keys line.
pub(crate) fn shown(key: &str) -> String {
    match key.rsplit_once('-') {
        Some((modifier, rest)) if !rest.is_empty() && rest != key => format!("{modifier}-{}", shown(rest)),
        _ => match key {
            "Right" => "→".to_owned(),
            "Left" => "←".to_owned(),
            "Up" => "↑".to_owned(),
            "Down" => "↓".to_owned(),
            "Backtab" => "Shift-Tab".to_owned(),
            key => key.to_owned(),
        },
    }
}

/// All keys of an action as they are shown, with blanks between them.
pub(crate) fn all_shown(keys: &[&str]) -> String {
    keys.iter().map(|key| shown(key)).collect::<Vec<_>>().join(" ")
}

/// `docs/keys.md`, whole.
pub fn keys_document() -> String {
    let mut out = String::from(
        "# Keys\n\n<!-- Written by `cargo run -p wendax-tui --example keys`; a test holds it to the code. -->\n\n\
         Left and right are time, up and down are place. While writing, everything else that is typed goes into\n\
         the text. While a program waits for input or runs, what is typed goes to it, and the console says so; Esc keeps\n\
         the keys for commands. The mouse puts the cursor, selects and scrolls. The palette finds every command by its\n\
         words, also by other ones than those it is named by.\n",
    );
    for context in Context::ALL {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {}\n\n| keys | what they do |\n|---|---|", context.title());
        for binding in BINDINGS.iter().filter(|binding| binding.is_of(context)) {
            let keys: Vec<String> = binding.keys_in(context).map(|key| format!("`{}`", shown(key))).collect();
            if !keys.is_empty() {
                let _ = writeln!(out, "| {} | {} |", keys.join(" "), binding.name);
            }
        }
    }
    let _ = writeln!(
        out,
        "\n## Panes\n\nThe palette brings each into view by its name.\n\n| pane | what it shows |\n|---|---|"
    );
    for (_, pane) in panes::all() {
        let _ = writeln!(out, "| {} | {} |", pane.name(), pane.about());
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_shown_of_a_key_leads_back_to_it() {
        for key in BINDINGS.iter().flat_map(|binding| binding.keys) {
            let event = event_of(&shown(key)).unwrap_or_else(|| panic!("{key}"));
            assert_eq!(key_name(event), *key);
        }
        assert_eq!(event_of("↑ ↓"), None);
        assert_eq!(event_of(""), None);
    }

    #[test]
    fn no_key_means_two_things_in_one_context() {
        for context in Context::ALL {
            let bound = BINDINGS.iter().filter(|binding| binding.is_of(context));
            let mut keys: Vec<&str> = bound.flat_map(|binding| binding.keys_in(context)).collect();
            keys.sort_unstable();
            let all = keys.clone();
            keys.dedup();
            assert_eq!(keys, all, "{context:?}");
        }
    }

    #[test]
    fn signs_are_text_where_text_is_taken() {
        let key = |code, modifiers| KeyEvent::new(code, modifiers);
        let q = key(KeyCode::Char('q'), KeyModifiers::NONE);
        let quit = Some(Action::File(File::Quit));
        assert_eq!(action_for(q, &[Walk]), quit);
        assert_eq!(action_for(q, &[Writing]), None);
        assert_eq!(action_for(q, &[Console, Walk]), None, "not even in the context behind");
        assert_eq!(action_for(key(KeyCode::Char('q'), KeyModifiers::CONTROL), &[Writing]), quit);
        assert_eq!(
            action_for(key(KeyCode::Char('G'), KeyModifiers::SHIFT), &[Walk]),
            Some(Action::Travel(Travel::GoBack))
        );
        assert_eq!(
            action_for(key(KeyCode::Left, KeyModifiers::SHIFT), &[Writing]),
            Some(Action::Edit(Edit::SelectLeft))
        );
    }

    #[test]
    fn the_document_holds_todays_keys() {
        let text = include_str!("../../../docs/keys.md");
        assert!(text == keys_document(), "run `cargo run -p wendax-tui --example keys`");
    }
}
