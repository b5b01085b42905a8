//! The directives of the open assembly manual (RISC-V Assembly Programmer's Manual, "Assembler Directives"), read. Which
//! there are is a table of the language.

use crate::codes;
use crate::lexer::{Kind, Mark, unescape};
use crate::parser::Parser;
use crate::problems::{diagnostic, quoted};
use crate::unit::{SectionId, SectionKind, What};
use wendax_language::rv32::Other;
use wendax_source::Span;

impl Parser<'_> {
    /// A directive that only sources for RV32 have; its name was just taken.
    pub(crate) fn rv32_directive(&mut self, which: Other, span: Span) -> Option<()> {
        match which {
            Other::Values(width) => {
                self.numbers(width, ("numbers", ".ascii \"text\", or .asciz \"text\" with a NUL behind it"), span)
            }
            Other::Power => self.power_of_two(span),
            Other::Section => self.rv32_section(),
            Other::ReadOnly => self.enter(".rodata", SectionKind::Constants),
            Other::Zeroed => self.enter(".bss", SectionKind::Zeroed),
            Other::Zeros => {
                let count = self.expression()?;
                let is_room = self.unit.section(self.section).kind == SectionKind::Zeroed;
                let fill = if is_room { None } else { Some(self.constant(0, span)) };
                self.push(What::Space { count, fill }, span);
                Some(())
            }
            Other::Common => self.common(span),
            Other::Leb128(signed) => self.leb128(signed, span),
            Other::Option => self.option(span),
            Other::Local => self.names(".local name").map(drop),
            Other::Nothing => {
                self.at = self.tokens.len();
                Some(())
            }
        }
    }

    /// `.align n [, fill [, most]]`, n a power of two by its exponent.
    fn power_of_two(&mut self, span: Span) -> Option<()> {
        let place = self.peek_or_behind();
        let exponent = self.known_value()?;
        let place = place.to(self.behind());
        let fill = match self.eat(Mark::Comma) {
            Some(_) if !self.at_mark(Mark::Comma) => Some(self.expression()?),
            _ => None,
        };
        if self.eat(Mark::Comma).is_some() {
            // How much it may take at most; all that is asked for fits.
            self.known_value()?;
        }
        if !(0..=31).contains(&exponent) {
            let found = diagnostic(codes::RANGE, place, format!("2 to the {exponent} is no alignment"));
            self.report(
                found.with_expected("0 to 31: `.align 2` is a multiple of 4; `.balign 4` says the same in bytes"),
            );
            return None;
        }
        if exponent > 12 {
            let message = format!("this is an alignment of 2 to the {exponent} bytes");
            let found = diagnostic(codes::WIDE_ALIGNMENT, place, message);
            let bytes = format!(".balign {exponent}");
            self.unit.remarks.push(found.with_expected(format!("`{bytes}` for a multiple of {exponent}")));
        }
        let to = self.constant(1 << exponent, place);
        self.push(What::Align { to, fill }, span);
        Some(())
    }

    /// `.section name [, "flags" [, @kind …]]`, or `name, kind` as ours.
    fn rv32_section(&mut self) -> Option<()> {
        let place = self.peek_or_behind();
        let name = match self.peek().map(|token| token.kind) {
            Some(Kind::Text) => {
                self.bump();
                let mut bytes = Vec::new();
                unescape(self.spelling(place), self.unit.syntax, &mut bytes);
                String::from_utf8_lossy(&bytes).into_owned()
            }
            Some(Kind::Name | Kind::Directive) => {
                self.bump();
                self.spelling(place).to_owned()
            }
            _ => {
                let found = diagnostic(codes::MISSING_VALUE, place, "the name of a section is missing here");
                self.report(found.with_expected(".section .rodata   .section .text.weigh, \"ax\""));
                return None;
            }
        };
        let mut kind = None;
        let mut is_kept = true;
        if self.eat(Mark::Comma).is_some() {
            let flags = self.peek_or_behind();
            let word = self.spelling(flags);
            match self.peek().map(|token| token.kind) {
                Some(Kind::Text) => {
                    // a: part of the program; w: written; x: run.
                    is_kept = word.contains('a');
                    kind = Some(match (word.contains('x'), word.contains('w')) {
                        (true, _) => SectionKind::Code,
                        (false, true) => SectionKind::Data,
                        (false, false) => SectionKind::Constants,
                    });
                }
                Some(Kind::Name) if SectionKind::WORDS.iter().any(|(_, known)| word.eq_ignore_ascii_case(known)) => {
                    let known = SectionKind::WORDS.iter().find(|(_, known)| word.eq_ignore_ascii_case(known));
                    kind = known.map(|(kind, _)| *kind);
                }
                _ => {
                    let found = diagnostic(codes::OPERANDS, flags, format!("`{}` is no kind of section", quoted(word)));
                    self.report(found.with_expected("code, data or zeroed, or flags in quotes: \"a\", \"aw\", \"ax\""));
                    return None;
                }
            }
            self.bump();
            let rest: Vec<&str> = self.tokens[self.at..].iter().map(|token| self.spelling(self.span(*token))).collect();
            if rest.iter().any(|word| word.trim_start_matches(['@', '%']) == "nobits")
                && kind == Some(SectionKind::Data)
            {
                kind = Some(SectionKind::Zeroed);
            }
            // What kind of contents it has, and what it belongs to, changes nothing here.
            self.at = self.tokens.len();
        }
        if !is_kept {
            self.passes_over = true;
            return Some(());
        }
        let by_name = || {
            let starts = |word: &str| name == word || name.starts_with(&format!("{word}."));
            [
                (".text", SectionKind::Code),
                (".rodata", SectionKind::Constants),
                (".srodata", SectionKind::Constants),
                (".bss", SectionKind::Zeroed),
                (".sbss", SectionKind::Zeroed),
            ]
            .into_iter()
            .find(|(word, _)| starts(word))
            .map_or(SectionKind::Data, |(_, kind)| kind)
        };
        let kind = kind.unwrap_or_else(by_name);
        self.enter(&name, kind)
    }

    /// Goes to the section of this name, which is of this kind; `.text` and `.data` are the two that are always there.
    fn enter(&mut self, name: &str, kind: SectionKind) -> Option<()> {
        let id = match (name, kind) {
            (".text", SectionKind::Code) => SectionId::CODE,
            (".data", SectionKind::Data) => SectionId::DATA,
            _ => {
                let name = name.strip_prefix('.').unwrap_or(name);
                let span = self.span(*self.tokens.first()?);
                self.unit.section_of_kind(name, kind, Some(span))
            }
        };
        self.go_to_section(id);
        Some(())
    }

    /// `.comm name, size [, alignment]`: zeroed room of this name.
    fn common(&mut self, span: Span) -> Option<()> {
        let name = self.name_token(".comm name, size, alignment")?;
        self.comma()?;
        let size = self.expression()?;
        let to = if self.eat(Mark::Comma).is_some() { Some(self.expression()?) } else { None };
        let section = self.section;
        self.enter(".bss", SectionKind::Zeroed)?;
        if let Some(to) = to {
            self.push(What::Align { to, fill: None }, span);
        }
        self.define_label(name, false);
        self.globals.push(name);
        self.push(What::Space { count: size, fill: None }, span);
        self.go_to_section(section);
        Some(())
    }

    fn leb128(&mut self, signed: bool, span: Span) -> Option<()> {
        let from = self.unit.bytes.len();
        loop {
            let place = self.peek_or_behind();
            let mut value = self.known_value()?;
            if value < 0 && !signed {
                let found = diagnostic(codes::RANGE, place.to(self.behind()), "`.uleb128` takes no negative numbers");
                self.report(found.with_expected(".sleb128"));
                return None;
            }
            loop {
                let byte = u8::try_from(value & 0x7F).unwrap_or(0);
                value >>= 7;
                let is_last = if signed { value == if byte & 0x40 == 0 { 0 } else { -1 } } else { value == 0 };
                self.unit.bytes.push(if is_last { byte } else { byte | 0x80 });
                if is_last {
                    break;
                }
            }
            if !self.comma_or_end()? {
                break;
            }
        }
        let count = |length: usize| u32::try_from(length).unwrap_or(u32::MAX);
        self.push(What::Bytes { from: count(from), to: count(self.unit.bytes.len()) }, span);
        Some(())
    }

    fn option(&mut self, span: Span) -> Option<()> {
        let word = self.peek_or_behind();
        if self.spelling(word).eq_ignore_ascii_case("rvc") {
            let found = diagnostic(codes::OPERANDS, span.to(word), "compressed instructions are not known here");
            self.report(found.with_expected("the line taken away; compile with -march=rv32im"));
            return None;
        }
        self.at = self.tokens.len();
        Some(())
    }
}
