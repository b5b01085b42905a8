//! What passes between a machine and the world.

use crate::fault::Fault;
use crate::files::Found;
use std::sync::Arc;
use wendax_isa::{Addr, Reg, StepNo};

/// Where a machine's time comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Clock {
    /// The host's clock, asked for by [`Need::Clock`] and [`Need::Wait`].
    #[default]
    Host,
    /// The cycle counter: a millisecond is [`CYCLES_A_MILLISECOND`] cycles, and waiting takes no time of the host. Runs
    /// do not depend on the host then.
    Cycles,
}

/// Cycles of a millisecond on the clock made of cycles: a machine of one megahertz.
pub const CYCLES_A_MILLISECOND: u64 = 1000;

/// How closely a blind run looks for waits that it can pass over; what comes of a run is the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Watchful {
    /// As rarely as costs next to nothing.
    #[default]
    Usual,
    /// Every few steps, so that what is rare in use is common under test.
    Closely,
}

/// What a run is given from the start.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Settings {
    /// Arguments of the program, each without NUL.
    pub arguments: Vec<Vec<u8>>,
    /// Where the random numbers begin; the same seed gives the same numbers.
    pub seed: u64,
    /// Where time comes from.
    pub clock: Clock,
    /// There is a folder for the program's files; without, calls about files fail.
    pub has_folder: bool,
    /// How closely it looks for waits.
    pub watchful: Watchful,
}

/// Something that happens to a machine from outside.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Event {
    /// Bytes typed at the console, with the line end where there was one.
    Typed(Vec<u8>),
    /// No more will be typed.
    InputEnds,
    /// What the host's clock shows, in milliseconds, low word; answers [`Need::Clock`].
    Clock(u32),
    /// The time asked for has passed; answers [`Need::Wait`] and [`Need::Sound`].
    Waited,
    /// What was found at a path; answers [`Need::File`].
    File(Arc<str>, Found),
    /// The sixteen levers stand like this.
    Levers(u32),
    /// A person sets a register.
    SetRegister(Reg, u32),
    /// A person sets the flags word.
    SetFlags(u32),
    /// A person sets a byte of memory: address and value.
    SetByte(Addr, u32),
}

impl Event {
    /// A person changed the state itself, instead of answering the program: it has happened by the time the step it
    /// belongs to is looked at. Typing and answers are still to come then.
    pub fn is_edit(&self) -> bool {
        matches!(self, Self::SetRegister(..) | Self::SetFlags(_) | Self::SetByte(..) | Self::Levers(_))
    }

    /// Something was typed, or no more will be.
    pub fn is_input(&self) -> bool {
        matches!(self, Self::Typed(_) | Self::InputEnds)
    }
}

/// A tone that sounds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Tone {
    /// The step that made it.
    pub step: StepNo,
    /// When it began, in cycles of the program's own time: what was waited for counts as [`CYCLES_A_MILLISECOND`].
    pub at: u64,
    /// Its frequency; 0 for silence.
    pub hertz: u32,
    /// How long it sounds.
    pub milliseconds: u32,
}

/// What a machine needs from outside before it can take the next step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Need {
    /// More typed input, or word that there is none.
    Input,
    /// The time.
    Clock,
    /// That so many milliseconds pass.
    Wait(u32),
    /// That this tone sounds, and its time passes.
    Sound(Tone),
    /// What lies at the path that [`crate::Machine::wanted_file`] tells.
    File,
}

/// What could end a wait that a program does by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Awaited {
    /// A key typed, or the end of the input.
    pub console: bool,
    /// A lever moved.
    pub levers: bool,
}

/// Whether a run looks for states that repeat.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub enum Watch {
    /// Only jumps to themselves are noticed.
    #[default]
    Nothing,
    /// Loops in which nothing happens that anyone could see, and that nothing could end, stop as circling.
    Circling,
    /// Loops that only the console or the levers could end stop too, as idle.
    Idle,
}

/// How far to run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Run {
    /// Stop at this step at the latest.
    pub until: StepNo,
    /// Stop behind the step with which the cycle counter comes to this.
    pub cycles: u64,
    /// Stop behind the step with which the clock made of cycles comes to so many milliseconds.
    pub milliseconds: u64,
    /// Stop once at most so many frames are left, of more before.
    pub depth: Option<u32>,
    /// Stop once so much has been done: steps carried out, and calls, devices, interrupts and bytes moved for the program,
    /// each worth about as much time as so many steps. Rounds of a wait that were passed over do not count.
    pub effort: u64,
    /// Stop once so many bytes have been printed since the start.
    pub printed: u64,
    /// What to look for.
    pub watch: Watch,
}

impl Run {
    /// To a step, however long that takes.
    pub fn until(step: StepNo) -> Self {
        Self {
            until: step,
            cycles: u64::MAX,
            milliseconds: u64::MAX,
            effort: u64::MAX,
            depth: None,
            printed: u64::MAX,
            watch: Watch::Nothing,
        }
    }
}

impl Stop {
    /// It goes on only when something comes from outside, or never: not just because it was told to stop here.
    pub fn is_end(&self) -> bool {
        match self {
            Self::Needs(_) | Self::Finished(_) | Self::Fault(_) | Self::Circling { .. } | Self::Idle { .. } => true,
            Self::Steps
            | Self::Cycles
            | Self::Worked
            | Self::Printed
            | Self::Observed
            | Self::Breakpoint
            | Self::Watched
            | Self::Depth { .. }
            | Self::Brk => false,
        }
    }
}

/// Why a run stopped.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stop {
    /// It came to the step it was to run to.
    Steps,
    /// It came to the cycle it was to run to.
    Cycles,
    /// It has done as much as it was to.
    Worked,
    /// It has printed as much as it was to.
    Printed,
    /// The observer wanted no more.
    Observed,
    /// The next instruction has a breakpoint.
    Breakpoint,
    /// The next step may do what is looked out for; see [`crate::Lookout`]. It can be taken by a run with an observer.
    Watched,
    /// As few routines are active as were asked for.
    Depth {
        /// An instruction made for returning left the last of them; otherwise its way back was taken off the stack some
        /// other way, and its code is still being run.
        returned: bool,
    },
    /// It ran a `brk` that the program does not handle.
    Brk,
    /// It cannot go on before it is fed an event.
    Needs(Need),
    /// The program ended with this status.
    Finished(u32),
    /// An instruction failed, and the program does not handle it; nothing of it has happened.
    Fault(Fault),
    /// It repeats one state for ever, every so many steps.
    Circling {
        /// Steps of a round.
        period: u64,
    },
    /// It repeats one state, every so many steps, until something comes from outside.
    Idle {
        /// Steps of a round.
        period: u64,
        /// What could come.
        awaited: Awaited,
    },
}
