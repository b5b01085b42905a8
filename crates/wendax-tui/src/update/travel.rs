//! Moves through the run, and the work on them.

use super::prompts;
use crate::actions::Travel;
use crate::app::App;
use crate::message::Effect;
use crate::panes::PaneId;
use crate::screen::{Mode, Typing};
use crate::world::stops::Stop;
use crate::world::walk::{LookedInside, NoReplay};
use wendax_machine::{Event, Need, StepNo};
use wendax_session::{Command, Outcome, Progress, State, Times};

impl App {
    pub(super) fn travel(&mut self, travel: Travel, effects: &mut Vec<Effect>) {
        if self.world.walk.replay.is_some() && !matches!(travel, Travel::Replay | Travel::Restart) {
            return self
                .screen
                .trouble("the walk is on its way to where it was: it moves when it is there, Esc leaves it");
        }
        if matches!(travel, Travel::Restart | Travel::Replay) && !self.world.is_image() {
            effects.push(Effect::LookAgain);
        }
        match travel {
            Travel::Pause => return self.pause_or_say(),
            Travel::ToWriter => {
                return match self.thing_chosen() {
                    Some(thing) => self.go_to_writer(thing, effects),
                    None => self.screen.trouble("choose a register, a flag, or a cell first: Tab and the arrows do"),
                };
            }
            Travel::Faster | Travel::Slower => return self.change_pace(travel == Travel::Faster, effects),
            Travel::VisitBack | Travel::VisitForth => return self.visit(travel == Travel::VisitBack, effects),
            // What a row is given stands in its table.
            Travel::Replay if self.world.walk.of_row.is_some() => return self.walk_same_row(effects),
            Travel::Replay => return self.replay(),
            _ if !self.may_walk(travel) => return,
            Travel::Slow => return self.run_slowly(effects),
            Travel::Restart => return self.restart(),
            Travel::Step | Travel::StepBack if self.goes_together(travel == Travel::Step, effects) => return,
            Travel::Step | Travel::StepBack if self.goes_inside(travel == Travel::Step, effects) => return,
            Travel::Step if self.world.question_here().is_some() => return self.prompt(prompts::ANSWER),
            Travel::Go if self.world.open_question().is_some() && self.next_question(effects) => return,
            Travel::Step if self.world.hides_next() => return self.prompt(prompts::GUESS),
            _ => {}
        }
        let command = match travel {
            Travel::Step => Command::Step,
            Travel::StepBack => Command::StepBack,
            Travel::LineStep => Command::Line,
            Travel::LineBack => Command::LineBack,
            Travel::Over => Command::Over,
            Travel::OverBack => Command::OverBack,
            Travel::Out => Command::Out,
            Travel::OutBack => Command::OutBack,
            Travel::Go => Command::Go,
            Travel::GoBack => Command::GoBack,
            Travel::ToStart => Command::Seek(StepNo::FIRST),
            Travel::ToEnd => Command::Seek(self.session().map_or(StepNo::FIRST, wendax_session::Session::end)),
            Travel::ToLine | Travel::BackToLine => {
                let here = self.place_under_cursor();
                match self.world.address_of(&here) {
                    Some(address) if travel == Travel::ToLine => Command::To(vec![address]),
                    Some(address) => Command::BackTo(vec![address]),
                    None => return self.screen.trouble("there is no instruction on this line or below it"),
                }
            }
            Travel::Pause | Travel::Restart | Travel::Replay => return,
            Travel::ToWriter | Travel::VisitBack | Travel::VisitForth => return,
            Travel::Slow | Travel::Faster | Travel::Slower => return,
        };
        self.begin(command, effects);
    }

    /// Takes the coming step apart.
    pub(crate) fn look_inside(&mut self) {
        let Some(session) = &self.world.walk.session else { return };
        let taken = wendax_session::inside(session);
        let last = taken.as_ref().map_or(0, |taken| taken.transfers.len().saturating_sub(1));
        self.world.walk.inside = Some(LookedInside { at: session.stand(), taken });
        let is_from_behind = std::mem::take(&mut self.world.walk.is_inside_from_behind);
        self.screen.panes.of_mut(PaneId::Inside).chosen = if is_from_behind { last } else { 0 };
    }

