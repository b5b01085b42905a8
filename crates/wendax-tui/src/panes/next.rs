//! What the last step did, and what the coming instruction will do.

use super::cautions::LOOK_BY_ITSELF;
use super::{Need, Pane, PaneId, Work, head};
use crate::app::App;
use crate::cells::{fitted, width, wrap};
use crate::parts::pen::Pen;
use crate::theme::Ink;
use crate::world::exercises::Exercised;
use ratatui::layout::Rect;
use wendax_language::CautionKind;
use wendax_session::grouped;
use wendax_session::{Caution, Session, by_hand_words, change_words};

/// Rows for what was changed, at most.
const TOLD: usize = 3;

/// Rows that what was changed takes.
fn rows_told(app: &App, width: u16) -> u16 {
    let lines = app.session().map_or(1, |session| changes(session, width, TOLD).1.len());
    u16::try_from(lines).unwrap_or(1).max(1)
}

pub(super) struct Next;

impl Pane for Next {
    fn name(&self) -> &'static str {
        "next"
    }

    fn command(&self) -> &'static str {
        "Pane: next, what the coming instruction will do"
    }

    fn words(&self) -> &'static str {
        "explain account instruction coming ahead changed last step effect"
    }

    fn about(&self) -> &'static str {
        "The instruction that comes next and what it will do with the present values, before it is done: the result, the \
         flags it sets, whether a jump is taken and why. At its end stands what the last step changed; what is not \
         named there did not change."
    }

    fn work(&self) -> Option<Work> {
        Some(LOOK_BY_ITSELF)
    }

    fn need(&self, app: &App, column: Rect) -> Need {
        let figure = if app.world.hides_next() {
            0
        } else {
            app.world.walk.explanation.as_ref().map_or(0, |explanation| explanation.figure.len())
        };
        let lines = account(app, column.width.saturating_sub(2)).len();
        let rows = |lines: usize| u16::try_from(lines).unwrap_or(u16::MAX).saturating_add(2);
        let told = usize::from(rows_told(app, column.width.saturating_sub(2)));
        Need::rows(rows(lines).max(3), rows(lines + figure + told - 1))
    }

    fn draw(&self, app: &App, pen: &mut Pen<'_>, area: Rect) {
        let told = app.world.is_current() || app.world.walk.is_stale;
        let title = app.world.walk.explanation.as_ref().filter(|_| told).map_or(String::new(), |explanation| {
            let cycles = match explanation.cycles {
                None => String::new(),
                Some(1) => "1 cycle".to_owned(),
                Some(cycles) => format!("{cycles} cycles"),
            };
            if let Some((number, ..)) = app.world.question_here() {
                let (right, _, all) = app.world.exercise.as_ref().map_or((0, 0, 0), Exercised::count);
                return format!("question {} of {all} · {right} right", number + 1);
            }
            let (right, guessed) = app.world.guesses.count();
            if app.world.guesses.is_on && guessed > 0 {
                return format!("{right} of {guessed} guessed");
            }
            let between = if cycles.is_empty() || explanation.meaning.is_empty() { "" } else { " · " };
            format!("{}{between}{cycles}", explanation.meaning)
        });
        let body = head(app, pen, area, PaneId::Next, &title);
        if body.height == 0 {
            return;
        }
        let body = Rect { x: body.x + 1, width: body.width.saturating_sub(2), ..body };
        if !app.world.is_current() && !app.world.walk.is_stale {
            let lines = wrap("the text has to be in order before the program can run", body.width);
            for (y, line) in (body.y..body.bottom()).zip(&lines) {
                pen.text(body.x, y, body.width, line, Ink::Quiet);
            }
            return;
        }
        let Some(session) = app.session() else { return };
        if session.is_running() {
            pen.text(body.x, body.y, body.width, "running; Ctrl-C pauses", Ink::Time);
            return;
        }
        let mut lines = account(app, body.width);
        // What was changed keeps the last rows, so that it is always found at the same place.
        let free = body.height.saturating_sub(u16::try_from(lines.len()).unwrap_or(u16::MAX));
        let told = rows_told(app, body.width).min(free.max(1));
        let last = Rect { y: body.bottom() - told, height: told, ..body };
        let bottom = if body.height > 2 { last.y } else { body.bottom() };
        let room = usize::from(bottom.saturating_sub(body.y));
        // The figure shows in other signs what the sentences say: it gives way first.
        if let Some(explanation) = app.world.walk.explanation.as_ref().filter(|_| !app.world.hides_next())
            && lines.len() + explanation.figure.len() <= room
        {
            lines.extend(explanation.figure.iter().map(|line| (line.clone(), Ink::Quiet)));
        }
        if lines.len() > room {
            lines.truncate(room);
            if let Some((last, _)) = lines.last_mut() {
                *last = format!("{} … o shows all", fitted(last, body.width.saturating_sub(15)));
            }
        }
        for (y, (text, ink)) in (body.y..bottom).zip(&lines) {
            if *ink == Ink::Time {
                pen.bold(body.x, y, body.width, text, *ink);
            } else {
                pen.text(body.x, y, body.width, text, *ink);
            }
        }
        if body.height > 2 {
            last_change(session, pen, last);
        }
    }
}

