//! The first steps of someone new: what to try, one after the other, on a program of their own (`wendax demo first`).
//!
//! Each asks for something to be done and sees that it was done. They can be left and taken up again at any time.

use crate::actions::{Action, Travel};
use crate::app::App;
use crate::cells::wrap;
use crate::panes::PaneId;
use crate::parts::pen::Pen;
use crate::screen::{Course, Mode};
use crate::theme::Ink;
use ratatui::layout::Rect;
use wendax_machine::StepNo;
use wendax_session::{Session, State};

/// What the program's text begins with.
const MARK: &str = "; First steps";
/// Rows a lesson takes where there is room, its head among them.
const ROWS: u16 = 5;
/// Longer lines are hard to read.
const WIDEST: u16 = 120;

/// Something to be tried.
struct Lesson {
    /// What it is about.
    title: &'static str,
    /// A sentence or two, what is to be done, and how to get to where it can be done.
    text: &'static str,
    /// The pane that gets the keys when it begins.
    focus: PaneId,
    /// It was done: told by what was done just now, and what is so by that.
    is_done: fn(&App, &Before) -> bool,
}

/// What was so before.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Before {
    now: StepNo,
}

const LESSONS: &[Lesson] = &[
    Lesson {
        title: "the page",
        text: "On the left is your program, on the right what the machine holds. Tab goes from one part of the page to the \
               next; ▸ shows which one has the keys, and ? says what that one shows. Press Tab until it is the memory.",
        focus: PaneId::Source,
        is_done: |app, _| app.screen.focus == PaneId::Memory,
    },
    Lesson {
        title: "one step",
        text: "The lit line comes next, and “next” says what it will do. The key → does it. Press → and see the register r0, \
               a place for one number, get the number 5.",
        focus: PaneId::Source,
        is_done: |app, before| went_on(app, before) && register(app, "r0").is_some(),
    },
    Lesson {
        title: "and back",
        text: "Nothing is lost: ← takes a step back, and everything is as it was before it. Press ←. You can always do that.",
        focus: PaneId::Source,
        is_done: |app, before| {
            did(app, &[Travel::StepBack, Travel::LineBack, Travel::OverBack]) && now(app) < before.now
        },
    },
    Lesson {
        title: "address and contents",
        text: "wagons is a name for a place in memory; its number is its address. Press → until the line with `ldw` is done: \
               r1 got the address, r2 what lies there, 000C. That is 12, written with sixteen digits, 0 to 9 and A to F. \
               Brackets mean: what lies there.",
        focus: PaneId::Source,
        is_done: |app, before| {
            went_on(app, before) && register(app, "r2").is_some() && register(app, "r1") == label(app, "wagons")
        },
    },
    Lesson {
        title: "writing to memory",
        text: "`stw` puts r2 where wagons is. Press → until it is done, and watch the memory: a number lies there in two \
               bytes, the lower one first, so 11 00 is 0011, which is 17.",
        focus: PaneId::Source,
        is_done: |app, before| went_on(app, before) && word(app, "wagons").is_some_and(|wagons| wagons != 12),
    },
    Lesson {
        title: "comparing",
        text: "`cmp` takes 20 from r2 and keeps only what the flags say of it: four bits, such as Z for zero. Press → for it, \
               read in “next” whether the jump will be taken and why, and press → twice more.",
        focus: PaneId::Source,
        is_done: |app, before| went_on(app, before) && register(app, "r3").is_some(),
    },
    Lesson {
        title: "a loop",
        text: "The two lines from rounds are done again until r3 is 0. Press ↓ until the cursor is on the line `ask:`, and \
               then the key . to run on to it. If the run is behind that line already, press Home first.",
        focus: PaneId::Source,
        is_done: |app, _| did(app, &[Travel::ToLine, Travel::BackToLine]) && at(app, "ask", 0),
    },
    Lesson {
        title: "any moment again",
        text: "How did r4 get its value? The registers have the keys now: press ↓ until r4 is lit, then H. That goes to the \
               step that wrote it last. If nothing wrote it yet, press End first.",
        focus: PaneId::Registers,
        is_done: |app, _| did(app, &[Travel::ToWriter]) && at(app, "rounds", 0),
    },
    Lesson {
        title: "input",
        text: "Press g to go on until the program asks for a number. Type some letters and Enter: that is no number, so it \
               asks again. Then type a number and Enter, and it runs to its end. If it ended already, press R and g.",
        focus: PaneId::Source,
        is_done: |app, _| {
            let typed = app.session().is_some_and(|session| !session.all_input().is_empty());
            typed && state(app, |state| matches!(state, State::Finished(_)))
        },
    },
    Lesson {
        title: "calls and the stack",
        text: "Press ↓ or ↑ to the line `double:` and then b: the run stops there. G goes back to it. The stack holds what is \
               put by, the last thing on top; on it lies the way back to the line after the call. Press → and see `push` \
               put r0 on top of that.",
        focus: PaneId::Source,
        is_done: |app, before| {
            let is_in = app.session().is_some_and(|session| session.machine().frames().len() == 1);
            went_on(app, before) && is_in && at(app, "double", 2)
        },
    },
    Lesson {
        title: "changing the program",
        text: "Press e to write. Change the 5 in line 4 to 6, and press Esc: the program is made anew while you type. Then r \
               brings the changed program to this same place with the same input; r4 has another value.",
        focus: PaneId::Source,
        is_done: |app, _| {
            let is_six = app.session().is_some_and(|session| first_number(session) == Some(6));
            app.screen.mode == Mode::Walk && is_six && !app.world.walk.is_stale && app.world.walk.replay.is_none()
        },
    },
    Lesson {
        title: "a mistake",
        text: "Press e, go to the line with `pop r0`, Ctrl-D takes it out, Esc, r. Then → until `ret` is next, or ← if it has \
               failed already: “next” warns that what lies on the stack is not the way back. Ctrl-Z while writing \
               brings the line back.",
        focus: PaneId::Source,
        is_done: |app, _| {
            let told = app.world.walk.explanation.as_ref();
            told.is_some_and(|told| told.caution.is_some()) && !app.world.walk.is_stale
        },
    },
    Lesson {
        title: "what looks wrong",
        text: "The whole run is looked through for such things. Press → until the `ret` is done, then : and write cautions, Enter: each stands there with \
               its line, and △ beside that. Enter goes to the step that does it.",
        focus: PaneId::Source,
        is_done: |app, _| {
            let list = app.session().map(|session| app.world.walk.cautions.list(session).map(|it| it.step).collect());
            let steps: Vec<StepNo> = list.unwrap_or_default();
            app.screen.focus == PaneId::Cautions && steps.contains(&now(app))
        },
    },
    Lesson {
        title: "two moments",
        text: "Press e, then Ctrl-Z until the line `pop r0` is back, Esc and R. Give the present moment a name: : and pin this, \
               Enter, Enter. Press → three times, then : and compare this, Enter, Enter: the list tells what is another now, and \
               who changed it.",
        focus: PaneId::Source,
        is_done: |app, _| {
            let pins = app.session().map_or(0, |session| session.pins().len());
            pins > 0 && app.screen.focus == PaneId::Differences && app.world.walk.beside.moment.is_some()
        },
    },
    Lesson {
        title: "another run",
        text: "Press R and g, and answer 3 and Enter. Press Home, then i, 5 and Enter, then Esc and g: that is another run, and the \
               first one is kept. Press : and write pane: runs, Enter, to see it, with where they part.",
        focus: PaneId::Source,
        is_done: |app, _| app.screen.focus == PaneId::Runs && !app.world.other_runs().is_empty(),
    },
    Lesson {
        title: "a guess",
        text: "Press R, then : and guess: hide, Enter. What comes is hidden now; → asks what you think. Press →, write r0 = 6 and \
               Enter, and read whether that was right. The same command shows everything again.",
        focus: PaneId::Source,
        is_done: |app, _| app.world.guesses.count().1 > 0,
    },
    Lesson {
        title: "inside a step",
        text: "If what comes is hidden still: : and guess: hide, Enter. Then : and pane: inside, Enter. It shows what goes from \
               where to where until the next line is done, cycle by cycle. Press → three times to go through it.",
        focus: PaneId::Source,
        is_done: |app, _| app.screen.focus == PaneId::Inside && app.screen.panes.of(PaneId::Inside).chosen > 1,
    },
];

