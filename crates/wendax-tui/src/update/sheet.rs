//! What Enter, Esc and the letters of answers do in a sheet.

use crate::actions::{Ask, Look, Reply};
use crate::app::App;
use crate::message::Effect;
use crate::parts::field::Field;
use crate::sheet::Sheet;
use crate::sheets::{files, go_to, palette};

impl App {
    pub(super) fn answer_sheet(&mut self, answer: Reply, effects: &mut Vec<Effect>) {
        let Some(sheet) = self.screen.sheet.take() else { return };
        match answer {
            Reply::Leave => self.leave(&sheet),
            Reply::Take => self.take(sheet, effects),
            Reply::Example => self.take_example(sheet),
            Reply::Letter(letter) => self.answer_question(sheet, letter, effects),
        }
    }

    fn leave(&mut self, sheet: &Sheet) {
        match sheet {
            Sheet::Conflict { name, .. } => {
                self.screen.say(format!("{name} stays as it is, here and on disk; Ctrl-S asks again"));
            }
            Sheet::Reach { folders } => {
                self.world.put_off.extend(folders.iter().cloned());
                self.screen.say("what lies outside of the project stays closed; the next start asks again");
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
            (Sheet::Reach { folders }, 'A' | 'N') => effects.push(Effect::Reach(folders, letter == 'A')),
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
            }
            Sheet::Files { query, chosen } => match files::found(self, &query.text()).get(chosen) {
                Some(id) => self.show_document(*id),
                None => self.screen.trouble("no file of the program has a name with these letters"),
            },
            Sheet::GoTo { query, chosen } => {
                let text = query.text();
                let Some(place) = go_to::found(self, &text).into_iter().nth(chosen) else {
                    self.screen.trouble(format!("`{text}` is no line, and in no label, problem or call"));
                    return self.screen.sheet = Some(Sheet::GoTo { query, chosen });
                };
                self.obey(place.to, effects);
            }
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
            Sheet::Leaving | Sheet::Conflict { .. } | Sheet::Replacing { .. } => self.screen.sheet = Some(sheet),
            Sheet::Exists { .. } | Sheet::Reach { .. } => {
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
        if let Err(why) = (ask.prompt().take)(self, text.trim(), effects) {
            self.screen.trouble(why);
            self.screen.sheet = Some(Sheet::Prompt { ask, field });
        }
    }
}
