//! The terminal interface.
//!
//! [`App`] is the whole of it: the world, which is true whatever is shown, and the screen, which is what is shown of it.
//! [`update`] turns a [`Message`] into a change of it and [`Effect`]s; [`draw`] turns it into cells and changes nothing.
//! None of them touches a terminal, a file or a clock: whoever owns those feeds messages and carries out effects.
//!
//! | where | is |
//! |---|---|
//! | `world/` | documents, the program they make, the walk, stops |
//! | `screen.rs`, `layout.rs` | what is shown, and where it lies on a screen of some size |
//! | `panes/` | the panes of the page, one file each, and their table |
//! | `sheets/` | what lies over the page: palette, files, guide, prompts, questions |
//! | `parts/` | what those are made of: pen, list, field, text |
//! | `frame/` | header and keys line, and the order of drawing |
//! | `actions.rs`, `commands.rs`, `update/prompts.rs` | all that can be asked for, and by which keys: [`bindings`] |
//! | `update/` | what each kind of action does |
//! | `picture.rs` | what is on the screen as data for drawings |
//! | `kept.rs` | what is there again when a program is opened the next time |

mod actions;
mod app;
mod cells;
mod commands;
mod face;
mod frame;
mod invariants;
mod keeping;
mod kept;
mod keys;
mod layout;
mod lessons;
mod message;
mod pane_id;
mod panes;
mod parts;
mod pattern;
mod picture;
mod preferences;
mod screen;
mod sheet;
mod sheets;
mod theme;
mod update;
mod world;

/// What the tests beside the crate ask of its inside, so that the crate is not compiled once more for them; nobody else
/// should.
#[doc(hidden)]
pub mod inside {
    pub use crate::cells::{column_of, fitted, next_place, place_at, shown, width, without_first};
    pub use crate::commands::{action_for, commands};
    pub use crate::keys::{event_of, key_name, shown as shown_key};
    pub use crate::layout::share;
    pub use crate::pane_id::Need;
    pub use crate::panes::next::{Fit, in_lines};
    pub use crate::parts::list::first_shown;
    pub use crate::pattern::{Meant, Pattern};
    pub use crate::sheets::guide::{Topic, entries, found, topics};
    pub use crate::sheets::palette::ranked;
    pub use crate::theme::{Ink, nearest_index};
    pub use crate::world::editor::rectangle::Rectangle;

    /// What stands at the heads of prompts.
    pub fn prompt_heads() -> impl Iterator<Item = &'static str> {
        crate::update::prompts::PROMPTS.iter().map(|prompt| prompt.ask.0)
    }
}

pub use actions::{
    Action, Ask, Edit, File, Find, Hand, Look as LookAction, Motion, Reply, Talk, Text as ReadText, Travel,
};
pub use app::App;
pub use commands::{bindings, keys_document};
pub use face::board_face;
pub use frame::draw;
pub use kept::{Kept, Line};
pub use keys::{Binding, Context};
pub use message::{Effect, Folder, Message, OpenFile, RowJob, TrialsJob, Unsaved};
pub use pane_id::PaneId;
pub use preferences::{Numbers, Preferences};
pub use screen::Mode;
pub use theme::{Colours, Look, Theme};
pub use update::update;
pub use wendax_project::Built;
pub use world::editor::{Editor, LineShift, Text};
