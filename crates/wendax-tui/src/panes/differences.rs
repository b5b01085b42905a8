//! Differences: the present moment beside another one, with who changed what.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::width;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_machine::{Reg, Sort, StepNo};
use wendax_session::{Apart, Command, Difference, Session, Side, Thing, counted, grouped, line_words, not_kept};

pub(super) struct Differences;

impl Pane for Differences {
    fn name(&self) -> &'static str {
        "differences"
    }

    fn command(&self) -> &'static str {
        "Pane: differences, the present moment beside another one"
    }

    fn words(&self) -> &'static str {
        "compare diff pin snapshot before after changed routine state"
    }

    fn about(&self) -> &'static str {
        "What is otherwise now than at another moment, which “Compare” in the palette asks for: a pin, a step, the entry of \
         the routine, the same place one round earlier; x in the calls takes the entry of the chosen one, and so tells what \
         that routine changed. Place, registers, flags, words of memory, devices, what came out; behind each who changed it \
         last, and Enter goes there. Before a return, kept registers that differ are marked. It follows the walk. “Pin this \
         moment” gives the present one a name; ◎ marks it in the ribbon."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| app.world.is_to_compare(session),
            slice: |app| app.world.compare(app.world.slice),
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let apart = app.session().and_then(|session| app.world.walk.beside.apart(session));
        let count = apart.map_or(1, |apart| apart.rows().len());
        Need::rows(5, 1 + u16::try_from(count.max(1)).unwrap_or(u16::MAX).min(column.height / 2))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let Some(session) = app.session() else {
            head(app, pen, area, PaneId::Differences, "");
            return;
        };
        let beside = &app.world.walk.beside;
        let body = head(app, pen, area, PaneId::Differences, &note(app, session));
        let quiet = |pen: &mut Pen<'_>, text: &str| {
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), text, Ink::Faint);
        };
        let Some(step) = beside.step(session) else {
            return quiet(pen, "“Compare” in the palette asks with what; x in the calls compares with an entry");
        };
        if !beside.is_there(session) {
            return quiet(pen, "that moment is not in this run");
        }
        let Some(apart) = beside.apart(session) else { return quiet(pen, "comparing") };
        if apart.rows().is_empty() {
            let is_present = step == session.now() && beside.run.is_none();
            return quiet(pen, if is_present { "it is the present moment" } else { "nothing differs" });
        }
        let focused = app.screen.focus == PaneId::Differences;
        let chosen = focused.then(|| app.screen.panes.of(PaneId::Differences).chosen.min(apart.rows().len() - 1));
        let wide = |of: &dyn Fn(&Difference) -> u16| apart.rows().iter().map(of).max().unwrap_or(0);
        let name = wide(&|row| width(&row.name)).clamp(4, 18);
        // Where it stands may be long, and gives way.
        let change = wide(&|row| if row.side == Side::Place { 0 } else { width(&row.change()) });
        let change = change.clamp(24.min(body.width / 3), (body.width / 2).max(8));
        let widths = [Constraint::Length(name), Constraint::Length(change), Constraint::Fill(1)];
        // The present routine, or the one that was just left, was entered at that moment.
        let is_of_routine = beside.is_entry;
        let spoiled = if beside.run.is_some() { Vec::new() } else { spoiled(session, apart, step) };
        list::table(pen, body, &widths, (apart.rows().len(), chosen), &|pen, index| {
            let difference = &apart.rows()[index];
            let is_spoiled = spoiled.iter().any(|thing| difference.thing == Some(*thing));
            row(session, pen, difference, (is_spoiled, is_of_routine))
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        let apart = app.session().and_then(|session| app.world.walk.beside.apart(session));
        Some(apart.map_or(0, |apart| apart.rows().len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let apart = app.world.walk.beside.apart(app.session()?)?;
        let (step, _) = apart.rows().get(entry)?.by?;
        Some(Order::Travel(Command::Seek(step)))
    }

    fn thing(&self, app: &App, entry: usize) -> Option<Thing> {
        app.world.walk.beside.apart(app.session()?)?.rows().get(entry)?.thing
    }
}

/// Which two moments, and how far they are apart.
fn note(app: &App, session: &Session) -> String {
    let beside = &app.world.walk.beside;
    let Some((_, name)) = &beside.moment else { return String::new() };
    let (now, step) = (session.now(), beside.step(session).unwrap_or_default());
    let which = if name.is_empty() { format!("step {}", grouped(step.0)) } else { name.clone() };
    let far = |from: StepNo, to: StepNo| counted(to - from, "step", "steps");
    let more = beside
        .apart(session)
        .filter(|apart| apart.untold > 0)
        .map_or(String::new(), |apart| format!(" · {} more of memory", counted(apart.untold as u64, "word", "words")));
    if beside.run.is_some() {
        return format!("here, and {which} at step {}{more}", grouped(step.0));
    }
    let how = if step <= now { format!("{} since", far(step, now)) } else { format!("{} until", far(now, step)) };
    format!("{how} {which}{more}")
}

/// Kept registers that a routine is about to return with, other than it found them at the moment beside.
fn spoiled(session: &Session, apart: &Apart, since: StepNo) -> Vec<Thing> {
    let machine = session.machine();
    let sort = machine.instruction_at(machine.pc()).map(|insn| insn.sort);
    let is_leaving = matches!(sort, Some(Sort::Return | Sort::HandlerReturn));
    let is_entry = machine.frames().last().is_some_and(|frame| frame.step + 1 == since);
    if !is_leaving || !is_entry {
        return Vec::new();
    }
    not_kept(session, apart).into_iter().map(Thing::Register).collect()
}

fn row(
    session: &Session,
    pen: &Pen<'_>,
    difference: &Difference,
    (is_spoiled, is_of_routine): (bool, bool),
) -> Vec<Span<'static>> {
    let ink = match difference.side {
        _ if is_spoiled => Ink::Trouble,
        Side::Memory => Ink::Place,
        Side::Register | Side::Flag => Ink::Text,
        Side::Place | Side::Device | Side::Outside => Ink::Quiet,
    };
    let by = difference.by.map_or_else(String::new, |(step, pc)| {
        let line = line_words(session, pc).unwrap_or_else(|| session.machine().target().marked_address(pc));
        format!("by {line} at {}", grouped(step.0))
    });
    let is_result = |register: &Reg| session.machine().target().roles.results.contains(register);
    let is_result =
        is_of_routine && matches!(&difference.thing, Some(Thing::Register(register)) if is_result(register));
    let by = match (is_spoiled, is_result) {
        (true, _) => format!("to be kept; {by}"),
        (false, true) => format!("its result; {by}"),
        (false, false) => by,
    };
    vec![pen.span(difference.name.clone(), ink), pen.span(difference.change(), Ink::Fresh), pen.span(by, Ink::Quiet)]
}
