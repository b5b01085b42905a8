//! Messages to changes and effects. Nothing here touches a terminal, a file or a clock.

mod edit;
mod overlay;
mod replay;
mod walk;
mod write;

use crate::actions::Action;
use crate::documents::{Document, Role};
use crate::editor::LineShift;
use crate::keys::action_for;
use crate::state::{App, Ask, Breakpoint, Built, Effect, Message, Mode, Overlay, Pane, Tone};
use crossterm::event::{KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use wendax_machine::{Event, Need, StepNo};
use wendax_session::{Progress, Session, State, dropped_words};

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
        Message::Mouse(event) => app.mouse(event),
        Message::Work => app.work(&mut effects),
        Message::Assembled(generation, built) => app.assembled(generation, *built),
        Message::Saved { name, revision, path, text } => app.saved((&name, revision), &path, &text, &mut effects),
        Message::Changed(name, base, theirs) => app.changed_elsewhere(&name, &base, theirs),
        Message::Gone(name) => app.gone_elsewhere(&name),
        Message::NotSaved(why) => {
            app.overlay = None;
            app.message = Some((Tone::Trouble, format!("not saved: {why}")));
        }
        Message::Clock(time) => app.answer(Event::Clock(time)),
        Message::Waited => app.answer(Event::Waited),
    }
    app.after_change(&mut effects);
    app.ask_about_conflicts();
    effects
}

impl App {
    /// What follows from changed texts: lines that moved, assembling anew.
    fn after_change(&mut self, effects: &mut Vec<Effect>) {
        for index in 0..self.documents.len() {
            if self.editor_of(index).is_some() {
                let shifts = self.editor_of_mut(index).take_shifts();
                self.follow(index, shifts);
            }
        }
        let generation = self.generation();
        if self.asked.is_some_and(|asked| asked != generation) && !self.is_image {
            self.asked = Some(generation);
            effects.push(Effect::Assemble(generation, self.take_texts()));
        }
    }

