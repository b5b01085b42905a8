//! Drawings of what is looked at, to files: what is needed for one is measured first, in slices.

use crate::actions::Drawing;
use crate::app::App;
use crate::message::Effect;
use crate::panes::PaneId;
use crate::theme::Look;
use crate::world::drawings::Pending;
use crate::world::names::names_of;
use wendax_draw::{Picture, Scene, Sum};
use wendax_machine::StepNo;
use wendax_session::{At, Command, Flow, Levels, Progress, Session, Show};

impl App {
    /// The name of the routine that comes next.
    pub(crate) fn routine_here(&self) -> Option<String> {
        let session = self.session()?;
        let label = session.image().nearest_label(session.image().routine_around(session.present_address())?.0)?;
        Some(label.0.name.clone())
    }

    /// A drawing was asked for: `WHAT to FILE`, or a file alone.
    pub(crate) fn begin_drawing(&mut self, what: Drawing, text: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let session = self.session().ok_or("there is no program yet")?;
        if session.is_running() && !what.is_as_it_stands() {
            return Err("the program is running: Space stops it, then it can be drawn".to_owned());
        }
        let (of, path) = match what {
            Drawing::Data | Drawing::Arithmetic | Drawing::Run => text.rsplit_once(" to ").unwrap_or(("", text)),
            _ => ("", text),
        };
        let (of, path) = (of.trim(), path.trim());
        let ending = path.rsplit_once('.').map(|(_, ending)| ending.to_ascii_lowercase()).unwrap_or_default();
        match (ending.as_str(), what) {
            ("svg" | "pdf", _) | ("vcd", Drawing::Run) => {}
            (_, Drawing::Run) => return Err(format!("`{path}`: a file that ends in .svg, .pdf or .vcd is wanted")),
            _ => return Err(format!("`{path}`: a file that ends in .svg or .pdf is wanted")),
        }
        let levels = if what == Drawing::Run {
            let things: Vec<String> =
                of.split(',').map(str::trim).filter(|of| !of.is_empty()).map(str::to_owned).collect();
            Some(Box::new(Levels::read(session, &things)?))
        } else {
            None
        };
        self.world.drawing = Some(Pending { what, of: of.to_owned(), path: path.to_owned(), levels });
        self.work_on_drawing(effects);
        Ok(())
    }

    /// Goes on with the drawing that was asked for; writes it when all is known.
    pub(super) fn work_on_drawing(&mut self, effects: &mut Vec<Effect>) {
        let Some(mut pending) = self.world.drawing.take() else { return };
        let Some(session) = self.session() else { return };
        let needs_tally =
            matches!(pending.what, Drawing::Flow | Drawing::Calls | Drawing::Tree | Drawing::Memory | Drawing::Tally);
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
            Ok(bytes) => effects.push(Effect::Write(pending.path, bytes)),
            Err(why) => self.screen.trouble(why),
        }
    }

    fn bytes_of(&self, pending: &Pending) -> Result<Vec<u8>, String> {
        let session = self.session().ok_or("there is no program yet")?;
        if pending.path.to_ascii_lowercase().ends_with(".vcd") {
            let levels = pending.levels.as_ref().ok_or("nothing was followed")?;
            return wendax_draw::to_vcd(levels.levels(), levels.known_to(), session.end())
                .map_err(|error| error.to_string());
        }
        let scene = self.scene_of(pending, session)?;
        let look = match self.screen.theme.look {
            Look::Dark => wendax_draw::Look::Dark,
            Look::Light => wendax_draw::Look::Light,
        };
        if pending.path.to_ascii_lowercase().ends_with(".pdf") {
            // Paper is light.
            let look = if pending.what.is_of_screen() { look } else { wendax_draw::Look::Light };
            return wendax_draw::to_pdf(&[scene], look, None).map_err(|error| error.to_string());
        }
        Ok(wendax_draw::to_svg(&scene, look).into_bytes())
    }

    fn scene_of(&self, pending: &Pending, session: &Session) -> Result<Scene, String> {
        let tally = self.world.tallies.present.as_deref().filter(|_| session.end() > StepNo::FIRST);
        let not_run = || "nothing was run yet".to_owned();
        let present = session.present_address();
        // What the cursor of the source is on, while that is looked at; else what comes next.
        let here = match self.screen.focus {
            PaneId::Source => {
                self.world.parts(self.screen.shown, self.editor().cursor().0).first().map(|part| part.address)
            }
            _ => None,
        };
        let here = here.unwrap_or(present);
        Ok(match pending.what {
            Drawing::Flow => {
                let flow = Flow::of(session, here, tally).ok_or("there is no code here")?;
                let next = flow.block_at(present);
                let taken = self.world.walk.explanation.as_ref().and_then(|account| account.taken);
                wendax_draw::flow(&flow, next, flow.way_now(present, taken))
            }
            Drawing::Calls => wendax_draw::calls(tally.ok_or_else(not_run)?),
            Drawing::Tree => wendax_draw::tree(tally.ok_or_else(not_run)?),
            Drawing::Memory => wendax_draw::memory(session, tally),
            Drawing::Stack => wendax_draw::stack(session),
            Drawing::Instruction => wendax_draw::instruction(session, here).ok_or("there is no instruction here")?,
            Drawing::Arithmetic => {
                let bits = session.machine().target().word_bits;
                let sum = if pending.of.is_empty() {
                    let (operation, one, other) = session.machine().computation_at(present).ok_or(
                        "the present instruction is no sum, difference or shift; write one: 40000 + 40000 to sum.svg",
                    )?;
                    Sum { one, other, operation, bits }
                } else {
                    Sum::read(&pending.of, bits)?
                };
                wendax_draw::arithmetic(&sum)
            }
            Drawing::Data => self.data_of(&pending.of, session)?,
            Drawing::Screen => wendax_draw::screen(&[self.grid_of(None).ok_or("the screen is too small")?]),
            Drawing::Pane => {
                wendax_draw::screen(&[self.grid_of(Some(self.screen.focus)).ok_or("the pane has no room")?])
            }
            Drawing::Change => {
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
                wendax_draw::screen(&grids)
            }
            Drawing::Run => {
                let followed = pending.levels.as_ref();
                let known = followed.map_or(session.end(), |levels| levels.known_to());
                let mut levels = followed.map_or(Vec::new(), |levels| levels.levels().to_vec());
                if pending.of.is_empty() {
                    levels.retain(|level| level.changes.len() > 1);
                }
                wendax_draw::run(session, &levels, known)
            }
            Drawing::Tally => {
                let tally = tally.ok_or_else(not_run)?;
                let kept = self.world.tallies.against.and_then(|index| self.world.tallies.kept.get(index));
                match kept {
                    Some(kept) => wendax_draw::tallies(&[kept, tally]),
                    None => wendax_draw::tallies(&[tally]),
                }
            }
        })
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
