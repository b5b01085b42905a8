//! What is shown of the world and how: page, focus, what each pane is scrolled to, what lies over the page.

use crate::actions::{Action, Ask};
use crate::kept::Kept;
use crate::pane_id::{PaneId, PaneStates};
use crate::parts::field::Field;
use crate::pattern::Meant;
use crate::preferences::Preferences;
use crate::sheet::Sheet;
use crate::theme::Theme;
use crate::world::documents::DocumentId;
use crate::world::values::Lens;
use ratatui::layout::Rect;
use std::collections::{HashMap, VecDeque};
use wendax_language::Offers;

/// The two states of the bench.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mode {
    /// Keys write text.
    Write,
    /// Keys move through the run.
    Walk,
}

/// How much a message matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tone {
    /// Something was done.
    Fine,
    /// Something could not be done.
    Trouble,
}

/// How the page is laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Arrangement {
    /// Everything.
    Bench,
    /// The pane in focus has the page for itself.
    Alone,
    /// For showing to others: the source, what comes next, and one pane.
    Showing(PaneId),
}

/// Whom what is typed goes to while walking.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Typing {
    /// To the program while it waits or runs.
    ByState,
    /// Keys are commands, until the program waits the next time.
    Commands,
    /// To the program, whatever it does.
    Program,
    /// Each key goes to the program at once.
    Keys,
}

/// How the words of memory are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum WordForm {
    #[default]
    Hexadecimal,
    Signed,
    Unsigned,
}

impl WordForm {
    pub(crate) fn next(self) -> Self {
        match self {
            Self::Hexadecimal => Self::Signed,
            Self::Signed => Self::Unsigned,
            Self::Unsigned => Self::Hexadecimal,
        }
    }

    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::Hexadecimal => "in hexadecimal",
            Self::Signed => "as signed numbers",
            Self::Unsigned => "as unsigned numbers",
        }
    }
}

/// How the source is shown.
#[derive(Debug, Clone, Default)]
pub(crate) struct SourceView {
    /// The first line shown.
    pub(crate) top: usize,
    /// Lines shown with what they became.
    pub(crate) unfolded: Vec<(DocumentId, usize)>,
    /// The part of what a line became that the cursor is on: document, line, which part.
    pub(crate) part: Option<(DocumentId, usize, usize)>,
    /// Cells of the text scrolled out to the left.
    pub(crate) sideways: usize,
    pub(crate) without_code: bool,
    pub(crate) wraps: bool,
}

/// Words being offered while writing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Offering {
    pub(crate) offers: Offers,
    pub(crate) chosen: usize,
}

/// What was searched for last.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Search {
    pub(crate) text: String,
    /// How it is meant.
    pub(crate) meant: Meant,
    /// What comes in its place.
    pub(crate) replacement: String,
}

/// Where everything lies on a screen.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Layout {
    pub(crate) header: Rect,
    pub(crate) keys: Rect,
    /// What someone new is asked to try.
    pub(crate) lesson: Rect,
    /// Panes that have room.
    pub(crate) panes: Vec<(PaneId, Rect)>,
}

impl Layout {
    pub(crate) fn area(&self, id: PaneId) -> Option<Rect> {
        self.panes.iter().find(|(pane, _)| *pane == id).map(|(_, area)| *area)
    }

    /// The pane a cell belongs to.
    pub(crate) fn pane_at(&self, column: u16, row: u16) -> Option<(PaneId, Rect)> {
        let holds = |area: &Rect| area.contains(ratatui::layout::Position { x: column, y: row });
        self.panes.iter().find(|(_, area)| holds(area)).copied()
    }
}

/// How far someone has come, and whether it is shown.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Course {
    pub(crate) at: usize,
    pub(crate) is_hidden: bool,
    /// The one before was done just now.
    pub(crate) has_just_done: bool,
}

/// The pace of slow running that is chosen first, by its place among them.
const FIRST_PACE: usize = 2;

