//! All commands with their keys, as one table: what each is called, where it can be given, by which keys.
//!
//! The keys line, the palette, the guide and `docs/keys.md` are made from it. An action stands in it once, with all
//! keys it has; what only the palette has stands in it too. Commands that ask for something are in `update/prompts.rs`.
//!
//! A row: where, keys, what it does, its name, behind `/` other words people have for it, behind `@` what the keys line
//! says. Rows without other words are moves and answers: keys, and no commands of the palette.

use crate::actions::{Action, Edit, File, Find, Hand, Look, Motion, Reply, Talk, Text, Travel};
use crate::keys::{Binding, Context, key_name, shown};
use crate::panes::{self, PaneId};
use crate::update::prompts::PROMPTS;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use std::fmt::Write;

macro_rules! commands {
    ($([$($context:ident)*] $($key:literal)* => $kind:ident::$what:ident $(($($of:tt)*))?, $name:literal
        $(/ $words:literal)? $(@ $short:literal)?;)*) => {
        &[$(Binding {
            keys: &[$($key),*],
            contexts: &[$(Context::$context),*],
            action: Action::$kind($kind::$what $(($($of)*))?),
            short: concat!($($short)?),
            name: $name,
            words: concat!($($words)?),
        }),*]
    };
}

/// All but those that ask. The order is that of the keys line, which shows as many as fit.
const TABLE: &[Binding] = commands! {
    [Write] "Esc" => Look::Walk, "Walk: leave writing" / "run done finish stop editing" @ "walk";
    // ---- walking
    [Walk] "Right" => Travel::Step, "Step: execute one instruction" / "next single into" @ "step";
    [Walk] "Left" => Travel::StepBack, "Step back: un-execute one instruction" / "undo reverse previous last" @ "back";
    [Walk] "]" => Travel::Over, "Step over a call" / "next call routine subroutine function" @ "over";
    [Walk] "[" => Travel::OverBack, "Step back over a call" / "reverse previous routine";
    [Walk] "g" => Travel::Go, "Go on to the next stop" / "run continue resume start execute" @ "go on";
    [Walk] "G" => Travel::GoBack, "Go back to the last stop: breakpoint, typed input or start"
        / "reverse continue rewind" @ "go back";
    [Walk] "e" => Look::Write, "Write: edit the source" / "insert change type modify" @ "write";
    [Walk Write] "?" "Ctrl-W" => Look::Guide, "Guide: what is under the cursor, and everything there is"
        / "help manual reference documentation what tutorial explain" @ "guide";
    [Walk Write] "F1" => Look::Lessons, "First steps: show what to try next, or hide it"
        / "tutorial lesson beginner learn start introduction tour course";
    [Lessons] "F2" => Look::LessonBack, "First steps: the one before" / "tutorial lesson again";
    [Lessons] "F3" => Look::LessonOn, "First steps: the next one, done or not" / "tutorial lesson skip";
    [Walk] => Look::Read(Text::Try), "What to try in this demo" / "page exercises task read me help start";
    [Walk Write] => Look::Read(Text::Messages), "The last messages" / "told said log history error warning list";
    [Walk Write] => Look::Read(Text::Keys), "All keys, by where they mean something" / "list shortcuts bindings help";
    [Walk Write] => Look::Read(Text::Settings), "Settings: what is preferred, and where that is set"
        / "preferences configuration options theme colour dark light mouse ground";
    [Walk Write] ":" "Ctrl-P" => Look::Palette, "Palette: find a command by its words"
        / "commands menu list" @ "palette";
    [Walk] "Space" "Ctrl-C" => Travel::Pause, "Pause a running program" / "stop halt break interrupt";
    [Walk] "b" => Hand::Breakpoint, "Breakpoint on this line: set or clear" / "stop toggle halt" @ "breakpoint";
    [Walk Write] "Ctrl-S" => File::Save, "Save the source" / "write file store keep" @ "save";
    [Walk Write] "Ctrl-T" => Edit::Mend, "Mend the problem on this line with its fix"
        / "fix repair correct error" @ "mend";
    [Walk Write] "q" "Ctrl-Q" => File::Quit, "Quit" / "exit leave close end bye" @ "quit";
    [Write] "Ctrl-Z" => Edit::Undo, "Undo the last change" / "take back revert" @ "undo";
    [Write] "Ctrl-Y" => Edit::Redo, "Redo what was undone" / "again repeat" @ "redo";
    [Walk] "Ctrl-Z" => Hand::TakeBack, "Take back what was done by hand last: value, lever, input, run, stops, text"
        / "undo revert back branch dropped ahead replacement";
    [Walk] "Ctrl-Y" => Hand::DoAgain, "Do again what was taken back last" / "redo repeat again";
    [Walk Write] "f" "Ctrl-O" => Look::Files, "Files of the program: look at another one"
        / "open switch document list tab" @ "files";
    [Walk Write] "l" "Ctrl-L" => Look::GoTo, "Go to a line, a label, a problem or a call, by a few letters"
        / "jump list symbols outline number backtrace" @ "go to";
    [Walk List] "Tab" => Look::NextPane, "Next pane" / "focus switch window" @ "next pane";
    [Walk List] "Backtab" => Look::LastPane, "Last pane" / "focus switch window previous";
    [Walk] "o" => Look::Fill, "This pane alone on the page, and back"
        / "fill full zoom maximize only large" @ "this pane alone";
    [Walk] => Look::Show, "Show to others: large source, what comes next, one pane; and back"
        / "present projector teach lecture large big";
    [Walk] "L" => Look::Board, "Board: lamps, levers, digits, timer, interrupts; again for the page of it"
        / "devices switches lights leds display";
    [Walk] "P" => Look::Pages, "Pages: tally, flow, atlas, trials; again for the next one" / "views full screen" @ "pages";
    [Walk] => Look::Page(PaneId::Flow), "Flow: the present routine as blocks and the ways between them"
        / "paths graph control flow blocks branches diagram chart structure loops basic";
    [Walk] => Look::Page(PaneId::Atlas), "Atlas: all of memory as a map"
        / "memory map overview regions heap stack usage layout touched changed pointers";
    [Walk] => Look::Page(PaneId::Tally), "Tally: what the run cost, and where"
        / "profile profiler performance cost cycles count statistics hot spots time measure compare benchmark coverage";
    [Walk] => Look::Page(PaneId::Trials), "Trials: rows with what is given and expected, tried with each text"
        / "tests unit test cases table check grade expected assert";
    [Walk] => Look::Beside, "Beside the lines: how often each ran, then the cycles of instructions, then nothing"
        / "counts coverage never ran hot heat cycles cost margin profile";
    [Walk] "Esc" => Look::Back, "Back to the bench" / "leave page close return";
    [Page] "Esc" => Look::Back, "From the page to the bench" / "leave close return" @ "bench";
    [Tally] "x" => Look::NextTable, "Tally: the next table" / "routines lines instructions jumps memory" @ "next table";
    [Tally] => Look::LastTable, "Tally: the table before" / "routines lines instructions jumps memory";
    [Tally] "Shift-Right" => Look::SortOn, "Tally: sort by the next column" / "order" @ "sort";
    [Tally] "Shift-Left" => Look::SortBack, "Tally: sort by the column before" / "order";
    [Tally] => Look::SortOther, "Tally: the other way round" / "order reverse";
    [Tally] "c" => Look::Compare, "Tally: beside the next one that was kept; the first time, keep it"
        / "difference before after side" @ "compare";
    [Trials] "x" => Look::Cells, "Trials: the cells of the rows, or what came of them" / "edit table columns" @ "cells";
    [Trials] "Shift-Right" => Look::CellOn, "Trials: the next cell of the row" / "column right";
    [Trials] "Shift-Left" => Look::CellBack, "Trials: the cell before" / "column left";
    [Trials] "c" => File::CopyRow, "Trials: copy the row" / "duplicate" @ "copy";
    [Trials] "Delete" => File::RemoveRow, "Trials: take the row away" / "remove delete";
    [Trials] "Ctrl-Z" => File::UndoRow, "Trials: take back the last change of the table" / "row cell" @ "undo";
    [Walk] => Look::Pane(PaneId::Drawer), "The program's files: what is open, and what is in them now"
        / "handles read write disk data";
    [Walk] => Talk::Strike, "Strike keys: each goes to the program at once" / "press type keyboard console poll";
    [Board] "0" => Hand::Lever(0), "Move lever 0: up or down";
    [Board] "1" => Hand::Lever(1), "Move lever 1";
    [Board] "2" => Hand::Lever(2), "Move lever 2";
    [Board] "3" => Hand::Lever(3), "Move lever 3";
    [Board] "4" => Hand::Lever(4), "Move lever 4";
    [Board] "5" => Hand::Lever(5), "Move lever 5";
    [Board] "6" => Hand::Lever(6), "Move lever 6";
    [Board] "7" => Hand::Lever(7), "Move lever 7";
    [Board] "8" => Hand::Lever(8), "Move lever 8";
    [Board] "9" => Hand::Lever(9), "Move lever 9";
    [Walk] "}" => Travel::Out, "Step out of the routine" / "finish return leave until";
    [Walk] "{" => Travel::OutBack, "Step back out of the routine, to its call" / "reverse return caller";
    [Walk] ">" => Travel::LineStep, "Step to another line of the source: macros and calls at once"
        / "next line statement";
    [Walk] "<" => Travel::LineBack, "Step back to where the line before began" / "previous line statement reverse";
    [Walk] "." => Travel::ToLine, "Go on to the line under the cursor" / "until here run cursor";
    [Walk] "," => Travel::BackToLine, "Go back to the line under the cursor" / "until here reverse cursor";
    [Walk] "Home" => Travel::ToStart, "To the start of the run" / "begin first rewind";
    [Walk] "End" => Travel::ToEnd, "To the furthest step of the run" / "last finish";
    [Walk] "r" => Travel::Replay, "Replay: a new run of the present text, with the same input, to the same place"
        / "rerun again reload rebuild update";
    [Walk] "R" => Travel::Restart, "Restart: a new run from the entry" / "reset again rerun reload";
    [Walk] "u" => Look::Unfold, "Unfold the line: show what a macro or other instruction became"
        / "expand macro disassemble generated" @ "unfold";
    [Walk] "p" => Find::Present, "Show the present line" / "where current pc now";
    [Walk] => Look::NextRegion, "Memory: next region" / "data stack heap devices vectors code lamp device";
    [Walk] => Hand::StopOnOff, "Turn the stop off, or on again" / "breakpoint disable enable";
    [Walk] "s" => Look::Pane(PaneId::Stops), "Pane: stops, how often each was met, and what was noted"
        / "breakpoints watchpoints conditions tracepoints hits counts halt notes log list" @ "stops";
    [Walk] => Hand::ClearBreakpoints, "Clear all stops" / "delete remove breakpoints";
    [List] "Delete" => Hand::Remove, "Take away what is chosen" / "remove clear";
    [Walk] => Find::InMemoryBack, "Find in memory further back" / "search last previous";
    [Walk] => Hand::WatchRoutine, "Watch what the present routine uses, or no longer" / "locals auto variables";
    [Walk] "T" => Look::Pane(PaneId::Trail), "Pane: trail, the steps of the run"
        / "trace history steps log executed instructions timeline" @ "trail";
    [Walk] "h" => Look::History, "Changes of what is chosen: who wrote it last, who changes it next, all of them"
        / "history origin where from who wrote why story data flow" @ "changes";
    [Walk] "H" => Travel::ToWriter, "To the step that wrote what is chosen last"
        / "origin where from who wrote why last writer";
    [Walk] "k" => Travel::Slow, "Run slowly, with everything following; and pause that"
        / "animate slow motion play speed";
    [Walk] "+" => Travel::Faster, "Run faster" / "speed slow pace";
    [Walk] "-" => Travel::Slower, "Run slower" / "speed slow pace";
    [Walk] "(" => Travel::VisitBack, "Back to the moment that was looked at before" / "visited return jump last";
    [Walk] ")" => Travel::VisitForth, "Forth again to the moment that was left" / "visited jump next";
    [Walk] "i" => Talk::Type, "Type to the program: what is typed goes to it" / "input console keyboard enter";
    [Walk] => Talk::EndInput, "End the typed input" / "eof close finish";
    [Walk Write] "/" "Ctrl-F" => Look::Search, "Search: the text; in memory its bytes, in the trail its steps"
        / "find look grep source" @ "search";
    [Walk] "n" => Find::Again, "On to the next place of what was searched for" / "find again match";
    [Walk] => Find::SearchBack, "Back to the last place of what was searched for in the text"
        / "find again match previous";
    [Walk] "N" => Find::NextProblem, "To the next problem" / "error warning mistake";
    [Walk Write] "d" "Ctrl-G" => Find::Definition, "To where the name on the line is defined"
        / "jump goto declaration label";
    [Walk Write] "Ctrl-U" => Find::NextUse, "To the next place that uses the name on the line"
        / "references callers where";
    [Walk Write] "Ctrl-E" => Edit::Rename, "Rename what is under the cursor, in all files"
        / "change name label refactor";
    [Walk Write] "Ctrl-R" => Edit::Replace, "Replace what was searched for" / "substitute exchange";
    [Walk] => Look::CodeWords, "Show or put away the code words beside the source"
        / "machine code hexadecimal bytes opcode encoding";
    [Walk] => Look::Wrap, "Wrap long lines of the source, or cut them" / "comments break fold";
    [Walk] "x" => Look::Form, "What has the keys in another form: source, registers, memory, trail, tally; what a call changed"
        / "other next table counts" @ "other form";
    [Walk] => Look::Guess, "Guess: hide what the coming step will do, and ask" / "quiz predict foretell test learn hide teach";
    [Walk] => Look::Read(Text::Exercise), "Questions that were asked, and how they were answered" / "quiz score result questions";
    [Walk] => Look::Leave, "Leave the questions that are asked" / "quiz end stop quit";
    [Walk] => Look::Read(Text::Guesses), "Guesses: how many were right, by kind of instruction" / "quiz score result statistics";
    [Walk] => Look::Binary, "Registers in binary, or in decimal" / "bits base two binary";
    [Walk] => Look::Words, "Words of memory in hexadecimal, signed or unsigned" / "bits base two decimal numbers";
    // ---- moving up and down
    [Walk List Write Field] "Up" => Motion::Up, "Up a line";
    [Walk List Write Field] "Down" => Motion::Down, "Down a line";
    [Walk List Write Field] "PageUp" => Motion::PageUp, "Up a page" / "scroll";
    [Walk List Write Field] "PageDown" => Motion::PageDown, "Down a page" / "scroll";
    [Walk List Write Field] "Ctrl-Home" => Motion::First, "To the first line" / "top begin";
    [Walk List Write Field] "Ctrl-End" => Motion::Last, "To the last line" / "bottom end";
    [Walk] "Shift-Right" => Motion::Sideways, "See more of long lines" / "scroll horizontal comments right";
    [Walk] "Shift-Left" => Motion::SidewaysBack, "Back to the beginning of the lines" / "scroll horizontal left";
    [List] "Enter" => Motion::Enter, "To the line or moment of what is chosen" / "open jump" @ "go there";
    // ---- writing
    [Write Field Console] "Left" => Edit::Left, "Left a sign";
    [Write Field Console] "Right" => Edit::Right, "Right a sign";
    [Write Field Console] "Ctrl-Left" => Edit::WordLeft, "Left a word";
    [Write Field Console] "Ctrl-Right" => Edit::WordRight, "Right a word";
    [Write Field Console] "Home" => Edit::Home, "To the first sign of the line, or its margin";
    [Write Field Console] "End" => Edit::End, "To the end of the line";
    [Write Field Console] "Shift-Left" => Edit::SelectLeft, "Select a sign to the left";
    [Write Field Console] "Shift-Right" => Edit::SelectRight, "Select a sign to the right";
    [Write Field Console] "Ctrl-Shift-Left" => Edit::SelectWordLeft, "Select a word to the left";
    [Write Field Console] "Ctrl-Shift-Right" => Edit::SelectWordRight, "Select a word to the right";
    [Write Field Console] "Shift-Home" => Edit::SelectHome, "Select to the beginning of the line";
    [Write Field Console] "Shift-End" => Edit::SelectEnd, "Select to the end of the line";
    [Write] "Shift-Up" => Edit::SelectUp, "Select a line up";
    [Write] "Shift-Down" => Edit::SelectDown, "Select a line down";
    [Write] "Alt-Shift-Left" => Edit::StretchLeft, "Select a rectangle of columns: a cell to the left";
    [Write] "Alt-Shift-Right" => Edit::StretchRight, "Select a rectangle of columns: a cell to the right";
    [Write] "Alt-Shift-Up" => Edit::StretchUp, "Select a rectangle of columns: a line up";
    [Write] "Alt-Shift-Down" => Edit::StretchDown, "Select a rectangle of columns: a line down";
    [Write] => Edit::Rectangle, "What is selected is a rectangle of columns, or is lines again; Shift and arrows change it"
        / "block vertical box";
    [Write Field Console] "Ctrl-A" => Edit::SelectAll, "Select everything" / "mark all";
    [Write] "Enter" => Edit::NewLine, "A new line";
    [Write] "Tab" => Edit::Tab, "On to the next column, or the selected lines further in";
    [Write] "Backtab" => Edit::TabBack, "The line, or the selected ones, less far in";
    [Write Field Console] "Backspace" => Edit::Backspace, "Erase the sign before the cursor";
    [Write Field Console] "Delete" => Edit::Delete, "Erase the sign under the cursor";
    [Write] "Ctrl-D" => Edit::DeleteLine, "Erase the line" / "delete remove";
    [Write] "Ctrl-N" => Edit::Complete, "Offer words for this place, or no longer" / "complete suggest autocomplete";
    [Write Field] "Ctrl-C" => Edit::Copy, "Copy what is selected, or the line" / "clipboard";
    [Write Field Console] "Ctrl-X" => Edit::Cut, "Cut what is selected, or the line" / "clipboard remove";
    [Write Field Console] "Ctrl-V" => Edit::Paste, "Paste what was copied or cut" / "clipboard insert";
    [Write] "Ctrl-K" => Edit::Comment, "Make the selected lines comments, or no comments again"
        / "uncomment toggle disable";
    [Write] => Edit::CommentHere, "A comment on this line, in the column of comments" / "remark annotate semicolon";
    [Write] "Ctrl-Up" => Edit::LineUp, "Move the line, or the selected ones, up" / "shift swap above";
    [Write] "Ctrl-Down" => Edit::LineDown, "Move the line, or the selected ones, down" / "shift swap below";
    [Write] "Ctrl-Shift-Down" => Edit::Double, "Put the line, or the selected ones, below once more"
        / "duplicate copy repeat clone";
    [Write] => Edit::OtherNumber, "Write the number under the cursor in another form: decimal, hexadecimal, binary"
        / "convert base radix hex bits";
    [Write] "Ctrl-B" => Edit::Columns, "Put the text in columns" / "format tidy indent align beautify pretty";
    [Write] "Ctrl-J" => Edit::Bracket, "To the bracket that belongs to the one under the cursor" / "match parenthesis";
    // ---- words offered
    [Offer] "Tab" => Edit::TakeOffer, "Take the word that is offered" @ "take it";
    [Offer] "Up" => Motion::Up, "The word before";
    [Offer] "Down" => Motion::Down, "The next word" @ "another";
    [Offer] "Esc" => Look::Walk, "Leave writing" @ "walk";
    // ---- sheets
    [Field] "Enter" => Reply::Take, "Take what is chosen or written" @ "take it";
    [Field] "Ctrl-E" => Reply::Example, "Put the example into the text, in the guide";
    [Field Question] "Esc" => Reply::Leave, "Leave" @ "leave";
    [Field Console] "Ctrl-Z" => Edit::Undo, "Undo what was written in the field";
    [Question] "s" => Reply::Letter('s'), "Save and quit";
    [Question] "d" => Reply::Letter('d'), "Drop the changes and quit";
    [Question] "k" => Reply::Letter('k'), "Keep your text";
    [Question] "t" => Reply::Letter('t'), "Take the text on disk";
    [Question] "y" => Reply::Letter('y'), "Replace this one; write over the file";
    [Question] "n" => Reply::Letter('n'), "Leave this one as it is";
    [Question] "A" => Reply::Letter('A'), "Allow what a project names outside of its folder";
    [Question] "N" => Reply::Letter('N'), "Never allow it";
    [Question] "a" => Reply::Letter('a'), "Replace all";
    // ---- typing to the program
    [Console] "Enter" => Talk::Send, "Send the line to the program" @ "send";
    [Console] "Ctrl-D" => Talk::EndInput, "End the typed input" @ "end the input";
    [Console] "Esc" => Talk::KeepKeys, "Keys are commands again, until the program waits the next time"
        @ "keys are commands";
    [Field] "Tab" => Edit::TakeOffer, "Write the rest of the name; in the guide, choose what else to see";
    [Field Console] "Ctrl-U" => Edit::Empty, "Empty the field" @ "empty it";
};
/// All of them: those of the table, then those that ask.
pub fn bindings() -> impl Iterator<Item = &'static Binding> {
    TABLE.iter().chain(PROMPTS.iter().filter_map(|prompt| prompt.command.as_ref()))
}

