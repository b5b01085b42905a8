//! The first row: program, target, state, step, cycles, where.

use crate::app::App;
use crate::cells::{fitted, fitted_end, width};
use crate::parts::pen::Pen;
use crate::screen::{Mode, Typing};
use crate::theme::Ink;
use crate::world::Origin;
use ratatui::layout::Rect;
use wendax_session::{Session, State, Why, grouped, lines_words};
use wendax_source::Severity;

/// The state of the program in words, and its ink.
fn state_words(app: &App) -> (String, Ink) {
    let problems = app.world.program.count(Severity::Problem);
    if app.world.program.assembled.is_some() && problems > 0 {
        let text =
            if problems == 1 { "1 problem in the text".to_owned() } else { format!("{problems} problems in the text") };
        return (text, Ink::Trouble);
    }
    if app.world.walk.replay.is_some() {
        return ("replaying: Esc leaves it".to_owned(), Ink::Time);
    }
    let Some(state) = app.world.walk.state() else { return ("nothing to run yet".to_owned(), Ink::Quiet) };
    if app.world.walk.is_stale && !matches!(state, State::Running) {
        return ("the walk shows an older text".to_owned(), Ink::Fresh);
    }
    match state {
        State::Ready => match app.world.program.count(Severity::Warning) {
            0 => ("ready".to_owned(), Ink::Agreement),
            1 => ("ready · 1 warning".to_owned(), Ink::Agreement),
            count => (format!("ready · {count} warnings"), Ink::Agreement),
        },
        State::Paused(_) if app.world.walk.is_slow => {
            (format!("running, {}", app.slow_words().unwrap_or_default()), Ink::Time)
        }
        State::Running if !app.runs_on() => ("on the way through the past".to_owned(), Ink::Time),
        State::Running => ("running".to_owned(), Ink::Time),
        State::Waiting => ("waiting for input".to_owned(), Ink::Fresh),
        State::Paused(Why::Breakpoint) => {
            (format!("paused: {}", app.world.met_words().as_deref().unwrap_or("breakpoint")), Ink::Time)
        }
        State::Paused(Why::Until) if !app.screen.until.is_empty() => {
            (format!("paused: {}", app.screen.until), Ink::Time)
        }
        State::Paused(why) => (format!("paused: {}", why_words(*why)), Ink::Time),
        State::Finished(status) => (format!("finished, status {status}"), Ink::Agreement),
        State::Fault(fault) => (format!("fault: {}", fault.kind.words(app.world.target())), Ink::Trouble),
        State::Circling { .. } => (format!("circling: {}", circle_words(app)), Ink::Trouble),
        State::Idle { .. } => (circle_words(app), Ink::Fresh),
    }
}

/// How the rows of trials fare, where there is room to say so.
fn trials_words(app: &App, room: u16) -> (String, Ink) {
    let trials = &app.world.trials;
    // Of a text with a problem nothing is known.
    if !trials.is_there() || room < 90 || !app.world.program.is_runnable() {
        return (String::new(), Ink::Quiet);
    }
    let (failed, tried, all) = trials.counts();
    if all == 0 && trials.why_not().is_none() {
        return (String::new(), Ink::Quiet);
    }
    let rows = if all == 1 { "row" } else { "rows" };
    match (trials.why_not(), trials.is_done(), failed) {
        (Some(_), ..) => (" · rows cannot be tried".to_owned(), Ink::Trouble),
        (None, _, 1) => (format!(" · 1 of {all} {rows} fails"), Ink::Trouble),
        (None, _, 2..) => (format!(" · {failed} of {all} {rows} fail"), Ink::Trouble),
        (None, false, 0) if tried < all => (format!(" · trying {all} {rows}"), Ink::Quiet),
        (None, ..) if all == 1 => (" · 1 row passes".to_owned(), Ink::Agreement),
        (None, ..) => (format!(" · {all} rows pass"), Ink::Agreement),
    }
}

/// Which lines go round, in a few words; the account says more.
fn circle_words(app: &App) -> String {
    app.session().map_or_else(String::new, |session| lines_words(session, session.round()))
}

