//! What is looked at, and how: writing or walking, panes, layouts, sheets.

use crate::actions::{Ask, Look};
use crate::app::App;
use crate::panes::{self, PaneId};
use crate::parts::field::Field;
use crate::screen::{Arrangement, Lens, Mode};
use crate::sheets::Sheet;
use crate::sheets::page::Text;
use crate::world::tallies::Beside;
use wendax_machine::RegionKind;
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
            Look::Binary if self.screen.focus == PaneId::Memory => {
                self.screen.words = self.screen.words.next();
                self.screen.say(format!("words of memory are shown {}; x goes on", self.screen.words.words()));
            }
            Look::Binary => {
                self.screen.binary = !self.screen.binary;
                self.screen.say(if self.screen.binary {
                    "registers show their bits; x again shows decimal numbers"
                } else {
                    "registers show decimal numbers"
                });
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
            Look::Page(id) if self.screen.focus == id => self.leave_page(),
            Look::Page(id) => {
                self.focus_on(id);
                self.screen.arrangement = Arrangement::Alone;
            }
            Look::Back => self.leave_page(),
            Look::Beside => self.beside_on(),
            Look::NextTable => self.turn_tables(1),
            Look::LastTable => self.turn_tables(-1),
            Look::SortOn => self.world.tallies.sort_on(1),
            Look::SortBack => self.world.tallies.sort_on(-1),
            Look::SortOther => self.world.tallies.reverse(),
            Look::Compare => self.compare_on(),
            Look::Board if self.screen.focus == PaneId::Board => self.look(Look::Fill),
            Look::Board => self.focus_on(PaneId::Board),
            Look::LessonBack | Look::LessonOn => self.turn_lessons(look == Look::LessonOn),
            Look::Lessons => self.toggle_lessons(),
            Look::History => match self.thing_chosen() {
                Some(thing) => self.show_history(thing),
                None => self.prompt(Ask::History),
            },
            Look::Ask(ask) => self.prompt(ask),
        }
    }

    /// Back to the bench, where that is not what is looked at.
    pub(super) fn leave_page(&mut self) {
        if self.screen.arrangement == Arrangement::Alone {
            self.screen.arrangement = Arrangement::Bench;
        }
        if self.screen.focus.is_page() {
            self.screen.focus = PaneId::Source;
        }
    }

    /// What stands beside the lines of the source: nothing, what they cost, the cycles of instructions.
    fn beside_on(&mut self) {
        let (next, words) = match self.world.tallies.beside {
            Beside::Nothing => (
                Beside::Counts,
                "how often each line ran, and a bar of its cycles; # goes on to the cycles of each instruction",
            ),
            Beside::Counts => (Beside::Cycles, "the cycles of each instruction, not taken / taken; # puts them away"),
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
            return self.screen.trouble("no tally was kept yet: n keeps this one under a name");
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
                .say("for showing: large source, what comes next, one pane; the palette brings another, O goes back");
        }
    }

    /// Shows what a line became, or no longer.
    fn toggle_unfolded(&mut self) {
        if self.screen.focus == PaneId::Trail {
            self.world.trail.is_unfolded = !self.world.trail.is_unfolded;
            return self.world.trail.forget();
        }
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

    pub(super) fn prompt(&mut self, ask: Ask) {
        let text = match ask {
            Ask::SaveAs | Ask::SaveAndLeave => self.path().unwrap_or_default().to_owned(),
            Ask::Replace => self.screen.search.replacement.clone(),
            Ask::Arguments => self.world.given_arguments(),
            Ask::Input => self.world.given_input(),
            Ask::Seed => self.world.settings().seed.to_string(),
            Ask::Build => {
                let name = self.document().path.as_deref().unwrap_or("program.asm");
                format!("{}.elf", name.rsplit_once('.').map_or(name, |(name, _)| name))
            }
            Ask::NewFile | Ask::NewProject => String::new(),
            Ask::StopRule => self.stop_meant().map_or(String::new(), |stop| stop.words.clone()),
            Ask::Until | Ask::BackUntil => self.screen.until.clone(),
            Ask::Value => {
                self.thing_chosen().map_or(String::new(), |thing| format!("{} = ", self.settable_words(thing)))
            }
            Ask::Watch if self.screen.focus == PaneId::Watches => String::new(),
            Ask::Watch => self.thing_chosen().map_or(String::new(), |thing| self.settable_words(thing)),
            Ask::TrailFilter => self.world.trail.filter.as_ref().map_or(String::new(), |(text, _)| text.clone()),
            Ask::FindInMemory => self.screen.memory_search.clone(),
            Ask::SaveTrail => "trail.txt".to_owned(),
            Ask::SaveEvents => "events.jsonl".to_owned(),
            Ask::SaveTones => "tones.wav".to_owned(),
            Ask::Send => self.screen.port.clone(),
            Ask::Draw(what) => self.drawing_asked(what),
            Ask::KeepTally => format!("run {}", self.world.tallies.kept.len() + 1),
            Ask::SaveTally => "tally.json".to_owned(),
            Ask::OpenTally | Ask::TallyPart | Ask::Span => String::new(),
            Ask::OpenEvents => self.world.given.events.as_ref().map_or(String::new(), |(path, _)| path.clone()),
            Ask::SaveMemory => self.thing_chosen().map_or(String::new(), |thing| match thing {
                wendax_session::Thing::Cells(from, _) => format!("0x{:04X} as bytes 32 to memory.bin", from.0),
                _ => String::new(),
            }),
            Ask::MemoryAt | Ask::Step | Ask::Line | Ask::StopAt | Ask::History | Ask::Search | Ask::Rename => {
                String::new()
            }
        };
        self.screen.ask(ask, &text);
    }
}
