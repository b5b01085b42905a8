//! Actions of the walk.

use crate::actions::Action;
use crate::state::{App, Breakpoint, Lens, Tone, code_address};
use wendax_machine::RegionKind;
use wendax_session::{Command, Session, State};

impl App {
    pub(super) fn walk(&mut self, action: Action) {
        if !self.is_current() && !matches!(action, Action::NextRegion | Action::ClearBreakpoints) {
            self.say_not_ready();
            return;
        }
        let Some(session) = &mut self.session else { return };
        let line = self.editor.cursor().0;
        let command = match action {
            Action::Step => Command::Step,
            Action::StepBack => Command::StepBack,
            Action::Over => Command::Over,
            Action::OverBack => Command::OverBack,
            Action::Out => Command::Out,
            Action::OutBack => Command::OutBack,
            Action::Go => Command::Go,
            Action::GoBack => Command::GoBack,
            Action::ToStart => Command::Seek(0),
            Action::ToEnd => Command::Seek(session.end()),
            Action::ToLine | Action::BackToLine => match code_address(session, line) {
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
        self.travel(command);
    }

    /// Begins a command and does its first slice at once, so that a short one needs no further round.
    pub(super) fn travel(&mut self, command: Command) {
        let Some(session) = &mut self.session else { return };
        if session.is_running() {
            self.pause();
            return;
        }
        let ended = matches!(session.state(), State::Finished(_));
        let forward = matches!(command, Command::Step | Command::Over | Command::Out | Command::Go | Command::To(_));
        if ended && forward {
            return self.trouble("the program has ended; the left arrow goes back, R restarts");
        }
        session.begin(command);
        if !session.is_running() {
            self.trouble("this is the start of the run");
        }
    }

    fn trouble(&mut self, text: &str) {
        self.message = Some((Tone::Trouble, text.to_owned()));
    }

    fn say_not_ready(&mut self) {
        if self.assembled != Some(self.editor.revision()) {
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
        let image = self.assembly.image.clone();
        self.session = Some(Session::new(image, self.settings.clone()));
        self.awaited = None;
        self.input.clear();
        self.place_breakpoints();
        self.arrived();
        self.message = Some((Tone::Fine, "a new run, from the entry".to_owned()));
    }

    fn end_input(&mut self) {
        if let Some(session) = &mut self.session {
            session.end_input();
        }
        self.refresh();
        self.message = Some((Tone::Fine, "the typed input ends here".to_owned()));
    }

    fn toggle_breakpoint(&mut self, line: usize) {
        let Some(address) = self.session.as_ref().and_then(|session| code_address(session, line)) else {
            return self.trouble("there is no instruction on this line or below it");
        };
        // It moves down to the line that has the instruction, so that the mark is where the stop will be.
        let image = self.session.as_ref().map(Session::image);
        let line = image.and_then(|image| image.line_at(address)).map_or(line, |entry| entry.line as usize - 1);
        let known = self.breakpoints.iter().position(|known| match *known {
            Breakpoint::Line(known) => known == line,
            Breakpoint::Address(known) => known == address,
        });
        match known {
            Some(index) => {
                self.breakpoints.remove(index);
            }
            None => self.breakpoints.push(Breakpoint::Line(line)),
        }
        self.place_breakpoints();
    }

    /// Tells the session where breakpoints are.
    pub(super) fn place_breakpoints(&mut self) {
        let addresses = self.breakpoint_addresses();
        if let Some(session) = &mut self.session {
            session.set_breakpoints(addresses);
        }
    }

    fn next_region(&mut self) {
        let Some(session) = &self.session else { return };
        let regions = session.machine().regions();
        let now = self.memory_start().unwrap_or(0);
        let next =
            regions.iter().find(|region| region.start > now && region.kind != RegionKind::Code).or(regions.first());
        if let Some(region) = next {
            self.lens = Lens::At(region.start);
            self.memory_scroll = 0;
        }
    }
}
