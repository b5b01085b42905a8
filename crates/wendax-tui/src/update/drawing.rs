//! Drawings of what is looked at, to files: what is needed for one is measured first, in slices.

use crate::app::App;
use crate::message::Effect;
use crate::panes::PaneId;
use crate::theme::Look;
use crate::world::drawings::{Pending, Wanted};
use crate::world::names::names_of;
use std::path::PathBuf;
use wendax_draw::{Drawing, Form, Given, Picture, Scene};
use wendax_machine::StepNo;
use wendax_session::{At, Command, Level, Levels, Progress, Session, Show, Tally};

impl App {
    /// The name of the routine that comes next.
    pub(crate) fn routine_here(&self) -> Option<String> {
        let session = self.session()?;
        let label = session.image().nearest_label(session.image().routine_at(session.present_address())?)?;
        Some(label.0.name.clone())
    }

    /// A drawing was asked for: `WHAT to FILE`, or a file alone.
    pub(crate) fn begin_drawing(
        &mut self,
        what: impl Into<Wanted>,
        text: &str,
        effects: &mut Vec<Effect>,
    ) -> Result<(), String> {
        let what = what.into();
        let session = self.session().ok_or("there is no program yet")?;
        let drawing = what.drawing();
        let is_as_it_stands = drawing == Drawing::Screen && what != Wanted::Change;
        if session.is_running() && !is_as_it_stands {
            return Err("the program is running: Space stops it, then it can be drawn".to_owned());
        }
        let (of, path) = match drawing {
            Drawing::Data | Drawing::Arithmetic | Drawing::Run => text.rsplit_once(" to ").unwrap_or(("", text)),
            _ => ("", text),
        };
        let (of, path) = (of.trim().to_owned(), PathBuf::from(path.trim()));
        let form = Form::of(&path, drawing)?;
        let levels = if drawing == Drawing::Run {
            let things: Vec<String> =
                of.split(',').map(str::trim).filter(|of| !of.is_empty()).map(str::to_owned).collect();
            Some(Box::new(Levels::read(session, &things)?))
        } else {
            None
        };
        self.world.drawing = Some(Pending { what, form, of, path, levels });
        self.work_on_drawing(effects);
        Ok(())
    }

    /// Goes on with the drawing that was asked for; writes it when all is known.
    pub(super) fn work_on_drawing(&mut self, effects: &mut Vec<Effect>) {
        let Some(mut pending) = self.world.drawing.take() else { return };
        let Some(session) = self.session() else { return };
        let needs_tally = pending.what.drawing().needs_tally();
        if needs_tally && session.end() > StepNo::FIRST && !self.world.tallies.is_current(session) {
            self.world.measure(self.world.slice);
            let percent = self.world.tallies.percent();
            self.screen.say(format!("drawing: measuring the run, {percent} %; Esc stops"));
            self.world.drawing = Some(pending);
            return;
        }
        if let Some(levels) = &mut pending.levels
            && !levels.work(session, self.world.slice)
        {
            let (done, all) = levels.progress();
            self.screen.say(format!("drawing: following the run, {} %; Esc stops", done * 100 / all.max(1)));
            self.world.drawing = Some(pending);
            return;
        }
        match self.bytes_of(&pending) {
            Ok(bytes) => effects.push(Effect::Write(pending.path.display().to_string(), bytes)),
            Err(why) => self.screen.trouble(why),
        }
    }

    fn bytes_of(&self, pending: &Pending) -> Result<Vec<u8>, String> {
        let session = self.session().ok_or("there is no program yet")?;
        let (levels, known) = match &pending.levels {
            Some(levels) => (levels.told(), levels.known_to()),
            None => (Vec::new(), session.end()),
        };
        if pending.form == Form::Vcd {
            return wendax_draw::to_vcd(&levels, known, session.end()).map_err(|error| error.to_string());
        }
        let scene = self.scene_of(pending, session, (&levels, known))?;
        // Paper is light.
        let is_paper = pending.form == Form::Pdf && pending.what.drawing() != Drawing::Screen;
        let look = match self.screen.theme.look {
            Look::Dark if !is_paper => wendax_draw::Look::Dark,
            Look::Dark | Look::Light => wendax_draw::Look::Light,
        };
        pending.form.bytes(&[scene], look, None).map_err(|error| error.to_string())
    }