/// The commands of the palette: what has words to be found by, and one for each pane.
pub fn commands() -> impl Iterator<Item = Binding> {
    let is_told = |id: PaneId| {
        let of_pane = [Action::Look(Look::Pane(id)), Action::Look(Look::Page(id))];
        TABLE.iter().any(|binding| of_pane.contains(&binding.action))
    };
    let panes = panes::all().filter(move |(id, _)| !is_told(*id)).map(|(id, pane)| Binding {
        keys: &[],
        contexts: &[Context::Walk],
        action: Action::Look(Look::Pane(id)),
        short: "",
        name: pane.command(),
        words: pane.words(),
    });
    bindings().filter(|binding| binding.is_command()).copied().chain(panes)
}

/// What a key stands for in the first of some contexts that knows it. Where text is taken, plain signs are text and
/// no later context is asked about them.
pub fn action_for(key: KeyEvent, contexts: &[Context]) -> Option<Action> {
    let name = key_name(key);
    let plain =
        matches!(key.code, KeyCode::Char(_)) && !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
    for &context in contexts {
        if plain && context.takes_text() {
            return None;
        }
        let found = bindings().find(|binding| binding.is_of(context) && binding.keys.contains(&name.as_str()));
        if let Some(binding) = found {
            return Some(binding.action);
        }
    }
    None
}

