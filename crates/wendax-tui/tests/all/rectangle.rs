//! A rectangle of columns.

use proptest::prelude::*;
use wendax_tui::Editor;
use wendax_tui::inside::Rectangle;

/// The cells of these lines and columns are selected.
fn at(text: &str, from: (usize, usize), to: (usize, usize)) -> Editor {
    let mut editor = Editor::new(text);
    editor.go_to(from.0, from.1);
    editor.stretch(to.0.cast_signed() - from.0.cast_signed(), to.1.cast_signed() - from.1.cast_signed());
    editor
}

#[test]
fn signs_go_into_each_line_and_are_one_change() {
    let mut editor = at("mov r1, 2\nx\nadd r1, 3\n", (0, 4), (2, 6));
    assert_eq!(editor.selected_text().as_deref(), Some("r1\n\nr1"));
    for sign in ["r", "1", "0"] {
        editor.insert(sign);
    }
    assert_eq!(editor.text(), "mov r10, 2\nx   r10\nadd r10, 3\n");
    editor.backspace();
    editor.backspace();
    assert_eq!(editor.text(), "mov r, 2\nx   r\nadd r, 3\n");
    editor.delete();
    assert_eq!(editor.text(), "mov r 2\nx   r\nadd r 3\n");
    while editor.undo() {}
    assert_eq!(editor.text(), "mov r1, 2\nx\nadd r1, 3\n");
    assert!(editor.rectangle().is_none());
}

#[test]
fn columns_are_cut_pushed_to_a_stop_and_put_elsewhere() {
    let mut editor = at("a 1 ;x\nbb 22;y\nc 3 ;z", (0, 2), (2, 4));
    let cut = editor.selected_text().expect("it is selected");
    assert_eq!(cut, "1 \n 2\n3 ");
    assert!(editor.erase_selection());
    assert_eq!(editor.text(), "a ;x\nbb2;y\nc ;z");
    editor.tab();
    assert_eq!(editor.text(), "a       ;x\nbb      2;y\nc       ;z");
    editor.select(false);
    editor.go_to(2, 0);
    editor.paste_rectangle(&cut);
    assert_eq!(editor.text(), "a       ;x\nbb      2;y\n1 c       ;z\n 2\n3 ");
    assert!(editor.undo());
    assert_eq!(editor.text(), "a       ;x\nbb      2;y\nc       ;z", "lines that were needed go with it");
}

#[test]
fn a_rectangle_is_what_was_selected_and_is_that_again() {
    let mut editor = Editor::new("\tab\n日本語\n");
    editor.select_range((0, 1), (1, 1));
    editor.turn_rectangle();
    assert_eq!(editor.rectangle(), Some(Rectangle { lines: 0..=1, cells: 2..8 }));
    editor.turn_rectangle();
    assert_eq!(editor.selection(), Some(((0, 1), (1, 1))));
    // Moves without selecting end it.
    editor.turn_rectangle();
    editor.select(false);
    assert_eq!((editor.rectangle(), editor.selection()), (None, None));
}

proptest! {
    /// Against text as a grid of signs.
    #[test]
    fn filling_is_filling_a_grid(
        lines in proptest::collection::vec("[a-z]{0,6}", 1..5),
        (from, to) in ((0usize..5, 0usize..7), (0usize..5, 0usize..7)),
        sign in "[A-Z]",
    ) {
        let count = lines.len();
        let (from, to) = ((from.0.min(count - 1), from.1), (to.0.min(count - 1), to.1));
        let from = (from.0, from.1.min(lines[from.0].len()));
        let mut editor = at(&lines.join("\n"), from, to);
        let (top, bottom) = (from.0.min(to.0), from.0.max(to.0));
        let (left, right) = (from.1.min(to.1), from.1.max(to.1));
        let before = editor.text();
        editor.insert(&sign);
        let wanted: Vec<String> = lines.iter().enumerate().map(|(line, text)| {
            if !(top..=bottom).contains(&line) {
                return text.clone();
            }
            let padded = format!("{text:<left$}");
            let behind = padded.get(right..).unwrap_or_default();
            format!("{}{sign}{behind}", &padded[..left])
        }).collect();
        prop_assert_eq!(editor.text(), wanted.join("\n"));
        prop_assert!(editor.undo());
        prop_assert_eq!(editor.text(), before);
    }
}