    /// Where another run stands beside and has the keys, the arrows take both on, or back.
    fn goes_together(&mut self, is_on: bool, effects: &mut Vec<Effect>) -> bool {
        if self.screen.focus != PaneId::Both || self.world.walk.beside.run.is_none() {
            return false;
        }
        match self.world.together(is_on) {
            Some(step) => self.begin(Command::Seek(step), effects),
            None if is_on => {
                self.screen
                    .trouble("as far as both runs are known they come to no common place any more; g runs this one on");
            }
            None => return false,
        }
        true
    }

    /// Where what is inside of the step has the keys, the arrows go through that; at its end they take the step, and before its
    /// beginning take back the one before.
    fn goes_inside(&mut self, is_on: bool, effects: &mut Vec<Effect>) -> bool {
        let Some(count) = PaneId::Inside.pane().entries(self).filter(|_| self.screen.focus == PaneId::Inside) else {
            return false;
        };
        let state = self.screen.panes.of_mut(PaneId::Inside);
        let next =
            if is_on { Some(state.chosen + 1).filter(|next| *next < count) } else { state.chosen.checked_sub(1) };
        if let Some(next) = next {
            state.chosen = next;
            return true;
        }
        if !is_on && count > 0 {
            let now = self.session().map(wendax_session::Session::now);
            self.world.walk.is_inside_from_behind = true;
            self.begin(Command::StepBack, effects);
            let is_there = self.session().is_some_and(|session| !session.is_running() && Some(session.now()) == now);
            self.world.walk.is_inside_from_behind &= !is_there;
            return true;
        }
        false
    }

    /// To the moment that was left last by a jump, or forth again.
    fn visit(&mut self, is_back: bool, effects: &mut Vec<Effect>) {
        let Some(session) = self.world.walk.session.as_ref().filter(|session| !session.is_running()) else { return };
        let (now, end) = (session.now(), session.end());
        match self.world.walk.visited.go(now, is_back) {
            Some(step) => {
                self.world.walk.visited.is_going = true;
                self.begin(Command::Seek(step.min(end)), effects);
                self.world.walk.visited.is_going = false;
            }
            None if is_back => self.screen.trouble("no moment was left before this one by a jump"),
            None => self.screen.trouble("there is no moment to go forth to; ( goes back"),
        }
    }

    /// There is a run of which this can be asked; says so when there is none.
    fn may_walk(&mut self, travel: Travel) -> bool {
        let follows_text = matches!(travel, Travel::ToLine | Travel::BackToLine | Travel::Restart);
        let (is_assembled, is_stale) = (self.world.is_assembled(), self.world.walk.is_stale);
        let is_ready = is_assembled && (self.world.program.is_runnable() || is_stale && !follows_text);
        if self.session().is_none() || !is_ready {
            self.say_not_ready();
            return false;
        }
        if is_stale && matches!(travel, Travel::ToLine | Travel::BackToLine) {
            self.screen.trouble("the walk is through an older text: r replays the present one, R restarts");
            return false;
        }
        true
    }

    /// Does what needs a program that can run, or says why there is none.
    pub(super) fn when_ready(&mut self, act: impl FnOnce(&mut Self)) {
        if self.world.is_assembled() && self.world.program.is_runnable() { act(self) } else { self.say_not_ready() }
    }

    pub(super) fn say_not_ready(&mut self) {
        let text = if !self.world.is_assembled() {
            "the text is still being assembled"
        } else if self.world.program.is_runnable() {
            "there is nothing to run yet"
        } else {
            "the text has a problem: N goes to it, Ctrl-T mends it where a fix is known"
        };
        self.screen.trouble(text);
    }

    /// Begins a command and does its first slice at once, so that a short one needs no further round.
    pub(super) fn begin(&mut self, command: Command, effects: &mut Vec<Effect>) {
        if self.world.walk.is_running() {
            return self.pause();
        }
        let Some(session) = &mut self.world.walk.session else { return };
        let ended = matches!(session.state(), State::Finished(_));
        let forward = matches!(
            command,
            Command::Step
                | Command::Over
                | Command::Line
                | Command::Out
                | Command::Go
                | Command::To(_)
                | Command::Until(_)
        );
        if ended && forward {
            return self.screen.trouble("the program has ended; the left arrow goes back, R restarts");
        }
        let now = session.now();
        let is_jump = !matches!(command, Command::Step | Command::StepBack);
        if !self.world.watches.rows.is_empty() {
            self.world.watches.before = Some(Box::new(session.machine().clone()));
        }
        session.begin(command);
        self.world.walk.sought = None;
        if is_jump && !self.world.walk.visited.is_going {
            self.world.walk.visited.leave(now);
        }
        if self.world.walk.is_running() {
            self.work(effects);
        } else {
            self.screen.trouble("this is the start of the run");
        }
    }

