//! What lies over the page and takes the keys, as data: palette, files, guide, prompts, questions. How each is drawn is in
//! `sheets/`, what Enter or an answer does in `update/sheet.rs`.

use crate::actions::{Ask, Find, Text};
use crate::message::Effect;
use crate::parts::field::Field;
use crate::theme::Ink;
use std::path::PathBuf;
use wendax_isa::Target;
use wendax_source::Span;

/// What is read in the guide.
#[derive(Debug, Clone)]
pub(crate) struct Reading {
    /// The machine whose guide it is.
    pub(crate) machine: &'static Target,
    pub(crate) query: Field,
    pub(crate) chosen: usize,
    /// Lines the page is scrolled by.
    pub(crate) scroll: usize,
    /// The reference chosen of those of the page, from 1; 0 for none.
    pub(crate) reference: usize,
    /// Words read before, by which one goes back.
    pub(crate) before: Vec<String>,
    /// What is said of the place of the program it was opened at.
    pub(crate) here: Vec<(String, Ink)>,
    /// The word that is said of.
    pub(crate) word: String,
}

#[derive(Debug, Clone)]
pub(crate) enum Sheet {
    /// A command by its words.
    Palette { query: Field, chosen: usize },
    /// The files of the program.
    Files { query: Field, chosen: usize },
    /// Somewhere to go to: lines, labels, problems, calls.
    GoTo { query: Field, chosen: usize },
    /// The guide: words found, and what is said of the chosen one.
    Guide(Reading),
    /// A text that is read, scrolled by so many lines.
    Page { what: Text, scroll: usize },
    /// Something is to be written.
    Prompt { ask: Ask, field: Field },
    /// Which of several names is meant, and what is wanted of it.
    Names { names: Vec<(Span, String)>, chosen: usize, wanted: Find },
    /// Unsaved text: save, drop, stay?
    Leaving,
    /// A file was changed by someone else while it was changed here: its name, and the text it has there.
    Conflict { name: String, theirs: String },
    /// A file that was not written here is to be written over.
    Exists { effect: Box<Effect> },
    /// The project wants to open folders outside of its own.
    Reach { folders: Vec<PathBuf> },
    /// What was found is to be replaced by something: this one, all of them?
    Replacing { with: String },
}

impl Sheet {
    /// It asks something that is answered by a letter.
    pub(crate) fn is_question(&self) -> bool {
        match self {
            Self::Leaving | Self::Conflict { .. } | Self::Replacing { .. } => true,
            Self::Exists { .. } | Self::Reach { .. } => true,
            Self::Palette { .. } | Self::Files { .. } | Self::GoTo { .. } | Self::Guide(_) | Self::Prompt { .. } => {
                false
            }
            Self::Names { .. } | Self::Page { .. } => false,
        }
    }

    /// What is typed goes there.
    pub(crate) fn field_mut(&mut self) -> Option<&mut Field> {
        match self {
            Self::Palette { query, .. } | Self::Files { query, .. } | Self::GoTo { query, .. } => Some(query),
            Self::Guide(reading) => Some(&mut reading.query),
            Self::Prompt { field, .. } => Some(field),
            Self::Names { .. } | Self::Page { .. } => None,
            Self::Leaving | Self::Conflict { .. } | Self::Replacing { .. } => None,
            Self::Exists { .. } | Self::Reach { .. } => None,
        }
    }

    /// The entry chosen of its list.
    pub(crate) fn chosen_mut(&mut self) -> Option<&mut usize> {
        match self {
            Self::Palette { chosen, .. } | Self::Files { chosen, .. } | Self::Names { chosen, .. } => Some(chosen),
            Self::GoTo { chosen, .. } => Some(chosen),
            Self::Guide(reading) => Some(&mut reading.chosen),
            Self::Page { scroll, .. } => Some(scroll),
            Self::Prompt { .. } | Self::Leaving | Self::Conflict { .. } => None,
            Self::Replacing { .. } | Self::Exists { .. } | Self::Reach { .. } => None,
        }
    }

    /// The keys line while it is there, beside what the table of keys says.
    pub(crate) fn keys(&self) -> &'static [(&'static str, &'static str)] {
        match self {
            Self::Palette { .. } => &[("↑ ↓", "choose"), ("Enter", "do it"), ("Esc", "leave")],
            Self::Files { .. } => &[("↑ ↓", "choose"), ("Enter", "look at it"), ("Esc", "leave")],
            Self::GoTo { .. } => &[("↑ ↓", "choose"), ("Enter", "go there"), ("Esc", "leave")],
            Self::Names { .. } => &[("↑ ↓", "choose"), ("Enter", "this name"), ("Esc", "leave")],
            Self::Guide(_) => &[
                ("↑ ↓", "choose"),
                ("Esc", "leave"),
                ("Tab", "see also"),
                ("Enter", "follow"),
                ("Ctrl-E", "put the example into the text"),
                ("PageDown", "scroll"),
                ("Backspace", "back"),
                ("Ctrl-U", "empty it"),
            ],
            Self::Page { what: Text::Try, .. } => &[("Esc", "begin"), ("↑ ↓", "scroll")],
            Self::Page { .. } => &[("Esc", "back"), ("↑ ↓", "scroll")],
            Self::Prompt { .. } => &[("Enter", "take it"), ("Ctrl-U", "empty it"), ("Esc", "leave")],
            Self::Leaving => &[("s", "save and quit"), ("d", "drop the changes and quit"), ("Esc", "stay")],
            Self::Conflict { .. } => &[("k", "keep yours"), ("t", "take what is on disk"), ("Esc", "decide later")],
            Self::Exists { .. } => &[("y", "write over it"), ("Esc", "leave it as it is")],
            Self::Reach { .. } => &[("A", "allow it"), ("N", "never"), ("Esc", "decide later")],
            Self::Replacing { .. } => {
                &[("y", "replace this one"), ("n", "leave it"), ("a", "replace all"), ("Esc", "stop")]
            }
        }
    }
}
