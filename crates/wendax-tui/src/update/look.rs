//! What is looked at, and how: writing or walking, panes, layouts, sheets.

use super::prompts;
use crate::actions::{Ask, Look, Text};
use crate::app::App;
use crate::panes::{self, PaneId};
use crate::parts::field::Field;
use crate::screen::{Arrangement, Mode};
use crate::sheet::Sheet;
use crate::world::tallies::Beside;
use crate::world::values::Lens;
use wendax_machine::{RegionKind, StepNo};
use wendax_session::{Routines, number_words};
use wendax_source::Severity;

/// What is said when text and walk are no longer of one program.
const STALE: &str = "the walk is through the text as it was: r replays the present one to this place, R restarts";

impl App {
    pub(super) fn look(&mut self, look: Look) {
        match look {
            Look::Write => self.write(),
            Look::Walk => self.leave_writing(),
            Look::NextPane => self.step_focus(1),
            Look::LastPane => self.step_focus(-1),
            Look::Pane(id) => self.focus_on(id),
            Look::Fill => {
                let alone = self.screen.arrangement == Arrangement::Alone;
                self.screen.arrangement = if alone { Arrangement::Bench } else { Arrangement::Alone };
            }
            Look::Show => self.show_to_others(),
            Look::CodeWords => self.screen.source.without_code = !self.screen.source.without_code,
            Look::Wrap => {
                self.screen.source.wraps = !self.screen.source.wraps;
                self.screen.source.sideways = 0;
            }
            Look::Words => {
                self.screen.words = self.screen.words.next();
                self.screen.say(format!("words of memory are shown {}", self.screen.words.words()));
            }
            Look::Form => self.other_form(),
            Look::Search => self.prompt(match self.screen.focus {
                PaneId::Memory => prompts::FIND_IN_MEMORY,
                PaneId::Trail => prompts::TRAIL_FILTER,
                _ => prompts::SEARCH,
            }),
            Look::GoTo => self.screen.sheet = Some(Sheet::GoTo { query: Field::default(), chosen: 0 }),
            Look::Binary => {
                self.screen.binary = !self.screen.binary;
                self.screen.say(if self.screen.binary {
                    "registers show their bits"
                } else {
                    "registers show decimal numbers"
                });
            }
            Look::Guess => {
                let is_on = !self.world.guesses.is_on;
                self.world.guesses.is_on = is_on;
                self.screen.say(if is_on {
                    "what the coming step will do is hidden: → asks what you think, then shows it; the same command ends that"
                } else {
                    "what the coming step will do is shown again"
                });
            }
            Look::Leave => {
                let was = self.world.exercise.take().is_some();
                self.screen.say(if was { "the exercise is left" } else { "there is no exercise under way" });
            }
            Look::Unfold => self.toggle_unfolded(),
            Look::NextRegion => self.next_region(),
            Look::Palette => self.screen.sheet = Some(Sheet::Palette { query: Field::default(), chosen: 0 }),
            Look::Guide => self.open_guide(),
            Look::Files => {
                let chosen = self.world.documents.place(self.screen.shown);
                self.screen.sheet = Some(Sheet::Files { query: Field::default(), chosen });
            }
            Look::Read(Text::Try) if self.screen.page.is_empty() => {
                self.screen.trouble("this is no demo; `wendax demo` lists those there are");
            }
            Look::Read(what) => self.screen.sheet = Some(Sheet::Page { what, scroll: 0 }),
            Look::Page(id) => self.show_page(id),
            Look::Pages if self.screen.focus.is_page() => self.show_page(self.screen.focus.page_behind()),
            Look::Pages => self.show_page(self.screen.last_page),
            Look::Back => self.leave_page(),
            Look::Beside => self.beside_on(),
            Look::NextTable => self.turn_tables(1),
            Look::LastTable => self.turn_tables(-1),
            Look::SortOn => self.world.tallies.sort_on(1),
            Look::SortBack => self.world.tallies.sort_on(-1),
            Look::SortOther => self.world.tallies.reverse(),
            Look::Compare => self.compare_on(),
            Look::Cells => self.world.trials.is_cells = !self.world.trials.is_cells,
            Look::CellOn => self.world.trials.move_column(1),
            Look::CellBack => self.world.trials.move_column(-1),
            Look::Board if self.screen.focus == PaneId::Board => self.look(Look::Fill),
            Look::Board => self.focus_on(PaneId::Board),
            Look::LessonBack | Look::LessonOn => self.turn_lessons(look == Look::LessonOn),
            Look::Lessons => self.toggle_lessons(),
            Look::History => match self.thing_chosen() {
                Some(thing) => self.show_history(thing),
                None => self.prompt(prompts::HISTORY),
            },
            Look::Ask(ask) => self.prompt(ask),
        }
    }