    fn pause_or_say(&mut self) {
        if self.world.walk.is_slow {
            self.end_slow();
            self.pause();
            return self.screen.say("paused; k goes on slowly");
        }
        if self.world.walk.is_running() {
            self.pause();
        } else {
            self.screen.trouble("the program is not running; g goes on, the right arrow steps");
        }
    }

    pub(super) fn pause(&mut self) {
        if let Some(session) = self.world.walk.session.as_mut().filter(|session| session.is_running()) {
            session.pause();
            self.world.walk.awaited = None;
            self.arrived();
        }
    }

    fn restart(&mut self) {
        self.begin_anew("another run");
        self.screen.input.take();
        self.screen.said.get_or_insert((crate::screen::Tone::Fine, "a new run, from the entry".to_owned()));
    }

    /// A new run takes the place of the one there is, which can be come back to.
    pub(super) fn begin_anew(&mut self, by: &'static str) {
        let before = self.world.walk.park();
        self.world.new_session();
        self.world.note_walk(by, before);
        self.place_stops();
        self.arrived();
    }

    // ---- the present text, brought to where the walk was

    fn replay(&mut self) {
        if !self.world.is_assembled() || !self.world.program.is_runnable() {
            return self.screen.trouble("the text has a problem: N goes to it, Ctrl-T mends it where a fix is known");
        }
        match self.world.begin_replay() {
            Ok(()) => {}
            Err(NoReplay::Nothing) => self.screen.trouble("there is nothing to replay yet"),
            Err(NoReplay::NoPlace) => {
                let typed = self.session().map(wendax_session::Session::all_input).unwrap_or_default();
                let before = self.world.walk.park();
                self.world.new_session_typed(&typed);
                self.world.note_walk("another run", before);
                self.place_stops();
                self.arrived();
                self.screen
                    .trouble("the line the walk was at has no instruction any more: a new run stands at its start, with the same input");
            }
            Err(NoReplay::Forgotten) => {
                self.screen
                    .trouble("the beginning of this run is no longer kept, so it cannot be repeated; R restarts");
            }
        }
    }

    fn work_on_replay(&mut self) {
        let Some(mut replaying) = self.world.walk.replay.take() else { return };
        let Some(outcome) = replaying.replay.work(self.world.slice) else {
            self.world.walk.replay = Some(replaying);
            return;
        };
        let (lost, is_last) = (replaying.replay.lost_edits(), replaying.replay.is_repeated());
        self.world.take_replay(*replaying);
        self.screen.said = None;
        self.place_stops();
        self.arrived();
        // That a stop could not be placed matters more.
        if self.screen.said.is_some() {
            return;
        }
        if is_last && !self.world.walk.is_stale {
            match outcome {
                Outcome::There => {
                    self.screen.say("the walk of last time, where it stood; Ctrl-Z goes back to the one before");
                }
                Outcome::Elsewhere => {
                    self.screen.trouble("the walk of last time went another way: this is how far it is the same");
                }
            }
            return;
        }
        let lost = match lost {
            0 => String::new(),
            lost => format!("; {lost} changes by hand were not made again: their place was not reached"),
        };
        let lost = match &self.world.given.events {
            Some((path, _)) => format!("{lost}; what {path} has for later comes no more, R begins anew with it"),
            None => lost,
        };
        if self.world.walk.is_stale {
            return self.screen.trouble("the text was changed meanwhile: r replays it as it is now");
        }
        match outcome {
            Outcome::There => {
                self.screen.say(format!("the present text, with the same input, at the same place{lost}"));
            }
            Outcome::Elsewhere => self.screen.trouble(format!(
                "the present text, with the same input: it did not come to that place so often, and is here{lost}"
            )),
        }
    }

    // ---- running

