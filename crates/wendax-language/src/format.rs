//! Sources in columns.
//!
//! Only blanks between words change: labels begin at the margin, instructions and data at column 8 (labelled
//! data lines that follow each other at one behind the longest label), operands at 14, comments at 29. Texts,
//! characters and comments stay as they are. Formatting twice is formatting once, and the code is the same,
//! byte for byte.

use crate::lexer::comment_start;
use crate::syntax::Syntax;
use wendax_isa::Target;

const OPERATION: usize = 8;
const OPERANDS: usize = 14;
/// The column, from 0, in which comments behind code stand.
pub const COMMENTS: usize = 29;
/// A comment by itself that stands this far right goes with those behind code.
const FAR: usize = 24;

/// The text in columns. Line ends stay as they are.
///
/// ```
/// let w16 = &wendax_isa::w16::TARGET;
/// assert_eq!(wendax_language::format("go:mov r1,5;now\n", w16), "go:     mov   r1, 5          ;now\n");
/// ```
pub fn format(text: &str, target: &Target) -> String {
    let syntax = Syntax::of(target);
    let mut out = String::with_capacity(text.len() + text.len() / 4);
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let columns = operation_columns(&lines, syntax);
    for (line, column) in lines.into_iter().zip(columns) {
        let content = line.trim_end_matches(['\n', '\r']);
        let (mark, content_without) = match content.strip_prefix('\u{feff}') {
            Some(rest) if out.is_empty() => ("\u{feff}", rest),
            _ => ("", content),
        };
        out.push_str(mark);
        out.push_str(&format_at(content_without, column, syntax));
        out.push_str(&line[content.len()..]);
    }
    out
}

/// Where the operation of each line goes.
fn operation_columns(lines: &[&str], syntax: Syntax) -> Vec<usize> {
    let wide = |line: &&str| {
        let line = line.trim_start_matches('\u{feff}');
        let (labels, rest) = labels(line[..comment_start(line, syntax)].trim());
        let is_data = !labels.is_empty() && rest.starts_with('.');
        is_data.then(|| labels.iter().map(|label| label.chars().count() + 2).sum::<usize>())
    };
    let widths: Vec<Option<usize>> = lines.iter().map(wide).collect();
    let runs = widths.chunk_by(|one, other| one.is_some() == other.is_some());
    let columns = runs.flat_map(|run| {
        let widest = run.iter().flatten().copied().max().unwrap_or(0);
        std::iter::repeat_n(widest.max(OPERATION), run.len())
    });
    columns.collect()
}

/// One line without its end, in columns.
fn format_at(line: &str, operation: usize, syntax: Syntax) -> String {
    let at = comment_start(line, syntax);
    let (code, comment) = (&line[..at], line[at..].trim_end());
    if code.trim().is_empty() {
        let indent = match width(code) {
            0 => 0,
            1..FAR => OPERATION,
            _ => COMMENTS,
        };
        return if comment.is_empty() { String::new() } else { format!("{}{comment}", " ".repeat(indent)) };
    }
    let mut out = code_columns(code, operation);
    if !comment.is_empty() {
        let gap = if width(&out) < COMMENTS { COMMENTS - width(&out) } else { 2 };
        out.push_str(&" ".repeat(gap));
        out.push_str(comment);
    }
    out
}

fn width(text: &str) -> usize {
    text.chars().fold(0, |at, c| if c == '\t' { at / 8 * 8 + 8 } else { at + 1 })
}

fn code_columns(code: &str, column: usize) -> String {
    let at_margin = !code.starts_with([' ', '\t']);
    let (labels, rest) = labels(code.trim());
    let mut out = labels.iter().map(|label| format!("{label}:")).collect::<Vec<_>>().join(" ");
    let (operation, operands) = split_word(rest);
    if operation.is_empty() {
        return out;
    }
    // Directives about the whole text may stand at the margin.
    let keeps_margin = labels.is_empty() && at_margin && operation.starts_with('.');
    pad(&mut out, if keeps_margin { 0 } else { column });
    let start = out.chars().count();
    out.push_str(operation);
    let operands = single_blanks(operands);
    if !operands.is_empty() {
        let column = if keeps_margin { start + operation.chars().count() + 1 } else { OPERANDS + column - OPERATION };
        pad(&mut out, column);
        out.push_str(&operands);
    }
    out
}

/// Blanks up to a column, but at least one behind what is there.
fn pad(out: &mut String, column: usize) {
    let wide = out.chars().count();
    let least = usize::from(wide > 0);
    out.push_str(&" ".repeat(column.saturating_sub(wide).max(least)));
}

