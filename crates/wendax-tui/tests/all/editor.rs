//! The text while it is written.

use proptest::prelude::*;
use wendax_tui::Editor;

#[test]
fn typing_undoes_in_groups_and_saving_is_remembered() {
    let mut editor = Editor::new("a\n");
    for c in ["x", "y"] {
        editor.insert(c);
    }
    editor.new_line();
    editor.insert("z");
    assert_eq!(editor.text(), "xy\nza\n");
    editor.mark_saved();
    assert!(!editor.is_changed());
    assert!(editor.undo() && editor.is_changed());
    assert_eq!(editor.text(), "xy\na\n");
    assert!(editor.undo() && editor.undo() && !editor.undo());
    assert_eq!(editor.text(), "a\n");
    while editor.redo() {}
    assert_eq!((editor.text().as_str(), editor.is_changed()), ("xy\nza\n", false));
    editor.undo();
    editor.insert("!");
    assert!(editor.is_changed(), "the saved text cannot come back by redo");
    editor.undo();
    assert!(editor.is_changed());
}

#[test]
fn indentation_is_kept_and_erased_by_stops() {
    let mut editor = Editor::new("        mov");
    editor.go_to(0, 11);
    editor.new_line();
    assert_eq!(editor.line(1), "        ");
    editor.backspace();
    assert_eq!(editor.line(1), "");
    editor.tab();
    editor.insert("x");
    editor.tab();
    assert_eq!(editor.line(1), "        x       ");
    // Who types the blanks as well, as when a text is pasted key by key, gets them once.
    editor.new_line();
    for c in ["    ", " ", " ", " ", "m"] {
        editor.insert(c);
    }
    assert_eq!(editor.line(2), "               m", "seven are not those that were given");
    editor.new_line();
    editor.insert(&" ".repeat(15));
    editor.insert("m");
    assert_eq!((editor.line(3).as_str(), editor.cursor()), ("               m", (3, 16)));
}

#[test]
fn what_is_selected_is_replaced_by_what_is_written() {
    let mut editor = Editor::new("one\ntwo\nthree");
    editor.go_to(0, 1);
    editor.select(true);
    editor.move_lines(1);
    assert_eq!(editor.selected_text().as_deref(), Some("ne\nt"));
    assert_eq!(editor.selection(), Some(((0, 1), (1, 1))));
    editor.insert("X");
    assert_eq!((editor.text().as_str(), editor.selection()), ("oXwo\nthree", None));
    editor.undo();
    assert_eq!(editor.text(), "one\ntwo\nthree", "taking out and putting in are one change");
    editor.select_all();
    editor.backspace();
    assert_eq!(editor.text(), "");
    editor.undo();
    editor.select_range((2, 5), (1, 0));
    assert_eq!(editor.selected_text().as_deref(), Some("two\nthree"), "either end may be the cursor");
    editor.delete();
    assert_eq!((editor.text().as_str(), editor.cursor()), ("one\n", (1, 0)));
}

#[test]
fn lines_are_changed_as_far_as_they_are_selected() {
    let mut editor = Editor::new("a\nb\nc\nd");
    editor.go_to(1, 0);
    editor.select(true);
    editor.move_lines(2);
    assert_eq!(editor.selected_lines(), (1, 2), "a margin does not reach into its line");
    editor.change_lines(|line| format!("; {line}"));
    assert_eq!(editor.text(), "a\n; b\n; c\nd");
    assert!(editor.undo() && !editor.undo());
    assert_eq!(editor.text(), "a\nb\nc\nd");
    editor.change_lines(str::to_uppercase);
    assert_eq!(
        editor.text().matches(char::is_uppercase).count(),
        1,
        "without a selection it is the line of the cursor"
    );
}

#[test]
fn bytes_and_places_lead_to_each_other() {
    let editor = Editor::new("aö\nb");
    assert_eq!((editor.byte_at(0, 2), editor.byte_at(1, 0), editor.byte_at(0, 99)), (3, 4, 3));
    assert_eq!((editor.place_of_byte(3), editor.place_of_byte(4), editor.place_of_byte(99)), ((0, 2), (1, 0), (1, 1)));
}

#[test]
fn line_ends_of_two_characters_stay_whole() {
    let mut editor = Editor::new("a\r\nb\r\n");
    editor.go_to(1, 0);
    editor.backspace();
    assert_eq!(editor.text(), "ab\r\n");
    editor.new_line();
    assert_eq!(editor.text(), "a\r\nb\r\n");
    editor.go_to(0, 1);
    editor.delete();
    assert_eq!(editor.text(), "ab\r\n");
}

#[test]
fn what_belongs_to_a_line_follows_it() {
    let moved = |text: &str, act: &dyn Fn(&mut Editor), line: usize| {
        let mut editor = Editor::new(text);
        act(&mut editor);
        editor.take_shifts().iter().try_fold(line, |line, shift| shift.moved(line))
    };
    let text = "one\ntwo\nthree\nfour\n";
    let above = |editor: &mut Editor| editor.insert("new\n");
    assert_eq!(moved(text, &above, 0), Some(1));
    assert_eq!(moved(text, &above, 2), Some(3));
    let split = |editor: &mut Editor| {
        editor.go_to(1, 3);
        editor.new_line();
    };
    assert_eq!(moved(text, &split, 1), Some(1));
    assert_eq!(moved(text, &split, 2), Some(3));
    let gone = |editor: &mut Editor| {
        editor.go_to(1, 0);
        editor.delete_line();
    };
    assert_eq!(moved(text, &gone, 1), None);
    assert_eq!(moved(text, &gone, 2), Some(1));
    let join = |editor: &mut Editor| {
        editor.go_to(2, 0);
        editor.backspace();
    };
    assert_eq!(moved(text, &join, 2), Some(1));
    assert_eq!(moved(text, &join, 3), Some(2));
}

