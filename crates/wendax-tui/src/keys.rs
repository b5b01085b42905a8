//! The key bindings, as one table.

use crate::actions::Action;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher};
use std::fmt::Write;

/// Where a key means something.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Context {
    /// While walking.
    Walk,
    /// While writing.
    Write,
    /// In both.
    Both,
}

/// A key, or several, for an action.
#[derive(Debug, Clone, Copy)]
pub struct Binding {
    /// The keys by name, as in [`key_name`].
    pub keys: &'static [&'static str],
    /// Where they mean this.
    pub context: Context,
    /// What they do.
    pub action: Action,
    /// In a word or two, for the keys line; empty when it is not shown there.
    pub short: &'static str,
    /// In full, for palette and help.
    pub name: &'static str,
}

const fn bind(
    keys: &'static [&'static str],
    context: Context,
    action: Action,
    short: &'static str,
    name: &'static str,
) -> Binding {
    Binding { keys, context, action, short, name }
}

use Action as A;
use Context::{Both, Walk};

/// All bindings. The order is that of the keys line, which shows as many as fit.
pub const BINDINGS: &[Binding] = &[
    bind(&["Right"], Walk, A::Step, "step", "Step: execute one instruction"),
    bind(&["Left"], Walk, A::StepBack, "back", "Step back: un-execute one instruction"),
    bind(&["]"], Walk, A::Over, "over", "Step over a call"),
    bind(&["["], Walk, A::OverBack, "", "Step back over a call"),
    bind(&[">"], Walk, A::LineStep, "", "Step to another line of the source: macros and calls at once"),
    bind(&["<"], Walk, A::LineBack, "", "Step back to where the line before began"),
    bind(&["g"], Walk, A::Go, "go on", "Go on to the next stop"),
    bind(&["G"], Walk, A::GoBack, "go back", "Go back to the last stop: breakpoint, typed input or start"),
    bind(&["b"], Walk, A::Breakpoint, "breakpoint", "Breakpoint on this line: set or clear"),
    bind(&["e"], Walk, A::Write, "write", "Write: edit the source"),
    bind(&["Esc"], Context::Write, A::Walk, "walk", "Walk: leave writing"),
    bind(&["Ctrl-S"], Both, A::Save, "save", "Save the source"),
    bind(&["Ctrl-T"], Both, A::Mend, "mend", "Mend the problem on this line with its fix"),
    bind(&["Ctrl-Z"], Context::Write, A::Undo, "undo", "Undo the last change"),
    bind(&["Ctrl-Y"], Context::Write, A::Redo, "redo", "Redo what was undone"),
    bind(&["}"], Walk, A::Out, "", "Step out of the routine"),
    bind(&["{"], Walk, A::OutBack, "", "Step back out of the routine, to its call"),
    bind(&["."], Walk, A::ToLine, "", "Go on to the line under the cursor"),
    bind(&[","], Walk, A::BackToLine, "", "Go back to the line under the cursor"),
    bind(&[":", "Ctrl-P"], Both, A::Palette, "palette", "Palette: find a command by its words"),
    bind(&["?", "Ctrl-W"], Both, A::Guide, "guide", "Guide: what is under the cursor, and everything there is"),
    bind(&["f", "Ctrl-O"], Both, A::Files, "files", "Files of the program: look at another one"),
    bind(&["u"], Walk, A::Unfold, "unfold", "Unfold the line: show what a macro or other instruction became"),
    bind(&["r"], Walk, A::Replay, "", "Replay: a new run of the present text, with the same input, to the same place"),
    bind(&["d", "Ctrl-G"], Both, A::Definition, "", "To where the name under the cursor is defined"),
    bind(&["U", "Ctrl-U"], Both, A::NextUse, "", "To the next place that uses the name under the cursor"),
    bind(&["Ctrl-E"], Both, A::Rename, "", "Rename what is under the cursor, in all files"),
    bind(&["Ctrl-R"], Both, A::Replace, "", "Replace what was searched for"),
    bind(&["Ctrl-N"], Context::Write, A::Complete, "", "Offer words for this place"),
    bind(&["Ctrl-C"], Context::Write, A::Copy, "", "Copy what is selected, or the line"),
    bind(&["Ctrl-X"], Context::Write, A::Cut, "", "Cut what is selected, or the line"),
    bind(&["Ctrl-V"], Context::Write, A::PasteHere, "", "Paste what was copied or cut"),
    bind(&["Ctrl-A"], Context::Write, A::SelectAll, "", "Select everything"),
    bind(&["Ctrl-K"], Context::Write, A::Comment, "", "Make the selected lines comments, or no comments again"),
    bind(&["Ctrl-B"], Context::Write, A::Columns, "", "Put the text in columns"),
    bind(&["Ctrl-J"], Context::Write, A::Bracket, "", "To the bracket that belongs to the one under the cursor"),
    bind(&["q", "Ctrl-Q"], Both, A::Quit, "quit", "Quit"),
    bind(&["Space", "Ctrl-C"], Walk, A::Pause, "pause", "Pause a running program"),
    bind(&["Tab"], Walk, A::NextPane, "next pane", "Next pane: source, stack, memory, console"),
    bind(&["Backtab"], Walk, A::LastPane, "", "Last pane"),
    bind(&["Home"], Walk, A::ToStart, "", "To the start of the run"),
    bind(&["End"], Walk, A::ToEnd, "", "To the furthest step of the run"),
    bind(&["t"], Walk, A::ToStep, "", "To a step by its number"),
    bind(&["R"], Walk, A::Restart, "", "Restart: a new run from the entry"),
    bind(&["p"], Walk, A::ToPresentLine, "", "Show the present line"),
    bind(&["="], Walk, A::SetValue, "set", "Set a register or memory cell"),
    bind(&["m"], Walk, A::MemoryAt, "memory at", "Memory at a label, address or register"),
    bind(&["M"], Walk, A::NextRegion, "", "Memory: next region"),
    bind(&["a"], Walk, A::BreakpointAt, "", "Breakpoint at an address or label"),
    bind(&["C"], Walk, A::ClearBreakpoints, "", "Clear all breakpoints"),
    bind(&["/", "Ctrl-F"], Both, A::Search, "search", "Search the source"),
    bind(&["n"], Walk, A::SearchAgain, "", "Search again for the same"),
    bind(&["N"], Walk, A::NextProblem, "", "To the next problem"),
    bind(&["l", "Ctrl-L"], Both, A::ToGivenLine, "", "To a line by its number"),
    bind(&["Up"], Walk, A::Up, "", "Up a line"),
    bind(&["Down"], Walk, A::Down, "", "Down a line"),
    bind(&["PageUp"], Both, A::PageUp, "", "Up a page"),
    bind(&["PageDown"], Both, A::PageDown, "", "Down a page"),
    bind(&["Ctrl-Home"], Both, A::FirstLine, "", "To the first line"),
    bind(&["Ctrl-End"], Both, A::LastLine, "", "To the last line"),
    bind(&["S"], Walk, A::SaveAs, "", "Save under another name"),
    bind(&["D"], Walk, A::EndInput, "", "End the typed input"),
];

