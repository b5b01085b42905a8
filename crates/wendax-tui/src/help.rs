//! What the help says: of the line under the cursor by the tables, and of all keys.

use crate::keys::{BINDINGS, Context, shown};
use crate::state::App;
use crate::theme::Ink;
use wendax_asm::{DIRECTIVES, Lexeme, lexemes, mnemonics};
use wendax_isa::w16::{call_by_name, rows_named};

/// All lines of the help with their ink.
pub(crate) fn lines(app: &App) -> Vec<(String, Ink)> {
    let mut lines = Vec::new();
    lines.extend(about_cursor(app));
    for (title, context) in [("walking", Context::Walk), ("writing", Context::Write)] {
        lines.push((title.to_owned(), Ink::Place));
        for binding in BINDINGS.iter().filter(|binding| binding.context == context || binding.context == Context::Both)
        {
            let keys: Vec<String> = binding
                .keys
                .iter()
                .filter(|key| context == Context::Walk || key.chars().count() > 1)
                .map(|key| shown(key))
                .collect();
            if !keys.is_empty() {
                lines.push((format!("  {:<14} {}", keys.join(" "), binding.name), Ink::Text));
            }
        }
        lines.push((String::new(), Ink::Text));
    }
    lines.push(("Left and right are time, up and down are place.".to_owned(), Ink::Quiet));
    lines.push(("The language and the instruction set are described in docs/ of the project.".to_owned(), Ink::Quiet));
    lines
}

/// What the tables say of the instruction, directive and system call on the line of the cursor.
fn about_cursor(app: &App) -> Vec<(String, Ink)> {
    let line = app.editor.line(app.editor.cursor().0);
    let mut lines = Vec::new();
    for (range, lexeme) in lexemes(&line) {
        let word = line[range].to_ascii_lowercase();
        match lexeme {
            Lexeme::Mnemonic => lines.extend(about_instruction(&word)),
            Lexeme::Directive => {
                for info in DIRECTIVES.iter().filter(|info| info.name == word) {
                    lines.push((info.form.to_owned(), Ink::Time));
                    lines.push((format!("  {}", info.meaning), Ink::Text));
                }
            }
            Lexeme::Name => lines.extend(about_call(&word)),
            _ => {}
        }
    }
    if !lines.is_empty() {
        lines.push((String::new(), Ink::Text));
    }
    lines
}

fn about_instruction(word: &str) -> Vec<(String, Ink)> {
    let mut lines = Vec::new();
    let mut meaning = "";
    for row in rows_named(word) {
        if row.meaning != meaning {
            meaning = row.meaning;
            lines.push((format!("{word}: {meaning}"), Ink::Time));
            lines.push((format!("  flags: {}", row.flags.text()), Ink::Text));
        }
        let form = format!("{word} {}", row.form);
        lines.push((format!("  {form:<22} code {:<8} cycles {}", row.pattern, row.cycles), Ink::Text));
    }
    if lines.is_empty() {
        let meaning = mnemonics().find(|(name, _)| *name == word).map(|(_, meaning)| meaning);
        lines.extend(meaning.map(|meaning| (format!("{word} d: {meaning}"), Ink::Time)));
    }
    lines
}

fn about_call(word: &str) -> Vec<(String, Ink)> {
    let Some(call) = call_by_name(word) else { return Vec::new() };
    let mut lines = vec![(format!("{}, call {:02X}: {}", call.name, call.number, call.meaning), Ink::Time)];
    lines.extend(call.takes.iter().map(|(register, what)| (format!("  r{register}: {what}"), Ink::Text)));
    let gives = if call.gives.is_empty() { "nothing" } else { call.gives };
    lines.push((format!("  gives in r0: {gives}; C = 1 and an error code when it fails"), Ink::Text));
    lines
}
