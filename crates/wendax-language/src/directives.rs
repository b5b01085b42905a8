//! The directives, as one table.

/// Which directive.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Directive {
    Code,
    Data,
    Section,
    Org,
    Align,
    Byte,
    Word,
    Ascii,
    Asciz,
    Space,
    Embed,
    Equ,
    Let,
    Entry,
    Global,
    Extern,
    Include,
    Macro,
    EndMacro,
    Repeat,
    EndRepeat,
    If,
    ElseIf,
    Else,
    EndIf,
    Error,
    Assert,
}

impl Directive {
    /// It opens, parts or closes a block of lines, and so must stand first on its line.
    pub fn is_block(self) -> bool {
        matches!(
            self,
            Self::Macro
                | Self::EndMacro
                | Self::Repeat
                | Self::EndRepeat
                | Self::If
                | Self::ElseIf
                | Self::Else
                | Self::EndIf
        )
    }
}

/// A directive as users know it.
#[derive(Debug, Clone, Copy)]
pub struct DirectiveInfo {
    pub directive: Directive,
    /// Its name, with the dot.
    pub name: &'static str,
    /// How it is written.
    pub form: &'static str,
    /// What it does, in one line.
    pub meaning: &'static str,
    /// Lines that use it.
    pub example: &'static str,
}

const fn info(
    directive: Directive,
    name: &'static str,
    form: &'static str,
    meaning: &'static str,
    example: &'static str,
) -> DirectiveInfo {
    DirectiveInfo { directive, name, form, meaning, example }
}

use Directive as D;

/// All directives.
pub const DIRECTIVES: &[DirectiveInfo] = &[
    info(D::Code, ".code", ".code", "what follows is code: read and executed, not written", "        .code"),
    info(D::Data, ".data", ".data", "what follows is data: read and written, not executed", "        .data"),
    info(
        D::Section,
        ".section",
        ".section name [, code | data | zeroed]",
        "what follows goes into the section of this name; data when it is new and nothing is said",
        "        .section rooms, zeroed\nroom:   .space 64",
    ),
    info(D::Org, ".org", ".org address", "go on at this address in the present section", "        .org  0x4000"),
    info(
        D::Align,
        ".align",
        ".align n [, fill]",
        "fill up to the next multiple of n, a power of two",
        "        .align 2",
    ),
    info(
        D::Byte,
        ".byte",
        ".byte value or \"text\", …",
        "bytes, each −128 to 255; a text stands for its bytes",
        "marks:  .byte 1, 'a', 0xFF, \"kg\"",
    ),
    info(
        D::Word,
        ".word",
        ".word value, …",
        "words, low byte first, each −32768 to 65535; labels make a table of places",
        "loads:  .word 120, 0x7FF, -4",
    ),
    info(D::Ascii, ".ascii", ".ascii \"text\" or value, …", "the bytes of a text", "mark:   .ascii \"kg\", 10"),
    info(
        D::Asciz,
        ".asciz",
        ".asciz \"text\" or value, …",
        "the bytes of each text and a NUL; values go with the text before them",
        "sign:   .asciz \"Gate 2\", 7, 10",
    ),
    info(D::Space, ".space", ".space n [, fill]", "n bytes kept free, or n times the byte fill", "line:   .space 32"),
    info(
        D::Embed,
        ".embed",
        ".embed \"file\" [, first [, count]]",
        "the bytes of a file, from byte `first` on, at most `count` of them",
        "lamps:  .embed \"lamps.bin\", 0, 16",
    ),
    info(D::Equ, ".equ", ".equ NAME, value", "a name for a value", "        .equ LIMIT, 4 * 256"),
    info(
        D::Let,
        ".let",
        ".let NAME, value",
        "a name for a value until the next `.let` gives it another; made of numbers and constants above",
        "        .let  PLACES, 0\n        .let  PLACES, PLACES + 1",
    ),
    info(D::Entry, ".entry", ".entry label", "the first instruction to run", "        .entry start"),
    info(
        D::Global,
        ".global",
        ".global name, …",
        "names of this file that others may use by `.extern`",
        "        .global print_line",
    ),
    info(
        D::Extern,
        ".extern",
        ".extern name, …",
        "names that another file defines and makes known by `.global`",
        "        .extern print_line",
    ),
    info(
        D::Include,
        ".include",
        ".include \"file\"",
        "read another file here, as if its lines stood in this one",
        "        .include \"frames.inc\"",
    ),
    info(
        D::Macro,
        ".macro",
        ".macro NAME a, b = default, …",
        "lines up to `.endmacro` that NAME unfolds to; `{a}` in them is what was given for a, braces around it keep a comma",
        "        .macro LOAD_PAIR from, to = r1\n        ldw   r0, [{from}]\n        ldw   {to}, [{from} + 2]\n        .endmacro",
    ),
    info(D::EndMacro, ".endmacro", ".endmacro", "the end of a macro", "        .endmacro"),
    info(
        D::Repeat,
        ".repeat",
        ".repeat n [, i]",
        "lines up to `.endrepeat`, n times; `{i}` in them counts from 0",
        "        .repeat 4, i\n        .word {i} * {i}\n        .endrepeat",
    ),
    info(D::EndRepeat, ".endrepeat", ".endrepeat", "the end of what is repeated", "        .endrepeat"),
    info(
        D::If,
        ".if",
        ".if value",
        "lines up to `.elseif`, `.else` or `.endif` count only when the value is not 0; it is made of numbers and constants above",
        "        .if   LIMIT > 255\n        .word LIMIT\n        .else\n        .byte LIMIT\n        .endif",
    ),
    info(
        D::ElseIf,
        ".elseif",
        ".elseif value",
        "lines up to the next `.elseif`, `.else` or `.endif` count when none above do and the value is not 0",
        "        .if   LIMIT > 255\n        .word LIMIT\n        .elseif LIMIT > 0\n        .byte LIMIT\n        .endif",
    ),
    info(D::Else, ".else", ".else", "lines up to `.endif` count when none above do", "        .else"),
    info(D::EndIf, ".endif", ".endif", "the end of a condition", "        .endif"),
    info(
        D::Error,
        ".error",
        ".error \"text\"",
        "a problem with this text, where the line counts",
        "        .error \"LIMIT must be even\"",
    ),
    info(
        D::Assert,
        ".assert",
        ".assert value [, \"text\"]",
        "a problem when the value is 0; it may be made of labels",
        "        .assert sizeof(line) == 32, \"lines are 32 bytes\"",
    ),
];

