//! Questions about the run: they are begun here, worked on between two looks at the keys, and led to moments.

use crate::app::App;
use crate::message::Effect;
use crate::panes::{PaneId, Work};
use crate::screen::Tone;
use crate::world::World;
use wendax_machine::StepNo;
use wendax_session::{Answer, Command, Session, Story, Thing, values_words};

impl App {
    /// Shows the changes of a thing.
    pub(super) fn show_history(&mut self, thing: Thing) {
        let Some(session) = &self.world.walk.session else { return };
        self.world.walk.story = Some(Story::new(session, thing));
        self.screen.panes.of_mut(PaneId::History).chosen = 0;
        self.focus_on(PaneId::History);
    }

    /// Goes to the step that wrote a thing last, as soon as that is known.
    pub(super) fn go_to_writer(&mut self, thing: Thing, effects: &mut Vec<Effect>) {
        let Some(session) = self.world.walk.session.as_ref().filter(|session| !session.is_running()) else { return };
        self.world.walk.sought = Some(Story::new(session, thing));
        self.seek_writer(effects);
    }

    /// Something that was asked for, or is shown, hangs on the run being looked through.
    pub(crate) fn has_questions(&self) -> bool {
        let Some(session) = self.session().filter(|session| !session.is_running()) else { return false };
        let World { walk, drawing, saving, .. } = &self.world;
        let is_wanted = |work: Work| (work.is_wanted)(self, session);
        walk.sought.is_some()
            || drawing.is_some()
            || saving.is_some()
            || self.screen.layout.panes.iter().filter_map(|(id, _)| id.pane().work()).any(is_wanted)
    }

    /// Looks through the run for what is shown of it.
    pub(super) fn work_on_questions(&mut self, effects: &mut Vec<Effect>) {
        if self.world.walk.sought.is_some() {
            return self.seek_writer(effects);
        }
        if self.world.drawing.is_some() {
            return self.work_on_drawing(effects);
        }
        if self.world.saving.is_some() {
            return self.work_on_saving(effects);
        }
        let shown = self.screen.layout.panes.clone();
        // What several panes hang on is done once.
        let mut done: Vec<fn(&mut Self)> = Vec::new();
        for Work { is_wanted, slice } in shown.iter().filter_map(|(id, _)| id.pane().work()) {
            let is_done = done.iter().any(|known| std::ptr::fn_addr_eq(*known, slice));
            if !is_done && self.session().is_some_and(|session| is_wanted(self, session)) {
                slice(self);
                done.push(slice);
            }
        }
    }

    /// Looks at the first or the last step of the run.
    pub(super) fn show_end_of_trail(&mut self, is_last: bool) {
        let Some(session) = self.session() else { return };
        let step = if is_last { session.end() } else { session.oldest() };
        if self.world.trail.filter.is_none() {
            self.world.make_trail(Some(step));
        }
        let last = self.world.trail.rows.len().saturating_sub(1);
        self.screen.panes.of_mut(PaneId::Trail).chosen = if is_last { last } else { 0 };
    }

    /// Has the trail at hand that is shown.
    pub(super) fn settle_trail(&mut self) {
        let Some(area) = self.screen.layout.area(PaneId::Trail) else { return };
        let Some(now) = self.session().map(Session::now) else { return };
        if self.world.make_trail(None) {
            self.screen.panes.of_mut(PaneId::Trail).chosen = self.world.trail.row_of(now);
        }
        let chosen = self.screen.panes.of(PaneId::Trail).chosen;
        let count = self.world.trail.rows.len();
        let is_edge = chosen == 0 || chosen + 1 >= count;
        // Gone through to its end: on around there.
        if is_edge
            && self.world.trail.filter.is_none()
            && let Some(step) = self.world.trail.rows.get(chosen.min(count.saturating_sub(1))).map(|row| row.step())
            && self.world.make_trail(Some(step))
        {
            self.screen.panes.of_mut(PaneId::Trail).chosen = self.world.trail.row_of(step);
        }
        let rows = usize::from(area.height);
        let chosen = self.screen.panes.of(PaneId::Trail).chosen;
        self.world.know_steps(chosen.saturating_sub(rows)..chosen + rows);
    }

    fn seek_writer(&mut self, effects: &mut Vec<Effect>) {
        let walk = &mut self.world.walk;
        let (Some(mut story), Some(session)) = (walk.sought.take(), &walk.session) else { return };
        if !story.is_of(session) {
            return;
        }
        story.find_writer(session, self.world.slice);
        let (done, all) = story.progress();
        let thing = self.thing_words(story.thing());
        let (step, what) = match &story.written {
            Answer::Looking => {
                let percent = done * 100 / all.max(1);
                self.screen.say(format!("looking for the step that wrote {thing}: {percent} %"));
                self.world.walk.sought = Some(story);
                return;
            }
            Answer::Nothing => {
                let since = self.session().map_or(StepNo::FIRST, Session::oldest);
                let since = if since == StepNo::FIRST { String::new() } else { format!(" since step {since}") };
                return self.screen.trouble(format!("nothing wrote {thing}{since}"));
            }
            Answer::Step(toucher) => {
                let new = |session| values_words(session, story.thing(), None, toucher.new).1;
                let new = self.session().map_or(String::new(), new);
                (toucher.step, format!("here {thing} becomes {new}"))
            }
            Answer::ByHand(edit) => (edit.step, format!("here {thing} was set by hand")),
        };
        self.begin(Command::Seek(step), effects);
        self.screen.said = Some((Tone::Fine, what));
    }
}
