//! Keys while a palette, prompt, help or question lies over the bench.

use crate::actions::Action;
use crate::guide;
use crate::keys::{BINDINGS, palette};
use crate::state::{App, Ask, Breakpoint, Effect, Lens, Mode, Overlay, Pane, Tone};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use wendax_machine::{Addr, CellState, Event, StepNo};
use wendax_session::{Command, Dropped, State, dropped_words};

impl App {
    pub(super) fn overlay_key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        let Some(overlay) = self.overlay.take() else { return };
        match overlay {
            Overlay::Palette { query, chosen } => self.palette_key(key, query, chosen, effects),
            Overlay::Files { chosen } => self.files_key(key, chosen),
            Overlay::Guide { query, chosen, scroll } => self.guide_key(key, query, (chosen, scroll)),
            Overlay::Conflict { name, theirs } => self.conflict_key(key, name, theirs),
            Overlay::Prompt { ask, text } => self.prompt_key(key, ask, text, effects),
            Overlay::Leaving => self.leaving_key(key, effects),
        }
    }

    fn palette_key(&mut self, key: KeyEvent, mut query: String, mut chosen: usize, effects: &mut Vec<Effect>) {
        let last = palette(&query).len().saturating_sub(1);
        match key.code {
            KeyCode::Esc => return,
            KeyCode::Enter => {
                if let Some(binding) = palette(&query).get(chosen) {
                    self.choose(binding.action, effects);
                }
                return;
            }
            KeyCode::Up => chosen = chosen.saturating_sub(1),
            KeyCode::Down => chosen = (chosen + 1).min(last),
            KeyCode::Backspace => {
                query.pop();
                chosen = 0;
            }
            KeyCode::Char(c) if !key.modifiers.contains(KeyModifiers::CONTROL) => {
                query.push(c);
                chosen = 0;
            }
            _ => {}
        }
        self.overlay = Some(Overlay::Palette { query, chosen });
    }

    /// An action chosen in the palette: those of the other state change to it first.
    fn choose(&mut self, action: Action, effects: &mut Vec<Effect>) {
        let binding = BINDINGS.iter().find(|binding| binding.action == action);
        let walks = binding.is_some_and(|binding| binding.context == crate::keys::Context::Walk);
        if walks && self.mode == Mode::Write && !matches!(action, Action::Write) {
            self.leave_writing();
            self.message = None;
        }
        self.act(action, effects);
    }

    fn files_key(&mut self, key: KeyEvent, mut chosen: usize) {
        let last = self.documents.len().saturating_sub(1);
        match key.code {
            KeyCode::Esc => return,
            KeyCode::Enter => {
                self.show_document(chosen);
                return;
            }
            KeyCode::Up => chosen = chosen.saturating_sub(1),
            KeyCode::Down => chosen = (chosen + 1).min(last),
            _ => {}
        }
        self.overlay = Some(Overlay::Files { chosen });
    }

    fn guide_key(&mut self, key: KeyEvent, mut query: String, (mut chosen, mut scroll): (usize, usize)) {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        let found = guide::found(&query);
        match key.code {
            KeyCode::Esc => return,
            KeyCode::Enter => {
                let example =
                    found.get(chosen).and_then(|topic| guide::entries(topic).into_iter().find_map(|e| e.example));
                if let Some(example) = example {
                    self.put_example(&example);
                    return;
                }
                self.message = Some((Tone::Trouble, "there is no example of this to put into the text".to_owned()));
            }
            KeyCode::Up => (chosen, scroll) = (chosen.saturating_sub(1), 0),
            KeyCode::Down => (chosen, scroll) = ((chosen + 1).min(found.len().saturating_sub(1)), 0),
            KeyCode::PageUp => scroll = scroll.saturating_sub(5),
            KeyCode::PageDown => scroll += 5,
            KeyCode::Backspace => {
                query.pop();
                (chosen, scroll) = (0, 0);
            }
            KeyCode::Char('u') if control => {
                query.clear();
                (chosen, scroll) = (0, 0);
            }
            KeyCode::Char(c) if !control => {
                query.push(c);
                (chosen, scroll) = (0, 0);
            }
            _ => {}
        }
        self.overlay = Some(Overlay::Guide { query, chosen, scroll });
    }

    /// Puts an example below the line of the cursor.
    fn put_example(&mut self, example: &str) {
        if self.is_image {
            return self.trouble("this is an image: nothing can be written into it");
        }
        let line = self.editor.cursor().0;
        self.editor.select(false);
        self.editor.go_to(line, usize::MAX);
        self.editor.insert(&format!("\n{example}"));
        self.mode = Mode::Write;
        self.message = Some((Tone::Fine, "the example is in the text; Ctrl-Z takes it out again".to_owned()));
    }

    fn conflict_key(&mut self, key: KeyEvent, name: String, theirs: String) {
        match key.code {
            KeyCode::Char('k') => {
                self.answered(&name, &theirs);
                self.message =
                    Some((Tone::Fine, format!("your text of {name} stays; saving puts it in the place of the other")));
            }
            KeyCode::Char('t') => {
                self.answered(&name, &theirs);
                if let Some(index) = self.documents.iter().position(|document| document.name == name) {
                    let editor = self.editor_of_mut(index);
                    editor.replace_all(&theirs);
                    editor.mark_saved();
                    self.message = Some((
                        Tone::Fine,
                        "the text on disk is here now; Ctrl-Z while writing brings yours back".to_owned(),
                    ));
                }
            }
            _ => self.overlay = Some(Overlay::Conflict { name, theirs }),
        }
    }

    /// It was decided what becomes of a text that two have changed: that on disk is known from now on.
    fn answered(&mut self, name: &str, theirs: &str) {
        self.conflicts.retain(|(known, _)| known != name);
        if let Some(document) = self.documents.iter_mut().find(|document| document.name == name) {
            document.base = Some(theirs.into());
        }
    }

    fn leaving_key(&mut self, key: KeyEvent, effects: &mut Vec<Effect>) {
        match key.code {
            KeyCode::Char('s') => {
                self.overlay = Some(Overlay::Leaving);
                self.save(true, effects);
            }
            KeyCode::Char('d') => effects.push(Effect::Quit),
            KeyCode::Esc => {}
            _ => self.overlay = Some(Overlay::Leaving),
        }
    }

    fn prompt_key(&mut self, key: KeyEvent, ask: Ask, mut text: String, effects: &mut Vec<Effect>) {
        match key.code {
            KeyCode::Esc => return,
            KeyCode::Enter => {
                if let Err(why) = self.answer_prompt(ask, text.trim(), effects) {
                    self.message = Some((Tone::Trouble, why));
                    self.overlay = Some(Overlay::Prompt { ask, text });
                }
                return;
            }
            KeyCode::Backspace => {
                text.pop();
            }
            KeyCode::Char('u') if key.modifiers.contains(KeyModifiers::CONTROL) => text.clear(),
            KeyCode::Char(c) if !key.modifiers.contains(KeyModifiers::CONTROL) => text.push(c),
            _ => {}
        }
        self.overlay = Some(Overlay::Prompt { ask, text });
    }

    fn answer_prompt(&mut self, ask: Ask, text: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        match ask {
            Ask::Name { .. } if text.is_empty() => return Err("a file needs a name, such as weights.asm".to_owned()),
            Ask::Name { leave } => {
                if leave {
                    self.overlay = Some(Overlay::Leaving);
                }
                let name = self.document().name.clone();
                effects.push(Effect::Save(name, self.editor.revision(), text.to_owned(), self.editor.text()));
            }
            Ask::MemoryAt => {
                self.lens = self.lens_for(text)?;
                self.memory_scroll = 0;
                // What was asked for comes into view, and keys move in it.
                self.focus = Pane::Memory;
            }
            Ask::Value => self.set_value(text)?,
            Ask::Step => {
                let step = self.step_asked_for(text)?;
                self.travel(Command::Seek(step), effects);
            }
            Ask::Line => {
                let line: usize = text.parse().map_err(|_| format!("`{text}` is no line number"))?;
                self.editor.go_to(line.saturating_sub(1), 0);
            }
            Ask::BreakpointAt => {
                let address = self.address(text)?;
                self.toggle_address(address)?;
            }
            Ask::Search => {
                if !text.is_empty() {
                    text.clone_into(&mut self.searched);
                }
                self.search_on();
            }
            Ask::Replace => self.replace_found(text),
            Ask::Rename => self.rename(text)?,
        }
        Ok(())
    }

    /// `120`, or `+3` and `-3` from the present step.
    fn step_asked_for(&self, text: &str) -> Result<StepNo, String> {
        let session = self.session.as_ref().ok_or("there is no program yet")?;
        let (now, end) = (session.now(), session.end());
        let clean = text.replace('_', "");
        let digits = clean.trim_start_matches(['+', '-']);
        let number: u64 =
            digits.parse().map_err(|_| format!("`{text}` is no step number; write 120, or +3 and -3 from here"))?;
        let step = match clean.chars().next() {
            Some('+') => now.saturating_add(number),
            Some('-') => {
                now.checked_sub(number).ok_or_else(|| format!("there are only {now} steps before this one"))?
            }
            _ => StepNo(number),
        };
        if step > end && matches!(session.state(), State::Finished(_)) {
            return Err(format!("the program ended after step {end}; there is no step {step}"));
        }
        if step < session.oldest() {
            return Err(format!("the past before step {} is no longer kept", session.oldest()));
        }
        Ok(step)
    }

    fn toggle_address(&mut self, address: Addr) -> Result<(), String> {
        let align = self.session.as_ref().map_or(1, |session| session.machine().target().code_align);
        if !address.is_multiple_of(align) {
            return Err(format!("there is no instruction at the odd address {address:04X}"));
        }
        let breakpoint = Breakpoint::Address(address);
        if let Some(index) = self.breakpoints.iter().position(|known| *known == breakpoint) {
            self.breakpoints.remove(index);
            self.message = Some((Tone::Fine, format!("breakpoint at {address:04X} cleared")));
        } else {
            self.breakpoints.push(breakpoint);
            self.message = Some((Tone::Fine, format!("breakpoint at {address:04X} set")));
        }
        self.place_breakpoints();
        Ok(())
    }

    fn lens_for(&self, text: &str) -> Result<Lens, String> {
        let session = self.session.as_ref().ok_or("there is no program yet")?;
        if text.is_empty() {
            return Ok(Lens::Data);
        }
        if let Some(register) = session.machine().target().register(text) {
            return Ok(Lens::Register(register));
        }
        if session.image().symbol(text).is_some() {
            return Ok(Lens::Label(text.to_owned()));
        }
        self.address(text).map(Lens::At)
    }

    /// An address by number or label.
    fn address(&self, text: &str) -> Result<Addr, String> {
        let session = self.session.as_ref().ok_or("there is no program yet")?;
        if let Some(symbol) = session.image().symbol(text) {
            return Addr::try_from(symbol.value & i64::from(session.machine().target().address_mask()))
                .map_err(|_| "that is no address".to_owned());
        }
        let mask = session.machine().target().address_mask();
        match number(text) {
            Some(value) if value >= 0 && value <= i64::from(mask) => {
                Addr::try_from(value).map_err(|error| error.to_string())
            }
            Some(_) => Err(format!("addresses go from 0 to 0x{mask:X}")),
            None => Err(format!("`{text}` is no label, register or address; write one such as 0x0300")),
        }
    }

    /// `r1 = 5`, `0x0310 = 0xFF`, `total = 3`: a register, or a word of memory (a byte with `byte` before it).
    fn set_value(&mut self, text: &str) -> Result<(), String> {
        const ENDED: &str = "the program has ended; go back a step, and set it there";
        const FORM: &str = "write `r1 = 5`, `total = 0x30` for a word of memory, or `byte total = 7`";
        let (place, value) = text.split_once('=').ok_or(FORM)?;
        let (place, value) = (place.trim(), value.trim());
        let value = number(value).ok_or_else(|| format!("`{value}` is no number; {FORM}"))?;
        let session = self.session.as_mut().ok_or("there is no program yet")?;
        let target = session.machine().target();
        let fits = |bits: u32| value >= -(1 << (bits - 1)) && value < 1 << bits;
        let (byte, place) = match place.strip_prefix("byte ") {
            Some(rest) => (true, rest.trim()),
            None => (false, place),
        };
        let bits = if byte { 8 } else { target.word_bits };
        if !fits(bits) {
            return Err(format!("{value} does not fit {bits} bits"));
        }
        let value = u32::try_from(value & i64::from(target.word_mask())).unwrap_or(0);
        let mut dropped = Dropped::default();
        if let Some(register) = target.register(place).filter(|_| !byte) {
            dropped = session.edit(Event::SetRegister(register, value)).ok_or(ENDED)?;
        } else {
            let address = self.address(place)?;
            let session = self.session.as_mut().ok_or("there is no program yet")?;
            let count = if byte { 1 } else { target.word_bytes() };
            for offset in 0..count {
                let cell = session.machine().cell(address + offset);
                if !matches!(cell, CellState::Known | CellState::NeverWritten) {
                    return Err(format!("{:04X} cannot be set: it is no memory of the program", address + offset));
                }
            }
            for (offset, byte) in (0..count).zip(value.to_le_bytes()) {
                let more = session.edit(Event::SetByte(address + offset, byte.into())).ok_or(ENDED)?;
                // What lay ahead went with the first byte.
                if offset == 0 {
                    dropped = more;
                }
            }
        }
        self.refresh();
        let words = dropped_words(dropped);
        let more = if words.is_empty() { String::new() } else { format!("; {words}") };
        self.message = Some((Tone::Fine, format!("set at this step{more}")));
        Ok(())
    }
}

