//! Diagnostics as text.
//!
//! One diagnostic becomes a block: a line with place, severity, code and message; the source line with a
//! caret under the place; other places that belong to it; the right forms; the fix and what the line
//! becomes by it. Colour is optional and never the only sign.

use crate::{Diagnostic, Fix, Grade, Label, Severity, Sources, apply_edits, shown, shown_line, shown_sign};
use std::fmt::Write;

/// Whether the text carries colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Style {
    /// Text only.
    Plain,
    /// With ANSI (ECMA-48) colours.
    Coloured,
}

impl Style {
    fn paint(self, sgr: &str, text: &str) -> String {
        match self {
            Self::Plain => text.to_owned(),
            Self::Coloured => format!("\u{1b}[{sgr}m{text}\u{1b}[0m"),
        }
    }
}

/// The widest source line shown in full; longer ones are cut around the caret, so that a line of a
/// megabyte stays one line of a report.
const WIDEST: usize = 120;

/// One diagnostic as a block of lines, ending with a line end.
pub fn render(sources: &Sources, diagnostic: &Diagnostic, style: Style) -> String {
    let mut out = String::new();
    let span = diagnostic.primary.span;
    let place = sources.place(span);
    let colour = match diagnostic.severity {
        Severity::Problem => "31",
        Severity::Warning => "33",
        Severity::Hint => "36",
    };
    let file = sources.file(span.file);
    let name = shown_line(file.name());
    let head = if file.is_stand_in() { name.into_owned() } else { format!("{name}:{}:{}", place.line, place.column) };
    let word = format!("{} {}", diagnostic.severity.word(), diagnostic.code);
    line(
        &mut out,
        &format!("{}  {}  {}", style.paint("1", &head), style.paint(colour, &word), shown_line(&diagnostic.message)),
    );
    show_place(&mut out, sources, &diagnostic.primary, colour, style);
    let mut file = span.file;
    for other in &diagnostic.others {
        if other.span.file != file {
            file = other.span.file;
            line(&mut out, &format!("  {:>8}  {}", "in", style.paint("1", &shown_line(sources.file(file).name()))));
        }
        show_place(&mut out, sources, other, "36", style);
    }
    for (index, form) in diagnostic.expected.iter().enumerate() {
        let title = if index == 0 { "right" } else { "" };
        line(&mut out, &format!("  {title:>8}  {}", shown(form)));
    }
    if let Some(fix) = &diagnostic.fix {
        let word = if fix.grade == Grade::Certain { "mend" } else { "perhaps" };
        line(&mut out, &format!("  {word:>8}  {}", shown(&fix.title)));
        if let Some(mended) = mended_line(sources, fix) {
            line(&mut out, &format!("  {:>8}  {}", "", style.paint("32", &shown_line(mended.trim()))));
        }
    }
    out
}

/// So many are shown in full; nobody reads more at once, and the first ones are most often the cause of the others.
const MOST_SHOWN: usize = 50;

/// All diagnostics in order of place, problems first where there are very many, then a line that counts them.
pub fn render_all(sources: &Sources, diagnostics: &[Diagnostic], style: Style) -> String {
    let mut out = String::new();
    let mut shown: Vec<&Diagnostic> = diagnostics.iter().collect();
    if shown.len() > MOST_SHOWN {
        // What keeps the text from being built comes before what could be better.
        shown.sort_by_key(|diagnostic| diagnostic.severity);
        shown.truncate(MOST_SHOWN);
    }
    for diagnostic in &shown {
        out.push_str(&render(sources, diagnostic, style));
        out.push('\n');
    }
    let all = diagnostics.iter().map(Diagnostic::count).sum::<usize>();
    if shown.len() < all {
        line(&mut out, &format!("… and {} more, not shown", all - shown.len()));
    }
    if !diagnostics.is_empty() {
        line(&mut out, &count_line(diagnostics));
    }
    out
}

/// How many there are of each severity, such as `2 problems, 1 hint`.
pub fn count_line(diagnostics: &[Diagnostic]) -> String {
    let counted = [Severity::Problem, Severity::Warning, Severity::Hint].map(|severity| {
        let count: usize = diagnostics.iter().filter(|d| d.severity == severity).map(Diagnostic::count).sum();
        match count {
            0 => String::new(),
            1 => format!("1 {}", severity.word()),
            _ => format!("{count} {}s", severity.word()),
        }
    });
    let counted: Vec<String> = counted.into_iter().filter(|text| !text.is_empty()).collect();
    counted.join(", ")
}

fn line(out: &mut String, text: &str) {
    // Writing to a String cannot fail.
    let _ = writeln!(out, "{}", text.trim_end());
}