    /// A pane on a page of its own.
    pub(crate) fn show_page(&mut self, id: PaneId) {
        self.focus_on(id);
        self.screen.last_page = id;
        self.screen.arrangement = Arrangement::Alone;
    }

    /// What has the keys, in another form.
    fn other_form(&mut self) {
        match self.screen.focus {
            PaneId::Source => self.look(Look::Beside),
            PaneId::Registers => self.look(Look::Binary),
            PaneId::Memory => self.look(Look::Words),
            PaneId::Trail => {
                self.world.trail.is_unfolded = !self.world.trail.is_unfolded;
                self.world.trail.forget();
            }
            PaneId::Tally => self.look(Look::NextTable),
            PaneId::Trials => self.look(Look::Cells),
            PaneId::Calls => self.compare_with_entry(),
            PaneId::Runs => self.compare_with_run(),
            other => {
                let name = other.pane().name();
                self.screen.trouble(format!(
                    "{name} has one form; source, registers, memory, calls, trail and tally have several"
                ));
            }
        }
    }

    /// What the chosen routine changed since it was entered.
    fn compare_with_entry(&mut self) {
        let chosen = self.screen.panes.of(PaneId::Calls).chosen;
        let Some(session) = self.session() else { return };
        let Some(routine) = self.world.walk.routines.list().get(chosen) else { return };
        let label = session.image().label_at(routine.frame.target);
        let name = label.map_or_else(|| "the routine".to_owned(), |label| label.name.clone());
        let target = session.machine().target();
        let given: Vec<String> = routine
            .arguments
            .iter()
            .take(4)
            .map(|(register, value)| format!("{} {}", target.register_name(*register), number_words(target, *value)))
            .collect();
        let given = if given.is_empty() { String::new() } else { format!(" with {}", given.join(", ")) };
        let moment = (Routines::entry(routine), format!("the entry of {name}{given}"));
        self.compare_with(moment);
        self.world.walk.beside.is_entry = true;
    }

    /// Shows how the present moment differs from that of the chosen other run with as many steps.
    fn compare_with_run(&mut self) {
        let chosen = self.screen.panes.of(PaneId::Runs).chosen;
        let Some((by, other)) = self.world.other_runs().get(chosen).copied() else { return };
        let Some(session) = self.session() else { return };
        if session.machine().target() != other.session().machine().target() {
            return self.screen.trouble("that run is on another machine");
        }
        let name = if other.name.is_empty() { format!("the run before {by}") } else { other.name.clone() };
        let other = Box::new(other.session().clone());
        let moment = other.now();
        self.compare_with((moment, name.clone()));
        self.world.walk.beside.set((moment, name), Some(other));
    }

    /// Shows how the present moment differs from another one.
    pub(super) fn compare_with(&mut self, moment: (StepNo, String)) {
        self.world.walk.beside.set(moment, None);
        self.screen.panes.of_mut(PaneId::Differences).chosen = 0;
        self.focus_on(PaneId::Differences);
    }

    /// Back to the bench, where that is not what is looked at.
    pub(super) fn leave_page(&mut self) {
        self.screen.arrangement = Arrangement::Bench;
        if self.screen.focus.is_page() {
            self.screen.focus = PaneId::Source;
        }
    }

    /// What stands beside the lines of the source: nothing, what they cost, the cycles of instructions.
    fn beside_on(&mut self) {
        let (next, words) = match self.world.tallies.beside {
            Beside::Nothing => (
                Beside::Counts,
                "how often each line ran, and a bar of its cycles; x in the source goes on to the cycles of each instruction",
            ),
            Beside::Counts => (Beside::Cycles, "the cycles of each instruction, not taken / taken; x puts them away"),
            Beside::Cycles => (Beside::Nothing, "nothing stands beside the lines"),
        };
        self.world.tallies.beside = next;
        self.screen.say(words);
    }

    fn turn_tables(&mut self, by: isize) {
        self.world.tallies.turn(by);
        self.screen.panes.of_mut(PaneId::Tally).chosen = 0;
    }

