//! Messages to changes and effects. Nothing here touches a terminal, a file or a clock.
//!
//! A key becomes an [`Action`] by the table of keys and the contexts that hold now; each kind of action is carried out
//! by one module below.

mod built;
mod console;
mod drawing;
mod edit;
mod exercise;
mod file;
mod find;
mod hand;
mod look;
mod memory;
mod motion;
mod mouse;
mod outside;
pub(crate) mod prompts;
mod questions;
mod sheet;
pub(crate) mod slow;
mod tally;
mod travel;
mod trials;

use crate::actions::Action;
use crate::app::App;
use crate::commands::action_for;
use crate::keys::Context;
use crate::layout::lay_out;
use crate::message::{Effect, Message};
use crate::panes::{PaneId, present_entry, source};
use crate::screen::Mode;
use crate::sheet::Sheet;
use crate::world::editor::Editor;
use crossterm::event::{KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use wendax_machine::Event;

/// Takes in a message.
pub fn update(app: &mut App, message: Message) -> Vec<Effect> {
    let mut effects = Vec::new();
    let before = app.before_lesson();
    match message {
        Message::Key(key) if key.kind != KeyEventKind::Release => app.key(key, &mut effects),
        Message::Key(_) => {}
        Message::Paste(text) => app.typed(&text.replace("\r\n", "\n").replace('\r', "\n")),
        Message::Resized(width, height) => app.screen.size = (width, height),
        Message::Mouse(event) => app.mouse(event, &mut effects),
        Message::Work => app.work(&mut effects),
        Message::Assembled(generation, built) => {
            app.assembled(generation, *built);
            app.begin_wanted_exercise(&mut effects);
            app.try_rows(&mut effects);
        }
        Message::NotAssembled(generation, why) => app.not_assembled(generation, &why),
        Message::Locked(name, why) => app.locked(&name, why),
        Message::Saved { name, path, text } => app.saved(&name, &path, &text.to_string(), &mut effects),
        Message::Changed(name, base, theirs) => app.changed_elsewhere(&name, &base, theirs),
        Message::Gone(name) => app.gone_elsewhere(&name),
        Message::Done(text) => app.screen.say(text),
        Message::Failed(why) => app.screen.trouble(why),
        Message::NotSaved(why) => {
            app.screen.sheet = None;
            app.screen.trouble(format!("not saved: {why}"));
        }
        Message::Clock(asked, time) => app.answer(asked, Event::Clock(time)),
        Message::Waited(asked) => app.answer(asked, Event::Waited),
        Message::Found(asked, path, found) => app.answer(asked, Event::File(path, found)),
        Message::Events(path, text) => app.take_events(&path, text),
        Message::Exercise(path, text) => app.take_exercise(&path, &text, &mut effects),
        Message::Tally(path, text) => app.take_tally(&path, &text),
        Message::Table(path, text) => app.take_table(path, text, &mut effects),
        Message::ReadForRows(number, files, _) => app.world.trials.take_files(number, files),
        Message::RowsAgain => app.try_rows_again(&mut effects),
        Message::Trying(number, trials) => app.world.trials.begun(number, trials),
        Message::NotTried(number, why) => app.world.trials.failed(number, why),
        Message::Tried(number, outcome) => {
            app.world.trials.take(number, *outcome);
            app.walk_wanted_row(&mut effects);
        }
        Message::TriedAll(number) => app.world.trials.done(number),
        Message::RowWalk(number, name, walk) => app.take_row_walk(number, &name, walk, &mut effects),
        Message::NotWritten(why, text) => app.table_not_written(&why, text, &mut effects),
        Message::Recovered(path, base, text) => app.recovered(&path, &base, &text),
        Message::Exists(effect) => app.ask_to_write_over(effect),
        Message::AskReach(folders) => app.ask_about_reach(folders),
        Message::Tick => app.tick(&mut effects),
    }
    app.after_change(&mut effects);
    app.world.follow_moment();
    app.keep_outside(&mut effects);
    app.look_at_lesson(&before);
    app.settle();
    effects
}

impl App {
    /// What follows from changed texts: lines that moved, assembling anew.
    fn after_change(&mut self, effects: &mut Vec<Effect>) {
        let mut moved = Vec::new();
        for (id, document) in self.world.documents.iter_mut() {
            let shifts = document.editor_mut().map(Editor::take_shifts).unwrap_or_default();
            moved.extend((!shifts.is_empty()).then_some((id, shifts)));
        }
        let is_any = !moved.is_empty();
        for (id, shifts) in moved {
            let (lost, found) = self.world.follow(id, &shifts);
            if found > 0 && self.world.is_assembled() {
                self.place_stops();
            }
            self.screen.source.unfolded.retain_mut(|(document, line)| {
                let there = if *document == id {
                    shifts.iter().try_fold(*line, |line, shift| shift.moved(line))
                } else {
                    Some(*line)
                };
                *line = there.unwrap_or(*line);
                there.is_some()
            });
            match lost.saturating_sub(found) {
                0 => {}
                1 => self.screen.trouble("a stop is gone with its line; it comes back with it"),
                lost => {
                    self.screen.trouble(format!("{lost} stops are gone with their lines; they come back with them"));
                }
            }
        }
        if is_any {
            self.world.note_lines_of_stops();
            self.settle_conflicts();
        }
        let generation = self.world.documents.generation();
        if self.world.program.asked.is_some_and(|asked| asked != generation) && !self.world.is_image() {
            self.world.program.asked = Some(generation);
            effects.push(Effect::Assemble(generation, self.world.documents.take_texts()));
        }
    }

    /// Lays the screen out for a size.
    pub(crate) fn lay_out_for(&mut self, size: (u16, u16)) {
        self.screen.size = size;
        self.settle();
    }

    /// Lays the screen out for what is true now, and keeps the cursor in view.
    fn settle(&mut self) {
        self.screen.layout = lay_out(self, self.screen.size);
        source::settle(self);
        self.settle_trail();
        self.settle_flow();
    }

    /// Has the present routine at hand when it is shown; what is chosen in it follows the walk.
    fn settle_flow(&mut self) {
        if self.screen.layout.area(PaneId::Flow).is_none() {
            return;
        }
        self.world.make_flow();
        let now = self.session().map(|session| (session.branches(), session.now()));
        if now != self.screen.flow_at {
            self.screen.flow_at = now;
            if let Some(entry) = present_entry(self) {
                self.screen.panes.of_mut(PaneId::Flow).chosen = entry;
            }
        }
    }

    /// Where keys mean something now: the first context that knows a key decides.
    pub(crate) fn contexts(&self) -> Vec<Context> {
        match &self.screen.sheet {
            Some(sheet) if sheet.is_question() => vec![Context::Question],
            Some(_) => vec![Context::Field],
            None => self.page_contexts(),
        }
    }

    /// The same for what lies below a sheet.
    pub(crate) fn page_contexts(&self) -> Vec<Context> {
        let walks = self.screen.mode == Mode::Walk;
        let types = walks && self.takes_input();
        let (focus, looks) = (self.screen.focus, walks && !types);
        let holds = [
            (Context::Console, types),
            (Context::Tally, looks && focus == PaneId::Tally),
            (Context::Trials, looks && focus == PaneId::Trials),
            (Context::Page, looks && focus.is_page()),
            (Context::List, looks && focus.pane().entries(self).is_some()),
            (Context::Board, looks && self.screen.layout.area(PaneId::Board).is_some()),
            (Context::Walk, walks),
            (Context::Offer, !walks && self.screen.offering.is_some()),
            (Context::Write, !walks),
            (Context::Lessons, self.lesson_rows() > 0),
        ];
        holds.into_iter().filter(|(_, holds)| *holds).map(|(context, _)| context).collect()
    }

    pub(super) fn key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        self.screen.was_read();
        // What is being looked for is given up by Esc; another key asks for something else, and ends it too.
        if self.world.walk.sought.take().is_some() && key.code == KeyCode::Esc {
            return self.screen.say("no longer looked for");
        }
        // A replay is given up by Esc, and goes on beside everything else.
        let is_free = self.screen.sheet.is_none() && self.screen.mode == Mode::Walk;
        if key.code == KeyCode::Esc && is_free && self.world.walk.replay.take().is_some() {
            return self.screen.say("not replayed: the walk stays as it was");
        }
        if self.world.drawing.take().is_some() && key.code == KeyCode::Esc {
            return self.screen.say("no longer drawn");
        }
        if key.code == KeyCode::Esc && self.world.saving.take().is_some() {
            return self.screen.say("not saved");
        }
        if key.modifiers.contains(KeyModifiers::ALT) && action_for(key, &self.contexts()).is_none() {
            // Terminals send Esc and a key typed right behind it as that key with Alt, which means nothing else here.
            self.key(KeyEvent::new(KeyCode::Esc, KeyModifiers::NONE), effects);
            let plain = key.modifiers.difference(KeyModifiers::ALT);
            return self.key(KeyEvent::new(key.code, plain), effects);
        }
        // A page that is read stands in nobody's way.
        let reads = [KeyCode::Up, KeyCode::Down, KeyCode::PageUp, KeyCode::PageDown, KeyCode::Esc, KeyCode::Enter];
        if matches!(self.screen.sheet, Some(Sheet::Page { .. })) && !reads.contains(&key.code) {
            self.screen.sheet = None;
        }
        if self.strikes(key) {
            return;
        }
        let contexts = self.contexts();
        // With nothing typed to the program, time goes its way.
        let contexts = if self.is_time(key) { vec![Context::Walk] } else { contexts };
        if let Some(action) = action_for(key, &contexts) {
            self.act(action, effects);
        } else if let KeyCode::Char(c) = key.code
            && !key.modifiers.contains(KeyModifiers::CONTROL)
        {
            if contexts[0].takes_text() {
                self.typed(c.encode_utf8(&mut [0; 4]));
            } else if contexts[0] != Context::Question {
                self.screen.trouble(match c {
                    '0'..='9' => {
                        "0 to 9 move levers where the board is shown: L shows it; i types to the program".to_owned()
                    }
                    _ => format!("`{c}` does nothing here; `?` shows the keys, `e` writes"),
                });
            }
        }
    }

    /// The key is one of the walk although what is typed goes to the program: nothing was typed yet, and it is no sign.
    fn is_time(&self, key: KeyEvent) -> bool {
        let moves = matches!(key.code, KeyCode::Left | KeyCode::Right | KeyCode::Home | KeyCode::End);
        let pauses = key.code == KeyCode::Char(' ') && self.world.walk.is_running();
        // On to the place before, as one came here.
        let goes_on = key.code == KeyCode::Char('G') && self.was_typed_here();
        let takes_back = matches!(key.code, KeyCode::Char('z' | 'y')) && key.modifiers.contains(KeyModifiers::CONTROL);
        let is_here = self.screen.sheet.is_none() && self.takes_input();
        is_here && self.screen.input.is_empty() && (moves || pauses || goes_on || takes_back)
    }

    /// A text was typed or pasted: it goes where typing goes now.
    fn typed(&mut self, text: &str) {
        if let Some(sheet) = &mut self.screen.sheet {
            let Some(field) = sheet.field_mut() else { return };
            field.insert(text);
            self.query_changed();
        } else if self.takes_input() {
            self.screen.input.insert(text);
        } else if self.screen.mode == Mode::Write {
            self.editor_mut().insert(text);
            if text.chars().count() == 1 {
                self.offer(false);
            } else {
                self.screen.offering = None;
            }
        } else if text.chars().count() > 1 {
            self.screen.trouble("what was pasted went nowhere: e writes in the text, i types to the program");
        }
    }

    /// What a sheet is asked for is another thing now: its list begins anew.
    fn query_changed(&mut self) {
        if let Some(chosen) = self.screen.sheet.as_mut().and_then(Sheet::chosen_mut) {
            *chosen = 0;
        }
        if let Some(Sheet::Guide(reading)) = &mut self.screen.sheet {
            (reading.scroll, reading.reference) = (0, 0);
        }
    }

    /// Carries out an action.
    fn act(&mut self, action: Action, effects: &mut Vec<Effect>) {
        // A field is written whatever the page shows.
        if self.world.is_image() && action.writes() && self.screen.sheet.is_none() && !self.takes_input() {
            return self.screen.trouble("this program was built already: it can be walked, but not written");
        }
        self.screen.did = Some(action);
        match action {
            Action::Travel(travel) => self.travel(travel, effects),
            Action::Hand(hand) => self.by_hand(hand),
            Action::Edit(edit) => self.edit(edit, effects),
            Action::Motion(motion) => self.motion(motion, effects),
            Action::Find(find) => self.find(find),
            Action::Look(look) => self.look(look),
            Action::File(file) => self.file(file, effects),
            Action::Reply(answer) => self.answer_sheet(answer, effects),
            Action::Talk(console) => self.console(console),
        }
    }
}