/// One of these was done last.
fn did(app: &App, travels: &[Travel]) -> bool {
    matches!(app.screen.did, Some(Action::Travel(travel)) if travels.contains(&travel))
}

/// The run was gone on with just now.
fn went_on(app: &App, before: &Before) -> bool {
    const ON: &[Travel] =
        &[Travel::Step, Travel::LineStep, Travel::Over, Travel::Out, Travel::Go, Travel::ToLine, Travel::Slow];
    did(app, ON) && now(app) > before.now
}

impl App {
    /// The program is that of the first steps.
    pub(crate) fn has_lessons(&self) -> bool {
        self.world.documents.iter().any(|(_, document)| {
            document.name.ends_with("first.asm")
                && document.editor().is_some_and(|editor| editor.line(0).starts_with(MARK))
        })
    }

    /// Rows of the page that the lesson takes.
    pub(crate) fn lesson_rows(&self) -> u16 {
        if !self.has_lessons() || self.screen.course.is_hidden {
            return 0;
        }
        // All of it, on a small screen too; the page stays where it is from one lesson to the next.
        let (width, height) = self.screen.size;
        let text = LESSONS.get(self.screen.course.at).map_or("", |lesson| lesson.text);
        let lines = wrap(text, width.saturating_sub(2).min(WIDEST)).len();
        let needed = 1 + u16::try_from(lines).unwrap_or(0);
        if height < 30 { needed } else { needed.max(ROWS) }
    }

