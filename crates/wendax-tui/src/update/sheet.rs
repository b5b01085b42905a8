//! What Enter, Esc and the letters of answers do in a sheet.

use crate::actions::{Action, Ask, Look, SheetAction};
use crate::app::App;
use crate::message::Effect;
use crate::panes::{PaneId, PaneState};
use crate::parts::field::Field;
use crate::sheets::{Sheet, files, palette};
use wendax_session::Command;

impl App {
    pub(super) fn answer_sheet(&mut self, answer: SheetAction, effects: &mut Vec<Effect>) {
        let Some(sheet) = self.screen.sheet.take() else { return };
        match answer {
            SheetAction::Leave => self.leave(&sheet),
            SheetAction::Take => self.take(sheet, effects),
            SheetAction::Example => self.take_example(sheet),
            SheetAction::Answer(letter) => self.answer_question(sheet, letter, effects),
        }
    }

    fn leave(&mut self, sheet: &Sheet) {
        match sheet {
            Sheet::Conflict { name, .. } => {
                self.screen.say(format!("{name} stays as it is, here and on disk; Ctrl-S asks again"));
            }
            Sheet::Exists { effect } => {
                self.screen.say(format!("{} stays as it is", effect.writes().unwrap_or("the file")));
            }
            _ => {}
        }
    }

    fn answer_question(&mut self, sheet: Sheet, letter: char, effects: &mut Vec<Effect>) {
        match (sheet, letter) {
            (Sheet::Leaving, 's') => {
                self.screen.sheet = Some(Sheet::Leaving);
                self.save(true, effects);
            }
            (Sheet::Leaving, 'd') => effects.push(Effect::Quit),
            (Sheet::Conflict { name, theirs }, 'k') => self.answer_conflict(&name, &theirs, false),
            (Sheet::Conflict { name, theirs }, 't') => self.answer_conflict(&name, &theirs, true),
            (Sheet::Replacing { with }, 'y' | 'n' | 'a') => self.replace(&with, letter),
            (Sheet::Exists { effect }, 'y') => effects.push(Effect::Over(effect)),
            // Not an answer to this.
            (sheet, _) => self.screen.sheet = Some(sheet),
        }
    }

    fn take(&mut self, sheet: Sheet, effects: &mut Vec<Effect>) {
        match sheet {
            Sheet::Palette { query, chosen } => {
                let found = palette::found(self, &query.text());
                let Some(binding) = found.get(chosen) else {
                    self.screen.sheet = Some(Sheet::Palette { query, chosen });
                    return;
                };
                if !palette::fits(self, binding) {
                    let (name, keys) = (binding.name, palette::elsewhere(self, binding));
                    return self.screen.trouble(format!("{name}: {keys}"));
                }
                let action = binding.action;
                self.screen.recent.retain(|known| *known != action);
                self.screen.recent.insert(0, action);
                self.act(action, effects);
                if let Action::Look(Look::Ask(Ask::MemoryAt)) = action {
                    self.focus_on(PaneId::Memory);
                }
            }
            Sheet::Files { query, chosen } => match files::found(self, &query.text()).get(chosen) {
                Some(id) => self.show_document(*id),
                None => self.screen.trouble("no file of the program has a name with these letters"),
            },
            Sheet::Guide(mut reading) => {
                let (follows, has_example) = (reading.follow(), reading.example().is_some());
                self.screen.sheet = Some(Sheet::Guide(reading));
                if !follows && has_example {
                    self.screen.say("Tab chooses what else to see; Ctrl-E puts the example into the text");
                }
            }
            Sheet::Names { names, chosen, wanted } => {
                if let Some((span, name)) = names.into_iter().nth(chosen) {
                    self.about_name(wanted, span, &name);
                }
            }
            Sheet::Page { .. } => {}
            Sheet::Prompt { ask, field } => self.take_prompt(ask, field, effects),
            Sheet::Leaving | Sheet::Conflict { .. } | Sheet::Replacing { .. } | Sheet::Exists { .. } => {
                self.screen.sheet = Some(sheet);
            }
        }
    }

    /// The example that the guide shows goes into the text.
    fn take_example(&mut self, sheet: Sheet) {
        let example = if let Sheet::Guide(reading) = &sheet { reading.example() } else { None };
        if let Some(example) = example {
            return self.put_example(&example);
        }
        self.screen.sheet = Some(sheet);
        self.screen.trouble("there is no example here to put into the text");
    }

    /// Puts an example below the line of the cursor.
    fn put_example(&mut self, example: &str) {
        if self.world.is_image() {
            return self.screen.trouble("this is an image: nothing can be written into it");
        }
        let editor = self.editor_mut();
        editor.select(false);
        editor.move_end();
        editor.insert(&format!("\n{example}"));
        self.look(Look::Write);
        self.screen.say("the example is in the text; Ctrl-Z takes it out again");
    }

    /// A prompt was answered: with what cannot be, it stays and says why.
    fn take_prompt(&mut self, ask: Ask, field: Field, effects: &mut Vec<Effect>) {
        let text = field.text();
        self.screen.remember(ask, text.trim());
        if let Err(why) = self.answer_prompt(ask, text.trim(), effects) {
            self.screen.trouble(why);
            self.screen.sheet = Some(Sheet::Prompt { ask, field });
        }
    }

