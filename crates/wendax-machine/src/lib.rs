//! A running machine: memory with rights, execution engine, traps, devices, system calls.
//!
//! A [`Machine`] is a pure function of its image, its settings and the events fed to it. It reads no clock
//! and no file: when it needs the world it stops with a [`Need`], and goes on when the answer has been
//! fed as an [`Event`]. Everything that happens to it from outside comes as an event, so that whoever
//! records events can repeat a run exactly.
//!
//! Its state can be kept and put back ([`Machine::snapshot`], [`Machine::restore`]); memory pages that did
//! not change are shared between snapshots. What a whole walk needs beyond that is not known here.
//!
//! Numbers cross this border as `u32` whatever the width of the machine; all that is W16 lives in the
//! module of that name.

mod events;
mod memory;
mod w16;

pub use events::{Event, Need, Settings, Stop};
pub use memory::{CellState, Region, RegionKind};
pub use w16::{Access, AccessKind, Devices, Fault, FaultKind, Frame, FrameKind, Machine, Note, Run, Snapshot};
