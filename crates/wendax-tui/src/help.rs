//! What the help says: of the line under the cursor by the guide, and of all keys.

use crate::keys::{BINDINGS, Context, shown};
use crate::state::App;
use crate::theme::Ink;
use wendax_asm::{Lexeme, guide, lexemes};

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

/// What the guide says of the words on the line of the cursor.
fn about_cursor(app: &App) -> Vec<(String, Ink)> {
    let line = app.editor.line(app.editor.cursor().0);
    let mut lines = Vec::new();
    for (range, lexeme) in lexemes(&line) {
        // Registers and labels would crowd out what one asks for.
        if !matches!(lexeme, Lexeme::Mnemonic | Lexeme::Directive | Lexeme::Name) {
            continue;
        }
        for entry in guide(&line[range]) {
            lines.push((entry.title, Ink::Time));
            lines.extend(entry.lines.into_iter().map(|line| (format!("  {line}"), Ink::Text)));
        }
    }
    if !lines.is_empty() {
        lines.push((String::new(), Ink::Text));
    }
    lines
}
