//! The terminal interface: state, update, view.
//!
//! [`App`] is all that is true; [`update`] turns a [`Message`] into a change of it and [`Effect`]s; [`draw`]
//! turns it into cells. None of them touches a terminal, a file or a clock: whoever owns those feeds
//! messages and carries out effects. All key bindings are one table, [`BINDINGS`], from which the keys
//! line, the palette, the help and `docs/keys.md` are made.

mod actions;
mod completion;
mod documents;
mod editor;
mod guide;
mod keys;
mod mouse;
mod state;
mod theme;
mod update;
mod view;

pub use actions::Action;
pub use editor::{Editor, LineShift};
pub use keys::{BINDINGS, Binding, Context, keys_document};
pub use state::{App, Built, Depth, Effect, Message, Mode, OpenFile, Tone, Unsaved};
pub use theme::{Colours, Look, Theme};
pub use update::update;
pub use view::draw;