    /// What matters for the lessons, before something happens.
    pub(crate) fn before_lesson(&self) -> Before {
        Before { now: now(self) }
    }

    /// Sees whether what was asked for has been done.
    pub(crate) fn look_at_lesson(&mut self, before: &Before) {
        if self.lesson_rows() == 0 || self.world.walk.is_running() || self.screen.sheet.is_some() {
            return;
        }
        let Some(lesson) = LESSONS.get(self.screen.course.at) else { return };
        if (lesson.is_done)(self, before) {
            self.begin_lesson(self.screen.course.at + 1);
            self.screen.course.has_just_done = true;
        }
    }

    /// A lesson begins: what has the keys is what it needs.
    fn begin_lesson(&mut self, at: usize) {
        self.screen.course.at = at;
        self.screen.course.has_just_done = false;
        self.screen.did = None;
        if let Some(lesson) = LESSONS.get(at).filter(|_| self.screen.mode == Mode::Walk) {
            self.focus_on(lesson.focus);
        }
    }

    /// To the lesson behind this one, or before it.
    pub(crate) fn turn_lessons(&mut self, is_on: bool) {
        if self.lesson_rows() == 0 {
            return self.screen.trouble("F1 shows the first steps, in their own program: wendax demo first");
        }
        let at = self.screen.course.at;
        let to = if is_on { at + 1 } else { at.saturating_sub(1) };
        self.begin_lesson(to.min(LESSONS.len()));
    }

    /// Shows the first steps, or hides them.
    pub(crate) fn toggle_lessons(&mut self) {
        if !self.has_lessons() {
            return self
                .screen
                .say("the first steps have a program of their own: leave with q, and start wendax demo first");
        }
        let course = &mut self.screen.course;
        if course.at == LESSONS.len() && course.is_hidden {
            *course = Course::default();
            return self.screen.say("the first steps, from the beginning");
        }
        course.is_hidden = !course.is_hidden;
        if course.is_hidden {
            self.screen.say("F1 goes on with the first steps at any time");
        }
    }
}

/// Draws what is to be tried.
pub(crate) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    if area.height == 0 {
        return;
    }
    let course = app.screen.course;
    let count = LESSONS.len();
    let (title, text) = match LESSONS.get(course.at) {
        Some(lesson) => (format!("first steps · {} of {count} · {}", course.at + 1, lesson.title), lesson.text),
        None => (
            "first steps · all done".to_owned(),
            "That was all. ? explains whatever is under the cursor, : finds every command by its words, and wendax new FOLDER \
             begins a program of your own. F1 hides this; wendax demo first --fresh begins anew.",
        ),
    };
    let keys = "F1 hides · F2 back · F3 on";
    let note = match course.at.checked_sub(1).and_then(|before| LESSONS.get(before)) {
        Some(before) if course.has_just_done => format!("✓ {} · {keys}", before.title),
        _ => keys.to_owned(),
    };
    pen.head(Rect { height: 1, ..area }, &title, &note, false);
    let lines = wrap(text, area.width.saturating_sub(2).min(WIDEST));
    for (y, line) in (area.y + 1..area.bottom()).zip(&lines) {
        pen.text(area.x + 1, y, area.width.saturating_sub(1), line, Ink::Fresh);
    }
}

fn now(app: &App) -> StepNo {
    app.session().map_or(StepNo::FIRST, Session::now)
}

fn state(app: &App, is: fn(&State) -> bool) -> bool {
    app.world.walk.state().is_some_and(is)
}

fn label(app: &App, name: &str) -> Option<u32> {
    app.session()?.image().symbol(name)?.address().map(|address| address.0)
}

/// So many bytes behind a label, the instruction there is next.
fn at(app: &App, name: &str, offset: u32) -> bool {
    let there = label(app, name).map(|at| at + offset);
    there.is_some() && app.session().map(|session| session.machine().pc().0) == there
}

fn register(app: &App, name: &str) -> Option<u32> {
    let machine = app.session()?.machine();
    let register = machine.target().register(name)?;
    machine.register_known(register).then(|| machine.register(register))
}

fn word(app: &App, name: &str) -> Option<u32> {
    let session = app.session()?;
    let address = session.image().symbol(name)?.address()?;
    Some(session.machine().word(address))
}

/// The number the first instruction has.
fn first_number(session: &Session) -> Option<u32> {
    let text = wendax_session::instruction_text(session, session.image().entry)?;
    text.rsplit(|sign: char| !sign.is_ascii_digit()).next()?.parse().ok()
}
