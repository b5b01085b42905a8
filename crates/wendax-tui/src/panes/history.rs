//! The changes of one thing: who wrote it last, who changes and reads it next, all of them with a small chart.

use super::{Need, Order, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{fitted, width};
use crate::parts::list;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;
use ratatui::text::Span;
use wendax_machine::{Event, StepKind, StepNo};
use wendax_session::grouped;
use wendax_session::{Answer, Change, Changes, Command, Session, Story, Thing, Toucher, code_text, values_words};

pub(super) struct History;

/// Rows above the list: who wrote it last, who changes it next, who reads it next.
const ANSWERS: usize = 3;

impl Pane for History {
    fn name(&self) -> &'static str {
        "changes"
    }

    fn command(&self) -> &'static str {
        "Pane: changes of the thing asked about last"
    }

    fn words(&self) -> &'static str {
        "history origin writer reader story where from"
    }

    fn about(&self) -> &'static str {
        "How one register, flag or cell changes over the run: the step that wrote it last, the one that changes it next, \
         the one that reads it next, a chart of its values from the first step to the furthest, and all its changes. Enter \
         goes to the step. h asks about what is chosen in another pane, or about anything by its name."
    }

    fn work(&self) -> Option<Work> {
        Some(Work {
            is_wanted: |app, session| {
                let is_told = |story: &Story| story.is_done() && story.is_of(session);
                app.world.walk.story.as_ref().is_some_and(|story| !is_told(story))
            },
            slice: |app| {
                let (walk, slice) = (&mut app.world.walk, app.world.slice);
                let (Some(session), Some(story)) = (&walk.session, &mut walk.story) else { return };
                if !story.is_of(session) {
                    *story = Story::new(session, story.thing());
                }
                story.work(session, slice);
            },
        })
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let rows = app.world.walk.story.as_ref().map_or(1, |story| ANSWERS + 1 + story.changes.list.len());
        Need::rows(6, 1 + u16::try_from(rows).unwrap_or(u16::MAX).min(column.height / 2))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let story = app.world.walk.story.as_ref();
        let note = story.map_or(String::new(), |story| note(app, story));
        let body = head(app, pen, area, PaneId::History, &note);
        let (Some(session), Some(story)) = (app.session(), story) else {
            let hint = "h asks about what is chosen: a register, a flag, a cell";
            pen.text(body.x + 1, body.y, body.width.saturating_sub(1), hint, Ink::Faint);
            return;
        };
        let focused = app.screen.focus == PaneId::History;
        let chosen = app.screen.panes.of(PaneId::History).chosen;
        let answers = [("written last", &story.written), ("changes next", &story.changed), ("read next", &story.read)];
        for ((y, (name, answer)), index) in (body.y..body.bottom()).zip(answers).zip(0..) {
            let row = Rect { y, height: 1, ..body };
            pen.text(row.x + 1, y, 14, name, Ink::Quiet);
            let x = row.x + 15;
            let (text, ink) = answer_words(app, session, story.thing(), answer);
            pen.fitted(x, y, row.right().saturating_sub(x), &text, ink);
            if app.is_chosen(PaneId::History, index) {
                pen.text(row.x, y, 1, "▸", Ink::Time);
            }
        }
        let below = Rect { y: body.y + 3, height: body.height.saturating_sub(3), ..body };
        if below.height == 0 {
            return;
        }
        chart(pen, Rect { height: 1, ..below }, &story.changes, session, story.thing());
        let rows = Rect { y: below.y + 1, height: below.height - 1, ..below };
        let list = &story.changes.list;
        // Without the focus it follows the walk.
        let at = if focused { chosen.checked_sub(ANSWERS) } else { None };
        let present = story.changes.present.saturating_sub(1);
        let count = list.len();
        let marked = at.or((count > 0).then_some(present)).map(|at| at.min(count.saturating_sub(1)));
        list::draw(pen, rows, count, marked, &|pen, index| {
            let is_past = index < story.changes.present;
            change_row(app, session, pen, story.thing(), &list[index], is_past, body.width)
        });
    }

    fn entries(&self, app: &App) -> Option<usize> {
        Some(app.world.walk.story.as_ref().map_or(0, |story| ANSWERS + story.changes.list.len()))
    }

    fn enter(&self, app: &App, entry: usize) -> Option<Order> {
        let story = app.world.walk.story.as_ref()?;
        let of_answer = |answer: &Answer| match answer {
            Answer::Step(toucher) => Some(toucher.step),
            Answer::ByHand(edit) => Some(edit.step),
            Answer::Looking | Answer::Nothing => None,
        };
        let step = match entry {
            0 => of_answer(&story.written),
            1 => of_answer(&story.changed),
            2 => of_answer(&story.read),
            _ => story.changes.list.get(entry - ANSWERS).map(Change::step),
        };
        step.map(|step| Order::Travel(Command::Seek(step)))
    }
}

