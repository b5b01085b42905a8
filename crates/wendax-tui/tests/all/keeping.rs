//! No text is lost: whatever is typed, whatever happens to the file meanwhile, through saves, crashes and starts.
//!
//! Everything typed is a word of its own, and so is everything that someone else writes into the file. A word is where
//! it should be when it is in the text, on disk, or was dropped by a key that drops: nothing else may lose it.

use crate::common::Stage;
use proptest::prelude::*;
use std::collections::BTreeSet;
use wendax_machine::Settings;
use wendax_tui::{App, Message, Theme};

const START: &str = "start:  nop\n        halt\n; end\n";

/// What is done.
#[derive(Debug, Clone, Copy)]
enum Act {
    /// Types a new word on a line.
    Type(usize),
    /// Someone else writes a new word on a line of the file.
    Outside(usize),
    /// The file is removed by someone else.
    Remove,
    /// What happened to the file is seen.
    Notice,
    Save,
    Crash,
    /// One of the answers to a question.
    Answer(char),
    Undo,
}

fn act() -> impl Strategy<Value = Act> {
    prop_oneof![
        4 => (0usize..6).prop_map(Act::Type),
        3 => (0usize..6).prop_map(Act::Outside),
        1 => Just(Act::Remove),
        4 => Just(Act::Notice),
        2 => Just(Act::Save),
        2 => Just(Act::Crash),
        2 => prop_oneof![Just('k'), Just('t')].prop_map(Act::Answer),
        1 => Just(Act::Undo),
    ]
}

struct Desk {
    stage: Stage,
    disk: Option<String>,
    /// The text of the file that was removed, when nothing else was written here then.
    removed: Option<String>,
    words: usize,
    typed: BTreeSet<String>,
    outside: BTreeSet<String>,
}

impl Desk {
    fn new() -> Self {
        let mut desk = Self {
            stage: Stage::with(app(START)),
            disk: Some(START.to_owned()),
            removed: None,
            words: 0,
            typed: BTreeSet::new(),
            outside: BTreeSet::new(),
        };
        desk.stage.saves_to_disk();
        desk
    }

    fn word(&mut self) -> String {
        self.words += 1;
        format!("w{}w", self.words)
    }

    fn asks(&mut self) -> bool {
        self.stage.screen().contains("changed twice")
    }

    /// What the loop around the interface does when it looks at the file.
    fn notice(&mut self) {
        let base = self.stage.app.open_files()[0].base.clone();
        match &self.disk {
            Some(disk) if base.as_deref() != Some(disk) => {
                let (base, disk) = (base.as_deref().unwrap_or_default().to_owned(), disk.clone());
                // Whoever removes a file and writes another one drops what it had.
                let is_dropped = self.removed.take().is_some_and(|removed| removed == self.text());
                self.stage.message(Message::Changed("/yard/a.asm".into(), base, disk.clone()));
                if is_dropped {
                    self.typed.retain(|word| disk.contains(word.as_str()));
                    self.outside.retain(|word| disk.contains(word.as_str()));
                }
            }
            None if base.is_some() => self.stage.message(Message::Gone("/yard/a.asm".into())),
            _ => {}
        }
    }

