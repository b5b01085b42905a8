//! Both: two states next to each other, that of the present moment and that of another one, be it of another run.

use super::{Need, Pane, PaneId, Work, head};
use crate::app::App;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use wendax_isa::{Addr, StepNo};
use wendax_machine::Machine;
use wendax_session::{Session, Thing, code_text, grouped, line_words, number_words, place};

/// Words of the stack that are shown.
const WORDS: u32 = 6;

/// A row of the two states.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Row {
    name: String,
    here: String,
    there: String,
    thing: Option<Thing>,
}

/// Two states row by row, and of which moments.
#[derive(Debug, Clone)]
pub(crate) struct States {
    /// Those of this run and of the other one.
    pub(crate) moments: (StepNo, StepNo),
    /// Which branch of this run it is.
    pub(crate) branch: u64,
    rows: Vec<Row>,
}

pub(super) struct Both;

impl Pane for Both {
    fn name(&self) -> &'static str {
        "both"
    }

    fn command(&self) -> &'static str {
        "Pane: both, the present state and another one next to each other"
    }

    fn words(&self) -> &'static str {
        "side by side two runs states compare together both diff parallel"
    }

    fn about(&self) -> &'static str {
        "The present state on the left and that of another moment on the right: of this run, as “Compare” in the palette asks \
         for, or of another one, as x in the runs takes it. What differs is marked ≠. With the keys here and another run beside, the \
         right arrow takes both on to the next place that they have in common: step by step while they go the same way, and from \
         where they part each to what both come to again; the left arrow goes back."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| {
                app.world.walk.beside.states(session).is_none() && app.world.walk.beside.is_there(session)
            },
            slice: |app| app.world.set_beside(),
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = states(app).map_or(1, |states| states.rows.len() + 1);
        Need::rows(5, 1 + u16::try_from(count).unwrap_or(u16::MAX).min(column.height / 2))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let beside = &app.world.walk.beside;
        let name = beside.moment.as_ref().map_or("", |(_, name)| name.as_str());
        let Some(session) = app.session() else {
            head(app, pen, area, PaneId::Both, "");
            return;
        };
        let step = beside.step(session).filter(|_| beside.is_there(session));
        let note = step.map_or(String::new(), |step| {
            // Where there is little room the two steps say enough.
            let name = if name.is_empty() || area.width < 60 { String::new() } else { format!("{name}, ") };
            format!("step {} · {name}step {}", grouped(session.now().0), grouped(step.0))
        });
        let body = head(app, pen, area, PaneId::Both, &note);
        let Some(states) = states(app) else {
            let text = "“Compare” in the palette asks with what; x in the runs takes another run";
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
            return;
        };
        let focused = app.screen.focus == PaneId::Both;
        let last = states.rows.len().saturating_sub(1);
        let chosen = focused.then(|| app.screen.panes.of(PaneId::Both).chosen.min(last));
        let widest = states.rows.iter().map(|row| row.name.chars().count()).max().unwrap_or(0);
        let name = u16::try_from(widest).unwrap_or(u16::MAX).min(10);
        let widths = [Constraint::Length(1), Constraint::Length(name), Constraint::Fill(1), Constraint::Fill(1)];
        list::table(pen, body, &widths, (states.rows.len(), chosen), &|pen, index| {
            let row = &states.rows[index];
            let is_same = row.here == row.there;
            let ink = if is_same { Ink::Quiet } else { Ink::Fresh };
            let sign = if is_same { "" } else { "≠" };
            let cell = |text: &str| pen.span(text.to_owned(), ink);
            vec![pen.span(sign, Ink::Trouble), pen.span(row.name.clone(), Ink::Text), cell(&row.here), cell(&row.there)]
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(states(app).map_or(0, |states| states.rows.len()))
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        states(app)?.rows.get(entry)?.thing
    }
}

fn states(app: &App) -> Option<&States> {
    app.world.walk.beside.states(app.session()?)
}

/// Two states row by row: where they are, registers that were ever set, flags, the newest words of the stack, what was printed
/// last.
pub(crate) fn states_of(session: &Session, other: &Session, there: &Machine, moments: (StepNo, StepNo)) -> States {
    let here = session.machine();
    let target = here.target();
    let mut rows = Vec::new();
    let mut row = |name: &str, here: String, there: String, thing| {
        rows.push(Row { name: name.to_owned(), here, there, thing });
    };
    let line = |of: &Session, machine: &Machine| {
        line_words(of, machine.pc()).unwrap_or_else(|| place(of.image(), target, machine.pc()))
    };
    row("line", line(session, here), line(other, there), None);
    let next = |of: &Session, machine: &Machine| {
        code_text(of, machine.pc(), machine.code_at(machine.pc())).unwrap_or_default()
    };
    row("next", next(session, here), next(other, there), None);
    for (register, info) in target.registers() {
        let is_set = here.register_known(register) || there.register_known(register);
        if is_set && target.roles.zero != Some(register) {
            let told = |machine: &Machine| {
                if machine.register_known(register) && register == target.roles.stack {
                    target.marked_address(Addr(machine.register(register)))
                } else if machine.register_known(register) {
                    number_words(target, machine.register(register))
                } else {
                    "not set".to_owned()
                }
            };
            row(info.name, told(here), told(there), Some(Thing::Register(register)));
        }
    }
    let flags = |machine: &Machine| {
        let set = target.flags.iter().filter(|flag| machine.flags() & flag.bit != 0);
        let told: Vec<String> = set.map(|flag| flag.name.to_string()).collect();
        if told.is_empty() { "none set".to_owned() } else { told.join(" ") }
    };
    if !target.flags.is_empty() {
        row("flags", flags(here), flags(there), None);
    }
    for index in 0..WORDS {
        let at = |machine: &Machine| Addr(machine.stack_pointer().0.wrapping_add(index * target.word_bytes()));
        let is_there = |machine: &Machine| at(machine) >= machine.stack_pointer() && at(machine) < target.map.stack_end;
        if !is_there(here) && !is_there(there) {
            break;
        }
        let told = |machine: &Machine| {
            if is_there(machine) { number_words(target, machine.word(at(machine))) } else { String::new() }
        };
        let name = if index == 0 { "[sp]".to_owned() } else { format!("[sp + {}]", index * target.word_bytes()) };
        row(&name, told(here), told(there), None);
    }
    let printed = |machine: &Machine| format!("{} bytes", grouped(machine.printed()));
    row("printed", printed(here), printed(there), None);
    // Behind the place what differs stands first.
    if let Some(rows) = rows.get_mut(2..) {
        rows.sort_by_key(|row| row.here == row.there);
    }
    States { moments, branch: session.branches(), rows }
}