fn show_place(out: &mut String, sources: &Sources, label: &Label, colour: &str, style: Style) {
    let file = sources.file(label.span.file);
    if file.is_stand_in() {
        return;
    }
    let place = file.place(label.span.start);
    let text: Vec<char> = file.line(place.line).chars().map(printable).collect();
    let at = place.column as usize - 1;
    let covered = sources.text_of(label.span).lines().next().unwrap_or_default().chars().count();
    let from = if text.len() <= WIDEST { 0 } else { at.saturating_sub(WIDEST / 2) };
    let shown: String = text.iter().skip(from).take(WIDEST).collect();
    let carets = covered.clamp(1, WIDEST.saturating_sub(at - from).max(1));
    let cut = if from > 0 { "…" } else { "" };
    line(out, &format!("  {:>8}  {cut}{shown}", place.line));
    let pad = " ".repeat(at - from + cut.chars().count());
    let note = format!("{} {}", "^".repeat(carets), shown_line(&label.text));
    line(out, &format!("  {:>8}  {pad}{}", "", style.paint(colour, note.trim_end())));
}

/// Control characters would upset a terminal and the caret; a tab counts as one column here as in
/// [`crate::LineCol`].
fn printable(c: char) -> char {
    match c {
        '\t' => ' ',
        c => shown_sign(c),
    }
}

/// What the line of a fix's first edit becomes, unless that is too long to be shown.
pub fn mended_line(sources: &Sources, fix: &Fix) -> Option<String> {
    let first = fix.edits.first()?;
    let file = sources.file(first.span.file);
    let number = file.line_of(first.span.start);
    let edits: Vec<_> = fix.edits.iter().filter(|edit| edit.span.file == first.span.file).cloned().collect();
    let before = file.text().len();
    let mended = apply_edits(file.text(), &edits);
    // The line may have grown or shrunk; take it from the mended text up to where the old line ended.
    let start = file.line_start(number) as usize;
    let old_end = start + file.line(number).len();
    let end = (old_end + mended.len()).checked_sub(before)?;
    let text = mended.get(start..end.max(start))?;
    (text.chars().count() <= WIDEST).then(|| text.lines().next().unwrap_or_default().to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Code, Span};

    #[test]
    fn a_block_has_place_caret_form_and_mended_line() {
        let (sources, id) = Sources::single("scale.asm", "start:\n\tldw r0 axles\n");
        let at = Span::new(id, 14, 14);
        let diagnostic = Diagnostic::new(Code(12), Severity::Problem, at, "a comma is missing")
            .with_label("here")
            .with_other(Span::new(id, 0, 5), "in this routine")
            .with_expected("ldw d, [b]")
            .with_fix("put a comma after `r0`", at, ",");
        insta::assert_snapshot!(render_all(&sources, &[diagnostic], Style::Plain), @r"
        scale.asm:2:8  problem W012  a comma is missing
                 2   ldw r0 axles
                           ^ here
                 1  start:
                    ^^^^^ in this routine
             right  ldw d, [b]
              mend  put a comma after `r0`
                    ldw r0, axles

        1 problem
        ");
    }

    #[test]
    fn a_very_long_line_is_cut_around_the_caret() {
        let text = format!("{}X{}", "a".repeat(5000), "b".repeat(5000));
        let (sources, id) = Sources::single("l", text);
        let diagnostic = Diagnostic::new(Code(1), Severity::Warning, Span::new(id, 5000, 5001), "m");
        let shown = render(&sources, &diagnostic, Style::Coloured);
        let longest = shown.lines().map(|l| l.chars().count()).max();
        assert!(longest < Some(150), "{shown}");
        assert!(shown.contains('X') && shown.contains("\u{1b}[33m"));
    }

    #[test]
    fn a_flood_is_capped_with_its_problems_first_and_a_count() {
        let (sources, id) = Sources::single("l", "nop\n");
        let of = |severity| Diagnostic::new(Code(1), severity, Span::new(id, 0, 3), "m");
        let mut flood = vec![of(Severity::Hint); 3000];
        flood.push(of(Severity::Problem));
        let shown = render_all(&sources, &flood, Style::Plain);
        assert!(shown.starts_with("l:1:1  problem") && shown.lines().count() < 250, "{}", shown.lines().count());
        assert!(shown.ends_with("… and 2951 more, not shown\n1 problem, 3000 hints\n"), "{shown}");
    }

    proptest::proptest! {
        #[test]
        fn any_text_and_place_can_be_shown(text in ".{0,60}(\n.{0,20}){0,3}", a in 0usize..90, b in 0usize..90) {
            let floor = |at: usize| (0..=at.min(text.len())).rev().find(|&i| text.is_char_boundary(i)).unwrap_or(0);
            let (start, end) = (floor(a.min(b)), floor(a.max(b)));
            let (sources, id) = Sources::single("t", text.clone());
            let span = Span::new(id, start, end);
            let diagnostic = Diagnostic::new(Code(1), Severity::Hint, span, "m").with_fix("f", span, "x\ny");
            proptest::prop_assert!(render(&sources, &diagnostic, Style::Plain).contains('^'));
        }
    }
}