/// What has keys in a context: those that are told of there as they are shown, and what they do.
pub(crate) fn told_in(context: Context) -> impl Iterator<Item = (Vec<String>, &'static str)> {
    let here = bindings().filter(move |binding| binding.is_of(context));
    let told = here.map(move |binding| (binding.keys_in(context).map(shown).collect::<Vec<_>>(), binding.name));
    told.filter(|(keys, _)| !keys.is_empty())
}

/// `docs/keys.md`, whole.
pub fn keys_document() -> String {
    let mut out = String::from(
        "# Keys\n\n<!-- Written by `cargo run -p wendax-tui --example keys`; a test holds it to the code. -->\n\n\
         Left and right are time, up and down are place. While writing, everything else that is typed goes into\n\
         the text. While a program waits for input or runs, what is typed goes to it, and the console says so; Esc keeps\n\
         the keys for commands. Keys with Ctrl that have a plain one beside them while walking work there too: they are for\n\
         writing, and while the program is typed to. The mouse puts the cursor, selects and scrolls. The palette finds every command by its\n\
         words, also by other ones than those it is named by.\n",
    );
    for context in Context::ALL {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "\n## {}\n\n| keys | what they do |\n|---|---|", context.title());
        for (keys, what) in told_in(context) {
            let _ = writeln!(out, "| `{}` | {what} |", keys.join("` `"));
        }
    }
    let _ = writeln!(
        out,
        "\n## Panes\n\nThe palette brings each into view by its name.\n\n| pane | what it shows |\n|---|---|"
    );
    for (_, pane) in panes::all() {
        let _ = writeln!(out, "| {} | {} |", pane.name(), pane.about());
    }
    out
}