    fn answer_prompt(&mut self, ask: Ask, text: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        match ask {
            Ask::SaveAs | Ask::SaveAndLeave if text.is_empty() => {
                return Err("a file needs a name, such as weights.asm".to_owned());
            }
            Ask::SaveAs | Ask::SaveAndLeave => {
                if ask == Ask::SaveAndLeave {
                    self.screen.sheet = Some(Sheet::Leaving);
                }
                let (name, editor) = (self.document().name.clone(), self.editor());
                effects.push(Effect::Save(name, text.to_owned(), editor.shared_text()));
            }
            Ask::MemoryAt => {
                self.screen.lens = self.world.lens_for(text)?;
                *self.screen.panes.of_mut(PaneId::Memory) = PaneState::default();
                // What was asked for comes into view, and keys move in it.
                self.focus_on(PaneId::Memory);
            }
            Ask::Value => self.set_value(text)?,
            Ask::Step => {
                let step = self.world.step_asked_for(text)?;
                self.begin(Command::Seek(step), effects);
            }
            Ask::Line => {
                let line: usize = text.parse().map_err(|_| format!("`{text}` is no line number"))?;
                let editor = self.editor_mut();
                editor.select(false);
                editor.go_to(line.saturating_sub(1), 0);
            }
            Ask::FindInMemory => {
                text.clone_into(&mut self.screen.memory_search);
                self.find_in_memory(false)?;
            }
            Ask::SaveMemory => effects.push(self.memory_to_save(text)?),
            Ask::SaveTrail => effects.push(self.trail_to_save(text)?),
            Ask::SaveEvents => self.save_events(text, effects)?,
            Ask::Send if text.is_empty() => return Err("a port is missing".to_owned()),
            Ask::Send if !self.world.is_assembled() || !self.world.program.is_runnable() => self.say_not_ready(),
            Ask::Send => {
                text.clone_into(&mut self.screen.port);
                self.screen.say(format!("sending to {text}"));
                effects.push(Effect::Send(text.to_owned()));
            }
            Ask::Draw(what) => self.begin_drawing(what, text, effects)?,
            Ask::KeepTally => self.keep_tally(text)?,
            Ask::SaveTally => effects.push(self.tally_to_save(text)?),
            Ask::OpenTally => effects.push(Effect::ReadTally(text.to_owned())),
            Ask::TallyPart => {
                self.world.measure_part(text)?;
                if self.screen.focus != PaneId::Tally {
                    self.look(Look::Page(PaneId::Tally));
                }
            }
            Ask::Span => {
                self.world.measure_span(text)?;
                if self.screen.focus != PaneId::Tally {
                    self.look(Look::Page(PaneId::Tally));
                }
                self.screen.say("measured; x goes through the tables to the spans");
            }
            Ask::SaveTones => effects.push(self.tones_to_save(text)?),
            Ask::OpenEvents if text.is_empty() => {
                self.world.given.events = None;
                self.screen.say("nothing comes from a file in the next runs");
            }
            Ask::OpenEvents => effects.push(Effect::ReadEvents(text.to_owned())),
            Ask::Watch => {
                self.world.watch(text)?;
                self.screen.panes.of_mut(PaneId::Watches).chosen = self.world.watches.list.len().saturating_sub(1);
            }
            Ask::TrailFilter => {
                self.world.filter_trail(text)?;
                self.focus_on(PaneId::Trail);
            }
            Ask::History => {
                let thing = self.world.thing_asked_for(text)?;
                self.show_history(thing);
            }
            Ask::StopAt => self.stop_at(text)?,
            Ask::StopRule => self.say_of_stop(text)?,
            Ask::Until | Ask::BackUntil => {
                let command = self.until_asked_for(text, ask == Ask::BackUntil)?;
                self.begin(command, effects);
            }
            Ask::Search => {
                if !text.is_empty() {
                    text.clone_into(&mut self.screen.search.text);
                }
                self.search_on(true);
            }
            Ask::Replace => self.begin_replacing(text)?,
            Ask::Rename => self.rename(text)?,
            Ask::Arguments => {
                let words = shlex::split(text).ok_or("a quotation mark is not closed")?;
                self.world.given.arguments = Some(words.into_iter().map(String::into_bytes).collect());
                self.screen.say("the next run gets them: R starts it");
            }
            Ask::Input => {
                let typed = text.replace("\\n", "\n");
                let ends = typed.is_empty() || typed.ends_with('\n');
                self.world.given.typed = Some(if ends { typed } else { typed + "\n" }.into_bytes());
                self.screen.say("the next run gets it: R starts it");
            }
            Ask::Seed => {
                let seed = text.parse().map_err(|_| format!("`{text}` is no number from 0 on"))?;
                self.world.given.seed = Some(seed);
                self.screen.say("the next run gets it: R starts it");
            }
            Ask::Build if !self.world.is_assembled() || !self.world.program.is_runnable() => self.say_not_ready(),
            Ask::Build => effects.push(Effect::Build(text.to_owned())),
            Ask::NewFile => self.new_file(text)?,
            Ask::NewProject if text.is_empty() => return Err("a project needs a folder of its own".to_owned()),
            Ask::NewProject => effects.push(Effect::NewProject(text.to_owned())),
        }
        Ok(())
    }
}
