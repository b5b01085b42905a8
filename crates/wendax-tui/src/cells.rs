//! How text fills the cells of a screen: by grapheme and width, with tabs going to the next multiple of eight.
//!
//! Places in a line are counted in characters elsewhere; here they become columns of cells and back. Nothing here
//! draws.

use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Cells between two tab stops.
const TAB: usize = 8;

/// The width of a text in cells, at most what a screen can have.
pub(crate) fn width(text: &str) -> u16 {
    u16::try_from(text.width()).unwrap_or(u16::MAX)
}

/// The cells a grapheme takes when it begins in column `at`.
fn grapheme_width(grapheme: &str, at: usize) -> usize {
    if grapheme == "\t" { TAB - at % TAB } else { grapheme.width().max(1) }
}

/// The column of cells in which the character number `place` of a line begins; behind the line for one past it.
pub(crate) fn column_of(line: &str, place: usize) -> usize {
    if line.is_ascii() && !line.contains('\t') {
        return place.min(line.len());
    }
    let (mut at, mut characters) = (0, 0);
    for grapheme in line.graphemes(true) {
        characters += grapheme.chars().count();
        if characters > place {
            break;
        }
        at += grapheme_width(grapheme, at);
    }
    at
}

/// The column behind a piece of a line that begins in column `at`.
pub(crate) fn behind(piece: &str, at: usize) -> usize {
    if piece.is_ascii() && !piece.contains('\t') {
        return at + piece.len();
    }
    piece.graphemes(true).fold(at, |at, grapheme| at + grapheme_width(grapheme, at))
}

/// The character of a line that is shown in a column of cells; one past the last for columns behind the line.
pub(crate) fn place_at(line: &str, column: usize) -> usize {
    let (mut at, mut characters) = (0, 0);
    for grapheme in line.graphemes(true) {
        at += grapheme_width(grapheme, at);
        if at > column {
            break;
        }
        characters += grapheme.chars().count();
    }
    characters
}

/// The place before or behind a place of a line, a whole grapheme further; `None` at the ends.
pub(crate) fn next_place(line: &str, place: usize, forward: bool) -> Option<usize> {
    let mut borders = vec![0];
    let mut characters = 0;
    for grapheme in line.graphemes(true) {
        characters += grapheme.chars().count();
        borders.push(characters);
    }
    if forward {
        borders.into_iter().find(|&border| border > place)
    } else {
        borders.into_iter().rev().find(|&border| border < place)
    }
}

/// A piece of a line as it is shown when it begins in column `at`: tabs are blanks.
pub(crate) fn shown(piece: &str, at: usize) -> String {
    if !piece.contains('\t') {
        return piece.to_owned();
    }
    let mut out = String::with_capacity(piece.len() + TAB);
    let mut column = at;
    for grapheme in piece.graphemes(true) {
        let wide = grapheme_width(grapheme, column);
        if grapheme == "\t" {
            out.push_str(&" ".repeat(wide));
        } else {
            out.push_str(grapheme);
        }
        column += wide;
    }
    out
}

/// A text without its first `cells` cells; half a wide sign becomes a blank.
pub(crate) fn without_first(text: &str, cells: usize) -> String {
    let mut skipped = 0;
    let mut rest = text.graphemes(true);
    while skipped < cells {
        let Some(grapheme) = rest.next() else { return String::new() };
        skipped += grapheme.width().max(1);
    }
    " ".repeat(skipped - cells) + rest.as_str()
}

/// The text, or what fits of it with `…` at its end.
pub(crate) fn fitted(text: &str, room: u16) -> String {
    if width(text) <= room {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut used = 1;
    for grapheme in text.graphemes(true) {
        used += width(grapheme).max(1);
        if used > room {
            break;
        }
        out.push_str(grapheme);
    }
    if room > 0 {
        out.push('…');
    }
    out
}

/// The end of a text that fits, with `…` at its beginning: of a path the name is what tells.
pub(crate) fn fitted_end(text: &str, room: u16) -> String {
    if width(text) <= room {
        return text.to_owned();
    }
    let mut kept: Vec<&str> = Vec::new();
    let mut used = 1;
    for grapheme in text.graphemes(true).rev() {
        used += width(grapheme).max(1);
        if used > room {
            break;
        }
        kept.push(grapheme);
    }
    let end: String = kept.into_iter().rev().collect();
    if room > 0 { format!("…{end}") } else { end }
}

/// Breaks a text into lines of at most `room` cells, at blanks where there are some, else within a word.
pub(crate) fn wrap(text: &str, room: u16) -> Vec<String> {
    let options = textwrap::Options::new(usize::from(room.max(1)))
        .wrap_algorithm(textwrap::WrapAlgorithm::FirstFit)
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation);
    textwrap::wrap(text, options).into_iter().map(std::borrow::Cow::into_owned).collect()
}

/// The same, each line as far from the margin as the text began.
pub(crate) fn wrap_indented(text: &str, room: u16) -> Vec<String> {
    if width(text) <= room {
        return vec![text.to_owned()];
    }
    let indent: String = text.chars().take_while(|c| *c == ' ').collect();
    let wrapped = wrap(text.trim_start(), room.saturating_sub(width(&indent)));
    wrapped.into_iter().map(|line| format!("{indent}{line}")).collect()
}

/// A text that takes exactly so many cells: what does not fit is cut, and blanks fill the rest.
pub(crate) fn padded(text: &str, cells: u16) -> String {
    let text = fitted(text, cells);
    let blanks = usize::from(cells.saturating_sub(width(&text)));
    text + &" ".repeat(blanks)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn places_and_columns_lead_to_each_other() {
        // A letter with a mark of its own, a wide sign, a tab.
        let line = "e\u{301}日\tx";
        let columns: Vec<usize> = (0..=5).map(|place| column_of(line, place)).collect();
        assert_eq!(columns, [0, 0, 1, 3, 8, 9]);
        let places: Vec<usize> = [0, 1, 2, 3, 7, 8, 9].map(|column| place_at(line, column)).to_vec();
        assert_eq!(places, [0, 2, 2, 3, 3, 4, 5]);
        assert_eq!((next_place(line, 0, true), next_place(line, 2, false)), (Some(2), Some(0)), "marks stay on");
        assert_eq!((next_place(line, 5, true), next_place(line, 0, false)), (None, None));
        assert_eq!(
            (shown("\tx", 3), without_first("日本", 1), fitted("日本語", 5)),
            ("     x".into(), " 本".into(), "日本…".into())
        );
    }

    proptest! {
        #[test]
        fn what_fits_fits(text in "[ -~ö日\u{301}]{0,30}", room in 0u16..30) {
            prop_assert!(width(&fitted(&text, room)) <= room);
            let place = place_at(&text, room.into());
            prop_assert!(column_of(&text, place) <= usize::from(room) || place == 0);
        }
    }
}
