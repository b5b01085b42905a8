//! Everything a user can ask for, whatever key, click or palette entry it is asked by.
//!
//! An action belongs to a kind, and each kind is carried out by one function (`update/…`) that names all of its
//! actions: one that was forgotten does not compile.

use crate::pane_id::PaneId;

/// Something to do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Action {
    /// Move through the run: `update/travel.rs`.
    Travel(Travel),
    /// Breakpoints and values: `update/hand.rs`.
    Hand(Hand),
    /// Change text, or move in it: `update/edit.rs`.
    Edit(Edit),
    /// Move up and down in whatever has the focus: `update/motion.rs`.
    Motion(Motion),
    /// Find something in the text: `update/find.rs`.
    Find(Find),
    /// Change what is looked at: `update/look.rs`.
    Look(Look),
    /// Files and the end: `update/file.rs`.
    File(File),
    /// Answer the sheet that lies over the page: `update/sheet.rs`.
    Reply(Reply),
    /// Type to the program: `update/console.rs`.
    Talk(Talk),
}

/// Moves through the run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Travel {
    Step,
    StepBack,
    LineStep,
    LineBack,
    Over,
    OverBack,
    Out,
    OutBack,
    Go,
    GoBack,
    ToLine,
    BackToLine,
    ToStart,
    ToEnd,
    Pause,
    Restart,
    Replay,
    /// To the step that wrote what is chosen last.
    ToWriter,
    /// To the moment that was looked at before, and forth again.
    VisitBack,
    VisitForth,
    /// Runs slowly, or pauses that; and the pace of it.
    Slow,
    Faster,
    Slower,
}

/// What is done to the run by hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Hand {
    Breakpoint,
    ClearBreakpoints,
    /// A stop of the line, or the one chosen in their list: on or off.
    StopOnOff,
    /// Moves the lever with this number.
    Lever(u32),
    /// What the routine uses is watched, or no longer.
    WatchRoutine,
    /// Takes away what is chosen in a list.
    Remove,
    /// Takes back what was done by hand last.
    TakeBack,
    /// Does again what was taken back last.
    DoAgain,
}

/// Changes of text, and moves in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Edit {
    Left,
    Right,
    WordLeft,
    WordRight,
    Home,
    End,
    SelectLeft,
    SelectRight,
    SelectWordLeft,
    SelectWordRight,
    SelectHome,
    SelectEnd,
    SelectUp,
    SelectDown,
    SelectAll,
    StretchLeft,
    StretchRight,
    StretchUp,
    StretchDown,
    /// What is selected is a rectangle, or no longer.
    Rectangle,
    NewLine,
    Tab,
    TabBack,
    Backspace,
    Delete,
    DeleteLine,
    /// Takes everything out of a field.
    Empty,
    Undo,
    Redo,
    Copy,
    Cut,
    Paste,
    Comment,
    /// Goes to the comment of the line, or begins one.
    CommentHere,
    LineUp,
    LineDown,
    Double,
    /// Writes the number under the cursor in another form.
    OtherNumber,
    Columns,
    Bracket,
    /// Offers words, or offers them no longer.
    Complete,
    TakeOffer,
    Mend,
    Rename,
    Replace,
}

/// Moves up and down.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Motion {
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    /// To the place of what is chosen in a list.
    Enter,
    Sideways,
    SidewaysBack,
}

/// Ways to a place in the text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Find {
    /// What was searched for in what has the keys, further on.
    Again,
    SearchBack,
    InMemoryBack,
    NextProblem,
    Definition,
    NextUse,
    Present,
}

/// What is looked at, and how.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Look {
    Write,
    Walk,
    NextPane,
    LastPane,
    /// Brings a pane into view, and the keys to it.
    Pane(PaneId),
    Fill,
    Show,
    CodeWords,
    Wrap,
    Binary,
    /// What the coming step will do is hidden and asked, or no longer.
    Guess,
    /// No exercise is under way any more.
    Leave,
    Unfold,
    NextRegion,
    Palette,
    Guide,
    Files,
    /// The first steps of someone new.
    Lessons,
    LessonBack,
    LessonOn,
    /// A text: what to try, the last messages, all keys.
    Read(Text),
    /// A pane on a page of its own; when it is looked at, back to the bench.
    Page(PaneId),
    /// The pages, one after the other.
    Pages,
    /// What has the keys, in another form: other counts beside the lines, other digits, another table.
    Form,
    Words,
    /// What is searched for in what has the keys.
    Search,
    /// A line, a label, a problem, a call: by a few letters.
    GoTo,
    /// Back to the bench.
    Back,
    /// Something else beside the lines of the source.
    Beside,
    /// The tables of the tally: another one, sorted by another column or the other way round, beside a kept one.
    NextTable,
    LastTable,
    SortOn,
    SortBack,
    SortOther,
    Compare,
    /// The trials: what came of rows, or their cells; the next cell of a row, the one before.
    Cells,
    CellOn,
    CellBack,
    /// The board; when it is looked at, on a page of its own, and back.
    Board,
    /// The story of what is chosen.
    History,
    Ask(Ask),
}

/// Files and the end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum File {
    Save,
    Quit,
    /// Rows of the table of trials, in its file.
    CopyRow,
    RemoveRow,
    UndoRow,
}

/// Answers to a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Reply {
    Take,
    /// Puts the example that is shown into the text.
    Example,
    Leave,
    /// One of the answers to a question, by its letter.
    Letter(char),
}

/// Typing to the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table of keys says what each one does")]
pub enum Talk {
    /// Each key goes to the program at once.
    Strike,
    /// What is typed goes to the program, whatever it is doing.
    Type,
    /// What is typed are commands, also while the program waits.
    KeepKeys,
    Send,
    EndInput,
}

/// Something that is asked for, by what stands at the head of its prompt: `update/prompts.rs` has all of them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Ask(pub(crate) &'static str);

/// A text that is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Text {
    /// What to try in the demo.
    Try,
    /// What was told last.
    Messages,
    /// All keys, where they mean something.
    Keys,
    /// What is preferred, and where that is set.
    Settings,
    /// How well was guessed.
    Guesses,
    /// How the exercise went.
    Exercise,
}

impl Edit {
    /// It changes the text.
    pub(crate) fn writes(self) -> bool {
        match self {
            Self::NewLine | Self::Tab | Self::TabBack | Self::Backspace | Self::Delete | Self::DeleteLine => true,
            Self::Undo | Self::Redo | Self::Cut | Self::Paste | Self::Comment | Self::Columns | Self::Complete => true,
            Self::TakeOffer | Self::CommentHere | Self::LineUp | Self::LineDown | Self::Double => true,
            Self::OtherNumber => true,
            Self::Mend | Self::Rename | Self::Replace | Self::Empty => true,
            Self::Left | Self::Right | Self::WordLeft | Self::WordRight | Self::Home | Self::End => false,
            Self::SelectLeft | Self::SelectRight | Self::SelectWordLeft | Self::SelectWordRight => false,
            Self::SelectHome | Self::SelectEnd | Self::SelectUp | Self::SelectDown | Self::SelectAll => false,
            Self::StretchLeft | Self::StretchRight | Self::StretchUp | Self::StretchDown => false,
            Self::Copy | Self::Bracket | Self::Rectangle => false,
        }
    }
}
