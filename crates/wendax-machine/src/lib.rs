//! A running machine: memory with rights, execution engine, traps, devices, system calls.
//!
//! A [`Machine`] is a pure function of its image, its settings and the events fed to it. It reads no clock
//! and no file: when it needs the world it stops with a [`Need`], and goes on when the answer has been
//! fed as an [`Event`]. Everything that happens to it from outside comes as an event, so that whoever
//! records events can repeat a run exactly.
//!
//! It runs blind ([`Machine::run`]), at full speed, or traced ([`Machine::run_observed`]): an [`Observer`] then gets a
//! [`Report`] of each step; or with all it does counted ([`Machine::run_counted`]). A blind run stops before what a [`Lookout`] names. What an
//! instruction computes stands once for all of them; a blind run carries out several at one go (`swift`). Its state can be kept and put back ([`Machine::snapshot`], [`Machine::restore`]); memory pages that
//! did not change are shared between snapshots. What a whole walk needs beyond that is not known here.
//!
//! `machine` is what everyone else sees, and hands on to one of those there are: `w16`, `rv32`, in which all that is one
//! machine's lives. `common`, `console`, `board`, `devices`, `files`, `frames`, `random`, `activity`, `repeats` and `swift` are what any
//! machine needs; words cross this border as `u32` whatever their width, places as ids.

mod activity;
mod board;
mod common;
mod console;
mod counts;
mod devices;
mod events;
mod fault;
mod files;
mod frames;
mod instructions;
mod lookout;
mod machine;
mod memory;
mod numbers;
mod random;
mod repeats;
mod report;
mod rv32;
mod swift;
mod w16;

pub use activity::Moment;
pub use board::{Board, Interrupt, LEVERS};
pub use counts::{CallCount, CellCount, Counts, Depths, EventCount, OneCall, PlaceCount, RoutineCount, Stretch};
pub use events::{Awaited, CYCLES_A_MILLISECOND, Clock, Event, Need, Run, Settings, Stop, Tone, Watch, Watchful};
pub use fault::{Fault, FaultKind};
pub use files::{FileDeed, FileMode, Files, Found, KnownFile, MOST_BYTES, MOST_FILES, MOST_OPEN, Moved, OpenFile};
pub use frames::{Frame, FrameKind};
pub use instructions::{Access, AccessKind, Computation, Field, InsnInfo, Order, Sort, Uses, Way};
pub use lookout::Lookout;
pub use machine::{Counting, Machine, Note, Snapshot, Writer};
pub use memory::{CellState, Difference, Region, RegionKind};
pub use random::by_chance;
pub use report::{Came, FlagsChange, Observer, Report, StepKind, Write};
pub use wendax_isa::{Addr, DeviceKind, DeviceRegister, Reg, StepNo};