/// Commands that fit a query, best first; all of them for an empty one.
pub(crate) fn palette(query: &str) -> Vec<&'static Binding> {
    if query.trim().is_empty() {
        return BINDINGS.iter().collect();
    }
    let mut matcher = Matcher::new(Config::DEFAULT);
    let pattern = Pattern::new(query, CaseMatching::Ignore, Normalization::Smart, AtomKind::Substring);
    let names: Vec<&str> = BINDINGS.iter().map(|binding| binding.name).collect();
    let found = pattern.match_list(names, &mut matcher);
    found.into_iter().filter_map(|(name, _)| BINDINGS.iter().find(|binding| binding.name == name)).collect()
}

/// The name of a key: `g`, `G`, `Ctrl-S`, `Right`, `Space`.
pub(crate) fn key_name(key: KeyEvent) -> String {
    let mut name = String::new();
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        name.push_str("Ctrl-");
    }
    if key.modifiers.contains(KeyModifiers::ALT) {
        name.push_str("Alt-");
    }
    match key.code {
        KeyCode::Char(' ') => name.push_str("Space"),
        KeyCode::Char(c) if key.modifiers.contains(KeyModifiers::CONTROL) => name.push(c.to_ascii_uppercase()),
        KeyCode::Char(c) => name.push(c),
        KeyCode::BackTab => name.push_str("Backtab"),
        code => name.push_str(&format!("{code:?}")),
    }
    name
}

