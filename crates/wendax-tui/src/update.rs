//! Messages to changes and effects. Nothing here touches a terminal, a file or a clock.

mod overlay;
mod walk;
mod write;

use crate::actions::Action;
use crate::keys::action_for;
use crate::state::{App, Ask, Effect, Message, Mode, Overlay, Pane, Tone};
use crossterm::event::{KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use wendax_machine::{Event, Need};
use wendax_session::{Progress, Session, State};

/// Steps done between two looks at the keys: some milliseconds.
const SLICE: u64 = 300_000;

/// Takes in a message.
pub fn update(app: &mut App, message: Message) -> Vec<Effect> {
    let mut effects = Vec::new();
    match message {
        Message::Key(key) if key.kind != KeyEventKind::Release => app.key(key, &mut effects),
        Message::Key(_) => {}
        Message::Paste(text) => app.paste(&text),
        Message::Resized(width, height) => app.size = (width, height),
        Message::Work => app.work(&mut effects),
        Message::Assembled(revision, result) => app.assembled(revision, *result),
        Message::Saved(revision, path) => app.saved(revision, path, &mut effects),
        Message::NotSaved(why) => {
            app.overlay = None;
            app.message = Some((Tone::Trouble, format!("not saved: {why}")));
        }
        Message::Clock(time) => app.answer(Event::Clock(time)),
        Message::Waited => app.answer(Event::Waited),
    }
    app.after_change(&mut effects);
    effects
}

impl App {
    /// What follows from a changed text: lines that moved, assembling anew.
    fn after_change(&mut self, effects: &mut Vec<Effect>) {
        for shift in self.editor.take_shifts() {
            self.breakpoints.retain_mut(|breakpoint| match breakpoint {
                crate::state::Breakpoint::Line(line) => match shift.moved(*line) {
                    Some(moved) => {
                        *line = moved;
                        true
                    }
                    None => false,
                },
                crate::state::Breakpoint::Address(_) => true,
            });
        }
        if self.editor.revision() != self.asked {
            self.asked = self.editor.revision();
            effects.push(Effect::Assemble(self.asked, self.editor.text()));
        }
    }

    fn key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        self.message = None;
        if key.modifiers.contains(KeyModifiers::ALT) {
            // Terminals send Esc and a key typed right behind it as that key with Alt, which means nothing here.
            self.key(KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE), effects);
            let plain = key.modifiers.difference(KeyModifiers::ALT);
            return self.key(KeyEvent::new(key.code, plain), effects);
        }
        if self.overlay.is_some() {
            self.overlay_key(key, effects);
        } else if self.takes_input() {
            self.console_key(key, effects);
        } else if let Some(action) = action_for(key, self.mode == Mode::Write) {
            self.act(action, effects);
        } else if self.mode == Mode::Write {
            self.write_key(key);
        } else if let KeyCode::Char(c) = key.code {
            self.message = Some((Tone::Trouble, format!("`{c}` does nothing here; `?` shows the keys, `e` writes")));
        }
    }

    fn paste(&mut self, text: &str) {
        let text = text.replace("\r\n", "\n").replace('\r', "\n");
        if let Some(Overlay::Prompt { text: prompt, .. }) = &mut self.overlay {
            prompt.extend(text.chars().filter(|c| !c.is_control()));
        } else if self.takes_input() {
            self.input.extend(text.chars().filter(|&c| !c.is_control()));
        } else if self.mode == Mode::Write && self.overlay.is_none() {
            self.editor.insert(&text);
        }
    }

    /// What is typed goes to the program.
    pub(crate) fn takes_input(&self) -> bool {
        self.focus == Pane::Console && self.mode == Mode::Walk && self.session.is_some()
    }

    fn console_key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        match key.code {
            KeyCode::Enter => {
                let line = std::mem::take(&mut self.input) + "\n";
                self.send_input(Some(line.into_bytes()));
            }
            KeyCode::Char('d') if control => self.send_input(None),
            KeyCode::Char(c) if !control => self.input.push(c),
            KeyCode::Backspace => {
                self.input.pop();
            }
            KeyCode::Esc => self.focus = Pane::Source,
            KeyCode::Left | KeyCode::Right if !self.input.is_empty() => {}
            _ => {
                if let Some(action) = action_for(key, false) {
                    self.act(action, effects);
                }
            }
        }
    }

    /// Sends a line to the program, or the end of input.
    fn send_input(&mut self, line: Option<Vec<u8>>) {
        let Some(session) = &mut self.session else { return };
        let waiting = *session.state() == State::Waiting;
        let past = session.now() < session.end();
        match line {
            Some(line) => session.type_input(&line),
            None => session.end_input(),
        }
        if !waiting && !session.is_running() {
            let branch = if past { "; a new branch begins here" } else { "" };
            self.message = Some((Tone::Fine, format!("typed ahead: the program will read it when it asks{branch}")));
        }
        self.refresh();
    }

    /// Carries out an action.
    pub(crate) fn act(&mut self, action: Action, effects: &mut Vec<Effect>) {
        match action {
            Action::Write | Action::Save | Action::SaveAs | Action::Mend if self.is_image => {
                let text = "this is an image, shown as its disassembly: it can be walked, but not written";
                self.message = Some((Tone::Trouble, text.to_owned()));
            }
            Action::Write => {
                self.mode = Mode::Write;
                self.focus = Pane::Source;
                self.pause();
            }
            Action::Walk => self.leave_writing(),
            Action::Palette => self.overlay = Some(Overlay::Palette { query: String::new(), chosen: 0 }),
            Action::Help => self.overlay = Some(Overlay::Help { scroll: 0 }),
            Action::Quit if self.is_changed() => self.overlay = Some(Overlay::Leaving),
            Action::Quit => effects.push(Effect::Quit),
            Action::Save => self.save(false, effects),
            Action::SaveAs => self.prompt(Ask::Name { leave: false }),
            Action::MemoryAt => self.prompt(Ask::MemoryAt),
            Action::SetValue => self.prompt(Ask::Value),
            Action::ToStep => self.prompt(Ask::Step),
            Action::ToGivenLine => self.prompt(Ask::Line),
            Action::BreakpointAt => self.prompt(Ask::BreakpointAt),
            Action::Search => self.prompt(Ask::Search),
            Action::SearchAgain => self.search_on(),
            Action::NextProblem => self.next_problem(),
            Action::Mend => self.mend(),
            Action::Undo => {
                self.editor.undo();
            }
            Action::Redo => {
                self.editor.redo();
            }
            Action::Up => self.scroll(-1),
            Action::Down => self.scroll(1),
            Action::PageUp => self.scroll(-self.page()),
            Action::PageDown => self.scroll(self.page()),
            Action::FirstLine => self.editor.go_to(0, 0),
            Action::LastLine => self.editor.go_to(usize::MAX, 0),
            Action::ToPresentLine => self.show_present_line(),
            Action::NextPane => self.focus = self.next_pane(),
            Action::LastPane => self.focus = self.last_pane(),
            _ => self.walk(action),
        }
    }

    fn next_pane(&self) -> Pane {
        match self.focus {
            Pane::Source => Pane::Stack,
            Pane::Stack => Pane::Memory,
            Pane::Memory => Pane::Console,
            Pane::Console => Pane::Source,
        }
    }

    fn last_pane(&self) -> Pane {
        match self.focus {
            Pane::Source => Pane::Console,
            Pane::Stack => Pane::Source,
            Pane::Memory => Pane::Stack,
            Pane::Console => Pane::Memory,
        }
    }

    fn prompt(&mut self, ask: Ask) {
        let text = match ask {
            Ask::Name { .. } => self.path.clone().unwrap_or_default(),
            _ => String::new(),
        };
        self.overlay = Some(Overlay::Prompt { ask, text });
    }

    fn page(&self) -> isize {
        isize::try_from(self.source_height.max(2) - 1).unwrap_or(1)
    }

    fn scroll(&mut self, by: isize) {
        match self.focus {
            Pane::Source | Pane::Console => self.editor.move_lines(by),
            Pane::Memory => {
                // Never past either end of memory, so that the way back is as long as the way there.
                let start = i64::from(self.memory_start().unwrap_or(0)) / 4;
                self.memory_scroll = (self.memory_scroll + by as i64).clamp(-start, 0x4000 - start);
            }
            Pane::Stack => self.stack_scroll = self.stack_scroll.saturating_add_signed(by).min(0x800),
        }
    }

    // ---- files

    pub(crate) fn save(&mut self, leave: bool, effects: &mut Vec<Effect>) {
        match self.path.clone() {
            Some(path) => effects.push(Effect::Save(self.editor.revision(), path, self.editor.text())),
            None => self.prompt(Ask::Name { leave }),
        }
    }

    fn saved(&mut self, revision: u64, path: String, effects: &mut Vec<Effect>) {
        if revision == self.editor.revision() {
            self.editor.mark_saved();
        }
        self.message = Some((Tone::Fine, format!("saved as {path}")));
        self.path = Some(path);
        if self.overlay == Some(Overlay::Leaving) && !self.is_changed() {
            effects.push(Effect::Quit);
        }
    }

    // ---- assembling

    fn assembled(&mut self, revision: u64, (sources, assembly): (wendax_source::Sources, wendax_asm::Assembly)) {
        if revision != self.editor.revision() {
            return;
        }
        let first = self.assembled.is_none();
        self.assembled = Some(revision);
        let place = |diagnostic: &wendax_source::Diagnostic| {
            let place = sources.place(diagnostic.primary.span);
            (place.line as usize - 1, place.column as usize - 1)
        };
        self.places = assembly.diagnostics.iter().map(place).collect();
        self.assembly = assembly;
        if !self.assembly.is_runnable() {
            if first {
                self.next_problem();
            }
            return;
        }
        if self.assembly.image.segments.is_empty() {
            self.session = None;
            self.explanation = None;
            return;
        }
        let image = self.assembly.image.clone();
        let same = self
            .session
            .as_ref()
            .is_some_and(|session| session.image().segments == image.segments && session.image().entry == image.entry);
        match &mut self.session {
            Some(session) if same => session.relabel(image),
            _ => {
                self.session = Some(Session::new(image, self.settings.clone()));
                self.awaited = None;
                if first {
                    self.show_present_line();
                }
            }
        }
        self.place_breakpoints();
        self.refresh();
    }

    /// The text and the run that is shown belong together.
    pub(crate) fn is_current(&self) -> bool {
        self.assembled == Some(self.editor.revision()) && self.assembly.is_runnable() && self.session.is_some()
    }

    // ---- running

    fn work(&mut self, effects: &mut Vec<Effect>) {
        let Some(session) = self.session.as_mut().filter(|session| session.is_running()) else { return };
        match session.work(SLICE) {
            Progress::Working => {}
            Progress::Asks(need) => {
                self.awaited = Some(need);
                effects.push(match need {
                    Need::Wait(milliseconds) => Effect::Wait(milliseconds),
                    Need::Clock | Need::Input => Effect::TellTime,
                });
            }
            Progress::Arrived => self.arrived(),
        }
    }

    fn answer(&mut self, event: Event) {
        if self.awaited.take().is_some()
            && let Some(session) = self.session.as_mut().filter(|session| session.is_running())
        {
            session.answer(event);
        }
    }

    /// After a command of the walk.
    pub(crate) fn arrived(&mut self) {
        self.refresh();
        self.stack_scroll = 0;
        if self.mode == Mode::Walk {
            self.show_present_line();
        }
        match self.state() {
            Some(State::Waiting) => self.focus = Pane::Console,
            _ if self.focus == Pane::Console => self.focus = Pane::Source,
            _ => {}
        }
    }

    pub(crate) fn pause(&mut self) {
        if let Some(session) = &mut self.session
            && session.is_running()
        {
            session.pause();
            self.awaited = None;
            self.arrived();
        }
    }

    pub(crate) fn show_present_line(&mut self) {
        if let Some(line) = self.present_line() {
            self.editor.go_to(line, 0);
        }
    }
}