    /// What belongs to lines goes with them.
    fn follow(&mut self, index: usize, shifts: Vec<LineShift>) {
        let name = self.documents[index].name.clone();
        for shift in shifts {
            let mut lost = 0;
            self.breakpoints.retain_mut(|breakpoint| match breakpoint {
                Breakpoint::Line { file, line } if *file == name => {
                    let moved = shift.moved(*line);
                    lost += usize::from(moved.is_none());
                    *line = moved.unwrap_or(*line);
                    moved.is_some()
                }
                Breakpoint::Line { .. } | Breakpoint::Address(_) => true,
            });
            if lost > 0 {
                self.message = Some((
                    Tone::Trouble,
                    format!(
                        "{} gone with its line; undo does not bring it back",
                        if lost == 1 { "a breakpoint is".to_owned() } else { format!("{lost} breakpoints are") }
                    ),
                ));
            }
            self.unfolded.retain_mut(|(file, line)| {
                if *file != name {
                    return true;
                }
                shift.moved(*line).is_some_and(|moved| {
                    *line = moved;
                    true
                })
            });
            if self.session.is_some() && shift.removed + shift.added > 0 {
                self.moved.push((name.clone(), shift));
            }
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
        } else if self.completion.is_some() && self.completion_key(key) {
            // It was for the words offered.
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
    pub(crate) fn send_input(&mut self, line: Option<Vec<u8>>) {
        let Some(session) = &mut self.session else { return };
        let waiting = *session.state() == State::Waiting;
        let dropped = match line {
            Some(line) => session.type_input(&line),
            None => session.end_input(),
        };
        let Some(dropped) = dropped else {
            let text = if session.machine().finished().is_some() {
                "the program has ended: nothing will read what is typed; the left arrow goes back"
            } else {
                "the walk is on its way through the past: Space stops it, then type"
            };
            return self.trouble(text);
        };
        let branch = dropped_words(dropped);
        if !branch.is_empty() {
            self.message = Some((Tone::Fine, branch));
        } else if !waiting && !session.is_running() {
            self.message = Some((Tone::Fine, "typed ahead: the program will read it when it asks".to_owned()));
        }
        self.refresh();
    }

    /// Carries out an action.
    pub(crate) fn act(&mut self, action: Action, effects: &mut Vec<Effect>) {
        match action {
            action if self.is_image && action.writes() => {
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
            Action::Guide => self.open_guide(),
            Action::Files => self.overlay = Some(Overlay::Files { chosen: self.current }),
            Action::Unfold => self.toggle_unfolded(),
            Action::Replay => self.begin_replay(),
            Action::Definition | Action::NextUse | Action::Rename => self.about_name(action),
            Action::Replace if self.searched.is_empty() => self.trouble("nothing was searched for yet; Ctrl-F asks"),
            Action::Replace => self.prompt(Ask::Replace),
            Action::Complete => self.offer(true),
            Action::Copy | Action::Cut => self.copy(action == Action::Cut, effects),
            Action::PasteHere => {
                let text = self.clipboard.clone();
                self.editor.insert(&text);
            }
            Action::SelectAll => self.editor.select_all(),
            Action::Comment => self.toggle_comment(),
            Action::Columns => self.put_in_columns(),
            Action::Bracket => self.go_to_bracket(),
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
            _ => self.walk(action, effects),
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
            Ask::Name { .. } => self.path().unwrap_or_default().to_owned(),
            Ask::Replace => self.replacement.clone(),
            Ask::Rename => self.name_under_cursor().map_or(String::new(), |(_, name)| name),
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
                let start = i64::from(self.memory_start().unwrap_or_default()) / 4;
                self.memory_scroll = (self.memory_scroll + by as i64).clamp(-start, 0x4000 - start);
            }
            Pane::Stack => self.stack_scroll = self.stack_scroll.saturating_add_signed(by).min(0x800),
        }
    }

    // ---- files

    /// Saves every file that was changed.
    pub(crate) fn save(&mut self, leave: bool, effects: &mut Vec<Effect>) {
        if self.is_image {
            return;
        }
        let mut changed = self.changed_documents();
        if !changed.contains(&self.current) {
            changed.push(self.current);
        }
        for index in changed {
            let document = &self.documents[index];
            let Some(editor) = self.editor_of(index) else { continue };
            match &document.path {
                Some(path) => {
                    effects.push(Effect::Save(document.name.clone(), editor.revision(), path.clone(), editor.text()));
                }
                None => self.prompt(Ask::Name { leave }),
            }
        }
    }

    fn saved(&mut self, (name, revision): (&str, u64), path: &str, text: &str, effects: &mut Vec<Effect>) {
        self.mark_saved(name, revision, path, text);
        self.message = Some((Tone::Fine, format!("saved as {path}")));
        if self.overlay == Some(Overlay::Leaving) && !self.is_changed() {
            effects.push(Effect::Quit);
        }
    }

    /// A file has another text on disk: taken over when it is not changed here, merged when that can be done, else
    /// asked about.
    fn changed_elsewhere(&mut self, name: &str, base: &str, theirs: String) {
        let Some(index) = self.documents.iter().position(|document| document.name == name) else { return };
        let Some(ours) = self.editor_of(index).map(|editor| (editor.is_changed(), editor.text())) else { return };
        let (is_changed, ours) = ours;
        if ours == theirs {
            self.documents[index].base = Some(theirs.into());
            self.editor_of_mut(index).mark_saved();
            return;
        }
        if !is_changed {
            let editor = self.editor_of_mut(index);
            editor.replace_all(&theirs);
            editor.mark_saved();
            self.documents[index].base = Some(theirs.into());
            self.message = Some((Tone::Fine, format!("{name} was changed by someone else, and is shown as it is now")));
            return;
        }
        if let Ok(merged) = diffy::merge(base, &ours, &theirs) {
            self.editor_of_mut(index).replace_all(&merged);
            self.documents[index].base = Some(theirs.into());
            let text = format!("{name} was changed by someone else too; both changes are in the text now, unsaved");
            self.message = Some((Tone::Fine, text));
        } else {
            // Each is asked about by itself; until it is answered, nothing is written over the other text.
            self.conflicts.retain(|(known, _)| known != name);
            self.conflicts.push((name.to_owned(), theirs));
        }
    }

    /// A file is no longer there: its text is here alone now.
    fn gone_elsewhere(&mut self, name: &str) {
        let Some(index) = self.documents.iter().position(|document| document.name == name) else { return };
        self.documents[index].base = None;
        self.editor_of_mut(index).mark_unsaved();
        let text = format!("{name} is no longer on disk: its text is here alone now, and saving writes it again");
        self.message = Some((Tone::Trouble, text));
    }

    /// Asks about the next text that two have changed, when nothing else is being asked.
    fn ask_about_conflicts(&mut self) {
        let Some((name, theirs)) = self.conflicts.first().filter(|_| self.overlay.is_none()).cloned() else { return };
        if let Some(index) = self.documents.iter().position(|document| document.name == name) {
            self.show_document(index);
        }
        self.overlay = Some(Overlay::Conflict { name, theirs });
    }

    // ---- assembling

    fn assembled(&mut self, generation: u64, built: Built) {
        if generation != self.generation() {
            return;
        }
        let first = self.assembled.is_none();
        self.take_files(&built);
        // Which files there are may have changed the number; the texts are those that were assembled.
        self.assembled = Some(self.generation());
        self.asked = self.assembled;
        let assembly = built.assembly;
        let sources = &assembly.sources;
        let place = |diagnostic: &wendax_source::Diagnostic| {
            let span = diagnostic.primary.span;
            let place = sources.place(span);
            (span.file, place.line as usize - 1, place.column as usize - 1)
        };
        self.places = assembly.diagnostics.iter().map(place).collect();
        self.assembly = assembly;
        let settings_changed = self.settings != built.settings || self.typed != built.typed;
        (self.settings, self.typed, self.history) = (built.settings, built.typed, built.history);
        if self.mode == Mode::Write && self.completion.is_some() {
            self.offer(false);
        }
        if !self.assembly.is_runnable() {
            // What was walked already can still be looked at.
            self.is_stale = self.session.as_ref().is_some_and(|session| session.end() > StepNo::FIRST);
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
        self.take_image(first, settings_changed);
    }

    /// Walks the new image: at once when nothing has been run yet, else when it is the same program; otherwise the
    /// walk goes on through the older one until it is asked to change.
    fn take_image(&mut self, first: bool, settings_changed: bool) {
        let image = self.assembly.image.clone();
        let same =
            |session: &Session| session.image().segments == image.segments && session.image().entry == image.entry;
        match &mut self.session {
            Some(session) if same(session) && !settings_changed => {
                session.relabel(image, self.assembly.sources.clone());
                self.is_stale = false;
                self.moved.clear();
            }
            Some(session) if session.end() > StepNo::FIRST || session.is_running() => {
                self.is_stale = true;
                self.refresh();
                return;
            }
            _ => {
                self.new_session();
                if first {
                    self.show_present_line();
                }
            }
        }
        self.place_breakpoints();
        self.refresh();
    }

    /// A walk of the present text, before its first step.
    pub(crate) fn new_session(&mut self) {
        let session = Session::new(self.assembly.image.clone(), self.settings.clone());
        let mut session = session.with_sources(self.assembly.sources.clone());
        if let Some(bytes) = self.history {
            session = session.with_budget(bytes);
        }
        if let Some(typed) = &self.typed {
            session.type_input(typed);
        }
        self.session = Some(session);
        self.is_stale = false;
        self.moved.clear();
        self.awaited = None;
        self.replay = None;
    }

    /// The files of the program: sources in their order, what they include, the manifest.
    fn take_files(&mut self, built: &Built) {
        if built.manifest.is_none()
            && self.root.is_empty()
            && self.documents.len() == 1
            && built.assembly.files().len() <= 1
        {
            return;
        }
        let root = self.root.clone();
        let path = |name: &str| {
            let known =
                self.documents.iter().find(|document| document.name == name).and_then(|known| known.path.clone());
            known.or_else(|| Some(if name.starts_with('/') { name.to_owned() } else { format!("{root}{name}") }))
        };
        let document = |name: &str, role| Document::new(name.to_owned(), path(name), role);
        let mut wanted: Vec<Document> = built.inputs.sources.iter().map(|name| document(name, Role::Source)).collect();
        for file in built.assembly.files() {
            let name = built.assembly.sources.file(file).name();
            if !wanted.iter().any(|known| known.name == name) {
                wanted.push(document(name, Role::Included));
            }
        }
        if let Some(manifest) = &built.manifest {
            wanted.push(document(manifest, Role::Manifest));
        }
        self.set_documents(wanted);
    }

    /// The text and the run that is shown belong together.
    pub(crate) fn is_current(&self) -> bool {
        self.is_assembled() && self.assembly.is_runnable() && self.session.is_some() && !self.is_stale
    }

    /// What is known of the texts is known of them as they are now.
    pub(crate) fn is_assembled(&self) -> bool {
        self.assembled == Some(self.generation())
    }

    // ---- running

    pub(crate) fn work(&mut self, effects: &mut Vec<Effect>) {
        if self.replay.is_some() {
            self.work_on_replay();
            return;
        }
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
        let Some((index, line)) = self.present_piece().and_then(|piece| self.place_of(piece)) else { return };
        self.show_document(index);
        self.editor.select(false);
        self.editor.go_to(line, 0);
    }
}