    fn scene_of(&self, pending: &Pending, session: &Session, levels: (&[Level], StepNo)) -> Result<Scene, String> {
        let drawing = match pending.what {
            Wanted::Of(Drawing::Data) => return self.data_of(&pending.of, session),
            Wanted::Of(Drawing::Screen) => {
                return Ok(wendax_draw::screen(&[self.grid_of(None).ok_or("the screen is too small")?]));
            }
            Wanted::Pane => {
                let grid = self.grid_of(Some(self.screen.focus)).ok_or("the pane has no room")?;
                return Ok(wendax_draw::screen(&[grid]));
            }
            Wanted::Change => return self.change_of_pane(session),
            Wanted::Of(drawing) => drawing,
        };
        let kept = self.world.tallies.against.and_then(|index| self.world.tallies.kept.get(index));
        let kept = kept.filter(|_| drawing == Drawing::Tally);
        let present = self.world.tallies.present.as_deref().filter(|_| session.end() > StepNo::FIRST);
        let tallies: Vec<&Tally> =
            present.map_or(Vec::new(), |present| kept.map(|kept| &**kept).into_iter().chain([present]).collect());
        // What the cursor of the source is on, while that is looked at; else what comes next.
        let parts = || self.world.parts(self.screen.shown, self.editor().cursor().0);
        let here = (self.screen.focus == PaneId::Source).then(parts).and_then(|parts| Some(parts.first()?.address));
        let here = here.unwrap_or(session.present_address());
        let sum = Some(pending.of.as_str()).filter(|of| !of.is_empty());
        wendax_draw::scene(drawing, &Given { session, tallies: &tallies, levels, here, sum, is_lit: true })
    }

    /// The pane in focus before the last step, and now.
    fn change_of_pane(&self, session: &Session) -> Result<Scene, String> {
        let before = session.now().checked_sub(1).ok_or("there is no step before this one")?;
        let mut past = self.clone();
        past.world.drawing = None;
        if let Some(session) = &mut past.world.walk.session {
            session.begin(Command::Seek(before));
            while session.work(self.world.slice) == Progress::Working {}
        }
        past.world.follow_moment();
        past.lay_out_for(self.screen.size);
        let pane = Some(self.screen.focus);
        let grids = [past.grid_of(pane), self.grid_of(pane)].into_iter().flatten().collect::<Vec<_>>();
        Ok(wendax_draw::screen(&grids))
    }

    /// Data in words, at the present moment or, behind `at`, at several steps.
    fn data_of(&self, text: &str, session: &Session) -> Result<Scene, String> {
        if text.is_empty() {
            return Err("say which data: wagons as words 24 to data.svg, wagons at 0, 400, now to data.svg".to_owned());
        }
        let (of, moments) = text.rsplit_once(" at ").unwrap_or((text, "now"));
        let show = Show::read(of, &names_of(session)).map_err(|error| error.message)?;
        let mut past = session.clone();
        let mut pictures = Vec::new();
        for moment in moments.split(',') {
            let step = match self.world.moment_asked_for(moment)? {
                StepNo::LAST => session.end(),
                step if step > session.end() => return Err(format!("the run has {} steps", session.end())),
                step if step < session.oldest() => {
                    return Err(format!("the past before step {} is no longer kept", session.oldest()));
                }
                step => step,
            };
            past.begin(Command::Seek(step));
            while past.work(self.world.slice) == Progress::Working {}
            let reading = show.reading(&past, &At::new(past.machine())).ok_or_else(|| format!("{of}: no data"))?;
            pictures.push(Picture { step, words: String::new(), reading });
        }
        Ok(wendax_draw::data(of, &pictures, session.machine().target()))
    }
}