/// A number as in source: decimal, 0x, 0b, with an optional sign, or four hexadecimal digits with a letter.
fn number(text: &str) -> Option<i64> {
    let (negative, digits) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let clean = digits.replace('_', "").to_ascii_lowercase();
    let value = match (clean.strip_prefix("0x"), clean.strip_prefix("0b")) {
        (Some(hex), _) => i64::from_str_radix(hex, 16).ok(),
        (None, Some(binary)) => i64::from_str_radix(binary, 2).ok(),
        (None, None) => clean.parse().ok(),
    }?;
    Some(if negative { -value } else { value })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_palette_finds_by_any_word() {
        let first = |query| palette(query).first().map(|binding| binding.action);
        assert_eq!(first("breakpoint line"), Some(Action::Breakpoint));
        assert_eq!(first("un-execute"), Some(Action::StepBack));
        assert_eq!(palette("").len(), BINDINGS.len());
        assert!(palette("zzzzz").is_empty());
    }

    #[test]
    fn numbers_as_in_source() {
        for (text, value) in
            [("0x_ff", Some(255)), ("-5", Some(-5)), ("0b11", Some(3)), ("1_000", Some(1000)), ("x", None), ("", None)]
        {
            assert_eq!(number(text), value, "{text}");
        }
    }
}