#[derive(Debug, Clone)]
pub(crate) struct Screen {
    /// Columns and rows.
    pub(crate) size: (u16, u16),
    pub(crate) theme: Theme,
    pub(crate) mode: Mode,
    /// The document in the source pane; it has an editor.
    pub(crate) shown: DocumentId,
    pub(crate) arrangement: Arrangement,
    pub(crate) focus: PaneId,
    /// The page that was looked at last.
    pub(crate) last_page: PaneId,
    pub(crate) panes: PaneStates,
    pub(crate) source: SourceView,
    pub(crate) lens: Lens,
    /// What the person prefers wherever nobody chose something else.
    pub(crate) preferences: Preferences,
    /// Registers show their bits in the place of decimal numbers.
    pub(crate) binary: bool,
    /// What is being typed to the program.
    pub(crate) input: Field,
    pub(crate) typing: Typing,
    pub(crate) sheet: Option<Sheet>,
    /// What was answered to prompts, the latest last.
    pub(crate) answers: HashMap<Ask, Vec<String>>,
    /// The answer of before that stands in the prompt.
    pub(crate) recalled: Option<usize>,
    /// What was done last.
    pub(crate) did: Option<Action>,
    pub(crate) said: Option<(Tone, String)>,
    /// What was told before, the latest last.
    pub(crate) messages: VecDeque<(Tone, String)>,
    pub(crate) offering: Option<Offering>,
    pub(crate) search: Search,
    /// How the words of memory are shown, and what was looked for there last.
    pub(crate) words: WordForm,
    pub(crate) memory_search: String,
    /// How far someone new has come.
    pub(crate) course: Course,
    /// The pace of slow running.
    pub(crate) pace: usize,
    /// What to try in the demo that is open; empty when it is none.
    pub(crate) page: String,
    /// What is set, as a page to be read; empty when the owner keeps no settings.
    pub(crate) settings_page: String,
    /// The port the program was sent to last.
    pub(crate) port: String,
    /// What was run until last.
    pub(crate) until: String,
    /// Commands taken from the palette, the latest first.
    pub(crate) recent: Vec<Action>,
    /// The moment that what is chosen in the flow follows.
    pub(crate) flow_at: Option<(u64, wendax_machine::StepNo)>,
    /// How the program was looked at last time, until it has been assembled.
    pub(crate) kept: Option<Kept>,
    /// Where everything lies on a screen of this size.
    pub(crate) layout: Layout,
}

impl Screen {
    pub(crate) fn new(shown: DocumentId, mode: Mode, theme: Theme) -> Self {
        Self {
            size: (0, 0),
            theme,
            mode,
            shown,
            arrangement: Arrangement::Bench,
            focus: PaneId::Source,
            last_page: PaneId::PAGES[0],
            panes: PaneStates::default(),
            source: SourceView::default(),
            lens: Lens::Data,
            preferences: Preferences::default(),
            binary: false,
            input: Field::default(),
            typing: Typing::ByState,
            sheet: None,
            answers: HashMap::new(),
            recalled: None,
            did: None,
            said: None,
            messages: VecDeque::new(),
            offering: None,
            search: Search::default(),
            words: WordForm::default(),
            memory_search: String::new(),
            course: Course::default(),
            pace: FIRST_PACE,
            page: String::new(),
            settings_page: String::new(),
            port: String::new(),
            until: String::new(),
            recent: Vec::new(),
            flow_at: None,
            kept: None,
            layout: Layout::default(),
        }
    }

    /// Tells of something that was done.
    pub(crate) fn say(&mut self, text: impl Into<String>) {
        self.said = Some((Tone::Fine, text.into()));
    }

    /// Tells of something that could not be done.
    pub(crate) fn trouble(&mut self, text: impl Into<String>) {
        self.said = Some((Tone::Trouble, text.into()));
    }

    /// Asks for something to be written.
    pub(crate) fn ask(&mut self, ask: Ask, field: Field) {
        self.recalled = None;
        self.sheet = Some(Sheet::Prompt { ask, field });
    }

    /// What is told now makes room, and can be read in the list of messages.
    pub(crate) fn was_read(&mut self) {
        /// Messages remembered.
        const MOST: usize = 50;
        let Some(said) = self.said.take() else { return };
        self.messages.retain(|known| *known != said);
        self.messages.push_back(said);
        if self.messages.len() > MOST {
            self.messages.pop_front();
        }
    }

    /// What was answered to a prompt is there again when it asks the next time.
    pub(crate) fn remember(&mut self, ask: Ask, text: &str) {
        /// Answers remembered of each prompt.
        const MOST: usize = 50;
        let known = self.answers.entry(ask).or_default();
        known.retain(|known| known != text);
        if !text.is_empty() {
            known.push(text.to_owned());
        }
        known.drain(..known.len().saturating_sub(MOST));
    }

    /// Puts an answer of before into the prompt: the one before, or the one behind it.
    pub(crate) fn recall(&mut self, back: bool) {
        let Some(Sheet::Prompt { ask, field }) = &mut self.sheet else { return };
        let Some(known) = self.answers.get(ask) else { return };
        let at = self.recalled.unwrap_or(known.len());
        let at = if back { at.checked_sub(1) } else { Some(at + 1).filter(|at| *at < known.len()) };
        if let Some(at) = at {
            self.recalled = Some(at);
            *field = Field::new(&known[at]);
        } else if !back {
            self.recalled = None;
            *field = Field::default();
        }
    }
}