/// The directive of this name, in any case.
pub fn directive(name: &str) -> Option<&'static DirectiveInfo> {
    DIRECTIVES.iter().find(|info| info.name.eq_ignore_ascii_case(name))
}

/// The block directive a line begins with, perhaps behind labels, and where its name stands in the line.
pub fn block_directive(line: &str) -> Option<(Directive, std::ops::Range<usize>)> {
    const BLANKS: [char; 3] = [' ', '\t', '\u{feff}'];
    let mut start = line.len() - line.trim_start_matches(BLANKS).len();
    let mut rest = &line[start..];
    while !rest.starts_with('.') {
        let colon = memchr::memchr(b':', rest.as_bytes())?;
        let is_label = |c: char| c.is_alphanumeric() || matches!(c, '_' | '@');
        if !rest[..colon].trim_end().chars().all(is_label) {
            return None;
        }
        let behind = rest[colon + 1..].trim_start_matches(BLANKS);
        start = line.len() - behind.len();
        rest = behind;
    }
    let length = 1 + rest[1..].find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(rest.len() - 1);
    let found = directive(&rest[..length]).filter(|info| info.directive.is_block())?;
    Some((found.directive, start..start + length))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn block_directives_are_found_first_on_their_line_or_behind_labels() {
        let found = |line: &str| block_directive(line).map(|(directive, range)| (directive, line[range].to_owned()));
        for line in [".if 1", "  .IF 1", "\t.if", "x: .if 1", "x: @y :.if 1", "\u{feff}.if", ".if(1)"] {
            let (directive, word) = found(line).unwrap_or_else(|| panic!("{line}"));
            assert_eq!((directive, word.to_lowercase().as_str()), (Directive::If, ".if"), "{line}");
        }
        for line in [
            "",
            "   ",
            "; .if 1",
            ".word 1",
            " mov r1, 5",
            "; x: .if",
            "x: mov r1, 2 ; y: .if",
            ".iffy",
            "\"a: .if",
            ".",
            "a b: .if",
        ] {
            assert_eq!(found(line), None, "{line}");
        }
    }

    #[test]
    fn every_directive_says_what_it_is_and_its_example_uses_it() {
        for info in DIRECTIVES {
            assert!(info.form.starts_with(info.name) && !info.meaning.is_empty(), "{}", info.name);
            assert!(info.example.contains(info.name), "{}", info.name);
            assert_eq!(directive(&info.name.to_uppercase()).map(|found| found.name), Some(info.name));
        }
    }
}