    fn compare_on(&mut self) {
        if self.world.tallies.kept.is_empty() {
            return self.prompt(prompts::KEEP_TALLY);
        }
        let said = match self.world.tallies.compare_on() {
            Some(name) => format!("beside {name}; c goes on to the next one kept"),
            None => "by itself again".to_owned(),
        };
        self.screen.panes.of_mut(PaneId::Tally).chosen = 0;
        self.screen.say(said);
    }

    fn write(&mut self) {
        self.screen.mode = Mode::Write;
        self.screen.focus = PaneId::Source;
        self.pause();
    }

    /// Back to the walk, at the line that was written; with a problem in the text the walk waits for it to be mended.
    fn leave_writing(&mut self) {
        self.screen.mode = Mode::Walk;
        self.screen.offering = None;
        self.screen.source.sideways = 0;
        self.editor_mut().select(false);
        let problems = self.world.program.count(Severity::Problem);
        if problems > 0 && self.world.is_assembled() {
            let what = if problems == 1 { "1 problem".to_owned() } else { format!("{problems} problems") };
            self.screen.trouble(format!("{what} to mend before the program can run; N goes there"));
        } else if self.world.walk.is_stale {
            self.screen.trouble(STALE);
        }
    }

    pub(crate) fn focus_on(&mut self, id: PaneId) {
        if self.screen.mode == Mode::Write && id != PaneId::Source {
            self.leave_writing();
        }
        self.screen.focus = id;
        if id == PaneId::Console
            && let Some(count) = id.pane().entries(self)
        {
            self.screen.panes.of_mut(id).chosen = count.saturating_sub(1);
        }
        if let Arrangement::Showing(_) = self.screen.arrangement
            && !matches!(id, PaneId::Source | PaneId::Next)
        {
            self.screen.arrangement = Arrangement::Showing(id);
        }
    }

    /// The next pane in which something can be moved.
    fn step_focus(&mut self, by: isize) {
        let stops: Vec<PaneId> = panes::all().map(|(id, _)| id).filter(|id| id.has_moves(self)).collect();
        let order = |id: PaneId| panes::all().position(|(known, _)| known == id).unwrap_or(0);
        let next = if by > 0 {
            stops.iter().find(|id| order(**id) > order(self.screen.focus)).or(stops.first())
        } else {
            stops.iter().rev().find(|id| order(**id) < order(self.screen.focus)).or(stops.last())
        };
        if let Some(&id) = next {
            self.focus_on(id);
        }
    }

    fn show_to_others(&mut self) {
        self.screen.arrangement = match self.screen.arrangement {
            Arrangement::Showing(_) => Arrangement::Bench,
            Arrangement::Bench | Arrangement::Alone => {
                let pane = match self.screen.focus {
                    PaneId::Source | PaneId::Next => PaneId::Registers,
                    pane => pane,
                };
                Arrangement::Showing(pane)
            }
        };
        if self.screen.arrangement != Arrangement::Bench {
            self.screen
                .say("for showing: large source, what comes next, one pane; the palette brings another, Esc goes back");
        }
    }

    /// Shows what a line became, or no longer.
    fn toggle_unfolded(&mut self) {
        let place = (self.screen.shown, self.editor().cursor().0);
        let unfolded = &mut self.screen.source.unfolded;
        match unfolded.iter().position(|known| *known == place) {
            Some(at) => {
                unfolded.remove(at);
            }
            None => unfolded.push(place),
        }
    }

    /// Brings the memory of the next region into view: after the last one, the data again.
    fn next_region(&mut self) {
        let Some(session) = self.session() else { return };
        let regions = session.machine().regions();
        let now = self.memory_start().unwrap_or_default();
        let next = regions.iter().find(|region| region.start > now);
        self.screen.lens = match next {
            Some(region) if region.kind == RegionKind::Data => Lens::Data,
            Some(region) => Lens::At(region.start),
            None => regions.first().map_or(Lens::Data, |region| Lens::At(region.start)),
        };
        self.screen.panes.of_mut(PaneId::Memory).scroll = 0;
        self.focus_on(PaneId::Memory);
    }

    pub(crate) fn prompt(&mut self, ask: Ask) {
        let text = (ask.prompt().first)(self);
        // A value is written behind what is to be set.
        let is_begun = [prompts::VALUE, prompts::CELL].contains(&ask);
        let field = if is_begun { Field::new(&text) } else { Field::proposed(&text) };
        self.screen.ask(ask, field);
    }
}