fn note(app: &App, story: &Story) -> String {
    let name = app.thing_words(story.thing());
    if story.is_done() {
        return match story.changes.count() {
            1 => format!("{name} · 1 change"),
            count => format!("{name} · {} changes", grouped(count)),
        };
    }
    let (done, all) = story.progress();
    format!("{name} · looking, {} %", done * 100 / all.max(1))
}

fn toucher_words(app: &App, session: &Session, toucher: &Toucher) -> String {
    let machine = session.machine();
    let target = machine.target();
    let line = session.image().line_at(toucher.pc);
    let place = line.map_or_else(|| target.marked_address(toucher.pc), |line| app.place_words(line));
    let what = match toucher.kind {
        StepKind::Interrupt(number) => format!("interrupt {}", target.interrupt_name(number)),
        StepKind::Trap(number) => format!("trap {}", target.trap_name(number)),
        StepKind::Instruction | StepKind::Call(_) => code_text(session, toucher.pc, toucher.code).unwrap_or_default(),
    };
    format!("{place}  {what}")
}

fn answer_words(app: &App, session: &Session, thing: Thing, answer: &Answer) -> (String, Ink) {
    match answer {
        Answer::Looking => ("looking".to_owned(), Ink::Faint),
        Answer::Nothing => ("nowhere, as far as the run is known".to_owned(), Ink::Faint),
        Answer::ByHand(edit) => (format!("by hand at step {}", grouped(edit.step.0)), Ink::Fresh),
        Answer::Step(toucher) => {
            let values = match toucher.old {
                Some(old) if old == toucher.new => "   the same again".to_owned(),
                old => {
                    let (was, new) = values_words(session, thing, old, toucher.new);
                    format!("   {was} → {new}")
                }
            };
            let words = toucher_words(app, session, toucher);
            (format!("step {}  {words}{values}", grouped(toucher.step.0)), Ink::Text)
        }
    }
}

fn change_row(
    app: &App,
    session: &Session,
    pen: &Pen<'_>,
    thing: Thing,
    change: &Change,
    is_past: bool,
    room: u16,
) -> Vec<Span<'static>> {
    let (step, values, words) = match change {
        Change::Step(toucher) => {
            let (was, new) = values_words(session, thing, toucher.old, toucher.new);
            let values = format!("{was:>7} → {new:<7}");
            (toucher.step, values, toucher_words(app, session, toucher))
        }
        Change::ByHand(edit) => {
            let new = match (&edit.event, thing) {
                (Event::SetFlags(flags), Thing::Flag(bit)) => u32::from(flags & bit != 0),
                (Event::SetRegister(_, value) | Event::SetByte(_, value), _) => *value,
                _ => 0,
            };
            (edit.step, format!("        → {:<7}", values_words(session, thing, None, new).1), "set by hand".to_owned())
        }
    };
    vec![
        pen.span(format!("{:>12}  ", grouped(step.0)), if is_past { Ink::Quiet } else { Ink::Time }),
        pen.span(format!("{values}  "), Ink::Text),
        pen.span(fitted(&words, room.saturating_sub(38)), Ink::Place),
    ]
}

/// The values over the run, in eight heights, with the present moment.
fn chart(pen: &mut Pen<'_>, area: Rect, changes: &Changes, session: &Session, thing: Thing) {
    const HEIGHTS: [char; 8] = ['▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let target = session.machine().target();
    let range = changes.chart.iter().map(|column| (column.least, column.most));
    let range = range.reduce(|one, other| (one.0.min(other.0), one.1.max(other.1)));
    let Some((least, most)) = range else { return };
    let end = |value: i64| match (thing, u32::try_from(value)) {
        (Thing::Register(register), Ok(address)) if register == target.roles.stack => target.marked(address),
        _ => value.to_string(),
    };
    let ends = format!("{} … {}", end(least), end(most));
    let room = area.width.saturating_sub(width(&ends) + 4);
    let (from, end) = (session.oldest(), session.end());
    let place = |step: StepNo| {
        let share = u128::from(step - from) * u128::from(room) / u128::from(end - from).max(1);
        u16::try_from(share).unwrap_or(room).min(room.saturating_sub(1))
    };
    let now = place(session.now());
    for cell in 0..room {
        let index = usize::from(cell) * changes.chart.len() / usize::from(room.max(1));
        let value = changes.chart[index].last;
        let height = (value - least) * 7 / (most - least).max(1);
        let sign = HEIGHTS[usize::try_from(height).unwrap_or(0).min(7)];
        let ink = if cell == now { Ink::Fresh } else { Ink::Time };
        pen.text(area.x + 1 + cell, area.y, 1, &sign.to_string(), ink);
    }
    pen.right(area, area.y, &format!("{ends} "), Ink::Quiet);
}
