//! What passes between a machine and the world.

use crate::Fault;

/// What a run is given from the start.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Settings {
    /// Arguments of the program, each without NUL.
    pub arguments: Vec<Vec<u8>>,
    /// Where the random numbers begin; the same seed gives the same numbers.
    pub seed: u64,
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
    /// The time asked for has passed; answers [`Need::Wait`].
    Waited,
    /// The sixteen levers stand like this.
    Levers(u32),
    /// A person sets a register, by its index.
    SetRegister(u32, u32),
    /// A person sets the flags word.
    SetFlags(u32),
    /// A person sets a byte of memory: address and value.
    SetByte(u32, u32),
}

impl Event {
    /// A person changed the state itself, instead of answering the program.
    pub fn is_edit(&self) -> bool {
        matches!(self, Self::SetRegister(..) | Self::SetFlags(_) | Self::SetByte(..))
    }
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
}

/// Why a run stopped.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stop {
    /// It came to the step it was to run to.
    Steps,
    /// The next instruction has a breakpoint.
    Breakpoint,
    /// As few routines are active as were asked for.
    Depth,
    /// It ran a `brk` that the program does not handle.
    Brk,
    /// It cannot go on before it is fed an event.
    Needs(Need),
    /// The program ended with this status.
    Finished(u32),
    /// An instruction failed, and the program does not handle it; nothing of it has happened.
    Fault(Fault),
    /// The next instruction jumps to itself for ever.
    Circling,
}
