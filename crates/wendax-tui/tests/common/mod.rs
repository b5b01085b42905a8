//! A bench without a terminal: keys go in, screens come out, files are kept in memory.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use wendax_machine::Settings;
use wendax_source::Sources;
use wendax_tui::{App, Colours, Effect, Look, Message, Theme, draw, update};

pub(crate) const DEMO: &str = include_str!("../../../../demos/weighbridge/weighbridge.asm");

pub(crate) struct Stage {
    pub(crate) app: App,
    /// What was saved: name and text.
    pub(crate) saved: Vec<(String, String)>,
    pub(crate) ended: bool,
    size: (u16, u16),
}

#[allow(dead_code, reason = "shared by test files that each need a part")]
impl Stage {
    pub(crate) fn new(text: &str) -> Self {
        let theme = Theme { look: Look::Dark, colours: Colours::Full };
        let app = App::new(Some("/yard/weighbridge.asm".to_owned()), text, Settings::default(), theme);
        Self::with(app)
    }

    pub(crate) fn with(app: App) -> Self {
        let mut stage = Self { app, saved: Vec::new(), ended: false, size: (160, 50) };
        stage.message(Message::Resized(160, 50));
        let first = stage.app.first_effects();
        stage.carry_out(first);
        stage
    }

    pub(crate) fn sized(mut self, width: u16, height: u16) -> Self {
        self.size = (width, height);
        self.message(Message::Resized(width, height));
        self
    }

    pub(crate) fn resize(&mut self, width: u16, height: u16) {
        self.size = (width, height);
    }

    pub(crate) fn message(&mut self, message: Message) {
        let effects = update(&mut self.app, message);
        self.carry_out(effects);
        // What runs on for ever is looked at after a while.
        for _ in 0..3 {
            if !self.app.has_work() {
                break;
            }
            let effects = update(&mut self.app, Message::Work);
            self.carry_out(effects);
        }
    }

    fn carry_out(&mut self, effects: Vec<Effect>) {
        for effect in effects {
            match effect {
                Effect::Assemble(revision, text) => {
                    let (sources, file) = Sources::single("weighbridge.asm", text);
                    let assembly = wendax_asm::assemble(&sources, file);
                    self.message(Message::Assembled(revision, Box::new((sources, assembly))));
                }
                Effect::Save(revision, name, text) => {
                    self.saved.push((name.clone(), text));
                    self.message(Message::Saved(revision, name));
                }
                Effect::TellTime => self.message(Message::Clock(5)),
                Effect::Wait(_) => self.message(Message::Waited),
                Effect::Quit => self.ended = true,
            }
        }
    }

    /// Presses keys by their names, with blanks between: `Right Right g Ctrl-S Enter`.
    pub(crate) fn keys(&mut self, names: &str) -> &mut Self {
        for name in names.split_whitespace() {
            self.message(Message::Key(key(name)));
        }
        self
    }

    /// Types a text.
    pub(crate) fn text(&mut self, text: &str) -> &mut Self {
        for c in text.chars() {
            let code = if c == '\n' { KeyCode::Enter } else { KeyCode::Char(c) };
            self.message(Message::Key(KeyEvent::new(code, KeyModifiers::NONE)));
        }
        self
    }

    /// What is on the screen, as text without trailing blanks.
    pub(crate) fn screen(&mut self) -> String {
        let mut terminal = Terminal::new(TestBackend::new(self.size.0, self.size.1)).expect("memory has room");
        terminal.draw(|frame| draw(&mut self.app, frame)).expect("memory takes everything");
        let buffer = terminal.backend().buffer();
        let rows: Vec<String> = (0..self.size.1)
            .map(|y| (0..self.size.0).map(|x| buffer[(x, y)].symbol()).collect::<String>().trim_end().to_owned())
            .collect();
        rows.join("\n")
    }
}

pub(crate) fn key(name: &str) -> KeyEvent {
    let (modifiers, rest) = match name.strip_prefix("Ctrl-") {
        Some(rest) => (KeyModifiers::CONTROL, rest),
        None => (KeyModifiers::NONE, name),
    };
    let code = match rest {
        "Right" => KeyCode::Right,
        "Left" => KeyCode::Left,
        "Up" => KeyCode::Up,
        "Down" => KeyCode::Down,
        "Home" => KeyCode::Home,
        "End" => KeyCode::End,
        "PageUp" => KeyCode::PageUp,
        "PageDown" => KeyCode::PageDown,
        "Enter" => KeyCode::Enter,
        "Esc" => KeyCode::Esc,
        "Tab" => KeyCode::Tab,
        "Backtab" => KeyCode::BackTab,
        "Backspace" => KeyCode::Backspace,
        "Delete" => KeyCode::Delete,
        "Space" => KeyCode::Char(' '),
        other => KeyCode::Char(other.chars().next().unwrap_or(' ').to_ascii_lowercase()),
    };
    let code = match (modifiers, rest.chars().count()) {
        (KeyModifiers::NONE, 1) => KeyCode::Char(rest.chars().next().unwrap_or(' ')),
        _ => code,
    };
    KeyEvent::new(code, modifiers)
}