    fn act(&mut self, act: Act) {
        match act {
            Act::Type(line) => {
                if self.asks() {
                    return;
                }
                let word = self.word();
                let line = (line + 1).to_string();
                self.stage.keys("Esc l").text(&line).keys("Enter e End").text(&format!(" ;{word}")).keys("Esc");
                self.typed.insert(word);
            }
            Act::Outside(line) => {
                // A file that was removed and made anew at once is another one, and the text here was theirs to drop.
                if self.disk.is_none() && self.stage.app.open_files()[0].base.is_some() {
                    return;
                }
                let word = self.word();
                let text = self.disk.clone().unwrap_or_default();
                let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
                let at = line.min(lines.len());
                if line % 2 == 0 || lines.is_empty() {
                    lines.insert(at, format!("; {word}"));
                } else {
                    let at = at.min(lines.len() - 1);
                    lines[at].push_str(&format!(" ;{word}"));
                }
                self.disk = Some(lines.join("\n") + "\n");
                self.outside.insert(word);
            }
            Act::Remove => {
                // Whoever removes a file drops what is on disk alone.
                let text = self.text();
                self.outside.retain(|word| text.contains(word.as_str()));
                // One that was gone already, and came and went unseen, is the same removal.
                let is_known = self.stage.app.open_files()[0].base.is_some();
                if self.disk.take().is_some() && is_known {
                    self.removed = Some(text).filter(|_| !self.stage.app.is_changed());
                }
                // That is seen at once, while what happens in a file may be seen later.
                self.notice();
            }
            Act::Notice => self.notice(),
            Act::Save => {
                self.stage.keys("Esc Ctrl-S");
                for (_, text) in std::mem::take(&mut self.stage.saved) {
                    // The loop writes only over the text it knows.
                    let base = self.stage.app.open_files()[0].base.clone();
                    if self.disk.as_deref() == base.as_deref() || self.disk.is_none() {
                        self.disk = Some(text.clone());
                        self.stage.was_saved(&text);
                    } else {
                        self.stage.message(Message::NotSaved("the file was changed by someone else".to_owned()));
                        self.notice();
                    }
                }
            }
            Act::Crash => {
                // What was unsaved was kept, with what the file held then.
                let unsaved = self.stage.app.unsaved();
                let disk = self.disk.clone();
                let app = app(disk.as_deref().unwrap_or_default());
                let app = if disk.is_none() { app.with_new_file() } else { app };
                let app = match unsaved.first() {
                    Some(kept) if Some(kept.text.to_string()) != disk => {
                        app.with_recovered(&kept.text.to_string(), kept.base.as_deref())
                    }
                    _ => app,
                };
                self.stage = Stage::with(app);
                self.stage.saves_to_disk();
                // The loop looks at the file as soon as it runs.
                self.notice();
            }
            Act::Answer(letter) => {
                self.stage.keys("Esc Ctrl-S");
                let writes = std::mem::take(&mut self.stage.saved);
                // Nothing was asked: it is as if nobody had saved.
                drop(writes);
                if self.asks() {
                    self.stage.keys(&letter.to_string());
                    let text = self.text();
                    // Either answer drops what the other text alone had.
                    if letter == 't' {
                        self.typed.retain(|word| text.contains(word.as_str()));
                    }
                    self.outside.retain(|word| text.contains(word.as_str()));
                }
            }
            Act::Undo => {
                if !self.asks() {
                    self.stage.keys("Esc e Ctrl-Z Esc");
                    let text = self.text();
                    self.typed.retain(|word| text.contains(word.as_str()));
                    // Whoever undoes what came from outside wants it gone, also from the file once it is saved.
                    self.outside.retain(|word| text.contains(word.as_str()));
                }
            }
        }
    }

    fn text(&self) -> String {
        self.stage.app.text_of("/yard/a.asm").unwrap_or_default()
    }

    /// Every word is where it should be.
    fn check(&self) -> Result<(), String> {
        let (text, disk) = (self.text(), self.disk.clone().unwrap_or_default());
        let lost: Vec<&String> = self
            .typed
            .iter()
            .chain(&self.outside)
            .filter(|word| !text.contains(word.as_str()) && !disk.contains(word.as_str()))
            .collect();
        if lost.is_empty() { Ok(()) } else { Err(format!("{lost:?} are nowhere\ntext:\n{text}\ndisk:\n{disk}")) }
    }
}

fn app(text: &str) -> App {
    App::new(Some("/yard/a.asm".to_owned()), text, Settings::default(), Theme::default())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    #[test]
    fn nothing_that_was_typed_is_lost(acts in proptest::collection::vec(act(), 1..24)) {
        let mut desk = Desk::new();
        for act in &acts {
            desk.act(*act);
            let found = desk.check();
            prop_assert!(found.is_ok(), "{act:?} of {acts:?}: {}", found.unwrap_err());
        }
    }
}
