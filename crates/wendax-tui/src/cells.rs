//! How text fills the cells of a screen: by grapheme and width, with tabs going to the next multiple of eight.
//!
//! Places in a line are counted in characters elsewhere; here they become columns of cells and back. Nothing here
//! draws.

use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Cells between two tab stops.
const TAB: usize = 8;

/// The width of a text in cells, at most what a screen can have.
pub fn width(text: &str) -> u16 {
    u16::try_from(text.width()).unwrap_or(u16::MAX)
}

/// The cells a grapheme takes when it begins in column `at`.
fn grapheme_width(grapheme: &str, at: usize) -> usize {
    if grapheme == "\t" { TAB - at % TAB } else { grapheme.width().max(1) }
}

/// The column of cells in which the character number `place` of a line begins; behind the line for one past it.
pub fn column_of(line: &str, place: usize) -> usize {
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
pub fn place_at(line: &str, column: usize) -> usize {
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
pub fn next_place(line: &str, place: usize, forward: bool) -> Option<usize> {
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
pub fn shown(piece: &str, at: usize) -> String {
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
pub fn without_first(text: &str, cells: usize) -> String {
    let mut skipped = 0;
    let mut rest = text.graphemes(true);
    while skipped < cells {
        let Some(grapheme) = rest.next() else { return String::new() };
        skipped += grapheme.width().max(1);
    }
    " ".repeat(skipped - cells) + rest.as_str()
}

/// The text, or what fits of it with `…` at its end.
pub fn fitted(text: &str, room: u16) -> String {
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