/// The action a key stands for while walking or writing.
pub(crate) fn action_for(key: KeyEvent, writing: bool) -> Option<Action> {
    let name = key_name(key);
    let context = if writing { Context::Write } else { Walk };
    // A plain sign typed while writing is text, whatever it means elsewhere.
    let is_text = writing && matches!(key.code, KeyCode::Char(_)) && !name.starts_with("Ctrl-");
    BINDINGS
        .iter()
        .filter(|binding| binding.context == context || binding.context == Both)
        .find(|binding| !is_text && binding.keys.contains(&name.as_str()))
        .map(|binding| binding.action)
}

/// Keys shown with arrows, as on the keys line.
pub(crate) fn shown(key: &str) -> String {
    match key {
        "Right" => "→".to_owned(),
        "Left" => "←".to_owned(),
        "Up" => "↑".to_owned(),
        "Down" => "↓".to_owned(),
        "Backtab" => "Shift-Tab".to_owned(),
        key => key.to_owned(),
    }
}

/// `docs/keys.md`, whole.
pub fn keys_document() -> String {
    let mut out = String::from(
        "# Keys\n\n<!-- Written by `cargo run -p wendax-tui --example keys`; a test holds it to the code. -->\n\n\
         Left and right are time, up and down are place. While writing, everything else that is typed goes into\n\
         the text; Backspace, Delete, Home, End and Ctrl with an arrow work as in most editors, Shift with them\n\
         selects, and Tab takes the word that is offered. The mouse puts the cursor, selects and scrolls. While a program\n\
         waits for input, what is typed goes to its console: Enter sends it, Ctrl-D ends the input, Esc leaves.\n",
    );
    for (title, writing) in [("Walking", false), ("Writing", true)] {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {title}\n\n| keys | what they do |\n|---|---|");
        for binding in BINDINGS {
            let context = if writing { Context::Write } else { Walk };
            if binding.context != context && binding.context != Both {
                continue;
            }
            let text = |key: &&&str| !writing || key.chars().count() > 1;
            let keys: Vec<String> = binding.keys.iter().filter(text).map(|key| format!("`{}`", shown(key))).collect();
            if !keys.is_empty() {
                let _ = writeln!(out, "| {} | {} |", keys.join(" "), binding.name);
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things() {
        for writing in [false, true] {
            let context = if writing { Context::Write } else { Walk };
            let bound = BINDINGS.iter().filter(|b| b.context == context || b.context == Both);
            let mut keys: Vec<&str> = bound.flat_map(|b| b.keys.iter().copied()).collect();
            keys.sort_unstable();
            let all = keys.len();
            keys.dedup();
            assert_eq!(keys.len(), all);
        }
    }

    #[test]
    fn signs_are_text_while_writing() {
        let key = |code, modifiers| KeyEvent::new(code, modifiers);
        let q = key(KeyCode::Char('q'), KeyModifiers::NONE);
        assert_eq!(action_for(q, false), Some(Action::Quit));
        assert_eq!(action_for(q, true), None);
        assert_eq!(action_for(key(KeyCode::Char('q'), KeyModifiers::CONTROL), true), Some(Action::Quit));
        assert_eq!(action_for(key(KeyCode::Char('G'), KeyModifiers::SHIFT), false), Some(Action::GoBack));
    }

    #[test]
    fn the_document_holds_todays_keys() {
        let text = include_str!("../../../docs/keys.md");
        assert!(text == keys_document(), "run `cargo run -p wendax-tui --example keys`");
    }
}