#[test]
fn lines_are_moved_and_doubled() {
    let moved = |text: &str, line: usize, down: bool| {
        let mut editor = Editor::new(text);
        editor.go_to(line, 1);
        let done = editor.shift_lines(down);
        let shifts = editor.take_shifts();
        let own = shifts.iter().try_fold(line, |line, shift| shift.moved(line));
        let now = (done, editor.text(), editor.cursor());
        assert!(!done || own == Some(editor.cursor().0), "what belongs to a line goes with it");
        assert!(!done || editor.undo() && !editor.undo() && editor.text() == text, "one step of undo");
        now
    };
    assert_eq!(moved("aa\nbb\ncc\n", 1, true), (true, "aa\ncc\nbb\n".to_owned(), (2, 1)));
    assert_eq!(moved("aa\nbb\ncc\n", 1, false), (true, "bb\naa\ncc\n".to_owned(), (0, 1)));
    assert_eq!(moved("aa\nbb\ncc", 1, true), (true, "aa\ncc\nbb".to_owned(), (2, 1)));
    assert_eq!(moved("aa\nbb\ncc", 2, false), (true, "aa\ncc\nbb".to_owned(), (1, 1)));
    assert_eq!(moved("aa\r\nbb\r\ncc", 2, false), (true, "aa\r\ncc\r\nbb".to_owned(), (1, 1)));
    assert!(!moved("aa\nbb\n", 1, true).0);
    assert!(!moved("aa\nbb\n", 0, false).0);
    let mut editor = Editor::new("aa\nbb\ncc");
    editor.select_range((0, 1), (1, 1));
    assert!(editor.shift_lines(true));
    assert_eq!((editor.text().as_str(), editor.selected_text().as_deref()), ("cc\naa\nbb", Some("a\nb")));
    editor.double_lines();
    assert_eq!((editor.text().as_str(), editor.cursor()), ("cc\naa\nbb\naa\nbb", (4, 1)));
    assert!(editor.undo());
    assert_eq!(editor.text(), "cc\naa\nbb");
}

#[test]
fn another_text_keeps_cursor_and_lines_and_is_one_change() {
    let mut editor = Editor::new("a\nb\nc\nd\n");
    editor.go_to(2, 1);
    editor.become_text("a\nnew\nB\nc\nd\n");
    assert_eq!((editor.text().as_str(), editor.cursor()), ("a\nnew\nB\nc\nd\n", (3, 1)));
    assert_eq!(editor.take_shifts().iter().try_fold(3, |line, shift| shift.moved(line)), Some(4));
    assert!(editor.undo() && !editor.undo());
    assert_eq!(editor.text(), "a\nb\nc\nd\n");
}

#[test]
fn what_looks_like_one_sign_is_one() {
    let mut editor = Editor::new("xe\u{301}日y");
    editor.go_to(0, usize::MAX);
    editor.move_sign(false);
    editor.backspace();
    editor.backspace();
    assert_eq!(editor.text(), "xy");
    editor.undo();
    editor.go_to(0, 1);
    editor.delete();
    assert_eq!(editor.text(), "x日y");
}

proptest! {
    #[test]
    fn changed_lines_make_the_other_text(before in "[ab\n]{0,24}", after in "[ab\n]{0,24}") {
        let mut editor = Editor::new(&before);
        editor.become_text(&after);
        prop_assert_eq!(editor.text(), after);
    }

    #[test]
    fn undoing_everything_gives_the_text_back(text in "[a-zö\u{301}日 \n\r]{0,40}", acts in proptest::collection::vec((0u8..20, 0usize..12), 0..40)) {
        let mut editor = Editor::new(&text);
        for (act, n) in acts {
            match act {
                0 => editor.insert("q"),
                1 => editor.new_line(),
                2 => editor.backspace(),
                3 => editor.delete(),
                4 => editor.move_sign(n % 2 == 0),
                13 => editor.tab_back(),
                14 => editor.become_text(&"a\nq\n".repeat(n)),
                5 => editor.move_lines(n.cast_signed() - 6),
                6 => editor.move_word(n % 2 == 0),
                7 => editor.tab(),
                8 => { editor.undo(); }
                9 => editor.select(n % 2 == 0),
                10 => { editor.erase_selection(); }
                11 => editor.change_lines(|line| line.chars().rev().collect()),
                12 => editor.select_all(),
                15 => editor.stretch(n.cast_signed() % 4 - 1, n.cast_signed() % 3 - 1),
                16 => editor.turn_rectangle(),
                17 => editor.paste_rectangle(&"ab\nc\n"[..n % 6]),
                18 => { editor.shift_lines(n % 2 == 0); }
                _ => editor.delete_line(),
            }
            if let Some((from, to)) = editor.selection() { prop_assert!(from < to); }
            let (line, column) = editor.cursor();
            prop_assert!(line < editor.line_count() && column <= editor.line(line).chars().count());
        }
        let end = editor.text();
        let mut count = 0;
        while editor.undo() { count += 1; }
        prop_assert_eq!(editor.text(), text);
        for _ in 0..count { prop_assert!(editor.redo()); }
        if count > 0 { prop_assert_eq!(editor.text(), end); }
    }
}
