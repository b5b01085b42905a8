//! The first steps of someone new: what to try, one after the other, on a program of their own (`wendax demo first`).
//!
//! Each asks for something to be done and sees that it was done. They can be left and taken up again at any time.

use crate::app::App;
use crate::cells::wrap;
use crate::panes::PaneId;
use crate::parts::pen::Pen;
use crate::screen::Mode;
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
    /// A sentence or two, and what is to be done.
    text: &'static str,
    /// It was done; told by what is so now and was before the last message.
    is_done: fn(&App, &Before) -> bool,
}

/// What was so before.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Before {
    now: StepNo,
    branches: u64,
    is_assembled: bool,
}

const LESSONS: &[Lesson] = &[
    Lesson {
        title: "the page",
        text: "On the left your program, on the right what the machine holds: what comes next, registers, flags, stack, \
               memory. Tab goes from pane to pane, and ? says what the one in focus shows. Press Tab until it is the memory.",
        is_done: |app, _| app.screen.focus == PaneId::Memory,
    },
    Lesson {
        title: "one step",
        text: "The lit line comes next; “next” says what it will do. → does it: press it, and see r0 get its number.",
        is_done: |app, _| register(app, "r0").is_some() && now(app) > StepNo::FIRST,
    },
    Lesson {
        title: "and back",
        text: "Nothing is lost: ← takes a step back, and r0 is as it was before. Press it. You can always do that.",
        is_done: |app, before| now(app) < before.now,
    },
    Lesson {
        title: "address and contents",
        text: "wagons is a name for a place in memory. Go on with → to the line after `ldw`: r1 got the address, 0300 or so; \
               r2 got what lies there, 12. Brackets mean: what lies there.",
        is_done: |app, _| register(app, "r2") == Some(12) && register(app, "r1") == label(app, "wagons"),
    },
    Lesson {
        title: "writing to memory",
        text: "`stw` puts r2 where wagons is. Step over it with → and watch the memory: the two bytes there become 11 00, \
               which is 17, its low byte first.",
        is_done: |app, _| word(app, "wagons") == Some(17),
    },
    Lesson {
        title: "comparing",
        text: "`cmp` takes 20 from r2 and keeps only what the flags say of it. Step over it, read in “next” whether the jump \
               will be taken, and why; then step once more to see it.",
        is_done: |app, _| at(app, "few", 0),
    },
    Lesson {
        title: "a loop",
        text: "The two lines from rounds are done again until r3 is 0. Press . on the line `ask:` (use ↓ to get there) to run \
               on to it. The ribbon below draws the whole run.",
        is_done: |app, _| at(app, "ask", 0) && now(app) > StepNo(10),
    },
    Lesson {
        title: "any moment again",
        text: "How did r4 get its value? Press H with r4 chosen: Tab to the registers, ↓ to r4, H. You are at the step that \
               wrote it last; ( goes back to where you were.",
        is_done: |app, before| now(app) < before.now && at(app, "rounds", 0),
    },
    Lesson {
        title: "input",
        text: "Press g to go on until the program asks. Type letters and Enter: C says that it was no number, and it asks \
               again. Then type a number, and Enter.",
        is_done: |app, _| {
            let typed = app.session().is_some_and(|session| session.all_input().len() > 2);
            typed && state(app, |state| matches!(state, State::Finished(_)))
        },
    },
    Lesson {
        title: "calls and the stack",
        text: "Go back to the call: press b on the line `double:`, then G. The stack holds the way back to the line after \
               the call. Step over `push` and see r0 put by below it.",
        is_done: |app, _| {
            app.session().is_some_and(|session| session.machine().frames().len() == 1) && at(app, "double", 2)
        },
    },
    Lesson {
        title: "changing the program",
        text: "Press e, change the 5 in the first line to 6, and Esc: it is assembled while you type. r brings the changed \
               program to this same place with the same input; see r4.",
        is_done: |app, before| {
            let is_new =
                app.session().is_some_and(|session| session.branches() != before.branches) || !before.is_assembled;
            let is_six = app.session().is_some_and(|session| first_number(session) == Some(6));
            app.screen.mode == Mode::Walk && is_six && !app.world.walk.is_stale && (is_new || now(app) > StepNo::FIRST)
        },
    },
    Lesson {
        title: "a mistake",
        text: "Take the line `pop r0` out: e, and Ctrl-D on it; Esc, r, then step on to `ret`. “next” warns that what lies on \
               the stack is not the way back. Ctrl-Z while writing brings the line back.",
        is_done: |app, _| {
            let told = app.world.walk.explanation.as_ref();
            told.is_some_and(|told| told.caution.is_some()) && !app.world.walk.is_stale
        },
    },
];

/// How far someone has come, and whether it is shown.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct Course {
    pub(crate) at: usize,
    pub(crate) is_hidden: bool,
    /// The last one was done just now.
    has_just_done: bool,
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
        Before {
            now: now(self),
            branches: self.session().map_or(0, Session::branches),
            is_assembled: self.world.is_assembled(),
        }
    }

    /// Sees whether what was asked for has been done.
    pub(crate) fn look_at_lesson(&mut self, before: &Before) {
        if self.lesson_rows() == 0 || self.world.walk.is_running() || self.screen.sheet.is_some() {
            return;
        }
        let Some(lesson) = LESSONS.get(self.screen.course.at) else { return };
        if (lesson.is_done)(self, before) {
            self.screen.course.at += 1;
            self.screen.course.has_just_done = true;
        }
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
             begins a program of your own. F1 hides this.",
        ),
    };
    let note = match course.at {
        0 => "F1 hides this and takes it up again".to_owned(),
        _ if course.has_just_done => "✓ done".to_owned(),
        _ => "F1".to_owned(),
    };
    pen.head(Rect { height: 1, ..area }, &title, &note, true);
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
    text.rsplit(' ').next()?.parse().ok()
}
