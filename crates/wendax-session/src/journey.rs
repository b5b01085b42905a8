//! What a walk is doing: the states people see, the commands it can be given, and the way a command is carried out.
//!
//! Data only; `commands` and `session` work with it.

use crate::cursor::Kept;
use crate::stops::{Armed, StopAt, StopId};
use wendax_isa::{Addr, StepNo};
use wendax_machine::{Awaited, Fault, Need, Snapshot};

/// What the program is doing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// Before its first step.
    Ready,
    /// A command is under way.
    Running,
    /// It asks for typed input.
    Waiting,
    /// Between two steps.
    Paused(Why),
    /// It ended with this status.
    Finished(u32),
    /// An instruction failed.
    Fault(Fault),
    /// It repeats one state for ever.
    Circling {
        /// Steps of a round.
        period: u64,
    },
    /// It repeats one state until something comes from outside.
    Idle {
        /// Steps of a round.
        period: u64,
        /// What could come.
        awaited: Awaited,
    },
}

/// Why a walk paused.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// The step was done.
    Stepped,
    /// The routine returned.
    Returned,
    /// A stop is met.
    Breakpoint,
    /// This is the line that was asked for.
    Line,
    /// This is what was asked for.
    Until,
    /// Something was typed here.
    Typed,
    /// Someone asked it to pause.
    Asked,
    /// It ran a `brk`.
    Brk,
    /// It has printed as much as it may.
    Output,
    /// It has taken as many steps as it may.
    Steps,
    /// It has taken as long as it may, on the clock made of cycles.
    Time,
    /// This is the step that was asked for.
    Sought,
    /// It is as far back as is kept.
    Oldest,
    /// Someone changed the state.
    Edited,
}

/// An order to walk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Command {
    /// One step.
    Step,
    /// Un-execute one step.
    StepBack,
    /// One step, with everything it calls.
    Over,
    /// Back over one step, with everything it called.
    OverBack,
    /// Until the present routine has returned.
    Out,
    /// Back to the call of the present routine.
    OutBack,
    /// On to another line of the source, with everything that is called.
    Line,
    /// Back to where the line before began.
    LineBack,
    /// On to the next stop.
    Go,
    /// Back to the last stop.
    GoBack,
    /// On until one of these addresses is next, or to a stop before.
    To(Vec<Addr>),
    /// Back to when one of these addresses was last next.
    BackTo(Vec<Addr>),
    /// On until this is met, or to a stop before.
    Until(Box<StopAt>),
    /// Back to when this was met last.
    BackUntil(Box<StopAt>),
    /// On until the cycle counter has come to this, or to a stop before.
    Cycles(u64),
    /// To a step, wherever it lies.
    Seek(StepNo),
}

/// How far the work on a command is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Progress {
    /// There is more to do.
    Working,
    /// The program asks for something that is not typed input: answer with [`crate::Session::answer`].
    Asks(Need),
    /// Done; see [`crate::Session::state`].
    Arrived,
}

/// What a walk is doing: exactly one of these.
#[derive(Debug, Clone)]
pub(crate) enum Doing {
    /// It stands between two steps, or at an end.
    Rests(State),
    /// The program waits for input; what goes on when it comes.
    Waits(Option<Forward>),
    /// A command is under way.
    Travels(Journey),
}

/// A command under way.
#[derive(Debug, Clone)]
pub(crate) enum Journey {
    Forward(Forward),
    Seek(Seek),
    Search(Search),
    /// Going back over a step: at the step before, whether that is inside something called has to be seen.
    OverBack {
        depth: usize,
        home: Home,
        seek: Seek,
    },
}

