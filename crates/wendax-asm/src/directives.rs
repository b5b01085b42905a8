//! The directives, as one table.

/// Which directive.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Directive {
    Code,
    Data,
    Org,
    Align,
    Byte,
    Word,
    Ascii,
    Asciz,
    Space,
    Equ,
    Entry,
}

/// A directive as users know it.
#[derive(Debug, Clone, Copy)]
pub struct DirectiveInfo {
    pub(crate) directive: Directive,
    /// Its name, with the dot.
    pub name: &'static str,
    /// How it is written.
    pub form: &'static str,
    /// What it does, in one line.
    pub meaning: &'static str,
}

const fn info(directive: Directive, name: &'static str, form: &'static str, meaning: &'static str) -> DirectiveInfo {
    DirectiveInfo { directive, name, form, meaning }
}

/// All directives.
pub const DIRECTIVES: &[DirectiveInfo] = &[
    info(Directive::Code, ".code", ".code", "what follows is code: read and executed, not written"),
    info(Directive::Data, ".data", ".data", "what follows is data: read and written, not executed"),
    info(Directive::Org, ".org", ".org address", "go on at this address in the present section"),
    info(Directive::Align, ".align", ".align n [, fill]", "fill up to the next multiple of n, a power of two"),
    info(Directive::Byte, ".byte", ".byte value, …", "bytes, each −128 to 255"),
    info(Directive::Word, ".word", ".word value, …", "words, low byte first, each −32768 to 65535"),
    info(Directive::Ascii, ".ascii", ".ascii \"text\", …", "the bytes of a text"),
    info(Directive::Asciz, ".asciz", ".asciz \"text\", …", "the bytes of a text and a NUL"),
    info(Directive::Space, ".space", ".space n [, fill]", "n bytes kept free, or n times the byte fill"),
    info(Directive::Equ, ".equ", ".equ NAME, value", "a name for a value"),
    info(Directive::Entry, ".entry", ".entry label", "the first instruction to run"),
];

/// The directive of this name, in any case.
pub(crate) fn directive(name: &str) -> Option<&'static DirectiveInfo> {
    DIRECTIVES.iter().find(|info| info.name.eq_ignore_ascii_case(name))
}
