//! Actions of the walk.

use crate::actions::Action;
use crate::state::{App, Breakpoint, Effect, Lens, Tone, code_address};
use wendax_machine::{RegionKind, StepNo};
use wendax_session::{Command, Session, State};
use wendax_source::FileId;

impl App {
    pub(super) fn walk(&mut self, action: Action, effects: &mut Vec<Effect>) {
        let follows_text = matches!(action, Action::ToLine | Action::BackToLine | Action::Breakpoint | Action::Restart);
        let is_ready = self.is_assembled() && (self.assembly.is_runnable() || self.is_stale && !follows_text);
        if self.session.is_none() || !is_ready && !matches!(action, Action::NextRegion | Action::ClearBreakpoints) {
            self.say_not_ready();
            return;
        }
        if self.is_stale && matches!(action, Action::ToLine | Action::BackToLine) {
            return self.trouble("the walk is through an older text: r replays the present one, R restarts");
        }
        let file = self.current_id().unwrap_or(FileId(u32::MAX));
        let Some(session) = &mut self.session else { return };
        let line = self.editor.cursor().0;
        let command = match action {
            Action::Step => Command::Step,
            Action::StepBack => Command::StepBack,
            Action::LineStep => Command::Line,
            Action::LineBack => Command::LineBack,
            Action::Over => Command::Over,
            Action::OverBack => Command::OverBack,
            Action::Out => Command::Out,
            Action::OutBack => Command::OutBack,
            Action::Go => Command::Go,
            Action::GoBack => Command::GoBack,
            Action::ToStart => Command::Seek(StepNo::FIRST),
            Action::ToEnd => Command::Seek(session.end()),
            Action::ToLine | Action::BackToLine => match code_address(session, file, line) {
                Some(address) if action == Action::ToLine => Command::To(vec![address]),
                Some(address) => Command::BackTo(vec![address]),
                None => return self.trouble("there is no instruction on this line or below it"),
            },
            Action::Pause => return self.pause_or_say(),
            Action::Restart => return self.restart(),
            Action::Breakpoint => return self.toggle_breakpoint(line),
            Action::ClearBreakpoints => {
                self.breakpoints.clear();
                return self.place_breakpoints();
            }
            Action::NextRegion => return self.next_region(),
            Action::EndInput => return self.end_input(),
            _ => return,
        };
        self.travel(command, effects);
    }

    /// Begins a command and does its first slice at once, so that a short one needs no further round.
    pub(super) fn travel(&mut self, command: Command, effects: &mut Vec<Effect>) {
        let Some(session) = &mut self.session else { return };
        if session.is_running() {
            self.pause();
            return;
        }
        let ended = matches!(session.state(), State::Finished(_));
        let forward = matches!(
            command,
            Command::Step | Command::Over | Command::Line | Command::Out | Command::Go | Command::To(_)
        );
        if ended && forward {
            return self.trouble("the program has ended; the left arrow goes back, R restarts");
        }
        session.begin(command);
        if session.is_running() {
            self.work(effects);
        } else {
            self.trouble("this is the start of the run");
        }
    }

    pub(crate) fn trouble(&mut self, text: &str) {
        self.message = Some((Tone::Trouble, text.to_owned()));
    }

    fn say_not_ready(&mut self) {
        if !self.is_assembled() {
            self.trouble("the text is still being assembled");
        } else if self.assembly.is_runnable() {
            self.trouble("there is nothing to run yet");
        } else {
            self.trouble("the text has a problem: N goes to it, Ctrl-T mends it where a fix is known");
        }
    }

    fn pause_or_say(&mut self) {
        if self.session.as_ref().is_some_and(Session::is_running) {
            self.pause();
        } else {
            self.trouble("the program is not running; g goes on, the right arrow steps");
        }
    }

    fn restart(&mut self) {
        self.new_session();
        self.input.clear();
        self.place_breakpoints();
        self.arrived();
        self.message.get_or_insert((Tone::Fine, "a new run, from the entry".to_owned()));
    }

    fn end_input(&mut self) {
        self.send_input(None);
        self.message.get_or_insert((Tone::Fine, "the typed input ends here".to_owned()));
    }

    fn toggle_breakpoint(&mut self, line: usize) {
        let file = self.current_id().unwrap_or(FileId(u32::MAX));
        // It moves down to the line that has the instruction, so that the mark is where the stop will be.
        let number = u32::try_from(line + 1).unwrap_or(u32::MAX);
        let Some((address, line)) =
            self.assembly.image.code_from_line(file, number).map(|piece| (piece.address, piece.line as usize - 1))
        else {
            return self.trouble("there is no instruction on this line or below it");
        };
        let name = self.document().name.clone();
        let known = self.breakpoints.iter().position(|known| match known {
            Breakpoint::Line { file, line: known } => *known == line && *file == name,
            Breakpoint::Address(known) => *known == address,
        });
        match known {
            Some(index) => {
                self.breakpoints.remove(index);
            }
            None => self.breakpoints.push(Breakpoint::Line { file: name, line }),
        }
        self.place_breakpoints();
    }

    /// Tells the session where breakpoints are; those that have no instruction any more are told.
    pub(crate) fn place_breakpoints(&mut self) {
        if self.is_stale {
            return;
        }
        let addresses = self.breakpoint_addresses();
        let lost = self.breakpoints.iter().filter(|breakpoint| match breakpoint {
            Breakpoint::Address(address) => self.assembly.image.bytes(*address, 1).is_empty(),
            Breakpoint::Line { file, line } => {
                let number = u32::try_from(line + 1).unwrap_or(u32::MAX);
                let file = self.assembly.sources.find(file);
                file.and_then(|file| self.assembly.image.code_from_line(file, number)).is_none()
            }
        });
        let lost = lost.count();
        if lost > 0 {
            let what = if lost == 1 { "a breakpoint has".to_owned() } else { format!("{lost} breakpoints have") };
            self.message =
                Some((Tone::Trouble, format!("{what} no instruction any more and cannot stop; C clears all")));
        }
        if let Some(session) = &mut self.session {
            session.set_breakpoints(addresses);
        }
    }

    fn next_region(&mut self) {
        let Some(session) = &self.session else { return };
        let regions = session.machine().regions();
        let now = self.memory_start().unwrap_or_default();
        let next =
            regions.iter().find(|region| region.start > now && region.kind != RegionKind::Code).or(regions.first());
        if let Some(region) = next {
            self.lens = Lens::At(region.start);
            self.memory_scroll = 0;
        }
    }
}
