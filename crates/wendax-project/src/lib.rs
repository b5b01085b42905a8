//! Which files make a program, and what they hold.
//!
//! A [`Project`] is a folder with a manifest, `wendax.toml`, or a single source without one. [`Manifest`] is read
//! from text alone; [`DiskFiles`] reads files, and gives edited texts instead of them where there are any.
//! `docs/projects.md` says what a manifest may hold.
//!
//! [`Workshop`] makes the program of it, again and again while texts change.
//!
//! This crate reads files and folders, and writes none.

mod disk;
#[cfg(feature = "fuzzing")]
pub mod fuzzing;
mod manifest;
mod mend;
mod project;
mod seal;
mod workshop;

pub use disk::{DiskFiles, plain_error};
pub use manifest::{Limits, Manifest, NAME};
pub use mend::{Done, Mended, mend};
pub use project::{Project, starting_files};
pub use seal::Seal;
pub use workshop::{Built, NotBuilt, Workshop};

/// The machine that programs are for when nothing else is said.
pub fn default_target() -> &'static wendax_isa::Target {
    &wendax_isa::w16::TARGET
}