/// The labels a line begins with, and what follows them.
fn labels(mut code: &str) -> (Vec<&str>, &str) {
    let mut labels = Vec::new();
    loop {
        let end =
            code.find(|c: char| !(c.is_alphanumeric() || matches!(c, '_' | '@' | '{' | '}'))).unwrap_or(code.len());
        let Some(rest) = code[end..].trim_start().strip_prefix(':').filter(|_| end > 0) else {
            return (labels, code);
        };
        labels.push(&code[..end]);
        code = rest.trim_start();
    }
}

fn split_word(code: &str) -> (&str, &str) {
    let end = code.find([' ', '\t', '"', '\'', '[']).unwrap_or(code.len());
    (&code[..end], code[end..].trim())
}

/// One blank between words and behind commas, none before commas; what is quoted stays as it is.
fn single_blanks(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut quote = None;
    let mut escaped = false;
    for c in text.chars() {
        if let Some(open) = quote {
            out.push(c);
            if escaped {
                escaped = false;
            } else if c == '\\' {
                escaped = true;
            } else if c == open {
                quote = None;
            }
            continue;
        }
        match c {
            ' ' | '\t' if out.is_empty() || out.ends_with(' ') => {}
            ' ' | '\t' => out.push(' '),
            ',' => {
                out.truncate(out.trim_end_matches(' ').len());
                out.push_str(", ");
            }
            '"' | '\'' => {
                quote = Some(c);
                out.push(c);
            }
            c => out.push(c),
        }
    }
    let end = if quote.is_some() { out.len() } else { out.trim_end_matches(' ').len() };
    out.truncate(end);
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn format(text: &str) -> String {
        super::format(text, Syntax::W16.target())
    }
    use wendax_asm::assemble;
    use wendax_image::to_raw;
    use wendax_source::Sources;

    #[test]
    fn words_go_to_their_columns_and_nothing_else_moves() {
        for (line, wanted) in [
            ("", ""),
            ("   ", ""),
            ("; note", "; note"),
            ("  ; note", "        ; note"),
            ("                              ; far", "                             ; far"),
            ("halt", "        halt"),
            ("a:b :  @c:\tmov\tr1 ,r2", "a: b: @c: mov r1, r2"),
            ("longlabel: inc r1", "longlabel: inc r1"),
            (".equ A ,5", ".equ A, 5"),
            (" .equ A ,5", "        .equ  A, 5"),
            (" .asciz \"a  ,b;\" ;c", "        .asciz \"a  ,b;\"      ;c"),
            (" mov r1,' '", "        mov   r1, ' '"),
            (" ldw r1,[ r2+4 ]", "        ldw   r1, [ r2+4 ]"),
            ("x{n}: mov {a},{b}", "x{n}:   mov   {a}, {b}"),
            (" .ascii \"open  ", "        .ascii \"open"),
        ] {
            assert_eq!(format(line), wanted, "{line:?}");
        }
        assert_eq!(format("\u{feff}a:nop\r\n\r\n nop"), "\u{feff}a:      nop\r\n\r\n        nop");
    }

    #[test]
    fn the_demo_is_in_columns() {
        let demo = include_str!("../../../demos/weighbridge/weighbridge.asm");
        assert_eq!(format(demo), demo);
    }

    proptest::proptest! {
        #[test]
        fn formatting_twice_is_formatting_once(text in "([a-z:;,'\"@.{} \t\\\\\\[\\]+0-9ö]{0,30}\r?\n){0,4}") {
            let once = format(&text);
            proptest::prop_assert_eq!(format(&once), once.clone(), "{:?}", once);
        }

        #[test]
        fn the_code_stays_the_same(parts in proptest::collection::vec(0usize..12, 1..20)) {
            const LINES: [&str; 12] = [
                "a{}:mov r1 ,5;x", "\tadd r1,r2", "b{}:", " .byte 1,'\\'' , \"x\"", "x{}:.asciz \" a  ; ,b\"", " push r6-r8 , fp",
                ".equ A{} , 5*( 2+3 )", "  ldw r1 , [ fp - 4 ]", " jmp here", ".data", ".code", ".repeat 2 , i\n .byte {i}\n.endrepeat",
            ];
            let lines: Vec<String> = parts.iter().enumerate().map(|(n, at)| LINES[*at].replace("{}", &n.to_string())).collect();
            let text = lines.join("\n");
            let bytes = |text: &str| {
                let (sources, file) = Sources::single("case", text);
                let assembly = assemble(&sources, file);
                (to_raw(&assembly.image), assembly.diagnostics.len())
            };
            proptest::prop_assert_eq!(bytes(&format(&text)), bytes(&text), "{}", text);
        }
    }
}
