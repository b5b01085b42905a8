//! A row made of a run that was walked: what came from outside is given, and what the run came to is expected.

use crate::edit::RowCells;
use wendax_machine::Event;
use wendax_session::{Saving, Session, State};
use wendax_source::toml_text;

/// Bytes of output that stand in a row, at most.
const MOST: u64 = 16 << 10;

/// Works in slices of about so many steps while what came is written down.
const SLICE: u64 = 1_000_000;

/// The cells of a row with this name for the run of a session up to its end.
///
/// # Errors
///
/// Why this run is none that a row can do again.
pub fn record(session: &Session, name: &str) -> Result<RowCells, String> {
    let machine = session.machine();
    let by_hand = session.edits().iter().any(|edit| !matches!(edit.event, Event::Levers(_)));
    if by_hand {
        return Err("registers or memory were changed by hand in this run, which a row does not do again".to_owned());
    }
    if session.now() != session.end() {
        return Err("a row is made of the whole run: End goes to its furthest step".to_owned());
    }
    let (ends, status) = match session.state() {
        State::Finished(status) => (None, Some(*status)),
        State::Fault(fault) => (Some(format!("fault {}", fault.trap)), None),
        State::Circling { .. } => (Some("circling".to_owned()), None),
        State::Waiting | State::Idle { .. } => (Some("waiting".to_owned()), None),
        State::Paused(wendax_session::Why::Brk) => (Some("brk".to_owned()), None),
        State::Ready | State::Running | State::Paused(_) => {
            return Err("a row is made of a run that has ended: g goes on to its end".to_owned());
        }
    };
    let mut cells: RowCells = vec![("name".to_owned(), toml_text(name))];
    let mut put = |key: &str, value: String| cells.push((key.to_owned(), value));
    let settings = machine.settings();
    if !settings.arguments.is_empty() {
        let words: Option<Vec<String>> = settings
            .arguments
            .iter()
            .map(|argument| Some(toml_text(&doubled(std::str::from_utf8(argument).ok()?))))
            .collect();
        let words = words.ok_or("an argument of this run is no text")?;
        put("arguments", format!("[{}]", words.join(", ")));
    }
    if settings.seed != 0 {
        put("seed", settings.seed.to_string());
    }
    let files: Vec<(&str, &[u8])> = machine
        .files()
        .known()
        .filter_map(|(path, file)| match &file.found {
            wendax_machine::Found::Bytes(bytes) | wendax_machine::Found::Locked(bytes) => {
                Some((path, bytes.as_slice()))
            }
            _ => None,
        })
        .collect();
    if machine.files().known().next().is_some() {
        put("files", members(&files)?);
    }
    let is_plain = session.edits().is_empty() && session.all_input() == session.first_input().unwrap_or_default();
    let typed = String::from_utf8(session.all_input()).ok();
    match typed {
        // All was typed at once, or where the program asked: both are the same to a program that only reads.
        Some(typed) if is_plain && !typed.is_empty() => put("typed", toml_text(&doubled(&typed))),
        Some(typed) if is_plain && typed.is_empty() => {}
        _ => put("events", events(session)?),
    }
    let printed = session.printed_since(0);
    let text = std::str::from_utf8(printed).ok().filter(|_| printed.len() as u64 == machine.printed());
    match text.filter(|text| text.len() as u64 <= MOST) {
        Some(text) => put("prints", toml_text(&doubled(text))),
        None => return Err("what this run printed is too long for a row, or no text".to_owned()),
    }
    let kept: Vec<(&str, &[u8])> = machine.files().to_keep().map(|(path, bytes)| (&**path, bytes.as_slice())).collect();
    if !kept.is_empty() {
        put("writes", members(&kept)?);
    }
    if machine.board().lamps != 0 {
        put("lamps", format!("0x{:04X}", machine.board().lamps));
    }
    if let Some(ends) = ends {
        put("ends", toml_text(&ends));
    }
    if let Some(status) = status {
        put("status", status.to_string());
    }
    Ok(cells)
}

/// A text in which braces are themselves.
fn doubled(text: &str) -> String {
    text.replace('{', "{{").replace('}', "}}")
}

fn members(files: &[(&str, &[u8])]) -> Result<String, String> {
    let member = |(path, bytes): &(&str, &[u8])| {
        let text = std::str::from_utf8(bytes).map_err(|_| format!("the file {path} of this run is no text"))?;
        Ok(format!("{} = {}", toml_text(path), toml_text(&doubled(text))))
    };
    let members: Vec<String> = files.iter().map(member).collect::<Result<_, String>>()?;
    Ok(format!("{{ {} }}", members.join(", ")))
}

/// What came, each at its moment.
fn events(session: &Session) -> Result<String, String> {
    let mut saving = Saving::new(session)?;
    while !saving.work(session, SLICE) {}
    let mut all = Vec::new();
    for line in saving.text().lines() {
        let event: serde_json::Value = serde_json::from_str(line).map_err(|error| error.to_string())?;
        all.push(inline(&event));
    }
    Ok(format!("[{}]", all.join(", ")))
}

/// A value of JSON as TOML writes it.
fn inline(value: &serde_json::Value) -> String {
    use serde_json::Value;
    match value {
        Value::String(text) => toml_text(&doubled(text)),
        Value::Array(list) => format!("[{}]", list.iter().map(inline).collect::<Vec<_>>().join(", ")),
        Value::Object(members) => {
            let members = members.iter().map(|(name, value)| format!("{name} = {}", inline(value)));
            format!("{{ {} }}", members.collect::<Vec<_>>().join(", "))
        }
        Value::Null => "\"\"".to_owned(),
        Value::Bool(_) | Value::Number(_) => value.to_string(),
    }
}