fn why_words(why: Why) -> &'static str {
    match why {
        Why::Stepped => "stepped",
        Why::Returned => "the routine returned",
        Why::Breakpoint => "breakpoint",
        Why::Typed => "something was typed here",
        Why::Oldest => "as far back as is kept",
        Why::Line => "at the line",
        Why::Until => "what was asked for",
        Why::Asked => "as asked",
        Why::Brk => "brk",
        Why::Output => "printed as much as it may",
        Why::Steps => "took as many steps as it may",
        Why::Time => "took as long as it may",
        Why::Sought => "at this step",
        Why::Edited => "edited, a new branch",
    }
}

/// `ask + 6, line 23`: where the next instruction is.
fn place(app: &App, session: &Session) -> String {
    let pc = session.present_address();
    let image = session.image();
    let line = image.line_at(pc).map_or(String::new(), |line| format!(", {}", app.place_words(line)));
    match image.place_name(pc) {
        Some(name) => name + &line,
        None => session.machine().target().marked_address(pc),
    }
}

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect) {
    const GAP: u16 = 3;
    pen.band(area);
    // Who gets the keys.
    let (mode, mode_ink) = match (app.screen.mode, app.screen.typing) {
        (Mode::Write, _) => (" write", Ink::Fresh),
        (Mode::Walk, Typing::Keys) => (" each key to the program", Ink::Fresh),
        (Mode::Walk, _) if app.takes_input() => (" type to the program", Ink::Fresh),
        (Mode::Walk, _) => (" walk", Ink::Time),
    };
    let (state, ink) = state_words(app);
    let mut opens = app.world.program.outside.join(", ");
    if !opens.is_empty() {
        opens.insert_str(0, " · opens ");
    }
    let changed = match (app.is_changed(), &app.document().locked) {
        _ if !app.world.conflicts.is_empty() => " · changed on disk too: Ctrl-S",
        (true, Some(_)) => " · read-only · unsaved",
        (false, Some(_)) => " · read-only",
        (true, None) => " · unsaved",
        (false, None) => "",
    };
    let numbers = app.session().map_or(String::new(), |session| numbers(app, session, area.width));
    // State and numbers are what changes; the path takes what they leave, but never less than a name needs.
    let (trials, trials_ink) = trials_words(app, area.width);
    let others = width(mode) + width(&opens) + width(changed) + width(&state) + width(&numbers) + 3 * GAP + 1;
    let others = others + width(&trials);
    let room = area.width.saturating_sub(others).max(width(app.document().short_name()).min(24));
    let whole = match (&app.world.origin, app.path()) {
        (Origin::Image(image), Some(source)) if image != source => format!("{image} · {source}"),
        (_, path) => path.unwrap_or(app.document().short_name()).to_owned(),
    };
    let path = if width(&whole) <= room || room >= 40 { whole.as_str() } else { app.document().short_name() };
    let at = pen.bold(area.x, area.y, area.width, mode, mode_ink) + GAP;
    let at = pen.bold(at, area.y, room, &fitted_end(path, room), Ink::Text);
    let at = pen.text(at, area.y, area.right().saturating_sub(at), &opens, Ink::Fresh);
    let at = pen.text(at, area.y, area.right().saturating_sub(at), changed, Ink::Fresh) + GAP;
    let room = area.right().saturating_sub(at + width(&numbers) + GAP);
    let at = pen.bold(at, area.y, room, &fitted(&state, room), ink);
    let room = area.right().saturating_sub(at + width(&numbers) + GAP);
    if width(&trials) <= room {
        pen.text(at, area.y, room, &trials, trials_ink);
    }
    pen.right(Rect { width: area.width - 1, ..area }, area.y, &numbers, Ink::Quiet);
}

fn numbers(app: &App, session: &Session, room: u16) -> String {
    let (now, end) = (grouped(session.now().0), grouped(session.end().0));
    match room {
        0..90 => format!("step {now} of {end}"),
        90..130 => format!("step {now} of {end}   {} cycles", grouped(session.machine().cycles())),
        _ => format!(
            "{}   step {now} of {end}   {} cycles   {}",
            session.machine().target().name,
            grouped(session.machine().cycles()),
            place(app, session)
        ),
    }
}