/// On, over known steps or into the open.
#[derive(Debug, Clone)]
pub(crate) struct Forward {
    pub(crate) goal: Goal,
    /// The step it began at.
    pub(crate) begun: StepNo,
    /// The state there, and its place, to tell what the whole way changed.
    pub(crate) start: Option<(Snapshot, Addr)>,
    /// The way back of a routine that was to be stepped over was taken off the stack: where that one begins, whose code is
    /// still being run.
    pub(crate) inside: Option<Addr>,
    /// How often stops were met by the step it began at has been counted.
    pub(crate) counted: bool,
    /// Stops of the command's own, beside those of the walk.
    pub(crate) own: Vec<StopAt>,
    /// What they are called when one is met.
    pub(crate) why: Why,
}

#[derive(Debug, Clone)]
pub(crate) enum Goal {
    Step(StepNo),
    /// One step, and on while there are more frames than this.
    Over(usize),
    /// On while there are more frames than this.
    Out(usize),
    /// One step, and on while the next instruction belongs to this range of addresses or there are more frames.
    Leave {
        from: Addr,
        to: Addr,
        depth: usize,
    },
    Stop,
    /// On while the cycle counter is below this.
    Cycles(u64),
    /// A stop of the command's own.
    Until,
}

impl Goal {
    /// As many frames as may be left when it is reached.
    pub(crate) fn depth(&self) -> Option<usize> {
        match self {
            Self::Over(depth) | Self::Out(depth) | Self::Leave { depth, .. } => Some(*depth),
            Self::Step(_) | Self::Stop | Self::Cycles(_) | Self::Until => None,
        }
    }
}

/// To a step that was taken before.
#[derive(Debug, Clone)]
pub(crate) struct Seek {
    pub(crate) step: StepNo,
    pub(crate) why: Why,
    /// The nearest checkpoint has been gone to.
    pub(crate) begun: bool,
}

impl Seek {
    pub(crate) fn new(step: StepNo, why: Why) -> Self {
        Self { step, why, begun: false }
    }
}

/// Where a search began, to go back to when it is given up.
#[derive(Debug, Clone)]
pub(crate) struct Home {
    pub(crate) at: Kept,
    pub(crate) state: State,
}

/// Looks for the last moment that fits.
#[derive(Debug, Clone)]
pub(crate) struct Search {
    pub(crate) wanted: Wanted,
    pub(crate) home: Home,
    /// The interval being replayed ends here.
    pub(crate) until: StepNo,
    /// The last moment found in it.
    pub(crate) found: Option<StepNo>,
    /// The stops that are looked for.
    pub(crate) stops: Vec<Armed>,
    /// Those met at the moment found.
    pub(crate) met: Vec<StopId>,
    pub(crate) why: Why,
    pub(crate) begun: bool,
}

impl Search {
    /// The step the interval is replayed to. A stop at a moment is met behind the step before, so for stops that is the
    /// last moment that counts.
    pub(crate) fn last(&self) -> StepNo {
        match self.wanted {
            Wanted::Stops { .. } => self.until.saturating_sub(1),
            Wanted::CallFrom(_) | Wanted::Line(_) => self.until,
        }
    }

    /// For moments before step `before`.
    pub(crate) fn new(wanted: Wanted, before: StepNo, why: Why, home: Home) -> Self {
        Self { wanted, home, until: before, found: None, stops: Vec::new(), met: Vec::new(), why, begun: false }
    }
}

#[derive(Debug, Clone)]
pub(crate) enum Wanted {
    /// A stop of the command is met; or something was typed, when `input`.
    Stops { input: bool },
    /// A routine is about to be entered from at most so many frames.
    CallFrom(usize),
    /// The line before began, by the states with at most so many frames.
    Line(LineSearch),
}

/// Looking for where a line began: the latest states in one line, without what was called from it.
#[derive(Debug, Clone)]
pub(crate) struct LineSearch {
    pub(crate) depth: usize,
    /// Of the line looked for, once an interval has shown it; the earliest state known to belong to it.
    pub(crate) known: Option<LineRun>,
}

/// States that follow each other and belong to one line.
#[derive(Debug, Clone, Copy)]
pub(crate) struct LineRun {
    /// Its addresses.
    pub(crate) range: (Addr, Addr),
    /// The first of them.
    pub(crate) first: StepNo,
}
