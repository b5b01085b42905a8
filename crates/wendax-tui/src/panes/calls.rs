//! Calls: the routines the walk is inside of, the innermost first, with what each was given and keeps.

use super::{Need, Order, Pane, PaneId, head};
use crate::app::App;
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use wendax_image::{Home, TypeKind};
use wendax_isa::Reg;
use wendax_machine::{Addr, FrameKind};
use wendax_session::{Command, Routine, Routines, Session, typed_words};

pub(super) struct Calls;

impl Pane for Calls {
    fn name(&self) -> &'static str {
        "calls"
    }

    fn command(&self) -> &'static str {
        "Pane: calls, the routines that are active"
    }

    fn words(&self) -> &'static str {
        "backtrace call stack frames parameters callers routine"
    }

    fn about(&self) -> &'static str {
        "The routines you are inside of, the innermost first: the name of each, the registers that take arguments as they \
         were when it was entered, where it goes on when it returns, and how many words it keeps on the stack. Enter \
         shows the line of the call; once more goes to the moment of entry; x tells what the routine changed since."
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let count = u16::try_from(app.world.walk.routines.list().len()).unwrap_or(u16::MAX);
        if count == 0 { Need::NOTHING } else { Need::rows(2, 1 + count.min((column.height / 6).max(3))) }
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let body = head(app, pen, area, PaneId::Calls, "");
        let Some(session) = app.session() else { return };
        let routines = app.world.walk.routines.list();
        if routines.is_empty() {
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), "no routine was called", Ink::Faint);
            return;
        }
        let chosen = (app.screen.focus == PaneId::Calls).then_some(app.screen.panes.of(PaneId::Calls).chosen);
        // On a narrow screen the words on the stack give way: the stack itself shows them.
        // `back to` and an address, or a line.
        let address = session.machine().target().marked_address(Addr(0)).len();
        let back = if body.width < 64 { 16 } else { u16::try_from(address).unwrap_or(0).max(7) + 9 };
        let all = [Constraint::Max(18), Constraint::Fill(1), Constraint::Length(back), Constraint::Length(8)];
        // Where there is room for a name and the way back only, what was given stands in the account of the call.
        let few = [Constraint::Fill(1), Constraint::Length(back)];
        let is_narrow = body.width < 40;
        let widths = match body.width {
            _ if is_narrow => &few[..],
            ..64 => &all[..3],
            _ => &all[..],
        };
        list::table(pen, body, widths, (routines.len(), chosen), &|pen, index| {
            let mut cells = row(app, session, pen, &routines[index]);
            if is_narrow {
                cells.remove(1);
            }
            cells
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.walk.routines.list().len())
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let routine = app.world.walk.routines.list().get(entry)?;
        let line = app.session()?.image().line_at(routine.frame.site).and_then(|piece| app.world.place_of(piece));
        let here = (app.screen.shown, app.editor().cursor().0);
        Some(match line {
            Some((document, line)) if (document, line) != here => Order::Show(document, line),
            _ => Order::Travel(Command::Seek(Routines::entry(routine))),
        })
    }
}

fn row(app: &App, session: &Session, pen: &Pen<'_>, routine: &Routine) -> Vec<Span<'static>> {
    let (image, target, frame) = (session.image(), session.machine().target(), &routine.frame);
    let name =
        image.label_at(frame.target).map_or_else(|| target.marked_address(frame.target), |found| found.name.clone());
    let how = match frame.kind {
        FrameKind::Call => {
            // Where a compiler told what a routine takes, that is told and by its names.
            let known = image.variables.locals_at(frame.target);
            let known: Vec<_> = known.into_iter().filter(|variable| variable.is_parameter).collect();
            let takes = |register: &Reg| {
                let home = Home::Value(Some(*register), 0);
                known.iter().find(|variable| variable.home(frame.target) == Some(home))
            };
            let given = routine.arguments.iter().filter(|(register, _)| known.is_empty() || takes(register).is_some());
            let given = given.map(|(register, value)| {
                let variable = takes(register);
                let of = variable.map(|variable| variable.of);
                let may_be_address = of.is_none_or(|of| matches!(image.variables.kind(of), TypeKind::Pointer(_)));
                // A value that is the address of a label was most likely given as that.
                let label = image.label_at(Addr(*value)).filter(|_| Addr(*value) >= target.map.vectors_end);
                let value = match label.filter(|_| may_be_address) {
                    Some(label) => label.name.clone(),
                    None => typed_words(session, of, *value).unwrap_or_else(|| app.number(session, *value)),
                };
                let name = variable.map_or_else(|| target.register_name(*register), |variable| &variable.name);
                format!("{name} {value}")
            });
            given.collect::<Vec<_>>().join("  ")
        }
        FrameKind::Interrupt(number) => format!("interrupt {}", target.interrupt_name(number)),
        FrameKind::Trap(number) => format!("trap {}", target.trap_name(number)),
    };
    let back =
        image.line_at(frame.back).map_or_else(|| target.marked_address(frame.back), |line| app.place_words(line));
    let words = match routine.words {
        1 => "1 word".to_owned(),
        words => format!("{words} words"),
    };
    vec![
        pen.span(name, Ink::Place),
        pen.span(how, Ink::Text),
        pen.span(format!("back to {back}"), Ink::Time),
        pen.span(words, Ink::Quiet),
    ]
}