    pub(super) fn work(&mut self, effects: &mut Vec<Effect>) {
        if self.world.walk.replay.is_some() {
            return self.work_on_replay();
        }
        let walk = &mut self.world.walk;
        let Some(session) = walk.session.as_mut().filter(|session| session.is_running()) else {
            return self.work_on_questions(effects);
        };
        match session.work(self.world.slice) {
            Progress::Working => {}
            Progress::Asks(need) => {
                walk.asked += 1;
                let asked = walk.asked;
                walk.awaited = Some(asked);
                // A row has its own files.
                let wanted = if need == Need::File { session.machine().wanted_file() } else { None };
                if let (Some(row), Some(path)) = (&walk.of_row, wanted) {
                    let found = row.yard.find(&path);
                    return self.answer(asked, Event::File(path, found));
                }
                effects.extend(match need {
                    Need::Wait(milliseconds) => Some(Effect::Wait(asked, milliseconds)),
                    Need::Sound(tone) => Some(Effect::Sound(asked, tone)),
                    Need::File => self.file_to_find(asked),
                    Need::Clock | Need::Input => Some(Effect::TellTime(asked)),
                });
            }
            Progress::Arrived => self.arrived(),
        }
    }

    /// An answer to a question of the program; one that is no longer asked is of no use.
    pub(super) fn answer(&mut self, asked: u64, event: Event) {
        let walk = &mut self.world.walk;
        if walk.awaited.take_if(|number| *number == asked).is_some()
            && let Some(session) = walk.session.as_mut().filter(|session| session.is_running())
        {
            session.answer(event);
        }
    }

    /// Stops that were meant for once and have stopped the run are gone.
    fn drop_once(&mut self) {
        let Some(session) = &self.world.walk.session else { return };
        let is_once = |stop: &Stop| matches!(self.world.stops.meaning(stop.id), Some(Ok(meant)) if meant.once);
        let met = session.met().iter().filter_map(|id| self.world.stops.get(*id)).filter(|stop| is_once(stop));
        let gone: Vec<Stop> = met.cloned().collect();
        let Some(first) = gone.first() else { return };
        let words = self.world.stop_words(first);
        self.world.change_stops(|list| list.retain(|stop| !gone.contains(stop)));
        self.place_stops();
        self.screen.say(format!("met, and meant for once: {words}"));
    }

    /// After a command of the walk.
    pub(super) fn arrived(&mut self) {
        self.look_at_slow();
        self.drop_once();
        self.screen.panes.of_mut(PaneId::Stack).chosen = 0;
        self.screen.panes.of_mut(PaneId::Console).scroll = 0;
        if self.screen.mode == Mode::Walk {
            self.show_present_line();
        }
        if self.screen.typing == Typing::Commands {
            self.screen.typing = Typing::ByState;
        }
    }

    /// Tells the session where to stop; stops that mean nothing in this program are told.
    pub(super) fn place_stops(&mut self) {
        self.world.note_lines_of_stops();
        let lost = self.world.place_stops();
        let Some((words, why)) = lost.first() else { return };
        let more = match lost.len() - 1 {
            0 => String::new(),
            more => format!("; {more} more"),
        };
        self.screen.trouble(format!("the stop `{words}` has lost its place: {why}{more}"));
    }

    /// Goes on, or back, until what is written.
    pub(super) fn go_until(&mut self, text: &str, back: bool, effects: &mut Vec<Effect>) -> Result<(), String> {
        let command = self.until_asked_for(text, back)?;
        self.begin(command, effects);
        Ok(())
    }

    /// What a walk is to go to: any stop, or so many steps.
    fn until_asked_for(&mut self, text: &str, back: bool) -> Result<Command, String> {
        text.clone_into(&mut self.screen.until);
        let steps = text.strip_suffix("steps").or(text.strip_suffix("step")).map(str::trim);
        if let Some(steps) = steps.filter(|steps| steps.starts_with(|sign: char| sign.is_ascii_digit())) {
            let sign = if back { '-' } else { '+' };
            return Ok(Command::Seek(self.world.step_asked_for(&format!("{sign}{steps}"))?));
        }
        let stop = self.world.stop_asked_for(text)?;
        if !stop.stops() || stop.times != Times::Each {
            return Err(
                "the first time is meant here; `from`, `every` and `note` belong to a stop that stays: a".to_owned()
            );
        }
        let stop = Box::new(stop);
        Ok(if back { Command::BackUntil(stop) } else { Command::Until(stop) })
    }
}