/// The account line by line: the instruction, a caution, sentences.
fn account(app: &App, width: u16) -> Vec<(String, Ink)> {
    let Some(explanation) = &app.world.walk.explanation else { return Vec::new() };
    let text = Some((explanation.text.clone(), Ink::Time)).filter(|(text, _)| !text.is_empty());
    if app.world.hides_next() {
        let Some((number, question, _)) = app.world.question_here() else {
            let asked = "what will it do? → asks, and then shows it".to_owned();
            return text.into_iter().chain([(asked, Ink::Quiet)]).collect();
        };
        let asked = wrap(&format!("{}. {}", number + 1, question.ask), width);
        let asked = asked.into_iter().map(|line| (line, Ink::Text));
        let how = ("→ takes your answer, and then shows what is so".to_owned(), Ink::Quiet);
        return text.into_iter().chain(asked).chain([how]).collect();
    }
    let cautions = explanation.caution.iter().cloned().chain(cautions(app, explanation.caution.is_some()));
    let caution = cautions.map(|text| (format!("caution: {text}"), Ink::Trouble));
    let sentences = explanation.sentences.iter().map(|text| (text.clone(), Ink::Text));
    let mut lines: Vec<(String, Ink)> = text.into_iter().collect();
    for (text, ink) in caution.chain(sentences) {
        lines.extend(wrap(&text, width).into_iter().map(|line| (line, ink)));
    }
    lines
}

/// What looks wrong about the coming step, that the account does not say by itself.
fn cautions(app: &App, is_told: bool) -> Vec<String> {
    let Some(session) = app.session().filter(|_| app.world.is_current()) else { return Vec::new() };
    // What the account says by itself of the same things is not said twice.
    let told = |caution: &&Caution| {
        !is_told || !matches!(caution.kind, CautionKind::WayBack | CautionKind::Uneven | CautionKind::NeverSet)
    };
    let coming = app.world.walk.cautions.coming.iter().filter(told);
    let words = coming.map(|caution| {
        let began = caution.beginning(session).map_or(String::new(), |(.., words)| format!("; {words}"));
        format!("{}{began} ({})", caution.words(session), caution.kind)
    });
    words.collect()
}

/// What the command that led here changed, and that nothing else changed, in at most so many lines, with its head.
fn changes(session: &Session, width: u16, lines: usize) -> (&'static str, Vec<String>) {
    let by_hand = session.changes_by_hand();
    let mut changes: Vec<String> = Vec::new();
    let mut head = "before the first step";
    let mut nothing_else = "";
    if let Some(effects) = session.last_change() {
        changes = change_words(session, effects);
        head = if effects.steps > 1 { "stride" } else { "last step" };
        if effects.steps > 1 {
            changes.insert(0, format!("{} steps, {} cycles", grouped(effects.steps), grouped(effects.cycles)));
        }
        if changes.is_empty() {
            changes.push("changed nothing but pc".to_owned());
        } else if by_hand.is_empty() {
            nothing_else = if effects.steps > 1 { "; all else as before" } else { "; nothing else" };
        }
    }
    changes.extend(by_hand.iter().map(|change| by_hand_words(session, change)));
    let room = width.saturating_sub(u16::try_from(head.len() + 2).unwrap_or(0));
    // That nothing else changed is said where there is room for it.
    let mut whole = changes.clone();
    if let Some(last) = whole.last_mut() {
        last.push_str(nothing_else);
    }
    let shown = match in_lines(&whole, room, lines) {
        (shown, Fit::Whole) => shown,
        (_, Fit::Cut) => in_lines(&changes, room, lines).0,
    };
    (head, shown)
}

fn last_change(session: &Session, pen: &mut Pen<'_>, area: Rect) {
    let (head, lines) = changes(session, area.width, area.height.into());
    let at = pen.text(area.x, area.y, area.width, &format!("{head}  "), Ink::Quiet);
    for (y, line) in (area.y..area.bottom()).zip(&lines) {
        pen.text(at, y, area.right().saturating_sub(at), line, Ink::Fresh);
    }
}

/// Whether everything is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fit {
    /// Everything is.
    Whole,
    /// Something is left out.
    Cut,
}

/// Changes one behind the other in so many lines; of those that do not fit, how many they are.
pub fn in_lines(changes: &[String], room: u16, lines: usize) -> (Vec<String>, Fit) {
    let mut all: Vec<String> = vec![String::new()];
    let mut fit = Fit::Whole;
    for (index, change) in changes.iter().enumerate() {
        let more = format!(" + {} more", changes.len() - index);
        let last = all.len() == lines;
        let Some(line) = all.last_mut() else { break };
        let comma = if line.is_empty() { 0 } else { 2 };
        let reserve = if last && index + 1 < changes.len() { width(&more) } else { 0 };
        if width(line) + comma + width(change) + reserve > room && !line.is_empty() {
            if last {
                line.push_str(&more);
                fit = Fit::Cut;
                break;
            }
            line.push(',');
            all.push(String::new());
        }
        // A change that is longer than a line goes on in the next ones.
        let mut pieces = wrap(change, room);
        pieces.truncate((lines + 1 - all.len()).max(1));
        if pieces.len() > 1 {
            all.pop();
            all.extend(pieces);
            continue;
        }
        let Some(line) = all.last_mut() else { break };
        let comma = if line.is_empty() { 0 } else { 2 };
        if comma > 0 {
            line.push_str(", ");
        }
        line.push_str(change);
    }
    for line in all.iter_mut().filter(|line| width(line) > room) {
        *line = fitted(line, room);
        fit = Fit::Cut;
    }
    (all, fit)
}
