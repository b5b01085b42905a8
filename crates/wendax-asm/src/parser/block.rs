//! What is read line by line.

use wendax_source::FileId;

/// Lines to be read: a file, or what something was unfolded to.
#[derive(Debug, Clone, Copy)]
pub(super) struct Block<'a> {
    pub(super) file: FileId,
    /// Where in the file the text begins.
    pub(super) base: u32,
    pub(super) text: &'a str,
    pub(super) expansion: Option<u32>,
}
